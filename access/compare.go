package access

import (
	"maps"
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// comparison holds effective access in one snapshot against that in the next.
//
// What somebody holds changes along the tree only at scopes where a rule that means them is placed, and where a change
// itself set in. So it is enough to compare at these points: at the scope itself, and for all beneath it.
type comparison struct {
	before, after *Snapshot
	context       *Context
	reached       []uint64        // principals whose access may differ
	marked        [2][]uint64     // those whom rules name, by either snapshot
	regions       []number        // scopes at or beneath which it may; none for everywhere
	everywhere    bool            // whatever is said of regions
	depths        []uint16        // of containers, as far as known: what depthIn says of them
	extra         map[number]bool // points besides the rules' places
	points        []point         // of the principal in hand
}

// prepare works out whom and where changes may touch.
func (c *comparison) prepare(changes []Change) {
	c.reached = make([]uint64, c.after.principals.Len()/64+1)
	c.marked = [2][]uint64{make([]uint64, len(c.reached)), make([]uint64, len(c.reached))}
	c.extra = map[number]bool{}
	c.depths = make([]uint16, c.after.scopes.containers.Len())
	for _, change := range changes {
		change.touches(c)
	}
	for i := range c.reached {
		c.reached[i] |= c.marked[0][i] | c.marked[1][i]
	}
}

// takeRole takes in all rules by which a role is given, before and after.
func (c *comparison) takeRole(name string) {
	for _, s := range []*Snapshot{c.before, c.after} {
		grants, statements := s.RoleUse(name)
		for _, grant := range grants {
			c.takeRule(s, RuleRef{Grant: grant.ID})
		}
		for _, ref := range statements {
			c.takeRule(s, ref)
		}
	}
}

// takeRule takes in whom a rule names, and its place.
func (c *comparison) takeRule(s *Snapshot, ref RuleRef) {
	var r *rule
	if node, ok := s.grants.Get(ref.Grant); ok {
		r = node.rule
	} else if p, ok := s.policies.Get(ref.Policy); ok {
		r = p.rules[ref.Statement]
	}
	if r == nil {
		return
	}
	for _, n := range r.names() {
		c.takeNamed(n)
	}
	c.regions = append(c.regions, r.place)
	c.extra[r.place] = true
}

func (c *comparison) takePolicy(id model.ID) {
	for _, s := range []*Snapshot{c.before, c.after} {
		if p, ok := s.policies.Get(id); ok {
			for i := range p.rules {
				c.takeRule(s, RuleRef{Policy: id, Statement: i})
			}
		}
	}
}

func (c *comparison) takeNamed(n number) {
	for i, s := range []*Snapshot{c.before, c.after} {
		if int(n) < s.principals.Len() {
			s.mark(n, c.marked[i], true)
			c.reached[n/64] |= 1 << (n % 64)
		}
	}
}

func (c *comparison) takePrincipal(id model.ID) {
	c.everywhere = true
	n, ok := c.after.principalNumber(id)
	if !ok {
		return
	}
	for _, s := range []*Snapshot{c.before, c.after} {
		if int(n) < s.principals.Len() {
			c.members(s, n)
		}
	}
}

// members takes in a principal and everybody in it, through groups out of use too.
func (c *comparison) members(s *Snapshot, n number) {
	c.reached[n/64] |= 1 << (n % 64)
	p := s.principals.Get(n)
	for _, m := range p.members {
		c.members(s, m)
	}
	if p.Kind == model.Provider {
		s.eachOf(p.ID, func(one number) bool {
			c.reached[one/64] |= 1 << (one % 64)
			return true
		})
	}
}

// takeScope takes in all whom rules on the way to a scope, and beneath it, name; those that come from a scope it keeps
// above it say the same before and after, unless it is the scope itself that changed.
func (c *comparison) takeScope(id model.ID) {
	n, ok := c.after.scopeNumber(id)
	if !ok || !c.before.scopes.has(n) {
		return
	}
	c.regions = append(c.regions, n)
	c.extra[n] = true
	stay := map[number]bool{}
	was, is := c.before.scopes.get(n), c.after.scopes.get(n)
	// Where a move takes it into use, or out of it, all rules speak anew.
	moved := was.parent != is.parent && c.before.retired(n) == c.after.retired(n) && same(c.before.meaning(n), c.after.meaning(n))
	c.takeAccounts()
	if moved {
		for up := c.before.upward(was.parent); up.next(); {
			if c.after.isAtOrBeneath(n, up.number) {
				stay[up.number] = true
			}
		}
	}
	for _, s := range []*Snapshot{c.before, c.after} {
		for up := s.upward(n); up.next(); {
			if stay[up.number] || up.node.rules == nil {
				continue
			}
			if moved && up.number == n {
				continue // what is said there stays
			}
			for _, r := range up.node.rules.all {
				for _, named := range r.names() {
					c.takeNamed(named)
				}
			}
		}
	}
	c.takeWoken()
	if moved {
		return
	}
	c.after.descend(n, func(child number) bool {
		if rules := c.after.scopes.get(child).rules; rules != nil {
			for _, r := range rules.all {
				for _, named := range r.names() {
					c.takeNamed(named)
				}
			}
		}
		return true
	})
}

// takeAccounts takes in the service accounts that go out of use with their home, or come back.
func (c *comparison) takeAccounts() {
	c.after.named[model.ServiceAccount].From("", c.after.principalKey, func(n number) bool {
		if int(n) < c.before.principals.Len() && c.before.gone(c.before.principals.Get(n)) != c.after.gone(c.after.principals.Get(n)) {
			c.takePrincipal(c.after.principals.Get(n).ID)
		}
		return true
	})
}

// takeWoken takes in the statements that a move lays to rest or wakes.
func (c *comparison) takeWoken() {
	for _, pair := range [][2]*Snapshot{{c.before, c.after}, {c.after, c.before}} {
		for it := pair[0].dormant.Iterator(); !it.Done(); {
			r, _, _ := it.Next()
			if _, still := pair[1].dormant.Get(r); !still {
				for _, named := range r.names() {
					c.takeNamed(named)
				}
				c.extra[r.place] = true
			}
		}
	}
}

// watch adds the points of somebody else: where what they hold changes.
func (c *comparison) watch(id model.ID) {
	if who := c.before.principalNode(id); who != nil {
		for _, n := range who.all() {
			for _, r := range c.before.principals.Get(n).rules {
				c.extra[r.place] = true
			}
		}
	}
}

// known returns the scope, or the nearest above it, that was there before.
func (c *comparison) known(n number) number {
	for !c.before.scopes.has(n) {
		n = c.after.scopes.get(n).parent
	}
	return n
}

// run calls visit for every principal and point at which what changes is not told by the point above.
func (c *comparison) run(visit func(*principalNode, number, Part, Delta)) {
	deltas := map[number]Delta{} // beneath each point
	c.eachPrincipal(func(who *principalNode) {
		clear(deltas)
		c.eachPoint(who, func(n number) {
			inherited := c.inherited(n, deltas)
			own, everywhere := c.delta(who, n, false)
			beneath := own
			if !everywhere {
				beneath, _ = c.delta(who, n, true)
			}
			deltas[n] = beneath
			switch {
			case own.equals(beneath):
				if !own.equals(inherited) {
					visit(who, n, Whole, own)
				}
				return
			case !own.equals(inherited):
				visit(who, n, Alone, own)
			}
			if !beneath.equals(inherited) && c.after.scopes.get(n).more.hasChildren() {
				visit(who, n, Beneath, beneath)
			}
		})
	})
}

func (c *comparison) eachPrincipal(fn func(*principalNode)) {
	for i, word := range c.reached {
		for ; word != 0; word &= word - 1 {
			fn(c.after.principals.Get(number(i*64) + number(trailing(word))))
		}
	}
}

// point is a scope at which what somebody holds may change, and how deep it lies.
type point struct {
	at    number
	depth uint16
}

// eachPoint calls fn for the points of a principal, those above first.
func (c *comparison) eachPoint(who *principalNode, fn func(number)) {
	c.points = c.points[:0]
	for _, s := range []*Snapshot{c.before, c.after} {
		if int(who.number) >= s.principals.Len() {
			continue
		}
		if s == c.after && c.before.principals.Len() > int(who.number) && c.samePrincipal(who) {
			break
		}
		for _, n := range s.principals.Get(who.number).all() {
			for _, r := range s.principals.Get(n).rules {
				c.addPoint(r.place)
			}
		}
	}
	for n := range c.extra {
		c.addPoint(n)
	}
	slices.SortFunc(c.points, func(a, b point) int {
		if a.depth != b.depth {
			return int(a.depth) - int(b.depth)
		}
		return int(a.at) - int(b.at)
	})
	for _, p := range slices.Compact(c.points) {
		fn(p.at)
	}
}

func (c *comparison) addPoint(n number) {
	if depth := c.depthIn(n); depth != outside {
		c.points = append(c.points, point{n, depth})
	}
}

// samePrincipal reports whether the rules that mean somebody are the very same in both snapshots.
func (c *comparison) samePrincipal(who *principalNode) bool {
	for _, n := range who.all() {
		if int(n) >= c.before.principals.Len() || c.before.principals.Get(n) != c.after.principals.Get(n) {
			return false
		}
	}
	return c.before.principals.Get(who.number) == who
}

// outside stands for the depth of a scope that no change may touch.
const outside = ^uint16(0)

// depthIn returns how many scopes there are from a scope to the top, itself counted, if it is in one of the regions.
func (c *comparison) depthIn(n number) uint16 {
	if n&resourceBit != 0 {
		return c.climb(n)
	}
	known := &c.depths[n]
	if *known == 0 {
		*known = c.climb(n)
	}
	return *known
}

func (c *comparison) climb(n number) uint16 {
	depth, inside := uint16(0), c.everywhere
	for up := c.after.upward(n); up.next(); {
		depth++
		inside = inside || slices.Contains(c.regions, up.number)
	}
	if !inside {
		return outside
	}
	return depth
}

// inherited returns what the nearest point above tells of a scope.
func (c *comparison) inherited(n number, deltas map[number]Delta) Delta {
	up := c.after.upward(n)
	for up.next(); up.next(); {
		if d, ok := deltas[up.number]; ok {
			return d.within(c.meanings(n))
		}
	}
	return Delta{}
}

// meanings returns the permissions that meant something at a scope before, and those that do after: other services may be offered
// there by then. At a new scope the same did.
func (c *comparison) meanings(n number) (meant, means catalogue.Set) {
	means = c.after.meaning(n)
	if !c.before.scopes.has(n) {
		return means, means
	}
	return c.before.meaning(n), means
}

// delta compares what somebody holds at a scope, or beneath it; everywhere says that it is the same in both.
func (c *comparison) delta(who *principalNode, n number, beneath bool) (d Delta, everywhere bool) {
	meant, means := c.meanings(n)
	var was holding
	wasAt := n
	if int(who.number) < c.before.principals.Len() {
		wasAt = c.known(n)
		was = c.before.holding(c.before.principals.Get(who.number), wasAt, c.context, beneath || wasAt != n).within(meant)
	}
	is := c.after.holding(who, n, c.context, beneath).within(means)
	everywhere = wasAt == n && !was.onTerms && !was.onPlace && !is.onTerms && !is.onPlace
	if was.equals(is) && !was.onTerms && !is.onTerms {
		return Delta{}, everywhere
	}
	d = Delta{Gains: is.firm.Minus(was.possible), Loses: was.firm.Minus(is.possible)}
	d.MayGain = is.possible.Minus(was.possible).Or(is.firm.Minus(was.firm)).Minus(d.Gains)
	d.MayLose = was.possible.Minus(is.possible).Or(was.firm.Minus(is.firm)).Minus(d.Loses)
	d.Freed, d.Bound = d.MayGain.And(was.possible).And(is.firm), d.MayLose.And(is.possible).And(was.firm)
	if both := was.possible.Minus(was.firm).And(is.possible.Minus(is.firm)); both.Len() > 0 {
		d.Shifting = c.shifted(who, wasAt, n, beneath, both)
	}
	return d, everywhere
}

// shifted returns what of some permissions, which hang on something before and after, is held in some circumstances only before,
// or only after. What is too intricate to tell counts as shifted.
func (c *comparison) shifted(who *principalNode, wasAt, n number, beneath bool, both catalogue.Set) catalogue.Set {
	was := c.before.principals.Get(who.number)
	facts, wasFacts := c.after.factsOf(n, beneath), c.before.factsOf(wasAt, beneath || wasAt != n)
	if was.sameFacts(who) && wasAt == n && facts.sameFacts(wasFacts) && slices.Equal(c.before.hanging(was, wasAt, wasFacts, beneath, c.context, both), c.after.hanging(who, n, facts, beneath, c.context, both)) {
		return nil
	}
	unknown := c.context.inTime()
	cs := c.before.newCircumstances(unknown.Time, beneath)
	c.before.open(was, wasAt, wasFacts, beneath || wasAt != n, unknown, both, cs)
	c.after.open(who, n, facts, beneath, unknown, both, cs)
	var set catalogue.Set
	walked := cs.walk(asIs, func(c2 *Context, resource *scopeNode) bool {
		then, now := wasFacts, facts
		if now == nil {
			now = resource
		}
		if then == nil {
			then = now
		}
		old := c.before.heldIn(was, wasAt, then, beneath || wasAt != n, c2, false).And(both)
		fresh := c.after.heldIn(who, n, now, beneath, c2, false).And(both)
		set.AddAll(old.Minus(fresh))
		set.AddAll(fresh.Minus(old))
		return set.Len() < both.Len()
	})
	if !walked {
		return both
	}
	return set
}

// sameFacts reports whether conditions read the same of two principals.
func (p *principalNode) sameFacts(other *principalNode) bool {
	return p == other || p.Name == other.Name && maps.Equal(p.Tags, other.Tags)
}

// sameFacts reports whether conditions read the same of two scopes.
func (n *scopeNode) sameFacts(other *scopeNode) bool {
	if n == other || n == nil || other == nil {
		return n == other
	}
	return n.name == other.name && maps.Equal(n.tags(), other.tags())
}

func (n *scopeNode) tags() map[string]string {
	if n.more == nil {
		return nil
	}
	return n.more.tags
}

// hung is a rule met, and whether it applies.
type hung struct {
	rule    *rule
	applies truth
}

// hanging returns the rules about some permissions that apply, or may.
func (s *Snapshot) hanging(who *principalNode, at number, facts *scopeNode, beneath bool, c *Context, about catalogue.Set) (found []hung) {
	e := evaluation{Snapshot: s, who: who, at: at, facts: facts, beneath: beneath, context: c.inTime()}
	e.findings(everything, func(x *entry) {
		if !x.permissions.Meets(about) && !x.permissions.Meets(s.catalogue.Governing()) {
			return
		}
		if applies := e.applies(x); applies != no {
			found = append(found, hung{x.rule, applies})
		}
	})
	return found
}

func (m *scopeMore) hasChildren() bool {
	return m != nil && (m.containers.Len() > 0 || m.resources.Len() > 0)
}
