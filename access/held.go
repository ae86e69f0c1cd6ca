package access

import (
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// Held returns all that a principal holds at a scope, whether or not it means something there. It is empty for inactive and
// unknown principals.
func (s *Snapshot) Held(principal, scope model.ID, c *Context) catalogue.Set {
	who := s.principalNode(principal)
	at, there := s.scopeNumber(scope)
	if who == nil || !there || s.gone(who) {
		return nil
	}
	return s.held(who, at, c, false, false)
}

// held is heldAt without what it learns on the way.
func (s *Snapshot) held(who *principalNode, at number, c *Context, lenient, beneath bool) catalogue.Set {
	set, _ := s.heldAt(who, at, c, lenient, beneath)
	return set
}

// heldAt returns what is held at a scope; leniently, what is unknown counts in favour. Beneath, it is what is held at any
// scope beneath that no rule names: what is said of the resource is unknown, and rules for the scope alone are left out.
func (s *Snapshot) heldAt(who *principalNode, at number, c *Context, lenient, beneath bool) (catalogue.Set, hangs) {
	if lenient {
		c = c.inTime()
	}
	e := evaluation{Snapshot: s, who: who, at: at, facts: s.factsOf(at, beneath), beneath: beneath, context: c, lenient: lenient}
	return e.held()
}

// heldIn returns what somebody holds in the world of a context, with the facts given: nil when they are unknown, or those of a scope that is
// not there yet. Nobody holds nothing.
func (s *Snapshot) heldIn(who *principalNode, at number, facts *scopeNode, beneath bool, c *Context, lenient bool) catalogue.Set {
	if who == nil || !c.peopleInUse() && s.gone(who) {
		return nil
	}
	e := evaluation{Snapshot: s, who: who, at: at, facts: facts, beneath: beneath, context: c, lenient: lenient}
	set, _ := e.held()
	return set
}

// holding is what a principal holds, for certain and perhaps.
type holding struct {
	firm     catalogue.Set
	possible catalogue.Set // firm, and what hangs on something unknown or is still to begin
	hangs
}

func (s *Snapshot) holding(who *principalNode, at number, c *Context, beneath bool) holding {
	if s.gone(who) {
		return holding{}
	}
	h := holding{}
	if h.firm, h.hangs = s.heldAt(who, at, c, false, beneath); !h.onTerms {
		h.possible = h.firm
		return h
	}
	h.possible = s.held(who, at, c, true, beneath)
	return h
}

// within limits a holding to what means something.
func (h holding) within(meaning catalogue.Set) holding {
	return holding{firm: h.firm.And(meaning), possible: h.possible.And(meaning), hangs: h.hangs}
}

// Holds returns what a principal holds at a scope of what means something there: for certain, and perhaps, which is what hangs
// on something unknown or is still to begin besides.
func (s *Snapshot) Holds(principal, scope model.ID, c *Context) (firm, perhaps catalogue.Set) {
	who := s.principalNode(principal)
	at, there := s.scopeNumber(scope)
	if who == nil || !there {
		return nil, nil
	}
	h := s.holding(who, at, c, false).within(s.meaning(at))
	return h.firm, h.possible.Minus(h.firm)
}

// same compares two sets; trailing words may be missing in one.
func same(a, b catalogue.Set) bool {
	if len(a) < len(b) {
		a, b = b, a
	}
	for i, word := range a {
		if i < len(b) && word != b[i] || i >= len(b) && word != 0 {
			return false
		}
	}
	return true
}
