package model

import (
	"encoding/json"
	"slices"
	"strings"

	"arbora.example/internal/english"
)

// Kind is the kind of a scope.
type Kind uint8

// The kinds, from the top down.
const (
	Organisation Kind = iota + 1
	Folder
	Project
	Compartment
	Resource
)

var kindNames = [...]string{"", "organisation", "folder", "project", "compartment", "resource"}

// String returns the kind's word.
func (k Kind) String() string { return kindNames[k] }

// ParseKind finds a kind by its word. The error is a [*Violation] that names the nearest one.
func ParseKind(word string) (Kind, error) {
	for i := Organisation; i <= Resource; i++ {
		if kindNames[i] == word {
			return i, nil
		}
	}
	v := Violationf(RuleUnknown, "%q is not a kind of scope: the kinds are organisation, folder, project, compartment and resource", word)
	v.Nearest = english.Nearest(word, kindNames[1:])
	return 0, v
}

// MaxDepth is how many containers may stand above one another, the organisation counted.
const MaxDepth = 16

// MaxLevels is how many scopes, resources counted, may stand above one another.
const MaxLevels = 64

// MaxName is the length of the longest name, in bytes.
const MaxName = 63

// Scope is a node of the tree.
type Scope struct {
	ID      ID
	Parent  ID // zero for an organisation
	Kind    Kind
	Name    string // without the type
	Type    string // a resource's type; empty for containers
	Retired bool
	Tags    map[string]string // not to be altered
	Offered []string          // the services offered beneath a container, sorted; nil when it narrows nothing
	// Formerly are names that an organisation had before, sorted. Addresses may begin with them, too.
	Formerly []string
}

// FullName is the name as it stands in addresses: a resource's carries its type.
func (s Scope) FullName() string {
	if s.Kind == Resource {
		return s.Name + "." + s.Type
	}
	return s.Name
}

// TypeName is the word under which the catalogue knows the scope: a resource's type, or else the kind.
func (s Scope) TypeName() string {
	if s.Kind == Resource {
		return s.Type
	}
	return s.Kind.String()
}

// CheckName checks that a name follows the rule for names of scopes and principals: 1 to [MaxName] lower-case letters,
// digits and hyphens, with a letter or digit at both ends. The error is a [*Violation].
func CheckName(name string) error {
	ok := name != "" && len(name) <= MaxName && name[0] != '-' && name[len(name)-1] != '-'
	for i := 0; ok && i < len(name); i++ {
		c := name[i]
		ok = 'a' <= c && c <= 'z' || '0' <= c && c <= '9' || c == '-'
	}
	if !ok {
		return Violationf(RuleName, "%q is not a valid name: use 1 to %d lower-case letters, digits and hyphens, with a letter or digit at both ends", name, MaxName)
	}
	return nil
}

// SplitFullName takes the last part of an address apart. The type is empty when it names a container.
func SplitFullName(full string) (name, typeName string) {
	name, typeName, _ = strings.Cut(full, ".")
	return name, typeName
}

// SplitAddress takes an address apart into its parent's address and its last part. The parent of an organisation is "".
func SplitAddress(address string) (parent, last string) {
	at := strings.LastIndexByte(address, '/')
	if at < 0 {
		return "", address
	}
	return address[:at], address[at+1:]
}

type writtenScope struct {
	ID       ID                `json:"id"`
	Parent   ID                `json:"parent,omitzero"`
	Kind     Kind              `json:"kind"`
	Name     string            `json:"name"`
	Type     string            `json:"type,omitempty"`
	Retired  bool              `json:"retired,omitempty"`
	Tags     map[string]string `json:"tags"`
	Offered  []string          `json:"offered"`
	Formerly []string          `json:"formerly"`
}

// MarshalJSON writes the scope as recorded changes hold it.
func (s Scope) MarshalJSON() ([]byte, error) { return json.Marshal(writtenScope(s)) }

// UnmarshalJSON reads what MarshalJSON wrote.
func (s *Scope) UnmarshalJSON(text []byte) error {
	return json.Unmarshal(text, (*writtenScope)(s))
}

// MarshalText writes the kind's word.
func (k Kind) MarshalText() ([]byte, error) { return []byte(k.String()), nil }

// UnmarshalText reads a kind as [ParseKind] does.
func (k *Kind) UnmarshalText(text []byte) (err error) {
	*k, err = ParseKind(string(text))
	return err
}

// Terms returns what a search finds a scope by, when the searched text begins one of them: its full name, whole and from each
// word on; its type, or kind; and each tag, as KEY=VALUE and as the value alone. They are in lower case, in order, and none
// twice.
func (s Scope) Terms() []string {
	var terms []string
	s.eachTerm(func(term string) { terms = append(terms, term) })
	slices.Sort(terms)
	return slices.Compact(terms)
}

// eachTerm calls fn with each term, some perhaps twice.
func (s Scope) eachTerm(fn func(term string)) {
	term := func(text string) {
		if text != "" {
			fn(text)
		}
	}
	term(s.TypeName())
	for name, more := s.FullName(), true; more; {
		term(name)
		_, name, more = strings.Cut(name, "-")
	}
	for key, value := range s.Tags {
		value = strings.ToLower(value)
		term(key + "=" + value)
		term(value)
	}
}

// FirstTerm returns the first of a scope's terms that begins with a text; empty when none does.
func (s Scope) FirstTerm(text string) (first string) {
	s.eachTerm(func(term string) {
		if strings.HasPrefix(term, text) && (first == "" || term < first) {
			first = term
		}
	})
	return first
}
