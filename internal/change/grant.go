package change

import (
	"context"
	"fmt"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/ask"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// NewGrant is a grant that somebody wants: a role for a principal, by kind and name, at a scope.
type NewGrant struct {
	Scope, Kind, Name, Role, Description string
	Condition                            string // in the words of statements; empty for none
	Period                               statement.Period
}

// CreateGrant grants a role to a principal at a scope.
func (s *Changes) CreateGrant(wanted NewGrant) plan.Change[ask.GrantView] {
	var made access.Grant
	return plan.Change[ask.GrantView]{
		Of:   s.Maker,
		Plan: func(context.Context, tenant.Caller) plan.Planner { return planGrant(wanted, &made) },
		Tell: func(ctx context.Context, c tenant.Caller, next *access.Snapshot) (ask.GrantView, error) {
			views, err := s.GrantViews(ctx, s.ViewerOf(next, c), []access.Grant{made}, made.Scope)
			if err != nil {
				return ask.GrantView{}, err
			}
			return views[0], nil
		},
	}
}

// planGrant plans a grant and puts it into made.
func planGrant(wanted NewGrant, made *access.Grant) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		var err error
		if *made, err = newGrant(d, wanted, model.ID{}); err != nil {
			return tenant.Plan{}, err
		}
		p := tenant.Plan{Changes: []access.Change{access.CreateGrant{Grant: *made}}}
		p.DescribeGrant(made.ID, wanted.Description)
		return p, nil
	}
}

// newGrant works a grant out, for a holder, or for whom it names.
func newGrant(d tenant.Viewer, wanted NewGrant, holder model.ID) (access.Grant, error) {
	scope, err := d.ScopeAt(wanted.Scope)
	if err != nil {
		return access.Grant{}, err
	}
	if err := d.Need("create grant", scope); err != nil {
		return access.Grant{}, err
	}
	if holder.IsZero() {
		named, err := d.PrincipalCalled(wanted.Kind, wanted.Name)
		if err != nil {
			return access.Grant{}, err
		}
		holder = named.ID
	}
	if err := notOver(d, wanted.Period); err != nil {
		return access.Grant{}, err
	}
	grant := access.Grant{ID: tenant.NewID(), Scope: scope.ID, Principal: holder, Role: wanted.Role, Period: wanted.Period}
	if wanted.Condition != "" {
		if grant.Condition, err = statement.ParseCondition(wanted.Condition); err != nil {
			return access.Grant{}, problem.OfText(err, "condition")
		}
	}
	return grant, nil
}

// notOver refuses a period whose end has come: nobody would hold anything by it.
func notOver(d tenant.Viewer, p statement.Period) error {
	if p.Until.IsZero() || p.Until.After(d.Context.Time) {
		return nil
	}
	return &problem.Problem{Kind: problem.Invalid, Detail: "the end of the grant is in the past", Next: "give an end that is still to come, or none", Field: "until"}
}

// RevokeGrant takes one grant away and touches no other.
func (s *Changes) RevokeGrant(key string) plan.Change[plan.Nothing] {
	return plan.Planned(s.Maker, planRevocation(key))
}

func planRevocation(key string) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		id, err := grantID(key)
		if err != nil {
			return tenant.Plan{}, err
		}
		if _, err := revocable(d, id, key); err != nil {
			return tenant.Plan{}, err
		}
		return tenant.Plan{Changes: []access.Change{access.RevokeGrant{ID: id}}}, nil
	}
}

// revocable finds a grant that the caller sees and may revoke.
func revocable(d tenant.Viewer, id model.ID, key string) (access.Grant, error) {
	return heldGrant(d, id, key, "revoke grant")
}

// heldGrant finds a grant that the caller sees and has a permission for where it is.
func heldGrant(d tenant.Viewer, id model.ID, key, permission string) (access.Grant, error) {
	grant, ok := d.Grant(id)
	if !ok || !d.May("list grant", grant.Scope) {
		return grant, problem.Missing("grant", key, "")
	}
	scope, _ := d.Scope(grant.Scope)
	return grant, d.Need(permission, scope)
}

// GrantEdit is what is to change of a grant; what is nil stays. An empty condition and a zero moment take it away.
type GrantEdit struct {
	Condition, Description *string
	From, Until            *time.Time
}

// EditGrant changes a grant's condition, period and reason; who holds which role where stays.
func (s *Changes) EditGrant(key string, edit GrantEdit) plan.Change[plan.Nothing] {
	return plan.Planned(s.Maker, planGrantEdit(key, edit))
}

func planGrantEdit(key string, edit GrantEdit) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		id, err := grantID(key)
		if err != nil {
			return tenant.Plan{}, err
		}
		grant, err := heldGrant(d, id, key, "edit grant")
		if err != nil {
			return tenant.Plan{}, err
		}
		if edit.Condition != nil {
			if grant.Condition = nil; *edit.Condition != "" {
				if grant.Condition, err = statement.ParseCondition(*edit.Condition); err != nil {
					return tenant.Plan{}, problem.OfText(err, "condition")
				}
			}
		}
		if edit.From != nil {
			grant.From = *edit.From
		}
		if edit.Until != nil {
			grant.Until = *edit.Until
			if err := notOver(d, grant.Period); err != nil {
				return tenant.Plan{}, err
			}
		}
		p := tenant.Plan{Changes: []access.Change{access.EditGrant{Grant: grant}}}
		if edit.Description != nil {
			p.DescribeGrant(id, *edit.Description)
		}
		return p, nil
	}
}

func grantID(key string) (model.ID, error) {
	id, err := model.ParseID(key)
	if err != nil {
		return id, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("%q is not a valid id of a grant: %v", key, err), Next: "take it from the list of grants", Field: "grant"}
	}
	return id, nil
}
