package access

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
type Condition struct{ root *expression }

type operator uint8

const (
	opAnd operator = iota + 1
	opOr
	opNot
	opIs
	opIsNot
	opIn
	opLess
	opLessOrEqual
	opGreater
	opGreaterOrEqual
	opBefore
	opAfter
	opStartsWith
	opWithin
)

var operatorWords = [...]string{
	opAnd: "and", opOr: "or", opNot: "not", opIs: "is", opIsNot: "is not", opIn: "in", opLess: "<", opLessOrEqual: "<=",
	opGreater: ">", opGreaterOrEqual: ">=", opBefore: "before", opAfter: "after", opStartsWith: "starts with", opWithin: "within",
}

// expression is a node of a condition: and, or, not over others, or an attribute compared with values.
type expression struct {
	op          operator
	left, right *expression
	attribute   attribute
	values      []string
	number      float64
	instant     time.Time
	network     netip.Prefix
}

// attribute is something a condition asks about, such as context.hour or resource.tag.team.
type attribute struct {
	of    string // context, resource, subject, claim
	name  string
	tag   bool
	short bool // written without subject, as a gathering group's condition is
}

func (a attribute) String() string {
	switch {
	case a.short && a.tag:
		return "tag " + a.name
	case a.short:
		return a.name
	case a.tag:
		return a.of + ".tag." + a.name
	}
	return a.of + "." + a.name
}

// facts are what a condition is held against.
type facts struct {
	snapshot  *Snapshot
	principal *principalNode
	scope     *scopeNode // nil when the resource is not known
	context   *Context
}

func (c *Condition) evaluate(f facts) truth { return c.root.evaluate(f) }

func (e *expression) evaluate(f facts) truth {
	switch e.op {
	case opAnd:
		if left := e.left.evaluate(f); left != no {
			return left.and(e.right.evaluate(f))
		}
		return no
	case opOr:
		if left := e.left.evaluate(f); left != yes {
			return left.or(e.right.evaluate(f))
		}
		return yes
	case opNot:
		return e.left.evaluate(f).not()
	}
	switch e.attribute.of {
	case "context":
		return e.ofContext(f.context)
	case "claim":
		return e.ofClaim(f.context)
	case "subject":
		return e.ofSubject(f.principal)
	}
	return e.ofResource(f)
}

var weekdays = []string{"sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"}

// ofContext compares what the question told of its circumstances. Weekday and hour are those of UTC.
func (e *expression) ofContext(c *Context) truth {
	if c == nil {
		return unknown
	}
	switch e.attribute.name {
	case "ip":
		if !c.IP.IsValid() {
			return unknown
		}
		return truthOf(e.network.Contains(c.IP.Unmap()))
	case "location":
		if c.Location == "" {
			return unknown
		}
		return truthOf(e.holds(c.Location, true))
	}
	if c.Time.IsZero() {
		return unknown
	}
	switch e.attribute.name {
	case "weekday":
		return c.settled(truthOf(e.holds(weekdays[c.Time.UTC().Weekday()], true)), unknown)
	case "hour":
		return c.settled(truthOf(e.compares(float64(c.Time.UTC().Hour()))), unknown)
	}
	if e.op == opBefore {
		return c.settled(truthOf(c.Time.Before(e.instant)), no)
	}
	return c.settled(truthOf(c.Time.After(e.instant)), yes)
}

// ofClaim compares what an identity provider said. Of a claim with several values, one is enough.
func (e *expression) ofClaim(c *Context) truth {
	if c == nil {
		return unknown
	}
	values, told := c.Claims[e.attribute.name]
	if !told {
		return unknown
	}
	if e.op == opIsNot {
		return truthOf(!slices.Contains(values, e.values[0]))
	}
	for _, value := range values {
		if e.holds(value, true) {
			return yes
		}
	}
	return no
}

func (e *expression) ofSubject(p *principalNode) truth {
	switch {
	case e.attribute.tag:
		value, there := p.Tags[e.attribute.name]
		return truthOf(e.holds(value, there))
	case e.attribute.name == "kind":
		return truthOf(e.holds(p.Kind.String(), true))
	}
	return truthOf(e.holds(p.Name, true))
}

func (e *expression) ofResource(f facts) truth {
	if f.scope == nil {
		return unknown
	}
	typ := f.snapshot.catalogue.typeOrder[f.scope.typ]
	switch {
	case e.attribute.tag:
		if f.scope.more == nil {
			return truthOf(e.holds("", false))
		}
		value, there := f.scope.more.tags[e.attribute.name]
		return truthOf(e.holds(value, there))
	case e.attribute.name == "type":
		return truthOf(e.holds(typ.Name, true))
	case typ.container():
		return truthOf(e.holds(f.scope.name, true))
	}
	return truthOf(e.holds(f.scope.name[:len(f.scope.name)-len(typ.Name)-1], true))
}

// holds compares a text; one that is not there is nothing, and begins with nothing.
func (e *expression) holds(value string, there bool) bool {
	switch e.op {
	case opIs:
		return there && value == e.values[0]
	case opIsNot:
		return !there || value != e.values[0]
	case opIn:
		return there && slices.Contains(e.values, value)
	case opStartsWith:
		return there && strings.HasPrefix(value, e.values[0])
	}
	parsed, err := strconv.ParseFloat(value, 64)
	return there && err == nil && e.compares(parsed)
}

func (e *expression) compares(value float64) bool {
	switch e.op {
	case opIs:
		return value == e.number
	case opIsNot:
		return value != e.number
	case opLess:
		return value < e.number
	case opLessOrEqual:
		return value <= e.number
	case opGreater:
		return value > e.number
	}
	return value >= e.number
}

// mentions reports whether a condition asks about something of the given root: context, resource, subject or claim.
func (c *Condition) mentions(of string) bool { return c != nil && c.root.mentions(of) }

func (e *expression) mentions(of string) bool {
	if e.op <= opNot {
		return e.left.mentions(of) || e.right != nil && e.right.mentions(of)
	}
	return e.attribute.of == of
}

// culprit gives the smallest part of a condition that keeps it from holding.
func (c *Condition) culprit(f facts) string {
	e := c.root
	for e.op == opAnd {
		if e.left.evaluate(f) != yes {
			e = e.left
		} else {
			e = e.right
		}
	}
	return e.print(opOr)
}

// String writes the condition in its one form. The nil condition is empty.
func (c *Condition) String() string {
	if c == nil {
		return ""
	}
	return c.root.print(opOr)
}

// MarshalText writes the condition.
func (c *Condition) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads what MarshalText wrote. Conditions that were kept before are read, too: they said request for context, and
// principal for subject.
func (c *Condition) UnmarshalText(text []byte) error {
	parsed, err := (&parser{kept: true}).readCondition(string(text))
	if err == nil {
		*c = *parsed
	}
	return err
}

// print writes an expression that stands among operands of another; only what binds less is put in brackets.
func (e *expression) print(within operator) string {
	switch e.op {
	case opOr:
		text := e.left.print(opOr) + " or " + e.right.print(opAnd)
		if within != opOr {
			return "(" + text + ")"
		}
		return text
	case opAnd:
		text := e.left.print(opAnd) + " and " + e.right.print(opNot)
		if within == opNot {
			return "(" + text + ")"
		}
		return text
	case opNot:
		return "not " + e.left.print(opNot)
	case opIn:
		values := make([]string, len(e.values))
		for i, value := range e.values {
			values[i] = quote(value)
		}
		return fmt.Sprintf("%s in (%s)", e.attribute, strings.Join(values, ", "))
	case opBefore, opAfter:
		return fmt.Sprintf("%s %s %s", e.attribute, operatorWords[e.op], printInstant(e.instant))
	}
	value := ""
	if len(e.values) > 0 {
		value = quote(e.values[0])
	} else {
		value = strconv.FormatFloat(e.number, 'f', -1, 64)
	}
	return fmt.Sprintf("%s %s %s", e.attribute, operatorWords[e.op], value)
}

// printInstant writes a moment: a day by its date when it is that day's first moment in UTC.
func printInstant(t time.Time) string {
	t = t.UTC()
	if t.Equal(t.Truncate(24 * time.Hour)) {
		return t.Format(time.DateOnly)
	}
	return t.Format(time.RFC3339Nano)
}

// ParseInstant reads a moment: RFC 3339, or a date, which stands for its first moment in UTC.
func ParseInstant(text string) (time.Time, error) {
	if t, err := time.Parse(time.DateOnly, text); err == nil {
		return t, nil
	}
	t, err := time.Parse(time.RFC3339Nano, text)
	if err != nil || t.Year() < 1 || t.Year() > 9999 {
		return time.Time{}, fmt.Errorf("%q is not a valid time: write a date such as 2027-03-31, or 2027-03-31T18:00:00Z", text)
	}
	return t.UTC(), nil
}
