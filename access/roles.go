package access

import (
	"iter"
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// Roles yields the roles that can be used in the organisation: the built-in ones, then the custom ones by name.
func (s *Snapshot) Roles() iter.Seq[*catalogue.Role] {
	return func(yield func(*catalogue.Role) bool) {
		for _, role := range s.catalogue.Roles() {
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

// Role finds a role by name, built-in or custom. The error is a [*model.Violation] that names the nearest role known.
func (s *Snapshot) Role(name string) (*catalogue.Role, error) {
	if role, ok := s.roles.Get(name); ok {
		return role, nil
	}
	if role, err := s.catalogue.Role(name); err == nil {
		return role, nil
	}
	var names []string
	for role := range s.Roles() {
		names = append(names, role.Name)
	}
	return nil, model.UnknownWord("role", name, names)
}

// RolesAt yields the roles that mean something at a scope: they may be granted there, and hold a permission on a type
// that is or can be there, of a service offered there.
func (s *Snapshot) RolesAt(scope model.ID) iter.Seq[*catalogue.Role] {
	return func(yield func(*catalogue.Role) bool) {
		n, ok := s.scopeNumber(scope)
		if !ok {
			return
		}
		meant := s.meaning(n)
		if offered := s.offeredAt(n); offered != nil {
			var kept catalogue.Set
			for p := range meant.All {
				o := s.catalogue.Operation(p)
				if s.catalogue.Service(o.Service).Own() || slices.Contains(offered, o.Service) {
					kept.Add(p)
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
func (s *Snapshot) GrantableAt(role *catalogue.Role, scope model.ID) bool {
	n, ok := s.scopeNumber(scope)
	return ok && s.outside(role, n) == ""
}

// outside says in words where a role may be granted, if that is not at a scope; else "".
func (s *Snapshot) outside(role *catalogue.Role, n number) string {
	if !role.Custom() {
		return ""
	}
	under := role.Under
	if len(under) == 0 {
		under = []model.ID{role.Scope}
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
	return "under " + english.Join(addresses)
}

// RoleUse returns the grants of a role and the statements that name it.
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
