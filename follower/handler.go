package follower

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"arbora.example/authzen"
	"arbora.example/internal/problem"
)

// StatusPath is where the handler tells how the follower stands.
const StatusPath = "/follower/status"

// InPath is beneath what each organisation of several is asked about: /in/NAME and then the paths of the API.
const InPath = "/in/"

// Standing is how one organisation stands.
type Standing struct {
	Organisation string  `json:"organisation"`
	Revision     uint64  `json:"revision"`         // that decisions are made at; 0 when nothing is known
	Lease        float64 `json:"leaseSeconds"`     // for how long answers are given unless the service is heard of again
	Reason       string  `json:"reason,omitempty"` // why it was not heard of last
}

// Standings returns how all organisations stand.
func (f *Follower) Standings() []Standing {
	all := make([]Standing, len(f.all))
	for i, o := range f.all {
		all[i] = Standing{Organisation: o.name, Lease: o.Lease().Seconds()}
		if now := o.now.Load(); now != nil {
			all[i].Revision = now.Revision()
		}
		if reason := o.reason.Load(); reason != nil {
			all[i].Reason = (*reason).Error()
		}
	}
	return all
}

// Handler answers the AuthZEN API, and [StatusPath]. A follower of one organisation is asked at the paths of the API, one of several
// beneath [InPath]. Address is where it is reached.
func (f *Follower) Handler(address string) http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET "+StatusPath, func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(map[string]any{"organisations": f.Standings()}) // that the caller went away is nobody's fault
	})
	for _, o := range f.all {
		prefix := InPath + o.name
		mux.Handle(prefix+"/", http.StripPrefix(prefix, o.handler(address+prefix)))
	}
	if len(f.all) == 1 {
		mux.Handle("/", f.all[0].handler(address))
	}
	return mux
}

// atLeastLimit bounds how long it is waited for a revision that was asked for.
const atLeastLimit = 2 * time.Second

func (o *Organisation) handler(address string) http.Handler {
	return authzen.Handler{
		Address: address,
		For: func(r *http.Request) (authzen.Decider, error) {
			if r.Method != http.MethodPost {
				return nil, &authzen.Invalid{Detail: r.Method + " is not answered here: send POST"}
			}
			text := r.Header.Get("At-Least-Revision")
			if text == "" {
				return o, nil
			}
			revision, err := strconv.ParseUint(text, 10, 64)
			if err != nil {
				return nil, &authzen.Invalid{Detail: fmt.Sprintf("At-Least-Revision %q is not a revision", text)}
			}
			ctx, cancel := context.WithTimeout(r.Context(), atLeastLimit)
			defer cancel()
			return o, o.AtLeast(ctx, revision)
		},
		Fail: fail,
	}
}

// fail answers with a problem (RFC 9457), in the form that Arbora's own has.
func fail(w http.ResponseWriter, _ *http.Request, err error) {
	told := authzen.Error{Status: http.StatusInternalServerError, Type: "urn:arbora:problem:internal", Title: "Something went wrong", Detail: err.Error()}
	var wrong *authzen.Invalid
	var tooLarge *http.MaxBytesError
	var behind *Behind
	var refused *problem.Problem
	switch {
	case errors.As(err, &wrong):
		told = authzen.Error{Status: http.StatusBadRequest, Type: "urn:arbora:problem:invalid", Title: "Not valid", Field: wrong.Field, Detail: wrong.Detail, Next: "send what the OpenID AuthZEN Authorization API 1.0 says"}
	case errors.As(err, &tooLarge):
		told = authzen.Error{Status: http.StatusRequestEntityTooLarge, Type: "urn:arbora:problem:too-large", Title: "Too large", Detail: "the body is too large", Next: "send less at once"}
	case errors.As(err, &refused):
		told = authzen.Error{Status: http.StatusBadRequest, Type: "urn:arbora:problem:" + string(refused.Kind), Title: "Not valid", Field: refused.Field, Detail: refused.Detail, Next: refused.Next}
	case errors.As(err, &behind), errors.Is(err, context.DeadlineExceeded), errors.Is(err, context.Canceled):
		told = authzen.Error{Status: http.StatusServiceUnavailable, Type: "urn:arbora:problem:unavailable", Title: "Not available", Detail: strings.TrimSpace(err.Error()), Next: "ask again in a moment, or ask Arbora itself; until then act as if the answer were no"}
		w.Header().Set("Retry-After", "1")
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(told.Status)
	_ = json.NewEncoder(w).Encode(told) // that the caller went away is nobody's fault
}
