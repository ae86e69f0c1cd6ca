package service

import (
	"context"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/store"
)

// NewGroup is a group that somebody wants.
type NewGroup struct {
	Name, Title, Description string
	Tags                     map[string]string
	Owner                    Somebody // an empty name for nobody
	Gathers                  string   // for a gathering group: whom it gathers
}

// CreateGroup makes a group.
func (s *Changes) CreateGroup(organisation string, wanted NewGroup) Change[GroupView] {
	var made GroupView
	return Change[GroupView]{
		of:   s.Maker,
		plan: func(context.Context, Caller) planner { return s.planGroup(organisation, wanted, &made) },
		tell: func(context.Context, Caller, *access.Snapshot) (GroupView, error) { return made, nil },
	}
}

func (s *Changes) planGroup(organisation string, wanted NewGroup, made *GroupView) planner {
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
func (s *Changes) ChangeMember(m MemberChange) Change[Nothing] { return planned(s.Maker, m.plan) }

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
