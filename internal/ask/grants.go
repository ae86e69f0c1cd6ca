package ask

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// GrantView is a grant as its viewer may see it.
type GrantView struct {
	access.Grant
	store.GrantDetails
	Holder      access.Principal
	Role        *catalogue.Role
	At          tenant.Ref
	Inherited   bool             // it comes from above the scope asked for
	Ended       bool             // its end has come
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

// ListGrants lists who holds which role at a scope, directly or from above, nearest first, and of one scope the oldest first. Whoever may list the grants
// of a scope sees those that reach it from above too: they are access to that scope. With below it lists those beneath as well, as far
// as the caller may.
func (s *Answers) ListGrants(ctx context.Context, c tenant.Caller, key string, below bool, page Page) (grants []GrantView, next string, revision uint64, err error) {
	d, scope, err := s.OpenAt(ctx, c, key, "list grant")
	if err != nil {
		return nil, "", 0, err
	}
	var all []access.Grant
	far := map[model.ID]int{}
	for above := range d.Path(scope.ID) {
		far[above.ID] = len(far)
		all = append(all, d.GrantsAt(above.ID)...)
	}
	up := len(far)
	if below {
		for scope := range d.Sight.Seen(scope.ID) {
			if _, counted := far[scope.ID]; !counted && d.May("list grant", scope.ID) {
				far[scope.ID] = up
				all = append(all, d.GrantsAt(scope.ID)...)
			}
		}
	}
	order := func(g access.Grant) string {
		if far[g.Scope] < up {
			return fmt.Sprintf("%04d %s", far[g.Scope], g.ID)
		}
		return fmt.Sprintf("%04d %s %s", up, d.Address(g.Scope), g.ID)
	}
	all, next = cut(all, page, order)
	grants, err = s.GrantViews(ctx, d, all, scope.ID)
	for i := range grants {
		grants[i].Inherited = far[grants[i].Scope] > 0 && far[grants[i].Scope] < up
		if far[grants[i].Scope] < up {
			grants[i].Losses = losses(d, grants[i].Grant, scope)
		}
	}
	return grants, next, d.Revision(), err
}

// losses tells what takes away part of what a grant gives at a scope, as far as that does not hang on who asks from where.
func losses(d tenant.Viewer, g access.Grant, at model.Scope) []LossView {
	context := &access.Context{Time: d.Context.Time}
	var views []LossView
	for _, loss := range d.LossesOf(g.ID, at.ID, context) {
		policy, _ := d.Policy(loss.Rule.Policy)
		v := LossView{Statement: ViewOfStatement(d, policy, loss.Rule.Statement)}
		for p := range loss.Of.All {
			v.Permissions = append(v.Permissions, d.Catalogue().Operation(p).String())
		}
		given := d.Gives(access.RuleRef{Grant: g.ID}).And(d.Catalogue().MeaningAt(at.TypeName()))
		v.All = given.Minus(loss.Of).Len() == 0
		views = append(views, v)
	}
	return views
}

// GrantViews adds to grants what their viewer reads beside them; at is the scope they are looked at from, if any.
func (s *Answers) GrantViews(ctx context.Context, d tenant.Viewer, grants []access.Grant, at model.ID) ([]GrantView, error) {
	ids := make([]model.ID, len(grants))
	for i, g := range grants {
		ids[i] = g.ID
	}
	details, err := s.Records.GrantDetails(ctx, ids)
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
	holders, err := s.Records.PrincipalDetails(ctx, d.OrganisationID(), idle)
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
			Grant: g, GrantDetails: details[g.ID], Holder: d.Called(holder), HolderState: holders[g.Principal].State, Role: role, At: d.Ref(scope),
			Inherited: !at.IsZero() && g.Scope != at, Misplaced: !d.GrantableAt(role, g.Scope), Ended: !g.Until.IsZero() && !g.Until.After(d.Context.Time),
		}
	}
	return views, nil
}
