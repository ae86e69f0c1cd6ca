package change

import (
	"context"
	"errors"
	"fmt"

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

func (w Wanted) planner(ctx context.Context) plan.Planner {
	switch {
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
				p, err := one.planner(ctx)(d)
				if err != nil {
					return all, numbered(err, i, len(wanted))
				}
				all.Join(p)
			}
			return all, nil
		}
	}}
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
