package ask

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// UserView is a user as its viewer may see it.
type UserView struct {
	access.Principal
	store.PrincipalDetails
}

// GroupView is a group as its viewer may see it.
type GroupView struct {
	access.Principal
	store.PrincipalDetails
	Members int // direct ones
}

// DetailedPrincipal is a principal of the organisation with all that belongs to it.
type DetailedPrincipal struct {
	access.Principal
	store.PrincipalDetails
	Address      string                        // a service account's
	SignIn       string                        // the name a user signs in by
	By           credential.SignInBy           // what a user signs in with
	Factor       bool                          // a user has set up a second factor
	InvitedUntil time.Time                     // of a pending guest: when the link ends that was sent last
	OwnedBy      *access.Principal             // a group's owner
	Owns         bool                          // the viewer owns the group
	Members      []access.Principal            // a group's direct members
	Every        []access.Principal            // who is in a group at any depth, groups left out
	Idle         map[model.ID]credential.State // of a group: those of Every who are out of use or not there yet
	Groups       []access.Principal            // the groups it is a direct member of
	Within       []access.Principal            // the groups it is a member of at any depth
	Rules        []RuleView                    // those that name it, a group it is within, or a set it belongs to
	Hidden       int                           // rules the viewer may not see
	May          []string                      // what the viewer may do to it
}

// ListUsers lists users by name, a page at a time.
func (s *Answers) ListUsers(ctx context.Context, c tenant.Caller, organisation, after string, limit int) (users []UserView, next string, err error) {
	d, page, next, err := s.listPrincipals(ctx, c, organisation, model.User, after, limit)
	if err != nil {
		return nil, "", err
	}
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, tenant.IDs(page))
	if err != nil {
		return nil, "", err
	}
	top, _ := d.Top()
	describes := d.May("describe user", top.ID)
	for _, p := range page {
		u := UserView{Principal: p, PrincipalDetails: details[p.ID]}
		if !describes {
			u.PrincipalDetails = store.PrincipalDetails{Title: u.Title, CreatedAt: u.CreatedAt}
			u.Principal.Tags = nil
		}
		users = append(users, u)
	}
	return users, next, nil
}

// ListGroups lists groups by name, a page at a time.
func (s *Answers) ListGroups(ctx context.Context, c tenant.Caller, organisation, after string, limit int) (groups []GroupView, next string, err error) {
	d, page, next, err := s.listPrincipals(ctx, c, organisation, model.Group, after, limit)
	if err != nil {
		return nil, "", err
	}
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, tenant.IDs(page))
	if err != nil {
		return nil, "", err
	}
	for _, p := range page {
		groups = append(groups, GroupView{Principal: p, PrincipalDetails: details[p.ID], Members: len(d.Members(p.ID))})
	}
	return groups, next, nil
}

func (s *Answers) listPrincipals(ctx context.Context, c tenant.Caller, organisation string, kind model.PrincipalKind, after string, limit int) (d tenant.Viewer, page []access.Principal, next string, err error) {
	if d, err = s.Open(ctx, c); err != nil {
		return d, nil, "", err
	}
	if _, err = d.Directory("list "+tenant.TypeOf(kind), organisation); err != nil {
		return d, nil, "", err
	}
	for p := range d.Principals(kind) {
		if p.Name <= after {
			continue
		}
		if len(page) == limit {
			next = page[limit-1].Name
			break
		}
		page = append(page, p)
	}
	return d, page, next, nil
}

// ShowPrincipal returns a principal with what belongs to it, for whoever may describe it and for the owner of a group.
func (s *Answers) ShowPrincipal(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef) (DetailedPrincipal, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return DetailedPrincipal{}, err
	}
	p, owns := d.PrincipalNamed(model.Group, who.Name)
	if owns = owns && who.Kind == model.Group.String() && d.Owns(d.Me, p.ID); !owns {
		if p, err = d.Governed(organisation, who, "describe"); err != nil {
			return DetailedPrincipal{}, err
		}
	}
	details, err := d.DetailsOf(ctx, p)
	if err != nil {
		return DetailedPrincipal{}, err
	}
	v := DetailedPrincipal{
		Principal: p, PrincipalDetails: details, Address: d.AccountAddress(p), Owns: owns,
		Members: d.AllCalled(d.Members(p.ID)), Every: d.AllCalled(d.EveryMember(p.ID)), Groups: d.Groups(p.ID), Within: d.Within(p.ID),
	}
	if v.Idle, err = s.idleOf(ctx, c, v.Every); err != nil {
		return DetailedPrincipal{}, err
	}
	if owner, ok := d.Principal(p.Owner); ok {
		owner = d.Called(owner)
		v.OwnedBy = &owner
	}
	if p.Kind == model.User {
		identity, err := s.Records.Identity(ctx, p.ID)
		if err != nil {
			return DetailedPrincipal{}, err
		}
		v.By, v.SignIn, v.Factor = identity.By, identity.SignIn().String(), identity.Factor
	}
	if v.State == credential.Pending {
		link, err := s.Records.LinkFor(ctx, c.Organisation, p.ID, credential.ToAccept)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return DetailedPrincipal{}, err
		}
		v.InvitedUntil = link.Until
	}
	where := p.Home
	if where.IsZero() {
		top, _ := d.Top()
		where = top.ID
	}
	t, _ := d.Catalogue().Type(tenant.TypeOf(p.Kind))
	for _, o := range t.Operations {
		if d.Sight.May(o.Permission, where) {
			v.May = append(v.May, o.String())
		}
	}
	var refs []access.RuleRef
	for _, ref := range d.RulesFor(p.ID) {
		if d.SeesRule(ref) {
			refs = append(refs, ref)
		} else {
			v.Hidden++
		}
	}
	v.Rules, err = s.ruleViews(ctx, d, refs, model.ID{})
	slices.SortStableFunc(v.Rules, func(a, b RuleView) int { return cmp.Compare(a.At.Address, b.At.Address) })
	return v, err
}

// idleOf returns the states of those who are out of use, or not there yet.
func (s *Answers) idleOf(ctx context.Context, c tenant.Caller, all []access.Principal) (map[model.ID]credential.State, error) {
	var idle []model.ID
	for _, p := range all {
		if p.Inactive {
			idle = append(idle, p.ID)
		}
	}
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, idle)
	states := make(map[model.ID]credential.State, len(details))
	for id, d := range details {
		states[id] = d.State
	}
	return states, err
}

// ListGuests lists guests by name, those too who have not accepted yet, a page at a time.
func (s *Answers) ListGuests(ctx context.Context, c tenant.Caller, organisation, after string, limit int) (guests []UserView, next string, err error) {
	d, page, next, err := s.listPrincipals(ctx, c, organisation, model.Guest, after, limit)
	if err != nil {
		return nil, "", err
	}
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, tenant.IDs(page))
	if err != nil {
		return nil, "", err
	}
	describes := d.May("describe user", d.OrganisationID())
	for _, p := range page {
		g := UserView{Principal: p, PrincipalDetails: details[p.ID]}
		if !describes {
			g.PrincipalDetails = store.PrincipalDetails{Title: g.Title, State: g.State, CreatedAt: g.CreatedAt}
			g.Principal.Tags = nil
		}
		guests = append(guests, g)
	}
	return guests, next, nil
}

// AccountView is a service account as its viewer may see it.
type AccountView struct {
	access.Principal
	store.PrincipalDetails
	Address string
}

// ListServiceAccounts lists the service accounts that live at a scope or beneath it, by address, as far as the caller may
// list them.
func (s *Answers) ListServiceAccounts(ctx context.Context, c tenant.Caller, key string, page Page) (list []AccountView, next string, err error) {
	d, scope, err := s.OpenAt(ctx, c, key)
	if err != nil {
		return nil, "", err
	}
	var found []access.Principal
	for p := range d.Principals(model.ServiceAccount) {
		if d.IsAtOrBeneath(p.Home, scope.ID) && d.May("list service-account", p.Home) {
			found = append(found, p)
		}
	}
	found, next = cut(found, page, d.AccountAddress)
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, tenant.IDs(found))
	if err != nil {
		return nil, "", err
	}
	list = make([]AccountView, len(found))
	for i, p := range found {
		list[i] = AccountView{Principal: p, PrincipalDetails: details[p.ID], Address: d.AccountAddress(p)}
	}
	return list, next, nil
}
