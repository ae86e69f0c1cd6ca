package client

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"strings"

	"arbora.example/standin/loam/loamapi"
)

// Loam works with Loam, the stand-in cloud, by way of the service that a client is of and under the same sign-in. Errors are
// a [*Error] where Loam refused.
type Loam struct {
	arbora *Client
	root   string
}

// Loam gives a client of Loam.
func (c *Client) Loam() *Loam {
	return &Loam{arbora: c, root: strings.TrimSuffix(strings.TrimSuffix(c.Server, "/"), "/api/v1") + "/loam/v1"}
}

// LoamAt gives a client of Loam at an address of its own, such as http://127.0.0.1:8427, acting by a token; without one only
// what is public is there.
func LoamAt(address, token string, more ...ClientOption) (*Loam, error) {
	c, err := Open(address, token, more...)
	if err != nil {
		return nil, err
	}
	return &Loam{arbora: c, root: strings.TrimSuffix(address, "/") + "/v1"}, nil
}

// do sends a request; the caller closes the answer's body.
func (l *Loam) do(ctx context.Context, method, path, contentType string, body io.Reader) (*http.Response, error) {
	request, err := http.NewRequestWithContext(ctx, method, l.root+path, body)
	if err != nil {
		return nil, err
	}
	if contentType != "" {
		request.Header.Set("Content-Type", contentType)
	}
	if err := l.arbora.applyEditors(ctx, request, nil); err != nil {
		return nil, err
	}
	return l.arbora.Client.Do(request)
}

func (l *Loam) send(ctx context.Context, path string, in loamapi.Input) (*http.Response, error) {
	text, err := json.Marshal(in)
	if err != nil {
		return nil, err
	}
	return l.do(ctx, http.MethodPost, path, "application/json", bytes.NewReader(text))
}

// Here tells what is at a scope and what may be done with it.
func (l *Loam) Here(ctx context.Context, scope string) (loamapi.Here, error) {
	return Read[loamapi.Here](l.do(ctx, http.MethodGet, "/here/"+url.PathEscape(scope), "", nil))
}

// Create makes a resource; in says its type, its name, and where.
func (l *Loam) Create(ctx context.Context, in loamapi.Input) (loamapi.Description, error) {
	return Read[loamapi.Description](l.send(ctx, "/resources", in))
}

// LoamAct carries out an operation on a resource. T is what that operation tells: a [loamapi.Description] for most.
func LoamAct[T any](ctx context.Context, l *Loam, resource, operation string, in loamapi.Input) (T, error) {
	return Read[T](l.send(ctx, "/resources/"+url.PathEscape(resource)+"/"+url.PathEscape(operation), in))
}

// Connected gives a client that works on a database by a connection to it.
func (l *Loam) Connected(c loamapi.Connection) *Loam {
	by := *l.arbora
	by.RequestEditors = append(by.RequestEditors[:len(by.RequestEditors):len(by.RequestEditors)], func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+c.Token)
		return nil
	})
	return &Loam{arbora: &by, root: l.root}
}

// Objects lists the objects of a bucket, those after a name, a page at a time.
func (l *Loam) Objects(ctx context.Context, bucket, after string) ([]loamapi.Object, error) {
	list, err := Read[struct {
		Objects []loamapi.Object `json:"objects"`
	}](l.do(ctx, http.MethodGet, "/objects/"+objectPath(bucket)+"?after="+url.QueryEscape(after), "", nil))
	return list.Objects, err
}

// Fetch gives an object, to be closed when it is read, and its media type.
func (l *Loam) Fetch(ctx context.Context, object string) (body io.ReadCloser, mediaType string, err error) {
	response, err := l.do(ctx, http.MethodGet, "/objects/"+objectPath(object), "", nil)
	if err != nil {
		return nil, "", err
	}
	if response.StatusCode >= 300 {
		defer response.Body.Close()
		return nil, "", problem(response)
	}
	return response.Body, response.Header.Get("Content-Type"), nil
}

// Put puts an object into a bucket.
func (l *Loam) Put(ctx context.Context, object, mediaType string, body io.Reader) (loamapi.Object, error) {
	return Read[loamapi.Object](l.do(ctx, http.MethodPut, "/objects/"+objectPath(object), mediaType, body))
}

// Erase takes an object out of a bucket.
func (l *Loam) Erase(ctx context.Context, object string) error {
	return Done(l.do(ctx, http.MethodDelete, "/objects/"+objectPath(object), "", nil))
}

// Visit gives the page of an app.
func (l *Loam) Visit(ctx context.Context, app string) (string, error) {
	response, err := l.do(ctx, http.MethodGet, "/apps/"+url.PathEscape(app), "", nil)
	if err != nil {
		return "", err
	}
	defer response.Body.Close()
	if response.StatusCode >= 300 {
		return "", problem(response)
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
