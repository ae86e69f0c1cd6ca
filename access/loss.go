package access

import (
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// Loss is a statement that takes away part of what a grant gives at a scope.
type Loss struct {
	Rule RuleRef
	Of   catalogue.Set // what it takes away of what the grant gives and of what means something there
}

// LossesOf returns the statements that take away part of what a grant gives its holder at a scope, nearest first. What a
// condition leaves open counts as taken away, as it does in a decision. Who governs by a rule from above the scope where a
// statement was set keeps what it lets them govern, and what it takes to find what to repair.
func (s *Snapshot) LossesOf(grant model.ID, scope model.ID, c *Context) []Loss {
	g, ok := s.Grant(grant)
	if !ok {
		return nil
	}
	who, at, there := s.find(g.Principal, scope)
	if !there {
		return nil
	}
	given := s.Gives(RuleRef{Grant: grant}).And(s.meaning(at))
	e := s.evaluation(who, at, c)
	found := e.outcome()
	var losses []Loss
	for _, cut := range found.cuts {
		if of := given.And(cut.permissions).Minus(s.spares(cut, found.gives)); of.Len() > 0 {
			losses = append(losses, Loss{Rule: cut.ref, Of: of})
		}
	}
	return losses
}
