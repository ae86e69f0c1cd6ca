package model

import (
	"crypto/sha256"
	"strings"

	"arbora.example/internal/english"
)

// PrincipalKind is the kind of a principal.
type PrincipalKind uint8

// The kinds of principals that rules can name.
const (
	User PrincipalKind = iota + 1
	Guest
	OutsidePerson // by a provider
	Group
	OutsideGroup // as a provider names it
	ServiceAccount
	Provider
	PlatformService
	BuiltInSet
)

// PrincipalKindNames are the words of the kinds, by kind; there is none of 0.
var PrincipalKindNames = [...]string{"", "user", "guest", "outside-person", "group", "outside-group", "service-account", "provider", "service", "set"}

// People are the kinds of those who are people.
var People = []PrincipalKind{User, Guest, OutsidePerson}

// IsPerson reports whether those of the kind are people.
func (k PrincipalKind) IsPerson() bool { return k == User || k == Guest || k == OutsidePerson }

// IsGroup reports whether those of the kind stand for their members.
func (k PrincipalKind) IsGroup() bool { return k == Group || k == OutsideGroup }

// String returns the kind's word.
func (k PrincipalKind) String() string { return PrincipalKindNames[k] }

// Words returns the kind as a sentence has it, such as service account.
func (k PrincipalKind) Words() string { return strings.ReplaceAll(k.String(), "-", " ") }

// ParsePrincipalKind finds a kind by its word. The error is a [*Violation] that names the nearest one.
func ParsePrincipalKind(word string) (PrincipalKind, error) {
	for i := User; i <= BuiltInSet; i++ {
		if PrincipalKindNames[i] == word {
			return i, nil
		}
	}
	v := Violationf(RuleUnknown, "%q is not a kind of principal: the kinds are %s", word, strings.Join(PrincipalKindNames[1:], ", "))
	v.Nearest = english.Nearest(word, PrincipalKindNames[1:])
	return 0, v
}

// PlatformServiceID returns the id under which a service of the catalogue acts, in every organisation: the first half of
// the SHA-256 of its name, marked as a UUIDv8 (RFC 9562, section 5.8).
func PlatformServiceID(service string) ID {
	sum := sha256.Sum256([]byte("platform service " + service))
	id := ID(sum[:16])
	id[6], id[8] = id[6]&0x0f|0x80, id[8]&0x3f|0x80
	return id
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

// MarshalText writes the kind's word.
func (k PrincipalKind) MarshalText() ([]byte, error) { return []byte(k.String()), nil }

// UnmarshalText reads a kind as [ParsePrincipalKind] does.
func (k *PrincipalKind) UnmarshalText(text []byte) (err error) {
	*k, err = ParsePrincipalKind(string(text))
	return err
}
