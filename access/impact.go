package access

import (
	"encoding/binary"
	"slices"
	"strings"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// Effect is what changes would alter for some people at a scope and beneath it, all other rules counted.
type Effect struct {
	Principals []Principal // for whom it is the same; a built-in set stands for all in it
	Outsiders  []Principal // public or signed-in, for those among them whom the organisation does not know
	Scope      model.Scope // the topmost scope where it is so
	Part       Part        // of that scope and what is beneath it
	Beneath    int         // how many scopes are beneath
	Delta
}

// Delta is a difference in what somebody holds. All empty, beneath a scope with an effect, nothing changes.
type Delta struct {
	Gains    catalogue.Set // not held at all now, for certain then
	Loses    catalogue.Set // held for certain now, not at all then
	MayGain  catalogue.Set // gained where a condition, or a moment still to come, has it so
	MayLose  catalogue.Set // lost where a condition, or a moment still to come, has it so
	Shifting catalogue.Set // held under a condition now and then, but by other rules
	Freed    catalogue.Set // of MayGain, what is held under a condition now and for certain then
	Bound    catalogue.Set // of MayLose, what is held for certain now and under a condition then
}

// IsEmpty reports whether nothing changes.
func (d Delta) IsEmpty() bool {
	return d.equals(Delta{})
}

// Growth returns all that is or may be gained.
func (d Delta) Growth() catalogue.Set {
	var all catalogue.Set
	all.AddAll(d.Gains)
	all.AddAll(d.MayGain)
	all.AddAll(d.Shifting)
	return all
}

// within limits a difference to what meant something before, as far as it is lost, and to what does after, as far as it is gained.
func (d Delta) within(meant, means catalogue.Set) Delta {
	return Delta{d.Gains.And(means), d.Loses.And(meant), d.MayGain.And(means), d.MayLose.And(meant), d.Shifting.And(meant).And(means), d.Freed.And(means), d.Bound.And(meant)}
}

func (d Delta) equals(o Delta) bool {
	return same(d.Gains, o.Gains) && same(d.Loses, o.Loses) && same(d.MayGain, o.MayGain) && same(d.MayLose, o.MayLose) &&
		same(d.Shifting, o.Shifting) && same(d.Freed, o.Freed) && same(d.Bound, o.Bound)
}

// Impact returns what the changes would alter if they were made: effective access before and after, compared over everybody and
// everything they reach, by address. Of the context only the moment counts: others ask from elsewhere. It is empty when they alter
// nothing. What is said of all beneath a scope leaves out what is retired there.
func (p *Proposal) Impact(c *Context) []Effect {
	next := p.After
	grouped := map[string]*Effect{}
	var order []string
	var key []byte
	cmp := p.comparison(c)
	cmp.run(func(who *principalNode, at number, part Part, d Delta) {
		if who.Kind.IsGroup() {
			return
		}
		key = binary.LittleEndian.AppendUint32(append(key[:0], part...), uint32(at))
		for _, set := range []catalogue.Set{d.Gains, d.Loses, d.MayGain, d.MayLose, d.Shifting, d.Freed, d.Bound} {
			for len(set) > 0 && set[len(set)-1] == 0 {
				set = set[:len(set)-1]
			}
			key = append(key, uint8(len(set)))
			for _, word := range set {
				key = binary.LittleEndian.AppendUint64(key, word)
			}
		}
		e := grouped[string(key)]
		if e == nil {
			e = &Effect{Scope: next.scopeAt(at), Part: part, Delta: d}
			grouped[string(key)] = e
			order = append(order, string(key))
		}
		e.Principals = append(e.Principals, who.Principal)
	})
	effects := make([]Effect, 0, len(order))
	for _, key := range order {
		e := grouped[key]
		e.Principals, e.Outsiders = next.fold(e.Principals)
		if len(e.Principals)+len(e.Outsiders) == 0 {
			continue // a set alone, all in which are told of elsewhere
		}
		e.Beneath = next.Beneath(e.Scope.ID)
		effects = append(effects, *e)
	}
	addresses := map[model.ID]string{}
	for _, e := range effects {
		addresses[e.Scope.ID] = next.Address(e.Scope.ID)
	}
	slices.SortStableFunc(effects, func(a, b Effect) int {
		if c := strings.Compare(addresses[a.Scope.ID], addresses[b.Scope.ID]); c != 0 {
			return c
		}
		return strings.Compare(a.first(), b.first())
	})
	return effects
}

func (e *Effect) first() string {
	for _, p := range append(slices.Clip(e.Principals), e.Outsiders...) {
		return p.Name
	}
	return ""
}

// isSet reports whether a principal stands for all of its kind: a built-in set, or a provider for its people.
func isSet(p *principalNode) bool { return p.Kind == model.BuiltInSet || p.Kind == model.Provider }

// fold lets a set stand for all in it, where it is the same for all of them, and orders the rest, sets first.
func (s *Snapshot) fold(principals []Principal) (kept, outsiders []Principal) {
	var numbers, whole []number
	in := map[number]bool{}
	for _, p := range principals {
		n, _ := s.principalNumber(p.ID)
		numbers, in[n] = append(numbers, n), true
	}
	for _, set := range numbers {
		if isSet(s.principals.Get(set)) && s.allIn(set, in) {
			whole = append(whole, set)
		}
	}
	for i, n := range numbers {
		node := s.principals.Get(n)
		told := slices.ContainsFunc(whole, func(set number) bool { return n != set && node.counts(set) })
		switch {
		case told:
		case !isSet(node) || slices.Contains(whole, n):
			kept = append(kept, principals[i])
		case n == publicNumber || n == signedInNumber || node.Kind == model.Provider:
			outsiders = append(outsiders, principals[i])
		}
	}
	slices.SortFunc(kept, func(a, b Principal) int {
		if a, b := isSet(s.principalNode(a.ID)), isSet(s.principalNode(b.ID)); a != b {
			if a {
				return -1
			}
			return 1
		}
		return strings.Compare(a.Name, b.Name)
	})
	return kept, outsiders
}

// allIn reports whether everybody who acts and is in a set, and every narrower set, is among some principals.
func (s *Snapshot) allIn(set number, some map[number]bool) bool {
	for n := range number(s.principals.Len()) {
		if p := s.principals.Get(n); !p.Kind.IsGroup() && p.counts(set) && !s.gone(p) && !some[n] {
			return false
		}
	}
	return true
}
