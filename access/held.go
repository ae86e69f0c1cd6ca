package access

// Held gives all that a principal holds at a scope, whether or not it means something there. It is empty for inactive and
// unknown principals.
func (s *Snapshot) Held(principal, scope ID, c *Context) Set {
	who := s.principalNode(principal)
	at, there := s.scopeNumber(scope)
	if who == nil || !there || s.gone(who) {
		return nil
	}
	return s.held(who, at, c, false, false)
}

// held is heldAt without what it learns on the way.
func (s *Snapshot) held(who *principalNode, at number, c *Context, lenient, beneath bool) Set {
	set, _ := s.heldAt(who, at, c, lenient, beneath)
	return set
}

// hangs says what the answer of heldAt depends on: with neither, it is the same leniently, and beneath.
type hangs struct {
	onTerms bool // rules with conditions, periods, exceptions or claims
	onPlace bool // rules for the scope alone
}

// heldAt gives what is held at a scope; leniently, what is unknown counts in favour. Beneath, it is what is held at any
// scope beneath that no rule names: what is said of the resource is unknown, and rules for the scope alone are left out.
func (s *Snapshot) heldAt(who *principalNode, at number, c *Context, lenient, beneath bool) (Set, hangs) {
	if lenient {
		c = c.inTime()
	}
	scope := s.scopes.get(at)
	if beneath {
		scope = nil
	}
	return s.heldOf(who, at, scope, beneath, c, lenient)
}

// heldOf is heldAt for a scope with the facts given: nil when they are unknown, or those of a scope that is not there yet.
func (s *Snapshot) heldOf(who *principalNode, at number, scope *scopeNode, beneath bool, c *Context, lenient bool) (Set, hangs) {
	var met hangs
	var room [8]uint64
	given, cut := Set(room[:0:4]), Set(room[4:4:8])
	retired, governing := false, false
	for up := s.upward(at); up.next(); {
		retired = retired || up.node.retired
		if up.node.rules == nil {
			continue
		}
		up.node.rules.each(who, func(e *entry) bool {
			met.onTerms = met.onTerms || e.slow
			met.onPlace = met.onPlace || e.here && up.number == at
			if e.here && (beneath || up.number != at) || !s.takes(e, who, scope, c, lenient) {
				return true
			}
			if e.cuts {
				cut.addAll(e.permissions)
			} else {
				given.addAll(e.permissions)
				governing = governing || e.permissions.Meets(s.catalogue.governing)
			}
			return true
		})
	}
	held := given.Minus(cut)
	if governing && cut.Meets(given) {
		held = given.Minus(s.touched(who, at, scope, beneath, c, lenient))
	}
	if retired && !c.scopesInUse() {
		held = held.And(s.catalogue.lasting)
	}
	return held, met
}

// takes reports whether a rule that names a principal, perhaps through retired groups, counts.
func (s *Snapshot) takes(e *entry, who *principalNode, scope *scopeNode, c *Context, lenient bool) bool {
	if !e.cuts && who.resting != nil && !who.isGivenAs(e.subject, c) {
		return false
	}
	if !e.slow {
		return true
	}
	m := e.rule.matches(who, scope, s, c)
	return m == yes || m == unknown && e.cuts != lenient
}

// met are the rules that count for a principal on the way up from a scope, nearest first.
type met struct{ gives, cuts []*rule }

func (s *Snapshot) meetAll(who *principalNode, at number, scope *scopeNode, beneath bool, c *Context, lenient bool, met *met) {
	for up := s.upward(at); up.next(); {
		if up.node.rules == nil {
			continue
		}
		up.node.rules.each(who, func(e *entry) bool {
			if e.here && (beneath || up.number != at) || !s.takes(e, who, scope, c, lenient) {
				return true
			}
			if e.cuts {
				met.cuts = append(met.cuts, e.rule)
			} else {
				met.gives = append(met.gives, e.rule)
			}
			return true
		})
	}
}

// touched gives what cuts take from a principal, less what they spare.
func (s *Snapshot) touched(who *principalNode, at number, scope *scopeNode, beneath bool, c *Context, lenient bool) Set {
	var met met
	s.meetAll(who, at, scope, beneath, c, lenient, &met)
	var lost Set
	for _, cut := range met.cuts {
		lost.addAll(cut.permissions.Minus(s.spares(cut, met.gives)))
	}
	return lost
}

// spares gives what a cut does not take from whom some rules let govern: see [Snapshot.touching].
func (s *Snapshot) spares(cut *rule, gives []*rule) Set {
	var spared Set
	for _, r := range gives {
		if r.permissions.Meets(s.catalogue.governing) && s.isAbove(r.place, cut.set) {
			spared.addAll(r.permissions.And(s.catalogue.governing))
			spared.addAll(s.catalogue.finding)
		}
	}
	return spared
}

// holding is what a principal holds, for certain and perhaps.
type holding struct {
	firm     Set
	possible Set // firm, and what hangs on something unknown or is still to begin
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
func (h holding) within(meaning Set) holding {
	return holding{firm: h.firm.And(meaning), possible: h.possible.And(meaning), hangs: h.hangs}
}

// Holds gives what a principal holds at a scope of what means something there: for certain, and perhaps, which is what hangs
// on something unknown or is still to begin besides.
func (s *Snapshot) Holds(principal, scope ID, c *Context) (firm, perhaps Set) {
	who := s.principalNode(principal)
	at, there := s.scopeNumber(scope)
	if who == nil || !there {
		return nil, nil
	}
	h := s.holding(who, at, c, false).within(s.meaning(at))
	return h.firm, h.possible.Minus(h.firm)
}
