package access

import (
	"maps"
	"slices"
	"strings"

	"arbora.example/access/catalogue"
	"arbora.example/access/internal/persist"
	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// CreateScope puts a scope into the tree; the first must be the organisation.
type CreateScope struct {
	Scope model.Scope `json:"scope"`
}

// RenameScope gives a scope another name. A resource keeps its type.
type RenameScope struct {
	ID   model.ID `json:"id"`
	Name string   `json:"name"`
}

// MoveScope puts a scope, with all beneath it, into another.
type MoveScope struct {
	ID     model.ID `json:"id"`
	Parent model.ID `json:"parent"`
}

// TagScope replaces the tags of a scope.
type TagScope struct {
	ID   model.ID          `json:"id"`
	Tags map[string]string `json:"tags"`
}

// OfferServices names the services offered beneath a container; nil narrows nothing.
type OfferServices struct {
	ID       model.ID `json:"id"`
	Services []string `json:"services"`
}

// RetireScope takes a scope, and with it all beneath, out of use.
type RetireScope struct {
	ID model.ID `json:"id"`
}

// RestoreScope puts a retired scope into use again, as it was.
type RestoreScope struct {
	ID model.ID `json:"id"`
}

func (c CreateScope) apply(d *draft) error {
	scope := c.Scope
	if err := model.CheckName(scope.Name); err != nil {
		return err
	}
	if _, ok := d.scopeNumber(scope.ID); ok || scope.ID.IsZero() {
		return model.Violationf(model.RuleTaken, "the id %s is taken", scope.ID)
	}
	typ, ok := d.catalogue.Type(scope.TypeName())
	if !ok || !typ.Registered || typ.Kind() != scope.Kind {
		return d.unknownType(scope.TypeName())
	}
	if scope.Kind == model.Organisation {
		if d.scopes.len() != 0 {
			return model.Violationf(model.RulePlacement, "an organisation is the top: it cannot be in anything")
		}
		n := d.addScope(scope, typ, 0)
		d.markAncestry(n)
		return d.describeScope(n, scope)
	}
	above, ok := d.scopeNumber(scope.Parent)
	if !ok {
		return model.Violationf(model.RuleUnknown, "the scope that should hold %s is not there", scope.FullName())
	}
	if err := d.mayEnter(above, typ, scope.FullName(), 1, 1); err != nil {
		return err
	}
	if offered := d.offeredAt(above); offered != nil && !slices.Contains(offered, typ.Service) && !typ.IsContainer() {
		return d.notOffered(typ, above, offered)
	}
	n := d.addScope(scope, typ, above)
	if err := d.enter(n, above); err != nil {
		return err
	}
	d.markAncestry(n)
	return d.describeScope(n, scope)
}

func (d *draft) addScope(scope model.Scope, typ *catalogue.Type, parent number) number {
	n, node := d.scopes.append(d.owner, typ.IsContainer())
	node.id, node.name, node.parent, node.typ, node.retired = scope.ID, scope.FullName(), parent, typ.Index(), scope.Retired
	d.scopeIndex.Add(d.owner, scope.ID, n, homeOf(n, parent))
	return n
}

// homeOf returns the container that a scope is, or is directly in.
func homeOf(n, parent number) number {
	switch {
	case n&resourceBit == 0:
		return n
	case parent&resourceBit == 0:
		return parent
	}
	return persist.Homeless
}

// describeScope enters what only some scopes have.
func (d *draft) describeScope(n number, scope model.Scope) error {
	if len(scope.Tags) > 0 {
		if err := (TagScope{ID: scope.ID, Tags: scope.Tags}).apply(d); err != nil {
			return err
		}
	}
	if scope.Kind == model.Organisation {
		d.formerly = slices.Clone(scope.Formerly)
	}
	if scope.Offered == nil {
		return nil
	}
	// What is offered may be wider than what is offered above: it was narrowed there since, or the scope was moved.
	offered, err := d.knownServices(scope.Offered)
	if err == nil {
		d.setOffered(n, offered)
	}
	return err
}

// mayEnter checks that something may be put into a scope: its kind, and how many containers and scopes it is high. Its name
// is checked when it enters.
func (d *draft) mayEnter(above number, typ *catalogue.Type, fullName string, containers, levels int) error {
	parent := d.scopes.get(above)
	parentType := d.catalogue.TypeAt(parent.typ)
	if !d.catalogue.MayHold(parentType, typ) {
		return model.Violationf(model.RulePlacement, "%s cannot be in %s: %s", english.WithArticle(typ.Name), english.WithArticle(parentType.Name), d.catalogue.PlacementRule(typ))
	}
	for up := d.upward(above); up.next(); levels++ {
		if up.node.retired {
			return model.Violationf(model.RuleRetired, "%s is retired: restore it before you put anything into it", d.address(up.number))
		}
		if d.catalogue.TypeAt(up.node.typ).IsContainer() {
			containers++
		}
	}
	if typ.IsContainer() && containers > model.MaxDepth {
		return model.Violationf(model.RuleDepth, "%s would be %d containers deep: at most %d are allowed", fullName, containers, model.MaxDepth)
	}
	if levels > model.MaxLevels {
		return model.Violationf(model.RuleDepth, "%s would be %d scopes deep: at most %d are allowed", fullName, levels, model.MaxLevels)
	}
	return nil
}

// enter lists a scope among the children of its parent. The error is that the name is taken.
func (d *draft) enter(n, above number) error {
	container := d.catalogue.TypeAt(d.scopes.get(n).typ).IsContainer()
	first := d.scopes.get(above).more == nil || d.scopes.get(above).more.resources.Len() == 0
	more := d.editMore(above)
	among := &more.resources
	if container {
		among = &more.containers
	}
	var added bool
	if *among, added = (*among).Add(d.owner, n, d.scopeName); !added {
		return d.taken(above, d.scopeName(n))
	}
	if container {
		return nil
	}
	if !d.catalogue.TypeAt(d.scopes.get(above).typ).IsContainer() && first {
		grand := d.editMore(d.scopes.get(above).parent)
		grand.bearing = append(grand.bearing, above)
	}
	if own := d.scopes.get(n).more; own != nil && own.resources.Len() > 0 {
		more = d.editMore(above)
		more.bearing = append(more.bearing, n)
	}
	return nil
}

// leave takes a scope off the children of its parent.
func (d *draft) leave(n number) {
	above := d.scopes.get(n).parent
	more := d.editMore(above)
	if d.catalogue.TypeAt(d.scopes.get(n).typ).IsContainer() {
		more.containers = more.containers.Remove(d.owner, n, d.scopeName)
		return
	}
	more.resources = more.resources.Remove(d.owner, n, d.scopeName)
	more.bearing = without(more.bearing, n)
	if !d.catalogue.TypeAt(d.scopes.get(above).typ).IsContainer() && more.resources.Len() == 0 {
		grand := d.editMore(d.scopes.get(above).parent)
		grand.bearing = without(grand.bearing, above)
	}
}

func (c RenameScope) apply(d *draft) error {
	n, ok := d.scopeNumber(c.ID)
	if !ok {
		return model.Violationf(model.RuleUnknown, "the scope is not there")
	}
	if err := model.CheckName(c.Name); err != nil {
		return err
	}
	scope := d.scopeAt(n)
	scope.Name = c.Name
	full := scope.FullName()
	if full == d.scopeName(n) {
		return model.Violationf(model.RuleSame, "%s is called that already", d.address(n))
	}
	if scope.Kind == model.Organisation {
		d.formerly = slices.Sorted(slices.Values(append(without(d.formerly, full), d.scopeName(n))))
		d.editScope(n).name = full
		return nil
	}
	above := d.scopes.get(n).parent
	if _, taken := d.child(above, full); taken {
		return d.taken(above, full)
	}
	d.leave(n)
	d.editScope(n).name = full
	return d.enter(n, above)
}

func (c MoveScope) apply(d *draft) error {
	n, ok := d.scopeNumber(c.ID)
	above, there := d.scopeNumber(c.Parent)
	if !ok || !there {
		return model.Violationf(model.RuleUnknown, "the scope to move, or the one to move it into, is not there")
	}
	node := d.scopes.get(n)
	typ := d.catalogue.TypeAt(node.typ)
	switch {
	case typ.Kind() == model.Organisation:
		return model.Violationf(model.RulePlacement, "an organisation is the top: it cannot be moved")
	case node.parent == above:
		return model.Violationf(model.RuleSame, "%s is in %s already", d.scopeName(n), d.address(above))
	case d.isAtOrBeneath(above, n):
		return model.Violationf(model.RuleCycle, "%s cannot go into %s: that is in it", d.address(n), d.address(above))
	}
	containers, levels := d.height(n)
	if err := d.mayEnter(above, typ, node.name, containers, levels); err != nil {
		return err
	}
	if offered := d.offeredAt(above); offered != nil {
		if kept := d.firstNotOffered(n, offered); kept != nil {
			return d.notOffered(kept, above, offered)
		}
	}
	was := d.scopes.get(n).parent
	d.leave(n)
	d.editScope(n).parent = above
	if err := d.enter(n, above); err != nil {
		return err
	}
	d.scopeIndex.Rehome(d.owner, c.ID, n, homeOf(n, above))
	d.markAncestry(n)
	d.rebind(n, was)
	d.tookAway = true
	return nil
}

// height counts how many containers, and how many scopes, stand beneath one another from a scope down, itself counted.
func (s *Snapshot) height(n number) (containers, levels int) {
	node := s.scopes.get(n)
	if node.more != nil {
		visit := func(child number) bool {
			c, l := s.height(child)
			containers, levels = max(containers, c), max(levels, l)
			return true
		}
		node.more.containers.From("", s.scopeName, visit)
		for _, resource := range node.more.bearing {
			visit(resource)
		}
		if node.more.resources.Len() > 0 {
			levels = max(levels, 1)
		}
	}
	if s.catalogue.TypeAt(node.typ).IsContainer() {
		containers++
	}
	return containers, levels + 1
}

// rebind wakes and lays to rest the statements that a move has brought under their policy's scope, or out of it.
func (d *draft) rebind(moved, was number) {
	var asleep, awake []*rule
	for it := d.dormant.Iterator(); !it.Done(); {
		if r, _, _ := it.Next(); d.isAtOrBeneath(r.place, r.set) {
			awake = append(awake, r)
		}
	}
	for up := d.upward(was); up.next(); {
		if up.node.more == nil {
			continue
		}
		for _, p := range up.node.more.policies {
			for _, r := range p.rules {
				if d.isAtOrBeneath(r.place, moved) && !d.isAtOrBeneath(r.place, r.set) {
					asleep = append(asleep, r)
				}
			}
		}
	}
	for _, r := range awake {
		d.dormant = d.dormant.Delete(r)
		d.placeRule(r)
	}
	for _, r := range asleep {
		d.unplaceRule(r)
		d.dormant = d.dormant.Set(r, true)
	}
}

func (c TagScope) apply(d *draft) error {
	n, ok := d.scopeNumber(c.ID)
	if !ok {
		return model.Violationf(model.RuleUnknown, "the scope is not there")
	}
	if err := checkTags(c.Tags); err != nil {
		return err
	}
	d.editMore(n).tags = maps.Clone(c.Tags)
	d.tookAway = true
	return nil
}

func (c OfferServices) apply(d *draft) error {
	n, ok := d.scopeNumber(c.ID)
	if !ok {
		return model.Violationf(model.RuleUnknown, "the scope is not there")
	}
	typ := d.catalogue.TypeAt(d.scopes.get(n).typ)
	if !typ.IsContainer() {
		return model.Violationf(model.RulePlacement, "%s is a resource: only containers can offer services", d.address(n))
	}
	if c.Services == nil {
		d.setOffered(n, nil)
		return nil
	}
	offered, err := d.knownServices(c.Services)
	if err != nil {
		return err
	}
	if typ.Kind() != model.Organisation {
		above := d.scopes.get(n).parent
		if wider := d.offeredAt(above); wider != nil {
			for _, name := range offered {
				if !slices.Contains(wider, name) {
					return model.Violationf(model.RuleOffered, "%s is not offered at %s: scopes below can offer fewer services, never more", name, d.address(above))
				}
			}
		}
	}
	if kept := d.firstNotOffered(n, offered); kept != nil {
		return model.Violationf(model.RuleOffered, "there is already %s below %s: offer %s, or move it away first", english.WithArticle(kept.Name), d.address(n), kept.Service)
	}
	d.setOffered(n, offered)
	return nil
}

// setOffered names the services that a container offers; nil for all.
func (d *draft) setOffered(n number, offered []string) {
	more := d.editMore(n)
	if more.offered != nil {
		d.narrowed--
	}
	if offered != nil {
		d.narrowed++
	}
	more.offered = offered
}

// knownServices puts the names of platform services in order. The error names one that there is none of.
func (d *draft) knownServices(names []string) ([]string, error) {
	var known []string
	for _, service := range d.catalogue.Services() {
		if !service.Own() {
			known = append(known, service.Name)
		}
	}
	names = slices.Compact(slices.Sorted(slices.Values(names)))
	for _, name := range names {
		if !slices.Contains(known, name) {
			v := model.Violationf(model.RuleUnknown, "there is no platform service %q; the services are %s", name, strings.Join(known, ", "))
			v.Nearest = english.Nearest(name, known)
			return nil, v
		}
	}
	return names, nil
}

// offeredAt returns the services offered in a scope, nil when all are.
func (s *Snapshot) offeredAt(n number) []string {
	var offered []string
	for up := s.upward(n); up.next(); {
		if up.node.more == nil || up.node.more.offered == nil {
			continue
		}
		if offered == nil {
			offered = up.node.more.offered
			continue
		}
		both := []string{}
		for _, name := range offered {
			if slices.Contains(up.node.more.offered, name) {
				both = append(both, name)
			}
		}
		offered = both
	}
	return offered
}

// OfferedAt returns the platform services offered in a scope, and nil when nothing narrows them.
func (s *Snapshot) OfferedAt(id model.ID) []string {
	n, ok := s.scopeNumber(id)
	if !ok {
		return nil
	}
	return s.offeredAt(n)
}

// firstNotOffered finds a resource at or beneath a scope whose service is not among those offered.
func (s *Snapshot) firstNotOffered(n number, offered []string) *catalogue.Type {
	var found *catalogue.Type
	look := func(child number) bool {
		if typ := s.catalogue.TypeAt(s.scopes.get(child).typ); !typ.IsContainer() && !slices.Contains(offered, typ.Service) {
			found = typ
		}
		return found == nil
	}
	if look(n) {
		s.descend(n, look)
	}
	return found
}

func (d *draft) notOffered(typ *catalogue.Type, at number, offered []string) error {
	return model.Violationf(model.RuleOffered, "%s is of %s, which is not offered in %s: only %s may be there", english.WithArticle(typ.Name), typ.Service, d.address(at), english.Join(offered))
}

func (c RetireScope) apply(d *draft) error { return d.setRetired(c.ID, true) }

func (c RestoreScope) apply(d *draft) error { return d.setRetired(c.ID, false) }

func (d *draft) setRetired(id model.ID, retired bool) error {
	n, ok := d.scopeNumber(id)
	if !ok {
		return model.Violationf(model.RuleUnknown, "the scope is not there")
	}
	if n == 0 {
		return model.Violationf(model.RulePlacement, "an organisation is not retired: its stewards could not repair it")
	}
	if d.scopes.get(n).retired == retired {
		if retired {
			return model.Violationf(model.RuleSame, "%s is retired already", d.address(n))
		}
		return model.Violationf(model.RuleSame, "%s is not retired: there is nothing to restore", d.address(n))
	}
	d.editScope(n).retired = retired
	d.markAncestry(n)
	d.tookAway = true
	return nil
}

func (d *draft) unknownType(name string) error {
	var known []string
	for _, t := range d.catalogue.Types() {
		if t.Registered && !t.IsContainer() {
			known = append(known, t.Name)
		}
	}
	slices.Sort(known)
	v := model.Violationf(model.RuleUnknown, "there is no resource type %q; the types are %s", name, strings.Join(known, ", "))
	v.Nearest = english.Nearest(name, known)
	return v
}

// What each change of the tree touches: rules on the way from the top, and conditions that ask for a name or a tag.

func (CreateScope) touches(*comparison)        {} // nobody held anything there
func (c RenameScope) touches(of *comparison)   { of.takeScope(c.ID) }
func (c MoveScope) touches(of *comparison)     { of.takeScope(c.ID) }
func (c TagScope) touches(of *comparison)      { of.takeScope(c.ID) }
func (c OfferServices) touches(of *comparison) { of.takeScope(c.ID) }
func (c RetireScope) touches(of *comparison)   { of.takeScope(c.ID) }
func (c RestoreScope) touches(of *comparison)  { of.takeScope(c.ID) }

// taken refuses a name that something else in a scope has.
func (d *draft) taken(above number, name string) *model.Violation {
	other, _ := d.child(above, name)
	if d.retired(other) {
		return model.Violationf(model.RuleTaken, "%s already has something called %s, which is retired: restore it, or choose another name", d.address(above), name)
	}
	return model.Violationf(model.RuleTaken, "%s already has something called %s: choose another name", d.address(above), name)
}
