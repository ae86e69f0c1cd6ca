package access

import (
	"arbora.example/access/catalogue"
	"arbora.example/access/internal/persist"
	"arbora.example/access/model"
)

// Question asks whether a principal may use a permission at a scope.
type Question struct {
	Principal  model.ID
	Permission catalogue.Permission
	Scope      model.ID
	Context    *Context   // nil when nothing is told
	Refers     []model.ID // the resources and service accounts that the operation refers to, such as a machine's network
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
	Rule    RuleRef  // the one that decides, for granted and cut; else zero
	Origin  model.ID // the scope that rule is placed at
	Lacks   Lack     // for lacking
}

// Lack is a permission that is missing on something an operation refers to.
type Lack struct {
	Permission catalogue.Permission
	On         model.ID
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
	e := s.evaluation(who, at, q.Context)
	v := e.verdict(q.Permission)
	switch {
	case v.retired && !s.catalogue.Lasting().Has(q.Permission):
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

// evaluation begins to evaluate what is said of somebody at a scope.
func (s *Snapshot) evaluation(who *principalNode, at number, c *Context) evaluation {
	return evaluation{Snapshot: s, who: who, at: at, facts: s.scopes.get(at), context: c}
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
func (s *Snapshot) find(principal, scope model.ID) (*principalNode, number, bool) {
	forWho, forScope := s.principalIndex.Search(principal), s.scopeIndex.Search(scope)
	whoSlot, slot := forWho.Slot(), forScope.Slot()
	if whoSlot == nil || slot == nil {
		return nil, 0, false
	}
	who, node := s.principals.Get(whoSlot.Number), s.scopes.get(slot.Number)
	ahead := who.marks[0] ^ uint64(who.near[0]) ^ uint64(who.near[nearMost-1])
	if slot.Home != persist.Homeless {
		on := s.scopes.ancestries.Get(slot.Home)
		ahead ^= uint64(on.names[0]) ^ uint64(on.names[model.MaxDepth/2]) ^ uint64(on.count)
	}
	if who.ID == principal && node.id == scope && ahead != neverAhead {
		return who, slot.Number, true
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
	switch {
	case who.Inactive:
		return true
	case who.Kind == model.OutsidePerson:
		provider := s.principalNode(who.Provider)
		return provider == nil || provider.Inactive
	case who.Home.IsZero():
		return false
	}
	home, ok := s.scopeNumber(who.Home)
	return !ok || s.retired(home)
}

// lack finds what is missing on the things an operation refers to.
func (s *Snapshot) lack(q *Question) (Lack, bool) {
	needs := s.catalogue.Operation(q.Permission).Needs
	for _, id := range q.Refers {
		scope, typ := id, ""
		if account := s.principalNode(id); account != nil && account.Kind == model.ServiceAccount {
			scope, typ = account.Home, "service-account"
		} else if n, ok := s.scopeNumber(id); ok {
			typ = s.catalogue.TypeAt(s.scopes.get(n).typ).Name
		}
		needed := false
		for _, p := range needs {
			if s.catalogue.Operation(p).Type != typ {
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

// level is how firmly something is held.
type level uint8

const (
	notHeld     level = iota
	conditional       // under a condition that is not known to hold, or from a later moment on
	firm
)

// level returns how firmly a principal holds a permission at a scope, what the context tells counted.
func (s *Snapshot) level(who *principalNode, at number, p catalogue.Permission, c *Context) level {
	if s.gone(who) || !s.wideMeaning(at).Has(p) || !s.offers(at, p) {
		return notHeld
	}
	e := s.evaluation(who, at, c)
	v := e.verdict(p)
	if v.retired && !s.catalogue.Lasting().Has(p) {
		return notHeld
	}
	if v.given != nil && v.cut == nil {
		return firm
	}
	e.context, e.lenient = c.inTime(), true
	if v = e.verdict(p); v.given != nil && v.cut == nil {
		return conditional
	}
	return notHeld
}
