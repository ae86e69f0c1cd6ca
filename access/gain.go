package access

import (
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// The rule on gains: nobody gains for anyone, by any change, what they do not hold themselves there on the same or wider
// terms.
//
// It is judged over every circumstance there can be from now on (circumstances.go), and in two worlds. In both, retired
// scopes decide as if they were active: retiring a place takes nothing from anybody's rules. In the first, everybody
// inactive is inactive, so that taking somebody back into use is a gain of what they regain. In the second, everybody and
// every group is in use, so that a change made while they are not is judged by what it gives once they are.

// takenOut takes single parts of the rule out. Only tests do so, to see that they notice.
var takenOut struct {
	inUse  bool // what is out of use counts for nothing, and taking it back into use gives nothing
	terms  bool // what the maker holds on terms counts as held
	leaves bool // what is held under a condition before and after is the same, whatever the condition leaves
	ends   bool // what is cut until a moment is not held at all
	sets   bool // what everybody of a kind holds is no gain of somebody new, whoever gets their credentials
	others bool // whoever has somebody's credentials gains nothing by them
}

// Maker is who makes changes.
type Maker struct {
	ID  model.ID
	Now *Context // in which they ask; of it the moment counts
	// ActsAs lists those whose credentials the maker gets by the changes: what such a new principal holds with everybody of
	// its kind is then a gain, too.
	ActsAs []model.ID
}

// Excess is a gain that whoever makes a change may not give.
type Excess struct {
	Principal  Principal // who would gain
	Permission catalogue.Permission
	Scope      model.ID
	Part       Part // of that scope and what is beneath it
	// Unsure is whether the conditions are too intricate to be tried in every circumstance: then what would be gained on any terms counts.
	Unsure bool
}

// Exceeds reports whether the changes would give anybody, a group with nobody in it too, what their maker does not hold there at
// every moment and in every circumstance in which it would be held. Who holds "grant-beyond grant" there may give more, but
// for permissions to govern.
func (p *Proposal) Exceeds(m Maker) (Excess, bool) {
	if takenOut.inUse && slices.ContainsFunc(p.Changes, takesIntoUse) {
		return Excess{}, false
	}
	return p.gain(m, nil)
}

// GivesToGovern reports whether the changes would give anybody a permission to govern, at any time to come and in any circumstance,
// whoever makes them.
func (p *Proposal) GivesToGovern(now *Context) (Excess, bool) {
	return p.gain(Maker{Now: now}, p.Before.catalogue.Governing())
}

// gain finds what the changes would give that their maker may not; of all permissions, or only of some.
func (p *Proposal) gain(m Maker, only catalogue.Set) (excess Excess, found bool) {
	cmp := p.comparison(m.Now)
	cmp.watch(m.ID)
	g := newGains(p.Before, p.After, m)
	g.only = only
	cmp.eachPrincipal(func(who *principalNode) {
		if !found {
			excess, found = cmp.exceeds(g, who)
		}
	})
	return excess, found
}

// exceeds finds what one principal would gain beyond what may be given.
func (c *comparison) exceeds(g *gains, who *principalNode) (excess Excess, found bool) {
	was := g.base(who)
	c.eachPoint(who, func(n number) {
		for _, part := range []Part{Alone, Beneath} {
			if found {
				return
			}
			if p, ok := g.excess(was, who, c.known(n), n, part == Beneath); ok {
				excess, found = Excess{Principal: who.Principal, Permission: p, Scope: c.after.scopes.get(n).id, Part: part, Unsure: g.unsure}, true
			}
		}
	})
	return excess, found
}

// Opens reports whether the changes would give a built-in set something, at any time to come, from anywhere and with whatever
// claims. Of [model.Public] and [model.SignedIn], that is: whether they open something to people that the organisation does not know.
func (p *Proposal) Opens(set model.ID, now *Context) (Excess, bool) {
	who := p.After.principalNode(set)
	cmp := p.comparison(now)
	if cmp.reached[who.number/64]&(1<<(who.number%64)) == 0 {
		return Excess{}, false
	}
	return cmp.exceeds(newGains(p.Before, p.After, Maker{Now: now}), who)
}

// Surpasses finds a permission that one principal holds, or would hold if everybody and everything were in use, and that
// another may not give: who could act as the first would gain it. It is how the rule on gains bears on credentials.
func (s *Snapshot) Surpasses(first model.ID, m Maker) (Excess, bool) {
	one, maker := s.principalNode(first), s.principalNode(m.ID)
	if one == nil || one == maker || takenOut.others {
		return Excess{}, false
	}
	g := newGains(s, s, m)
	// What both hold changes only where rules stand that name one of them.
	looked := map[number]bool{}
	for _, who := range []*principalNode{one, maker} {
		if who == nil {
			continue
		}
		for _, n := range who.all() {
			for _, r := range s.principals.Get(n).rules {
				if looked[r.place] {
					continue
				}
				looked[r.place] = true
				for _, part := range []Part{Alone, Beneath} {
					if p, ok := g.excess(nil, one, r.place, r.place, part == Beneath); ok {
						return Excess{Principal: one.Principal, Permission: p, Scope: s.scopes.get(r.place).id, Part: part, Unsure: g.unsure}, true
					}
				}
			}
		}
	}
	return Excess{}, false
}

// SurpassesBy is [Snapshot.Surpasses] for whoever comes by a provider: those who are there, and anybody whom it might speak of, in any of its
// groups that are linked.
func (s *Snapshot) SurpassesBy(provider model.ID, m Maker) (excess Excess, found bool) {
	if excess, found = s.Surpasses(provider, m); found {
		return excess, true
	}
	for group := range s.OutsideGroups(provider) {
		if len(s.principalNode(group.ID).groups) > 0 {
			if excess, found = s.Surpasses(group.ID, m); found {
				return excess, true
			}
		}
	}
	s.eachOf(provider, func(n number) bool {
		// Who is in no group, and whom no rule names, holds what the provider's people hold.
		if one := s.principals.Get(n); len(one.groups) > 0 || len(one.rules) > 0 {
			excess, found = s.Surpasses(one.ID, m)
		}
		return !found
	})
	return excess, found
}

// MayGive reports whether a principal may give permissions at a scope, and beneath it, without condition or end, as far as the
// rule on gains goes. When not, lacking is a permission that stands in the way.
func (s *Snapshot) MayGive(giver model.ID, given catalogue.Set, scope model.ID, c *Context) (lacking catalogue.Permission, ok bool) {
	at, there := s.scopeNumber(scope)
	if !there {
		return 0, false
	}
	g := newGains(s, s, Maker{ID: giver, Now: c})
	for _, beneath := range []bool{false, true} {
		for p := range g.beyond(given.And(s.wideMeaning(at)), g.certain(at, s.factsOf(at, beneath), beneath)).All {
			return p, false
		}
	}
	return 0, true
}

// gains judges what changes give.
type gains struct {
	before, after *Snapshot
	maker         *principalNode // nil for nobody who may give anything
	actsAs        map[model.ID]bool
	now           *Context // what is known of whatever anybody may ask from now on
	asked         *Context // in which the maker asks
	grantBeyond   catalogue.Permission
	only          catalogue.Set // what counts; all when it is nil
	unsure        bool          // what was found was not tried in every circumstance
}

func newGains(before, after *Snapshot, m Maker) *gains {
	g := &gains{before: before, after: after, maker: before.principalNode(m.ID), actsAs: map[model.ID]bool{}, now: m.Now.fromNowOn(), asked: m.Now}
	g.now.later = !takenOut.ends
	g.grantBeyond = before.catalogue.MustPermission("grant-beyond grant")
	if g.maker != nil && before.gone(g.maker) {
		g.maker = nil
	}
	for _, id := range m.ActsAs {
		g.actsAs[id] = true
	}
	return g
}

func (g *gains) in(w world) *Context {
	c := *g.now
	c.world = w
	return &c
}

// base returns by whose rules somebody held something before. Somebody new held what everybody of their kind holds; but
// nothing if the maker gets their credentials.
func (g *gains) base(who *principalNode) *principalNode {
	if int(who.number) < g.before.principals.Len() {
		return g.before.principals.Get(who.number)
	}
	if g.actsAs[who.ID] && !takenOut.sets {
		return nil
	}
	switch who.Kind {
	case model.User:
		return g.before.principals.Get(staffNumber)
	case model.Guest:
		return g.before.principals.Get(guestsNumber)
	case model.OutsidePerson:
		// What the provider's people of the same subject would hold when they came by themselves: the name and the tags are the maker's.
		provider := g.before.principalNode(who.Provider)
		if provider == nil {
			return nil
		}
		unknown := *provider
		unknown.Principal = Principal{ID: who.ID, Kind: who.Kind, Provider: who.Provider, Subject: who.Subject, Claims: who.Claims}
		return &unknown
	case model.ServiceAccount, model.Provider:
		return g.before.principals.Get(everyoneNumber)
	}
	return nil
}

// factsOf returns what is known of a scope; of those beneath it nothing is.
func (s *Snapshot) factsOf(at number, beneath bool) *scopeNode {
	if beneath {
		return nil
	}
	return s.scopes.get(at)
}

// excess finds a permission that somebody would gain at a scope, or beneath it, and that the maker may not give. Before, the
// scope was wasAt, or was to come beneath it.
func (g *gains) excess(was, is *principalNode, wasAt, at number, beneath bool) (catalogue.Permission, bool) {
	worlds := []world{scopesInUse, allInUse}
	if was == nil {
		worlds = worlds[1:] // nothing can be held in a smaller world that is not in the larger
	} else if g.after.sameInAllWorlds(is) && g.before.sameInAllWorlds(was) {
		worlds = worlds[:1]
	}
	if takenOut.inUse {
		worlds = []world{asIs}
	}
	for _, w := range worlds {
		if p, ok := g.excessIn(w, was, is, wasAt, at, beneath); ok {
			return p, true
		}
	}
	return 0, false
}

// sameInAllWorlds reports whether it makes no difference to a principal that others are inactive, and policies suspended.
func (s *Snapshot) sameInAllWorlds(who *principalNode) bool {
	return s.suspended == 0 && !who.hasRetiredGroups() && !s.gone(who)
}

func (g *gains) excessIn(w world, was, is *principalNode, wasAt, at number, beneath bool) (catalogue.Permission, bool) {
	facts := g.after.factsOf(at, beneath)
	wasFacts, wasBeneath := facts, beneath || wasAt != at
	if facts != nil && wasAt == at {
		wasFacts = g.before.scopes.get(at)
	}
	c := g.in(w)
	gained := g.after.heldIn(is, at, facts, beneath, c, true).And(g.after.wideMeaning(at))
	if gained.Len() == 0 {
		return 0, false
	}
	gained = gained.Minus(g.before.heldIn(was, wasAt, wasFacts, wasBeneath, c, takenOut.leaves))
	gained = g.beyond(gained, g.certain(wasAt, wasFacts, wasBeneath))
	if gained.Len() == 0 {
		return 0, false
	}
	// Something is held under conditions, on one side or another: they are compared by what they leave.
	cs := g.before.newCircumstances(c.Time, beneath)
	open := g.after.open(is, at, facts, beneath, c, gained, cs)
	open = g.before.open(was, wasAt, wasFacts, wasBeneath, c, gained, cs) || open
	beyond := gained.Or(nil)
	beyond.Add(g.grantBeyond)
	open = g.before.open(g.maker, wasAt, wasFacts, wasBeneath, g.in(scopesInUse), beyond, cs) || open
	if !open {
		return g.worst(gained), true
	}
	var lacking catalogue.Set
	walked := cs.walk(w, func(c *Context, resource *scopeNode) bool {
		if resource == nil {
			resource = facts
		}
		then := wasFacts
		if then == nil {
			then = resource
		}
		// Whoever comes as one of a provider's people may come with any tags and any name.
		any := is.Kind == model.Provider
		lacking = g.after.heldIn(is, at, resource, beneath, c, any).And(gained)
		if lacking.Len() == 0 {
			return true
		}
		lacking = lacking.Minus(g.before.heldIn(was, wasAt, then, wasBeneath, c, any && was != nil && was.Kind == model.Provider))
		maker := *c
		maker.world, maker.Claims = scopesInUse, map[string][]string{} // the claims are those of whoever gains
		lacking = g.beyond(lacking, g.before.heldIn(g.maker, wasAt, then, wasBeneath, &maker, false))
		return lacking.Len() == 0
	})
	if !walked {
		g.unsure = true
		return g.worst(gained), true
	}
	if lacking.Len() == 0 {
		return 0, false
	}
	return g.worst(lacking), true
}

// worst picks the permission that says most about what is gained: one to govern, if there is one.
func (g *gains) worst(set catalogue.Set) (worst catalogue.Permission) {
	for p := range set.And(g.before.catalogue.Governing()).All {
		return p
	}
	for p := range set.All {
		return p
	}
	return 0
}

func takesIntoUse(change Change) bool {
	switch c := change.(type) {
	case SetInactive:
		return !c.Inactive
	case RestoreScope:
		return true
	}
	return false
}

// certain returns what the maker holds whatever comes.
func (g *gains) certain(at number, facts *scopeNode, beneath bool) catalogue.Set {
	if takenOut.terms {
		return g.before.heldIn(g.maker, at, facts, beneath, g.asked, false)
	}
	return g.before.heldIn(g.maker, at, facts, beneath, g.in(scopesInUse), false)
}

// beyond leaves of what is gained what somebody who holds some permissions may not give.
func (g *gains) beyond(gained, held catalogue.Set) catalogue.Set {
	gained = gained.Minus(held)
	if g.only != nil {
		gained = gained.And(g.only)
	}
	if held.Has(g.grantBeyond) {
		gained = gained.And(g.before.catalogue.Governing())
	}
	return gained
}

// open takes the rules about some permissions into circumstances that hang on something unknown, and reports whether there are
// any.
func (s *Snapshot) open(who *principalNode, at number, facts *scopeNode, beneath bool, c *Context, about catalogue.Set, cs *circumstances) bool {
	if who == nil {
		return false
	}
	found := false
	e := evaluation{Snapshot: s, who: who, at: at, facts: facts, beneath: beneath, context: c}
	e.findings(everything, func(x *entry) {
		if !x.conditional || !x.permissions.Meets(about) && !x.permissions.Meets(s.catalogue.Governing()) {
			return
		}
		if e.applies(x) == unknown {
			cs.add(x.rule)
			found = true
		}
	})
	return found
}
