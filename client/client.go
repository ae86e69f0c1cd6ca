// Package client is the Go client of Arbora's API. Its methods are generated from the contract, one for each operation:
//
//	arbora, err := client.Open("http://127.0.0.1:8420", token)
//	tree, err := arbora.ShowTree(ctx, "lindenmere", nil)
package client

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"arbora.example/api"
)

// Error is a problem the service answered with.
type Error struct {
	api.Problem
}

// Error returns what went wrong and what to do.
func (e *Error) Error() string {
	if e.Next == "" {
		return e.Detail
	}
	return e.Detail + ": " + e.Next
}

// Kind names the kind of problem, the last word of its type.
func (e *Error) Kind() string { return strings.TrimPrefix(e.Type, "urn:arbora:problem:") }

// Unreachable is the error of a request that got no answer.
type Unreachable struct {
	Address string
	Cause   error
}

// Error returns which service could not be reached.
func (e *Unreachable) Error() string {
	return fmt.Sprintf("the service at %s cannot be reached: %v", e.Address, e.Cause)
}

// Unwrap returns the cause.
func (e *Unreachable) Unwrap() error { return e.Cause }

// Agent is what the client calls itself, in the list of somebody's sessions among other places. A program may set its own
// before it opens clients.
var Agent = "arbora client for Go"

// Open returns a client of the service at an address such as http://127.0.0.1:8420, acting by a session's token. Without
// a token only signing in and the state of the service can be asked for.
func Open(address, token string, more ...Option) (*Client, error) {
	if !strings.HasPrefix(address, "http://") && !strings.HasPrefix(address, "https://") {
		return nil, fmt.Errorf("%q is not the address of a service: write it as http://HOST:PORT", address)
	}
	plain := &Client{
		Server: strings.TrimSuffix(address, "/") + "/api/v1/",
		Client: &doer{address: address, client: http.Client{Timeout: time.Minute, CheckRedirect: stay}},
	}
	options := []Option{
		WithRequestEditor(func(_ context.Context, r *http.Request) error {
			r.Header.Set("User-Agent", Agent)
			if token != "" {
				r.Header.Set("Authorization", "Bearer "+token)
			}
			return nil
		}),
	}
	return plain.With(append(options, more...)...)
}

// stay follows no redirect: the service sends none, and whoever else does is not to be shown what a request carries.
func stay(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }

// Confirmed has changes made only if their impact is still the one that a preview gave a confirmation of. Otherwise they
// fail with a problem that tells the new impact.
func Confirmed(confirmation string) Option {
	return WithRequestEditor(func(_ context.Context, r *http.Request) error {
		r.Header.Set("If-Match", `"`+confirmation+`"`)
		return nil
	})
}

// AtLeast has everything answered at a revision or a later one, such as one that another instance of the service told.
func AtLeast(revision int64) Option {
	return WithRequestEditor(func(_ context.Context, r *http.Request) error {
		r.Header.Set("At-Least-Revision", strconv.FormatInt(revision, 10))
		return nil
	})
}

// Once has a request that creates something carried out once, however often it is sent: a second one under the same key is answered as
// the first was, but for secrets. A key is for one request; a UUID is a good one.
func Once(key string) Option {
	return WithRequestEditor(func(_ context.Context, r *http.Request) error {
		r.Header.Set("Idempotency-Key", key)
		return nil
	})
}

// ViewingAs has everything answered as somebody else would see it. Changes are refused.
func ViewingAs(kind api.PrincipalKind, name string) Option {
	return WithRequestEditor(func(_ context.Context, r *http.Request) error {
		r.Header.Set("View-As", string(kind)+" "+name)
		return nil
	})
}

// ActingFor has a platform service act for somebody whom it serves, and who is at a network address, if that is known: it may do
// what they may.
func ActingFor(kind api.PrincipalKind, name, from string) Option {
	return WithRequestEditor(func(_ context.Context, r *http.Request) error {
		r.Header.Set("Act-For", string(kind)+" "+name)
		if from != "" {
			r.Header.Set("Act-For-From", from)
		}
		return nil
	})
}

// doer marks requests that got no answer.
type doer struct {
	address string
	client  http.Client
}

func (d *doer) Do(r *http.Request) (*http.Response, error) {
	response, err := d.client.Do(r)
	if err != nil {
		return nil, &Unreachable{Address: d.address, Cause: err}
	}
	return response, nil
}
