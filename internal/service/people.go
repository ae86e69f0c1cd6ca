package service

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/store"
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
func (s *Service) ListUsers(ctx context.Context, c Caller, organisation, after string, limit int) (users []UserView, next string, err error) {
	d, page, next, err := s.listPrincipals(ctx, c, organisation, model.User, after, limit)
	if err != nil {
		return nil, "", err
	}
	details, err := s.records.PrincipalDetails(ctx, c.Organisation, idsOf(page))
	if err != nil {
		return nil, "", err
	}
	top, _ := d.Top()
	describes := d.may("describe user", top.ID)
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
func (s *Service) ListGroups(ctx context.Context, c Caller, organisation, after string, limit int) (groups []GroupView, next string, err error) {
	d, page, next, err := s.listPrincipals(ctx, c, organisation, model.Group, after, limit)
	if err != nil {
		return nil, "", err
	}
	details, err := s.records.PrincipalDetails(ctx, c.Organisation, idsOf(page))
	if err != nil {
		return nil, "", err
	}
	for _, p := range page {
		groups = append(groups, GroupView{Principal: p, PrincipalDetails: details[p.ID], Members: len(d.Members(p.ID))})
	}
	return groups, next, nil
}

func (s *Service) listPrincipals(ctx context.Context, c Caller, organisation string, kind model.PrincipalKind, after string, limit int) (d desk, page []access.Principal, next string, err error) {
	if d, err = s.open(ctx, c); err != nil {
		return d, nil, "", err
	}
	if _, err = d.directory("list "+typeOf(kind), organisation); err != nil {
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

// ShowPrincipal gives a principal with what belongs to it, for whoever may describe it and for the owner of a group.
func (s *Service) ShowPrincipal(ctx context.Context, c Caller, organisation string, who Somebody) (DetailedPrincipal, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return DetailedPrincipal{}, err
	}
	p, owns := d.PrincipalNamed(model.Group, who.Name)
	if owns = owns && who.Kind == model.Group.String() && d.Owns(d.me, p.ID); !owns {
		if p, err = d.governed(organisation, who, "describe"); err != nil {
			return DetailedPrincipal{}, err
		}
	}
	details, err := d.detailsOf(ctx, p)
	if err != nil {
		return DetailedPrincipal{}, err
	}
	v := DetailedPrincipal{
		Principal: p, PrincipalDetails: details, Address: d.accountAddress(p), Owns: owns,
		Members: d.allCalled(d.Members(p.ID)), Every: d.allCalled(d.EveryMember(p.ID)), Groups: d.Groups(p.ID), Within: d.Within(p.ID),
	}
	if v.Idle, err = s.idleOf(ctx, c, v.Every); err != nil {
		return DetailedPrincipal{}, err
	}
	if owner, ok := d.Principal(p.Owner); ok {
		owner = d.called(owner)
		v.OwnedBy = &owner
	}
	if p.Kind == model.User {
		identity, err := s.records.Identity(ctx, p.ID)
		if err != nil {
			return DetailedPrincipal{}, err
		}
		v.By, v.SignIn, v.Factor = identity.By, identity.SignIn().String(), identity.Factor
	}
	if v.State == credential.Pending {
		link, err := s.records.LinkFor(ctx, c.Organisation, p.ID, credential.ToAccept)
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
	t, _ := d.Catalogue().Type(typeOf(p.Kind))
	for _, o := range t.Operations {
		if d.view.May(o.Permission, where) {
			v.May = append(v.May, o.String())
		}
	}
	var refs []access.RuleRef
	for _, ref := range d.RulesFor(p.ID) {
		if d.seesRule(ref) {
			refs = append(refs, ref)
		} else {
			v.Hidden++
		}
	}
	v.Rules, err = s.ruleViews(ctx, d, refs, model.ID{})
	slices.SortStableFunc(v.Rules, func(a, b RuleView) int { return cmp.Compare(a.At.Address, b.At.Address) })
	return v, err
}

// idleOf gives the states of those who are out of use, or not there yet.
func (s *Service) idleOf(ctx context.Context, c Caller, all []access.Principal) (map[model.ID]credential.State, error) {
	var idle []model.ID
	for _, p := range all {
		if p.Inactive {
			idle = append(idle, p.ID)
		}
	}
	details, err := s.records.PrincipalDetails(ctx, c.Organisation, idle)
	states := make(map[model.ID]credential.State, len(details))
	for id, d := range details {
		states[id] = d.State
	}
	return states, err
}

// seesRule reports whether the caller may list a grant, or the policy that holds a statement.
func (d desk) seesRule(ref access.RuleRef) bool {
	if grant, _ := d.Rule(ref); grant != nil {
		return d.may("list grant", grant.Scope)
	}
	p, ok := d.Policy(ref.Policy)
	return ok && d.mayList(p, ref.Statement)
}

// mayList reports whether the caller may list a statement: of places that they do not see they are told nothing.
func (d desk) mayList(p statement.Policy, number int) bool {
	return d.may("list policy", p.Scope) && d.view.Sees(p.Statements[number].Place)
}

// NewGroup is a group that somebody wants.
type NewGroup struct {
	Name, Title, Description string
	Tags                     map[string]string
	Owner                    Somebody // an empty name for nobody
	Gathers                  string   // for a gathering group: whom it gathers
}

// CreateGroup makes a group.
func CreateGroup(organisation string, wanted NewGroup) Change[GroupView] {
	var made GroupView
	return Change[GroupView]{
		plan: func(_ context.Context, s *Service, _ Caller) planner { return s.planGroup(organisation, wanted, &made) },
		tell: func(context.Context, *Service, Caller, *access.Snapshot) (GroupView, error) { return made, nil },
	}
}

func (s *Service) planGroup(organisation string, wanted NewGroup, made *GroupView) planner {
	return func(d desk) (plan, error) {
		if _, err := d.needAtTop("create group", organisation); err != nil {
			return plan{}, err
		}
		if err := checkLine("title", "the title", wanted.Title); err != nil {
			return plan{}, err
		}
		group := GroupView{
			Principal:        access.Principal{ID: newID(), Kind: model.Group, Name: wanted.Name, Tags: wanted.Tags},
			PrincipalDetails: store.PrincipalDetails{Title: wanted.Title, Description: wanted.Description, State: credential.Active, CreatedAt: s.moment()},
		}
		var err error
		if group.Gathers, err = gathering(wanted.Gathers); err != nil {
			return plan{}, err
		}
		if wanted.Owner.Name != "" {
			owner, err := d.principal(wanted.Owner.Kind, wanted.Owner.Name)
			if err != nil {
				return plan{}, err
			}
			group.Owner = owner.ID
		}
		*made = group
		p := plan{changes: []access.Change{access.CreatePrincipal{Principal: group.Principal}}}
		p.describe(group.ID, group.PrincipalDetails)
		return p, nil
	}
}

// MemberChange is somebody to be put into a group, or taken out.
type MemberChange struct {
	Organisation, Group, Kind, Name string
	Remove                          bool
}

// ChangeMember adds somebody to a group, or removes them from it. Nobody gives by it what they do not hold themselves,
// unless they may grant beyond.
func ChangeMember(m MemberChange) Change[Nothing] { return planned(m.plan) }

// group finds the group, whose members its owner, and who may enrol, may change.
func (m MemberChange) group(d desk) (access.Principal, error) {
	top, err := d.organisation(m.Organisation)
	if err != nil {
		return access.Principal{}, err
	}
	if group, ok := d.PrincipalNamed(model.Group, m.Group); ok && d.Owns(d.me, group.ID) {
		return group, nil
	}
	if err := d.need("enrol group", top); err != nil {
		return access.Principal{}, err
	}
	return d.principal("group", m.Group)
}

func (m MemberChange) plan(d desk) (plan, error) {
	group, err := m.group(d)
	if err != nil {
		return plan{}, err
	}
	member, err := d.principal(m.Kind, m.Name)
	if err != nil {
		return plan{}, err
	}
	membership := access.Membership{Group: group.ID, Member: member.ID}
	if m.Remove {
		return plan{changes: []access.Change{access.RemoveMember{Membership: membership}}}, nil
	}
	return plan{changes: []access.Change{access.AddMember{Membership: membership}}}, nil
}

func idsOf(list []access.Principal) []model.ID {
	ids := make([]model.ID, len(list))
	for i, p := range list {
		ids[i] = p.ID
	}
	return ids
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
