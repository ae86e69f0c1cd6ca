package plan

import (
	"fmt"
	"slices"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/english"
	"arbora.example/internal/tenant"
)

// single is how many people may hold a role one by one at a scope before a group is advised for the next.
const single = 3

// Advice is what would serve better than a change.
type Advice struct {
	Words string
	Role  string // the narrower role to grant instead, when that is the advice
	Group string // the group to add them to instead, when that is
}

// advice tells of what would serve better than a change: it refuses nothing.
func advice(d tenant.Viewer, changes []access.Change) []Advice {
	var advice []Advice
	for _, change := range changes {
		made, ok := change.(access.CreateGrant)
		if !ok {
			continue
		}
		advice = append(advice, groupInstead(d, made.Grant)...)
		advice = append(advice, narrowerInstead(d, made.Grant)...)
	}
	return advice
}

// groupInstead advises a group when others hold the same by grants of their own, for good and without a condition as this
// one is: one that holds it already, or a new one.
func groupInstead(d tenant.Viewer, g access.Grant) []Advice {
	holder, ok := d.Principal(g.Principal)
	if !ok || !isPerson(holder) || !lasting(g) || !d.May("list grant", g.Scope) {
		return nil
	}
	var alike []string
	for _, other := range d.GrantsAt(g.Scope) {
		theirs, _ := d.Principal(other.Principal)
		switch {
		case other.Role != g.Role || !lasting(other):
		case theirs.Kind == model.Group && theirs.Gathers == nil:
			return []Advice{{Group: theirs.Name, Words: fmt.Sprintf("Group %s holds %s there already: add %s to it, and it ends with the membership.", theirs.Name, g.Role, holder.Name)}}
		case isPerson(theirs) && theirs.ID != holder.ID && !slices.Contains(alike, theirs.Name):
			alike = append(alike, theirs.Name)
		}
	}
	if len(alike) < single {
		return nil
	}
	slices.Sort(alike)
	return []Advice{{Words: fmt.Sprintf("%s hold %s there one by one: grant it to a group of them instead, and a change of people is one change of its members.", inARow(alike, single), g.Role)}}
}

// mostLooked bounds how many scopes are looked at for an advice.
const mostLooked = 10_000

// narrowerInstead advises the narrowest role that gives the same of the services whose resources are there, as far as the
// caller sees them and they are few enough to look at.
func narrowerInstead(d tenant.Viewer, g access.Grant) []Advice {
	role, err := d.Role(g.Role)
	if err != nil {
		return nil
	}
	var services []string
	looked := 0
	for below := range d.Sight.Seen(g.Scope) {
		if looked++; looked > mostLooked {
			return nil
		}
		if t, ok := d.Catalogue().Type(below.Type); ok && !slices.Contains(services, t.Service) {
			services = append(services, t.Service)
		}
	}
	for _, other := range d.Narrower(role, g.Scope, services) {
		if without := without(d, role, other, g.Scope); other.Privileged != role.Privileged || slices.ContainsFunc(without, func(service string) bool { return hasResources(d, service) }) {
			slices.Sort(services)
			words := fmt.Sprintf("Only %s are in use there: %s gives the same of them, and less of %s.", inARow(services, 8), other.Name, inARow(without, 8))
			if len(services) == 1 {
				words = fmt.Sprintf("Only %s is in use there: %s gives the same of it, and less of %s.", services[0], other.Name, inARow(without, 8))
			}
			return []Advice{{Words: words, Role: other.Name}}
		}
	}
	return nil
}

// without names the services of which another role gives less at a scope.
func without(d tenant.Viewer, role, other *catalogue.Role, at model.ID) []string {
	var services []string
	scope, _ := d.Scope(at)
	for p := range role.Permissions.Minus(other.Permissions).And(d.Catalogue().MeaningAt(scope.TypeName())).All {
		if service := d.Catalogue().Operation(p).Service; !slices.Contains(services, service) {
			services = append(services, service)
		}
	}
	slices.Sort(services)
	return services
}

// hasResources reports whether a service has types of resources, rather than of what Arbora itself keeps.
func hasResources(d tenant.Viewer, service string) bool {
	return slices.ContainsFunc(d.Catalogue().Services(), func(s *catalogue.Service) bool { return s.Name == service && !s.Own() })
}

func isPerson(p access.Principal) bool { return p.Kind.IsPerson() }

// lasting reports whether a grant holds always and for good.
func lasting(g access.Grant) bool {
	return g.Condition == nil && g.Period == (statement.Period{})
}

// inARow writes names in a row, and counts those after the first so many.
func inARow(names []string, most int) string {
	if len(names) > most {
		names = append(slices.Clone(names[:most]), fmt.Sprintf("%d more", len(names)-most))
	}
	return english.Join(names)
}
