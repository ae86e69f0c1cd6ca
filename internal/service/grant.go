package service

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/store"
)

// GrantView is a grant as its viewer may see it.
type GrantView struct {
	access.Grant
	store.GrantDetails
	Holder      access.Principal
	Role        *catalogue.Role
	At          Ref
	Inherited   bool             // it comes from above the scope asked for
	Misplaced   bool             // a move has put it where its role could not be granted today; it still decides
	HolderState credential.State // when the holder is out of use: suspended, retired, or pending
	Losses      []LossView       // in a list of grants at a scope: what takes away part of what the grant gives there
}

// LossView is a statement that takes away part of what a grant gives at a scope.
type LossView struct {
	Statement   StatementView
	Permissions []string
	All         bool // it takes away all that the grant gives there
}

// ListGrants lists who holds which role at a scope, directly or from above, nearest first. Whoever may list the grants
// of a scope sees those that reach it from above too: they are access to that scope.
func (s *Service) ListGrants(ctx context.Context, c Caller, key string) (grants []GrantView, revision uint64, err error) {
	d, scope, err := s.openAt(ctx, c, key, "list grant")
	if err != nil {
		return nil, 0, err
	}
	var all []access.Grant
	for above := range d.Path(scope.ID) {
		all = append(all, d.GrantsAt(above.ID)...)
	}
	grants, err = s.grantViews(ctx, d, all, scope.ID)
	for i := range grants {
		grants[i].Losses = d.losses(grants[i].Grant, scope)
	}
	return grants, d.Revision(), err
}

// losses tells what takes away part of what a grant gives at a scope, as far as that does not hang on who asks from where.
func (d desk) losses(g access.Grant, at model.Scope) []LossView {
	context := &access.Context{Time: d.context.Time}
	var views []LossView
	for _, loss := range d.LossesOf(g.ID, at.ID, context) {
		policy, _ := d.Policy(loss.Rule.Policy)
		v := LossView{Statement: d.statementView(policy, loss.Rule.Statement)}
		for p := range loss.Of.All {
			v.Permissions = append(v.Permissions, d.Catalogue().Operation(p).String())
		}
		given := d.Gives(access.RuleRef{Grant: g.ID}).And(d.Catalogue().MeaningAt(at.TypeName()))
		v.All = given.Minus(loss.Of).Len() == 0
		views = append(views, v)
	}
	return views
}

// grantViews adds to grants what their viewer reads beside them; at is the scope they are looked at from, if any.
func (s *Service) grantViews(ctx context.Context, d desk, grants []access.Grant, at model.ID) ([]GrantView, error) {
	ids := make([]model.ID, len(grants))
	for i, g := range grants {
		ids[i] = g.ID
	}
	details, err := s.records.GrantDetails(ctx, ids)
	if err != nil {
		return nil, err
	}
	// Those out of use are few: their states are asked for, all at once.
	var idle []model.ID
	for _, g := range grants {
		if holder, _ := d.Principal(g.Principal); holder.Inactive {
			idle = append(idle, holder.ID)
		}
	}
	holders, err := s.records.PrincipalDetails(ctx, d.organisationID(), idle)
	if err != nil {
		return nil, err
	}
	views := make([]GrantView, len(grants))
	for i, g := range grants {
		role, err := d.Role(g.Role)
		if err != nil {
			return nil, err
		}
		scope, _ := d.Scope(g.Scope)
		holder, _ := d.Principal(g.Principal)
		views[i] = GrantView{
			Grant: g, GrantDetails: details[g.ID], Holder: d.called(holder), HolderState: holders[g.Principal].State, Role: role, At: d.ref(scope),
			Inherited: !at.IsZero() && g.Scope != at, Misplaced: !d.GrantableAt(role, g.Scope),
		}
	}
	return views, nil
}

// NewGrant is a grant that somebody wants: a role for a principal, by kind and name, at a scope.
type NewGrant struct {
	Scope, Kind, Name, Role, Description string
	Condition                            string // in the words of statements; empty for none
	Period                               statement.Period
}

// CreateGrant grants a role to a principal at a scope.
func CreateGrant(wanted NewGrant) Change[GrantView] {
	var made access.Grant
	return Change[GrantView]{
		plan: func(context.Context, *Service, Caller) planner { return planGrant(wanted, &made) },
		tell: func(ctx context.Context, s *Service, c Caller, next *access.Snapshot) (GrantView, error) {
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
func RevokeGrant(key string) Change[Nothing] { return planned(planRevocation(key)) }

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
