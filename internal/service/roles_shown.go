package service

import (
	"context"
	"iter"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// Catalogue gives the catalogue to whoever sees anything of the organisation, and its roles.
func (s *Answers) Catalogue(ctx context.Context, c Caller, organisation string) (*access.Snapshot, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return nil, err
	}
	if _, err := d.organisation(organisation); err != nil {
		return nil, err
	}
	if d.view.Empty() {
		return nil, nothingHeld(organisation)
	}
	return d.Snapshot, nil
}

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
func (s *Answers) ListRoles(ctx context.Context, c Caller, key string, all bool) ([]RoleView, error) {
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
func (s *Answers) ShowRole(ctx context.Context, c Caller, key, name string) (RoleView, RoleUse, error) {
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

func (s *Answers) roleUse(ctx context.Context, d desk, role *catalogue.Role) (use RoleUse, err error) {
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
func (s *Answers) RankRoles(ctx context.Context, c Caller, key string, wanted []string) ([]catalogue.Ranked, func(*catalogue.Role) RoleView, error) {
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
func (s *Answers) rolesAt(ctx context.Context, c Caller, key, permission string) (desk, model.Scope, error) {
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
