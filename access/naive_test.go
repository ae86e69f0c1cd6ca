package access_test

import (
	"bytes"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// naive is a slow reference for decisions, written from the rules alone: plain lists, searched from the start each time.
// It shares no code with the engine.
type naive struct {
	scopes   []model.Scope
	people   []access.Principal
	members  []access.Membership
	grants   []access.Grant
	policies []statement.Policy
	roles    []catalogue.RoleDefinition
	terms    map[*statement.Condition]*term // what conditions were written from

	// What was once worked out, to be fast enough for a million decisions.
	paths   map[model.ID][]model.Scope
	known   map[[2]model.ID]bool
	resting map[[2]model.ID]bool
}

func newNaive() *naive {
	return &naive{terms: map[*statement.Condition]*term{}, paths: map[model.ID][]model.Scope{}, known: map[[2]model.ID]bool{}, resting: map[[2]model.ID]bool{}}
}

// tri is yes, no or unknown.
type tri string

const (
	triYes     tri = "yes"
	triNo      tri = "no"
	triUnknown tri = "unknown"
)

func triOf(b bool) tri {
	if b {
		return triYes
	}
	return triNo
}

func triAnd(list ...tri) tri {
	if slices.Contains(list, triNo) {
		return triNo
	}
	if slices.Contains(list, triUnknown) {
		return triUnknown
	}
	return triYes
}

func triNot(t tri) tri {
	switch t {
	case triYes:
		return triNo
	case triNo:
		return triYes
	}
	return t
}

// term is a condition as a tree: "and", "or", "not" over others, or a comparison.
type term struct {
	op     string
	parts  []*term
	of     string // context.location, resource.tag, subject.tag, claim, context.hour, subject.kind, resource.type
	name   string
	values []string
	hour   int
	zone   string // of the hour: Europe/Oslo, or empty for UTC
}

func (t *term) text() string {
	switch t.op {
	case "and", "or":
		return "(" + t.parts[0].text() + " " + t.op + " " + t.parts[1].text() + ")"
	case "not":
		return "not " + t.parts[0].text()
	}
	subject := t.of
	if t.name != "" {
		subject += "." + t.name
	}
	switch t.op {
	case "in":
		return subject + ` in ("` + strings.Join(t.values, `", "`) + `")`
	case "<":
		if t.zone != "" {
			subject += `("` + t.zone + `")`
		}
		return subject + " < " + string(rune('0'+t.hour/10)) + string(rune('0'+t.hour%10))
	}
	return subject + " " + t.op + ` "` + t.values[0] + `"`
}

// holds evaluates a term of a principal, a scope (nil when it is not known) and a context.
func (t *term) holds(who access.Principal, at *model.Scope, ctx *access.Context) tri {
	switch t.op {
	case "and":
		return triAnd(t.parts[0].holds(who, at, ctx), t.parts[1].holds(who, at, ctx))
	case "or":
		return triNot(triAnd(triNot(t.parts[0].holds(who, at, ctx)), triNot(t.parts[1].holds(who, at, ctx))))
	case "not":
		return triNot(t.parts[0].holds(who, at, ctx))
	}
	compare := func(value string, there bool) tri {
		switch t.op {
		case "is":
			return triOf(there && value == t.values[0])
		case "is not":
			return triOf(!there || value != t.values[0])
		case "in":
			return triOf(there && slices.Contains(t.values, value))
		}
		return triOf(there && strings.HasPrefix(value, t.values[0]))
	}
	switch t.of {
	case "context.location":
		if ctx == nil || ctx.Location == "" {
			return triUnknown
		}
		return compare(ctx.Location, true)
	case "context.hour":
		if ctx == nil || ctx.Time.IsZero() {
			return triUnknown
		}
		if ctx.Anybody {
			return triUnknown
		}
		if t.zone != "" {
			return triOf(ctx.Time.In(oslo).Hour() < t.hour)
		}
		return triOf(ctx.Time.UTC().Hour() < t.hour)
	case "claim":
		values, known := claimOf(who, t.name, ctx)
		if !known {
			return triUnknown
		}
		any, none := triNo, triYes
		for _, value := range values {
			if t.op != "is not" && compare(value, true) == triYes {
				any = triYes
			}
			if value == t.values[0] {
				none = triNo
			}
		}
		if t.op == "is not" {
			return none
		}
		return any
	case "subject.tag":
		if who.Kind == model.Provider {
			return triUnknown // which tags those have whom it stands for
		}
		value, there := who.Tags[t.name]
		return compare(value, there)
	case "subject.kind":
		if who.Kind == model.Provider {
			return compare(model.OutsidePerson.String(), true)
		}
		return compare(who.Kind.String(), true)
	}
	if at == nil {
		return triUnknown
	}
	if t.of == "resource.type" {
		return compare(at.TypeName(), true)
	}
	value, there := at.Tags[t.name]
	return compare(value, there)
}

// claimOf returns what is known of a claim of somebody: as a question has it, or as their provider said last.
func claimOf(who access.Principal, name string, ctx *access.Context) (values []string, known bool) {
	if ctx != nil && ctx.Claims != nil {
		values, known = ctx.Claims[name]
		return values, known
	}
	return who.Claims[name], who.Claims != nil && (ctx == nil || !ctx.Anybody)
}

func (n *naive) scope(id model.ID) *model.Scope {
	for i := range n.scopes {
		if n.scopes[i].ID == id {
			return &n.scopes[i]
		}
	}
	return nil
}

func (n *naive) principal(id model.ID) *access.Principal {
	for i := range n.people {
		if n.people[i].ID == id {
			return &n.people[i]
		}
	}
	return nil
}

// upward lists a scope and all above it.
func (n *naive) upward(id model.ID) []model.Scope {
	if path, ok := n.paths[id]; ok {
		return path
	}
	var path []model.Scope
	for s := n.scope(id); s != nil; s = n.scope(s.Parent) {
		path = append(path, *s)
	}
	n.paths[id] = path
	return path
}

func (n *naive) isUnder(id, above model.ID) bool {
	return slices.ContainsFunc(n.upward(id), func(s model.Scope) bool { return s.ID == above })
}

func (n *naive) retired(id model.ID) bool {
	return slices.ContainsFunc(n.upward(id), func(s model.Scope) bool { return s.Retired })
}

// gone reports whether somebody is out of use, or a service account's home is.
func (n *naive) gone(p access.Principal) bool {
	return p.Inactive || p.Kind == model.ServiceAccount && n.retired(p.Home) || p.Kind == model.OutsidePerson && n.principal(p.Provider).Inactive
}

// sets returns the built-in sets that somebody belongs to.
func (n *naive) sets(p access.Principal) []model.ID {
	if p.Own || p.Kind == model.OutsidePerson && n.principal(p.Provider).Own {
		return []model.ID{model.Staff, model.Everyone, model.SignedIn, model.Public}
	}
	switch p.Kind {
	case model.User:
		return []model.ID{model.Staff, model.Everyone, model.SignedIn, model.Public}
	case model.Guest:
		return []model.ID{model.Guests, model.Everyone, model.SignedIn, model.Public}
	case model.OutsidePerson, model.Provider, model.ServiceAccount, model.PlatformService:
		return []model.ID{model.Everyone, model.SignedIn, model.Public}
	}
	switch p.ID {
	case model.Staff:
		return []model.ID{model.Staff, model.Everyone, model.SignedIn, model.Public}
	case model.Guests:
		return []model.ID{model.Guests, model.Everyone, model.SignedIn, model.Public}
	case model.Everyone:
		return []model.ID{model.Everyone, model.SignedIn, model.Public}
	case model.SignedIn:
		return []model.ID{model.SignedIn, model.Public}
	case model.Public:
		return []model.ID{model.Public}
	}
	return nil
}

// is reports whether a principal is another, or a member of it through active groups, or in it as a set.
func (n *naive) is(who, other model.ID) bool {
	pair := [2]model.ID{who, other}
	if _, ok := n.known[pair]; !ok {
		n.known[pair] = n.isIn(who, other)
	}
	return n.known[pair]
}

func (n *naive) isIn(who, other model.ID) bool {
	if p := n.principal(who); who == other || p.Kind == model.OutsidePerson && p.Provider == other || slices.Contains(n.sets(*p), other) {
		return true
	}
	return slices.ContainsFunc(n.people, func(g access.Principal) bool {
		return n.directlyIn(who, g) && !g.Inactive && n.is(g.ID, other)
	})
}

// isEver is is, through groups out of use too: what cuts their members goes on cutting, and what cuts everybody cuts a group.
func (n *naive) isEver(who, other model.ID) bool {
	pair := [2]model.ID{who, other}
	if _, ok := n.resting[pair]; !ok {
		everybody := n.principal(who).Kind.IsGroup() && slices.Contains([]model.ID{model.Everyone, model.SignedIn, model.Public}, other)
		n.resting[pair] = n.is(who, other) || everybody || slices.ContainsFunc(n.people, func(g access.Principal) bool {
			return n.directlyIn(who, g) && n.isEver(g.ID, other)
		})
	}
	return n.resting[pair]
}

// directlyIn reports whether somebody was put into a group, or meets its condition.
func (n *naive) directlyIn(who model.ID, group access.Principal) bool {
	if group.Pattern {
		p := n.principal(who)
		return p.Kind == model.OutsideGroup && !p.Pattern && p.Provider == group.Provider && strings.HasPrefix(p.Subject, "team-") && p.Subject != "team-"
	}
	if group.Gathers == nil {
		return slices.Contains(n.members, access.Membership{Group: group.ID, Member: who})
	}
	p := n.principal(who)
	if p.Kind != model.User && p.Kind != model.Guest && p.Kind != model.OutsidePerson && p.Kind != model.ServiceAccount {
		return false
	}
	text, negated := strings.CutPrefix(group.Gathers.String(), "not ")
	asked, value, _ := strings.Cut(text, " is ")
	is := p.Name
	if tag, ok := strings.CutPrefix(asked, "tag "); ok {
		is = p.Tags[tag]
	} else if asked == "kind" {
		is = p.Kind.String()
	}
	return (strconv.Quote(is) == value) != negated
}

// inside reports membership at any depth, active or not.
func (n *naive) inside(who, group model.ID) bool {
	return slices.ContainsFunc(n.people, func(g access.Principal) bool {
		return n.directlyIn(who, g) && (g.ID == group || n.inside(g.ID, group))
	})
}

// means reports whether a permission means something at a type: it is on the type or on one that can be beneath it.
func means(c *catalogue.Catalogue, typeName, onType string) bool {
	pair := [2]string{typeName, onType}
	known, ok := meanings.Load(pair)
	if !ok {
		known, _ = meanings.LoadOrStore(pair, canBeBeneath(c, typeName, onType, nil))
	}
	return known.(bool)
}

var meanings sync.Map // of [2]string to bool: what is known of the shipped catalogue; plays run beside one another

func canBeBeneath(c *catalogue.Catalogue, typeName, onType string, seen []string) bool {
	if typeName == onType {
		return true
	}
	container := slices.Contains([]string{"organisation", "folder", "project", "compartment"}, typeName)
	for _, s := range c.Services() {
		for _, t := range s.Types {
			beneath := slices.Contains(t.Parents, typeName) || !container && slices.Contains(t.Parents, "resource")
			if beneath && !slices.Contains(seen, t.Name) && canBeBeneath(c, t.Name, onType, append(seen, t.Name)) {
				return true
			}
		}
	}
	return false
}

// role returns what a role holds.
func (n *naive) role(c *catalogue.Catalogue, name string) func(catalogue.Operation) bool {
	for _, def := range n.roles {
		if def.Name == name {
			return func(o catalogue.Operation) bool { return picked(def.Include, o) && !picked(def.Exclude, o) }
		}
	}
	role, err := c.Role(name)
	if err != nil {
		return nil
	}
	return func(o catalogue.Operation) bool { return picked(role.Include, o) && !picked(role.Exclude, o) }
}

func picked(filters []catalogue.Filter, o catalogue.Operation) bool {
	for _, f := range filters {
		if (len(f.Classes) == 0 || slices.Contains(f.Classes, o.Class)) && (len(f.Operations) == 0 || slices.Contains(f.Operations, o.Name)) &&
			(len(f.Types) == 0 || slices.Contains(f.Types, o.Type)) && (len(f.Services) == 0 || slices.Contains(f.Services, o.Service)) &&
			(len(f.Planes) == 0 || slices.Contains(f.Planes, o.Plane)) {
			return true
		}
	}
	return false
}

// isAbout reports whether the words of a statement, before its modal is looked at, mean an operation.
func (n *naive) isAbout(c *catalogue.Catalogue, st *statement.Statement, o catalogue.Operation) bool {
	if len(st.Roles) > 0 {
		return slices.ContainsFunc(st.Roles, func(role string) bool { return n.role(c, role)(o) })
	}
	if len(st.Things) > 0 && !slices.Contains(st.Things, o.Type) && !slices.Contains(st.Things, o.Service) {
		return false
	}
	if st.Data && o.Plane != catalogue.Data {
		return false
	}
	if len(st.Acts) == 0 || slices.Contains(st.Acts, o.Name) {
		return true
	}
	bothPlanes := st.Modal == statement.MayNever || st.Data
	return slices.Contains(st.Acts, string(o.Class)) && (bothPlanes || o.Plane == catalogue.Control)
}

func inPeriod(p statement.Period, ctx *access.Context, future bool) tri {
	if p.From.IsZero() && p.Until.IsZero() {
		return triYes
	}
	if ctx == nil || ctx.Time.IsZero() {
		return triUnknown
	}
	if !p.Until.IsZero() && !ctx.Time.Before(p.Until) {
		return triNo
	}
	if !p.From.IsZero() && ctx.Time.Before(p.From) {
		if future {
			return triUnknown
		}
		return triNo
	}
	if future && !p.Until.IsZero() {
		return triUnknown
	}
	return triYes
}

// namedBy reports whether subjects mean somebody; ever says whether through groups out of use, too.
func (n *naive) namedBy(who access.Principal, subjects []statement.Subject, ctx *access.Context, widen, ever bool) tri {
	found := triNo
	is := n.is
	if ever {
		is = n.isEver
	}
	for _, s := range subjects {
		t := triNo
		switch {
		case s.Claim != "":
			if known := who.Kind == model.OutsidePerson && s.Claim == "subject"; who.ID == s.Principal || who.Kind == model.OutsidePerson && who.Provider == s.Principal {
				values, told := claimOf(who, s.Claim, ctx)
				if known {
					values, told = []string{who.Subject}, true
				}
				if t = triUnknown; told {
					t = triOf(slices.Contains(values, s.Value))
				}
			}
		case widen && s.Principal == model.Everyone:
			t = triOf(is(who.ID, model.Public))
		default:
			t = triOf(is(who.ID, s.Principal))
		}
		found = triNot(triAnd(triNot(found), triNot(t)))
	}
	return found
}

// level returns how firmly somebody may do something: yes, no, or unknown when it hangs on something.
func (n *naive) level(c *catalogue.Catalogue, who model.ID, o catalogue.Operation, at model.ID, ctx *access.Context) tri {
	switch {
	case n.decide(c, who, o, at, ctx, false):
		return triYes
	case n.decide(c, who, o, at, ctx, true):
		return triUnknown
	}
	return triNo
}

// offersType reports whether the service of a type is offered at a scope, and everywhere above it. Arbora's own always are.
func (n *naive) offersType(c *catalogue.Catalogue, at model.ID, name string) bool {
	for _, service := range c.Services() {
		if slices.ContainsFunc(service.Types, func(t *catalogue.Type) bool { return t.Name == name }) {
			return service.Own() || n.offersService(at, service.Name)
		}
	}
	return true
}

// decide reports whether somebody may; perhaps takes what is unknown or still to begin in their favour.
func (n *naive) decide(c *catalogue.Catalogue, who model.ID, o catalogue.Operation, at model.ID, ctx *access.Context, perhaps bool) bool {
	p, scope := n.principal(who), n.scope(at)
	if p == nil || scope == nil || n.gone(*p) || !means(c, scope.TypeName(), o.Type) || !n.offersType(c, at, o.Type) {
		return false
	}
	if n.retired(at) && o.Name != "list" && o.Name != "describe" && o.Name != "restore" {
		return false
	}
	return n.holds(c, *p, o, at, scope, ctx, perhaps)
}

// holds returns what the rules say of somebody at a scope, or of any beneath it when nothing is known of the scope.
func (n *naive) holds(c *catalogue.Catalogue, p access.Principal, o catalogue.Operation, at model.ID, scope *model.Scope, ctx *access.Context, perhaps bool) bool {
	path := n.upward(at)
	depthOf := func(id model.ID) int {
		return len(path) - slices.IndexFunc(path, func(s model.Scope) bool { return s.ID == id })
	}
	onPath := func(id model.ID) bool {
		return slices.ContainsFunc(path, func(s model.Scope) bool { return s.ID == id })
	}
	gives := func(t tri) bool { return t == triYes || t == triUnknown && perhaps }
	cutFrom := 0 // the depth of the topmost scope at which a cut was set; 0 for none
	var gifts []gift
	for _, g := range n.grants {
		if !onPath(g.Scope) || !n.is(p.ID, g.Principal) {
			continue
		}
		if gives(triAnd(inPeriod(g.Period, ctx, perhaps), n.conditionHolds(g.Condition, p, scope, ctx))) {
			gifts = append(gifts, gift{place: g.Scope, role: g.Role})
		}
	}
	for _, policy := range n.policies {
		if policy.Suspended {
			continue
		}
		for i := range policy.Statements {
			st := &policy.Statements[i]
			if !onPath(st.Place) || st.Here && (st.Place != at || scope == nil) || !n.isUnder(st.Place, policy.Scope) {
				continue
			}
			cuts := st.Modal != statement.May
			if cuts && n.isAbout(c, st, o) == (st.Modal == statement.MayOnly) {
				continue
			}
			named := n.namedBy(p, st.Who, ctx, cuts, cuts)
			excepted := n.namedBy(p, st.Except, ctx, false, !cuts)
			t := triAnd(named, triNot(excepted), inPeriod(st.Period, ctx, perhaps), n.conditionHolds(st.Condition, p, scope, ctx))
			if !cuts && gives(t) {
				gifts = append(gifts, gift{place: st.Place, statement: st})
			}
			if cuts && (t == triYes || t == triUnknown && !perhaps) {
				if d := depthOf(policy.Scope); cutFrom == 0 || d < cutFrom {
					cutFrom = d
				}
			}
		}
	}
	if !slices.ContainsFunc(gifts, func(g gift) bool { return n.isOf(c, g, o) }) {
		return false
	}
	// A cut spares whom a rule from above where it was set lets govern: with what is asked for, when that is to govern.
	finds := (o.Name == "list" || o.Name == "describe") && o.Plane == catalogue.Control
	return cutFrom == 0 || slices.ContainsFunc(gifts, func(g gift) bool {
		return depthOf(g.place) < cutFrom && (o.Class == catalogue.Govern && n.isOf(c, g, o) || finds && n.governs(c, g))
	})
}

// gift is what gives somebody something: a role granted to them, or a statement that names them.
type gift struct {
	place     model.ID
	role      string
	statement *statement.Statement
}

// isOf reports whether an operation is among those that something gives.
func (n *naive) isOf(c *catalogue.Catalogue, g gift, o catalogue.Operation) bool {
	if g.statement != nil {
		return n.isAbout(c, g.statement, o)
	}
	return n.role(c, g.role)(o)
}

// governs reports whether what something gives includes a permission to govern.
func (n *naive) governs(c *catalogue.Catalogue, g gift) bool {
	for i := range c.Permissions() {
		if o := c.Operation(catalogue.Permission(i)); o.Class == catalogue.Govern && n.isOf(c, g, o) {
			return true
		}
	}
	return false
}

func (n *naive) conditionHolds(c *statement.Condition, who access.Principal, at *model.Scope, ctx *access.Context) tri {
	if c == nil {
		return triYes
	}
	return n.terms[c].holds(who, at, ctx)
}

// sees reports whether somebody holds any permission at a scope or below it.
func (n *naive) sees(c *catalogue.Catalogue, who, at model.ID, ctx *access.Context) bool {
	for _, s := range n.scopes {
		if !n.isUnder(s.ID, at) {
			continue
		}
		for i := range c.Permissions() {
			if n.decide(c, who, c.Operation(catalogue.Permission(i)), s.ID, ctx, false) {
				return true
			}
		}
	}
	return false
}

func (n *naive) address(id model.ID) string {
	var parts []string
	for _, s := range n.upward(id) {
		parts = append(parts, s.FullName())
	}
	slices.Reverse(parts)
	return strings.Join(parts, "/")
}

// everybody returns all who can be asked about: people, groups, and the sets that stand for strangers.
func (n *naive) everybody() []access.Principal {
	all := slices.Clone(n.people)
	slices.SortFunc(all, func(a, b access.Principal) int { return bytes.Compare(a.ID[:], b.ID[:]) })
	return all
}

var oslo = func() *time.Location {
	location, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		panic(err)
	}
	return location
}()

var noon = time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
