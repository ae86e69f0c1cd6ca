package service

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// Changes are the use cases that alter organisations.
type Changes struct {
	*SignIns
	*Answers
}

// NewChanges makes them.
func NewChanges(s *SignIns, a *Answers) *Changes { return &Changes{SignIns: s, Answers: a} }

// NewGrant is a grant that somebody wants: a role for a principal, by kind and name, at a scope.
type NewGrant struct {
	Scope, Kind, Name, Role, Description string
	Condition                            string // in the words of statements; empty for none
	Period                               statement.Period
}

// CreateGrant grants a role to a principal at a scope.
func (s *Changes) CreateGrant(wanted NewGrant) Change[GrantView] {
	var made access.Grant
	return Change[GrantView]{
		of:   s.Maker,
		plan: func(context.Context, Caller) planner { return planGrant(wanted, &made) },
		tell: func(ctx context.Context, c Caller, next *access.Snapshot) (GrantView, error) {
			views, err := s.grantViews(ctx, s.deskOf(next, c), []access.Grant{made}, made.Scope)
			if err != nil {
				return GrantView{}, err
			}
			return views[0], nil
		},
	}
}

// planGrant plans a grant and puts it into made.
func planGrant(wanted NewGrant, made *access.Grant) planner {
	return func(d desk) (plan, error) {
		var err error
		if *made, err = d.newGrant(wanted, model.ID{}); err != nil {
			return plan{}, err
		}
		p := plan{changes: []access.Change{access.CreateGrant{Grant: *made}}}
		p.describeGrant(made.ID, wanted.Description)
		return p, nil
	}
}

// newGrant works a grant out, for a holder, or for whom it names.
func (d desk) newGrant(wanted NewGrant, holder model.ID) (access.Grant, error) {
	scope, err := d.scope(wanted.Scope)
	if err != nil {
		return access.Grant{}, err
	}
	if err := d.need("create grant", scope); err != nil {
		return access.Grant{}, err
	}
	if holder.IsZero() {
		named, err := d.principal(wanted.Kind, wanted.Name)
		if err != nil {
			return access.Grant{}, err
		}
		holder = named.ID
	}
	grant := access.Grant{ID: newID(), Scope: scope.ID, Principal: holder, Role: wanted.Role, Period: wanted.Period}
	if wanted.Condition != "" {
		if grant.Condition, err = statement.ParseCondition(wanted.Condition); err != nil {
			return access.Grant{}, textProblem(err, "condition")
		}
	}
	return grant, nil
}

// RevokeGrant takes one grant away and touches no other.
func (s *Changes) RevokeGrant(key string) Change[Nothing] {
	return planned(s.Maker, planRevocation(key))
}

func planRevocation(key string) planner {
	return func(d desk) (plan, error) {
		id, err := model.ParseID(key)
		if err != nil {
			return plan{}, &Problem{Kind: Invalid, Detail: fmt.Sprintf("%q is not a valid id of a grant: %v", key, err), Next: "take it from the list of grants", Field: "grant"}
		}
		if _, err := d.revocable(id, key); err != nil {
			return plan{}, err
		}
		return plan{changes: []access.Change{access.RevokeGrant{ID: id}}}, nil
	}
}

// revocable finds a grant that the caller sees and may revoke.
func (d desk) revocable(id model.ID, key string) (access.Grant, error) {
	grant, ok := d.Grant(id)
	if !ok || !d.may("list grant", grant.Scope) {
		return grant, notThere("grant", key, "")
	}
	scope, _ := d.Scope(grant.Scope)
	return grant, d.need("revoke grant", scope)
}
