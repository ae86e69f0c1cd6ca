package loam

import (
	"errors"
	"fmt"
	"net/http"

	"arbora.example/api"
)

// Problem is why Loam did not do what was asked (RFC 9457).
type Problem struct {
	api.Problem
	needs string // of a refusal: the permission that it takes, and where
	cause error  // logged, not shown
}

// Error returns what is wrong and what to do.
func (p *Problem) Error() string {
	if p.Next == "" {
		return p.Detail
	}
	return p.Detail + ": " + p.Next
}

// Unwrap returns the cause.
func (p *Problem) Unwrap() error { return p.cause }

func problem(status int, kind, detail, next string) *Problem {
	p := &Problem{Problem: api.Problem{Type: "urn:arbora:problem:" + kind, Title: http.StatusText(status), Status: status, Detail: detail}}
	if next != "" {
		p.Next = next
	}
	return p
}

func invalid(field, detail, next string) *Problem {
	p := problem(http.StatusBadRequest, "invalid", detail, next)
	p.Field = field
	return p
}

// unavailable refuses because Arbora did not answer: who may do what is not known then.
func unavailable(cause error) error {
	p := problem(http.StatusServiceUnavailable, "unavailable", "Arbora, which decides who may do what, cannot be asked, so Loam refuses", "try again when Arbora answers")
	p.cause = cause
	return p
}

// isUnavailable tells refusals of that sort from others.
func isUnavailable(err error) bool {
	var p *Problem
	return errors.As(err, &p) && p.Status == http.StatusServiceUnavailable
}

func notThere(what string) *Problem {
	return problem(http.StatusNotFound, "not-there", fmt.Sprintf("there is no %s, or you may not see it", what), "arbora-demo loam show lists what you may use")
}

// refusal turns Arbora's no into an answer that tells what is missing, where, and how to ask for it, and nothing that the
// subject may not see.
func refusal(q *question, v *verdict) *Problem {
	if v.Context.Hidden || v.Context.Reason == "unknown" {
		return notThere(hiddenIn(q, v))
	}
	missing, where := q.permission(), q.at
	switch v.Context.Reason {
	case "retired":
		return problem(http.StatusConflict, "retired", fmt.Sprintf("%s, or its container, is retired", q.at), "restore it first: arbora scope restore")
	case "meaningless", "not-offered":
		return problem(http.StatusUnprocessableEntity, "rule", fmt.Sprintf("%q cannot be done at %s", missing, where), "a resource is made in a project or compartment where its service is offered")
	case "inactive":
		return problem(http.StatusForbidden, "refused", q.subject.words()+" is out of use", "ask an administrator")
	case "lacking":
		missing, where = v.Context.Lacks, v.onAddress(q)
		if missing == "" {
			return invalid("", fmt.Sprintf("%q cannot refer to %s", q.permission(), where), "name a network or a service account")
		}
	}
	needs := fmt.Sprintf("it needs the permission %q at %s", missing, where)
	if v.Context.Reason == "cut" {
		needs += ", and a \"may never\" or \"may only\" cuts it"
	}
	p := problem(http.StatusForbidden, "refused", q.subject.words()+" may not do that: "+needs, "")
	p.needs = needs
	p.Permission = missing
	next := fmt.Sprintf("ask an administrator there: \"please let %s %s at %s\"", q.subject.words(), missing, where)
	if v.Context.Reason == "cut" {
		next = "no role would help: ask somebody who may edit the policies there"
	}
	p.Next = next
	return p
}

// hiddenIn names what is to be answered as not there: what the operation refers to, if it is that.
func hiddenIn(q *question, v *verdict) string {
	if v.Context.On != "" {
		return "scope " + v.onAddress(q)
	}
	if missing := len(v.Context.Refers); v.Context.Reason == "lacking" && missing < len(q.refers) {
		return "scope " + q.refers[missing] // those before it were found
	}
	return "scope " + q.at
}

// onAddress returns what something is missing on, as the asker wrote it.
func (v *verdict) onAddress(q *question) string {
	for i, id := range v.Context.Refers {
		if id == v.Context.On && i < len(q.refers) {
			return q.refers[i]
		}
	}
	return v.Context.On
}
