package access

// Loss is a statement that takes away part of what a grant gives at a scope.
type Loss struct {
	Rule RuleRef
	Of   Set // what it takes away of what the grant gives and of what means something there
}

// LossesOf gives the statements that take away part of what a grant gives its holder at a scope, nearest first. What a
// condition leaves open counts as taken away, as it does in a decision. Who governs by a grant from above the scope where a
// statement was set keeps that, and what it takes to find what to repair.
func (s *Snapshot) LossesOf(grant ID, scope ID, c *Context) []Loss {
	g, ok := s.Grant(grant)
	if !ok {
		return nil
	}
	who, at, there := s.find(g.Principal, scope)
	if !there {
		return nil
	}
	place, _ := s.scopeNumber(g.Scope)
	given := s.Gives(RuleRef{Grant: grant}).And(s.meaning(at))
	var losses []Loss
	asked := s.scopes.get(at)
	for up := s.upward(at); up.next(); {
		if up.node.rules == nil {
			continue
		}
		up.node.rules.each(who, func(e *entry) bool {
			if !e.cuts || e.here && up.number != at || !s.takes(e, who, asked, c, false) {
				return true
			}
			of := given.And(e.permissions)
			if given.Meets(s.catalogue.governing) && s.isAbove(place, e.rule.set) {
				of = of.Minus(s.catalogue.governing).Minus(s.catalogue.finding)
			}
			if of.Len() > 0 {
				losses = append(losses, Loss{Rule: e.rule.ref, Of: of})
			}
			return true
		})
	}
	return losses
}
