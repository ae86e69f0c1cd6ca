// Package authzen has Arbora's service decide what platform services ask by the OpenID AuthZEN Authorization API 1.0; the public
// package of that name reads what they ask and writes what they are told.
package authzen

import (
	"context"
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"arbora.example/authzen"
	"arbora.example/internal/evaluation"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// Answers are what answers; package service has them.
type Answers interface {
	Evaluate(ctx context.Context, c tenant.Caller, asked []evaluation.Question) (answers []evaluation.Answer, revision uint64, err error)
	SearchSubjects(ctx context.Context, c tenant.Caller, asked evaluation.Question) ([]evaluation.Entity, error)
	SearchActions(ctx context.Context, c tenant.Caller, asked evaluation.Question) ([]string, error)
	SearchResources(ctx context.Context, c tenant.Caller, asked evaluation.Question, after string, limit int) (found []evaluation.Entity, more bool, err error)
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
	answers, revision, err := d.answers.Evaluate(ctx, d.caller, evaluation.Questions(asked))
	return evaluation.AnswersOf(answers, revision), err
}

// SearchSubjects finds who may.
func (d decider) SearchSubjects(ctx context.Context, asked authzen.Request) ([]authzen.Entity, error) {
	found, err := d.answers.SearchSubjects(ctx, d.caller, evaluation.QuestionOf(asked))
	return evaluation.Entities(found), err
}

// SearchActions finds what the subject may.
func (d decider) SearchActions(ctx context.Context, asked authzen.Request) ([]authzen.Action, error) {
	names, err := d.answers.SearchActions(ctx, d.caller, evaluation.QuestionOf(asked))
	return evaluation.Actions(names), err
}

// SearchResources finds where the subject may.
func (d decider) SearchResources(ctx context.Context, asked authzen.Request, after string, limit int) ([]authzen.Entity, bool, error) {
	found, more, err := d.answers.SearchResources(ctx, d.caller, evaluation.QuestionOf(asked), after, limit)
	return evaluation.Entities(found), more, err
}
