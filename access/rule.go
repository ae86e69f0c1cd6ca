package access

import (
	"bytes"
	"cmp"
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// Grant gives one role to one principal at one scope and all beneath it, while its condition holds and in its period.
type Grant struct {
	ID        model.ID
	Scope     model.ID
	Principal model.ID
	Role      string
	Condition *statement.Condition // nil when there is none
	statement.Period
}

// holds says whether the moment of a question is in the period; of an untold one that is unknown.
func (c *Context) within(p statement.Period) truth {
	switch at := c.moment(); {
	case p.IsEmpty():
		return yes
	case at.IsZero():
		return unknown
	case !p.Until.IsZero() && !at.Before(p.Until):
		return no
	case at.Before(p.From):
		if c.later {
			return unknown
		}
		return no
	case c.later && !p.Until.IsZero():
		return unknown
	}
	return yes
}

// RuleRef says which rule: a grant, or a statement of a policy.
type RuleRef struct {
	Grant     model.ID
	Policy    model.ID
	Statement int // counted from 0
}

// IsZero reports whether it names no rule.
func (r RuleRef) IsZero() bool { return r == RuleRef{} }

// before orders rules by age, as their ids do, and the statements of a policy as they stand.
func (r RuleRef) before(other RuleRef) bool {
	if c := bytes.Compare(r.source(), other.source()); c != 0 {
		return c < 0
	}
	return r.Statement < other.Statement
}

func (r *RuleRef) source() []byte {
	if r.Grant.IsZero() {
		return r.Policy[:]
	}
	return r.Grant[:]
}

// rule is a grant or a statement as it is decided by. It is immutable; when what it is made of changes, another takes its
// place.
type rule struct {
	ref         RuleRef
	grant       *grantNode // for a grant
	cuts        bool       // it takes away: may never, may only
	exactScope  bool       // it counts at its place only
	place       number
	set         number // the scope it was set at: the grant's, or its policy's
	who         []number
	listed      []number  // with claims: who, and their providers
	claims      []claimed // people with claims, besides who
	except      []number
	exceptClaim []claimed
	permissions catalogue.Set // what it gives, or cuts
	condition   *statement.Condition
	period      statement.Period
	suspended   bool // with its policy
}

// conditional reports whether more must be looked at than whom the rule names.
func (r *rule) conditional() bool {
	return r.suspended || r.condition != nil || !r.period.IsEmpty() || len(r.except) > 0 || len(r.claims) > 0 || len(r.exceptClaim) > 0
}

// names returns the numbers under which the rule is listed: whom it names, and the providers whose people it names by their claims.
func (r *rule) names() []number {
	if len(r.claims) == 0 {
		return r.who
	}
	return r.listed
}

// term is one of the parts of a rule, all of which must hold for it to apply.
type term uint8

const (
	whoTerm       term = iota // it names the principal
	exceptTerm                // and does not except them
	periodTerm                // the moment is in its period
	conditionTerm             // and its condition is met
	inUseTerm                 // and its policy is not suspended
	terms
)

// holds reports whether one of the terms holds. What is said of an unknown resource is unknown.
func (r *rule) holds(t term, f facts) truth {
	switch t {
	case whoTerm:
		return r.meansBy(f.principal, f.context)
	case exceptTerm:
		return r.excepts(f.principal, f.context).not()
	case periodTerm:
		return f.context.within(r.period)
	case inUseTerm:
		// Where all that is out of use is taken to be in use, that is about what it would give.
		return truthOf(!r.suspended || f.context.peopleInUse() && !r.cuts)
	}
	if r.condition == nil {
		return yes
	}
	return evaluate(r.condition, f)
}

// applies reports whether a rule applies, whatever it gives or cuts: in Kleene's logic, whether all its terms hold.
func (r *rule) applies(f facts) truth {
	applies := yes
	for t := term(0); t < terms && applies != no; t++ {
		applies = applies.and(r.holds(t, f))
	}
	return applies
}

// meansBy reports whether the rule names a principal. A retired group still names its members for a rule that cuts: retiring it
// gives nobody anything.
func (r *rule) meansBy(who *principalNode, c *Context) truth {
	return meant(who, r.who, r.claims, c, r.cuts)
}

// excepts reports whether the rule excepts a principal. A retired group spares nobody from a cut, and goes on excepting its
// members from what a rule gives.
func (r *rule) excepts(who *principalNode, c *Context) truth {
	if len(r.except)+len(r.exceptClaim) == 0 {
		return no
	}
	return meant(who, r.except, r.exceptClaim, c, !r.cuts)
}

// meant reports whether numbers and claims mean a principal; takes says that whoever is meant is kept from something.
func meant(who *principalNode, numbers []number, claims []claimed, c *Context, takes bool) truth {
	for _, n := range numbers {
		if who.among(n) && (takes || who.isGivenAs(n, c)) {
			return yes
		}
	}
	found := no
	if who.Kind.IsGroup() {
		return no // a group as such comes from nowhere
	}
	for _, claim := range claims {
		found = found.or(c.carries(who, claim))
	}
	return found
}

// entry is one principal that a rule at a place names.
type entry struct {
	WrittenSubject number
	cuts           bool
	exactScope     bool
	conditional    bool
	permissions    catalogue.Set
	rule           *rule
}

// nameMarks are the marks of up to six principals that rules at a place name; with fewer, one stands several times. Most
// places name few, and whom they do not name need not look at their rules.
type nameMarks uint64

const mostMarks = 6

// names returns the marks of those whom the rules name; ok is false when they are too many.
func (p *placeRules) names() (names nameMarks, ok bool) {
	var found []uint32
	for i, e := range p.entries {
		if i == 0 || e.WrittenSubject != p.entries[i-1].WrittenSubject {
			found = append(found, markOf(e.WrittenSubject))
		}
	}
	switch {
	case len(found) > mostMarks:
		return 0, false
	case len(found) == 0: // those of a provider that was never there
		return 0, true
	}
	for i := range mostMarks {
		names |= nameMarks(found[i%len(found)]) << (markBits * i)
	}
	return names, true
}

// mayMean reports whether the rules may name a principal with some marks; when not, they do not. It takes no branch: a
// decision runs it at every scope on the way up.
func (names nameMarks) mayMean(m *marks) bool {
	const last = nameMarks(len(m) - 1)
	found := m[names>>6&last]>>(names&63) | m[names>>16&last]>>(names>>10&63) | m[names>>26&last]>>(names>>20&63) |
		m[names>>36&last]>>(names>>30&63) | m[names>>46&last]>>(names>>40&63) | m[names>>56&last]>>(names>>50&63)
	return found&1 != 0
}

// placeRules are the rules placed at a scope, made for finding those that name a principal quickly.
type placeRules struct {
	IsAbout [4]uint64     // what any of them gives or cuts, of the first 256 permissions
	beyond  catalogue.Set // and of the others, less 256
	entries []entry       // by subject, then as in all
	index   []indexed
	filter  *subjectFilter // with an index: whom it cannot have
	all     []*rule        // oldest first
}

// fewRules are the rules of a scope with few, in one piece of memory.
type fewRules struct {
	placeRules
	room [4]entry
}

// areAbout reports whether any of the rules gives or cuts a permission.
func (p *placeRules) areAbout(permission catalogue.Permission) bool {
	if permission < 256 {
		return p.IsAbout[permission/64]&(1<<(permission%64)) != 0
	}
	return p.beyond.Has(permission - 256)
}

// subjectFilter is a Bloom filter with one bit a number (B. H. Bloom, CACM 13(7), 1970): a look at it rules out nearly all
// that an index does not have.
type subjectFilter [1 << (filterBits - 6)]uint64

const filterBits = 12

func filterBit(n number) uint32 { return uint32(n) * 0x85ebca6b >> (32 - filterBits) }

func (f *subjectFilter) has(n number) bool {
	bit := filterBit(n)
	return f[bit>>6]&(1<<(bit&63)) != 0
}

// indexed says at which entry the entries of a principal begin; next is one more than that, and 0 for a free place.
type indexed struct {
	WrittenSubject number
	next           uint32
}

const indexAbove = 16 // entries; fewer are looked at one by one

func newPlaceRules(all []*rule) *placeRules {
	if len(all) == 0 {
		return nil
	}
	count := 0
	for _, r := range all {
		count += len(r.names())
	}
	few := &fewRules{}
	p := &few.placeRules
	if p.entries = few.room[:0]; count > len(few.room) {
		p = &placeRules{entries: make([]entry, 0, count)}
	}
	p.all = all
	for _, r := range all {
		for i, word := range r.permissions {
			if i < len(p.IsAbout) {
				p.IsAbout[i] |= word
			} else {
				p.beyond.Grow(i - len(p.IsAbout) + 1)
				p.beyond[i-len(p.IsAbout)] |= word
			}
		}
		for _, n := range r.names() {
			p.entries = append(p.entries, entry{
				WrittenSubject: n, cuts: r.cuts, exactScope: r.exactScope, conditional: r.conditional(), permissions: r.permissions, rule: r,
			})
		}
	}
	slices.SortStableFunc(p.entries, func(a, b entry) int { return cmp.Compare(a.WrittenSubject, b.WrittenSubject) })
	if len(p.entries) > indexAbove {
		p.buildIndex()
	}
	return p
}

// buildIndex makes a hash table from subjects to one more than the place of their first entry.
func (p *placeRules) buildIndex() {
	size := 1
	for size < 4*len(p.entries) {
		size *= 2
	}
	p.index, p.filter = make([]indexed, size), new(subjectFilter)
	for i := range p.entries {
		if i > 0 && p.entries[i].WrittenSubject == p.entries[i-1].WrittenSubject {
			continue
		}
		bit := filterBit(p.entries[i].WrittenSubject)
		p.filter[bit>>6] |= 1 << (bit & 63)
		at := p.slot(p.entries[i].WrittenSubject)
		for p.index[at].next != 0 {
			at = (at + 1) & (size - 1)
		}
		p.index[at] = indexed{p.entries[i].WrittenSubject, uint32(i + 1)}
	}
}

func (p *placeRules) slot(n number) int {
	return int(uint32(n)*0x9e3779b1>>8) & (len(p.index) - 1)
}

// first returns the place of the first entry that names n, or the number of entries.
func (p *placeRules) first(n number) int {
	for at := p.slot(n); ; at = (at + 1) & (len(p.index) - 1) {
		switch found := p.index[at]; {
		case found.next == 0:
			return len(p.entries)
		case found.WrittenSubject == n:
			return int(found.next) - 1
		}
	}
}
