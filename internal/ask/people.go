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

// DetailedPrincipal is a principal of the organisation with all that belongs to it.
type DetailedPrincipal struct {
	access.Principal
	store.PrincipalDetails
	Address      string                        // a service account's
	SignIn       string                        // the name a user signs in by
	By           credential.SignInBy           // what a user signs in with
	Factor       bool                          // a user has set up a second factor
	InvitedUntil time.Time                     // of a pending guest: when the link ends that was sent last
	ComesBy      string                        // an outside person's provider
	People       int                           // of a provider: how many come by it
	OwnedBy      *access.Principal             // a group's owner
	Owns         bool                          // the viewer owns the group
	OwnsGroups   []string                      // the groups it owns
	LastSignIn   time.Time                     // of a user or guest, in the organisation; zero for never
	Members      []access.Principal            // a group's direct members
	Every        []access.Principal            // who is in a group at any depth, groups left out
	Idle         map[model.ID]credential.State // of a group: those of Every who are out of use or not there yet
	Groups       []access.Principal            // the groups it is a direct member of
	Outside      []OutsideGroupView            // the outside groups somebody is in, or that are linked to a group
	Within       []access.Principal            // the groups it is a member of at any depth
	Rules        []RuleView                    // those that name it, a group it is within, or a set it belongs to
	Hidden       int                           // rules the viewer may not see
	May          []string                      // what the viewer may do to it
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
	var person store.PersonDetails
	if p.Kind.IsPerson() {
		var known map[model.ID]store.PersonDetails
		known, err = s.Records.PersonDetails(ctx, d.OrganisationID(), []model.ID{p.ID})
		person = known[p.ID]
	} else {
		person.PrincipalDetails, err = d.DetailsOf(ctx, p)
	}
	if err != nil {
		return DetailedPrincipal{}, err
	}
	v := DetailedPrincipal{
		Principal: p, PrincipalDetails: person.PrincipalDetails, LastSignIn: person.LastSignIn, Address: d.AccountAddress(p), Owns: owns,
		Members: d.AllCalled(d.Members(p.ID)), Every: d.AllCalled(d.EveryMember(p.ID)), Groups: d.Groups(p.ID), Within: d.Within(p.ID),
	}
	if v.Idle, err = s.idleOf(ctx, c, v.Every); err != nil {
		return DetailedPrincipal{}, err
	}
	if provider, ok := d.Principal(p.Provider); ok {
		v.ComesBy = provider.Name
	}
	if p.Kind == model.Provider {
		v.People = peopleOf(d, p.ID)
	}
	v.Outside = outsideOf(d, p)
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
	if p.Kind == model.OutsidePerson && !v.Identity.IsZero() { // who is read from a directory may sign in here
		identity, err := s.Records.Identity(ctx, v.Identity)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return DetailedPrincipal{}, err
		}
		if identity.By.TakesPassword() {
			v.By, v.SignIn = identity.By, identity.SignIn().String()
		}
	}
	for group := range d.Principals(model.Group) {
		if group.Owner == p.ID {
			v.OwnsGroups = append(v.OwnsGroups, group.Name)
		}
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

// outsideOf returns the outside groups that somebody is in, or that are linked to a group.
func outsideOf(d tenant.Viewer, p access.Principal) (views []OutsideGroupView) {
	of := d.OutsideGroupsOf(p.ID)
	if p.Kind == model.Group {
		of = slices.DeleteFunc(d.Members(p.ID), func(m access.Principal) bool { return m.Kind != model.OutsideGroup })
	}
	for _, group := range of {
		provider, _ := d.Principal(group.Provider)
		views = append(views, OutsideGroupView{Principal: group, ComesBy: provider.Name, People: peopleIn(d, group), Links: linksOf(d, group)})
	}
	return views
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
