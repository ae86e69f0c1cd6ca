package change

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// NewRole is a custom role that somebody wants, or another definition of one.
type NewRole struct {
	Name, Title, Description string
	Include, Exclude         []catalogue.Filter
	Under                    []string // scopes, by id or address
	Was                      *NewRole // of an edit: as it was read
}

// CreateRole defines a custom role at a container.
func (s *Changes) CreateRole(ctx context.Context, c tenant.Caller, key string, wanted NewRole) (ask.RoleView, uint64, error) {
	if err := tenant.CheckLine("title", "the title", wanted.Title); err != nil {
		return ask.RoleView{}, 0, err
	}
	next, err := s.Make(ctx, c, func(d tenant.Viewer) (tenant.Plan, error) {
		scope, err := d.ScopeAt(key)
		if err != nil {
			return tenant.Plan{}, err
		}
		if scope.Kind == model.Resource {
			return tenant.Plan{}, &problem.Problem{Kind: problem.BreaksRule, Rule: model.RulePlacement, Detail: "a role is defined at a container, not at a resource", Next: "define it at " + d.Address(ask.ContainerOf(d, scope).ID)}
		}
		if err := d.Need("create role", scope); err != nil {
			return tenant.Plan{}, err
		}
		def, err := definition(d, wanted, scope.ID)
		if err != nil {
			return tenant.Plan{}, err
		}
		return tenant.Plan{Changes: []access.Change{access.CreateRole{Definition: def}}}, nil
	})
	if err != nil {
		return ask.RoleView{}, 0, err
	}
	role, err := next.Role(wanted.Name)
	if err != nil {
		return ask.RoleView{}, 0, err
	}
	return ask.ViewOfRole(s.ViewerOf(next, c), role), next.Revision(), nil
}

// ReadRole returns what a definition would hold as a role at a container, and writes none.
func (s *Changes) ReadRole(ctx context.Context, c tenant.Caller, key string, wanted NewRole) (ask.RoleView, error) {
	d, scope, err := s.RolesAt(ctx, c, key, "list role")
	if err != nil {
		return ask.RoleView{}, err
	}
	wanted.Name = "r" + tenant.NewID().String() // one that no role has
	def, err := definition(d, wanted, ask.ContainerOf(d, scope).ID)
	if err != nil {
		return ask.RoleView{}, err
	}
	next, err := d.With(d.Revision()+1, access.CreateRole{Definition: def})
	if err != nil {
		return ask.RoleView{}, problem.Of(err, "include")
	}
	role, err := next.Role(def.Name)
	if err != nil {
		return ask.RoleView{}, err
	}
	return ask.ViewOfRole(d, role), nil
}

func definition(d tenant.Viewer, wanted NewRole, scope model.ID) (catalogue.RoleDefinition, error) {
	def := catalogue.RoleDefinition{
		Name: wanted.Name, Title: wanted.Title, Description: wanted.Description,
		Include: wanted.Include, Exclude: wanted.Exclude, Scope: scope,
	}
	if def.Title == "" {
		def.Title = def.Name
	}
	for _, key := range wanted.Under {
		under, err := d.ScopeAt(key)
		if err != nil {
			return def, err
		}
		def.Under = append(def.Under, under.ID)
	}
	return def, nil
}

// EditRole replaces the definition of a custom role.
func (s *Changes) EditRole(key string, wanted NewRole) plan.Change[ask.RoleView] {
	return plan.Change[ask.RoleView]{
		Of:   s.Maker,
		Plan: func(context.Context, tenant.Caller) plan.Planner { return planRoleEdit(key, wanted) },
		Tell: func(_ context.Context, c tenant.Caller, next *access.Snapshot) (ask.RoleView, error) {
			role, err := next.Role(wanted.Name)
			if err != nil {
				return ask.RoleView{}, err
			}
			return ask.ViewOfRole(s.ViewerOf(next, c), role), nil
		},
	}
}

// customRole finds a custom role for a caller who sees it where they look from.
func customRole(d tenant.Viewer, key, name, permission string) (*catalogue.Role, error) {
	scope, err := d.ScopeAt(key)
	if err != nil {
		return nil, err
	}
	if err := d.Need("describe role", ask.ContainerOf(d, scope)); err != nil {
		return nil, err
	}
	role, err := ask.Role(d, name)
	if err != nil {
		return nil, err
	}
	if !role.Custom() {
		return nil, &problem.Problem{Kind: problem.BreaksRule, Rule: model.RulePlacement, Detail: name + " is a built-in role: it stays as it is", Next: "create a role of your own instead"}
	}
	at, _ := d.Scope(role.Scope)
	return role, d.Need(permission, at)
}

func planRoleEdit(key string, wanted NewRole) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		role, err := customRole(d, key, wanted.Name, "edit role")
		if err != nil {
			return tenant.Plan{}, err
		}
		def, err := definition(d, wanted, role.Scope)
		if err != nil {
			return tenant.Plan{}, err
		}
		before := role.RoleDefinition
		if err := roleOutdated(d, wanted.Was, before); err != nil {
			return tenant.Plan{}, err
		}
		_, unseen := ask.PlacesSeen(d, before)
		def.Under = append(def.Under, unseen...) // what its editor does not see stays
		return tenant.Plan{Changes: []access.Change{access.EditRole{Definition: def}}}, nil
	}
}

// RemoveRole removes a custom role that nothing uses, or, if asked, with its grants.
func (s *Changes) RemoveRole(key, name string, withGrants bool) plan.Change[plan.Nothing] {
	return plan.Planned(s.Maker, planRoleRemoval(key, name, withGrants))
}

func planRoleRemoval(key, name string, withGrants bool) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		if _, err := customRole(d, key, name, "retire role"); err != nil {
			return tenant.Plan{}, err
		}
		p := tenant.Plan{What: "deleted role " + name}
		if withGrants {
			grants, _ := d.RoleUse(name)
			for _, g := range grants {
				scope, _ := d.Scope(g.Scope)
				if err := d.Need("revoke grant", scope); err != nil {
					return tenant.Plan{}, err
				}
				p.Changes = append(p.Changes, access.RevokeGrant{ID: g.ID})
			}
			p.What = fmt.Sprintf("deleted role %s with %d grants", name, len(grants))
		}
		p.Changes = append(p.Changes, access.RemoveRole{Name: name})
		return p, nil
	}
}

// roleOutdated refuses an edit of a role that is defined otherwise than it was read. A scope that is not there any more is
// another than any that was read.
func roleOutdated(d tenant.Viewer, was *NewRole, now catalogue.RoleDefinition) error {
	if was == nil {
		return nil
	}
	was.Name = now.Name
	read, err := definition(d, *was, now.Scope)
	now.Under, _ = ask.PlacesSeen(d, now)
	same := err == nil && read.Title == now.Title && read.Description == now.Description &&
		fmt.Sprint(read.Include, read.Exclude, read.Under) == fmt.Sprint(now.Include, now.Exclude, now.Under) // an empty list is as good as none
	return plan.Outdated("role "+now.Name, plan.Another{Field: "include", Word: "definition", Is: !same})
}
