package catalogue

import (
	"cmp"
	"fmt"
	"iter"
	"slices"
	"strings"

	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// Filter picks permissions: those that match every list that is not empty.
type Filter struct {
	Classes    []Class  `json:"classes,omitempty"`
	Operations []string `json:"operations,omitempty"`
	Types      []string `json:"types,omitempty"`
	Services   []string `json:"services,omitempty"`
	Planes     []Plane  `json:"planes,omitempty"`
}

// String writes the filter as its parts, such as "class=observe,modify type=bucket".
func (f Filter) String() string {
	var parts []string
	part := func(name string, values []string) {
		if len(values) > 0 {
			parts = append(parts, name+"="+strings.Join(values, ","))
		}
	}
	part("class", words(f.Classes))
	part("operation", f.Operations)
	part("type", f.Types)
	part("service", f.Services)
	part("plane", words(f.Planes))
	return strings.Join(parts, " ")
}

func words[S ~string](list []S) []string {
	all := make([]string, len(list))
	for i, one := range list {
		all[i] = string(one)
	}
	return all
}

func (f Filter) matches(o Operation) bool {
	return among(f.Classes, o.Class) && among(f.Operations, o.Name) && among(f.Types, o.Type) &&
		among(f.Services, o.Service) && among(f.Planes, o.Plane)
}

func among[T comparable](wanted []T, value T) bool {
	return len(wanted) == 0 || slices.Contains(wanted, value)
}

// check checks that all words of a filter are known. The error is a [*model.Violation].
func (f Filter) check(c *Catalogue) error {
	for _, class := range f.Classes {
		if !slices.Contains(Classes, class) {
			return model.UnknownWord("class", string(class), english.Words(Classes))
		}
	}
	for _, plane := range f.Planes {
		if !slices.Contains(Planes, plane) {
			return model.UnknownWord("plane", string(plane), english.Words(Planes))
		}
	}
	for _, name := range f.Types {
		if _, err := c.TypeNamed(name); err != nil {
			return err
		}
	}
	for _, name := range f.Services {
		if c.Service(name) == nil {
			return model.UnknownWord("service", name, c.ServiceNames())
		}
	}
	for _, name := range f.Operations {
		if !c.IsOperation(name) {
			return model.UnknownWord("operation", name, c.OperationNames())
		}
	}
	return nil
}

// RoleDefinition is what a role is made from.
type RoleDefinition struct {
	Name        string
	Title       string
	Description string
	Include     []Filter
	Exclude     []Filter
	Scope       model.ID   // the container a custom role is defined at; zero for a built-in one
	Under       []model.ID // the scopes under which it may be granted; none for all beneath Scope
}

// Role is a named set of permissions: all that an inclusion picks and no exclusion does.
type Role struct {
	RoleDefinition
	Permissions Set
	Privileged  bool // it holds a permission of class govern
}

// Custom reports whether the role was defined in the organisation, rather than built in.
func (r *Role) Custom() bool { return !r.Scope.IsZero() }

// ClassesIn returns the classes of the permissions of a set, the weakest first.
func (c *Catalogue) ClassesIn(set Set) []Class {
	var held []Class
	for p := range set.All {
		if class := c.Operation(p).Class; !slices.Contains(held, class) {
			held = append(held, class)
		}
	}
	slices.SortFunc(held, func(a, b Class) int { return slices.Index(Classes, a) - slices.Index(Classes, b) })
	return held
}

// Meanings returns the words by which people look for what allows operations up to a class, such as "read only" for
// observe and "admin" for govern.
func Meanings(class Class) []string { return meanings()[class] }

// Roles lists the built-in roles: the general ones first, then each service's.
func (c *Catalogue) Roles() []*Role { return c.roleOrder }

// Role finds a built-in role by name. The error is a [*model.Violation] that names the nearest role known.
func (c *Catalogue) Role(name string) (*Role, error) {
	if role, ok := c.roles[name]; ok {
		return role, nil
	}
	names := make([]string, len(c.roleOrder))
	for i, role := range c.roleOrder {
		names[i] = role.Name
	}
	return nil, model.UnknownWord("role", name, names)
}

// Ranked is a role that covers wanted permissions.
type Ranked struct {
	Role   *Role
	Beyond int // how many permissions it holds besides those wanted
}

// RolesFor returns the roles among some that hold all of the wanted permissions, those that hold least beyond them first.
func RolesFor(wanted Set, among iter.Seq[*Role]) []Ranked {
	var ranked []Ranked
	for role := range among {
		if wanted.Minus(role.Permissions).Len() == 0 {
			ranked = append(ranked, Ranked{Role: role, Beyond: role.Permissions.Minus(wanted).Len()})
		}
	}
	slices.Reverse(ranked) // of built-in roles that hold the same, the one listed later has the humbler name
	slices.SortStableFunc(ranked, func(a, b Ranked) int { return cmp.Compare(a.Beyond, b.Beyond) })
	return ranked
}

// Collect makes a set of permissions from their texts. The error is that of [Catalogue.Permission].
func (c *Catalogue) Collect(texts ...string) (Set, error) {
	var set Set
	for _, text := range texts {
		p, err := c.Permission(text)
		if err != nil {
			return nil, err
		}
		set.Add(p)
	}
	return set, nil
}

// Define makes a role from its definition. The error is a [*model.Violation].
func (c *Catalogue) Define(def RoleDefinition) (*Role, error) {
	if err := model.CheckName(def.Name); err != nil {
		return nil, err
	}
	for _, f := range slices.Concat(def.Include, def.Exclude) {
		if err := f.check(c); err != nil {
			return nil, err
		}
	}
	role := &Role{RoleDefinition: def}
	for _, o := range c.operations {
		match := func(f Filter) bool { return f.matches(o) }
		if slices.ContainsFunc(def.Include, match) && !slices.ContainsFunc(def.Exclude, match) {
			role.Permissions.Add(o.Permission)
		}
	}
	if role.Permissions.Len() == 0 {
		return nil, model.Violationf(model.RuleEmpty, "role %s holds no permission: its inclusions match nothing that its exclusions leave", def.Name)
	}
	role.Privileged = role.Permissions.Meets(c.governing)
	return role, nil
}

func (c *Catalogue) addRole(def RoleDefinition) error {
	if c.roles[def.Name] != nil {
		return fmt.Errorf("role %s is there twice", def.Name)
	}
	role, err := c.Define(def)
	if err != nil {
		return err
	}
	c.roles[role.Name] = role
	c.roleOrder = append(c.roleOrder, role)
	return nil
}

// serviceFour returns the roles that every platform service has: the general ones, confined to the service.
func serviceFour(s *Service) []RoleDefinition {
	four := []struct {
		name, does string
		classes    []Class
	}{
		{"steward", "Everything on the control plane of %s.", Classes},
		{"builder", "Create, change, run and retire everything of %s.", []Class{Observe, Operate, Modify, Destroy}},
		{"operator", "See and run what there is of %s, but change nothing.", []Class{Observe, Operate}},
		{"observer", "See what there is of %s.", []Class{Observe}},
	}
	definitions := make([]RoleDefinition, len(four))
	for i, f := range four {
		definitions[i] = RoleDefinition{
			Name:        s.Name + "-" + f.name,
			Title:       s.Title + " " + f.name,
			Description: fmt.Sprintf(f.does, strings.ToLower(s.Title)),
			Include:     []Filter{{Services: []string{s.Name}, Planes: []Plane{Control}, Classes: f.classes}},
		}
	}
	return definitions
}
