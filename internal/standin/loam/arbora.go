package loam

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"

	"github.com/google/uuid"

	"arbora.example/api"
	"arbora.example/authzen"
	"arbora.example/client"
	"arbora.example/internal/standin/loam/loamapi"
)

// arbora asks Arbora, as one or another of the services.
type arbora struct {
	address  string
	services map[string]*authzen.Service // by name
	made     sync.Map                    // by organisation: the revision that the last change made here led to
}

// seat is a service at work in an organisation.
type seat struct{ service, organisation string }

func newArbora(address string, keys map[string]loamapi.Key, followers map[string]string) (*arbora, error) {
	a := &arbora{address: strings.TrimSuffix(address, "/"), services: map[string]*authzen.Service{}}
	for _, service := range loamapi.Services {
		key := keys[service]
		if key.ID == "" || key.Secret == "" {
			return nil, fmt.Errorf("the key of service %s is missing: a keeper issues one with \"arbora key create --service %s\"", service, service)
		}
		a.services[service] = authzen.NewService(a.address, authzen.Key{ID: key.ID, Secret: key.Secret}, authzen.Beside(followers[service]))
	}
	return a, nil
}

func (a *arbora) as(s seat) *authzen.Client { return a.services[s.service].In(s.organisation) }

// anybody is the service that asks what none of them is needed for.
func (a *arbora) anybody() *authzen.Service { return a.services[loamapi.Services[0]] }

// api returns a client of Arbora's API that acts as a service in an organisation, for somebody.
func (a *arbora) api(s seat, served Subject, from string) (*client.Client, error) {
	return client.Open(a.address, "", client.WithHTTPClient(a.as(s).HTTP()), client.ActingFor(api.PrincipalKind(served.Kind), served.Name, from))
}

// passingOn returns a client of Arbora's API that acts by the token of whoever calls Loam.
func (a *arbora) passingOn(token, viewAs string) (*client.Client, error) {
	options := []client.Option{client.WithHTTPClient(a.anybody().HTTP())}
	if kind, name, ok := strings.Cut(viewAs, " "); ok {
		options = append(options, client.ViewingAs(api.PrincipalKind(kind), name))
	}
	return client.Open(a.address, token, options...)
}

// introspect asks Arbora whose token it is that somebody shows, and as whom they look.
func (a *arbora) introspect(ctx context.Context, token, viewAs string) (authzen.Introspection, error) {
	told, err := a.anybody().Introspect(ctx, token, viewAs)
	return told, heard(err)
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

func (q *question) request() authzen.Request {
	return authzen.Request{
		Subject: &authzen.Entity{Type: q.subject.Kind, ID: q.subject.ID}, Action: &authzen.Action{Name: q.operation}, Resource: &authzen.Entity{Type: q.typ, ID: q.at},
		Context: &authzen.Context{Refers: q.refers, IP: q.ip, Attempted: q.attempted},
	}
}

// verdict is Arbora's answer.
type verdict struct {
	Allowed bool
	Scope   uuid.UUID // the resource, or the container; zero when it is not there
	Context authzen.Why
}

func verdictOf(answer authzen.Answer) (v verdict, err error) {
	v.Allowed = answer.Decision
	if answer.Context == nil {
		return v, nil
	}
	v.Context = *answer.Context
	if v.Context.Scope != "" {
		v.Scope, err = uuid.Parse(v.Context.Scope)
	}
	return v, err
}

// sees returns a client whose answers know of all that was changed through Loam.
func (a *arbora) sees(s seat) *authzen.Client {
	if revision, ok := a.made.Load(s.organisation); ok {
		return a.as(s).AtLeast(revision.(uint64))
	}
	return a.as(s)
}

// changed notes the revision that a change led to.
func (a *arbora) changed(organisation string, revision int64) {
	for {
		before, ok := a.made.LoadOrStore(organisation, uint64(revision))
		if !ok || before.(uint64) >= uint64(revision) || a.made.CompareAndSwap(organisation, before, uint64(revision)) {
			return
		}
	}
}

// ask asks Arbora questions as a service in an organisation: one call for all of them.
func (a *arbora) ask(ctx context.Context, s seat, questions ...question) ([]verdict, error) {
	var answers []authzen.Answer
	var err error
	if len(questions) == 1 {
		answers = make([]authzen.Answer, 1)
		answers[0], err = a.sees(s).Evaluate(ctx, questions[0].request())
		if isNowhere(err) {
			answers[0].Context, err = &authzen.Why{Reason: authzen.Unknown}, nil
		}
	} else {
		asked := make([]authzen.Request, len(questions))
		for i := range questions {
			asked[i] = questions[i].request()
		}
		answers, err = a.sees(s).EvaluateAll(ctx, asked)
	}
	if err != nil {
		return nil, heard(err)
	}
	verdicts := make([]verdict, len(answers))
	for i, answer := range answers {
		if verdicts[i], err = verdictOf(answer); err != nil {
			return nil, unavailable(err)
		}
	}
	return verdicts, nil
}

// isNowhere reports whether Arbora gave no token since it has no organisation of that name: then nothing asked about is there.
func isNowhere(err error) bool {
	var refused *authzen.Error
	return errors.As(err, &refused) && refused.Code == "invalid_request"
}

// heard turns an error of asking into the problem that Arbora told, or into [unavailable]: whatever is no answer allows nothing.
func heard(err error) error {
	var refused *authzen.Error
	switch {
	case err == nil:
		return nil
	case !errors.As(err, &refused), refused.Detail == "", refused.Status >= http.StatusInternalServerError, refused.Status == http.StatusUnauthorized, refused.Code == "invalid_client":
		return unavailable(err)
	case refused.Code != "":
		return problem(http.StatusForbidden, "refused", refused.Detail, refused.Next)
	}
	p := problem(refused.Status, "", refused.Detail, refused.Next)
	p.Type, p.Title = refused.Type, refused.Title
	if refused.Field != "" {
		p.Field = refused.Field
	}
	return p
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
