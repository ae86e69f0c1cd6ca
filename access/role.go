package access

import (
	"cmp"
	"fmt"
	"iter"
	"slices"
	"strings"
)

// Filter picks permissions: those that match every list that is not empty.
type Filter struct {
	Classes    []Class  `json:"classes,omitempty"`
	Operations []string `json:"operations,omitempty"`
	Types      []string `json:"types,omitempty"`
	Services   []string `json:"services,omitempty"`
	Planes     []Plane  `json:"planes,omitempty"`
}

func (f Filter) matches(o Operation) bool {
	return among(f.Classes, o.Class) && among(f.Operations, o.Name) && among(f.Types, o.Type) &&
		among(f.Services, o.Service) && among(f.Planes, o.Plane)
}

func among[T comparable](wanted []T, value T) bool {
	return len(wanted) == 0 || slices.Contains(wanted, value)
}

// check says whether all words of a filter are known. The error is a [*Violation].
func (f Filter) check(c *Catalogue) error {
	for _, class := range f.Classes {
		if !slices.Contains(Classes, class) {
			return unknownWord("class", string(class), wordsOf(Classes))
		}
	}
	for _, plane := range f.Planes {
		if !slices.Contains(Planes, plane) {
			return unknownWord("plane", string(plane), wordsOf(Planes))
		}
	}
	for _, name := range f.Types {
		if _, err := c.TypeNamed(name); err != nil {
			return err
		}
	}
	for _, name := range f.Services {
		if c.service(name) == nil {
			return unknownWord("service", name, c.serviceNames())
		}
	}
	for _, name := range f.Operations {
		if !c.isOperation(name) {
			return unknownWord("operation", name, c.operationNames())
		}
	}
	return nil
}

func unknownWord(what, word string, known []string) error {
	v := violation(RuleUnknown, "there is no %s %q", what, word)
	v.Nearest = Nearest(word, known)
	return v
}

func wordsOf[T ~string](list []T) []string {
	words := make([]string, len(list))
	for i, item := range list {
		words[i] = string(item)
	}
	return words
}

// RoleDefinition is what a role is made from.
type RoleDefinition struct {
	Name        string
	Title       string
	Description string
	Include     []Filter
	Exclude     []Filter
	Scope       ID   // the container a custom role is defined at; zero for a built-in one
	Under       []ID // the scopes under which it may be granted; none for all beneath Scope
}

// Role is a named set of permissions: all that an inclusion picks and no exclusion does.
type Role struct {
	RoleDefinition
	Permissions Set
	Privileged  bool // it holds a permission of class govern
}

// Custom reports whether the role was defined in the organisation, rather than built in.
func (r *Role) Custom() bool { return !r.Scope.IsZero() }

// Roles lists the built-in roles: the general ones first, then each service's.
func (c *Catalogue) Roles() []*Role { return c.roleOrder }

// Role finds a built-in role by name. The error is a [*Violation] that names the nearest role known.
func (c *Catalogue) Role(name string) (*Role, error) {
	if role, ok := c.roles[name]; ok {
		return role, nil
	}
	names := make([]string, len(c.roleOrder))
	for i, role := range c.roleOrder {
		names[i] = role.Name
	}
	return nil, unknownWord("role", name, names)
}

// Roles yields the roles that can be used in the organisation: the built-in ones, then the custom ones by name.
func (s *Snapshot) Roles() iter.Seq[*Role] {
	return func(yield func(*Role) bool) {
		for _, role := range s.catalogue.roleOrder {
			if !yield(role) {
				return
			}
		}
		for it := s.roles.Iterator(); !it.Done(); {
			if _, role, _ := it.Next(); !yield(role) {
				return
			}
		}
	}
}

// Role finds a role by name, built-in or custom. The error is a [*Violation] that names the nearest role known.
func (s *Snapshot) Role(name string) (*Role, error) {
	if role, ok := s.roles.Get(name); ok {
		return role, nil
	}
	if role, ok := s.catalogue.roles[name]; ok {
		return role, nil
	}
	var names []string
	for role := range s.Roles() {
		names = append(names, role.Name)
	}
	return nil, unknownWord("role", name, names)
}

// RolesAt yields the roles that mean something at a scope: they may be granted there, and hold a permission on a type
// that is or can be there, of a service offered there.
func (s *Snapshot) RolesAt(scope ID) iter.Seq[*Role] {
	return func(yield func(*Role) bool) {
		n, ok := s.scopeNumber(scope)
		if !ok {
			return
		}
		meant := s.meaning(n)
		if offered := s.offeredAt(n); offered != nil {
			var kept Set
			for p := range meant.All {
				o := s.catalogue.operations[p]
				if s.catalogue.service(o.Service).Own() || slices.Contains(offered, o.Service) {
					kept.add(p)
				}
			}
			meant = kept
		}
		for role := range s.Roles() {
			if role.Permissions.Meets(meant) && s.outside(role, n) == "" && !yield(role) {
				return
			}
		}
	}
}

// GrantableAt reports whether a role may be granted at a scope, as far as the role itself says. A grant that a move has
// put elsewhere still decides.
func (s *Snapshot) GrantableAt(role *Role, scope ID) bool {
	n, ok := s.scopeNumber(scope)
	return ok && s.outside(role, n) == ""
}

// outside says in words where a role may be granted, if that is not at a scope; else "".
func (s *Snapshot) outside(role *Role, n number) string {
	if !role.Custom() {
		return ""
	}
	under := role.Under
	if len(under) == 0 {
		under = []ID{role.Scope}
	}
	var addresses []string
	for _, id := range under {
		top, ok := s.scopeNumber(id)
		if ok && s.isAtOrBeneath(n, top) {
			return ""
		}
		if ok {
			addresses = append(addresses, s.address(top))
		}
	}
	return "under " + InARow(addresses)
}

// RoleUse gives the grants of a role and the statements that name it.
func (s *Snapshot) RoleUse(name string) (grants []Grant, statements []RuleRef) {
	for it := s.grants.Iterator(); !it.Done(); {
		if _, node, _ := it.Next(); node.Role == name {
			grants = append(grants, node.Grant)
		}
	}
	for it := s.policies.Iterator(); !it.Done(); {
		_, p, _ := it.Next()
		for i, st := range p.Statements {
			if slices.Contains(st.Roles, name) {
				statements = append(statements, RuleRef{Policy: p.ID, Statement: i})
			}
		}
	}
	slices.SortFunc(grants, func(a, b Grant) int { return slices.Compare(a.ID[:], b.ID[:]) })
	slices.SortFunc(statements, func(a, b RuleRef) int {
		if a.before(b) {
			return -1
		}
		return 1
	})
	return grants, statements
}

// Ranked is a role that covers wanted permissions.
type Ranked struct {
	Role   *Role
	Beyond int // how many permissions it holds besides those wanted
}

// RolesFor gives the roles among some that hold all of the wanted permissions, those that hold least beyond them first.
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
		set.add(p)
	}
	return set, nil
}

// define makes a role from its definition. The error is a [*Violation].
func (c *Catalogue) define(def RoleDefinition) (*Role, error) {
	if err := CheckName(def.Name); err != nil {
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
			role.Permissions.add(o.Permission)
		}
	}
	if role.Permissions.Len() == 0 {
		return nil, violation(RuleEmpty, "role %s holds no permission: its inclusions match nothing that its exclusions leave", def.Name)
	}
	role.Privileged = role.Permissions.Meets(c.governing)
	return role, nil
}

func (c *Catalogue) addRole(def RoleDefinition) error {
	if c.roles[def.Name] != nil {
		return fmt.Errorf("role %s is there twice", def.Name)
	}
	role, err := c.define(def)
	if err != nil {
		return err
	}
	c.roles[role.Name] = role
	c.roleOrder = append(c.roleOrder, role)
	return nil
}

// serviceFour gives the roles that every platform service has: the general ones, confined to the service.
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
