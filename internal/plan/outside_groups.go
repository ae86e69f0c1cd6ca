package plan

import (
	"slices"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/tenant"
)

// MostOutsideGroups is how many outside groups one person is in at most; a provider may name more.
const MostOutsideGroups = 200

// Grouping puts people into the outside groups of their provider, as changes of one plan.
type Grouping struct {
	now      *access.Snapshot
	provider access.Principal
	made     map[string]access.Principal // the groups that the changes so far create
}

// NewGrouping begins one on a snapshot.
func NewGrouping(now *access.Snapshot, provider access.Principal) *Grouping {
	return &Grouping{now: now, provider: provider, made: map[string]access.Principal{}}
}

// Provider returns the provider whose groups they are.
func (g *Grouping) Provider() access.Principal { return g.provider }

// Put returns the changes by which somebody, who may be created by changes before these, is in just those outside groups that their provider
// names. A name that no group can have is passed over.
func (g *Grouping) Put(who model.ID, names []string) (changes []access.Change) {
	was, in := g.now.OutsideGroupsOf(who), map[model.ID]bool{}
	for _, name := range names {
		if access.CheckOutsideGroup(name) != nil || len(in) == MostOutsideGroups {
			continue
		}
		group, there := g.now.PrincipalNamed(model.OutsideGroup, access.OutsideGroupName(name, g.provider.Name))
		if group.Pattern {
			continue // called as a pattern is: nobody is put into that
		}
		if !there {
			if group, there = g.made[name]; !there {
				group = NewOutsideGroup(g.provider, name)
				g.made[name] = group
				changes = append(changes, access.CreatePrincipal{Principal: group})
			}
		}
		in[group.ID] = true
		if !slices.ContainsFunc(was, func(p access.Principal) bool { return p.ID == group.ID }) {
			changes = append(changes, access.AddMember{Membership: access.Membership{Group: group.ID, Member: who}})
		}
	}
	for _, group := range was {
		if !in[group.ID] {
			changes = append(changes, access.RemoveMember{Membership: access.Membership{Group: group.ID, Member: who}})
		}
	}
	return changes
}

// NewOutsideGroup returns a group that a provider calls so, to be created.
func NewOutsideGroup(provider access.Principal, name string) access.Principal {
	return access.Principal{ID: tenant.NewID(), Kind: model.OutsideGroup, Name: access.OutsideGroupName(name, provider.Name), Provider: provider.ID, Subject: name}
}
