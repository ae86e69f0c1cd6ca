package access

import (
	"iter"
	"strings"
	"unicode"
	"unicode/utf8"

	"arbora.example/access/model"
)

// An outside group is what a provider says that its people are in. It gives nothing itself and no rule names it: its members hold what the
// groups give that it is a member of, which are those it is linked to.

// OutsideGroupName returns what the outside group of a provider is called here that it calls by a subject.
func OutsideGroupName(subject, provider string) string { return subject + "@" + provider }

// CheckOutsideGroup refuses what no provider's group is called here: it is a line of 1 to [MaxSubject] bytes that neither begins nor ends with a
// space. The error is a [*model.Violation].
func CheckOutsideGroup(subject string) error {
	if subject == "" || len(subject) > MaxSubject || !utf8.ValidString(subject) || strings.TrimSpace(subject) != subject || strings.ContainsFunc(subject, unicode.IsControl) {
		return model.Violationf(model.RuleName, "%q is not the name of an outside group: it has 1 to %d bytes on one line, and no space at its ends", subject, MaxSubject)
	}
	return nil
}

func checkOutsideGroup(p Principal, provider *principalNode) error {
	switch {
	case p.Name != OutsideGroupName(p.Subject, provider.Name):
		return model.Violationf(model.RuleName, "an outside group is called SUBJECT@PROVIDER, not %q", p.Name)
	case p.Claims != nil || len(p.Tags) > 0 || p.Inactive:
		return model.Violationf(model.RulePlacement, "an outside group has neither claims nor tags, and is in use as long as its provider is")
	case p.Pattern:
		_, err := ParsePattern(p.Subject)
		return err
	}
	return CheckOutsideGroup(p.Subject)
}

// Pattern matches names that begin and end alike; the part between them, which has a name, is of any characters, and at least one.
type Pattern struct{ Before, Part, After string }

// ParsePattern reads a pattern, such as label-{house}. The error is a [*model.Violation].
func ParsePattern(text string) (p Pattern, err error) {
	before, rest, opened := strings.Cut(text, "{")
	part, after, closed := strings.Cut(rest, "}")
	if !opened || !closed || strings.ContainsAny(after, "{}") || strings.Contains(before, "}") || model.CheckName(part) != nil {
		return p, model.Violationf(model.RuleName, "%q is not a pattern: it names the part that differs, once, as in label-{house}", text)
	}
	if strings.TrimSpace(before+after) == "" {
		return p, model.Violationf(model.RuleName, "%q matches every group: name what they have in common", text)
	}
	if err := CheckOutsideGroup(text); err != nil {
		return p, err
	}
	return Pattern{Before: before, Part: part, After: after}, nil
}

// Match returns what stands for the part in a name that the pattern matches.
func (p Pattern) Match(name string) (part string, ok bool) {
	if len(name) <= len(p.Before)+len(p.After) || !strings.HasPrefix(name, p.Before) || !strings.HasSuffix(name, p.After) {
		return "", false
	}
	return name[len(p.Before) : len(name)-len(p.After)], true
}

// OutsideGroups yields the outside groups of a provider, patterns among them, by name.
func (s *Snapshot) OutsideGroups(provider model.ID) iter.Seq[Principal] {
	return func(yield func(Principal) bool) {
		s.named[model.OutsideGroup].From("", s.principalKey, func(n number) bool {
			p := s.principals.Get(n)
			return p.Provider != provider || yield(p.Principal)
		})
	}
}

// match makes an outside group that is new a member of the patterns that match it or, if it is a pattern, those that it matches its members.
func (d *draft) match(n number) {
	fresh := d.principals.Get(n)
	var pairs [][2]number // a pattern, and a group that it matches
	d.named[model.OutsideGroup].From("", d.principalKey, func(other number) bool {
		one := d.principals.Get(other)
		if one.Provider != fresh.Provider || one.Pattern == fresh.Pattern {
			return true
		}
		pattern, group := fresh, one
		if one.Pattern {
			pattern, group = one, fresh
		}
		// A pattern that is there can be read.
		if p, err := ParsePattern(pattern.Subject); err == nil {
			if _, ok := p.Match(group.Subject); ok {
				pairs = append(pairs, [2]number{pattern.number, group.number})
			}
		}
		return true
	})
	for _, pair := range pairs {
		pattern, group := d.editPrincipal(pair[0]), d.editPrincipal(pair[1])
		pattern.members, group.groups = insert(pattern.members, pair[1]), insert(group.groups, pair[0])
		d.stale = append(d.stale, pair[1])
		d.tookAway = true
	}
}
