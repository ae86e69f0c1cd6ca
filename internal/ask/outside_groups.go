package ask

import (
	"context"
	"slices"
	"strings"
	"unicode"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/english"
	"arbora.example/internal/tenant"
)

// OutsideGroupView is an outside group, or a pattern of them, with the groups that it is linked to.
type OutsideGroupView struct {
	access.Principal
	ComesBy string   // its provider
	People  int      // who are in it at present
	Links   []Link   // by which its people are in groups
	Matches []string // of a pattern: the outside groups that it matches
	Near    []string // if nobody is in it: outside groups that somebody is in, called nearly as it is
}

// Links narrows outside groups by their links.
type Links string

// Which links outside groups have.
const (
	Linked   Links = "linked"
	Unlinked Links = "unlinked" // seen, and linked to nothing
	Unseen   Links = "unseen"   // linked, and nobody is in them
)

// Link is a group that the people of an outside group are in.
type Link struct {
	Group string
	By    string // the pattern by which; empty for the outside group itself
}

var outsideGroups = lister[OutsideGroupView]{
	key: func(g OutsideGroupView) string { return g.Name },
	words: func(g OutsideGroupView) []string {
		return append([]string{g.Subject, g.ComesBy}, groupNames(g.Links)...)
	},
	columns: map[string]func(OutsideGroupView) string{
		"name":   func(g OutsideGroupView) string { return g.Subject },
		"people": func(g OutsideGroupView) string { return byNumber(g.People) },
		"groups": func(g OutsideGroupView) string { return strings.Join(groupNames(g.Links), " ") },
	},
}

func groupNames(links []Link) (names []string) {
	for _, l := range links {
		names = append(names, l.Group)
	}
	return names
}

// ListOutsideGroups lists what the providers of an organisation, or one of them, call groups, as far as it was seen or linked.
func (s *Answers) ListOutsideGroups(ctx context.Context, c tenant.Caller, organisation string, wanted Listing, by Narrowed) (Listed[OutsideGroupView], error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return Listed[OutsideGroupView]{}, err
	}
	if _, err := d.Directory("list provider", organisation); err != nil {
		return Listed[OutsideGroupView]{}, err
	}
	if _, err := d.Directory("list group", organisation); err != nil {
		return Listed[OutsideGroupView]{}, err
	}
	of := slices.Collect(d.Principals(model.Provider))
	if by.Provider != "" {
		provider, err := d.PrincipalCalled(model.Provider.String(), by.Provider)
		if err != nil {
			return Listed[OutsideGroupView]{}, err
		}
		of = []access.Principal{provider}
	}
	var views []OutsideGroupView
	for _, provider := range of {
		views = append(views, outsideGroupsOf(d, provider)...)
	}
	return outsideGroups.list(views, wanted, func(g OutsideGroupView) bool {
		switch by.Links {
		case Linked:
			return len(g.Links) > 0
		case Unlinked:
			return len(g.Links) == 0
		case Unseen:
			return len(g.Links) > 0 && g.People == 0
		}
		return true
	})
}

func outsideGroupsOf(d tenant.Viewer, provider access.Principal) (views []OutsideGroupView) {
	var seen []string // what somebody is in, and is linked to nothing itself
	for p := range d.OutsideGroups(provider.ID) {
		v := OutsideGroupView{Principal: p, ComesBy: provider.Name, People: peopleIn(d, p), Links: linksOf(d, p)}
		if p.Pattern {
			for _, group := range d.Members(p.ID) {
				v.Matches = append(v.Matches, group.Subject)
			}
		} else if v.People > 0 && len(d.Groups(p.ID)) == 0 {
			seen = append(seen, p.Subject)
		}
		views = append(views, v)
	}
	for i, v := range views {
		if v.People == 0 && len(v.Links) > 0 {
			views[i].Near = NearlyCalled(v.Subject, seen)
		}
	}
	return views
}

// peopleIn counts who is in an outside group, or in those that a pattern matches.
func peopleIn(d tenant.Viewer, group access.Principal) int {
	if group.Pattern {
		return len(d.EveryMember(group.ID))
	}
	return d.MemberCount(group.ID)
}

// linksOf returns the groups that the people of an outside group are in by it: those it is linked to, and those that patterns which match it are.
func linksOf(d tenant.Viewer, group access.Principal) (links []Link) {
	for _, to := range d.Groups(group.ID) {
		links = append(links, Link{Group: to.Name})
	}
	for _, pattern := range d.OutsideGroupsOf(group.ID) {
		for _, to := range d.Groups(pattern.ID) {
			links = append(links, Link{Group: to.Name, By: pattern.Subject})
		}
	}
	return links
}

// NearlyCalled returns those names that differ from one by case, spaces and signs alone, or are spelled nearly as it is.
func NearlyCalled(name string, among []string) (near []string) {
	bare := bareName(name)
	for _, other := range among {
		if other != name && (bareName(other) == bare || english.Nearest(bare, []string{bareName(other)}) != "") {
			near = append(near, other)
		}
	}
	return near
}

// bareName leaves the small letters and digits of a name.
func bareName(name string) string {
	return strings.Map(func(r rune) rune {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return -1
		}
		return unicode.ToLower(r)
	}, name)
}
