package access

import (
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/english"
)

// CreateGrant gives a role to a principal at a scope.
type CreateGrant struct {
	Grant    Grant `json:"grant"`
	Recorded bool  `json:"recorded,omitempty"` // it was made before, and a move may have put it where its role could not be granted today
}

// RevokeGrant takes one grant away and touches no other.
type RevokeGrant struct {
	ID model.ID `json:"id"`
}

// EditGrant gives a grant another condition and period; who holds which role where stays.
type EditGrant struct {
	Grant Grant `json:"grant"`
}

// CreateRole defines a custom role at a container.
type CreateRole struct {
	Definition catalogue.RoleDefinition
	Recorded   bool // it was defined before, and a move may have taken scopes out from beneath it under which it may be granted
}

// EditRole replaces the definition of a custom role; the scope it is defined at stays.
type EditRole struct{ Definition catalogue.RoleDefinition }

// RemoveRole removes a custom role that nothing uses.
type RemoveRole struct {
	Name string `json:"name"`
}

// PutPolicy writes a policy: a new one, or another text in place of one with the same id, at the same scope. A
// statement whose place is outside that scope is dormant.
type PutPolicy struct{ Policy statement.Policy }

// RemovePolicy takes a policy away, with all its statements.
type RemovePolicy struct {
	ID model.ID `json:"id"`
}

func (c CreateGrant) apply(d *draft) error {
	scope, ok := d.scopeNumber(c.Grant.Scope)
	holder, there := d.principalNumber(c.Grant.Principal)
	if !ok || !there {
		return model.Violationf(model.RuleUnknown, "the scope or the principal of the grant is not there")
	}
	if p := d.principals.Get(holder); p.Kind == model.OutsideGroup {
		return model.Violationf(model.RulePlacement, "%s is granted nothing itself: link it to a group, and grant to that", p.Name)
	}
	role, err := d.Role(c.Grant.Role)
	if err != nil {
		return err
	}
	if where := d.outside(role, scope); where != "" && !c.Recorded {
		return model.Violationf(model.RuleGrantable, "%s may be granted %s only: %s is not", role.Name, where, d.address(scope))
	}
	if _, ok := d.grants.Get(c.Grant.ID); ok || c.Grant.ID.IsZero() {
		return model.Violationf(model.RuleTaken, "the id %s is taken", c.Grant.ID)
	}
	if err := c.Grant.Period.Check(); err != nil {
		return err
	}
	if err := d.unlikeOthers(c.Grant, holder, scope); err != nil {
		return err
	}
	node := &grantNode{Grant: c.Grant, scope: scope, holder: holder}
	node.rule = ruleOf(node, role)
	more := d.editMore(scope)
	more.grants = append(more.grants, node)
	d.grants = d.grants.Set(c.Grant.ID, node)
	d.placeRule(node.rule)
	return nil
}

// unlikeOthers refuses a grant beside another one of the same role on the same terms.
func (d *draft) unlikeOthers(g Grant, holder, scope number) error {
	for _, r := range d.principals.Get(holder).rules {
		if r.grant != nil && r.grant.ID != g.ID && r.place == scope && r.grant.Role == g.Role && r.grant.sameTerms(g) {
			p := d.principals.Get(holder)
			return model.Violationf(model.RuleSame, "%s %s already holds %s at %s", p.Kind, p.Name, g.Role, d.address(scope))
		}
	}
	return nil
}

// sameTerms reports whether two grants hold under the same condition and in the same period.
func (g Grant) sameTerms(other Grant) bool {
	return g.Condition.String() == other.Condition.String() && g.From.Equal(other.From) && g.Until.Equal(other.Until)
}

func ruleOf(g *grantNode, role *catalogue.Role) *rule {
	return &rule{
		ref: RuleRef{Grant: g.ID}, grant: g, place: g.scope, set: g.scope, who: []number{g.holder},
		permissions: role.Permissions, condition: g.Condition, period: g.Period,
	}
}

func (c RevokeGrant) apply(d *draft) error {
	node, ok := d.grants.Get(c.ID)
	if !ok {
		return model.Violationf(model.RuleUnknown, "there is no grant %s", c.ID)
	}
	more := d.editMore(node.scope)
	more.grants = without(more.grants, node)
	d.grants = d.grants.Delete(c.ID)
	d.unplaceRule(node.rule)
	d.tookAway = true
	return nil
}

func (c EditGrant) apply(d *draft) error {
	was, ok := d.grants.Get(c.Grant.ID)
	if !ok {
		return model.Violationf(model.RuleUnknown, "there is no grant %s", c.Grant.ID)
	}
	if was.Scope != c.Grant.Scope || was.Principal != c.Grant.Principal || was.Role != c.Grant.Role {
		return model.Violationf(model.RuleSame, "an edit cannot change who holds which role where: revoke grant %s, and create another", c.Grant.ID)
	}
	if err := c.Grant.Period.Check(); err != nil {
		return err
	}
	if err := d.unlikeOthers(c.Grant, was.holder, was.scope); err != nil {
		return err
	}
	role, err := d.Role(c.Grant.Role)
	if err != nil {
		return err
	}
	node := &grantNode{Grant: c.Grant, scope: was.scope, holder: was.holder}
	node.rule = ruleOf(node, role)
	more := d.editMore(was.scope)
	more.grants = append(without(more.grants, was), node)
	d.grants = d.grants.Set(c.Grant.ID, node)
	d.unplaceRule(was.rule)
	d.placeRule(node.rule)
	d.tookAway = true
	return nil
}

// placeRule makes a rule count.
func (d *draft) placeRule(r *rule) {
	more := d.editMore(r.place)
	more.placed = append(more.placed, r)
	for _, n := range r.names() {
		p := d.editPrincipal(n)
		p.rules = append(p.rules, r)
	}
	d.markRules(r.place)
}

// unplaceRule makes a rule that counted count no more.
func (d *draft) unplaceRule(r *rule) {
	more := d.editMore(r.place)
	more.placed = without(more.placed, r)
	for _, n := range r.names() {
		p := d.editPrincipal(n)
		p.rules = without(p.rules, r)
	}
	d.markRules(r.place)
}

func (d *draft) markRules(n number) {
	if d.dirtyRules == nil {
		d.dirtyRules = map[number]struct{}{}
	}
	d.dirtyRules[n] = struct{}{}
}

// exchange puts a rule in the place of another that names the same principals at the same scope.
func (d *draft) exchange(old, fresh *rule) {
	swap := func(list []*rule) []*rule {
		list = slices.Clone(list)
		if at := slices.Index(list, old); at >= 0 {
			list[at] = fresh
		}
		return list
	}
	more := d.editMore(old.place)
	more.placed = swap(more.placed)
	for _, n := range old.names() {
		p := d.editPrincipal(n)
		p.rules = swap(p.rules)
	}
	d.markRules(old.place)
}

func (c CreateRole) apply(d *draft) error {
	var moved []model.ID
	if c.Recorded {
		moved = c.Definition.Under
	}
	role, err := d.defineRole(c.Definition, moved)
	if err != nil {
		return err
	}
	if _, err := d.Role(role.Name); err == nil {
		return model.Violationf(model.RuleTaken, "there is already a role called %s: choose another name", role.Name)
	}
	d.roles = d.roles.Set(role.Name, role)
	return nil
}

// defineRole makes a role from its definition and checks it. Of the scopes under which it may be granted those that it had before
// may have been moved elsewhere.
func (d *draft) defineRole(def catalogue.RoleDefinition, before []model.ID) (*catalogue.Role, error) {
	at, ok := d.scopeNumber(def.Scope)
	if !ok {
		return nil, model.Violationf(model.RuleUnknown, "the scope that role %s should be defined at is not there", def.Name)
	}
	if !d.catalogue.TypeAt(d.scopes.get(at).typ).IsContainer() {
		return nil, model.Violationf(model.RulePlacement, "a role is defined at a container, not at a resource")
	}
	for _, id := range def.Under {
		under, ok := d.scopeNumber(id)
		if !ok {
			return nil, model.Violationf(model.RuleUnknown, "a scope under which role %s may be granted is not there", def.Name)
		}
		if !d.isAtOrBeneath(under, at) && !slices.Contains(before, id) {
			return nil, model.Violationf(model.RuleGrantable, "%s cannot be granted under %s: it can be granted only at and below %s", def.Name, d.address(under), d.address(at))
		}
	}
	return d.catalogue.Define(def)
}

func (c EditRole) apply(d *draft) error {
	was, ok := d.roles.Get(c.Definition.Name)
	if !ok {
		return d.noCustomRole(c.Definition.Name)
	}
	c.Definition.Scope = was.Scope
	role, err := d.defineRole(c.Definition, was.Under)
	if err != nil {
		return err
	}
	d.roles = d.roles.Set(role.Name, role)
	d.tookAway = true
	if same(was.Permissions, role.Permissions) {
		return nil
	}
	for it := d.grants.Iterator(); !it.Done(); {
		_, node, _ := it.Next()
		if node.Role != role.Name {
			continue
		}
		fresh := *node
		fresh.rule = ruleOf(&fresh, role)
		more := d.editMore(node.scope)
		more.grants = slices.Clone(more.grants)
		more.grants[slices.Index(more.grants, node)] = &fresh
		d.grants = d.grants.Set(node.ID, &fresh)
		d.exchange(node.rule, fresh.rule)
	}
	return d.recompilePolicies(role.Name)
}

// recompilePolicies makes the rules of statements that name a role anew.
func (d *draft) recompilePolicies(role string) error {
	for it := d.policies.Iterator(); !it.Done(); {
		_, p, _ := it.Next()
		if !slices.ContainsFunc(p.Statements, func(st statement.Statement) bool { return slices.Contains(st.Roles, role) }) {
			continue
		}
		if err := (PutPolicy{Policy: p.Policy}).apply(d); err != nil {
			return err
		}
	}
	return nil
}

func (d *draft) noCustomRole(name string) error {
	if _, err := d.catalogue.Role(name); err == nil {
		return model.Violationf(model.RulePlacement, "%s is a built-in role: create a role of your own instead", name)
	}
	var known []string
	for it := d.roles.Iterator(); !it.Done(); {
		custom, _, _ := it.Next()
		known = append(known, custom)
	}
	v := model.Violationf(model.RuleUnknown, "there is no custom role %q", name)
	v.Nearest = english.Nearest(name, known)
	return v
}

func (c RemoveRole) apply(d *draft) error {
	if _, ok := d.roles.Get(c.Name); !ok {
		return d.noCustomRole(c.Name)
	}
	if grants, statements := d.RoleUse(c.Name); len(grants)+len(statements) > 0 {
		return model.Violationf(model.RuleInUse, "%s is used by %s and %s: revoke or edit these first, or delete the role with its grants", c.Name,
			english.Count(len(grants), "grant"), english.Count(len(statements), "statement"))
	}
	d.roles = d.roles.Delete(c.Name)
	return nil
}

func (c PutPolicy) apply(d *draft) error {
	p := c.Policy
	if err := model.CheckName(p.Name); err != nil {
		return err
	}
	scope, ok := d.scopeNumber(p.Scope)
	if !ok || p.ID.IsZero() {
		return model.Violationf(model.RuleUnknown, "the scope of the policy is not there")
	}
	if !d.catalogue.TypeAt(d.scopes.get(scope).typ).IsContainer() {
		return model.Violationf(model.RulePlacement, "%s is a resource: put the policy at a container, and name the resource as its place", d.address(scope))
	}
	if more := d.scopes.get(scope).more; more != nil {
		for _, other := range more.policies {
			if other.Name == p.Name && other.ID != p.ID {
				return model.Violationf(model.RuleTaken, "%s already has a policy called %s: choose another name", d.address(scope), p.Name)
			}
		}
	}
	node := &policyNode{Policy: p, scope: scope}
	rules, err := d.compile(node)
	if err != nil {
		return err
	}
	node.rules = rules
	was, replaces := d.policies.Get(p.ID)
	more := d.editMore(scope)
	if replaces {
		if was.scope != scope {
			return model.Violationf(model.RulePlacement, "a policy cannot be moved: create another one at %s", d.address(scope))
		}
		d.unplacePolicy(was)
		more = d.editMore(scope)
		more.policies = slices.Clone(more.policies)
		more.policies[slices.Index(more.policies, was)] = node
	} else {
		more.policies = append(more.policies, node)
	}
	if p.Suspended {
		d.suspended++
	}
	d.policies = d.policies.Set(p.ID, node)
	for _, r := range rules {
		if d.isAtOrBeneath(r.place, scope) {
			d.placeRule(r)
		} else {
			d.dormant = d.dormant.Set(r, true)
		}
	}
	d.tookAway = true
	return nil
}

func (d *draft) unplacePolicy(p *policyNode) {
	if p.Suspended {
		d.suspended--
	}
	for _, r := range p.rules {
		if _, dormant := d.dormant.Get(r); dormant {
			d.dormant = d.dormant.Delete(r)
		} else {
			d.unplaceRule(r)
		}
	}
}

func (c RemovePolicy) apply(d *draft) error {
	p, ok := d.policies.Get(c.ID)
	if !ok {
		return model.Violationf(model.RuleUnknown, "there is no policy %s", c.ID)
	}
	d.unplacePolicy(p)
	more := d.editMore(p.scope)
	more.policies = without(more.policies, p)
	d.policies = d.policies.Delete(c.ID)
	d.tookAway = true
	return nil
}

// What each change of rules touches: those whom its rules name. A role by itself gives nobody anything.

func (c CreateGrant) touches(of *comparison) { of.takeRule(of.after, RuleRef{Grant: c.Grant.ID}) }
func (c RevokeGrant) touches(of *comparison) { of.takeRule(of.before, RuleRef{Grant: c.ID}) }
func (c EditGrant) touches(of *comparison) {
	of.takeRule(of.before, RuleRef{Grant: c.Grant.ID})
	of.takeRule(of.after, RuleRef{Grant: c.Grant.ID})
}
func (c PutPolicy) touches(of *comparison)    { of.takePolicy(c.Policy.ID) }
func (c RemovePolicy) touches(of *comparison) { of.takePolicy(c.ID) }
func (c EditRole) touches(of *comparison)     { of.takeRole(c.Definition.Name) }
func (CreateRole) touches(*comparison)        {}
func (RemoveRole) touches(*comparison)        {}
