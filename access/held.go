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
	var met hangs
	if lenient {
		c = c.inTime()
	}
	scope := s.scopes.get(at)
	if beneath {
		scope = nil
	}
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
				governing = governing || e.grant && e.permissions.Meets(s.catalogue.governing)
			}
			return true
		})
	}
	held := given.Minus(cut)
	if governing && cut.Meets(s.catalogue.governing) {
		held.addAll(s.repairs(who, at, c, lenient, beneath))
	}
	if retired {
		held = held.And(s.catalogue.lasting)
	}
	return held, met
}

// takes reports whether a rule that names a principal counts.
func (s *Snapshot) takes(e *entry, who *principalNode, scope *scopeNode, c *Context, lenient bool) bool {
	if !e.slow {
		return true
	}
	m := e.rule.matches(who, scope, s, c)
	return m == yes || m == unknown && e.cuts != lenient
}

// repairs gives the permissions to govern that come from grants no matching cut touches, since they were made above the
// scope where it was set.
func (s *Snapshot) repairs(who *principalNode, at number, c *Context, lenient, beneath bool) Set {
	scope := s.scopes.get(at)
	if beneath {
		scope = nil
	}
	var grants, cuts []*rule
	for up := s.upward(at); up.next(); {
		if up.node.rules == nil {
			continue
		}
		up.node.rules.each(who, func(e *entry) bool {
			if !e.cuts && !e.grant || e.here && (beneath || up.number != at) || !s.takes(e, who, scope, c, lenient) {
				return true
			}
			if e.cuts {
				cuts = append(cuts, e.rule)
			} else {
				grants = append(grants, e.rule)
			}
			return true
		})
	}
	var kept Set
	for _, grant := range grants {
		left := grant.permissions.And(s.catalogue.governing)
		for _, cut := range cuts {
			if !s.isAbove(grant.place, cut.set) {
				left = left.Minus(cut.permissions)
			}
		}
		kept.addAll(left)
	}
	return kept
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
