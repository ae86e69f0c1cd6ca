package authzen

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/hashicorp/go-retryablehttp"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/oauth2"
	"golang.org/x/oauth2/clientcredentials"
)

// Key is an API key of a platform service, as "arbora key create --service NAME" shows it once.
type Key struct {
	ID     string `json:"id"`
	Secret string `json:"secret"`
}

// Service is a platform service that asks Arbora. It is safe for concurrent use.
type Service struct {
	address string
	key     Key
	once    *http.Client // sends a request once
	asks    *http.Client // sends again what is not answered
	clients *expirable.LRU[string, *Client]
	beside  *beside // nil for no follower
}

// beside is a follower of Arbora that is asked first.
type beside struct {
	address string
	asks    *http.Client
}

// besideWithin bounds how long a follower may take to answer before Arbora is asked in its place.
const besideWithin = 5 * time.Second

// newBeside reaches a follower at an address: that of package net/http, or unix: and the file of a socket.
func newBeside(address string) *beside {
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = 64
	if socket, ok := strings.CutPrefix(address, "unix:"); ok {
		address = "http://localhost"
		transport.DialContext = func(ctx context.Context, _, _ string) (net.Conn, error) {
			return new(net.Dialer).DialContext(ctx, "unix", socket)
		}
	}
	return &beside{strings.TrimSuffix(address, "/"), &http.Client{Transport: transport, Timeout: besideWithin}}
}

// Organisations are named by whoever asks, so no more clients are kept than are of use.
const (
	clientsKept = 1000
	clientsFor  = time.Hour
)

// Option says something of a service as it is opened.
type Option func(*options)

type options struct {
	transport http.RoundTripper
	timeout   time.Duration
	tries     int
	beside    string
}

// Over has requests sent by a transport of the caller's own.
func Over(transport http.RoundTripper) Option { return func(o *options) { o.transport = transport } }

// Within bounds how long one try may take; it is 20 seconds when nothing else is said. How long all may take is up to the context of a
// request.
func Within(timeout time.Duration) Option { return func(o *options) { o.timeout = timeout } }

// Tries is how often a request is sent at most until it is answered: 3 times when nothing else is said. What is answered with an error
// of the server, or that there were too many requests, counts as not answered, and is sent again after the time that the answer names.
func Tries(most int) Option { return func(o *options) { o.tries = most } }

// Beside has a follower asked, which "arbora follow" runs beside the platform service, before Arbora is: at an address such as
// http://127.0.0.1:8431, or unix: and the file of a socket. Arbora is asked what the follower does not answer.
func Beside(follower string) Option { return func(o *options) { o.beside = follower } }

// NewService opens the service that Arbora, at an address such as https://arbora.example, knows by a key.
func NewService(address string, key Key, opts ...Option) *Service {
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = 64
	o := options{transport: transport, timeout: 20 * time.Second, tries: 3}
	for _, option := range opts {
		option(&o)
	}
	again := retryablehttp.NewClient()
	once := &http.Client{Transport: o.transport, Timeout: o.timeout}
	again.HTTPClient = once
	again.Logger = nil
	again.RetryMax, again.RetryWaitMin, again.RetryWaitMax = o.tries-1, 50*time.Millisecond, 2*time.Second
	again.ErrorHandler = retryablehttp.PassthroughErrorHandler // the last answer is told as it came
	s := &Service{
		address: strings.TrimSuffix(address, "/"), key: key, once: once, asks: again.StandardClient(),
		clients: expirable.NewLRU[string, *Client](clientsKept, nil, clientsFor),
	}
	if o.beside != "" {
		s.beside = newBeside(o.beside)
	}
	return s
}

// HTTP returns what sends a request once, under no sign-in.
func (s *Service) HTTP() *http.Client { return s.once }

// In returns a client that acts in an organisation. Those of one organisation share their access token.
func (s *Service) In(organisation string) *Client {
	if c, ok := s.clients.Get(organisation); ok {
		return c
	}
	config := clientcredentials.Config{
		ClientID: s.key.ID, ClientSecret: s.key.Secret, TokenURL: s.address + "/oauth/token",
		AuthStyle: oauth2.AuthStyleInHeader, EndpointParams: url.Values{"organisation": {organisation}},
	}
	tokens := newTokens(s.asks, config)
	c := &Client{
		address: s.address,
		once:    &http.Client{Transport: &signed{tokens, s.once.Transport}, Timeout: s.once.Timeout},
		asks:    &http.Client{Transport: &signed{tokens, s.asks.Transport}},
	}
	if s.beside != nil {
		c.beside = &beside{s.beside.address + "/in/" + url.PathEscape(organisation), s.beside.asks}
	}
	s.clients.Add(organisation, c)
	return c
}

// Client asks Arbora as a platform service in one organisation. It is safe for concurrent use.
type Client struct {
	address    string
	once, asks *http.Client // as those of a service, signed in
	beside     *beside
	revision   uint64
}

// NewClient opens a client that shows one token, which somebody else gets and renews.
func NewClient(address, token string, opts ...Option) *Client {
	s := NewService(address, Key{}, opts...)
	source := oauth2.StaticTokenSource(&oauth2.Token{AccessToken: token})
	return &Client{
		address: s.address,
		once:    &http.Client{Transport: &oauth2.Transport{Source: source, Base: s.once.Transport}, Timeout: s.once.Timeout},
		asks:    &http.Client{Transport: &oauth2.Transport{Source: source, Base: s.asks.Transport}},
	}
}

// Patient returns what sends a request once, signed in, and waits for its answer as long as the request's context lasts.
func (c *Client) Patient() *http.Client { return &http.Client{Transport: c.once.Transport} }

// HTTP returns what sends a request once, signed in: for the other operations of Arbora, which package client has.
func (c *Client) HTTP() *http.Client { return c.once }

// AtLeast returns a client whose answers are at a revision or a later one: of a change that was made, or an answer that was seen, at
// another instance of Arbora.
func (c *Client) AtLeast(revision uint64) *Client {
	other := *c
	other.revision = revision
	return &other
}

// Evaluate asks one question.
func (c *Client) Evaluate(ctx context.Context, asked Request) (answer Answer, err error) {
	return answer, c.ask(ctx, EvaluationPath, asked, &answer)
}

// EvaluateAll asks many questions, and returns an answer to each. More than [MostAtOnce] are asked by several requests, which may be
// answered at different revisions.
func (c *Client) EvaluateAll(ctx context.Context, asked []Request) ([]Answer, error) {
	answers := make([]Answer, 0, len(asked))
	for len(asked) > 0 {
		some := asked[:min(len(asked), MostAtOnce)]
		asked = asked[len(some):]
		told, err := c.EvaluateBatch(ctx, Batch{Evaluations: some})
		if err != nil {
			return nil, err
		}
		if len(told) != len(some) {
			return nil, fmt.Errorf("authzen: %d of %d questions were answered", len(told), len(some))
		}
		answers = append(answers, told...)
	}
	return answers, nil
}

// EvaluateBatch asks at most [MostAtOnce] questions on one state of things, and returns as many answers as its semantic says.
func (c *Client) EvaluateBatch(ctx context.Context, asked Batch) ([]Answer, error) {
	var told Answers
	err := c.ask(ctx, EvaluationsPath, asked, &told)
	return told.Evaluations, err
}

// SearchSubjects yields who of a type may do something, page by page as it is taken. It ends after an error.
func (c *Client) SearchSubjects(ctx context.Context, asked Request) iter.Seq2[Entity, error] {
	return pages[Entity](ctx, c, SearchSubjectPath, asked)
}

// SearchActions yields what a subject may do with a resource, page by page as it is taken. It ends after an error.
func (c *Client) SearchActions(ctx context.Context, asked Request) iter.Seq2[Action, error] {
	return pages[Action](ctx, c, SearchActionPath, asked)
}

// SearchResources yields the resources of a type with which a subject may do something, page by page as it is taken. It ends after an
// error.
func (c *Client) SearchResources(ctx context.Context, asked Request) iter.Seq2[Entity, error] {
	return pages[Entity](ctx, c, SearchResourcePath, asked)
}

func pages[T any](ctx context.Context, c *Client, path string, asked Request) iter.Seq2[T, error] {
	return func(yield func(T, error) bool) {
		s := Search{Request: asked, Page: Page{Limit: pageMost}}
		for {
			var found Found[T]
			if err := c.ask(ctx, path, s, &found); err != nil {
				var none T
				yield(none, err)
				return
			}
			for _, one := range found.Results {
				if !yield(one, nil) {
					return
				}
			}
			if s.Page.Token = found.Page.Token; s.Page.Token == "" {
				return
			}
		}
	}
}

func (c *Client) ask(ctx context.Context, path string, body, into any) error {
	text, err := json.Marshal(body)
	if err != nil {
		return err
	}
	if c.beside != nil {
		err := c.send(ctx, c.beside.asks, c.beside.address+path, text, into)
		var refused *Error
		if err == nil || errors.As(err, &refused) && refused.Status == http.StatusBadRequest {
			return err
		}
	}
	return c.send(ctx, c.asks, c.address+path, text, into)
}

func (c *Client) send(ctx context.Context, by *http.Client, address string, text []byte, into any) error {
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, address, bytes.NewReader(text))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	if c.revision > 0 {
		r.Header.Set("At-Least-Revision", strconv.FormatUint(c.revision, 10))
	}
	return Fetch(by, r, into)
}

// Introspection is what Arbora tells of a token (RFC 7662, section 2.2).
type Introspection struct {
	Active       bool     `json:"active"` // nothing else is told where it is not
	Subject      string   `json:"sub"`    // the principal's id
	Kind         string   `json:"kind"`   // of principal, as in the type of a subject
	Name         string   `json:"username"`
	Organisation string   `json:"organisation"`          // empty for a token that opens none
	Formerly     []string `json:"organisation_formerly"` // names that the organisation had before
	From         string   `json:"from"`                  // where whoever shows it called Arbora from; empty when they called the service itself
	Act          *Actor   `json:"act"`                   // who looks as the subject; nil for nobody else
	Until        int64    `json:"exp"`                   // seconds since 1970
}

// Actor is who acts as another (RFC 8693, section 4.1).
type Actor struct {
	Subject string `json:"sub"` // how they sign in
}

// Introspect tells whose token it is that somebody shows to the service. ViewAs names, as KIND NAME, as whom its bearer looks; it is
// empty for themselves.
func (s *Service) Introspect(ctx context.Context, token, viewAs string) (told Introspection, err error) {
	form := url.Values{"token": {token}}
	if viewAs != "" {
		form.Set("view_as", viewAs)
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, s.address+"/oauth/introspection", strings.NewReader(form.Encode()))
	if err != nil {
		return told, err
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.SetBasicAuth(url.QueryEscape(s.key.ID), url.QueryEscape(s.key.Secret)) // RFC 6749, section 2.3.1
	return told, Fetch(s.asks, r, &told)
}

// Error is an answer that refuses a request, by RFC 9457 or by RFC 6749.
type Error struct {
	Status int    `json:"status"` // of HTTP
	Type   string `json:"type"`   // what kind of problem it is, such as urn:arbora:problem:invalid; empty when that was not told
	Title  string `json:"title"`
	Field  string `json:"field"`  // what is wrong in the request
	Detail string `json:"detail"` // what is wrong
	Next   string `json:"next"`   // what to do
	Code   string `json:"error"`  // of RFC 6749, such as invalid_client
}

// Error returns what is wrong and what to do.
func (e *Error) Error() string {
	switch {
	case e.Detail == "":
		return fmt.Sprintf("it answered %d %s", e.Status, http.StatusText(e.Status))
	case e.Next == "":
		return e.Detail
	}
	return e.Detail + ": " + e.Next
}

// mostAnswer is how many bytes of an answer are read.
const mostAnswer = 1 << 30

// Read sends a request and reads its answer. Any other than 200 and 204 is an [*Error].
func Read(by *http.Client, r *http.Request) ([]byte, error) {
	response, err := by.Do(r)
	if err != nil {
		var refused *oauth2.RetrieveError
		if errors.As(err, &refused) {
			return nil, refusal(refused.Response.StatusCode, refused.Body)
		}
		return nil, err
	}
	defer response.Body.Close()
	text, err := io.ReadAll(io.LimitReader(response.Body, mostAnswer))
	if err != nil {
		return nil, fmt.Errorf("the answer broke off: %w", err)
	}
	if response.StatusCode != http.StatusOK && response.StatusCode != http.StatusNoContent {
		return nil, refusal(response.StatusCode, text)
	}
	return text, nil
}

// Fetch sends a request and reads the JSON of its answer. Any other answer than 200 is an [*Error].
func Fetch(by *http.Client, r *http.Request, into any) error {
	text, err := Read(by, r)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(text, into); err != nil {
		return fmt.Errorf("the answer cannot be read: %w", err)
	}
	return nil
}

func refusal(status int, text []byte) *Error {
	told := struct {
		Error
		Description string `json:"error_description"`
	}{}
	if json.Unmarshal(text, &told) != nil {
		told.Error = Error{} // it was answered by something else
	}
	if told.Detail == "" {
		told.Detail = told.Description
	}
	told.Status = status
	return &told.Error
}
