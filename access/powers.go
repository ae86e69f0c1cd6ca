package access

import (
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// Power is how somebody could give themselves more at a scope, by one change.
type Power struct {
	Scope model.ID
	Gains catalogue.Set // what they would hold there for certain, and do not hold now
	// By one of these:
	Role   *catalogue.Role // they may grant themselves this role there: of those they may grant, the one that adds most
	Policy bool            // they may write a statement that gives it
	Group  *Principal      // they may put themselves into this group
	RunAs  *Principal      // they may run a machine as this service account
}

// powersTold bounds how many groups and how many service accounts are looked through.
const powersTold = 200

// Powers returns what a principal could give themselves by one change, and where: by granting a role or writing a statement at a scope
// where they may, by joining a group, or by running a machine as a service account that holds more; the rule on gains counted. It
// is [Snapshot.EscalationPaths] asked of one principal about all permissions. Resetting the credentials of others gives nothing, since
// whose credentials somebody may take holds no more than they could give.
func (s *Snapshot) Powers(principal model.ID, c *Context) []Power {
	who := s.principalNode(principal)
	if who == nil || s.gone(who) || !who.Acts() {
		return nil
	}
	powers := s.powersByRules(who, c)
	return append(append(powers, s.powersByGroups(who, c)...), s.powersByAccounts(who, c)...)
}

// powersByRules returns what somebody could grant themselves, or write for themselves in a policy: at each scope what no scope above it
// gives already.
func (s *Snapshot) powersByRules(who *principalNode, c *Context) (powers []Power) {
	grant, write := s.catalogue.MustPermission("create grant"), s.catalogue.MustPermission("create policy")
	told := map[number]catalogue.Set{}
	for _, at := range s.turns(who, c) {
		held := s.held(who, at, c, false, false)
		grants, writes := held.Has(grant), held.Has(write)
		if !grants && !writes {
			continue
		}
		scope := s.scopes.get(at).id
		e := s.evaluation(who, at, c)
		gains := s.Givable(who.ID, scope, c).And(s.used(at)).Minus(held).Minus(e.lost()) // what is cut off comes back by no grant
		above := catalogue.Set{}
		for n := at; n != 0; {
			n = s.scopes.get(n).parent
			above = above.Or(told[n])
		}
		if gains.Minus(above).Len() == 0 {
			continue
		}
		power := Power{Scope: scope, Gains: gains, Policy: writes}
		if grants {
			power.Role = s.mostAdding(who.ID, scope, gains, c)
		}
		if power.Role == nil && !power.Policy {
			continue
		}
		told[at] = gains
		if powers = append(powers, power); len(powers) >= powersTold {
			break
		}
	}
	return powers
}

// turns returns the scopes at which what somebody holds is another than above, each after those above it: where their access changes, and
// what is right beneath a scope that differs from what is beneath it.
func (s *Snapshot) turns(who *principalNode, c *Context) (scopes []number) {
	seen := map[number]bool{}
	add := func(n number) bool {
		if !seen[n] {
			seen[n] = true
			scopes = append(scopes, n)
		}
		return true
	}
	for _, r := range s.Reach(who.ID, c) {
		at, _ := s.scopeNumber(r.Scope.ID)
		if r.Part == Beneath {
			s.children(at, "", add)
		} else {
			add(at)
		}
	}
	return scopes
}

// Givable returns the permissions that a principal may give at a scope and beneath it, without condition or end, as far as the rule
// on gains goes.
func (s *Snapshot) Givable(giver model.ID, scope model.ID, c *Context) catalogue.Set {
	at, there := s.scopeNumber(scope)
	if !there {
		return catalogue.Set{}
	}
	g := newGains(s, s, Maker{ID: giver, Now: c})
	givable := s.wideMeaning(at)
	for _, beneath := range []bool{false, true} {
		givable = givable.Minus(g.beyond(givable, g.certain(at, s.factsOf(at, beneath), beneath)))
	}
	return givable
}

// mostAdding finds the role that adds most of some permissions, among those that somebody may grant at a scope.
func (s *Snapshot) mostAdding(giver, scope model.ID, gains catalogue.Set, c *Context) *catalogue.Role {
	var most *catalogue.Role
	adds := 0
	for role := range s.RolesAt(scope) {
		if n := role.Permissions.And(gains).Len(); n > adds {
			if _, ok := s.MayGive(giver, role.Permissions, scope, c); ok {
				most, adds = role, n
			}
		}
	}
	return most
}

// powersByGroups returns what somebody would gain by groups that they may put themselves into.
func (s *Snapshot) powersByGroups(who *principalNode, c *Context) (powers []Power) {
	enrols := s.Decide(Question{Principal: who.ID, Permission: s.catalogue.MustPermission("enrol group"), Scope: s.scopes.get(0).id, Context: c}).Allowed
	for group := range s.Principals(model.Group) {
		node := s.principalNode(group.ID)
		if group.Gathers != nil || s.gone(node) || who.among(node.number) || !enrols && !s.Owns(who.ID, group.ID) {
			continue
		}
		join := AddMember{Membership: Membership{Group: group.ID, Member: who.ID}}
		next, err := s.With(s.revision, join)
		if err != nil {
			continue
		}
		var gained []Power
		for _, n := range s.placesOf(node) {
			if gains := next.held(next.principalNode(who.ID), n, c, false, false).And(s.used(n)).Minus(s.held(who, n, c, false, false)); gains.Len() > 0 {
				gained = append(gained, Power{Scope: s.scopes.get(n).id, Gains: gains, Group: &group})
			}
		}
		if len(gained) == 0 {
			continue
		}
		if _, beyond, err := s.Exceeds(Maker{ID: who.ID, Now: c}, join); err != nil || beyond {
			continue
		}
		if powers = append(powers, gained...); len(powers) >= powersTold {
			break
		}
	}
	return powers
}

// powersByAccounts returns what somebody would gain by running a machine as a service account.
func (s *Snapshot) powersByAccounts(who *principalNode, c *Context) (powers []Power) {
	attach := s.catalogue.MustPermission("attach service-account")
	for account := range s.Principals(model.ServiceAccount) {
		node := s.principalNode(account.ID)
		if s.gone(node) || !s.Decide(Question{Principal: who.ID, Permission: attach, Scope: account.Home, Context: c}).Allowed {
			continue
		}
		for _, n := range s.placesOf(node) {
			if gains := s.held(node, n, c, false, false).And(s.used(n)).Minus(s.held(who, n, c, false, false)); gains.Len() > 0 {
				powers = append(powers, Power{Scope: s.scopes.get(n).id, Gains: gains, RunAs: &account})
			}
		}
		if len(powers) >= powersTold {
			break
		}
	}
	return powers
}

// used returns what can be used at a scope: of one out of use only what lasts.
func (s *Snapshot) used(n number) catalogue.Set {
	if s.retired(n) {
		return s.meaning(n).And(s.catalogue.Lasting())
	}
	return s.meaning(n)
}

// placesOf returns where the rules stand that name somebody or what they are in.
func (s *Snapshot) placesOf(who *principalNode) (places []number) {
	for _, n := range who.all() {
		for _, r := range s.principals.Get(n).rules {
			if !slices.Contains(places, r.place) {
				places = append(places, r.place)
			}
		}
	}
	return places
}
