package authzen

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"arbora.example/internal/plainjson"
)

// Decider decides what is asked, on behalf of whoever asks.
type Decider interface {
	// Evaluate answers requests, each of which names a subject, an action and a resource, on one state of things.
	Evaluate(ctx context.Context, asked []Request) ([]Answer, error)
	// SearchSubjects finds who of a type may, in the order of their ids.
	SearchSubjects(ctx context.Context, asked Request) ([]Entity, error)
	// SearchActions finds what the subject may do, in the order of the names.
	SearchActions(ctx context.Context, asked Request) ([]Action, error)
	// SearchResources finds where the subject may, so many after one of an id, and reports whether there are more.
	SearchResources(ctx context.Context, asked Request, after string, limit int) (found []Entity, more bool, err error)
}

// Handler answers requests of the API by a decider: beneath /access/v1, and /.well-known/authzen-configuration.
type Handler struct {
	Address string // where it is reached, such as https://arbora.example: it names itself by no header of a request
	// For returns what decides for whoever sends a request. Its error is answered by Fail.
	For func(r *http.Request) (Decider, error)
	// Fail answers with an error: an [*Invalid] when the request is wrong, an [*http.MaxBytesError] when it is too large, or what For or
	// the decider returned.
	Fail func(w http.ResponseWriter, r *http.Request, err error)
}

// Paths are where requests are sent to.
const (
	ConfigurationPath  = "/.well-known/authzen-configuration"
	EvaluationPath     = "/access/v1/evaluation"
	EvaluationsPath    = "/access/v1/evaluations"
	SearchSubjectPath  = "/access/v1/search/subject"
	SearchActionPath   = "/access/v1/search/action"
	SearchResourcePath = "/access/v1/search/resource"
)

const (
	// MostAtOnce is how many questions are answered in one request.
	MostAtOnce = 10_000

	mostBytes = 8 << 20 // of a request
	pageLimit = 100
	pageMost  = 1000
)

// ServeHTTP answers one request.
func (h Handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if id := r.Header.Get("X-Request-ID"); id != "" {
		w.Header().Set("X-Request-ID", id)
	}
	answer, err := h.answer(w, r)
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	scratch := plainjson.Borrow()
	defer scratch.Return()
	if scratch.Bytes, err = appendJSON(scratch.Bytes, answer); err != nil {
		h.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/json; charset=utf-8")
	w.Header().Set("Content-Length", strconv.Itoa(len(scratch.Bytes)))
	// That the caller went away meanwhile is nobody's fault.
	_, _ = w.Write(scratch.Bytes)
}

// appendJSON writes an answer as JSON.
func appendJSON(b []byte, answer any) ([]byte, error) {
	switch answer := answer.(type) {
	case Answer:
		return appendAnswer(b, &answer), nil
	case Answers:
		return appendAnswers(b, answer), nil
	}
	text, err := json.Marshal(answer)
	return append(b, text...), err
}

// answer works out what is written as JSON.
func (h Handler) answer(w http.ResponseWriter, r *http.Request) (any, error) {
	if r.URL.Path == ConfigurationPath {
		return h.configuration(), nil
	}
	decider, err := h.For(r)
	if err != nil {
		return nil, err
	}
	body := http.MaxBytesReader(w, r.Body, mostBytes)
	switch r.URL.Path {
	case EvaluationPath:
		asked, err := decode(r, body, plainRequest)
		if err != nil {
			return nil, err
		}
		return evaluate(r.Context(), decider, asked)
	case EvaluationsPath:
		asked, err := decode(r, body, plainBatch)
		if err != nil {
			return nil, err
		}
		return evaluateAll(r.Context(), decider, asked)
	}
	asked, err := decode(r, body, func(string) (asked Search, isPlain bool) { return asked, false })
	if err != nil {
		return nil, err
	}
	switch r.URL.Path {
	case SearchSubjectPath:
		return search(r.Context(), asked, need{action: true, resourceID: true}, entityKey, whole(decider.SearchSubjects, entityKey))
	case SearchActionPath:
		return search(r.Context(), asked, need{subjectID: true, resourceID: true}, actionKey, whole(decider.SearchActions, actionKey))
	case SearchResourcePath:
		return search(r.Context(), asked, need{subjectID: true, action: true}, entityKey, decider.SearchResources)
	}
	return nil, &Invalid{Detail: fmt.Sprintf("there is nothing to ask at %s", r.URL.Path)}
}

func (h Handler) configuration() Configuration {
	return Configuration{
		Decider: h.Address, Evaluation: h.Address + EvaluationPath, Evaluations: h.Address + EvaluationsPath,
		SearchSubject: h.Address + SearchSubjectPath, SearchAction: h.Address + SearchActionPath, SearchResource: h.Address + SearchResourcePath,
	}
}

// decode reads one JSON value and nothing behind it, in the quick way if it is plain.
func decode[T any](r *http.Request, body io.Reader, quick func(text string) (T, bool)) (asked T, err error) {
	if given := r.Header.Get("Content-Type"); given != "application/json" {
		if kind, _, err := mime.ParseMediaType(given); err != nil || kind != "application/json" {
			return asked, &Invalid{Detail: fmt.Sprintf("the content type %q is not supported: send application/json", given)}
		}
	}
	scratch := plainjson.Borrow()
	defer scratch.Return()
	read := bytes.NewBuffer(scratch.Bytes)
	_, err = read.ReadFrom(body)
	scratch.Bytes = read.Bytes()
	if err != nil {
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			return asked, tooLarge
		}
		return asked, &Invalid{Detail: fmt.Sprintf("the body cannot be read: %v", err)}
	}
	text := string(scratch.Bytes)
	if asked, ok := quick(text); ok {
		return asked, nil
	}
	d := json.NewDecoder(strings.NewReader(text))
	if err := d.Decode(&asked); err != nil {
		return asked, &Invalid{Detail: fmt.Sprintf("the body is not the JSON that is needed: %v", err)}
	}
	if _, err := d.Token(); err != io.EOF {
		return asked, &Invalid{Detail: "there is text after the JSON value: send one value alone"}
	}
	return asked, nil
}

// need says which parts a request must have besides the types of its subject and its resource.
type need struct{ subjectID, action, resourceID bool }

var everything = need{subjectID: true, action: true, resourceID: true}

// check finds what is wrong with a request.
func (r Request) check(n need) error {
	switch {
	case r.Subject == nil || r.Subject.Type == "" || n.subjectID && r.Subject.ID == "":
		return &Invalid{Field: "subject", Detail: "the subject is missing its type or id"}
	case n.action && (r.Action == nil || r.Action.Name == ""):
		return &Invalid{Field: "action", Detail: "the action is missing its name"}
	case r.Resource == nil || r.Resource.Type == "" || n.resourceID && r.Resource.ID == "":
		return &Invalid{Field: "resource", Detail: "the resource is missing its type or id"}
	}
	if fault := r.Context.Fault(); fault != nil {
		return fault
	}
	return nil
}

func evaluate(ctx context.Context, decider Decider, asked Request) (Answer, error) {
	if err := asked.check(everything); err != nil {
		return Answer{}, err
	}
	answers, err := decider.Evaluate(ctx, []Request{asked})
	if err != nil {
		return Answer{}, err
	}
	return answers[0], nil
}

// orElse fills what a request of a batch leaves out with what the batch says for all.
func (r Request) orElse(all Request) Request {
	if r.Subject == nil {
		r.Subject = all.Subject
	}
	if r.Action == nil {
		r.Action = all.Action
	}
	if r.Resource == nil {
		r.Resource = all.Resource
	}
	if r.Context == nil {
		r.Context = all.Context
	}
	return r
}

// evaluateAll answers a batch. A faulty request in it spoils its own answer alone.
func evaluateAll(ctx context.Context, decider Decider, b Batch) (Answers, error) {
	if len(b.Evaluations) == 0 {
		b.Evaluations = []Request{{}} // without a list it is a single evaluation
	}
	switch b.Options.Semantic {
	case "", ExecuteAll, DenyOnFirstDeny, PermitOnFirstPermit:
	default:
		return Answers{}, &Invalid{Field: "options.evaluations_semantic", Detail: fmt.Sprintf("%q is not a semantic: use %s, %s or %s", b.Options.Semantic, ExecuteAll, DenyOnFirstDeny, PermitOnFirstPermit)}
	}
	if len(b.Evaluations) > MostAtOnce {
		return Answers{}, &Invalid{Field: "evaluations", Detail: fmt.Sprintf("there are %d evaluations in one request: at most %d are answered at once", len(b.Evaluations), MostAtOnce)}
	}
	told := make([]Answer, len(b.Evaluations))
	asked, places := make([]Request, 0, len(told)), make([]int, 0, len(told))
	for i, r := range b.Evaluations {
		r = r.orElse(b.Request)
		if err := r.check(everything); err != nil {
			told[i].Context = &Why{Reason: Unknown, Error: &Fault{Status: http.StatusBadRequest, Message: err.Error()}}
			continue
		}
		asked, places = append(asked, r), append(places, i)
	}
	answers, err := decider.Evaluate(ctx, asked)
	if err != nil {
		return Answers{}, err
	}
	for i, answer := range answers {
		told[places[i]] = answer
	}
	for i, answer := range told {
		if b.Options.Semantic == DenyOnFirstDeny && !answer.Decision || b.Options.Semantic == PermitOnFirstPermit && answer.Decision {
			told = told[:i+1]
			break
		}
	}
	return Answers{Evaluations: told}, nil
}

func entityKey(e Entity) string { return e.ID }
func actionKey(a Action) string { return a.Name }

// whole makes a page of what finds all at once.
func whole[T any](find func(context.Context, Request) ([]T, error), key func(T) string) func(context.Context, Request, string, int) ([]T, bool, error) {
	return func(ctx context.Context, asked Request, after string, limit int) ([]T, bool, error) {
		found, err := find(ctx, asked)
		if after != "" {
			found = slices.DeleteFunc(found, func(one T) bool { return key(one) <= after })
		}
		return found[:min(limit, len(found))], len(found) > limit, err
	}
}

// search answers a page of a search.
func search[T any](ctx context.Context, s Search, n need, key func(T) string, find func(context.Context, Request, string, int) ([]T, bool, error)) (found Found[T], err error) {
	if s.Page.Limit < 0 {
		return found, &Invalid{Field: "page.limit", Detail: fmt.Sprintf("the limit %d is below 0", s.Page.Limit)}
	} else if s.Page.Limit == 0 {
		s.Page.Limit = pageLimit
	}
	if err := s.check(n); err != nil {
		return found, err
	}
	question, err := s.digest()
	if err != nil {
		return found, err
	}
	after, err := openToken(s.Page.Token, question)
	if err != nil {
		return found, err
	}
	results, more, err := find(ctx, s.Request, after, min(s.Page.Limit, pageMost))
	if err != nil {
		return found, err
	}
	found.Results, found.Page.Count = append([]T{}, results...), len(results) // a list, though it were empty
	if more {
		found.Page.Token = sealToken(key(results[len(results)-1]), question)
	}
	return found, nil
}

// digest sums up what a search asks, without its page: a page token belongs to one question.
func (s Search) digest() ([]byte, error) {
	body, err := json.Marshal(s.Request)
	sum := sha256.Sum256(body)
	return sum[:8], err
}

// sealToken makes a page token of the last result of a page and the question it answers.
func sealToken(last string, question []byte) string {
	return base64.RawURLEncoding.EncodeToString(append(slices.Clone(question), last...))
}

// openToken returns the last result of the page before; empty for none.
func openToken(token string, question []byte) (last string, err error) {
	if token == "" {
		return "", nil
	}
	raw, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil || len(raw) <= len(question) || !bytes.Equal(raw[:len(question)], question) {
		return "", &Invalid{Field: "page.token", Detail: "the token is not one of this search: ask for the first page again, without a token"}
	}
	return string(raw[len(question):]), nil
}
