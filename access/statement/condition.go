package statement

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Condition is what must hold for a rule to apply, in three-valued logic. It is written
//
//	context.location is "north" and not subject.tag.team in ("seeds", "labels")
//
// and made by [ParseCondition]. The nil condition always holds.
type Condition struct{ Root *Expression }

type operator uint8

const (
	OpAnd operator = iota + 1
	OpOr
	OpNot
	OpIs
	OpIsNot
	OpIn
	opLess
	opLessOrEqual
	opGreater
	opGreaterOrEqual
	OpBefore
	OpAfter
	OpStartsWith
	OpWithin
)

var operatorWords = [...]string{
	OpAnd: "and", OpOr: "or", OpNot: "not", OpIs: "is", OpIsNot: "is not", OpIn: "in", opLess: "<", opLessOrEqual: "<=",
	opGreater: ">", opGreaterOrEqual: ">=", OpBefore: "before", OpAfter: "after", OpStartsWith: "starts with", OpWithin: "within",
}

// Expression is a node of a condition: and, or, not over others, or an attribute compared with values.
type Expression struct {
	Op          operator
	Left, Right *Expression
	Attribute   Attribute
	Values      []string
	Number      float64
	Instant     time.Time
	Network     netip.Prefix
}

// Attribute is something a condition asks about, such as context.hour or resource.tag.team.
type Attribute struct {
	Of    string // context, resource, subject, claim
	Name  string
	Tag   bool
	Zone  string // in which the clock is read, such as Europe/Oslo; empty for UTC
	short bool   // written without subject, as a gathering group's condition is

	location *time.Location // of the zone
}

// Clock reports whether the attribute is the hour or the weekday.
func (a Attribute) Clock() bool {
	return a.Of == "context" && (a.Name == "hour" || a.Name == "weekday")
}

// Local returns a moment in the attribute's time zone.
func (a Attribute) Local(at time.Time) time.Time {
	if a.location == nil {
		return at.UTC()
	}
	return at.In(a.location)
}

// String writes the attribute as conditions have it.
func (a Attribute) String() string {
	switch {
	case a.short && a.Tag:
		return "tag " + a.Name
	case a.short:
		return a.Name
	case a.Tag:
		return a.Of + ".tag." + a.Name
	case a.Of == "claim" && wordEnd(a.Name) != len(a.Name):
		return "claim." + Quote(a.Name)
	case a.Zone != "":
		return fmt.Sprintf("%s.%s(%q)", a.Of, a.Name, a.Zone)
	}
	return a.Of + "." + a.Name
}

// Mentions reports whether a condition asks about something of the given root: context, resource, subject or claim.
func (c *Condition) Mentions(of string) bool { return c != nil && c.Root.mentions(of) }

// AsksForTag reports whether a condition asks for a tag of the subject.
func (c *Condition) AsksForTag(key string) bool { return c != nil && c.Root.asksForTag(key) }

func (e *Expression) asksForTag(key string) bool {
	if e.Op <= OpNot {
		return e.Left.asksForTag(key) || e.Right != nil && e.Right.asksForTag(key)
	}
	return e.Attribute.Of == "subject" && e.Attribute.Tag && e.Attribute.Name == key
}

func (e *Expression) mentions(of string) bool {
	if e.Op <= OpNot {
		return e.Left.mentions(of) || e.Right != nil && e.Right.mentions(of)
	}
	return e.Attribute.Of == of
}

// String writes the condition in its one form. The nil condition is empty.
func (c *Condition) String() string {
	if c == nil {
		return ""
	}
	return c.Root.print(OpOr)
}

// MarshalText writes the condition.
func (c *Condition) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads what MarshalText wrote. Conditions that were kept before are read, too: they said request for context, and
// principal for subject.
func (c *Condition) UnmarshalText(text []byte) error {
	parsed, err := (&Parser{kept: true}).readCondition(string(text))
	if err == nil {
		*c = *parsed
	}
	return err
}

// String writes the expression in its one form.
func (e *Expression) String() string { return e.print(OpOr) }

// print writes an expression that stands among operands of another; only what binds less is put in brackets.
func (e *Expression) print(within operator) string {
	switch e.Op {
	case OpOr:
		text := e.Left.print(OpOr) + " or " + e.Right.print(OpAnd)
		if within != OpOr {
			return "(" + text + ")"
		}
		return text
	case OpAnd:
		text := e.Left.print(OpAnd) + " and " + e.Right.print(OpNot)
		if within == OpNot {
			return "(" + text + ")"
		}
		return text
	case OpNot:
		return "not " + e.Left.print(OpNot)
	case OpIn:
		values := make([]string, len(e.Values))
		for i, value := range e.Values {
			values[i] = Quote(value)
		}
		return fmt.Sprintf("%s in (%s)", e.Attribute, strings.Join(values, ", "))
	case OpBefore, OpAfter:
		return fmt.Sprintf("%s %s %s", e.Attribute, operatorWords[e.Op], PrintInstant(e.Instant))
	}
	value := ""
	if len(e.Values) > 0 {
		value = Quote(e.Values[0])
	} else {
		value = strconv.FormatFloat(e.Number, 'f', -1, 64)
	}
	return fmt.Sprintf("%s %s %s", e.Attribute, operatorWords[e.Op], value)
}

// Weekdays are the values of context.weekday, in the order of [time.Weekday].
var Weekdays = []string{"sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"}

// Holds compares a text; one that is not there is nothing, and begins with nothing.
func (e *Expression) Holds(value string, there bool) bool {
	switch e.Op {
	case OpIs:
		return there && value == e.Values[0]
	case OpIsNot:
		return !there || value != e.Values[0]
	case OpIn:
		return there && slices.Contains(e.Values, value)
	case OpStartsWith:
		return there && strings.HasPrefix(value, e.Values[0])
	}
	parsed, err := strconv.ParseFloat(value, 64)
	return there && err == nil && e.Compares(parsed)
}

// Compares reports whether a number stands in the relation of the expression to its own.
func (e *Expression) Compares(value float64) bool {
	switch e.Op {
	case OpIs:
		return value == e.Number
	case OpIsNot:
		return value != e.Number
	case opLess:
		return value < e.Number
	case opLessOrEqual:
		return value <= e.Number
	case opGreater:
		return value > e.Number
	}
	return value >= e.Number
}
