package access

import (
	"maps"
	"slices"
	"strings"

	"arbora.example/access/internal/persist"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/english"
)

// nameTaken says that a name is that of somebody who is there already.
func nameTaken(p Principal) error {
	switch {
	case p.Kind == model.Guest && p.Inactive:
		return model.Violationf(model.RuleTaken, "there is already a guest %s, who is out of use: restore them, or send the invitation again", p.Name)
	case p.Kind == model.Guest:
		return model.Violationf(model.RuleTaken, "there is already a guest %s", p.Name)
	case p.Inactive:
		return model.Violationf(model.RuleTaken, "there is already %s called %s, out of use: restore it, or choose another name", english.WithArticle(p.Kind.Words()), p.Name)
	default:
		return model.Violationf(model.RuleTaken, "there is already %s called %s: choose another name", english.WithArticle(p.Kind.Words()), p.Name)
	}
}

// CreatePrincipal adds a principal, which is neither a platform service nor a built-in set.
type CreatePrincipal struct {
	Principal Principal `json:"principal"`
}

// TagPrincipal replaces the tags of a principal.
type TagPrincipal struct {
	ID   model.ID          `json:"id"`
	Tags map[string]string `json:"tags"`
}

// RenamePrincipal gives a principal another name. Its id and access stay.
type RenamePrincipal struct {
	ID   model.ID `json:"id"`
	Name string   `json:"name"`
}

// SetOwner says who may change the members of a group; the zero id for nobody besides administrators.
type SetOwner struct {
	Group model.ID `json:"group"`
	Owner model.ID `json:"owner,omitzero"`
}

// SetGathers replaces the condition by which a gathering group has its members.
type SetGathers struct {
	Group     model.ID
	Condition *statement.Condition
}

// SetInactive suspends or retires a principal, or takes it into use again.
type SetInactive struct {
	ID       model.ID `json:"id"`
	Inactive bool     `json:"inactive"`
}

// AddMember puts a principal into a group.
type AddMember struct {
	Membership Membership `json:"membership"`
}

// RemoveMember takes a principal out of a group.
type RemoveMember struct {
	Membership Membership `json:"membership"`
}

func (c CreatePrincipal) apply(d *draft) error {
	p := c.Principal
	if err := checkPrincipalName(p.Kind, p.Name); err != nil {
		return err
	}
	if p.Kind == model.PlatformService || p.Kind == model.BuiltInSet || p.Kind == 0 {
		return model.Violationf(model.RulePlacement, "a %s is not created: the catalogue and Arbora itself bring them", p.Kind)
	}
	if p.Kind == model.ServiceAccount {
		home, ok := d.scopeNumber(p.Home)
		if !ok {
			return model.Violationf(model.RuleUnknown, "the scope that service account %s should live at is not there", p.Name)
		}
		if !d.catalogue.TypeAt(d.scopes.get(home).typ).IsContainer() {
			return model.Violationf(model.RulePlacement, "a service account lives at a container, not at a resource")
		}
	} else if !p.Home.IsZero() {
		return model.Violationf(model.RulePlacement, "only service accounts live at a scope")
	}
	if err := checkTags(p.Tags); err != nil {
		return err
	}
	if err := d.checkOutside(p); err != nil {
		return err
	}
	if err := checkGathers(p.Kind, p.Gathers); err != nil {
		return err
	}
	if err := d.checkOwner(p.Kind, p.Owner); err != nil {
		return err
	}
	if _, ok := d.principalNumber(p.ID); ok || p.ID.IsZero() {
		return model.Violationf(model.RuleTaken, "the id %s is taken", p.ID)
	}
	if other, ok := d.principalByKey(p.Kind, nameKey(p.Name, p.Home)); ok {
		return nameTaken(other)
	}
	p.Tags, p.Claims = maps.Clone(p.Tags), maps.Clone(p.Claims)
	n := d.enterPrincipal(p)
	if p.Gathers != nil {
		d.gathering = append(slices.Clip(d.gathering), n)
		d.gather(n)
	} else if p.Acts() {
		d.joinGathering(n)
	} else if p.Kind == model.OutsideGroup {
		d.match(n)
	}
	return nil
}

// checkPrincipalName checks that a name is one for its kind: guests and outside people are called by the name they sign in by.
func checkPrincipalName(kind model.PrincipalKind, name string) error {
	if kind == model.OutsideGroup {
		return nil // it is called as its provider calls it, which checkOutside sees to
	}
	if kind != model.Guest && kind != model.OutsidePerson {
		return model.CheckName(name)
	}
	name, home, _ := strings.Cut(name, "@")
	for _, label := range strings.Split(home, ".") { // of an organisation, or of a mail domain
		if model.CheckName(label) != nil {
			if kind == model.OutsidePerson {
				return model.Violationf(model.RuleName, "%q is not a valid name of an outside person: use NAME@PROVIDER", name+"@"+home)
			}
			return model.Violationf(model.RuleName, "%q is not a valid guest name: use NAME@ORGANISATION, or the invited mail address", name+"@"+home)
		}
	}
	for _, part := range strings.Split(name, ".") {
		if err := model.CheckName(part); err != nil {
			return err
		}
	}
	return nil
}

// checkGathers refuses a condition by which a group cannot have its members.
func checkGathers(kind model.PrincipalKind, condition *statement.Condition) error {
	switch {
	case condition == nil:
		return nil
	case kind != model.Group:
		return model.Violationf(model.RulePlacement, "only a group gathers members by a condition")
	case condition.Mentions("context") || condition.Mentions("resource") || condition.Mentions("claim"):
		return model.Violationf(model.RulePlacement, "a gathering group asks for tags, names and kinds of principals alone, not for requests, resources or claims")
	}
	return nil
}

// checkOwner refuses an owner whom a group cannot have.
func (d *draft) checkOwner(kind model.PrincipalKind, owner model.ID) error {
	if owner.IsZero() {
		return nil
	}
	if kind != model.Group {
		return model.Violationf(model.RulePlacement, "only a group has an owner")
	}
	if p := d.principalNode(owner); p == nil {
		return model.Violationf(model.RuleUnknown, "the owner is not there")
	} else if !p.Acts() && p.Kind != model.Group || p.Kind == model.PlatformService {
		return model.Violationf(model.RulePlacement, "%s cannot own a group: an owner is a person, a service account or a group", p.Name)
	}
	return nil
}

// gather works out anew who is in a gathering group.
func (d *draft) gather(group number) {
	for _, kind := range []model.PrincipalKind{model.User, model.Guest, model.OutsidePerson, model.ServiceAccount} {
		d.named[kind].From("", d.principalKey, func(n number) bool {
			d.gatherOne(group, n)
			return true
		})
	}
}

// joinGathering works out anew in which gathering groups a principal is.
func (d *draft) joinGathering(n number) {
	for _, group := range d.gathering {
		d.gatherOne(group, n)
	}
}

// gatherOne puts a principal into a gathering group, or takes it out.
func (d *draft) gatherOne(group, n number) {
	one := d.principals.Get(n)
	in := contains(one.groups, group)
	if evaluate(d.principals.Get(group).Gathers, facts{snapshot: &d.Snapshot, principal: one}) == yes == in {
		return
	}
	g, m := d.editPrincipal(group), d.editPrincipal(n)
	if in {
		g.members, m.groups = without(g.members, n), without(m.groups, group)
	} else {
		g.members, m.groups = insert(g.members, n), insert(m.groups, group)
	}
	d.stale = append(d.stale, n)
	d.tookAway = true
}

// enterPrincipal enters a principal without a check.
func (d *draft) enterPrincipal(p Principal) number {
	n := number(d.principals.Len())
	node := d.principals.Append(d.owner)
	*node = principalNode{Principal: p, number: n, owner: d.owner, key: nameKey(p.Name, p.Home)}
	d.principalIndex.Add(d.owner, p.ID, n, persist.Homeless)
	d.named[p.Kind], _ = d.named[p.Kind].Add(d.owner, n, d.principalKey)
	if p.Kind == model.OutsidePerson {
		d.subjects, _ = d.subjects.Add(d.owner, n, d.subjectKey)
	}
	d.stale = append(d.stale, n)
	return n
}

func (d *draft) principal(id model.ID) (number, error) {
	n, ok := d.principalNumber(id)
	if !ok {
		return 0, model.Violationf(model.RuleUnknown, "the principal is not there")
	}
	return n, nil
}

func (c TagPrincipal) apply(d *draft) error {
	n, err := d.principal(c.ID)
	if err != nil {
		return err
	}
	if p := d.principals.Get(n); p.Kind == model.BuiltInSet || p.Kind == model.PlatformService || p.Kind == model.OutsideGroup {
		return model.Violationf(model.RulePlacement, "%s takes no tags: it is not the organisation's own", p.Name)
	}
	if err := checkTags(c.Tags); err != nil {
		return err
	}
	p := d.editPrincipal(n)
	p.Tags = maps.Clone(c.Tags)
	d.tookAway = true
	if p.Acts() {
		d.joinGathering(n)
	}
	return nil
}

func (c RenamePrincipal) apply(d *draft) error {
	n, err := d.principal(c.ID)
	if err != nil {
		return err
	}
	p := d.principals.Get(n)
	if p.Kind == model.BuiltInSet || p.Kind == model.PlatformService || p.Kind == model.OutsideGroup {
		return model.Violationf(model.RulePlacement, "%s keeps its name: it is not the organisation's own", p.Name)
	}
	if p.Kind == model.Provider {
		return model.Violationf(model.RulePlacement, "provider %s keeps its name: the names of its people end with it", p.Name)
	}
	if p.Name == c.Name {
		return model.Violationf(model.RuleSame, "%s %s is called that already", p.Kind, p.Name)
	}
	if err := checkPrincipalName(p.Kind, c.Name); err != nil {
		return err
	}
	if _, home, _ := strings.Cut(p.Name, "@"); p.Kind == model.OutsidePerson && !strings.HasSuffix(c.Name, "@"+home) {
		return model.Violationf(model.RuleName, "%s comes by %s: their name ends with @%s", p.Name, home, home)
	}
	if other, taken := d.principalByKey(p.Kind, nameKey(c.Name, p.Home)); taken {
		return nameTaken(other)
	}
	d.named[p.Kind] = d.named[p.Kind].Remove(d.owner, n, d.principalKey)
	p = d.editPrincipal(n)
	p.Name, p.key = c.Name, nameKey(c.Name, p.Home)
	d.named[p.Kind], _ = d.named[p.Kind].Add(d.owner, n, d.principalKey)
	d.tookAway = true // a condition can name it
	if p.Acts() {
		d.joinGathering(n)
	}
	return nil
}

func (c SetOwner) apply(d *draft) error {
	n, err := d.principal(c.Group)
	if err != nil {
		return err
	}
	p := d.principals.Get(n)
	if p.Owner == c.Owner {
		return model.Violationf(model.RuleSame, "%s has that owner already", p.Name)
	}
	if p.Kind != model.Group {
		return model.Violationf(model.RulePlacement, "only a group has an owner")
	}
	if err := d.checkOwner(p.Kind, c.Owner); err != nil {
		return err
	}
	d.editPrincipal(n).Owner = c.Owner
	return nil
}

func (c SetGathers) apply(d *draft) error {
	n, err := d.principal(c.Group)
	if err != nil {
		return err
	}
	p := d.principals.Get(n)
	if p.Gathers == nil || c.Condition == nil {
		return model.Violationf(model.RulePlacement, "%s %s has members added one by one: create another group that gathers them by a condition", p.Kind, p.Name)
	}
	if err := checkGathers(p.Kind, c.Condition); err != nil {
		return err
	}
	d.editPrincipal(n).Gathers = c.Condition
	d.gather(n)
	return nil
}

func (c SetInactive) apply(d *draft) error {
	n, err := d.principal(c.ID)
	if err != nil {
		return err
	}
	switch p := d.principals.Get(n); {
	case p.Kind == model.BuiltInSet || p.Kind == model.PlatformService || p.Kind == model.OutsideGroup:
		return model.Violationf(model.RulePlacement, "%s is always there", p.Name)
	case p.Inactive && c.Inactive:
		return model.Violationf(model.RuleSame, "%s %s is out of use already", p.Kind, p.Name)
	case p.Inactive == c.Inactive:
		return model.Violationf(model.RuleSame, "%s %s is in use: there is nothing to restore", p.Kind, p.Name)
	}
	d.editPrincipal(n).Inactive = c.Inactive
	d.stale = append(d.stale, n)
	d.tookAway = true
	return nil
}

func (c AddMember) apply(d *draft) error {
	g, m, err := d.membership(c.Membership)
	if err != nil {
		return err
	}
	group, member := d.principals.Get(g), d.principals.Get(m)
	if err := oneByOne(group); err != nil {
		return err
	}
	if group.Kind == model.OutsideGroup && (member.Kind != model.OutsidePerson || member.Provider != group.Provider) {
		return model.Violationf(model.RulePlacement, "%s cannot go into %s: the identity provider says which of its people are in it", member.Name, group.Name)
	}
	switch member.Kind {
	case model.BuiltInSet:
		return model.Violationf(model.RulePlacement, "%s is a built-in set: it cannot be added to a group", member.Name)
	case model.Provider:
		return model.Violationf(model.RulePlacement, "provider %s is in no group: grant roles to it, or name people from %s in a statement", member.Name, member.Name)
	case model.PlatformService:
		return model.Violationf(model.RulePlacement, "service %s is in no group: name it in a statement, as service %s", member.Name, member.Name)
	}
	if contains(member.groups, g) {
		return model.Violationf(model.RuleSame, "%s %s is already %s %s", member.Kind.Words(), member.Name, joined(member), group.Name)
	}
	if member.Kind.IsGroup() {
		if way := d.way(group, m, nil); way != nil {
			return model.Violationf(model.RuleCycle, "%s cannot go into %s: that would be a circle, %s in %s", member.Name, group.Name, strings.Join(way, " in "), group.Name)
		}
		if d.nesting(g, map[number]int{}, upward)+d.nesting(m, map[number]int{}, downward) > MaxNesting {
			return model.Violationf(model.RulePlacement, "%s cannot go into %s: groups would be nested deeper than %d", member.Name, group.Name, MaxNesting)
		}
	}
	group, member = d.editPrincipal(g), d.editPrincipal(m)
	group.members, member.groups = insert(group.members, m), insert(member.groups, g)
	d.stale = append(d.stale, m)
	d.tookAway = true // a may never can name the group
	return nil
}

func (c RemoveMember) apply(d *draft) error {
	g, m, err := d.membership(c.Membership)
	if err != nil {
		return err
	}
	group, member := d.principals.Get(g), d.principals.Get(m)
	if err := oneByOne(group); err != nil {
		return err
	}
	if !contains(member.groups, g) && member.Kind == model.OutsideGroup {
		return model.Violationf(model.RuleUnknown, "%s %s is not linked to %s", member.Kind.Words(), member.Name, group.Name)
	}
	if !contains(member.groups, g) {
		return model.Violationf(model.RuleUnknown, "%s %s is not a direct member of %s", member.Kind.Words(), member.Name, group.Name)
	}
	group, member = d.editPrincipal(g), d.editPrincipal(m)
	group.members, member.groups = without(group.members, m), without(member.groups, g)
	d.stale = append(d.stale, m)
	d.tookAway = true
	return nil
}

// joined says how somebody is in a group.
func joined(member *principalNode) string {
	if member.Kind == model.OutsideGroup {
		return "linked to"
	}
	return "in"
}

// oneByOne refuses to change the members of a gathering group.
func oneByOne(group *principalNode) error {
	if group.Pattern {
		return model.Violationf(model.RuleGathering, "%s has for members the outside groups whose names it matches", group.Name)
	}
	if group.Gathers == nil {
		return nil
	}
	return model.Violationf(model.RuleGathering, "%s gathers its members by a condition, %s: change the tags of who should be in it, or the condition", group.Name, group.Gathers)
}

// MaxNesting is how many groups may be in one another: what a principal keeps of the groups above it stays bounded.
const MaxNesting = 32

func upward(p *principalNode) []number   { return p.groups }
func downward(p *principalNode) []number { return p.members }

// nesting counts the groups on the longest way from a group on, itself counted.
func (d *draft) nesting(n number, known map[number]int, next func(*principalNode) []number) int {
	if longest, ok := known[n]; ok {
		return longest
	}
	p := d.principals.Get(n)
	if !p.Kind.IsGroup() {
		return 0
	}
	longest := 0
	if p.Pattern {
		longest = 1 // of the groups that it will match
	}
	for _, other := range next(p) {
		longest = max(longest, d.nesting(other, known, next))
	}
	known[n] = longest + 1
	return longest + 1
}

func contains(list []number, n number) bool {
	for _, other := range list {
		if other == n {
			return true
		}
	}
	return false
}

func (d *draft) membership(m Membership) (group, member number, err error) {
	group, ok := d.principalNumber(m.Group)
	member, there := d.principalNumber(m.Member)
	if !ok || !there {
		return 0, 0, model.Violationf(model.RuleUnknown, "the group or the member is not there")
	}
	if p := d.principals.Get(group); !p.Kind.IsGroup() {
		return 0, 0, model.Violationf(model.RulePlacement, "%s is %s, not a group: it has no members", p.Name, english.WithArticle(p.Kind.String()))
	}
	return group, member, nil
}

// way returns the names from one principal up to another it is, or is within; nil when it is neither. Only groups for which
// through is true are passed; a nil through passes all.
func (s *Snapshot) way(from *principalNode, to number, through func(*principalNode) bool) []string {
	dead := map[number]bool{}
	var climb func(*principalNode) []string
	climb = func(p *principalNode) []string {
		if p.number == to {
			return []string{p.Name}
		}
		for _, n := range p.groups {
			group := s.principals.Get(n)
			if dead[n] || through != nil && !through(group) {
				continue
			}
			if rest := climb(group); rest != nil {
				return append([]string{p.Name}, rest...)
			}
			dead[n] = true
		}
		return nil
	}
	return climb(from)
}

// refreshNames works out anew what names mean those principals, and everybody beneath them, whose groups changed.
func (d *draft) refreshNames() {
	if len(d.stale) == 0 {
		return
	}
	todo := make([]uint64, d.principals.Len()/64+1)
	is := func(n number) bool { return todo[n/64]&(1<<(n%64)) != 0 }
	for i := 0; i < len(d.stale); i++ {
		n := d.stale[i]
		if is(n) {
			continue
		}
		todo[n/64] |= 1 << (n % 64)
		d.stale = append(d.stale, d.principals.Get(n).members...)
	}
	var refresh func(number)
	var all, live []number
	refresh = func(n number) {
		if !is(n) {
			return
		}
		todo[n/64] &^= 1 << (n % 64)
		node := d.editPrincipal(n)
		for _, g := range node.groups {
			refresh(g)
		}
		node = d.editPrincipal(n)
		all = append(append(all[:0], n), wider(node.Principal)...)
		if node.Kind == model.OutsidePerson {
			provider, _ := d.principalNumber(node.Provider)
			all = append(all, provider)
			if d.principals.Get(provider).Own {
				all = append(all, staffNumber)
			}
		}
		live = append(live[:0], all...)
		for _, g := range node.groups {
			group := d.principals.Get(g)
			all = append(all, group.all()...)
			if group.Inactive {
				continue
			}
			for _, other := range group.all() {
				if !group.rests(other) {
					live = append(live, other)
				}
			}
		}
		if node.Kind.IsGroup() {
			// What cuts everybody cuts a group, too: whoever is in it. What everybody is given is not given by the group.
			all = append(all, publicNumber, signedInNumber, everyoneNumber)
		}
		node.setAll(all, live)
	}
	for _, n := range d.stale {
		refresh(n)
	}
	d.stale = nil
}

// anyMember reports whether fn is true of an active principal that acts and that n names: n itself, a member of it
// through active groups, or one of the set it is. Each principal is looked at once for one map of those seen.
func (s *Snapshot) anyMember(n number, seen map[number]bool, fn func(*principalNode) bool) bool {
	if seen[n] {
		return false
	}
	seen[n] = true
	p := s.principals.Get(n)
	switch {
	case p.Kind == model.BuiltInSet:
		found := false
		for _, kind := range []model.PrincipalKind{model.User, model.Guest, model.OutsidePerson, model.ServiceAccount, model.PlatformService} {
			s.named[kind].From("", s.principalKey, func(one number) bool {
				found = s.principals.Get(one).counts(n) && s.anyMember(one, seen, fn)
				return !found
			})
			if found {
				break
			}
		}
		return found
	case p.Inactive:
		return false
	case p.Kind == model.Provider:
		found := false
		s.eachOf(p.ID, func(one number) bool {
			found = s.anyMember(one, seen, fn)
			return !found
		})
		return found
	case !p.Kind.IsGroup():
		return !s.gone(p) && fn(p)
	}
	for _, m := range p.members {
		if s.anyMember(m, seen, fn) {
			return true
		}
	}
	return false
}

// What each change of people touches: theirs, and of groups that of their members.

func (c CreatePrincipal) touches(of *comparison) { of.takePrincipal(c.Principal.ID) }
func (c RenamePrincipal) touches(of *comparison) { of.takePrincipal(c.ID) }
func (c TagPrincipal) touches(of *comparison)    { of.takePrincipal(c.ID) }
func (c SetInactive) touches(of *comparison)     { of.takePrincipal(c.ID) }
func (c SetGathers) touches(of *comparison)      { of.takePrincipal(c.Group) }
func (c AddMember) touches(of *comparison)       { of.takePrincipal(c.Membership.Member) }
func (c RemoveMember) touches(of *comparison)    { of.takePrincipal(c.Membership.Member) }
func (SetOwner) touches(*comparison)             {} // what an owner may do is no permission
