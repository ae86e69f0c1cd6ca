package change

import (
	"context"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// NewGroup is a group that somebody wants.
type NewGroup struct {
	Name, Title, Description string
	Tags                     map[string]string
	Owner                    tenant.PrincipalRef // an empty name for nobody
	Gathers                  string              // for a gathering group: whom it gathers
}

// CreateGroup makes a group.
func (s *Changes) CreateGroup(organisation string, wanted NewGroup) plan.Change[ask.GroupView] {
	var made ask.GroupView
	return plan.Change[ask.GroupView]{
		Of:   s.Maker,
		Plan: func(context.Context, tenant.Caller) plan.Planner { return s.planGroup(organisation, wanted, &made) },
		Tell: func(_ context.Context, _ tenant.Caller, now *access.Snapshot) (ask.GroupView, error) {
			made.Members = len(now.Members(made.ID)) // a gathering group has some at once
			return made, nil
		},
	}
}

func (s *Changes) planGroup(organisation string, wanted NewGroup, made *ask.GroupView) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		if _, err := d.NeedAtTop("create group", organisation); err != nil {
			return tenant.Plan{}, err
		}
		if err := tenant.CheckLine("title", "the title", wanted.Title); err != nil {
			return tenant.Plan{}, err
		}
		group := ask.GroupView{
			Principal:        access.Principal{ID: tenant.NewID(), Kind: model.Group, Name: wanted.Name, Tags: wanted.Tags},
			PrincipalDetails: store.PrincipalDetails{Title: wanted.Title, Description: wanted.Description, State: credential.Active, CreatedAt: s.Moment()},
		}
		var err error
		if group.Gathers, err = gathering(wanted.Gathers); err != nil {
			return tenant.Plan{}, err
		}
		if wanted.Owner.Name != "" {
			owner, err := d.PrincipalCalled(wanted.Owner.Kind, wanted.Owner.Name)
			if err != nil {
				return tenant.Plan{}, err
			}
			group.Owner = owner.ID
		}
		*made = group
		p := tenant.Plan{Changes: []access.Change{access.CreatePrincipal{Principal: group.Principal}}}
		p.Describe(group.ID, group.PrincipalDetails)
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
func (s *Changes) ChangeMember(m MemberChange) plan.Change[plan.Nothing] {
	return plan.Planned(s.Maker, m.plan)
}

// group finds the group, whose members its owner, and who may enrol, may change.
func (m MemberChange) group(d tenant.Viewer) (access.Principal, error) {
	top, err := d.Organisation(m.Organisation)
	if err != nil {
		return access.Principal{}, err
	}
	if group, ok := d.PrincipalNamed(model.Group, m.Group); ok && d.Owns(d.Me, group.ID) {
		return group, nil
	}
	if err := d.Need("enrol group", top); err != nil {
		return access.Principal{}, err
	}
	return d.PrincipalCalled("group", m.Group)
}

func (m MemberChange) plan(d tenant.Viewer) (tenant.Plan, error) {
	group, err := m.group(d)
	if err != nil {
		return tenant.Plan{}, err
	}
	member, err := d.PrincipalCalled(m.Kind, m.Name)
	if err != nil {
		return tenant.Plan{}, err
	}
	membership := access.Membership{Group: group.ID, Member: member.ID}
	if m.Remove {
		return tenant.Plan{Changes: []access.Change{access.RemoveMember{Membership: membership}}}, nil
	}
	return tenant.Plan{Changes: []access.Change{access.AddMember{Membership: membership}}}, nil
}
