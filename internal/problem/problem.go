package problem

import (
	"errors"
	"fmt"
	"time"

	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// ProblemKind sorts problems by what the asker can do about them.
type ProblemKind string

// The kinds of problems.
const (
	Invalid      ProblemKind = "invalid"       // the request itself is wrong
	NotSignedIn  ProblemKind = "not-signed-in" // no credential
	Expired      ProblemKind = "expired"       // a credential whose time is over
	Revoked      ProblemKind = "revoked"       // a credential that was ended, or whose holder is out of use
	Foreign      ProblemKind = "foreign"       // a credential that was not made here
	CodeNeeded   ProblemKind = "code-needed"   // the password is right; the second factor is missing
	WrongSignIn  ProblemKind = "wrong-sign-in" // the name or the password is wrong
	Refused      ProblemKind = "refused"       // a permission is missing
	NotThere     ProblemKind = "not-there"     // nothing of that name, or nothing the caller may see
	Conflict     ProblemKind = "conflict"      // it clashes with what is there
	BreaksRule   ProblemKind = "breaks-rule"   // the change would break a rule of the model
	TooOften     ProblemKind = "too-often"     // wait before the next try
	Empty        ProblemKind = "empty"         // nobody has set the service up
	WeakPassword ProblemKind = "weak-password" // the password is not good enough
	Outdated     ProblemKind = "outdated"      // the change no longer has the impact that was confirmed
	Unconfirmed  ProblemKind = "unconfirmed"   // the change takes a confirmation of its impact
	Unreachable  ProblemKind = "unreachable"   // somebody else's service, which it takes, does not answer
	ProofNeeded  ProblemKind = "proof-needed"  // it takes a fresh proof of who asks: a password or a passkey
)

// Problem is an error that its asker can understand: what went wrong, and what to do next.
type Problem struct {
	Kind       ProblemKind
	Detail     string
	Next       string
	Field      string
	Nearest    string
	Rule       model.Rule
	Permission string
	// HoldsNothing says that the asker holds nothing at all where they work: elsewhere they may.
	HoldsNothing bool
	RetryAfter   int     // seconds, for TooOften
	Faults       []Fault // in a text, each with its place
}

// Error returns the detail and what to do next.
func (p *Problem) Error() string {
	if p.Next == "" {
		return p.Detail
	}
	return p.Detail + ": " + p.Next
}

// Of turns a rule broken in the core into a problem; other errors stay as they are.
func Of(err error, field string) error {
	var v *model.Violation
	if !errors.As(err, &v) {
		return err
	}
	p := &Problem{Kind: BreaksRule, Detail: v.Detail, Field: field, Nearest: v.Nearest, Rule: v.Rule}
	switch v.Rule {
	case model.RuleTaken, model.RuleSame:
		p.Kind = Conflict
	case model.RuleName:
		p.Kind = Invalid
	}
	if v.Nearest != "" {
		p.Next = fmt.Sprintf("did you mean %s?", v.Nearest)
	}
	return p
}

// Missing is the problem of naming something that is not there, or that the asker may not see.
func Missing(what, name, nearest string) *Problem {
	p := &Problem{Kind: NotThere, Detail: fmt.Sprintf("there is no %s %s, or you may not see it", what, name), Nearest: nearest}
	if nearest != "" {
		p.Next = fmt.Sprintf("did you mean %s?", nearest)
	}
	return p
}

// Lacking is the problem of somebody who does not hold a permission somewhere.
func Lacking(permission, where string) *Problem {
	return &Problem{
		Kind: Refused, Permission: permission,
		Detail: fmt.Sprintf("this needs the permission %q at %s, which you do not hold", permission, where),
		Next:   "ask somebody who can grant there for a role that holds it",
	}
}

// InField returns which field a problem of a part of the request is about.
func InField(err error, field string) error {
	var p *Problem
	if errors.As(err, &p) {
		p.Field = field
	}
	return err
}

// Fault is something wrong in a text, and where.
type Fault struct {
	Line, Column    int // from 1
	Detail, Nearest string
}

// OfText turns what is wrong in a text into a problem that lists every faulty line.
func OfText(err error, field string) error {
	var wrong *statement.TextError
	if !errors.As(err, &wrong) {
		return Of(err, field)
	}
	first := wrong.Faults[0]
	p := &Problem{
		Kind: Invalid, Field: field, Nearest: first.Nearest,
		Detail: fmt.Sprintf("the text has %d faulty lines; nothing of it counts", len(wrong.Faults)),
		Next:   "correct each line and send the whole text again",
	}
	if len(wrong.Faults) == 1 {
		p.Detail, p.Next = first.Error(), "correct the line and send the whole text again"
	}
	if field == "condition" {
		p.Next = "write it as after if in a statement"
	}
	p.Faults = FaultsOf(wrong)
	return p
}

// FaultsOf returns the faults of a text of statements.
func FaultsOf(wrong *statement.TextError) []Fault {
	faults := make([]Fault, len(wrong.Faults))
	for i, f := range wrong.Faults {
		faults[i] = Fault{Line: f.Line, Column: f.Column, Detail: f.Detail, Nearest: f.Nearest}
	}
	return faults
}

// OrNil returns the problem if it is one: a nil problem is no nil error.
func OrNil(is bool, p *Problem) error {
	if is {
		return p
	}
	return nil
}

// Wait is the problem of asking too often: it says for how long to wait.
func Wait(detail string, wait time.Duration) *Problem {
	return &Problem{Kind: TooOften, Detail: detail, Next: fmt.Sprintf("wait %s before the next try", wait.Round(time.Second)+time.Second), RetryAfter: int(wait.Seconds()) + 1}
}
