package ask

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// UserView is a user, guest or outside person as its viewer may see it.
type UserView struct {
	access.Principal
	store.PrincipalDetails
}

// PersonView is a user, guest or outside person in a list.
type PersonView struct {
	UserView
	Groups     []access.Principal // the groups they are a direct member of
	Factors    []settings.Factor  // what they can sign in with beside a password, or in place of it
	LastSignIn time.Time          // when they last came to work in the organisation; zero for never
}

// GroupView is a group as its viewer may see it.
type GroupView struct {
	access.Principal
	store.PrincipalDetails
	Members int // direct ones
}

// AccountView is a service account as its viewer may see it.
type AccountView struct {
	access.Principal
	store.PrincipalDetails
	Address string
}

// Ago says how long ago something was.
type Ago string

// The spans, the nearest first. Each leaves out those before it.
const (
	ThisWeek    Ago = "week"    // within 7 days
	ThisMonth   Ago = "month"   // within 30
	ThisQuarter Ago = "quarter" // within 90
	Longer      Ago = "longer"
	Never       Ago = "never"
)

// Agos are all spans.
var Agos = []Ago{ThisWeek, ThisMonth, ThisQuarter, Longer, Never}

// ago returns how long before now something was; the zero time is never.
func ago(at, now time.Time) Ago {
	switch since := now.Sub(at); {
	case at.IsZero():
		return Never
	case since <= 7*day:
		return ThisWeek
	case since <= 30*day:
		return ThisMonth
	case since <= 90*day:
		return ThisQuarter
	}
	return Longer
}

// Narrowed is what a list of principals is narrowed by; what is empty narrows nothing.
type Narrowed struct {
	Kind       string // user, guest or outside-person
	Provider   string // by which outside people come
	State      credential.State
	Tag        string // a key, or KEY=VALUE
	Group      string // one that they are in, at any depth
	Outside    string // an outside group that they are in, as NAME@PROVIDER
	Factor     string // a [settings.Factor], or none
	LastSignIn Ago
	Gathers    bool // groups that gather their members
	Links      Links
}

var people = lister[PersonView]{
	// A guest and an outside person may have the same name.
	key:   func(p PersonView) string { return p.Name + " " + p.Kind.String() },
	words: func(p PersonView) []string { return []string{p.Name, p.Title, p.Email, p.Description, string(p.State)} },
	columns: map[string]func(PersonView) string{
		"name":       func(p PersonView) string { return p.Name },
		"title":      func(p PersonView) string { return strings.ToLower(p.Title) },
		"email":      func(p PersonView) string { return strings.ToLower(p.Email) },
		"kind":       func(p PersonView) string { return p.Kind.String() },
		"state":      func(p PersonView) string { return string(p.State) },
		"factors":    func(p PersonView) string { return fmt.Sprint(p.Factors) },
		"lastSignIn": func(p PersonView) string { return byMoment(p.LastSignIn) },
		"created":    func(p PersonView) string { return byMoment(p.CreatedAt) },
	},
}

// ListPeople lists users, guests and outside people, those too who have not accepted yet. Whoever may not describe users sees names and titles, and
// finds and orders them by no more.
func (s *Answers) ListPeople(ctx context.Context, c tenant.Caller, organisation string, wanted Listing, by Narrowed) (Listed[PersonView], error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return Listed[PersonView]{}, err
	}
	top, err := d.Directory("list user", organisation)
	if err != nil {
		return Listed[PersonView]{}, err
	}
	within, err := membersOf(d, model.Group, by.Group)
	if err != nil {
		return Listed[PersonView]{}, err
	}
	there, err := membersOf(d, model.OutsideGroup, by.Outside)
	if err != nil {
		return Listed[PersonView]{}, err
	}
	var provider model.ID
	if by.Provider != "" {
		p, err := d.PrincipalCalled(model.Provider.String(), by.Provider)
		if err != nil {
			return Listed[PersonView]{}, err
		}
		provider = p.ID
	}
	views := make([]PersonView, 0, d.Size().Principals)
	describes := d.May("describe user", top.ID)
	for _, kind := range model.People {
		for p := range d.Principals(kind) {
			if !describes {
				p.Tags, p.Subject, p.Claims = nil, "", nil
			}
			views = append(views, PersonView{UserView: UserView{Principal: p}})
		}
	}
	// The records are read for all of them only where they decide who is listed, or in which order; of sign-ins alone where those do.
	byRecords := wanted.Find != "" || !slices.Contains([]string{"", "name", "kind", "lastSignIn"}, wanted.Sort) || by.State != "" || by.Factor != ""
	if !byRecords && describes && (wanted.Sort == "lastSignIn" || by.LastSignIn != "") {
		last, err := s.Records.LastSignIns(ctx, d.OrganisationID())
		if err != nil {
			return Listed[PersonView]{}, err
		}
		for i, v := range views {
			views[i].LastSignIn = last[v.ID]
		}
	}
	if byRecords {
		if err := s.fillIn(ctx, d, views, describes); err != nil {
			return Listed[PersonView]{}, err
		}
	}
	now := s.Moment()
	list, err := people.list(views, wanted, func(p PersonView) bool {
		return (by.Kind == "" || by.Kind == p.Kind.String()) && (provider.IsZero() || p.Provider == provider) && (by.State == "" || by.State == p.State) && tagged(p.Tags, by.Tag) &&
			(within == nil || within[p.ID]) && (there == nil || there[p.ID]) && (by.LastSignIn == "" || by.LastSignIn == ago(p.LastSignIn, now)) &&
			(by.Factor == "" || by.Factor == "none" && len(p.Factors) == 0 || slices.Contains(p.Factors, settings.Factor(by.Factor)))
	})
	if err == nil && !byRecords {
		err = s.fillIn(ctx, d, list.Items, describes)
	}
	for i, p := range list.Items {
		if describes {
			list.Items[i].Groups = d.Groups(p.ID)
		}
	}
	return list, err
}

// membersOf returns who is in a group of a kind, at any depth; nil for the group of no name, which asks for nobody.
func membersOf(d tenant.Viewer, kind model.PrincipalKind, name string) (map[model.ID]bool, error) {
	if name == "" {
		return nil, nil
	}
	group, err := d.PrincipalCalled(kind.String(), name)
	if err != nil {
		return nil, err
	}
	members := map[model.ID]bool{}
	for _, member := range d.EveryMember(group.ID) {
		members[member.ID] = true
	}
	return members, nil
}

// fillIn reads what is recorded of people, as far as somebody sees it who may describe them, or may not.
func (s *Answers) fillIn(ctx context.Context, d tenant.Viewer, views []PersonView, describes bool) error {
	ids := make([]model.ID, len(views))
	for i, v := range views {
		ids[i] = v.ID
	}
	known, err := s.Records.PersonDetails(ctx, d.OrganisationID(), ids)
	for i, v := range views {
		person := known[v.ID]
		if describes {
			views[i].PrincipalDetails, views[i].Factors, views[i].LastSignIn = person.PrincipalDetails, person.Factors, person.LastSignIn
		} else {
			views[i].PrincipalDetails = store.PrincipalDetails{Title: person.Title, State: person.State, CreatedAt: person.CreatedAt}
		}
	}
	return err
}

var groups = lister[GroupView]{
	key:   func(g GroupView) string { return g.Name },
	words: func(g GroupView) []string { return []string{g.Name, g.Title, g.Description, string(g.State)} },
	columns: map[string]func(GroupView) string{
		"name":    func(g GroupView) string { return g.Name },
		"title":   func(g GroupView) string { return strings.ToLower(g.Title) },
		"members": func(g GroupView) string { return byNumber(g.Members) },
		"state":   func(g GroupView) string { return string(g.State) },
		"created": func(g GroupView) string { return byMoment(g.CreatedAt) },
	},
}

// ListGroups lists groups.
func (s *Answers) ListGroups(ctx context.Context, c tenant.Caller, organisation string, wanted Listing, by Narrowed) (Listed[GroupView], error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return Listed[GroupView]{}, err
	}
	if _, err = d.Directory("list group", organisation); err != nil {
		return Listed[GroupView]{}, err
	}
	all := slices.Collect(d.Principals(model.Group))
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, tenant.IDs(all))
	if err != nil {
		return Listed[GroupView]{}, err
	}
	views := make([]GroupView, len(all))
	for i, p := range all {
		views[i] = GroupView{Principal: p, PrincipalDetails: details[p.ID], Members: d.MemberCount(p.ID)}
	}
	return groups.list(views, wanted, func(g GroupView) bool {
		return (by.State == "" || by.State == g.State) && tagged(g.Tags, by.Tag) && (!by.Gathers || g.Gathers != nil)
	})
}

var accounts = lister[AccountView]{
	key:   func(a AccountView) string { return a.Address },
	words: func(a AccountView) []string { return []string{a.Address, a.Title, string(a.State)} },
	columns: map[string]func(AccountView) string{
		"address": func(a AccountView) string { return a.Address },
		"name":    func(a AccountView) string { return a.Name },
		"title":   func(a AccountView) string { return strings.ToLower(a.Title) },
		"state":   func(a AccountView) string { return string(a.State) },
		"created": func(a AccountView) string { return byMoment(a.CreatedAt) },
	},
}

// ListServiceAccounts lists the service accounts that live at a scope or beneath it, as far as the caller may list them.
func (s *Answers) ListServiceAccounts(ctx context.Context, c tenant.Caller, key string, wanted Listing, by Narrowed) (Listed[AccountView], error) {
	d, scope, err := s.OpenAt(ctx, c, key)
	if err != nil {
		return Listed[AccountView]{}, err
	}
	var found []access.Principal
	for p := range d.Principals(model.ServiceAccount) {
		if d.IsAtOrBeneath(p.Home, scope.ID) && d.May("list service-account", p.Home) {
			found = append(found, p)
		}
	}
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, tenant.IDs(found))
	if err != nil {
		return Listed[AccountView]{}, err
	}
	views := make([]AccountView, len(found))
	for i, p := range found {
		views[i] = AccountView{Principal: p, PrincipalDetails: details[p.ID], Address: d.AccountAddress(p)}
	}
	return accounts.list(views, wanted, func(a AccountView) bool {
		return (by.State == "" || by.State == a.State) && tagged(a.Tags, by.Tag)
	})
}
