package loam

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"arbora.example/authzen"
	"arbora.example/internal/standin/loam/loamapi"
)

// pretender answers like Arbora, or as it is told to misbehave, and keeps what it was asked.
type pretender struct {
	*httptest.Server
	mu      sync.Mutex
	tokens  int
	asked   []string // paths, in order
	bodies  []string
	misdoes func(w http.ResponseWriter, r *http.Request) bool // true when it has answered
}

func pretend(t *testing.T) *pretender {
	p := &pretender{}
	p.Server = httptest.NewServer(http.HandlerFunc(p.answer))
	t.Cleanup(p.Close)
	return p
}

func (p *pretender) answer(w http.ResponseWriter, r *http.Request) {
	body, err := io.ReadAll(r.Body)
	if err != nil {
		panic(err)
	}
	p.mu.Lock()
	p.asked, p.bodies = append(p.asked, r.URL.Path), append(p.bodies, string(body))
	if r.URL.Path == "/oauth/token" {
		p.tokens++
	}
	misdoes := p.misdoes
	p.mu.Unlock()
	if misdoes != nil && misdoes(w, r) {
		return
	}
	w.Header().Set("Content-Type", "application/json")
	switch r.URL.Path {
	case "/oauth/token":
		fmt.Fprint(w, `{"access_token":"t","token_type":"Bearer","expires_in":900}`)
	case "/oauth/introspection":
		fmt.Fprint(w, `{"active":true,"sub":"s","kind":"user","username":"bram@lindenmere","organisation":"lindenmere"}`)
	case "/access/v1/evaluation":
		fmt.Fprint(w, `{"decision":true,"context":{"reason":"granted","scope":"01a210ca-cc4e-79ac-b35b-d287b32ac74b"}}`)
	case "/access/v1/evaluations":
		var asked struct{ Evaluations []json.RawMessage }
		if err := json.Unmarshal(body, &asked); err != nil {
			panic(err)
		}
		answers := strings.Repeat(`{"decision":true},`, len(asked.Evaluations))
		fmt.Fprintf(w, `{"evaluations":[%s]}`, strings.TrimSuffix(answers, ","))
	default:
		w.WriteHeader(http.StatusNotFound)
	}
}

func (p *pretender) misbehave(how func(w http.ResponseWriter, r *http.Request) bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.misdoes = how
}

// at has it misbehave where a path begins.
func at(path string, how http.HandlerFunc) func(http.ResponseWriter, *http.Request) bool {
	return func(w http.ResponseWriter, r *http.Request) bool {
		if !strings.HasPrefix(r.URL.Path, path) {
			return false
		}
		how(w, r)
		return true
	}
}

func keysOf(services ...string) map[string]loamapi.Key {
	keys := map[string]loamapi.Key{}
	for _, service := range services {
		keys[service] = loamapi.Key{ID: service, Secret: "secret of " + service}
	}
	return keys
}

func asking(t *testing.T, p *pretender) *arbora {
	a, err := newArbora(p.URL+"/", keysOf(loamapi.Services...), nil)
	require.NoError(t, err)
	return a
}

var compute = seat{"compute", "lindenmere"}

// TestOneCallForOneQuestion sees that a question takes one call and many take one too, that each service acts by its own key,
// that a token is got once for a seat and kept, and that more than Arbora answers at once are asked in several calls.
func TestOneCallForOneQuestion(t *testing.T) {
	p := pretend(t)
	a := asking(t, p)
	q := question{subject: Subject{Kind: "user", ID: "s"}, operation: "start", typ: "machine", at: "lindenmere/x.machine", refers: []string{"n"}, ip: "192.0.2.7"}
	for range 3 {
		answers, err := a.ask(t.Context(), compute, q)
		require.NoError(t, err)
		require.True(t, answers[0].Allowed)
	}
	require.Equal(t, 1, p.tokens)
	require.Equal(t, []string{"/oauth/token", "/access/v1/evaluation", "/access/v1/evaluation", "/access/v1/evaluation"}, p.asked)
	require.JSONEq(t, `{"subject":{"type":"user","id":"s"},"action":{"name":"start"},"resource":{"type":"machine","id":"lindenmere/x.machine"},"context":{"refers":["n"],"ip":"192.0.2.7"}}`, p.bodies[1])
	require.Contains(t, p.bodies[0], "organisation=lindenmere")

	_, err := a.ask(t.Context(), seat{"storage", "lindenmere"}, q, q)
	require.NoError(t, err)
	require.Equal(t, 2, p.tokens, "another service has another token")
	require.Equal(t, "/access/v1/evaluations", p.asked[len(p.asked)-1])
	_, err = a.ask(t.Context(), seat{"compute", "quaywater"}, q)
	require.NoError(t, err)
	require.Equal(t, 3, p.tokens, "so has another organisation")

	answers, err := a.ask(t.Context(), compute)
	require.NoError(t, err)
	require.Empty(t, answers, "nothing asked, no call made")
	calls := len(p.asked)
	many := make([]question, authzen.MostAtOnce+1)
	for i := range many {
		many[i] = q
	}
	answers, err = a.ask(t.Context(), compute, many...)
	require.NoError(t, err)
	require.Len(t, answers, authzen.MostAtOnce+1)
	require.Len(t, p.asked, calls+2)
}

// TestNoAnswerIsNo sees that whatever goes wrong between Loam and Arbora is refused as unavailable, and never taken for a yes.
func TestNoAnswerIsNo(t *testing.T) {
	p := pretend(t)
	q := question{subject: Subject{Kind: "user", ID: "s"}, operation: "start", typ: "machine", at: "lindenmere/x.machine"}
	says := func(status int, text string) http.HandlerFunc {
		return func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(status)
			fmt.Fprint(w, text)
		}
	}
	for name, how := range map[string]func(http.ResponseWriter, *http.Request) bool{
		"no token":              at("/oauth/token", says(500, "")),
		"a key taken back":      at("/oauth/token", says(401, `{"error":"invalid_client","error_description":"the API key was revoked: ask for another"}`)),
		"a token that is none":  at("/oauth/token", says(200, `{"token":"x"}`)),
		"failure":               at("/access", says(500, `{"detail":"something went wrong","status":500}`)),
		"its database is gone":  at("/access", says(503, `{"detail":"the database cannot be reached","status":503}`)),
		"not signed in":         at("/access", says(401, `{"detail":"you are not signed in","status":401}`)),
		"another service":       at("/access", says(404, "<html>")),
		"an answer broken off":  at("/access", func(http.ResponseWriter, *http.Request) { panic(http.ErrAbortHandler) }),
		"half an answer":        at("/access", says(200, `{"decision":tr`)),
		"a list instead":        at("/access", says(200, `[true]`)),
		"too few answers":       at("/access/v1/evaluations", says(200, `{"evaluations":[{"decision":true}]}`)),
		"no answers":            at("/access/v1/evaluations", says(200, `{}`)),
		"a word instead of yes": at("/access", says(200, `{"decision":"yes"}`)),
	} {
		t.Run(name, func(t *testing.T) {
			a := asking(t, p)
			p.misbehave(how)
			for _, questions := range [][]question{{q}, {q, q}} {
				answers, err := a.ask(t.Context(), compute, questions...)
				if err == nil {
					// What is about many at once leaves one alone.
					require.Len(t, questions, 1, name)
					continue
				}
				require.True(t, isUnavailable(err), "%s: %v", name, err)
				require.ErrorContains(t, err, "so Loam refuses")
				for _, v := range answers {
					require.False(t, v.Allowed, name)
				}
			}
		})
	}
	p.misbehave(nil)
	closed := asking(t, p)
	p.Close()
	_, err := closed.ask(t.Context(), compute, q)
	require.True(t, isUnavailable(err))
	_, err = closed.introspect(t.Context(), "token", "")
	require.True(t, isUnavailable(err))
}

// TestAnOrganisationThatIsNotThere sees that nothing is there in it, rather than that Arbora is away.
func TestAnOrganisationThatIsNotThere(t *testing.T) {
	p := pretend(t)
	p.misbehave(at("/oauth/token", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(http.StatusBadRequest)
		fmt.Fprint(w, `{"error":"invalid_request","error_description":"there is no organisation fernhill"}`)
	}))
	q := question{subject: Subject{Kind: builtInSet, ID: public, Organisation: "fernhill"}, operation: "fetch", typ: "object", at: "fernhill/x.bucket"}
	answers, err := asking(t, p).ask(t.Context(), seat{"storage", "fernhill"}, q)
	require.NoError(t, err)
	require.Equal(t, http.StatusNotFound, refusal(&q, &answers[0]).Status)
}

// TestRefusalsOfArboraArePassedOn sees that a question that makes no sense is answered with what Arbora says of it.
func TestRefusalsOfArboraArePassedOn(t *testing.T) {
	p := pretend(t)
	p.misbehave(at("/access", func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusBadRequest)
		fmt.Fprint(w, `{"type":"urn:arbora:problem:invalid","status":400,"title":"x","detail":"there is no operation dance","next":"did you mean describe?"}`)
	}))
	_, err := asking(t, p).ask(t.Context(), compute, question{operation: "dance", typ: "machine"})
	var told *Problem
	require.ErrorAs(t, err, &told)
	require.Equal(t, http.StatusBadRequest, told.Status)
	require.Equal(t, "there is no operation dance: did you mean describe?", told.Error())
}

// TestWhoCalls sees whom a request is answered as.
func TestWhoCalls(t *testing.T) {
	p := pretend(t)
	l := &Cloud{arbora: asking(t, p)}
	request := func(headers ...string) *http.Request {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		for i := 0; i < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		return r
	}
	c, err := l.newCall(t.Context(), request("Authorization", "Bearer x"), "192.0.2.7", "lindenmere/science")
	require.NoError(t, err)
	require.Equal(t, Subject{Kind: "user", ID: "s", Name: "bram", Organisation: "lindenmere"}, c.subject)
	c, err = l.newCall(t.Context(), request("Authorization", "bearer x"), "", "quaywater/shed")
	require.NoError(t, err)
	require.Equal(t, Subject{Kind: builtInSet, ID: signedIn, Name: signedIn, Organisation: "quaywater"}, c.subject)
	c, err = l.newCall(t.Context(), request(), "", "quaywater/shed")
	require.NoError(t, err)
	require.Equal(t, public, c.subject.ID)
	for want, r := range map[string]*http.Request{
		"you are not signed in": request(), "the Authorization header is not in a known form": request("Authorization", "Basic x"),
	} {
		_, err = l.newCall(t.Context(), r, "", "01a210ca-cc4e-79ac-b35b-d287b32ac74b")
		require.ErrorContains(t, err, want)
	}
	p.misbehave(at("/oauth/introspection", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{"active":false}`) }))
	_, err = l.newCall(t.Context(), request("Authorization", "Bearer x"), "", "lindenmere")
	require.ErrorContains(t, err, "your sign-in does not work here")
	p.misbehave(at("/oauth/introspection", func(w http.ResponseWriter, r *http.Request) {
		fmt.Fprint(w, `{"active":true,"sub":"s","kind":"user","username":"piotr","organisation":"lindenmere","act":{"sub":"rowan@lindenmere"}}`)
	}))
	c, err = l.newCall(t.Context(), request("Authorization", "Bearer x", "View-As", "user piotr"), "", "lindenmere")
	require.NoError(t, err)
	require.Equal(t, "rowan@lindenmere", c.subject.Looker)
	require.Contains(t, p.bodies[len(p.bodies)-1], "view_as=user+piotr")
	for _, operation := range []string{"start", "enter", "resize", "retire"} {
		c.typ = "machine"
		_, err := c.act(t.Context(), operation)
		require.ErrorContains(t, err, "you look as user piotr", operation)
	}
	_, err = c.listObjects(context.Background(), "lindenmere/x.bucket", "", 1)
	require.ErrorContains(t, err, "no data is read", "data is not read so either")
}

// TestManyAskAtOnce sees that one Loam serves many at the same time.
func TestManyAskAtOnce(t *testing.T) {
	p := pretend(t)
	a := asking(t, p)
	var going sync.WaitGroup
	for n := range 32 {
		going.Go(func() {
			for range 20 {
				answers, err := a.ask(context.Background(), seat{loamapi.Services[n%len(loamapi.Services)], fmt.Sprint("o", n%3)}, question{operation: "start", typ: "machine"})
				if assert.NoError(t, err) {
					assert.True(t, answers[0].Allowed)
				}
			}
		})
	}
	going.Wait()
}
