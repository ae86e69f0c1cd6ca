package authzen

import (
	"encoding/json"
	"fmt"
	"time"
)

// Entity is a subject or a resource: its type and its id. For a search one of both goes without its id.
type Entity struct {
	Type       string          `json:"type"`
	ID         string          `json:"id,omitempty"`
	Properties json.RawMessage `json:"properties,omitempty"` // Arbora reads none
}

// Action is what somebody would do.
type Action struct {
	Name       string          `json:"name"`
	Properties json.RawMessage `json:"properties,omitempty"` // Arbora reads none
}

// Request asks whether a subject may do something with a resource (section 6 of the specification). Within a [Batch] what is nil is as
// the batch says for all.
type Request struct {
	Subject  *Entity  `json:"subject,omitempty"`
	Action   *Action  `json:"action,omitempty"`
	Resource *Entity  `json:"resource,omitempty"`
	Context  *Context `json:"context,omitempty"`
}

// Context is what Arbora reads of a request's context, which is free in form. What is not told is unknown.
type Context struct {
	Time     time.Time `json:"time,omitzero"`      // the moment asked about; now when it is not told
	IP       string    `json:"ip,omitempty"`       // the subject's network address
	Location string    `json:"location,omitempty"` // where the subject is
	Refers   []string  `json:"refers,omitempty"`   // ids or addresses of what the action refers to besides the resource
	// Attempted says that the subject is doing this now: a platform service that is told no refuses it to them, and Arbora records it.
	Attempted bool `json:"attempted,omitempty"`

	fault *Invalid
}

// Fault returns what is wrong with a context that was read from JSON; nil for nothing.
func (c *Context) Fault() *Invalid {
	if c == nil {
		return nil
	}
	return c.fault
}

// moments are the forms of time that are understood: RFC 3339, and ISO 8601 without seconds.
var moments = []string{time.RFC3339Nano, "2006-01-02T15:04Z07:00"}

// UnmarshalJSON reads what it understands. A member of the wrong form is no error but a [Context.Fault], so that it spoils the answer
// to its own request alone.
func (c *Context) UnmarshalJSON(text []byte) error {
	var told map[string]json.RawMessage
	if err := json.Unmarshal(text, &told); err != nil {
		c.fault = &Invalid{Field: "context", Detail: fmt.Sprintf("the context %s is not an object", text)}
		return nil
	}
	*c = Context{}
	c.readTime(told["time"])
	c.read(told, "ip", &c.IP, "is not text")
	c.read(told, "location", &c.Location, "is not text")
	c.read(told, "refers", &c.Refers, "is not a list of ids or addresses")
	c.read(told, "attempted", &c.Attempted, "is neither true nor false")
	return nil
}

func (c *Context) read(told map[string]json.RawMessage, name string, into any, wrong string) {
	if value := told[name]; given(value) && json.Unmarshal(value, into) != nil && c.fault == nil {
		c.fault = &Invalid{Field: "context." + name, Detail: fmt.Sprintf("%s %s %s", name, value, wrong)}
	}
}

func (c *Context) readTime(value json.RawMessage) {
	if !given(value) {
		return
	}
	var text string
	if json.Unmarshal(value, &text) != nil {
		c.fault = &Invalid{Field: "context.time", Detail: fmt.Sprintf("the time %s is not text: write it by RFC 3339", value)}
		return
	}
	for _, form := range moments {
		if at, err := time.Parse(form, text); err == nil {
			c.Time = at
			return
		}
	}
	c.fault = &Invalid{Field: "context.time", Detail: fmt.Sprintf("%q is not a valid time: write it by RFC 3339, such as 2026-11-25T12:00:00Z", text)}
}

func given(value json.RawMessage) bool { return len(value) > 0 && string(value) != "null" }

// Semantic says how far a [Batch] is answered.
type Semantic string

// The semantics of a batch (section 7.1.2.1).
const (
	ExecuteAll          Semantic = "execute_all"
	DenyOnFirstDeny     Semantic = "deny_on_first_deny"     // up to the first no
	PermitOnFirstPermit Semantic = "permit_on_first_permit" // up to the first yes
)

// Batch asks many questions at once (section 7); what it says itself holds for all that say nothing else.
type Batch struct {
	Request
	Evaluations []Request `json:"evaluations,omitempty"`
	Options     Options   `json:"options,omitzero"`
}

// Options are those of a [Batch].
type Options struct {
	Semantic Semantic `json:"evaluations_semantic,omitempty"` // none is [ExecuteAll]
}

// Answer is a decision.
type Answer struct {
	Decision bool `json:"decision"`
	Context  *Why `json:"context,omitempty"`
}

// Answers are the answers to a [Batch], in its order.
type Answers struct {
	Evaluations []Answer `json:"evaluations"`
}

// Unknown is the reason of a no to what makes no sense, is not there, or may not be asked by whoever asks.
const Unknown = "unknown"

// Why is what Arbora tells of a decision besides yes and no.
type Why struct {
	Reason   string `json:"reason"`             // such as granted, not-granted or cut: see docs/authzen.md
	Revision uint64 `json:"revision,omitempty"` // of the organisation, at which it was decided
	Grant    string `json:"grant,omitempty"`    // the id of the grant that decided
	Policy   string `json:"policy,omitempty"`   // the id of the policy that decided

	Scope  string   `json:"scope,omitempty"`  // the id of the resource, or of the container asked about
	Refers []string `json:"refers,omitempty"` // the ids of what the action refers to besides, as far as it was found
	Lacks  string   `json:"lacks,omitempty"`  // the permission that is missing on one of those
	On     string   `json:"on,omitempty"`     // which one
	Hidden bool     `json:"hidden,omitempty"` // to platform services: the subject is to be answered as if the resource were not there

	Error *Fault `json:"error,omitempty"` // what is wrong with the question, which is answered with no
}

// Fault is what is wrong with one question.
type Fault struct {
	Status  int    `json:"status"`
	Message string `json:"message"`
}

// Search asks who, what or where (section 8): the part that is sought goes without its id, or is left out.
type Search struct {
	Request
	Page Page `json:"page,omitzero"`
}

// Page is which part of what is found is wanted.
type Page struct {
	Token string `json:"token,omitempty"` // of the page before; none for the first
	Limit int    `json:"limit,omitempty"`
}

// Found is a page of what a search finds: of [Entity], or of [Action].
type Found[T any] struct {
	Results []T      `json:"results"`
	Page    NextPage `json:"page"`
}

// NextPage tells how to go on.
type NextPage struct {
	Count int    `json:"count"`      // of results on this page
	Token string `json:"next_token"` // empty after the last page
}

// Configuration tells where the endpoints are (section 9).
type Configuration struct {
	Decider        string `json:"policy_decision_point"`
	Evaluation     string `json:"access_evaluation_endpoint"`
	Evaluations    string `json:"access_evaluations_endpoint"`
	SearchSubject  string `json:"search_subject_endpoint"`
	SearchAction   string `json:"search_action_endpoint"`
	SearchResource string `json:"search_resource_endpoint"`
}

// Invalid is what is wrong with a request.
type Invalid struct {
	Field  string // where, as subject or context.time; empty for the request as a whole
	Detail string
}

// Error returns the detail.
func (e *Invalid) Error() string { return e.Detail }
