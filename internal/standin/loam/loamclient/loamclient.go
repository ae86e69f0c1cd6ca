// Package loamclient is the Go client of Loam, the stand-in cloud.
package loamclient

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"strings"

	"arbora.example/client"
	"arbora.example/internal/standin/loam/loamapi"
)

// Client works with Loam under a sign-in to Arbora. Errors are a [*client.Error] where Loam refused.
type Client struct {
	arbora *client.Client
	root   string
}

// Through returns a client of Loam by way of the service that another client is of, and under the same sign-in.
func Through(c *client.Client) *Client {
	return &Client{arbora: c, root: strings.TrimSuffix(strings.TrimSuffix(c.Server, "/"), "/api/v1") + "/loam/v1"}
}

// At returns a client of Loam at an address of its own, such as http://127.0.0.1:8427, acting by a token; without one only what is
// public is there.
func At(address, token string, more ...client.Option) (*Client, error) {
	c, err := client.Open(address, token, more...)
	if err != nil {
		return nil, err
	}
	return &Client{arbora: c, root: strings.TrimSuffix(address, "/") + "/v1"}, nil
}

// do sends a request; the caller closes the answer's body.
func (l *Client) do(ctx context.Context, method, path, contentType string, body io.Reader) (*http.Response, error) {
	request, err := http.NewRequestWithContext(ctx, method, l.root+path, body)
	if err != nil {
		return nil, err
	}
	if contentType != "" {
		request.Header.Set("Content-Type", contentType)
	}
	return l.arbora.Send(request)
}

func (l *Client) send(ctx context.Context, path string, in loamapi.Input) (*http.Response, error) {
	text, err := json.Marshal(in)
	if err != nil {
		return nil, err
	}
	return l.do(ctx, http.MethodPost, path, "application/json", bytes.NewReader(text))
}

// Here tells what is at a scope and what may be done with it.
func (l *Client) Here(ctx context.Context, scope string) (loamapi.Here, error) {
	return client.Read[loamapi.Here](l.do(ctx, http.MethodGet, "/here/"+url.PathEscape(scope), "", nil))
}

// Create makes a resource; in says its type, its name, and where.
func (l *Client) Create(ctx context.Context, in loamapi.Input) (loamapi.Description, error) {
	return client.Read[loamapi.Description](l.send(ctx, "/resources", in))
}

// Act carries out an operation on a resource. T is what that operation tells: a [loamapi.Description] for most.
func Act[T any](ctx context.Context, l *Client, resource, operation string, in loamapi.Input) (T, error) {
	return client.Read[T](l.send(ctx, "/resources/"+url.PathEscape(resource)+"/"+url.PathEscape(operation), in))
}

// Connected returns a client that works on a database by a connection to it.
func (l *Client) Connected(c loamapi.Connection) *Client {
	by := *l.arbora
	by.RequestEditors = append(by.RequestEditors[:len(by.RequestEditors):len(by.RequestEditors)], func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+c.Token)
		return nil
	})
	return &Client{arbora: &by, root: l.root}
}

// Objects lists the objects of a bucket, those after a name, a page at a time.
func (l *Client) Objects(ctx context.Context, bucket, after string) ([]loamapi.Object, error) {
	list, err := client.Read[struct {
		Objects []loamapi.Object `json:"objects"`
	}](l.do(ctx, http.MethodGet, "/objects/"+objectPath(bucket)+"?after="+url.QueryEscape(after), "", nil))
	return list.Objects, err
}

// Fetch returns an object, to be closed when it is read, and its media type.
func (l *Client) Fetch(ctx context.Context, object string) (body io.ReadCloser, mediaType string, err error) {
	response, err := l.do(ctx, http.MethodGet, "/objects/"+objectPath(object), "", nil)
	if err != nil {
		return nil, "", err
	}
	if response.StatusCode >= 300 {
		defer response.Body.Close()
		return nil, "", client.Refusal(response)
	}
	return response.Body, response.Header.Get("Content-Type"), nil
}

// Put puts an object into a bucket.
func (l *Client) Put(ctx context.Context, object, mediaType string, body io.Reader) (loamapi.Object, error) {
	return client.Read[loamapi.Object](l.do(ctx, http.MethodPut, "/objects/"+objectPath(object), mediaType, body))
}

// Erase takes an object out of a bucket.
func (l *Client) Erase(ctx context.Context, object string) error {
	response, err := l.do(ctx, http.MethodDelete, "/objects/"+objectPath(object), "", nil)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if response.StatusCode >= 300 {
		return client.Refusal(response)
	}
	return nil
}

// Visit returns the page of an app.
func (l *Client) Visit(ctx context.Context, app string) (string, error) {
	response, err := l.do(ctx, http.MethodGet, "/apps/"+url.PathEscape(app), "", nil)
	if err != nil {
		return "", err
	}
	defer response.Body.Close()
	if response.StatusCode >= 300 {
		return "", client.Refusal(response)
	}
	text, err := io.ReadAll(response.Body)
	return string(text), err
}

// objectPath escapes the parts of an object's address.
func objectPath(address string) string {
	parts := strings.Split(address, "/")
	for i := range parts {
		parts[i] = url.PathEscape(parts[i])
	}
	return strings.Join(parts, "/")
}
