package directory

import (
	"context"
	"strings"
	"unicode/utf8"

	"github.com/go-ldap/ldap/v3"
)

// Entry is an entry of a directory.
type Entry struct {
	Name   string // its distinguished name, as it is compared
	values map[string][]string
}

// all returns the values of an attribute, in whatever letters it is written.
func (e Entry) all(attribute string) []string { return e.values[strings.ToLower(attribute)] }

// one returns the only value of an attribute, or the first.
func (e Entry) one(attribute string) string {
	if values := e.all(attribute); len(values) > 0 {
		return values[0]
	}
	return ""
}

// Source is where entries come from.
type Source interface {
	// Each calls fn for the entries that a search finds, with the attributes asked for.
	Each(ctx context.Context, search Search, attributes []string, fn func(Entry) error) error
	// Live reports whether it can be asked again for a part.
	Live() bool
}

// plain reports whether a distinguished name is written as it is compared, but for the case of its letters: most are.
func plain(name string) bool {
	for i := range len(name) {
		switch c := name[i]; {
		case c >= utf8.RuneSelf || strings.IndexByte(`\"+#;<>`, c) >= 0:
			return false
		case c == ' ' && (i == 0 || i+1 == len(name) || strings.IndexByte(",= ", name[i-1]) >= 0 || strings.IndexByte(",= ", name[i+1]) >= 0):
			return false
		}
	}
	return true
}

// compared returns a distinguished name in the form in which names are compared (RFC 4514): its attributes and values in small letters.
func compared(name string) string {
	if plain(name) {
		return strings.ToLower(name)
	}
	dn, err := ldap.ParseDN(name)
	if err != nil {
		return strings.ToLower(strings.TrimSpace(name))
	}
	return strings.ToLower(dn.String())
}
