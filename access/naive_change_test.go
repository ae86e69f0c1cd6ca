package access_test

import (
	"maps"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// allows reports whether a change keeps the rules.
func (n *naive) allows(c *catalogue.Catalogue, change access.Change) bool {
	switch ch := change.(type) {
	case access.CreateScope:
		return n.allowsScope(c, ch.Scope)
	case access.MoveScope:
		return n.allowsMove(c, ch) && n.staysGoverned(c, change)
	case access.OfferServices:
		return n.allowsOffer(c, ch)
	case access.RenameScope:
		s := n.scope(ch.ID)
		return s.Name != ch.Name && !slices.ContainsFunc(n.scopes, func(o model.Scope) bool {
			return o.Parent == s.Parent && o.Name == ch.Name && o.Type == s.Type && o.ID != s.ID
		})
	case access.TagScope:
		return n.staysGoverned(c, change)
	case access.TagPrincipal:
		kind := n.principal(ch.ID).Kind
		return kind != model.BuiltInSet && kind != model.PlatformService && kind != model.OutsideGroup && n.staysGoverned(c, change)
	case access.RetireScope:
		s := n.scope(ch.ID)
		return s.Kind != model.Organisation && !s.Retired && n.staysGoverned(c, change)
	case access.RestoreScope:
		s := n.scope(ch.ID)
		return s.Kind != model.Organisation && s.Retired && n.staysGoverned(c, change)
	case access.CreatePrincipal:
		return !slices.ContainsFunc(n.people, func(p access.Principal) bool {
			return p.ID == ch.Principal.ID || p.Kind == model.OutsidePerson && ch.Principal.Kind == p.Kind && p.Provider == ch.Principal.Provider && p.Subject == ch.Principal.Subject || p.Kind == ch.Principal.Kind && p.Name == ch.Principal.Name && p.Home == ch.Principal.Home
		}) && (ch.Principal.Kind != model.ServiceAccount || n.scope(ch.Principal.Home).Kind != model.Resource)
	case access.RenamePrincipal:
		p := n.principal(ch.ID)
		return p.Kind != model.BuiltInSet && p.Kind != model.PlatformService && p.Kind != model.Provider && p.Kind != model.OutsidePerson && p.Kind != model.OutsideGroup && p.Name != ch.Name &&
			strings.Contains(ch.Name, "@") == (p.Kind == model.Guest) && n.staysGoverned(c, change) &&
			!slices.ContainsFunc(n.people, func(o access.Principal) bool { return o.Kind == p.Kind && o.Name == ch.Name && o.Home == p.Home })
	case access.SetGathers:
		p := n.principal(ch.Group)
		return p.Gathers != nil && n.staysGoverned(c, change)
	case access.SetOwner:
		p, owner := n.principal(ch.Group), n.principal(ch.Owner)
		return p.Kind == model.Group && p.Owner != ch.Owner && owner.Kind != model.BuiltInSet && owner.Kind != model.PlatformService && owner.Kind != model.Provider && owner.Kind != model.OutsideGroup
	case access.SetClaims:
		p := n.principal(ch.ID)
		return p.Kind == model.OutsidePerson && (p.Claims == nil || !maps.EqualFunc(p.Claims, ch.Claims, slices.Equal)) && n.staysGoverned(c, change)
	case access.SetInactive:
		p := n.principal(ch.ID)
		return p.Kind != model.BuiltInSet && p.Kind != model.PlatformService && p.Kind != model.OutsideGroup && p.Inactive != ch.Inactive && n.staysGoverned(c, change)
	case access.AddMember:
		m := ch.Membership
		group, member := n.principal(m.Group), n.principal(m.Member)
		if group.Kind == model.OutsideGroup && (group.Pattern || member.Kind != model.OutsidePerson || member.Provider != group.Provider) {
			return false
		}
		return group.Kind.IsGroup() && group.Gathers == nil && member.Kind != model.BuiltInSet && member.Kind != model.PlatformService && member.Kind != model.Provider && !slices.Contains(n.members, m) && m.Group != m.Member &&
			!n.inside(m.Group, m.Member) && n.staysGoverned(c, change)
	case access.RemoveMember:
		return slices.Contains(n.members, ch.Membership) && n.staysGoverned(c, change)
	case access.CreateGrant:
		return n.allowsGrant(c, ch.Grant)
	case access.RevokeGrant:
		there := slices.ContainsFunc(n.grants, func(g access.Grant) bool { return g.ID == ch.ID })
		return there && n.staysGoverned(c, change)
	case access.EditGrant:
		at := slices.IndexFunc(n.grants, func(g access.Grant) bool { return g.ID == ch.Grant.ID })
		if at < 0 {
			return false
		}
		return n.unlikeOthers(ch.Grant) && ch.Grant.Period.Check() == nil && n.staysGoverned(c, change)
	case access.CreateRole:
		_, err := c.Role(ch.Definition.Name)
		return err != nil && n.custom(ch.Definition.Name) == nil && n.allowsRole(c, ch.Definition)
	case access.EditRole:
		was := n.custom(ch.Definition.Name)
		ch.Definition.Scope = was.Scope
		return n.allowsRole(c, ch.Definition) && n.staysGoverned(c, change)
	case access.PutPolicy:
		return n.scope(ch.Policy.Scope).Kind != model.Resource && n.staysGoverned(c, change)
	case access.RemovePolicy:
		there := slices.ContainsFunc(n.policies, func(p statement.Policy) bool { return p.ID == ch.ID })
		return there && n.staysGoverned(c, change)
	}
	panic("a change the reference does not know")
}

func (n *naive) custom(name string) *catalogue.RoleDefinition {
	for i := range n.roles {
		if n.roles[i].Name == name {
			return &n.roles[i]
		}
	}
	return nil
}

func (n *naive) allowsRole(c *catalogue.Catalogue, def catalogue.RoleDefinition) bool {
	for i := range c.Permissions() {
		if o := c.Operation(catalogue.Permission(i)); picked(def.Include, o) && !picked(def.Exclude, o) {
			return n.scope(def.Scope).Kind != model.Resource
		}
	}
	return false
}

func (n *naive) allowsGrant(c *catalogue.Catalogue, g access.Grant) bool {
	if n.role(c, g.Role) == nil || n.principal(g.Principal).Kind == model.OutsideGroup || !g.From.IsZero() && !g.Until.IsZero() && !g.From.Before(g.Until) {
		return false
	}
	if def := n.custom(g.Role); def != nil && !n.isUnder(g.Scope, def.Scope) {
		return false
	}
	return n.unlikeOthers(g) && !slices.ContainsFunc(n.grants, func(o access.Grant) bool { return o.ID == g.ID })
}

func (n *naive) unlikeOthers(g access.Grant) bool {
	return !slices.ContainsFunc(n.grants, func(o access.Grant) bool {
		return o.ID != g.ID && o.Scope == g.Scope && o.Principal == g.Principal && o.Role == g.Role &&
			o.From.Equal(g.From) && o.Until.Equal(g.Until) && o.Condition.String() == g.Condition.String()
	})
}

func (n *naive) allowsScope(c *catalogue.Catalogue, s model.Scope) bool {
	parent := n.scope(s.Parent)
	if parent == nil {
		return s.Kind == model.Organisation && len(n.scopes) == 0
	}
	return n.fits(c, s, *parent, 1) && n.offers(c, parent.ID, s) && !slices.ContainsFunc(n.scopes, func(o model.Scope) bool { return o.ID == s.ID })
}

// fits reports whether a scope, so many containers high, may sit in another.
func (n *naive) fits(c *catalogue.Catalogue, s, parent model.Scope, high int) bool {
	t, ok := c.Type(s.TypeName())
	if !ok || !t.Registered || s.Kind == model.Organisation || !slices.Contains(t.Parents, parent.TypeName()) || n.retired(parent.ID) {
		return false
	}
	for _, above := range n.upward(parent.ID) {
		if above.Kind != model.Resource {
			high++
		}
	}
	if s.Kind != model.Resource && high > model.MaxDepth {
		return false
	}
	return !slices.ContainsFunc(n.scopes, func(o model.Scope) bool { return o.Parent == parent.ID && o.FullName() == s.FullName() })
}

func (n *naive) allowsMove(c *catalogue.Catalogue, m access.MoveScope) bool {
	s := n.scope(m.ID)
	if s.Kind == model.Organisation || s.Parent == m.Parent || n.isUnder(m.Parent, m.ID) {
		return false
	}
	high := 0
	for _, o := range n.scopes {
		if o.Kind != model.Resource && n.isUnder(o.ID, m.ID) {
			containers := 0
			for _, above := range n.upward(o.ID) {
				if above.Kind != model.Resource && n.isUnder(above.ID, m.ID) {
					containers++
				}
			}
			high = max(high, containers)
		}
	}
	return n.fits(c, *s, *n.scope(m.Parent), high) && !slices.ContainsFunc(n.scopes, func(o model.Scope) bool {
		return n.isUnder(o.ID, m.ID) && !n.offers(c, m.Parent, o)
	})
}

// offers reports whether the services offered at a scope let something be beneath it.
func (n *naive) offers(c *catalogue.Catalogue, at model.ID, s model.Scope) bool {
	if s.Kind != model.Resource {
		return true
	}
	t, _ := c.Type(s.TypeName())
	return n.offersService(at, t.Service)
}

func (n *naive) offersService(at model.ID, service string) bool {
	return !slices.ContainsFunc(n.upward(at), func(above model.Scope) bool {
		return above.Offered != nil && !slices.Contains(above.Offered, service)
	})
}

// allowsOffer reports whether services may be offered at a scope: none that is not offered above, all that are in use beneath.
func (n *naive) allowsOffer(c *catalogue.Catalogue, o access.OfferServices) bool {
	at := n.scope(o.ID)
	if at.Kind == model.Resource || o.Services == nil {
		return at.Kind != model.Resource
	}
	if slices.ContainsFunc(o.Services, func(name string) bool { return at.Kind != model.Organisation && !n.offersService(at.Parent, name) }) {
		return false
	}
	return !slices.ContainsFunc(n.scopes, func(s model.Scope) bool {
		t, _ := c.Type(s.TypeName())
		return s.Kind == model.Resource && n.isUnder(s.ID, o.ID) && !slices.Contains(o.Services, t.Service)
	})
}

// staysGoverned reports whether, after a change, somebody active can do for certain what governing takes, wherever somebody
// could before.
func (n *naive) staysGoverned(c *catalogue.Catalogue, change access.Change) bool {
	for _, text := range []string{"create grant", "revoke grant", "edit policy", "retire policy"} {
		o := c.Operation(c.MustPermission(text))
		if n.governed(c, o) && !n.after(change).governed(c, o) {
			return false
		}
	}
	return true
}

// governed reports whether at every scope, and beneath it, somebody active holds a permission for certain by a rule of the top.
func (n *naive) governed(c *catalogue.Catalogue, o catalogue.Operation) bool {
	local := &access.Context{}
	top := n.scopes[0].ID
	atTop := slices.DeleteFunc(slices.Clone(n.people), func(u access.Principal) bool {
		return u.Kind != model.User || u.Inactive || !slices.ContainsFunc(n.grants, func(g access.Grant) bool { return g.Scope == top && n.is(u.ID, g.Principal) }) &&
			!slices.ContainsFunc(n.policies, func(p statement.Policy) bool {
				return slices.ContainsFunc(p.Statements, func(st statement.Statement) bool {
					return st.Place == top && st.Modal == statement.May && n.namedBy(u, st.Who, &access.Context{Anybody: true}, false, false) != triNo
				})
			})
	})
	for _, s := range n.scopes {
		for _, scope := range []*model.Scope{&s, nil} {
			if !slices.ContainsFunc(atTop, func(u access.Principal) bool { return n.holds(c, u, o, s.ID, scope, local, false) }) {
				return false
			}
		}
	}
	return true
}

// after returns the reference after a change that keeps the rules.
func (n *naive) after(change access.Change) *naive {
	next := newNaive()
	next.scopes, next.people, next.members = slices.Clone(n.scopes), slices.Clone(n.people), slices.Clone(n.members)
	next.grants, next.policies, next.roles, next.terms = slices.Clone(n.grants), slices.Clone(n.policies), slices.Clone(n.roles), n.terms
	// While it is being altered nothing is to be remembered.
	defer func() {
		next.paths, next.known, next.resting = map[model.ID][]model.Scope{}, map[[2]model.ID]bool{}, map[[2]model.ID]bool{}
	}()
	switch ch := change.(type) {
	case access.CreateScope:
		next.scopes = append(next.scopes, ch.Scope)
	case access.RenameScope:
		s := next.scope(ch.ID)
		if s.Kind == model.Organisation {
			others := slices.DeleteFunc(append(slices.Clone(s.Formerly), s.Name), func(name string) bool { return name == ch.Name })
			s.Formerly = slices.Sorted(slices.Values(others))
		}
		s.Name = ch.Name
	case access.OfferServices:
		next.scope(ch.ID).Offered = ch.Services
	case access.MoveScope:
		next.scope(ch.ID).Parent = ch.Parent
	case access.TagScope:
		next.scope(ch.ID).Tags = ch.Tags
	case access.RetireScope:
		next.scope(ch.ID).Retired = true
	case access.RestoreScope:
		next.scope(ch.ID).Retired = false
	case access.CreatePrincipal:
		next.people = append(next.people, ch.Principal)
	case access.TagPrincipal:
		next.principal(ch.ID).Tags = ch.Tags
	case access.RenamePrincipal:
		next.principal(ch.ID).Name = ch.Name
	case access.SetGathers:
		next.principal(ch.Group).Gathers = ch.Condition
	case access.SetOwner:
		next.principal(ch.Group).Owner = ch.Owner
	case access.SetClaims:
		next.principal(ch.ID).Claims = ch.Claims
	case access.SetInactive:
		next.principal(ch.ID).Inactive = ch.Inactive
	case access.AddMember:
		next.members = append(next.members, ch.Membership)
	case access.RemoveMember:
		next.members = slices.DeleteFunc(next.members, func(m access.Membership) bool { return m == ch.Membership })
	case access.CreateGrant:
		next.grants = append(next.grants, ch.Grant)
	case access.RevokeGrant:
		next.grants = slices.DeleteFunc(next.grants, func(g access.Grant) bool { return g.ID == ch.ID })
	case access.EditGrant:
		at := slices.IndexFunc(next.grants, func(g access.Grant) bool { return g.ID == ch.Grant.ID })
		next.grants = slices.Clone(next.grants)
		next.grants[at] = ch.Grant
	case access.CreateRole:
		next.roles = append(next.roles, ch.Definition)
	case access.EditRole:
		scope := next.custom(ch.Definition.Name).Scope
		*next.custom(ch.Definition.Name) = ch.Definition
		next.custom(ch.Definition.Name).Scope = scope
	case access.PutPolicy:
		next.policies = append(slices.DeleteFunc(next.policies, func(p statement.Policy) bool { return p.ID == ch.Policy.ID }), ch.Policy)
	case access.RemovePolicy:
		next.policies = slices.DeleteFunc(next.policies, func(p statement.Policy) bool { return p.ID == ch.ID })
	default:
		panic("a change the reference does not know")
	}
	return next
}
