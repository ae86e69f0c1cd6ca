package service

import (
	"context"
	"fmt"
	"iter"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// RoleView is a role as its viewer reads it.
type RoleView struct {
	*catalogue.Role
	At        *Ref  // the scope a custom role is defined at
	Under     []Ref // the scopes under which it may be granted, when it says so
	Unseen    int   // how many of those are left out: the viewer does not see them
	Catalogue *catalogue.Catalogue
}

// RoleUse is where a role is used.
type RoleUse struct {
	Grants     []GrantView
	Statements []StatementView
	Hidden     int // uses the viewer may not see
	May        []string
}

// NewRole is a custom role that somebody wants, or another definition of one.
type NewRole struct {
	Name, Title, Description string
	Include, Exclude         []catalogue.Filter
	Under                    []string // scopes, by id or address
	Was                      *NewRole // of an edit: as it was read
}

// placesSeen parts the scopes under which a role may be granted into those that the caller sees and the others.
func (d desk) placesSeen(def catalogue.RoleDefinition) (seen, unseen []model.ID) {
	return partSeen(d, def.Under, func(id model.ID) model.ID { return id })
}

func (d desk) roleView(role *catalogue.Role) RoleView {
	v := RoleView{Role: role, Catalogue: d.Catalogue()}
	if scope, ok := d.Scope(role.Scope); ok {
		at := d.ref(scope)
		v.At = &at
	}
	seen, unseen := d.placesSeen(role.RoleDefinition)
	v.Unseen = len(unseen)
	for _, id := range seen {
		scope, _ := d.Scope(id)
		v.Under = append(v.Under, d.ref(scope))
	}
	return v
}

func (d desk) roleViews(roles iter.Seq[*catalogue.Role]) []RoleView {
	var views []RoleView
	for role := range roles {
		views = append(views, d.roleView(role))
	}
	return views
}

// ListRoles gives the roles that mean something at a scope, or, if asked, all there are.
func (s *Service) ListRoles(ctx context.Context, c Caller, key string, all bool) ([]RoleView, error) {
	d, scope, err := s.rolesAt(ctx, c, key, "list role")
	if err != nil {
		return nil, err
	}
	if all {
		return d.roleViews(d.Roles()), nil
	}
	return d.roleViews(d.RolesAt(scope.ID)), nil
}

// ShowRole gives a role, and where it is used as far as the caller may see.
func (s *Service) ShowRole(ctx context.Context, c Caller, key, name string) (RoleView, RoleUse, error) {
	d, _, err := s.rolesAt(ctx, c, key, "describe role")
	if err != nil {
		return RoleView{}, RoleUse{}, err
	}
	role, err := d.role(name)
	if err != nil {
		return RoleView{}, RoleUse{}, err
	}
	use, err := s.roleUse(ctx, d, role)
	return d.roleView(role), use, err
}

// role finds a role that the caller may know of.
func (d desk) role(name string) (*catalogue.Role, error) {
	role, err := d.Role(name)
	if err == nil && d.knowsRole(role) {
		return role, nil
	}
	var names []string
	for other := range d.Roles() {
		if d.knowsRole(other) {
			names = append(names, other.Name)
		}
	}
	p := notThere("role", name, english.Nearest(name, names))
	p.Field = "role"
	return nil, p
}

// knowsRole reports whether the caller may know of a role: of a custom one those who see where it is defined.
func (d desk) knowsRole(role *catalogue.Role) bool { return !role.Custom() || d.view.Sees(role.Scope) }

func (s *Service) roleUse(ctx context.Context, d desk, role *catalogue.Role) (use RoleUse, err error) {
	grants, statements := d.RoleUse(role.Name)
	var seen []access.Grant
	for _, g := range grants {
		if d.may("list grant", g.Scope) {
			seen = append(seen, g)
		} else {
			use.Hidden++
		}
	}
	if use.Grants, err = s.grantViews(ctx, d, seen, model.ID{}); err != nil {
		return use, err
	}
	for _, ref := range statements {
		p, _ := d.Policy(ref.Policy)
		if d.mayList(p, ref.Statement) {
			use.Statements = append(use.Statements, d.statementView(p, ref.Statement))
		} else {
			use.Hidden++
		}
	}
	if role.Custom() {
		for _, operation := range []string{"edit role", "retire role"} {
			if d.may(operation, role.Scope) {
				use.May = append(use.May, operation)
			}
		}
	}
	return use, nil
}

// RankRoles gives the roles that mean something at a scope and hold all of some wanted permissions, those with least
// beyond first.
func (s *Service) RankRoles(ctx context.Context, c Caller, key string, wanted []string) ([]catalogue.Ranked, func(*catalogue.Role) RoleView, error) {
	d, scope, err := s.rolesAt(ctx, c, key, "list role")
	if err != nil {
		return nil, nil, err
	}
	set, err := d.Catalogue().Collect(wanted...)
	if err != nil {
		return nil, nil, broken(err, "permissions")
	}
	return catalogue.RolesFor(set, d.RolesAt(scope.ID)), d.roleView, nil
}

// rolesAt checks a permission on roles at a scope; roles mean nothing at a resource, so there its container counts.
func (s *Service) rolesAt(ctx context.Context, c Caller, key, permission string) (desk, model.Scope, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return d, model.Scope{}, err
	}
	scope, err := d.scope(key)
	if err != nil {
		return d, scope, err
	}
	if scope.Kind == model.Resource && d.may("create grant", scope.ID) {
		return d, scope, nil // a grant there needs a role
	}
	return d, scope, d.need(permission, d.containerOf(scope))
}

// CreateRole defines a custom role at a container.
func (s *Service) CreateRole(ctx context.Context, c Caller, key string, wanted NewRole) (RoleView, uint64, error) {
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
func (s *Service) ReadRole(ctx context.Context, c Caller, key string, wanted NewRole) (RoleView, error) {
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
func EditRole(key string, wanted NewRole) Change[RoleView] {
	return Change[RoleView]{
		plan: func(context.Context, *Service, Caller) planner { return planRoleEdit(key, wanted) },
		tell: func(_ context.Context, s *Service, c Caller, next *access.Snapshot) (RoleView, error) {
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
func RemoveRole(key, name string, withGrants bool) Change[Nothing] {
	return planned(planRoleRemoval(key, name, withGrants))
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
