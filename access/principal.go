package access

import (
	"slices"

	"arbora.example/access/internal/persist"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// Principal is who can hold access: somebody who acts, a group of principals, or a built-in set.
type Principal struct {
	ID       model.ID
	Home     model.ID // the scope a service account lives at, and goes with; zero for others
	Kind     model.PrincipalKind
	Inactive bool                 // suspended or retired: every decision is no
	Name     string               // unique within its kind; a service account's, within its home; that of who or what comes by a provider is NAME@PROVIDER
	Tags     map[string]string    // not to be altered
	Owner    model.ID             // of a group: who may change its members without being an administrator; zero for nobody
	Gathers  *statement.Condition // of a gathering group: its members are whoever meets it; see [statement.ParseGathering]

	// Of an outside person: the provider they come by, what it knows them by, and what it said of them last, which is nil before it said
	// anything. Claims are not to be altered.
	Provider model.ID
	Subject  string
	Claims   map[string][]string

	// An outside group has a provider and a subject, too: what the provider calls it. If Pattern is set, it has for members the provider's
	// outside groups whose names its own matches, as [Pattern.Match] tells.
	Pattern bool

	// Of a provider: its people are the organisation's own, so they are staff.
	Own bool
}

// Acts reports whether the principal acts itself, rather than standing for others.
func (p Principal) Acts() bool {
	switch p.Kind {
	case model.User, model.Guest, model.OutsidePerson, model.ServiceAccount, model.PlatformService:
		return true
	}
	return false
}

// The numbers of the built-in sets, in every snapshot.
const (
	publicNumber number = iota
	signedInNumber
	everyoneNumber
	guestsNumber
	staffNumber
)

var builtInSets = []Principal{
	{ID: model.Public, Kind: model.BuiltInSet, Name: "public"},
	{ID: model.SignedIn, Kind: model.BuiltInSet, Name: "signed-in"},
	{ID: model.Everyone, Kind: model.BuiltInSet, Name: "everyone"},
	{ID: model.Guests, Kind: model.BuiltInSet, Name: "guests"},
	{ID: model.Staff, Kind: model.BuiltInSet, Name: "staff"},
}

// wider returns the sets that a principal of a kind, or a set itself, belongs to. An outside person belongs to those of their provider, too.
func wider(p Principal) []number {
	switch {
	case p.Kind == model.User || p.ID == model.Staff || p.Kind == model.Provider && p.Own:
		return []number{publicNumber, signedInNumber, everyoneNumber, staffNumber}
	case p.Kind == model.Guest || p.ID == model.Guests:
		return []number{publicNumber, signedInNumber, everyoneNumber, guestsNumber}
	case p.Kind == model.OutsidePerson || p.Kind == model.Provider || p.Kind == model.ServiceAccount || p.Kind == model.PlatformService || p.ID == model.Everyone:
		return []number{publicNumber, signedInNumber, everyoneNumber}
	case p.ID == model.SignedIn:
		return []number{publicNumber, signedInNumber}
	case p.ID == model.Public:
		return []number{publicNumber}
	}
	return nil
}

// Membership puts a principal into a group.
type Membership struct {
	Group  model.ID `json:"group"`
	Member model.ID `json:"member"`
}

// What a decision reads comes first, in two cache lines.
type principalNode struct {
	marks marks            // of those in all
	near  [nearMost]number // the first of all
	far   []number         // all of them, when they are more
	count int              // of all
	Principal
	number  number
	resting []number       // those in all that it reaches through retired groups only, sorted; nil for nearly everybody
	owner   *persist.Owner // who may alter the lists in place
	key     string         // by which it is found and ordered within its kind
	groups  []number
	members []number // of a group
	rules   []*rule  // that name it
}

// nameKey returns the text that finds a principal within its kind.
func nameKey(name string, home model.ID) string {
	if home.IsZero() {
		return name
	}
	return name + "@" + string(home[:])
}

// nearMost is how many numbers are kept in the node itself: most principals are in fewer groups.
const nearMost = 24

// all returns the numbers by which a rule may name this principal: its own, those of its groups at any depth and those of
// its built-in sets; sorted. Retired groups count: what cuts their members goes on cutting.
func (p *principalNode) all() []number {
	if p.count <= nearMost {
		return p.near[:p.count]
	}
	return p.far
}

// marks are bits that stand for numbers: a number whose bit is not set is not among them.
type marks [1 << (markBits - 6)]uint64

const markBits = 10

// markOf returns the bit that stands for a number.
func markOf(n number) uint32 { return uint32(n) * 0x9e3779b1 >> (32 - markBits) }

func (m *marks) has(mark uint32) bool { return m[mark>>6]&(1<<(mark&63)) != 0 }

// among reports whether n is one of all: a look at the marks rules out nearly all others.
func (p *principalNode) among(n number) bool {
	return p.marks.has(markOf(n)) && sortedHas(p.all(), n)
}

// rests reports whether n is one of all for what cuts alone: through retired groups only or, of a group, a set of everybody.
func (p *principalNode) rests(n number) bool { return p.resting != nil && sortedHas(p.resting, n) }

// hasRetiredGroups reports whether it reaches groups through retired ones only.
func (p *principalNode) hasRetiredGroups() bool {
	return len(p.resting) > 0 && p.resting[len(p.resting)-1] > staffNumber
}

// isGivenAs reports whether what n is given is given to the principal, too, n being one of all: groups give once they are in
// use, what everybody is given is never given by a group.
func (p *principalNode) isGivenAs(n number, c *Context) bool {
	return !p.rests(n) || c.peopleInUse() && (!p.Kind.IsGroup() || n > staffNumber)
}

// counts reports whether n is one of all through active groups.
func (p *principalNode) counts(n number) bool { return p.among(n) && !p.rests(n) }

func sortedHas(sorted []number, n number) bool {
	low, high := 0, len(sorted)
	for low < high {
		if middle := int(uint(low+high) >> 1); sorted[middle] < n {
			low = middle + 1
		} else {
			high = middle
		}
	}
	return low < len(sorted) && sorted[low] == n
}

// setAll takes all numbers, and those of them that it reaches through active groups. Both lists may be altered afterwards.
func (p *principalNode) setAll(all, live []number) {
	slices.Sort(all)
	all = slices.Compact(all)
	p.count, p.far = len(all), nil
	if copy(p.near[:], all) < len(all) {
		p.far = slices.Clone(all)
	}
	p.marks, p.resting = marks{}, nil
	slices.Sort(live)
	for _, n := range all {
		mark := markOf(n)
		p.marks[mark>>6] |= 1 << (mark & 63)
		if !sortedHas(live, n) {
			p.resting = append(p.resting, n)
		}
	}
}
