package access

import "slices"

// Question asks whether a principal may use a permission at a scope.
type Question struct {
	Principal  ID
	Permission Permission
	Scope      ID
	Context    *Context // nil when nothing is told
	Refers     []ID     // the resources and service accounts that the operation refers to, such as a machine's network
}

// Reason says in one word why a decision fell as it did.
type Reason string

// The reasons.
const (
	Granted     Reason = "granted"     // a rule on the way up gives it
	NotGranted  Reason = "not-granted" // no rule on the way up gives it: all is denied by default
	Cut         Reason = "cut"         // a may never or may only on the way up takes it away
	Inactive    Reason = "inactive"    // the principal is suspended or retired
	Retired     Reason = "retired"     // the scope, or one above it, is retired
	Meaningless Reason = "meaningless" // the permission means nothing at a scope of that type
	NotOffered  Reason = "not-offered" // the permission is of a service that is not offered at the scope
	Lacking     Reason = "lacking"     // a permission is missing on something the operation refers to
	Unknown     Reason = "unknown"     // the principal or the scope is not there
)

// Decision is the answer to a [Question].
type Decision struct {
	Allowed bool
	Reason  Reason
	Rule    RuleRef // the one that decides, for granted and cut; else zero
	Origin  ID      // the scope that rule is placed at
	Lacks   Lack    // for lacking
}

// Lack is a permission that is missing on something an operation refers to.
type Lack struct {
	Permission Permission
	On         ID
	Unfit      bool // the operation cannot refer to such a thing at all; Permission says nothing then
}

// Decide answers a question. It allocates nothing and takes time in proportion to the depth of the scope; many rules at
// one scope cost little more than few. The deciding rule is the one nearest to the scope, the oldest where several are
// equally near.
func (s *Snapshot) Decide(q Question) Decision {
	who, at, reason := s.prepare(&q)
	if reason != "" {
		return Decision{Reason: reason}
	}
	v := s.weigh(who, at, q.Permission, q.Context, false)
	switch {
	case v.retired && !s.catalogue.lasting.Has(q.Permission):
		return Decision{Reason: Retired}
	case v.cut != nil:
		return Decision{Reason: Cut, Rule: v.cut.ref, Origin: s.scopes.get(v.cut.place).id}
	case v.given == nil:
		return Decision{Reason: NotGranted}
	}
	if len(q.Refers) > 0 {
		if lack, ok := s.lack(&q); ok {
			return Decision{Reason: Lacking, Lacks: lack}
		}
	}
	return Decision{Allowed: true, Reason: Granted, Rule: v.given.ref, Origin: s.scopes.get(v.given.place).id}
}

// prepare finds what a question is about; a reason says why it is answered already.
func (s *Snapshot) prepare(q *Question) (who *principalNode, at number, reason Reason) {
	who, at, there := s.find(q.Principal, q.Scope)
	switch {
	case !there:
		return nil, 0, Unknown
	case s.gone(who):
		return nil, 0, Inactive
	case !s.wideMeaning(at).Has(q.Permission):
		return nil, 0, Meaningless
	case !s.offers(at, q.Permission):
		return nil, 0, NotOffered
	}
	return who, at, ""
}

// find finds a principal and a scope at once. What it leads to is asked of memory as early as can be, so that much of it
// comes together: at a million scopes that is most of what a decision costs.
func (s *Snapshot) find(principal, scope ID) (*principalNode, number, bool) {
	forWho, forScope := s.principalIndex.search(principal), s.scopeIndex.search(scope)
	whoSlot, slot := forWho.slot(), forScope.slot()
	if whoSlot == nil || slot == nil {
		return nil, 0, false
	}
	who, node := s.principals.get(whoSlot.number), s.scopes.get(slot.number)
	ahead := who.marks[0] ^ uint64(who.near[0]) ^ uint64(who.near[nearMost-1])
	if slot.home != homeless {
		on := s.scopes.ways.get(slot.home)
		ahead ^= uint64(on.names[0]) ^ uint64(on.names[MaxDepth/2]) ^ uint64(on.count)
	}
	if who.ID == principal && node.id == scope && ahead != neverAhead {
		return who, slot.number, true
	}
	// One of the ids shares a part of its hash with another.
	who = s.principalNode(principal)
	at, there := s.scopeNumber(scope)
	return who, at, who != nil && there
}

// neverAhead makes what was asked of memory ahead be waited for, if only by a guess: it decides nothing.
const neverAhead = 0x5ca1ab1e0ddba11

// gone reports whether a principal is out of use, itself or with the scope it lives at.
func (s *Snapshot) gone(who *principalNode) bool {
	if who.Inactive || who.Home.IsZero() {
		return who.Inactive
	}
	home, ok := s.scopeNumber(who.Home)
	return !ok || s.retired(home)
}

// lack finds what is missing on the things an operation refers to.
func (s *Snapshot) lack(q *Question) (Lack, bool) {
	needs := s.catalogue.operations[q.Permission].Needs
	for _, id := range q.Refers {
		scope, typ := id, ""
		if account := s.principalNode(id); account != nil && account.Kind == ServiceAccount {
			scope, typ = account.Home, "service-account"
		} else if n, ok := s.scopeNumber(id); ok {
			typ = s.catalogue.typeOrder[s.scopes.get(n).typ].Name
		}
		needed := false
		for _, p := range needs {
			if s.catalogue.operations[p].Type != typ {
				continue
			}
			needed = true
			if !s.Decide(Question{Principal: q.Principal, Permission: p, Scope: scope, Context: q.Context}).Allowed {
				return Lack{Permission: p, On: id}, true
			}
		}
		if !needed {
			return Lack{On: id, Unfit: true}, true
		}
	}
	return Lack{}, false
}

// verdict is what the rules on the way up say of one permission.
type verdict struct {
	given   *rule // the nearest that gives it
	cut     *rule // the nearest that cuts it, unless who governs above may do it all the same
	retired bool  // something on the way is
}

// weighing is a verdict in the making.
type weighing struct {
	*verdict
	who        *principalNode
	scope      *scopeNode // asked about
	permission Permission
	context    *Context
	lenient    bool
}

// look takes the rules at one scope into a verdict.
func (s *Snapshot) look(w *weighing, rules *placeRules, atScope bool) {
	if !rules.areAbout(w.permission) {
		return
	}
	if rules.index == nil {
		for i := range rules.entries {
			if e := &rules.entries[i]; e.permissions.Has(w.permission) && w.who.among(e.subject) {
				s.count(w.verdict, e, w.who, w.scope, atScope, w.context, w.lenient)
			}
		}
		return
	}
	for _, subject := range w.who.all() {
		if !rules.filter.has(subject) {
			continue
		}
		for i := rules.first(subject); i < len(rules.entries) && rules.entries[i].subject == subject; i++ {
			if e := &rules.entries[i]; e.permissions.Has(w.permission) {
				s.count(w.verdict, e, w.who, w.scope, atScope, w.context, w.lenient)
			}
		}
	}
}

// weigh collects what the rules from a scope up to the organisation say of a permission. Leniently, a rule whose condition
// is unknown gives, and does not cut; otherwise it cuts, and does not give.
func (s *Snapshot) weigh(who *principalNode, at number, p Permission, c *Context, lenient bool) verdict {
	var v verdict
	w := weighing{verdict: &v, who: who, scope: s.scopes.get(at), permission: p, context: c, lenient: lenient}
	n := at
	for node := w.scope; n&resourceBit != 0; node = s.scopes.get(n) {
		v.retired = v.retired || node.retired
		if node.rules != nil {
			s.look(&w, node.rules, n == at)
		}
		n = node.parent
	}
	on := s.scopes.ways.get(n)
	v.retired = v.retired || on.retired
	for i := range on.names[:on.count&(2*MaxDepth-1)] {
		switch {
		case on.ruled>>i&1 != 0:
			if on.names[i].mayMean(&who.marks) {
				s.look(&w, on.rules[i], on.on[i] == at)
			}
		case on.crowded>>i&1 != 0:
			s.look(&w, s.scopes.containers.get(on.on[i]).rules, on.on[i] == at)
		}
	}
	if v.cut != nil && (s.catalogue.governing.Has(p) || s.catalogue.finding.Has(p)) {
		var repairing *rule
		if v.cut, repairing = s.touching(who, at, p, c, lenient); repairing != nil {
			v.given = repairing
		}
	}
	return v
}

// count takes an entry that names the principal and holds the permission into a verdict.
func (s *Snapshot) count(v *verdict, e *entry, who *principalNode, scope *scopeNode, atScope bool, c *Context, lenient bool) {
	if e.here && !atScope {
		return
	}
	// The first met is kept: the nearest; of equally near ones the oldest, which a look at their order finds.
	held := &v.given
	if e.cuts {
		held = &v.cut
	}
	if *held != nil && ((*held).place != e.rule.place || (*held).ref.before(e.rule.ref)) {
		return
	}
	if s.takes(e, who, scope, c, lenient) {
		*held = e.rule
	}
}

// touching finds the nearest cut of a permission that touches the principal, and, when none does, the nearest rule that lets
// them govern with it all the same. A cut spares whom a rule above the scope where it was set lets govern: the permissions to
// govern of that rule, and what it takes to find what to repair.
func (s *Snapshot) touching(who *principalNode, at number, p Permission, c *Context, lenient bool) (cut, repairing *rule) {
	var met met
	s.meetAll(who, at, s.scopes.get(at), false, c, lenient, &met)
	governing := s.catalogue.governing
	for _, r := range met.cuts {
		if !r.permissions.Has(p) || s.spares(r, met.gives).Has(p) {
			continue
		}
		if cut == nil || r.place == cut.place && r.ref.before(cut.ref) {
			cut = r
		}
	}
	if cut != nil || !governing.Has(p) {
		return cut, nil
	}
	for _, r := range met.gives {
		escapes := func(cut *rule) bool { return !cut.permissions.Has(p) || s.isAbove(r.place, cut.set) }
		if !r.permissions.Has(p) || !all(met.cuts, escapes) {
			continue
		}
		if repairing == nil || r.place == repairing.place && r.ref.before(repairing.ref) {
			repairing = r
		}
	}
	return nil, repairing
}

func all[T any](list []T, is func(T) bool) bool {
	return !slices.ContainsFunc(list, func(one T) bool { return !is(one) })
}

// isAbove reports whether a scope is truly above another.
func (s *Snapshot) isAbove(n, below number) bool { return n != below && s.isAtOrBeneath(below, n) }

// level is how firmly something is held.
type level uint8

const (
	notHeld     level = iota
	conditional       // under a condition that is not known to hold, or from a later moment on
	firm
)

// level says how firmly a principal holds a permission at a scope, what the context tells counted.
func (s *Snapshot) level(who *principalNode, at number, p Permission, c *Context) level {
	if s.gone(who) || !s.wideMeaning(at).Has(p) || !s.offers(at, p) {
		return notHeld
	}
	v := s.weigh(who, at, p, c, false)
	if v.retired && !s.catalogue.lasting.Has(p) {
		return notHeld
	}
	if v.given != nil && v.cut == nil {
		return firm
	}
	if v = s.weigh(who, at, p, c.inTime(), true); v.given != nil && v.cut == nil {
		return conditional
	}
	return notHeld
}
