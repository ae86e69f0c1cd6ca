// Package authzen answers platform services by the OpenID AuthZEN Authorization API 1.0: access evaluation, evaluations
// of many at once, and the three searches, beneath /access/v1; and the metadata that tells where they are.
package authzen

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"arbora.example/service"
)

// Decider answers what is asked; package service does.
type Decider interface {
	Evaluate(ctx context.Context, c service.Caller, asked []service.Evaluation) (answers []service.Evaluated, revision uint64, item int, err error)
	SearchSubjects(ctx context.Context, c service.Caller, asked service.Evaluation) ([]service.Entity, error)
	SearchActions(ctx context.Context, c service.Caller, asked service.Evaluation) ([]string, error)
	SearchResources(ctx context.Context, c service.Caller, asked service.Evaluation, after string, limit int) (found []service.Entity, more bool, err error)
}

// Handler answers the requests of the API.
type Handler struct {
	Decider Decider
	Caller  func(*gin.Context) (service.Caller, error)
	Fail    func(*gin.Context, error) // answers with what an error stands for
}

// Mount adds the routes to a router.
func (h Handler) Mount(router gin.IRouter) {
	router.GET("/.well-known/authzen-configuration", h.configuration)
	group := router.Group("/access/v1")
	group.POST("/evaluation", h.evaluation)
	group.POST("/evaluations", h.evaluations)
	group.POST("/search/subject", h.searchSubject)
	group.POST("/search/action", h.searchAction)
	group.POST("/search/resource", h.searchResource)
}

// configuration is section 9 of the specification: where the endpoints are.
func (h Handler) configuration(c *gin.Context) {
	scheme := "http"
	if c.Request.TLS != nil {
		scheme = "https"
	}
	base := scheme + "://" + c.Request.Host
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

// told is what Arbora understands of a request's context; the rest is for others.
type told struct {
	Time     *time.Time          `json:"time"`
	IP       string              `json:"ip"`
	Location string              `json:"location"`
	Provider string              `json:"provider"`
	Claims   map[string][]string `json:"claims"`
	Refers   []string            `json:"refers"` // ids or addresses of what the operation refers to besides the resource
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
}

func answerOf(e service.Evaluated, revision uint64) answer {
	a := answer{Decision: e.Allowed, Context: &answerContext{Reason: string(e.Reason), Revision: revision}}
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
func (h Handler) read(c *gin.Context, into any) (caller service.Caller, ok bool) {
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
	return nil
}

func invalid(field, format string, values ...any) error {
	return &service.Problem{
		Kind: service.Invalid, Field: field, Detail: fmt.Sprintf(format, values...),
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

func (r request) evaluation(n need) (service.Evaluation, error) {
	var e service.Evaluation
	switch {
	case r.Subject == nil || r.Subject.Type == "" || n.subjectID && r.Subject.ID == "":
		return e, invalid("subject", "the subject is missing its type or id")
	case n.action && (r.Action == nil || r.Action.Name == ""):
		return e, invalid("action", "the action is missing its name")
	case r.Resource == nil || r.Resource.Type == "" || n.resourceID && r.Resource.ID == "":
		return e, invalid("resource", "the resource is missing its type or id")
	}
	e.Subject = service.Entity{Type: r.Subject.Type, ID: r.Subject.ID}
	e.Resource = service.Entity{Type: r.Resource.Type, ID: r.Resource.ID}
	if r.Action != nil {
		e.Action = r.Action.Name
	}
	if t := r.Context; t != nil {
		e.Told = service.Told{IP: t.IP, Location: t.Location, Provider: t.Provider, Claims: t.Claims}
		if t.Time != nil {
			e.Told.Time = *t.Time
		}
		e.Refers = t.Refers
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
	answers, revision, _, err := h.Decider.Evaluate(c.Request.Context(), caller, []service.Evaluation{asked})
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
		h.Fail(c, invalid("options.evaluations_semantic", "%q is no semantic: use %s, %s or %s", b.Options.Semantic, executeAll, denyOnFirstDeny, permitOnFirstPermit))
		return
	}
	if len(b.Evaluations) > mostEvaluations {
		h.Fail(c, invalid("evaluations", "there are %d evaluations in one request: at most %d are answered at once", len(b.Evaluations), mostEvaluations))
		return
	}
	asked := make([]service.Evaluation, len(b.Evaluations))
	for i, r := range b.Evaluations {
		var err error
		if asked[i], err = r.orElse(b.request).evaluation(whole); err != nil {
			h.Fail(c, at(err, i))
			return
		}
	}
	answers, revision, item, err := h.Decider.Evaluate(c.Request.Context(), caller, asked)
	if err != nil {
		h.Fail(c, at(err, item))
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

// at says which evaluation of a batch a problem is about.
func at(err error, item int) error {
	var p *service.Problem
	if errors.As(err, &p) {
		told := *p
		told.Field = fmt.Sprintf("evaluations[%d].%s", item, p.Field)
		return &told
	}
	return err
}

func (h Handler) searchSubject(c *gin.Context) {
	h.search(c, need{action: true, resourceID: true}, func(ctx context.Context, caller service.Caller, asked service.Evaluation, s search) ([]any, bool, error) {
		found, err := h.Decider.SearchSubjects(ctx, caller, asked)
		return paged(found, s, func(e service.Entity) (any, string) { return entity{Type: e.Type, ID: e.ID}, e.ID }, err)
	})
}

func (h Handler) searchAction(c *gin.Context) {
	h.search(c, need{subjectID: true, resourceID: true}, func(ctx context.Context, caller service.Caller, asked service.Evaluation, s search) ([]any, bool, error) {
		found, err := h.Decider.SearchActions(ctx, caller, asked)
		return paged(found, s, func(name string) (any, string) { return action{Name: name}, name }, err)
	})
}

func (h Handler) searchResource(c *gin.Context) {
	h.search(c, need{subjectID: true, action: true}, func(ctx context.Context, caller service.Caller, asked service.Evaluation, s search) ([]any, bool, error) {
		found, more, err := h.Decider.SearchResources(ctx, caller, asked, s.Page.Token, s.Page.Limit)
		results := make([]any, len(found))
		for i, e := range found {
			results[i] = entity{Type: e.Type, ID: e.ID}
		}
		return results, more, err
	})
}

// search answers a search; find gives a page of results and whether there are more.
func (h Handler) search(c *gin.Context, n need, find func(context.Context, service.Caller, service.Evaluation, search) ([]any, bool, error)) {
	var s search
	caller, ok := h.read(c, &s)
	if !ok {
		return
	}
	if s.Page.Limit <= 0 {
		s.Page.Limit = pageLimit
	}
	s.Page.Limit = min(s.Page.Limit, pageMost)
	asked, err := s.evaluation(n)
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
	}
	c.JSON(http.StatusOK, gin.H{"results": results, "page": gin.H{"next_token": next, "count": len(results)}})
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
