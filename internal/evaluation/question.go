package evaluation

import (
	"fmt"
	"net/netip"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
)

// Subject, Action and Resource of an evaluation, as platform services name them (OpenID AuthZEN Authorization API 1.0).
// A subject is a kind of principal and its name or id. A resource is a type, and the id or address of the scope at which
// an operation on that type is asked about: the resource itself, or the container when it is to be created.
type (
	// Entity is a type and an id.
	Entity struct{ Type, ID string }

	// Question is one question of a platform service.
	Question struct {
		Subject  Entity
		Action   string // an operation
		Resource Entity
		Context  Context
		Refers   []string // ids of what the operation refers to besides
		// Attempted says that the subject is doing this now, and is refused when the answer is no. It is a platform service that says so.
		Attempted bool
	}

	// Answer is the answer to a question.
	Answer struct {
		Allowed bool
		Reason  access.Reason
		Rule    access.RuleRef
		Scope   model.ID   // the scope that decided; zero when the resource is not there
		Refers  []model.ID // what the operation refers to besides, as it was found, up to the first that was not
		// Lacks is the permission that is missing on something the operation refers to, and On is what that is. Without a
		// permission the operation cannot refer to such a thing at all.
		Lacks string
		On    model.ID
		// Error says why an evaluation makes no sense; nothing else is told then.
		Error *problem.Problem
		// Hidden is told to platform services with a no: the subject does not see the resource, or what the operation
		// refers to, and is to be answered as if it were not there.
		Hidden bool
	}
)

// Context is what a question tells of its circumstances. What is left out of it is unknown, but for the time: that is now.
type Context struct {
	Time     time.Time
	IP       string
	Location string
	Claims   map[string][]string // what if the subject's provider said this of them; nil for what it said last
}

// At returns the context of a question that is asked at a moment.
func (t Context) At(now time.Time) (*access.Context, error) {
	context := &access.Context{Time: t.Time, Location: t.Location, Claims: t.Claims}
	if context.Time.IsZero() {
		context.Time = now
	}
	if t.IP != "" {
		ip, err := netip.ParseAddr(t.IP)
		if err != nil {
			return nil, &problem.Problem{Kind: problem.Invalid, Field: "ip", Detail: fmt.Sprintf("%q is not a valid network address", t.IP), Next: "write one such as 192.0.2.7"}
		}
		context.IP = ip
	}
	return context, nil
}
