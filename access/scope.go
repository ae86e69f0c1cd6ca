package access

import "strings"

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

// String gives the kind's word.
func (k Kind) String() string { return kindNames[k] }

// ParseKind finds a kind by its word. The error is a [*Violation] that names the nearest one.
func ParseKind(word string) (Kind, error) {
	for i := Organisation; i <= Resource; i++ {
		if kindNames[i] == word {
			return i, nil
		}
	}
	v := violation(RuleUnknown, "%q is not a kind of scope: the kinds are organisation, folder, project, compartment and resource", word)
	v.Nearest = Nearest(word, kindNames[1:])
	return 0, v
}

// MaxDepth is how many containers may stand above one another, the organisation counted.
const MaxDepth = 16

// maxLevels is how many scopes, resources counted, may stand above one another.
const maxLevels = 64

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

// CheckName says whether a name follows the rule for names of scopes and principals: 1 to [MaxName] lower-case letters,
// digits and hyphens, with a letter or digit at both ends. The error is a [*Violation].
func CheckName(name string) error {
	ok := name != "" && len(name) <= MaxName && name[0] != '-' && name[len(name)-1] != '-'
	for i := 0; ok && i < len(name); i++ {
		c := name[i]
		ok = 'a' <= c && c <= 'z' || '0' <= c && c <= '9' || c == '-'
	}
	if !ok {
		return violation(RuleName, "%q is not a valid name: use 1 to %d lower-case letters, digits and hyphens, with a letter or digit at both ends", name, MaxName)
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
