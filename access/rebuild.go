package access

import (
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// Changes returns changes that make the same snapshot from the empty one, but for its revision.
func (s *Snapshot) Changes() []Change {
	var changes, retire []Change
	if s.scopes.len() == 0 {
		return nil
	}
	enter := func(n number) bool {
		scope := s.scopeAt(n)
		if scope.Retired {
			retire = append(retire, RetireScope{ID: scope.ID})
			scope.Retired = false
		}
		changes = append(changes, CreateScope{Scope: scope})
		return true
	}
	enter(0)
	s.descend(0, enter)
	var members []Change // and owners, who may be younger than their groups
	for n := range number(s.principals.Len()) {
		p := s.principals.Get(n)
		if p.Kind != model.BuiltInSet && p.Kind != model.PlatformService {
			fresh := p.Principal
			fresh.Owner = model.ID{}
			changes = append(changes, CreatePrincipal{Principal: fresh})
		}
		if !p.Owner.IsZero() {
			members = append(members, SetOwner{Group: p.ID, Owner: p.Owner})
		}
		if p.Gathers != nil || p.Pattern {
			continue
		}
		for _, m := range p.members {
			members = append(members, AddMember{Membership: Membership{Group: p.ID, Member: s.principals.Get(m).ID}})
		}
	}
	changes = append(changes, members...)
	changes = append(changes, s.roleChanges()...)
	for _, node := range s.grantNodes() {
		changes = append(changes, CreateGrant{Grant: node.Grant, Recorded: true})
	}
	changes = append(changes, s.policyChanges()...)
	return append(changes, retire...)
}

// roleChanges returns the changes that define the custom roles.
func (s *Snapshot) roleChanges() (changes []Change) {
	for it := s.roles.Iterator(); !it.Done(); {
		_, role, _ := it.Next()
		changes = append(changes, CreateRole{Definition: role.RoleDefinition, Recorded: true})
	}
	return changes
}

// grantNodes returns all grants in the order of their ids, which is that of their making.
func (s *Snapshot) grantNodes() []*grantNode {
	grants := make([]*grantNode, 0, s.grants.Len())
	for it := s.grants.Iterator(); !it.Done(); {
		_, node, _ := it.Next()
		grants = append(grants, node)
	}
	slices.SortFunc(grants, func(a, b *grantNode) int { return a.ID.Compare(b.ID) })
	return grants
}

// policyChanges returns the changes that write the policies, in the order of their ids.
func (s *Snapshot) policyChanges() (changes []Change) {
	policies := make([]*policyNode, 0, s.policies.Len())
	for it := s.policies.Iterator(); !it.Done(); {
		_, p, _ := it.Next()
		policies = append(policies, p)
	}
	slices.SortFunc(policies, func(a, b *policyNode) int { return a.ID.Compare(b.ID) })
	for _, p := range policies {
		changes = append(changes, PutPolicy{Policy: p.Policy})
	}
	return changes
}

// Under returns the snapshot under another catalogue. The error is a [*model.Violation] when the catalogue lacks something that
// is used.
func (s *Snapshot) Under(c *catalogue.Catalogue) (*Snapshot, error) {
	return New(c).With(s.revision, s.Changes()...)
}

// UsesService tells what of an organisation uses a service of the catalogue, as words; empty when nothing does.
func (s *Snapshot) UsesService(name string) string {
	service := s.catalogue.Service(name)
	if service == nil {
		return ""
	}
	use := ""
	s.scopes.each(func(n number) bool {
		if s.catalogue.TypeAt(s.scopes.get(n).typ).Service == name {
			use = "resource " + s.address(n)
		} else if more := s.scopes.get(n).more; more != nil && slices.Contains(more.offered, name) {
			use = "what is offered at " + s.address(n)
		}
		return use == ""
	})
	if use != "" {
		return use
	}
	words := []string{name}
	for _, t := range service.Types {
		words = append(words, t.Name)
		for _, o := range t.Operations {
			words = append(words, o.Name)
		}
	}
	shared := func(word string) bool { // another service knows it too
		_, isType := s.catalogue.Type(word)
		return word != name && !isType && slices.ContainsFunc(s.catalogue.Operations(), func(o catalogue.Operation) bool {
			return o.Name == word && o.Service != name
		})
	}
	uses := func(used []string) bool {
		return slices.ContainsFunc(used, func(word string) bool { return slices.Contains(words, word) && !shared(word) })
	}
	acting := s.principalNode(model.PlatformServiceID(name))
	if acting != nil && len(acting.rules)+len(acting.groups) > 0 {
		return "platform service " + name + ", which is given access"
	}
	for role := range s.Roles() {
		for _, f := range slices.Concat(role.Include, role.Exclude) {
			if role.Custom() && (uses(f.Services) || uses(f.Types) || uses(f.Operations)) {
				return "role " + role.Name
			}
		}
		if !role.Custom() && onlyOf(role.Permissions, s.catalogue, name) {
			if grants, statements := s.RoleUse(role.Name); len(grants)+len(statements) > 0 {
				return "role " + role.Name + ", which is granted"
			}
		}
	}
	for _, p := range s.Policies() {
		for _, st := range p.Statements {
			if uses(st.Things) || uses(st.Acts) {
				return "policy " + p.Name + " at " + s.Address(p.Scope)
			}
		}
	}
	return ""
}

func onlyOf(set catalogue.Set, c *catalogue.Catalogue, service string) bool {
	for p := range set.All {
		if c.Operation(p).Service != service {
			return false
		}
	}
	return true
}
