// Package authzen answers platform services by the OpenID AuthZEN Authorization API 1.0: access evaluation, evaluations
// of many at once, and the three searches, beneath /access/v1; and the metadata that tells where they are.
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
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"arbora.example/internal/ask"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// Decider answers what is asked; package service does.
type Decider interface {
	Evaluate(ctx context.Context, c tenant.Caller, asked []ask.Evaluation) (answers []ask.Evaluated, revision uint64, err error)
	SearchSubjects(ctx context.Context, c tenant.Caller, asked ask.Evaluation) ([]ask.Entity, error)
	SearchActions(ctx context.Context, c tenant.Caller, asked ask.Evaluation) ([]string, error)
	SearchResources(ctx context.Context, c tenant.Caller, asked ask.Evaluation, after string, limit int) (found []ask.Entity, more bool, err error)
}

// Handler answers the requests of the API.
type Handler struct {
	Decider Decider
	Address string // where the service is reached, such as https://arbora.example: it names itself by no header of a request
	Caller  func(*gin.Context) (tenant.Caller, error)
	Fail    func(*gin.Context, error) // answers with what an error stands for
}

// Mount adds the routes to a router.
func (h Handler) Mount(router gin.IRouter) {
	router.Match([]string{http.MethodGet, http.MethodHead}, "/.well-known/authzen-configuration", h.configuration)
	group := router.Group("/access/v1")
	group.POST("/evaluation", h.evaluation)
	group.POST("/evaluations", h.evaluations)
	group.POST("/search/subject", h.searchSubject)
	group.POST("/search/action", h.searchAction)
	group.POST("/search/resource", h.searchResource)
}

// configuration is section 9 of the specification: where the endpoints are.
func (h Handler) configuration(c *gin.Context) {
	base := h.Address
	c.JSON(http.StatusOK, gin.H{
		"policy_decision_point":       base,
		"access_evaluation_endpoint":  base + "/access/v1/evaluation",
		"access_evaluations_endpoint": base + "/access/v1/evaluations",
		"search_subject_endpoint":     base + "/access/v1/search/subject",
		"search_action_endpoint":      base + "/access/v1/search/action",
		"search_resource_endpoint":    base + "/access/v1/search/resource",
	})
}

type entity struct {
	Type       string          `json:"type"`
	ID         string          `json:"id,omitempty"`
	Properties json.RawMessage `json:"properties,omitempty"`
}

type action struct {
	Name       string          `json:"name"`
	Properties json.RawMessage `json:"properties,omitempty"`
}

// told is what Arbora understands of a request's context, which is free in form: the rest is for others.
type told struct {
	Time     json.RawMessage            `json:"time"`
	IP       json.RawMessage            `json:"ip"`
	Location json.RawMessage            `json:"location"`
	Provider json.RawMessage            `json:"provider"`
	Claims   map[string]json.RawMessage `json:"claims"`
	Refers   []string                   `json:"refers"` // ids or addresses of what the operation refers to besides the resource
	// Attempted says that the subject is doing this now: a platform service that is told no refuses it to them.
	Attempted json.RawMessage `json:"attempted"`
}

// moments are the forms of time that are understood: RFC 3339, and ISO 8601 without seconds.
var moments = []string{time.RFC3339Nano, "2006-01-02T15:04Z07:00"}

func (t *told) read(into *ask.Told) error {
	var text string
	if given(t.Time) {
		if err := json.Unmarshal(t.Time, &text); err != nil {
			return invalid("context.time", "the time %s is not text: write it by RFC 3339", t.Time)
		}
		var err error
		for _, form := range moments {
			if into.Time, err = time.Parse(form, text); err == nil {
				break
			}
		}
		if err != nil {
			return invalid("context.time", "%q is not a valid time: write it by RFC 3339, such as 2026-11-25T12:00:00Z", text)
		}
	}
	for _, field := range []struct {
		name string
		raw  json.RawMessage
		into *string
	}{{"ip", t.IP, &into.IP}, {"location", t.Location, &into.Location}, {"provider", t.Provider, &into.Provider}} {
		if given(field.raw) && json.Unmarshal(field.raw, field.into) != nil {
			return invalid("context."+field.name, "the %s %s is not text", field.name, field.raw)
		}
	}
	for name, raw := range t.Claims {
		if into.Claims == nil {
			into.Claims = map[string][]string{}
		}
		into.Claims[name] = claimed(raw)
	}
	return nil
}

func given(raw json.RawMessage) bool { return len(raw) > 0 && string(raw) != "null" }

// claimed gives the values of a claim: of one that is told as a single value, that; of numbers and truth values, their text.
func claimed(raw json.RawMessage) []string {
	var list []json.RawMessage
	if json.Unmarshal(raw, &list) != nil {
		list = []json.RawMessage{raw}
	}
	values := []string{}
	for _, one := range list {
		var text string
		if json.Unmarshal(one, &text) != nil {
			if text = string(one); text == "null" {
				continue
			}
		}
		values = append(values, text)
	}
	return values
}

type request struct {
	Subject  *entity `json:"subject"`
	Action   *action `json:"action"`
	Resource *entity `json:"resource"`
	Context  *told   `json:"context"`
}

type batch struct {
	request
	Evaluations []request `json:"evaluations"`
	Options     struct {
		Semantic string `json:"evaluations_semantic"`
	} `json:"options"`
}

type search struct {
	request
	Page struct {
		Token string `json:"token"`
		Limit int    `json:"limit"`
	} `json:"page"`
}

// answer is a decision; its context says why.
type answer struct {
	Decision bool           `json:"decision"`
	Context  *answerContext `json:"context,omitempty"`
}

type answerContext struct {
	Reason   string `json:"reason"`
	Revision uint64 `json:"revision"`
	Grant    string `json:"grant,omitempty"`
	Policy   string `json:"policy,omitempty"`

	Scope  string   `json:"scope,omitempty"`  // the id of the scope that decided
	Refers []string `json:"refers,omitempty"` // the ids of what the operation refers to besides
	Lacks  string   `json:"lacks,omitempty"`  // the permission that is missing on one of those
	On     string   `json:"on,omitempty"`     // which one
	Hidden bool     `json:"hidden,omitempty"` // to platform services: the subject is to be answered as if it were not there

	Error *answerError `json:"error,omitempty"` // what is wrong with the evaluation, which is answered with no
}

type answerError struct {
	Status  int    `json:"status"`
	Message string `json:"message"`
}

func answerOf(e ask.Evaluated, revision uint64) answer {
	a := answer{Decision: e.Allowed, Context: &answerContext{Reason: string(e.Reason), Revision: revision}}
	if e.Error != nil {
		a.Context.Error = &answerError{Status: http.StatusBadRequest, Message: e.Error.Error()}
	}
	if !e.Rule.Grant.IsZero() {
		a.Context.Grant = e.Rule.Grant.String()
	} else if !e.Rule.Policy.IsZero() {
		a.Context.Policy = e.Rule.Policy.String()
	}
	if !e.Scope.IsZero() {
		a.Context.Scope = e.Scope.String()
	}
	for _, id := range e.Refers {
		a.Context.Refers = append(a.Context.Refers, id.String())
	}
	if !e.On.IsZero() {
		a.Context.On = e.On.String()
	}
	a.Context.Lacks = e.Lacks
	a.Context.Hidden = e.Hidden
	return a
}

const (
	mostBytes       = 8 << 20 // of a request
	mostEvaluations = 10_000  // in one request
	pageLimit       = 100
	pageMost        = 1000
)

// read finds the caller and reads a body into a value; ok is false when it was answered with an error.
func (h Handler) read(c *gin.Context, into any) (caller tenant.Caller, ok bool) {
	if id := c.GetHeader("X-Request-ID"); id != "" {
		c.Header("X-Request-ID", id)
	}
	caller, err := h.Caller(c)
	if err != nil {
		h.Fail(c, err)
		return caller, false
	}
	if c.ContentType() != "application/json" {
		h.Fail(c, invalid("", "the content type %q is not understood: send application/json", c.ContentType()))
		return caller, false
	}
	body := http.MaxBytesReader(c.Writer, c.Request.Body, mostBytes)
	if err := decode(body, into); err != nil {
		h.Fail(c, err)
		return caller, false
	}
	return caller, true
}

func decode(body io.Reader, into any) error {
	d := json.NewDecoder(body)
	if err := d.Decode(into); err != nil {
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			return tooLarge
		}
		return invalid("", "the body is not the JSON that is needed: %v", err)
	}
	if _, err := d.Token(); err != io.EOF {
		return invalid("", "something stands behind the JSON value: send one value alone")
	}
	return nil
}

func invalid(field, format string, values ...any) error {
	return &problem.Problem{
		Kind: problem.Invalid, Field: field, Detail: fmt.Sprintf(format, values...),
		Next: "send what the OpenID AuthZEN Authorization API 1.0 says",
	}
}

// orElse fills what a request of a batch leaves out with what the batch says for all.
func (r request) orElse(all request) request {
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

// need says which parts a request must have.
type need struct{ subjectID, action, resourceID bool }

func (r request) evaluation(n need) (ask.Evaluation, error) {
	var e ask.Evaluation
	switch {
	case r.Subject == nil || r.Subject.Type == "" || n.subjectID && r.Subject.ID == "":
		return e, invalid("subject", "the subject is missing its type or id")
	case n.action && (r.Action == nil || r.Action.Name == ""):
		return e, invalid("action", "the action is missing its name")
	case r.Resource == nil || r.Resource.Type == "" || n.resourceID && r.Resource.ID == "":
		return e, invalid("resource", "the resource is missing its type or id")
	}
	e.Subject = ask.Entity{Type: r.Subject.Type, ID: r.Subject.ID}
	e.Resource = ask.Entity{Type: r.Resource.Type, ID: r.Resource.ID}
	if r.Action != nil {
		e.Action = r.Action.Name
	}
	if r.Context != nil {
		e.Refers = r.Context.Refers
		if given(r.Context.Attempted) && json.Unmarshal(r.Context.Attempted, &e.Attempted) != nil {
			return e, invalid("context.attempted", "attempted %s is neither true nor false", r.Context.Attempted)
		}
		return e, r.Context.read(&e.Told)
	}
	return e, nil
}

var whole = need{subjectID: true, action: true, resourceID: true}

func (h Handler) evaluation(c *gin.Context) {
	var r request
	caller, ok := h.read(c, &r)
	if !ok {
		return
	}
	asked, err := r.evaluation(whole)
	if err != nil {
		h.Fail(c, err)
		return
	}
	answers, revision, err := h.Decider.Evaluate(c.Request.Context(), caller, []ask.Evaluation{asked})
	if err != nil {
		h.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, answerOf(answers[0], revision))
}

// The semantics of a batch.
const (
	executeAll          = "execute_all"
	denyOnFirstDeny     = "deny_on_first_deny"
	permitOnFirstPermit = "permit_on_first_permit"
)

func (h Handler) evaluations(c *gin.Context) {
	var b batch
	caller, ok := h.read(c, &b)
	if !ok {
		return
	}
	if len(b.Evaluations) == 0 {
		// Without a list it is a single evaluation.
		b.Evaluations = []request{{}}
	}
	switch b.Options.Semantic {
	case "", executeAll, denyOnFirstDeny, permitOnFirstPermit:
	default:
		h.Fail(c, invalid("options.evaluations_semantic", "%q is not a semantic: use %s, %s or %s", b.Options.Semantic, executeAll, denyOnFirstDeny, permitOnFirstPermit))
		return
	}
	if len(b.Evaluations) > mostEvaluations {
		h.Fail(c, invalid("evaluations", "there are %d evaluations in one request: at most %d are answered at once", len(b.Evaluations), mostEvaluations))
		return
	}
	asked := make([]ask.Evaluation, len(b.Evaluations))
	for i, r := range b.Evaluations {
		var err error
		if asked[i], err = r.orElse(b.request).evaluation(whole); err != nil {
			errors.As(err, &asked[i].Fault) // it spoils its own answer alone
		}
	}
	answers, revision, err := h.Decider.Evaluate(c.Request.Context(), caller, asked)
	if err != nil {
		h.Fail(c, err)
		return
	}
	told := make([]answer, 0, len(answers))
	for _, e := range answers {
		told = append(told, answerOf(e, revision))
		if b.Options.Semantic == denyOnFirstDeny && !e.Allowed || b.Options.Semantic == permitOnFirstPermit && e.Allowed {
			break
		}
	}
	c.JSON(http.StatusOK, gin.H{"evaluations": told})
}

func (h Handler) searchSubject(c *gin.Context) {
	h.search(c, need{action: true, resourceID: true}, func(ctx context.Context, caller tenant.Caller, asked ask.Evaluation, s search) ([]any, bool, error) {
		found, err := h.Decider.SearchSubjects(ctx, caller, asked)
		return paged(found, s, func(e ask.Entity) (any, string) { return entity{Type: e.Type, ID: e.ID}, e.ID }, err)
	})
}

func (h Handler) searchAction(c *gin.Context) {
	h.search(c, need{subjectID: true, resourceID: true}, func(ctx context.Context, caller tenant.Caller, asked ask.Evaluation, s search) ([]any, bool, error) {
		found, err := h.Decider.SearchActions(ctx, caller, asked)
		return paged(found, s, func(name string) (any, string) { return action{Name: name}, name }, err)
	})
}

func (h Handler) searchResource(c *gin.Context) {
	h.search(c, need{subjectID: true, action: true}, func(ctx context.Context, caller tenant.Caller, asked ask.Evaluation, s search) ([]any, bool, error) {
		found, more, err := h.Decider.SearchResources(ctx, caller, asked, s.Page.Token, s.Page.Limit)
		results := make([]any, len(found))
		for i, e := range found {
			results[i] = entity{Type: e.Type, ID: e.ID}
		}
		return results, more, err
	})
}

// search answers a search; find gives a page of results and whether there are more.
func (h Handler) search(c *gin.Context, n need, find func(context.Context, tenant.Caller, ask.Evaluation, search) ([]any, bool, error)) {
	var s search
	caller, ok := h.read(c, &s)
	if !ok {
		return
	}
	if s.Page.Limit < 0 {
		h.Fail(c, invalid("page.limit", "the limit %d is below 0", s.Page.Limit))
		return
	} else if s.Page.Limit == 0 {
		s.Page.Limit = pageLimit
	}
	s.Page.Limit = min(s.Page.Limit, pageMost)
	asked, err := s.evaluation(n)
	if err != nil {
		h.Fail(c, err)
		return
	}
	question, err := s.digest()
	if err == nil {
		s.Page.Token, err = openToken(s.Page.Token, question)
	}
	if err != nil {
		h.Fail(c, err)
		return
	}
	results, more, err := find(c.Request.Context(), caller, asked, s)
	if err != nil {
		h.Fail(c, err)
		return
	}
	next := ""
	if more {
		switch last := results[len(results)-1].(type) {
		case entity:
			next = last.ID
		case action:
			next = last.Name
		}
		next = sealToken(next, question)
	}
	c.JSON(http.StatusOK, gin.H{"results": results, "page": gin.H{"next_token": next, "count": len(results)}})
}

// digest sums up what a search asks, without its page: a page token belongs to one question.
func (s search) digest() ([]byte, error) {
	body, err := json.Marshal(s.request)
	sum := sha256.Sum256(body)
	return sum[:8], err
}

// sealToken makes a page token of the last result of a page and the question it answers.
func sealToken(last string, question []byte) string {
	return base64.RawURLEncoding.EncodeToString(append(slices.Clone(question), last...))
}

// openToken gives the last result of the page before; empty for none.
func openToken(token string, question []byte) (last string, err error) {
	if token == "" {
		return "", nil
	}
	raw, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil || len(raw) <= len(question) || !bytes.Equal(raw[:len(question)], question) {
		return "", invalid("page.token", "the token is not one of this search: ask for the first page again, without a token")
	}
	return string(raw[len(question):]), nil
}

// paged cuts a page out of a sorted list.
func paged[T any](list []T, s search, convert func(T) (any, string), err error) ([]any, bool, error) {
	results := []any{}
	for _, item := range list {
		value, key := convert(item)
		if s.Page.Token != "" && key <= s.Page.Token {
			continue
		}
		if len(results) == s.Page.Limit {
			return results, true, err
		}
		results = append(results, value)
	}
	return results, false, err
}
