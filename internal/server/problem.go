package server

import (
	"cmp"
	"errors"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"arbora.example/api"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
)

// statuses gives the HTTP status and title of each kind of problem.
var statuses = map[problem.ProblemKind]struct {
	status int
	title  string
}{
	problem.Invalid:      {http.StatusBadRequest, "The request is wrong"},
	problem.NotSignedIn:  {http.StatusUnauthorized, "Not signed in"},
	problem.Expired:      {http.StatusUnauthorized, "The credential has expired"},
	problem.Revoked:      {http.StatusUnauthorized, "The credential was revoked"},
	problem.Foreign:      {http.StatusUnauthorized, "The credential is not known here"},
	problem.CodeNeeded:   {http.StatusUnauthorized, "A code is needed"},
	problem.WrongSignIn:  {http.StatusUnauthorized, "Wrong name or password"},
	problem.Refused:      {http.StatusForbidden, "Refused"},
	problem.NotThere:     {http.StatusNotFound, "Not found"},
	problem.Conflict:     {http.StatusConflict, "In conflict with what is there"},
	problem.BreaksRule:   {http.StatusUnprocessableEntity, "It would break a rule"},
	problem.TooOften:     {http.StatusTooManyRequests, "Too often"},
	problem.Empty:        {http.StatusConflict, "Not set up yet"},
	problem.WeakPassword: {http.StatusUnprocessableEntity, "The password is not good enough"},
	problem.Outdated:     {http.StatusPreconditionFailed, "Something has changed since"},
	problem.ProofNeeded:  {http.StatusForbidden, "Confirm that it is you"},
	problem.Unreachable:  {http.StatusBadGateway, "Somebody else's service does not answer"},
	problem.Unconfirmed:  {http.StatusPreconditionRequired, "Confirm the impact first"},
}

var internalProblem = problemOf(http.StatusInternalServerError, "internal", "something went wrong inside the service", "try again; if it happens again, look at the service's log")

var unavailableProblem = problemOf(http.StatusServiceUnavailable, "unavailable", "the database cannot be reached at the moment", "try again in a moment; the service goes on by itself as soon as it is back")

func problemOf(status int, kind, detail, next string) api.Problem {
	return api.Problem{Type: problemType + kind, Title: http.StatusText(status), Status: status, Detail: detail, Next: next}
}

// problemType begins the type of every problem (RFC 9457, section 3.1.1).
const problemType = "urn:arbora:problem:"

// asksByItself reports whether a page of the console sent a request, rather than the person who looks at it: pages read everything
// that they could show, and preview what a dialog holds. Programs and terminals do what they are told.
func (s *Server) asksByItself(c *gin.Context) bool {
	if c.GetHeader("Authorization") != "" {
		return false
	}
	r, known := s.routes[c.Request.Method+" "+c.FullPath()]
	previews := known && r.Operation.Parameters.GetByInAndName("query", "preview") != nil && c.Query("preview") == "true"
	return c.Request.Method == http.MethodGet || previews
}

// writeError answers with the problem an error stands for. The refusal of something that a person or program asked for is recorded.
func (s *Server) writeError(c *gin.Context, err error) {
	var p *problem.Problem
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &p):
		if caller, ok := callerOf(c.Request.Context()); ok && p.Kind == problem.Refused && !s.asksByItself(c) {
			if err := s.service.NoteRefusal(c.Request.Context(), caller, p); err != nil {
				s.writeError(c, err)
				return
			}
		}
		if caller, ok := callerOf(c.Request.Context()); ok && (p.Kind == problem.NotThere && p.Next == "" || p.HoldsNothing) {
			elsewhere, err := s.service.Elsewhere(c.Request.Context(), caller)
			if err != nil {
				s.writeError(c, err)
				return
			}
			told := *p
			if told.Next != "" && elsewhere != "" {
				elsewhere = told.Next + "; " + elsewhere
			}
			told.Next = cmp.Or(elsewhere, told.Next)
			writeProblem(c, s.problem(&told))
			return
		}
		if p.RetryAfter > 0 {
			c.Header("Retry-After", strconv.Itoa(p.RetryAfter))
		}
	case errors.As(err, &tooLarge):
		c.Header("Connection", "close") // the rest of the body is not read
	case errors.Is(err, store.ErrUnavailable):
		c.Header("Retry-After", "2")
	case errors.Is(err, credential.ErrBusy):
		c.Header("Retry-After", strconv.Itoa(int(credential.BusyFor.Seconds())))
	}
	told := s.problem(err)
	if told.Status == http.StatusUnauthorized {
		c.Header("WWW-Authenticate", `Bearer realm="Arbora"`) // RFC 9110, section 11.6.1; RFC 6750
	}
	writeProblem(c, told)
}

// problem returns the problem an error stands for. What is no problem of the asker's is logged.
func (s *Server) problem(err error) api.Problem {
	var p *problem.Problem
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &p):
		known := statuses[p.Kind]
		var now *plan.Impact
		if u := new(plan.Unconfirmable); errors.As(err, &u) {
			now = &u.Impact
		}
		return api.Problem{
			Type: problemType + string(p.Kind), Title: known.title, Status: known.status, Detail: p.Detail,
			Next: p.Next, Field: p.Field, Nearest: p.Nearest,
			Rule: string(p.Rule), Permission: p.Permission, Faults: faultsOf(p.Faults), Impact: impactOrNone(now),
		}
	case errors.As(err, &tooLarge):
		return problemOf(http.StatusRequestEntityTooLarge, "too-large", "the body is larger than 1 MiB", "send less at once")
	case errors.Is(err, credential.ErrBusy):
		return problemOf(http.StatusServiceUnavailable, "busy", err.Error(), "try again in a few seconds")
	case errors.Is(err, store.ErrTaken):
		return problemOf(http.StatusConflict, "conflict", "somebody else made the same at the same time", "look at what is there now")
	case errors.Is(err, store.ErrUnavailable):
		s.log.Warn("the database cannot be reached", "error", err)
		return unavailableProblem
	}
	s.log.Error("a request failed", "error", err)
	return internalProblem
}

func writeProblem(c *gin.Context, p api.Problem) {
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(p.Status, p)
}

func impactOrNone(i *plan.Impact) *api.Impact {
	if i == nil {
		return nil
	}
	told := impactOf(*i)
	return &told
}

// faultsOf leaves out an empty list.
func faultsOf(faults []problem.Fault) []api.Fault { return each(faults, faultOf) }
