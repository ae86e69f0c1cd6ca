package directory

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"

	ber "github.com/go-asn1-ber/asn1-ber"
	"github.com/go-ldap/ldap/v3"
	"github.com/go-ldap/ldif"
)

// file is the entries of a file.
type file []Entry

// named is a value that a file names by an address (RFC 2849): those would be read from this machine, or fetched.
var named = regexp.MustCompile(`(?m)^[A-Za-z0-9.;-]+:<`)

// File reads the entries of an LDIF file.
func File(text []byte) (Source, error) {
	if at := named.Find(text); at != nil {
		return nil, fmt.Errorf("the file names the address of a value after %s: values stand in the file itself", bytes.TrimSuffix(at, []byte(":<")))
	}
	var read ldif.LDIF
	if err := ldif.Unmarshal(bytes.NewReader(text), &read); err != nil {
		return nil, fmt.Errorf("the file cannot be read as LDIF: %w", err)
	}
	var entries file
	for _, one := range read.Entries {
		if one.Entry == nil {
			return nil, errors.New("the file lists changes: use a file with whole entries")
		}
		e := Entry{Name: compared(one.Entry.DN), values: map[string][]string{}}
		for _, a := range one.Entry.Attributes {
			name := strings.ToLower(a.Name)
			e.values[name] = append(e.values[name], a.Values...)
		}
		entries = append(entries, e)
	}
	if len(entries) == 0 {
		return nil, errors.New("there are no entries in the file")
	}
	return entries, nil
}

func (file) Live() bool { return false }

func (f file) Each(ctx context.Context, search Search, _ []string, fn func(Entry) error) error {
	filter, err := ldap.CompileFilter(search.Filter)
	if err != nil {
		return err
	}
	base := compared(search.Base)
	for _, e := range f {
		if e.Name != base && !strings.HasSuffix(e.Name, ","+base) {
			continue
		}
		passes, err := e.passes(filter)
		if err != nil {
			return err
		}
		if passes {
			if err := fn(e); err != nil {
				return err
			}
		}
	}
	return ctx.Err()
}

// passes reports whether a filter lets an entry through (RFC 4511, section 4.5.1.7). Values are compared whatever the case of their letters, as
// most attributes are.
func (e Entry) passes(filter *ber.Packet) (bool, error) {
	switch filter.Tag {
	case ldap.FilterAnd, ldap.FilterOr:
		for _, part := range filter.Children {
			if passes, err := e.passes(part); err != nil || passes == (filter.Tag == ldap.FilterOr) {
				return passes, err
			}
		}
		return filter.Tag == ldap.FilterAnd, nil
	case ldap.FilterNot:
		passes, err := e.passes(filter.Children[0])
		return !passes, err
	case ldap.FilterPresent:
		return len(e.all(text(filter))) > 0, nil
	case ldap.FilterEqualityMatch, ldap.FilterApproxMatch, ldap.FilterGreaterOrEqual, ldap.FilterLessOrEqual:
		wanted := strings.ToLower(text(filter.Children[1]))
		for _, value := range e.all(text(filter.Children[0])) {
			switch order := strings.Compare(strings.ToLower(value), wanted); filter.Tag {
			case ldap.FilterGreaterOrEqual:
				if order >= 0 {
					return true, nil
				}
			case ldap.FilterLessOrEqual:
				if order <= 0 {
					return true, nil
				}
			default:
				if order == 0 {
					return true, nil
				}
			}
		}
		return false, nil
	case ldap.FilterSubstrings:
		for _, value := range e.all(text(filter.Children[0])) {
			if contains(strings.ToLower(value), filter.Children[1].Children) {
				return true, nil
			}
		}
		return false, nil
	}
	return false, errors.New("a filter for a file cannot name a matching rule: compare attributes alone")
}

// contains reports whether the parts of a pattern stand in a value, in their order.
func contains(value string, parts []*ber.Packet) bool {
	for _, part := range parts {
		wanted := strings.ToLower(text(part))
		var found bool
		switch part.Tag {
		case ldap.FilterSubstringsInitial:
			value, found = strings.CutPrefix(value, wanted)
		case ldap.FilterSubstringsFinal:
			found = strings.HasSuffix(value, wanted)
		default:
			_, value, found = strings.Cut(value, wanted)
		}
		if !found {
			return false
		}
	}
	return true
}

// text returns the bytes that a part of a filter holds.
func text(p *ber.Packet) string {
	if p.Data != nil && p.Data.Len() > 0 {
		return p.Data.String()
	}
	value, _ := p.Value.(string)
	return value
}
