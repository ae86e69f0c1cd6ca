package access

import (
	"iter"
	"math/bits"
	"slices"
	"strings"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// Reached is a scope at which a principal's access changes: by rules placed right there that mean it.
type Reached struct {
	Scope       model.Scope
	By          []RuleRef     // the rules, as they came
	Adds        catalogue.Set // what is held there beyond what comes from above, for certain or under a condition
	Cuts        catalogue.Set // what comes from above and is not held there
	Held        catalogue.Set // all that is held there for certain
	Conditional catalogue.Set // what besides is held under a condition that is not known to hold, or from a later moment on
	// Part says where it is so: at the scope and all beneath it until another Reached says otherwise, or only one of both.
	Part Part
}

// Part is how far of a scope and what is beneath it something holds.
type Part string

// The parts.
const (
	Whole   Part = "whole"   // the scope and all beneath it
	Alone   Part = "alone"   // the scope itself, not what is beneath it
	Beneath Part = "beneath" // all beneath it, not the scope itself
)

// Reach returns everything a principal can do and where, by address: every scope at which its access changes. What is held
// at a scope is held at all beneath it, as far as it means something there; what hangs on the resource is conditional
// beneath. It is empty for an inactive principal.
func (s *Snapshot) Reach(principal model.ID, c *Context) []Reached {
	who := s.principalNode(principal)
	if who == nil || s.gone(who) {
		return nil
	}
	by := map[number][]RuleRef{}
	for _, n := range who.all() {
		for _, r := range s.principals.Get(n).rules {
			if r.suspended || !r.cuts && who.rests(n) {
				continue // it gives nothing, or takes nothing
			}
			if !slices.Contains(by[r.place], r.ref) {
				by[r.place] = append(by[r.place], r.ref)
			}
		}
	}
	var reach []Reached
	for n, rules := range by {
		above := holding{}
		if n != 0 {
			above = s.holding(who, s.scopes.get(n).parent, c, true)
		}
		reach = append(reach, s.reached(who, n, rules, above, c)...)
	}
	addresses := map[model.ID]string{}
	for _, r := range reach {
		addresses[r.Scope.ID] = s.Address(r.Scope.ID)
	}
	slices.SortStableFunc(reach, func(a, b Reached) int {
		return strings.Compare(addresses[a.Scope.ID], addresses[b.Scope.ID])
	})
	return reach
}

// reached tells what rules at one scope change: in one part, or in two where the scope differs from what is beneath it.
func (s *Snapshot) reached(who *principalNode, n number, rules []RuleRef, above holding, c *Context) []Reached {
	meaning := s.meaning(n)
	above = above.within(meaning)
	newReached := func(h holding, part Part) Reached {
		return Reached{
			Scope: s.scopeAt(n), By: rules, Part: part,
			Adds: h.possible.Minus(above.possible), Cuts: above.possible.Minus(h.possible),
			Held: h.firm, Conditional: h.possible.Minus(h.firm),
		}
	}
	own, beneath := s.holding(who, n, c, false).within(meaning), s.holding(who, n, c, true).within(meaning)
	if above.isEmpty() && own.isEmpty() && beneath.isEmpty() {
		return nil // a rule that cuts where nothing is held
	}
	if own.equals(beneath) {
		return []Reached{newReached(own, Whole)}
	}
	return []Reached{newReached(own, Alone), newReached(beneath, Beneath)}
}

func (h holding) isEmpty() bool { return same(h.possible, nil) }

func (h holding) equals(other holding) bool {
	return same(h.firm, other.firm) && same(h.possible, other.possible)
}

func trailing(word uint64) int { return bits.TrailingZeros64(word) }

// Where yields the scopes of some types at which a principal may use a permission, in the order of the tree: names at every
// level, each scope before what is beneath it. It looks only where the principal holds anything.
func (s *Snapshot) Where(principal model.ID, p catalogue.Permission, types []*catalogue.Type, c *Context) iter.Seq[model.ID] {
	return func(yield func(model.ID) bool) {
		if s.scopes.len() == 0 {
			return
		}
		wanted := make([]bool, len(s.catalogue.Types()))
		for _, t := range types {
			wanted[t.Index()] = true
		}
		v := s.View(principal, c)
		going := true
		visit := func(n number) bool {
			if !going || !v.sees(n) {
				return false
			}
			node := s.scopes.get(n)
			if wanted[node.typ] && v.May(p, node.id) {
				going = yield(node.id)
			}
			return going
		}
		if visit(0) {
			s.ordered(0, visit)
		}
	}
}

// ordered is descend in the order of names at every level.
func (s *Snapshot) ordered(n number, fn func(number) bool) {
	s.children(n, "", func(child number) bool {
		if fn(child) {
			s.ordered(child, fn)
		}
		return true
	})
}

// Has reports whether there is a scope of an id.
func (s *Snapshot) Has(scope model.ID) bool {
	_, ok := s.scopeNumber(scope)
	return ok
}
