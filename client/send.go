package client

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"time"
)

// Client works with one service. Its methods, one for each operation of the contract, are generated and return what is answered; the
// error of a refusal is an [*Error].
type Client struct {
	Server         string // where the API is, such as http://127.0.0.1:8420/api/v1/
	Client         HTTPDoer
	RequestEditors []RequestEditor // alter every request before it is sent
}

// HTTPDoer sends requests, as [http.Client] does.
type HTTPDoer interface {
	Do(r *http.Request) (*http.Response, error)
}

// RequestEditor alters a request before it is sent.
type RequestEditor func(ctx context.Context, r *http.Request) error

// Option says something of a client as it is opened.
type Option func(*Client) error

// With returns a client that is like this one but for some options. It fails where an option does.
func (c *Client) With(options ...Option) (*Client, error) {
	other := *c
	other.RequestEditors = slices.Clone(c.RequestEditors)
	for _, option := range options {
		if err := option(&other); err != nil {
			return nil, err
		}
	}
	return &other, nil
}

// WithRequestEditor has every request altered before it is sent.
func WithRequestEditor(edit RequestEditor) Option {
	return func(c *Client) error {
		c.RequestEditors = append(c.RequestEditors, edit)
		return nil
	}
}

// WithHTTPClient has requests sent by another HTTP client than the one that [Open] makes.
func WithHTTPClient(doer HTTPDoer) Option {
	return func(c *Client) error {
		c.Client = doer
		return nil
	}
}

// path fills the places of a path with escaped values.
func path(format string, values ...any) string {
	escaped := make([]any, len(values))
	for i, value := range values {
		escaped[i] = url.PathEscape(fmt.Sprint(value))
	}
	return fmt.Sprintf(format, escaped...)
}

// query is what a request asks for besides its path.
type query url.Values

// add adds a parameter, a list as one for each item. One that is zero is not given, and is left out.
func (q query) add(name string, value any) {
	v := reflect.ValueOf(value)
	if v.IsZero() {
		return
	}
	if v.Kind() == reflect.Slice {
		for i := range v.Len() {
			url.Values(q).Add(name, fmt.Sprint(v.Index(i).Interface()))
		}
		return
	}
	text := fmt.Sprint(v.Interface())
	if at, is := v.Interface().(time.Time); is {
		text = at.Format(time.RFC3339Nano)
	}
	url.Values(q).Add(name, text)
}

// ask sends a request, with a body as JSON unless it is nil; the caller closes what is answered.
func (c *Client) ask(ctx context.Context, method, path string, q query, body any) (*http.Response, error) {
	var content io.Reader
	if body != nil {
		text, err := json.Marshal(body)
		if err != nil {
			return nil, err
		}
		content = bytes.NewReader(text)
	}
	address := strings.TrimSuffix(c.Server, "/") + path
	if len(q) > 0 {
		address += "?" + url.Values(q).Encode()
	}
	r, err := http.NewRequestWithContext(ctx, method, address, content)
	if err != nil {
		return nil, err
	}
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	return c.Send(r)
}

// Send sends a request under the client's sign-in, such as one to what the service passes on; the caller closes what is answered.
func (c *Client) Send(r *http.Request) (*http.Response, error) {
	for _, edit := range c.RequestEditors {
		if err := edit(r.Context(), r); err != nil {
			return nil, err
		}
	}
	return c.Client.Do(r)
}

// stream sends a request that is answered piece by piece; the caller closes what is answered.
func (c *Client) stream(ctx context.Context, method, path string, q query, body any) (*http.Response, error) {
	response, err := c.ask(ctx, method, path, q, body)
	if err != nil || response.StatusCode < 300 {
		return response, err
	}
	defer finish(response)
	return nil, Refusal(response)
}

func read[T any](c *Client, ctx context.Context, method, path string, q query, body any) (T, error) {
	return Read[T](c.ask(ctx, method, path, q, body))
}

func done(c *Client, ctx context.Context, method, path string, q query, body any) error {
	_, err := Read[nothing](c.ask(ctx, method, path, q, body))
	return err
}

// nothing is what an answer without content holds.
type nothing struct{}

// Read reads what is answered to [Client.Send]. The error of a refusal is an [*Error].
func Read[T any](response *http.Response, err error) (T, error) {
	var value T
	if err != nil {
		return value, err
	}
	defer finish(response)
	if response.StatusCode >= 300 {
		return value, Refusal(response)
	}
	if _, none := any(value).(nothing); none {
		return value, nil
	}
	if err := json.NewDecoder(response.Body).Decode(&value); err != nil {
		return value, fmt.Errorf("the service's answer cannot be read: %w", err)
	}
	return value, nil
}

// Done leaves of what a method returns the error alone.
func Done[T any](_ T, err error) error { return err }

// Refusal reads the problem that an answer tells, as an [*Error]. The caller closes the body.
func Refusal(response *http.Response) error {
	const most = 1 << 20
	text, err := io.ReadAll(io.LimitReader(response.Body, most))
	if err != nil {
		return fmt.Errorf("the service's answer broke off: %w", err)
	}
	e := &Error{}
	if json.Unmarshal(text, &e.Problem) != nil || e.Detail == "" {
		return fmt.Errorf("the service answered %s, and not as Arbora does: is the address right?", response.Status)
	}
	return e
}

// finish reads what is left of an answer before it closes it: a connection whose answer was not read to its end is not used
// again.
func finish(response *http.Response) {
	const most = 64 << 10 // more is dearer to read than another connection
	io.CopyN(io.Discard, response.Body, most)
	response.Body.Close()
}
