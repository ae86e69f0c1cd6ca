package change

import (
	"context"
	"errors"
	"fmt"
	"maps"

	"arbora.example/access"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// Wanted is one of several changes that are made as one: what is not nil, or the grant to revoke.
type Wanted struct {
	Grant  *NewGrant
	Member *MemberChange
	State  *StateChange
	Revoke string // a grant's id
	Policy *PolicyChange
	Tags   *TagsChange
	Scope  *ScopeWanted
}

// TagsChange gives somebody tags and takes others away; the rest stay.
type TagsChange struct {
	Organisation string
	Who          tenant.PrincipalRef
	Tags         map[string]string
	Remove       []string // keys
}

// ScopeWanted is a scope to be created in another, which is there already.
type ScopeWanted struct {
	Parent string // id or address
	Scope  NewScope
}

// StateChange is somebody to be suspended, retired or restored.
type StateChange struct {
	Organisation string
	Who          tenant.PrincipalRef
	To           credential.State
}

// PolicyChange is a policy to be suspended, resumed or removed.
type PolicyChange struct {
	Policy  string // its id
	Suspend bool
	Remove  bool
}

func (s *Changes) planOne(ctx context.Context, w Wanted) plan.Planner {
	switch {
	case w.Tags != nil:
		return w.Tags.plan
	case w.Scope != nil:
		return s.planScope(w.Scope.Parent, w.Scope.Scope, new(madeScope))
	case w.Grant != nil:
		return planGrant(*w.Grant, new(access.Grant))
	case w.Member != nil:
		return w.Member.plan
	case w.State != nil:
		return planState(ctx, w.State.Organisation, w.State.Who, w.State.To)
	case w.Policy != nil && w.Policy.Remove:
		return planPolicyRemoval(w.Policy.Policy)
	case w.Policy != nil:
		return planPolicyState(w.Policy.Policy, w.Policy.Suspend)
	}
	return planRevocation(w.Revoke)
}

// MakeAll makes several changes as one: all of them or none, with one impact and one revision. What is wrong with one is told with
// its number.
func (s *Changes) MakeAll(wanted []Wanted) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner {
		return func(d tenant.Viewer) (tenant.Plan, error) {
			var all tenant.Plan
			for i, one := range wanted {
				p, err := s.planOne(ctx, one)(d)
				if err != nil {
					return all, numbered(err, i, len(wanted))
				}
				all.Join(p)
			}
			if len(all.Changes) == 0 && all.What == "" { // tags that all have already
				return all, plan.NothingToEdit()
			}
			return all, nil
		}
	}}
}

// plan changes nothing of somebody who has these tags already: of several some may have.
func (t *TagsChange) plan(d tenant.Viewer) (tenant.Plan, error) {
	who, err := d.Governed(t.Organisation, t.Who, "tag")
	if err != nil {
		return tenant.Plan{}, err
	}
	tags := maps.Clone(who.Tags)
	if tags == nil {
		tags = map[string]string{}
	}
	for _, key := range t.Remove {
		delete(tags, key)
	}
	maps.Copy(tags, t.Tags)
	if maps.Equal(tags, who.Tags) {
		return tenant.Plan{}, nil
	}
	return tenant.Plan{Changes: []access.Change{access.TagPrincipal{ID: who.ID, Tags: tags}}}, nil
}

// numbered says which of several changes a problem is about.
func numbered(err error, i, all int) error {
	var p *problem.Problem
	if all == 1 || !errors.As(err, &p) {
		return err
	}
	about := *p
	about.Detail = fmt.Sprintf("change %d of %d: %s", i+1, all, p.Detail)
	return &about
}
