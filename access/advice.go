package access

import (
	"cmp"
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// Narrower lists the roles that would do in place of one at a scope where only some services are in use: they may be granted
// there, hold all that it holds of these services, something at all, and less of what means something there. Those that
// hold least come first, and of those that hold the same the one that comes last among [Snapshot.Roles]: a service's builder
// rather than its steward.
func (s *Snapshot) Narrower(role *catalogue.Role, scope model.ID, services []string) []*catalogue.Role {
	n, ok := s.scopeNumber(scope)
	if !ok {
		return nil
	}
	meant := role.Permissions.And(s.wideMeaning(n))
	var use catalogue.Set
	for p := range meant.All {
		if slices.Contains(services, s.catalogue.Operation(p).Service) {
			use.Add(p)
		}
	}
	if use.Len() == 0 {
		return nil
	}
	held := func(r *catalogue.Role) catalogue.Set { return r.Permissions.And(s.wideMeaning(n)) }
	var narrower []*catalogue.Role
	for other := range s.RolesAt(scope) {
		if theirs := held(other); theirs.Len() < meant.Len() && theirs.Minus(meant).Len() == 0 && use.Minus(theirs).Len() == 0 {
			narrower = append(narrower, other)
		}
	}
	slices.Reverse(narrower)
	slices.SortStableFunc(narrower, func(a, b *catalogue.Role) int { return cmp.Compare(held(a).Len(), held(b).Len()) })
	return narrower
}
