// Package authzen has Arbora's service decide what platform services ask by the OpenID AuthZEN Authorization API 1.0; the public
// package of that name reads what they ask and writes what they are told.
package authzen

import (
	"context"
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"arbora.example/authzen"
	"arbora.example/internal/ask"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// Answers are what answers; package service has them.
type Answers interface {
	Evaluate(ctx context.Context, c tenant.Caller, asked []ask.Evaluation) (answers []ask.Evaluated, revision uint64, err error)
	SearchSubjects(ctx context.Context, c tenant.Caller, asked ask.Evaluation) ([]ask.Entity, error)
	SearchActions(ctx context.Context, c tenant.Caller, asked ask.Evaluation) ([]string, error)
	SearchResources(ctx context.Context, c tenant.Caller, asked ask.Evaluation, after string, limit int) (found []ask.Entity, more bool, err error)
}

// Routes are those of the API.
type Routes struct {
	Answers Answers
	Address string                                    // where the service is reached
	Caller  func(*gin.Context) (tenant.Caller, error) // who sends a request
	Fail    func(*gin.Context, error)                 // answers with what an error stands for
}

// Mount adds the routes to a router.
func (routes Routes) Mount(router gin.IRouter) {
	router.Match([]string{http.MethodGet, http.MethodHead}, authzen.ConfigurationPath, routes.serve)
	for _, path := range []string{authzen.EvaluationPath, authzen.EvaluationsPath, authzen.SearchSubjectPath, authzen.SearchActionPath, authzen.SearchResourcePath} {
		router.POST(path, routes.serve)
	}
}

func (routes Routes) serve(c *gin.Context) {
	authzen.Handler{
		Address: routes.Address,
		For: func(*http.Request) (authzen.Decider, error) {
			caller, err := routes.Caller(c)
			return decider{routes.Answers, caller}, err
		},
		Fail: func(_ http.ResponseWriter, _ *http.Request, err error) {
			var wrong *authzen.Invalid
			if errors.As(err, &wrong) {
				err = &problem.Problem{Kind: problem.Invalid, Field: wrong.Field, Detail: wrong.Detail, Next: "send what the OpenID AuthZEN Authorization API 1.0 says"}
			}
			routes.Fail(c, err)
		},
	}.ServeHTTP(c.Writer, c.Request)
}

// decider decides on behalf of a caller.
type decider struct {
	answers Answers
	caller  tenant.Caller
}

// Evaluate answers requests on one snapshot.
func (d decider) Evaluate(ctx context.Context, asked []authzen.Request) ([]authzen.Answer, error) {
	questions := make([]ask.Evaluation, len(asked))
	for i, r := range asked {
		questions[i] = evaluationOf(r)
	}
	told, revision, err := d.answers.Evaluate(ctx, d.caller, questions)
	if err != nil {
		return nil, err
	}
	answers := make([]authzen.Answer, len(told))
	for i := range told {
		answers[i] = answerOf(&told[i], revision)
	}
	return answers, nil
}

// SearchSubjects finds who may.
func (d decider) SearchSubjects(ctx context.Context, asked authzen.Request) ([]authzen.Entity, error) {
	found, err := d.answers.SearchSubjects(ctx, d.caller, evaluationOf(asked))
	return entitiesOf(found), err
}

// SearchActions finds what the subject may.
func (d decider) SearchActions(ctx context.Context, asked authzen.Request) (actions []authzen.Action, err error) {
	names, err := d.answers.SearchActions(ctx, d.caller, evaluationOf(asked))
	for _, name := range names {
		actions = append(actions, authzen.Action{Name: name})
	}
	return actions, err
}

// SearchResources finds where the subject may.
func (d decider) SearchResources(ctx context.Context, asked authzen.Request, after string, limit int) ([]authzen.Entity, bool, error) {
	found, more, err := d.answers.SearchResources(ctx, d.caller, evaluationOf(asked), after, limit)
	return entitiesOf(found), more, err
}

func entitiesOf(found []ask.Entity) []authzen.Entity {
	entities := make([]authzen.Entity, len(found))
	for i, e := range found {
		entities[i] = authzen.Entity{Type: e.Type, ID: e.ID}
	}
	return entities
}

func evaluationOf(r authzen.Request) (e ask.Evaluation) {
	if r.Subject != nil {
		e.Subject = ask.Entity{Type: r.Subject.Type, ID: r.Subject.ID}
	}
	if r.Action != nil {
		e.Action = r.Action.Name
	}
	if r.Resource != nil {
		e.Resource = ask.Entity{Type: r.Resource.Type, ID: r.Resource.ID}
	}
	if c := r.Context; c != nil {
		e.Context = ask.QuestionContext{Time: c.Time, IP: c.IP, Location: c.Location, Provider: c.Provider, Claims: c.Claims}
		e.Refers, e.Attempted = c.Refers, c.Attempted
	}
	return e
}

func answerOf(e *ask.Evaluated, revision uint64) authzen.Answer {
	why := &authzen.Why{Reason: string(e.Reason), Revision: revision, Lacks: e.Lacks, Hidden: e.Hidden}
	if e.Error != nil {
		why.Error = &authzen.Fault{Status: http.StatusBadRequest, Message: e.Error.Error()}
	}
	if !e.Rule.Grant.IsZero() {
		why.Grant = e.Rule.Grant.String()
	} else if !e.Rule.Policy.IsZero() {
		why.Policy = e.Rule.Policy.String()
	}
	if !e.Scope.IsZero() {
		why.Scope = e.Scope.String()
	}
	for _, id := range e.Refers {
		why.Refers = append(why.Refers, id.String())
	}
	if !e.On.IsZero() {
		why.On = e.On.String()
	}
	return authzen.Answer{Decision: e.Allowed, Context: why}
}
