package access

import (
	"crypto/sha256"
	"slices"
	"strings"
)

// PrincipalKind is the kind of a principal.
type PrincipalKind uint8

// The kinds of principals that rules can name.
const (
	User PrincipalKind = iota + 1
	Guest
	Group
	ServiceAccount
	PlatformService
	BuiltInSet
)

var principalKindNames = [...]string{"", "user", "guest", "group", "service-account", "service", "set"}

// String gives the kind's word.
func (k PrincipalKind) String() string { return principalKindNames[k] }

// Words gives the kind as a sentence has it, such as service account.
func (k PrincipalKind) Words() string { return strings.ReplaceAll(k.String(), "-", " ") }

// ParsePrincipalKind finds a kind by its word. The error is a [*Violation] that names the nearest one.
func ParsePrincipalKind(word string) (PrincipalKind, error) {
	for i := User; i <= BuiltInSet; i++ {
		if principalKindNames[i] == word {
			return i, nil
		}
	}
	v := violation(RuleUnknown, "%q is not a kind of principal: the kinds are %s", word, strings.Join(principalKindNames[1:], ", "))
	v.Nearest = Nearest(word, principalKindNames[1:])
	return 0, v
}

// Principal is who can hold access: somebody who acts, a group of principals, or a built-in set.
type Principal struct {
	ID       ID
	Home     ID // the scope a service account lives at, and goes with; zero for others
	Kind     PrincipalKind
	Inactive bool              // suspended or retired: every decision is no
	Name     string            // unique within its kind; a service account's, within its home
	Tags     map[string]string // not to be altered
	Owner    ID                // of a group: who may change its members without being an administrator; zero for nobody
	Gathers  *Condition        // of a gathering group: its members are whoever meets it; see [ParseGathering]
}

// Acts reports whether the principal acts itself, rather than standing for others.
func (p Principal) Acts() bool {
	return p.Kind == User || p.Kind == Guest || p.Kind == ServiceAccount || p.Kind == PlatformService
}

// The built-in sets, as principals: they are in every snapshot and have no members listed. Public stands for anyone at
// all; asked for as somebody, it is a visitor who has not signed in, and SignedIn is one whom the organisation does not
// know.
var (
	Public   = ID{15: 1}
	SignedIn = ID{15: 2}
	Everyone = ID{15: 3}
	Guests   = ID{15: 4}
	Staff    = ID{15: 5}
)

// The numbers of the built-in sets, in every snapshot.
const (
	publicNumber number = iota
	signedInNumber
	everyoneNumber
	guestsNumber
	staffNumber
)

var builtInSets = []Principal{
	{ID: Public, Kind: BuiltInSet, Name: "public"},
	{ID: SignedIn, Kind: BuiltInSet, Name: "signed-in"},
	{ID: Everyone, Kind: BuiltInSet, Name: "everyone"},
	{ID: Guests, Kind: BuiltInSet, Name: "guests"},
	{ID: Staff, Kind: BuiltInSet, Name: "staff"},
}

// wider gives the sets that a principal of a kind, or a set itself, belongs to.
func wider(p Principal) []number {
	switch {
	case p.Kind == User || p.ID == Staff:
		return []number{publicNumber, signedInNumber, everyoneNumber, staffNumber}
	case p.Kind == Guest || p.ID == Guests:
		return []number{publicNumber, signedInNumber, everyoneNumber, guestsNumber}
	case p.Kind == ServiceAccount || p.Kind == PlatformService || p.ID == Everyone:
		return []number{publicNumber, signedInNumber, everyoneNumber}
	case p.ID == SignedIn:
		return []number{publicNumber, signedInNumber}
	case p.ID == Public:
		return []number{publicNumber}
	}
	return nil
}

// PlatformServiceID gives the id under which a service of the catalogue acts, in every organisation: the first half of
// the SHA-256 of its name, marked as a UUIDv8 (RFC 9562, section 5.8).
func PlatformServiceID(service string) ID {
	sum := sha256.Sum256([]byte("platform service " + service))
	id := ID(sum[:16])
	id[6], id[8] = id[6]&0x0f|0x80, id[8]&0x3f|0x80
	return id
}

// PlatformService gives the name of the service that acts under an id in every organisation.
func (c *Catalogue) PlatformService(id ID) (string, bool) {
	name, ok := c.acting[id]
	return name, ok
}

// Membership puts a principal into a group.
type Membership struct {
	Group  ID `json:"group"`
	Member ID `json:"member"`
}

// What a decision reads comes first, in two cache lines.
type principalNode struct {
	marks marks            // of those in all
	near  [nearMost]number // the first of all
	far   []number         // all of them, when they are more
	count int              // of all
	Principal
	number  number
	resting []number // those in all that it reaches through retired groups only, sorted; nil for nearly everybody
	owner   *owner   // who may alter the lists in place
	key     string   // by which it is found and ordered within its kind
	groups  []number
	members []number // of a group
	rules   []*rule  // that name it
}

// nameKey gives the text that finds a principal within its kind.
func nameKey(name string, home ID) string {
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

// markOf gives the bit that stands for a number.
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
	return !p.rests(n) || c.peopleInUse() && (p.Kind != Group || n > staffNumber)
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
