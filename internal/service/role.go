package service

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// NewRole is a custom role that somebody wants, or another definition of one.
type NewRole struct {
	Name, Title, Description string
	Include, Exclude         []catalogue.Filter
	Under                    []string // scopes, by id or address
	Was                      *NewRole // of an edit: as it was read
}

// CreateRole defines a custom role at a container.
func (s *Changes) CreateRole(ctx context.Context, c Caller, key string, wanted NewRole) (RoleView, uint64, error) {
	if err := checkLine("title", "the title", wanted.Title); err != nil {
		return RoleView{}, 0, err
	}
	next, err := s.make(ctx, c, func(d desk) (plan, error) {
		scope, err := d.scope(key)
		if err != nil {
			return plan{}, err
		}
		if scope.Kind == model.Resource {
			return plan{}, &Problem{Kind: BreaksRule, Rule: model.RulePlacement, Detail: "a role is defined at a container, not at a resource", Next: "define it at " + d.Address(d.containerOf(scope).ID)}
		}
		if err := d.need("create role", scope); err != nil {
			return plan{}, err
		}
		def, err := d.definition(wanted, scope.ID)
		if err != nil {
			return plan{}, err
		}
		return plan{changes: []access.Change{access.CreateRole{Definition: def}}}, nil
	})
	if err != nil {
		return RoleView{}, 0, err
	}
	role, err := next.Role(wanted.Name)
	if err != nil {
		return RoleView{}, 0, err
	}
	return s.deskOf(next, c).roleView(role), next.Revision(), nil
}

// ReadRole gives what a definition would hold as a role at a container, and writes none.
func (s *Changes) ReadRole(ctx context.Context, c Caller, key string, wanted NewRole) (RoleView, error) {
	d, scope, err := s.rolesAt(ctx, c, key, "list role")
	if err != nil {
		return RoleView{}, err
	}
	wanted.Name = "r" + newID().String() // one that no role has
	def, err := d.definition(wanted, d.containerOf(scope).ID)
	if err != nil {
		return RoleView{}, err
	}
	next, err := d.With(d.Revision()+1, access.CreateRole{Definition: def})
	if err != nil {
		return RoleView{}, broken(err, "include")
	}
	role, err := next.Role(def.Name)
	if err != nil {
		return RoleView{}, err
	}
	return d.roleView(role), nil
}

func (d desk) definition(wanted NewRole, scope model.ID) (catalogue.RoleDefinition, error) {
	def := catalogue.RoleDefinition{
		Name: wanted.Name, Title: wanted.Title, Description: wanted.Description,
		Include: wanted.Include, Exclude: wanted.Exclude, Scope: scope,
	}
	if def.Title == "" {
		def.Title = def.Name
	}
	for _, key := range wanted.Under {
		under, err := d.scope(key)
		if err != nil {
			return def, err
		}
		def.Under = append(def.Under, under.ID)
	}
	return def, nil
}

// EditRole replaces the definition of a custom role.
func (s *Changes) EditRole(key string, wanted NewRole) Change[RoleView] {
	return Change[RoleView]{
		of:   s.Maker,
		plan: func(context.Context, Caller) planner { return planRoleEdit(key, wanted) },
		tell: func(_ context.Context, c Caller, next *access.Snapshot) (RoleView, error) {
			role, err := next.Role(wanted.Name)
			if err != nil {
				return RoleView{}, err
			}
			return s.deskOf(next, c).roleView(role), nil
		},
	}
}

// customRole finds a custom role for a caller who sees it where they look from.
func (d desk) customRole(key, name, permission string) (*catalogue.Role, error) {
	scope, err := d.scope(key)
	if err != nil {
		return nil, err
	}
	if err := d.need("describe role", d.containerOf(scope)); err != nil {
		return nil, err
	}
	role, err := d.role(name)
	if err != nil {
		return nil, err
	}
	if !role.Custom() {
		return nil, &Problem{Kind: BreaksRule, Rule: model.RulePlacement, Detail: name + " is a built-in role: it stays as it is", Next: "define a role of your own instead"}
	}
	at, _ := d.Scope(role.Scope)
	return role, d.need(permission, at)
}

func planRoleEdit(key string, wanted NewRole) planner {
	return func(d desk) (plan, error) {
		role, err := d.customRole(key, wanted.Name, "edit role")
		if err != nil {
			return plan{}, err
		}
		def, err := d.definition(wanted, role.Scope)
		if err != nil {
			return plan{}, err
		}
		before := role.RoleDefinition
		if err := d.roleOutdated(wanted.Was, before); err != nil {
			return plan{}, err
		}
		_, unseen := d.placesSeen(before)
		def.Under = append(def.Under, unseen...) // what its editor does not see stays
		return plan{changes: []access.Change{access.EditRole{Definition: def}}}, nil
	}
}

// RemoveRole removes a custom role that nothing uses, or, if asked, with its grants.
func (s *Changes) RemoveRole(key, name string, withGrants bool) Change[Nothing] {
	return planned(s.Maker, planRoleRemoval(key, name, withGrants))
}

func planRoleRemoval(key, name string, withGrants bool) planner {
	return func(d desk) (plan, error) {
		if _, err := d.customRole(key, name, "retire role"); err != nil {
			return plan{}, err
		}
		p := plan{what: "removed role " + name}
		if withGrants {
			grants, _ := d.RoleUse(name)
			for _, g := range grants {
				scope, _ := d.Scope(g.Scope)
				if err := d.need("revoke grant", scope); err != nil {
					return plan{}, err
				}
				p.changes = append(p.changes, access.RevokeGrant{ID: g.ID})
			}
			p.what = fmt.Sprintf("removed role %s with %d grants", name, len(grants))
		}
		p.changes = append(p.changes, access.RemoveRole{Name: name})
		return p, nil
	}
}

// roleOutdated refuses an edit of a role that is defined otherwise than it was read. A scope that is not there any more is
// another than any that was read.
func (d desk) roleOutdated(was *NewRole, now catalogue.RoleDefinition) error {
	if was == nil {
		return nil
	}
	was.Name = now.Name
	read, err := d.definition(*was, now.Scope)
	now.Under, _ = d.placesSeen(now)
	same := err == nil && read.Title == now.Title && read.Description == now.Description &&
		fmt.Sprint(read.Include, read.Exclude, read.Under) == fmt.Sprint(now.Include, now.Exclude, now.Under) // an empty list is as good as none
	return outdated("role "+now.Name, another{"include", "definition", !same})
}
