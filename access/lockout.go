package access

import (
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// repairs names what it takes to govern a scope, so that whatever was done to its access can be repaired.
var repairs = [...]string{"create grant", "revoke grant", "edit policy", "retire policy"}

// lockOut refuses a draft after which no active user could govern some scope for certain, without condition or end, where one
// could before.
//
// Whoever governs by a rule at the organisation is spared by every cut that was set beneath it. So it is enough to look at the
// organisation, and where a cut that was set there holds.
func (d *draft) lockOut(from *Snapshot) *model.Violation {
	for _, name := range repairs {
		p := d.catalogue.MustPermission(name)
		if from.scopes.len() == 0 || from.ungoverned(p) != nil {
			continue
		}
		gap := d.ungoverned(p)
		if gap == nil {
			continue
		}
		where := d.address(gap.at)
		if gap.beneath {
			where = "the scopes below " + where
		}
		if gap.cut == nil {
			return model.Violationf(model.RuleLockOut, "nobody would be left with %q at %s without a condition or an end: make somebody else steward of it first", name, where)
		}
		policy, _ := d.policies.Get(gap.cut.ref.Policy)
		return model.Violationf(model.RuleLockOut, "nobody would be left with %q at %s without a condition or an end: statement %d of policy %s denies it to everybody. Add an exception for a person who governs there",
			name, where, gap.cut.ref.Statement+1, policy.Name)
	}
	return nil
}

// gap is where nobody governs.
type gap struct {
	at      number
	beneath bool
	cut     *rule // that takes it from the last who could; nil when it is not given to anybody
}

// ungoverned finds a scope where no active user holds a permission for certain; nil when there is none.
func (s *Snapshot) ungoverned(p catalogue.Permission) *gap {
	rules := s.scopes.get(0).rules
	if rules == nil {
		return &gap{}
	}
	c := &Context{world: scopesInUse} // what is left untold is unknown: it makes nothing certain
	var candidates []*principalNode
	var cuts []*rule
	seen := map[number]bool{}
	for _, r := range rules.all {
		if r.cuts || !r.permissions.Has(p) {
			continue
		}
		for _, n := range r.names() {
			s.anyMember(n, seen, func(user *principalNode) bool {
				if user.Kind == model.User {
					candidates = append(candidates, user)
				}
				return false
			})
		}
	}
	for _, policy := range s.policiesAt(0) {
		if policy.Suspended {
			continue
		}
		for _, r := range policy.rules {
			if _, dormant := s.dormant.Get(r); !dormant && r.cuts && r.permissions.Has(p) {
				cuts = append(cuts, r)
			}
		}
	}
	for _, beneath := range []bool{false, true} {
		if g := s.gapAt(0, beneath, p, candidates, cuts, c); g != nil {
			return g
		}
		for _, cut := range cuts {
			if cut.place == 0 || beneath && cut.exactScope {
				continue
			}
			if g := s.gapAt(cut.place, beneath, p, candidates, cuts, c); g != nil {
				return g
			}
		}
	}
	return nil
}

func (s *Snapshot) policiesAt(n number) []*policyNode {
	if more := s.scopes.get(n).more; more != nil {
		return more.policies
	}
	return nil
}

// gapAt is a gap if none of some users holds a permission at a scope, or beneath it.
func (s *Snapshot) gapAt(at number, beneath bool, p catalogue.Permission, users []*principalNode, cuts []*rule, c *Context) *gap {
	facts := s.factsOf(at, beneath)
	for _, user := range users {
		if s.heldIn(user, at, facts, beneath, c, false).Has(p) {
			return nil
		}
	}
	g := &gap{at: at, beneath: beneath}
	for _, cut := range cuts {
		if s.isAtOrBeneath(at, cut.place) && (!cut.exactScope || cut.place == at && !beneath) {
			g.cut = cut
		}
	}
	return g
}
