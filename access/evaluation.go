package access

import (
	"math/bits"
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// evaluation is what the rules say of one principal at one scope, in one context. Which rules between the scope and the organisation name
// the principal, whether each applies, and what is left of what they give is worked out here and nowhere else: decisions, explanations,
// what somebody holds, who holds something, what is lost, what hangs on something and the rule on gains all fold over it.
type evaluation struct {
	*Snapshot
	who     *principalNode
	at      number
	facts   *scopeNode // what conditions read of the resource; nil when it is unknown
	beneath bool       // at any scope beneath that no rule names, instead of at the scope itself
	context *Context
	lenient bool // what is unknown counts in favour
}

// everything stands for all permissions where one may be named.
const everything = ^catalogue.Permission(0)

// findings calls fn with each entry that names the principal, through retired groups too, the nearest scope's first, and reports whether
// something on the way is retired. Rules that hold at another scope alone are left out, and those that are not about a permission, if
// one is named. It allocates nothing, and looks at no scope whose marks say that the principal is not named there.
func (e *evaluation) findings(about catalogue.Permission, fn func(*entry)) (retired bool) {
	n := e.at
	for n&resourceBit != 0 {
		node := e.scopes.get(n)
		retired = retired || node.retired
		if node.rules != nil {
			e.look(node.rules, n == e.at, about, fn)
		}
		n = node.parent
	}
	on := e.scopes.ancestries.Get(n)
	// The nearest first. Most scopes on the way have no rules, and most that have some name others.
	for left := on.ruled | on.overflow; left != 0; left &= left - 1 {
		i := bits.TrailingZeros16(left) & (model.MaxDepth - 1)
		if on.ruled>>i&1 == 0 {
			e.look(e.scopes.containers.Get(on.on[i]).rules, on.on[i] == e.at, about, fn)
		} else if on.names[i].mayMean(&e.who.marks) {
			e.look(on.rules[i], on.on[i] == e.at, about, fn)
		}
	}
	return retired || on.retired
}

// look finds the entries at one scope.
func (e *evaluation) look(rules *placeRules, atScope bool, about catalogue.Permission, fn func(*entry)) {
	if about != everything && !rules.areAbout(about) {
		return
	}
	if rules.index == nil {
		for i := range rules.entries {
			x := &rules.entries[i]
			if (about == everything || x.permissions.Has(about)) && (atScope || !x.exactScope) && e.who.among(x.WrittenSubject) {
				fn(x)
			}
		}
		return
	}
	for _, subject := range e.who.all() {
		if !rules.filter.has(subject) {
			continue
		}
		for i := rules.first(subject); i < len(rules.entries) && rules.entries[i].WrittenSubject == subject; i++ {
			x := &rules.entries[i]
			if (about == everything || x.permissions.Has(about)) && (atScope || !x.exactScope) {
				fn(x)
			}
		}
	}
}

// applies reports whether what was found applies. What a retired group is given is given to nobody, and what a rule says of its own scope
// alone is not said of what is beneath.
func (e *evaluation) applies(x *entry) truth {
	switch {
	case x.exactScope && e.beneath, !x.cuts && e.who.resting != nil && !e.who.isGivenAs(x.WrittenSubject, e.context):
		return no
	case !x.conditional:
		return yes
	}
	return x.rule.applies(facts{snapshot: e.Snapshot, principal: e.who, scope: e.facts, context: e.context})
}

// counts reports whether what was found takes part: what is not known to apply gives nothing, and cuts; leniently it is the other way
// round.
func (e *evaluation) counts(x *entry) bool {
	applies := e.applies(x)
	return applies == yes || applies == unknown && x.cuts != e.lenient
}

// outcome is the rules that count, nearest first.
type outcome struct{ gives, cuts []*rule }

func (e *evaluation) outcome() (found outcome) {
	e.findings(everything, func(x *entry) {
		switch {
		case !e.counts(x):
		case x.cuts:
			found.cuts = append(found.cuts, x.rule)
		default:
			found.gives = append(found.gives, x.rule)
		}
	})
	return found
}

// lost returns what cuts take, less what they spare.
func (e *evaluation) lost() catalogue.Set {
	found := e.outcome()
	var lost catalogue.Set
	for _, cut := range found.cuts {
		lost.AddAll(cut.permissions.Minus(e.spares(cut, found.gives)))
	}
	return lost
}

// spares returns what a cut does not take from whom some rules let govern. A cut spares whom a rule above the scope where it was set lets
// govern: the permissions to govern of that rule, and what it takes to find what to repair.
func (s *Snapshot) spares(cut *rule, gives []*rule) catalogue.Set {
	var spared catalogue.Set
	for _, r := range gives {
		if r.permissions.Meets(s.catalogue.Governing()) && s.isAbove(r.place, cut.set) {
			spared.AddAll(r.permissions.And(s.catalogue.Governing()))
			spared.AddAll(s.catalogue.Finding())
		}
	}
	return spared
}

// isAbove reports whether a scope is truly above another.
func (s *Snapshot) isAbove(n, below number) bool { return n != below && s.isAtOrBeneath(below, n) }

// verdict is what the rules say of one permission.
type verdict struct {
	given   *rule // the nearest that gives it, of equally near ones the oldest
	cut     *rule // the nearest that cuts it, unless who governs above may do it all the same
	retired bool  // something on the way is
}

// verdict collects what is said of a permission.
func (e *evaluation) verdict(p catalogue.Permission) verdict {
	var given, cut *rule
	retired := e.findings(p, func(x *entry) {
		held := &given
		if x.cuts {
			held = &cut
		}
		// The first met is kept: the nearest; of equally near ones the oldest, which a look at their order finds.
		if *held != nil && ((*held).place != x.rule.place || (*held).ref.before(x.rule.ref)) {
			return
		}
		if e.counts(x) {
			*held = x.rule
		}
	})
	if cut != nil && (e.catalogue.Governing().Has(p) || e.catalogue.Finding().Has(p)) {
		var repairing *rule
		if cut, repairing = e.touching(p); repairing != nil {
			given = repairing
		}
	}
	return verdict{given: given, cut: cut, retired: retired}
}

// touching finds the nearest cut of a permission that touches the principal, and, when none does, the nearest rule that lets them govern
// with it all the same.
func (e *evaluation) touching(p catalogue.Permission) (cut, repairing *rule) {
	found := e.outcome()
	for _, r := range found.cuts {
		if r.permissions.Has(p) && !e.spares(r, found.gives).Has(p) && (cut == nil || r.place == cut.place && r.ref.before(cut.ref)) {
			cut = r
		}
	}
	if cut != nil || !e.catalogue.Governing().Has(p) {
		return cut, nil
	}
	for _, r := range found.gives {
		cutBelow := func(cut *rule) bool { return cut.permissions.Has(p) && !e.isAbove(r.place, cut.set) }
		if !r.permissions.Has(p) || slices.ContainsFunc(found.cuts, cutBelow) {
			continue
		}
		if repairing == nil || r.place == repairing.place && r.ref.before(repairing.ref) {
			repairing = r
		}
	}
	return nil, repairing
}

// hangs says what an answer depends on: with neither, it is the same leniently, and beneath.
type hangs struct {
	onTerms bool // rules with conditions, periods, exceptions or claims
	onPlace bool // rules for the scope alone
}

// setsIn returns two empty sets that have room for all permissions, in the room given where that is enough.
func (e *evaluation) setsIn(room *[8]uint64) (a, b catalogue.Set) {
	words := len(e.catalogue.Everything())
	if words > len(room)/2 {
		return make(catalogue.Set, words), make(catalogue.Set, words)
	}
	return room[:words], room[len(room)/2:][:words]
}

// held returns all that is held, whether or not it means something there.
func (e *evaluation) held() (catalogue.Set, hangs) {
	var on hangs
	var room [8]uint64
	given, cut := e.setsIn(&room)
	retired := e.findings(everything, func(x *entry) {
		on.onTerms, on.onPlace = on.onTerms || x.conditional, on.onPlace || x.exactScope
		switch {
		case !e.counts(x):
		case x.cuts:
			cut.Take(x.permissions)
		default:
			given.Take(x.permissions)
		}
	})
	held := given.Minus(cut)
	if cut.Meets(given) && given.Meets(e.catalogue.Governing()) {
		held = given.Minus(e.lost())
	}
	if retired && !e.context.scopesInUse() {
		held = held.And(e.catalogue.Lasting())
	}
	return held, on
}
