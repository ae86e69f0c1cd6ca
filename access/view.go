package access

import (
	"slices"
	"strings"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// View is what one principal sees of a snapshot. A scope's name is seen by whoever holds any permission at or below it,
// so that the way to what they may use is never hidden. What it takes to tell is worked out as far as it is asked for; a
// view is for one goroutine.
type View struct {
	snapshot *Snapshot
	who      *principalNode
	context  *Context
	leads    map[number]bool // scopes that lead down to one where the principal holds something; nil until asked for
	uneven   []*rule         // rules that may let the principal hold something at some scopes beneath their place and not at others
	barren   map[number]bool // scopes at and beneath which nothing is held that an uneven rule gives
	asked    int             // how often it was asked what leads on
}

// View returns the view of a principal. An unknown or inactive one sees nothing.
func (s *Snapshot) View(principal model.ID, c *Context) *View {
	v := &View{snapshot: s, context: c}
	v.who = s.principalNode(principal)
	if v.who == nil || s.gone(v.who) {
		v.who = nil
	}
	return v
}

// follow marks the ways to the scopes where a rule lets the principal hold something.
func (v *View) follow() {
	if v.leads != nil {
		return
	}
	v.leads, v.barren = map[number]bool{}, map[number]bool{}
	if v.who == nil {
		return
	}
	for _, n := range v.who.all() {
		for _, r := range v.snapshot.principals.Get(n).rules {
			if !r.cuts && !v.leads[r.place] && v.holdsAt(r.place) {
				v.lead(r.place)
			}
			if r.isUneven() {
				v.uneven = append(v.uneven, r)
			}
		}
	}
}

// isUneven reports whether a rule may say one thing at one scope beneath its place and another at another: it looks at the resource, or
// cuts at the place alone.
func (r *rule) isUneven() bool {
	return r.condition.Mentions("resource") || r.cuts && r.exactScope
}

// fewAsked is how often it is looked for what a scope leads down to before all ways are marked: who asks about one scope, as platform
// services do, does not pay for all.
const fewAsked = 3

// leadsAtOnce is leadsOn without marking the ways; known is false where that takes them.
func (v *View) leadsAtOnce(n number) (leads, known bool) {
	if v.who == nil {
		return false, true
	}
	for _, of := range v.who.all() {
		for _, r := range v.snapshot.principals.Get(of).rules {
			if r.isUneven() {
				return false, false
			}
			if !r.cuts && v.snapshot.isAtOrBeneath(r.place, n) && v.holdsAt(r.place) {
				return true, true
			}
		}
	}
	return false, true
}

func (v *View) lead(n number) {
	for up := v.snapshot.upward(n); up.next() && !v.leads[up.number]; {
		v.leads[up.number] = true
	}
}

// leadsOn reports whether a scope at which the principal holds nothing leads down to one where they do.
func (v *View) leadsOn(n number) bool {
	if v.snapshot.scopes.get(n).more == nil {
		return false // nothing is beneath it
	}
	if v.leads == nil && v.asked < fewAsked {
		v.asked++
		if leads, known := v.leadsAtOnce(n); known {
			return leads
		}
	}
	v.follow()
	if v.leads[n] {
		return true
	}
	for _, r := range v.uneven {
		switch {
		case v.snapshot.isAbove(n, r.place):
			if v.finds(r.place) {
				return true
			}
		case n == r.place || v.snapshot.isAbove(r.place, n):
			if v.finds(n) {
				return true
			}
		}
	}
	return false
}

// finds looks for a scope beneath one where the principal holds something, and marks the way to the first.
func (v *View) finds(n number) bool {
	switch {
	case v.leads[n]:
		return true
	case v.barren[n]:
		return false
	}
	found := v.snapshot.someBeneath(n, func(child number) bool {
		if v.holdsAt(child) {
			v.lead(child)
			return true
		}
		return v.finds(child)
	})
	v.barren[n] = !found
	return found
}

// Sees reports whether the principal sees the scope's name.
func (v *View) Sees(scope model.ID) bool {
	n, ok := v.snapshot.scopeNumber(scope)
	return ok && v.sees(n)
}

// HoldsAt reports whether the principal holds anything at the scope itself, and with that, but for what is cut off, at all
// beneath it.
func (v *View) HoldsAt(scope model.ID) bool {
	n, ok := v.snapshot.scopeNumber(scope)
	return ok && v.holdsAt(n)
}

// Empty reports whether the principal sees nothing at all.
func (v *View) Empty() bool { return v.snapshot.scopes.len() == 0 || !v.sees(0) }

// May reports whether the principal holds the permission at the scope.
func (v *View) May(p catalogue.Permission, scope model.ID) bool {
	return v.who != nil && v.snapshot.Decide(Question{Principal: v.who.ID, Permission: p, Scope: scope, Context: v.context}).Allowed
}

// MayAnywhere reports whether the principal holds the permission at any scope.
func (v *View) MayAnywhere(p catalogue.Permission) bool {
	v.follow()
	for n := range v.leads {
		if v.mayAt(p, n) {
			return true
		}
	}
	for _, r := range v.uneven {
		if (r.cuts || r.permissions.Has(p)) && v.mayBeneath(p, r.place) {
			return true
		}
	}
	return false
}

func (v *View) mayAt(p catalogue.Permission, n number) bool {
	return v.May(p, v.snapshot.scopes.get(n).id)
}

func (v *View) mayBeneath(p catalogue.Permission, n number) bool {
	return v.snapshot.someBeneath(n, func(child number) bool { return v.mayAt(p, child) || v.mayBeneath(p, child) })
}

func (v *View) sees(n number) bool { return v.holdsAt(n) || v.leadsOn(n) }

func (v *View) holdsAt(n number) bool {
	return v.who != nil && v.snapshot.held(v.who, n, v.context, false, false).Meets(v.snapshot.meaning(n))
}

// Place is a scope found by its address.
type Place struct {
	Scope model.Scope
	Rest  string // what of the address lies in the scope's open contents, such as an object of a bucket; else empty
}

// AnswersTo reports whether the organisation has a name, or had it before: it goes on meaning it.
func (s *Snapshot) AnswersTo(name string) bool {
	return s.scopes.len() > 0 && (s.scopeName(0) == name || slices.Contains(s.formerly, name))
}

// Resolve finds a scope by its address, as far as the principal sees the way. A nil view sees everything. The error is
// a [*model.Violation] that names the nearest name seen; what is not seen is answered exactly like what is not there.
func (s *Snapshot) Resolve(address string, v *View) (Place, error) {
	first, rest, more := strings.Cut(address, "/")
	if !s.AnswersTo(first) {
		return Place{}, s.notThere(address, first, -1, v)
	}
	if v != nil && !v.sees(0) {
		return Place{}, s.notThere(address, first, -1, v)
	}
	n := number(0)
	for more {
		if s.catalogue.TypeAt(s.scopes.get(n).typ).Open {
			return Place{Scope: s.scopeAt(n), Rest: rest}, nil
		}
		var name string
		name, rest, more = strings.Cut(rest, "/")
		child, ok := s.child(n, name)
		if !ok || v != nil && !v.sees(child) {
			return Place{}, s.notThere(address, name, int(n), v)
		}
		n = child
	}
	return Place{Scope: s.scopeAt(n)}, nil
}

// child finds what is directly beneath a scope by its full name.
func (s *Snapshot) child(n number, fullName string) (number, bool) {
	more := s.scopes.get(n).more
	if more == nil {
		return 0, false
	}
	among := more.containers
	if strings.Contains(fullName, ".") {
		among = more.resources
	}
	if among == nil {
		return 0, false
	}
	return among.Find(fullName, s.scopeName)
}

// notThere says that a name of an address is not there, in a scope or, below 0, at the top.
func (s *Snapshot) notThere(address, name string, in int, v *View) error {
	gone := model.Violationf(model.RuleUnknown, "there is no scope %s, or you may not see it", address)
	if in < 0 {
		if s.scopes.len() > 0 && (v == nil || v.sees(0)) {
			top := s.scopeName(0)
			gone.Nearest = english.Nearest(name, []string{top})
			if child, ok := s.child(0, name); ok && (v == nil || v.sees(child)) {
				gone.Nearest = top + "/" + address
			}
		}
		return gone
	}
	var seen []string
	looked := 0
	s.children(number(in), "", func(child number) bool {
		if v == nil || v.sees(child) {
			seen = append(seen, s.scopeName(child))
		}
		looked++
		return looked < nearestAmong
	})
	if near := english.Nearest(name, seen); near != "" {
		gone.Nearest = s.address(number(in)) + "/" + near
	} else if i := slices.IndexFunc(seen, func(full string) bool { n, _ := model.SplitFullName(full); return n == name }); i >= 0 {
		gone.Nearest = s.address(number(in)) + "/" + seen[i]
	}
	return gone
}

// nearestAmong bounds how many siblings a suggestion is looked for among.
const nearestAmong = 1000
