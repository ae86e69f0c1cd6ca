package loam

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/oauth2"
	"golang.org/x/oauth2/clientcredentials"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/standin/loam/loamapi"
)

// arbora asks Arbora, as one or another of the services.
type arbora struct {
	address string
	keys    map[string]loamapi.Key // by service
	http    *http.Client
	seats   *expirable.LRU[seat, *http.Client] // which carry access tokens
}

// seat is a service at work in an organisation.
type seat struct{ service, organisation string }

// Organisations are named by whoever asks, so no more seats are kept than are of use.
const (
	seatsKept = 1000
	seatsFor  = time.Hour
)

// askTimeout bounds how long Arbora may take to answer.
const askTimeout = 20 * time.Second

func newArbora(address string, keys map[string]loamapi.Key) (*arbora, error) {
	for _, service := range loamapi.Services {
		if keys[service].ID == "" || keys[service].Secret == "" {
			return nil, fmt.Errorf("the key of service %s is missing: a keeper issues one with \"arbora key create --service %s\"", service, service)
		}
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = 64
	return &arbora{address: strings.TrimSuffix(address, "/"), keys: keys, http: &http.Client{Timeout: askTimeout, Transport: transport}, seats: expirable.NewLRU[seat, *http.Client](seatsKept, nil, seatsFor)}, nil
}

// as gives an HTTP client that acts as a service in an organisation. Access tokens are got when they are needed and got anew
// before they end.
func (a *arbora) as(s seat) *http.Client {
	if c, ok := a.seats.Get(s); ok {
		return c
	}
	config := clientcredentials.Config{
		ClientID: a.keys[s.service].ID, ClientSecret: a.keys[s.service].Secret, TokenURL: a.address + "/oauth/token",
		AuthStyle: oauth2.AuthStyleInHeader, EndpointParams: url.Values{"organisation": {s.organisation}},
	}
	made := config.Client(context.WithValue(context.Background(), oauth2.HTTPClient, a.http))
	made.Timeout = askTimeout
	a.seats.Add(s, made)
	return made
}

// api gives a client of Arbora's API that acts as a service in an organisation, for somebody.
func (a *arbora) api(s seat, served Subject, from string) (*client.Client, error) {
	return client.Open(a.address, "", client.WithHTTPClient(a.as(s)), client.ActingFor(api.PrincipalKind(served.Kind), served.Name, from))
}

// passingOn gives a client of Arbora's API that acts by the token of whoever calls Loam.
func (a *arbora) passingOn(token, viewAs string) (*client.Client, error) {
	options := []client.Option{client.WithHTTPClient(a.http)}
	if kind, name, ok := strings.Cut(viewAs, " "); ok {
		options = append(options, client.ViewingAs(api.PrincipalKind(kind), name))
	}
	return client.Open(a.address, token, options...)
}

// introspected is what Arbora tells about a token (RFC 7662).
type introspected struct {
	Active       bool     `json:"active"`
	Subject      string   `json:"sub"`
	Kind         string   `json:"kind"`
	Name         string   `json:"username"`
	Organisation string   `json:"organisation"`
	Formerly     []string `json:"organisation_formerly"` // names that the organisation had before
	From         string   `json:"from"`                  // where whoever shows it called Arbora from; empty when they called Loam itself
	Act          *struct {
		Looker string `json:"sub"`
	} `json:"act"`
}

// introspect asks Arbora whose token it is that somebody shows, and as whom they look.
func (a *arbora) introspect(ctx context.Context, token, viewAs string) (introspected, error) {
	var told introspected
	form := url.Values{"token": {token}}
	if viewAs != "" {
		form.Set("view_as", viewAs)
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, a.address+"/oauth/introspection", strings.NewReader(form.Encode()))
	if err != nil {
		return told, err
	}
	request.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	key := a.keys[loamapi.Services[0]]
	request.SetBasicAuth(url.QueryEscape(key.ID), url.QueryEscape(key.Secret))
	return told, fetch(a.http, request, &told)
}

// question asks Arbora whether a subject may do something.
type question struct {
	subject   Subject
	operation string
	typ       string
	at        string   // the id or address of the resource, or of the container something is to be made in
	refers    []string // ids or addresses of what the operation refers to besides
	ip        string   // where the request came from
	attempted bool     // the subject is doing it now
}

// permission is what is asked about, as it is written.
func (q *question) permission() string { return q.operation + " " + q.typ }

// verdict is Arbora's answer.
type verdict struct {
	Allowed bool `json:"decision"`
	Context struct {
		Reason string    `json:"reason"`
		Scope  uuid.UUID `json:"scope"`
		Refers []string  `json:"refers"`
		Lacks  string    `json:"lacks"`
		On     string    `json:"on"`
		Hidden bool      `json:"hidden"`
	} `json:"context"`
}

// evaluation is a question as AuthZEN writes it (section 6 of the specification).
type evaluation struct {
	Subject  entity         `json:"subject"`
	Action   action         `json:"action"`
	Resource entity         `json:"resource"`
	Context  map[string]any `json:"context,omitempty"`
}

type entity struct {
	Type string `json:"type"`
	ID   string `json:"id"`
}

type action struct {
	Name string `json:"name"`
}

func (q *question) evaluation() evaluation {
	e := evaluation{
		Subject: entity{q.subject.Kind, q.subject.ID}, Action: action{q.operation}, Resource: entity{q.typ, q.at}, Context: map[string]any{},
	}
	if len(q.refers) > 0 {
		e.Context["refers"] = q.refers
	}
	if q.ip != "" {
		e.Context["ip"] = q.ip
	}
	if q.attempted {
		e.Context["attempted"] = true
	}
	return e
}

// mostAtOnce is how many questions Arbora answers in one request.
const mostAtOnce = 10_000

// ask asks Arbora questions as a service in an organisation: one call for all of them.
func (a *arbora) ask(ctx context.Context, s seat, questions ...question) ([]verdict, error) {
	if len(questions) == 0 {
		return nil, nil
	}
	c := a.as(s)
	if len(questions) == 1 {
		answers := make([]verdict, 1)
		err := a.post(ctx, c, "/access/v1/evaluation", questions[0].evaluation(), &answers[0])
		if isNowhere(err) {
			answers[0].Context.Reason = "unknown"
			err = nil
		}
		return answers, err
	}
	var answers []verdict
	for len(questions) > 0 {
		some := questions[:min(len(questions), mostAtOnce)]
		questions = questions[len(some):]
		asked := struct {
			Evaluations []evaluation `json:"evaluations"`
		}{make([]evaluation, len(some))}
		for i := range some {
			asked.Evaluations[i] = some[i].evaluation()
		}
		var told struct {
			Evaluations []verdict `json:"evaluations"`
		}
		if err := a.post(ctx, c, "/access/v1/evaluations", asked, &told); err != nil {
			return nil, err
		}
		if len(told.Evaluations) != len(some) {
			return nil, unavailable(fmt.Errorf("it answered %d of %d questions", len(told.Evaluations), len(some)))
		}
		answers = append(answers, told.Evaluations...)
	}
	return answers, nil
}

// isNowhere reports whether Arbora gave no token since it has no organisation of that name: then nothing asked about is there.
func isNowhere(err error) bool {
	var refused *oauth2.RetrieveError
	return errors.As(err, &refused) && refused.ErrorCode == "invalid_request"
}

func (a *arbora) post(ctx context.Context, c *http.Client, path string, body, into any) error {
	text, err := json.Marshal(body)
	if err != nil {
		return err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, a.address+path, bytes.NewReader(text))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	return fetch(c, request, into)
}

// fetch sends a request and reads the answer. Whatever is no answer is [unavailable]: then nothing is allowed.
func fetch(c *http.Client, request *http.Request, into any) error {
	response, err := c.Do(request)
	if err != nil {
		return unavailable(err)
	}
	defer response.Body.Close()
	const most = 64 << 20
	text, err := io.ReadAll(io.LimitReader(response.Body, most))
	if err != nil {
		return unavailable(err)
	}
	if response.StatusCode != http.StatusOK {
		if p, ok := readProblem(text); ok && response.StatusCode < http.StatusInternalServerError && response.StatusCode != http.StatusUnauthorized {
			return p
		}
		return unavailable(fmt.Errorf("it answered %s", response.Status))
	}
	if err := json.Unmarshal(text, into); err != nil {
		return unavailable(fmt.Errorf("its answer cannot be read: %w", err))
	}
	return nil
}

// readProblem reads what Arbora says is wrong, by RFC 9457 or by RFC 6749.
func readProblem(text []byte) (*Problem, bool) {
	var told struct {
		api.Problem
		Error       string `json:"error"`
		Description string `json:"error_description"`
	}
	if json.Unmarshal(text, &told) != nil {
		return nil, false
	}
	switch {
	case told.Detail != "":
		return &Problem{Problem: told.Problem}, true
	case told.Error != "" && told.Error != "invalid_client":
		detail, next, _ := strings.Cut(told.Description, ": ")
		return problem(http.StatusForbidden, "refused", detail, next), true
	}
	return nil, false
}

// answered turns an error of Arbora's client into the problem it told, or into [unavailable].
func answered(err error) error {
	var told *client.Error
	switch {
	case err == nil:
		return nil
	case errors.As(err, &told) && told.Status < http.StatusInternalServerError && told.Status != http.StatusUnauthorized:
		return &Problem{Problem: told.Problem}
	}
	return unavailable(err)
}
