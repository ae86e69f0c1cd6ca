package access

import (
	"slices"

	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// facts are what a condition is held against.
type facts struct {
	snapshot  *Snapshot
	principal *principalNode
	scope     *scopeNode // nil when the resource is not known
	context   *Context
}

// evaluate reports whether a condition holds.
func evaluate(c *statement.Condition, f facts) truth { return evaluateExpression(c.Root, f) }

func evaluateExpression(e *statement.Expression, f facts) truth {
	switch e.Op {
	case statement.OpAnd:
		if left := evaluateExpression(e.Left, f); left != no {
			return left.and(evaluateExpression(e.Right, f))
		}
		return no
	case statement.OpOr:
		if left := evaluateExpression(e.Left, f); left != yes {
			return left.or(evaluateExpression(e.Right, f))
		}
		return yes
	case statement.OpNot:
		return evaluateExpression(e.Left, f).not()
	}
	switch e.Attribute.Of {
	case "context":
		return ofContext(e, f.context)
	case "claim":
		return ofClaim(e, f.principal, f.context)
	case "subject":
		return ofSubject(e, f.principal)
	}
	return ofResource(e, f)
}

// ofContext compares what the question told of its circumstances. Weekday and hour are those of UTC, or of a time zone that is named.
func ofContext(e *statement.Expression, c *Context) truth {
	if c == nil {
		return unknown
	}
	switch e.Attribute.Name {
	case "ip":
		if !c.IP.IsValid() {
			return unknown
		}
		return truthOf(e.Network.Contains(c.IP.Unmap()))
	case "location":
		if c.Location == "" {
			return unknown
		}
		return truthOf(e.Holds(c.Location, true))
	}
	if c.Time.IsZero() {
		return unknown
	}
	switch e.Attribute.Name {
	case "weekday":
		return c.settled(truthOf(e.Holds(statement.Weekdays[e.Attribute.Local(c.Time).Weekday()], true)), unknown)
	case "hour":
		return c.settled(truthOf(e.Compares(float64(e.Attribute.Local(c.Time).Hour()))), unknown)
	}
	if e.Op == statement.OpBefore {
		return c.settled(truthOf(c.Time.Before(e.Instant)), no)
	}
	return c.settled(truthOf(c.Time.After(e.Instant)), yes)
}

// ofClaim compares what an identity provider said. Of a claim with several values, one is enough.
func ofClaim(e *statement.Expression, who *principalNode, c *Context) truth {
	values, told := c.claim(who, e.Attribute.Name)
	if !told {
		return unknown
	}
	if e.Op == statement.OpIsNot {
		return truthOf(!slices.Contains(values, e.Values[0]))
	}
	for _, value := range values {
		if e.Holds(value, true) {
			return yes
		}
	}
	return no
}

func ofSubject(e *statement.Expression, p *principalNode) truth {
	switch {
	case p.Kind == model.Provider && e.Attribute.Name == "kind" && !e.Attribute.Tag:
		return truthOf(e.Holds(model.OutsidePerson.String(), true))
	case p.Kind == model.Provider:
		return unknown // it stands for its people, of whom nothing more is known
	case e.Attribute.Tag:
		value, there := p.Tags[e.Attribute.Name]
		return truthOf(e.Holds(value, there))
	case e.Attribute.Name == "kind":
		return truthOf(e.Holds(p.Kind.String(), true))
	}
	return truthOf(e.Holds(p.Name, true))
}

func ofResource(e *statement.Expression, f facts) truth {
	if f.scope == nil {
		return unknown
	}
	typ := f.snapshot.catalogue.TypeAt(f.scope.typ)
	switch {
	case e.Attribute.Tag:
		if f.scope.more == nil {
			return truthOf(e.Holds("", false))
		}
		value, there := f.scope.more.tags[e.Attribute.Name]
		return truthOf(e.Holds(value, there))
	case e.Attribute.Name == "type":
		return truthOf(e.Holds(typ.Name, true))
	case typ.IsContainer():
		return truthOf(e.Holds(f.scope.name, true))
	}
	return truthOf(e.Holds(f.scope.name[:len(f.scope.name)-len(typ.Name)-1], true))
}

// Admits holds an entry rule, of [statement.ParseEntryRule], against what a provider says of somebody. If it does not hold, stops is the
// smallest part of it that keeps it from holding.
func Admits(rule *statement.Condition, claims map[string][]string) (admitted bool, stops string) {
	if rule == nil {
		return true, ""
	}
	if claims == nil {
		claims = map[string][]string{} // nothing was said, and that is known
	}
	f := facts{principal: &principalNode{Principal: Principal{Claims: claims}}}
	if evaluate(rule, f) == yes {
		return true, ""
	}
	return false, culprit(rule, f)
}

// culprit returns the smallest part of a condition that keeps it from holding.
func culprit(c *statement.Condition, f facts) string {
	e := c.Root
	for e.Op == statement.OpAnd {
		if evaluateExpression(e.Left, f) != yes {
			e = e.Left
		} else {
			e = e.Right
		}
	}
	return e.String()
}
