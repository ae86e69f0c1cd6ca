package access

// MayGive reports whether a principal may give permissions at a scope as far as the rule on gains goes: nobody gives what
// they do not hold there themselves. Who holds "grant-beyond grant" there may, but for permissions to govern. When not,
// lacking is a permission that stands in the way.
func (s *Snapshot) MayGive(giver ID, given Set, scope ID, c *Context) (lacking Permission, ok bool) {
	at, there := s.scopeNumber(scope)
	if !there {
		return 0, false
	}
	beyond := given.And(s.meaning(at)).Minus(s.Held(giver, scope, c))
	for p := range beyond.And(s.catalogue.governing).All {
		return p, false
	}
	for p := range beyond.All {
		beyondGrant := Question{Principal: giver, Permission: s.catalogue.MustPermission("grant-beyond grant"), Scope: scope, Context: c}
		return p, s.Decide(beyondGrant).Allowed
	}
	return 0, true
}

// MayEnrol reports whether a principal may put somebody into a group as far as the rule on gains goes: all that rules
// give to the group, or to one it is within, must be what the principal may give where it is given. When not, refused is
// the rule that stands in the way, and lacking a permission of it.
func (s *Snapshot) MayEnrol(enroller, group ID, c *Context) (refused RuleRef, lacking Permission, ok bool) {
	node := s.principalNode(group)
	if node == nil {
		return RuleRef{}, 0, false
	}
	for _, n := range append([]number{node.number}, s.within(node)...) {
		for _, r := range s.principals.get(n).rules {
			if r.cuts {
				continue
			}
			if lacking, ok := s.MayGive(enroller, r.permissions, s.scopes.get(r.place).id, c); !ok {
				return r.ref, lacking, false
			}
		}
	}
	return RuleRef{}, 0, true
}

// Surpasses finds a permission that one principal holds, or would hold if it were in use, and that another may not give:
// who could act as the first, at whatever moment and from wherever, would gain it. It is how the rule on gains bears on credentials.
func (s *Snapshot) Surpasses(first, other ID, c *Context) (Excess, bool) {
	if p, ok := s.Principal(first); ok && p.Inactive {
		if in, err := s.With(s.revision, SetInactive{ID: first}); err == nil {
			s = in
		}
	}
	one, giver := s.principalNode(first), s.principalNode(other)
	if one == nil || giver == nil || one == giver {
		return Excess{}, false
	}
	// What both hold changes only where rules stand that mean one of them.
	looked := map[number]bool{}
	for _, who := range []*principalNode{one, giver} {
		for _, n := range who.live() {
			for _, r := range s.principals.get(n).rules {
				if looked[r.place] {
					continue
				}
				looked[r.place] = true
				for _, beneath := range []bool{false, true} {
					if p, ok := s.surpassedAt(one, giver, r.place, c, beneath); ok {
						return Excess{Principal: one.Principal, Permission: p, Scope: s.scopes.get(r.place).id}, true
					}
				}
			}
		}
	}
	return Excess{}, false
}

// surpassedAt finds what one holds at a scope, or beneath it, and a giver may not give there.
func (s *Snapshot) surpassedAt(one, giver *principalNode, at number, c *Context, beneath bool) (Permission, bool) {
	held := s.holding(giver, at, c, beneath).firm
	beyond := s.holding(one, at, c.fromNowOn(), beneath).possible.And(s.meaning(at)).Minus(held)
	if held.Has(s.catalogue.MustPermission("grant-beyond grant")) {
		beyond = beyond.And(s.catalogue.governing)
	}
	for p := range beyond.All {
		return p, true
	}
	return 0, false
}
