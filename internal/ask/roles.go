package ask

import (
	"context"
	"fmt"
	"iter"
	"strings"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/english"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// Catalogue returns the catalogue to whoever sees anything of the organisation, and its roles.
func (s *Answers) Catalogue(ctx context.Context, c tenant.Caller, organisation string) (*access.Snapshot, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return nil, err
	}
	if _, err := d.Organisation(organisation); err != nil {
		return nil, err
	}
	if d.Sight.Empty() {
		return nil, tenant.NothingHeld(organisation)
	}
	return d.Snapshot, nil
}

// RoleView is a role as its viewer reads it.
type RoleView struct {
	*catalogue.Role
	At        *tenant.Ref  // the scope a custom role is defined at
	Under     []tenant.Ref // the scopes under which it may be granted, when it says so
	Unseen    int          // how many of those are left out: the viewer does not see them
	Catalogue *catalogue.Catalogue
}

// RoleUse is where a role is used.
type RoleUse struct {
	Grants     []GrantView
	Statements []StatementView
	Hidden     int // uses the viewer may not see
	May        []string
}

// PlacesSeen parts the scopes under which a role may be granted into those that the caller sees and the others.
func PlacesSeen(d tenant.Viewer, def catalogue.RoleDefinition) (seen, unseen []model.ID) {
	return tenant.PartSeen(d, def.Under, func(id model.ID) model.ID { return id })
}

// ViewOfRole returns a role as the viewer may see it.
func ViewOfRole(d tenant.Viewer, role *catalogue.Role) RoleView {
	v := RoleView{Role: role, Catalogue: d.Catalogue()}
	if scope, ok := d.Scope(role.Scope); ok {
		at := d.Ref(scope)
		v.At = &at
	}
	seen, unseen := PlacesSeen(d, role.RoleDefinition)
	v.Unseen = len(unseen)
	for _, id := range seen {
		scope, _ := d.Scope(id)
		v.Under = append(v.Under, d.Ref(scope))
	}
	return v
}

func roleViews(d tenant.Viewer, roles iter.Seq[*catalogue.Role]) []RoleView {
	var views []RoleView
	for role := range roles {
		views = append(views, ViewOfRole(d, role))
	}
	return views
}

// RolesNarrowed is what a list of roles is narrowed by; what is empty narrows nothing.
type RolesNarrowed struct {
	Everywhere bool // those too that mean nothing at the scope
	Service    string
	Plane      catalogue.Plane
	Privileged string // yes or no
}

// ListRoles returns the roles that mean something at a scope, or, if asked, all there are.
func (s *Answers) ListRoles(ctx context.Context, c tenant.Caller, key string, wanted Listing, by RolesNarrowed) (Listed[RoleView], error) {
	d, scope, err := s.RolesAt(ctx, c, key, "list role")
	if err != nil {
		return Listed[RoleView]{}, err
	}
	all := d.RolesAt(scope.ID)
	if by.Everywhere {
		all = d.Roles()
	}
	order := roleOrder(d)
	roles := lister[RoleView]{
		key:   func(v RoleView) string { return order(v.Role) },
		words: RoleView.wordsFor,
		columns: map[string]func(RoleView) string{
			"name":        func(v RoleView) string { return v.Name },
			"purpose":     func(v RoleView) string { return strings.ToLower(v.Description) },
			"permissions": func(v RoleView) string { return byNumber(v.Permissions.Len()) },
		},
	}
	return roles.list(roleViews(d, all), wanted, func(v RoleView) bool {
		return (by.Privileged == "" || v.Privileged == (by.Privileged == "yes")) && (by.Service == "" && by.Plane == "" || v.acts(by.Service, by.Plane))
	})
}

// wordsFor are those by which people look for a role, such as read only and admin among them.
func (v RoleView) wordsFor() []string {
	words := []string{v.Name, v.Title, v.Description}
	if classes := v.Catalogue.ClassesIn(v.Permissions); len(classes) > 0 {
		words = append(words, catalogue.Meanings(classes[len(classes)-1])...)
	}
	return words
}

// acts reports whether a role holds a permission of a service's types, and one of a plane; an empty one asks for nothing.
func (v RoleView) acts(service string, plane catalogue.Plane) bool {
	in, on := service == "", plane == ""
	for p := range v.Permissions.All {
		o := v.Catalogue.Operation(p)
		in = in || o.Service == service
		on = on || o.Plane == plane
	}
	return in && on
}

// roleOrder returns the order in which roles are listed: those of the catalogue as it has them, then custom ones by name.
func roleOrder(d tenant.Viewer) func(*catalogue.Role) string {
	numbers := map[string]int{}
	for role := range d.Roles() {
		if role.Scope.IsZero() {
			numbers[role.Name] = len(numbers)
		}
	}
	return func(role *catalogue.Role) string {
		if number, shipped := numbers[role.Name]; shipped {
			return fmt.Sprintf("0 %06d", number)
		}
		return "1 " + role.Name
	}
}

// ShowRole returns a role, and where it is used as far as the caller may see.
func (s *Answers) ShowRole(ctx context.Context, c tenant.Caller, key, name string) (RoleView, RoleUse, error) {
	d, _, err := s.RolesAt(ctx, c, key, "describe role")
	if err != nil {
		return RoleView{}, RoleUse{}, err
	}
	role, err := Role(d, name)
	if err != nil {
		return RoleView{}, RoleUse{}, err
	}
	use, err := s.roleUse(ctx, d, role)
	return ViewOfRole(d, role), use, err
}

// Role finds a role that the caller may know of.
func Role(d tenant.Viewer, name string) (*catalogue.Role, error) {
	role, err := d.Role(name)
	if err == nil && knowsRole(d, role) {
		return role, nil
	}
	var names []string
	for other := range d.Roles() {
		if knowsRole(d, other) {
			names = append(names, other.Name)
		}
	}
	p := problem.Missing("role", name, english.Nearest(name, names))
	p.Field = "role"
	return nil, p
}

// knowsRole reports whether the caller may know of a role: of a custom one those who see where it is defined.
func knowsRole(d tenant.Viewer, role *catalogue.Role) bool {
	return !role.Custom() || d.Sight.Sees(role.Scope)
}

func (s *Answers) roleUse(ctx context.Context, d tenant.Viewer, role *catalogue.Role) (use RoleUse, err error) {
	grants, statements := d.RoleUse(role.Name)
	var seen []access.Grant
	for _, g := range grants {
		if d.May("list grant", g.Scope) {
			seen = append(seen, g)
		} else {
			use.Hidden++
		}
	}
	if use.Grants, err = s.GrantViews(ctx, d, seen, model.ID{}); err != nil {
		return use, err
	}
	for _, ref := range statements {
		p, _ := d.Policy(ref.Policy)
		if d.MayList(p, ref.Statement) {
			use.Statements = append(use.Statements, ViewOfStatement(d, p, ref.Statement))
		} else {
			use.Hidden++
		}
	}
	if role.Custom() {
		for _, operation := range []string{"edit role", "retire role"} {
			if d.May(operation, role.Scope) {
				use.May = append(use.May, operation)
			}
		}
	}
	return use, nil
}

// RankRoles returns the roles that mean something at a scope and hold all of some wanted permissions, those with least
// beyond first.
func (s *Answers) RankRoles(ctx context.Context, c tenant.Caller, key string, wanted []string) ([]catalogue.Ranked, func(*catalogue.Role) RoleView, error) {
	d, scope, err := s.RolesAt(ctx, c, key, "list role")
	if err != nil {
		return nil, nil, err
	}
	set, err := d.Catalogue().Collect(wanted...)
	if err != nil {
		return nil, nil, problem.Of(err, "permissions")
	}
	return catalogue.RolesFor(set, d.RolesAt(scope.ID)), func(role *catalogue.Role) RoleView { return ViewOfRole(d, role) }, nil
}

// RolesAt checks a permission on roles at a scope; roles mean nothing at a resource, so there its container counts.
func (s *Answers) RolesAt(ctx context.Context, c tenant.Caller, key, permission string) (tenant.Viewer, model.Scope, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return d, model.Scope{}, err
	}
	scope, err := d.ScopeAt(key)
	if err != nil {
		return d, scope, err
	}
	if scope.Kind == model.Resource && d.May("create grant", scope.ID) {
		return d, scope, nil // a grant there needs a role
	}
	return d, scope, d.Need(permission, ContainerOf(d, scope))
}
