package access

import (
	"encoding/binary"
	"iter"
	"slices"
	"strings"

	"github.com/benbjohnson/immutable"

	"arbora.example/access/catalogue"
	"arbora.example/access/internal/persist"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// Snapshot is the access state of one organisation at one revision. It is immutable and safe for any number of readers.
// [New] gives the empty one, [Snapshot.With] the next.
//
// Inside, scopes and principals have dense numbers in the order they came; a number is never reused. The tables and
// indexes that hold them are persistent: a snapshot shares with the one before all that did not change.
type Snapshot struct {
	catalogue      *catalogue.Catalogue
	revision       uint64
	scopes         scopeTable
	scopeIndex     persist.IDIndex
	principals     persist.Table[principalNode]
	principalIndex persist.IDIndex
	named          [model.BuiltInSet + 1]*persist.Siblings // principals of each kind, by name
	subjects       *persist.Siblings                       // outside people, by provider and subject
	grants         *immutable.Map[model.ID, *grantNode]
	policies       *immutable.Map[model.ID, *policyNode]
	roles          *immutable.SortedMap[string, *catalogue.Role] // custom ones
	gathering      []number                                      // the gathering groups
	formerly       []string                                      // names that the organisation had before, sorted
	suspended      int                                           // how many policies are
	dormant        *immutable.Map[*rule, bool]                   // rules of statements whose place has left their policy's scope
	narrowed       int                                           // how many containers name the services they offer
}

// Size is how much an organisation has, in use or out of it.
type Size struct {
	Scopes, Principals, Groups, Grants, Statements int // principals are users, guests, outside people and service accounts
}

// Size counts what the organisation has. It takes steps of the order of a hundredth of the principals, and of the policies.
func (s *Snapshot) Size() Size {
	size := Size{Scopes: s.scopes.containers.Len() + s.scopes.resources.Len(), Groups: s.named[model.Group].Length(), Grants: s.grants.Len()}
	for _, kind := range []model.PrincipalKind{model.User, model.Guest, model.OutsidePerson, model.ServiceAccount} {
		size.Principals += s.named[kind].Length()
	}
	for all := s.policies.Iterator(); !all.Done(); {
		_, p, _ := all.Next()
		size.Statements += len(p.Statements)
	}
	return size
}

// number is the dense number of a scope or principal in the tables of its snapshot.
type number = uint32

// scopeNode is small, for there may be millions: a cache line. What only some scopes have is in more.
type scopeNode struct {
	id       model.ID
	name     string // the full one
	parent   number // its own number for the organisation
	typ      uint16 // in the catalogue
	retired  bool
	overflow bool        // the rules name more than the marks tell
	names    nameMarks   // whom the rules name
	rules    *placeRules // placed here; nil for none
	more     *scopeMore
}

// scopeMore is what containers have, and some resources.
type scopeMore struct {
	owner      *persist.Owner
	containers *persist.Siblings
	resources  *persist.Siblings
	bearing    []number // those of the resources that have some of their own
	tags       map[string]string
	offered    []string
	grants     []*grantNode // at this scope, oldest first
	policies   []*policyNode
	placed     []*rule // the rules placed here, oldest first
}

type grantNode struct {
	Grant
	scope  number
	holder number
	rule   *rule
}

type policyNode struct {
	statement.Policy
	scope number
	rules []*rule // one a statement
}

type idHasher struct{}

// Hash uses the last bytes of the id: those of a UUIDv7 are random.
func (idHasher) Hash(id model.ID) uint32  { return binary.BigEndian.Uint32(id[12:]) }
func (idHasher) Equal(a, b model.ID) bool { return a == b }

type ruleHasher struct{}

// Hash uses what a rule comes from.
func (ruleHasher) Hash(r *rule) uint32 {
	return binary.BigEndian.Uint32(r.ref.Policy[12:]) + uint32(r.ref.Statement)
}
func (ruleHasher) Equal(a, b *rule) bool { return a == b }

// New returns the empty snapshot at revision 0: no organisation, nobody but the built-in sets and the catalogue's platform
// services, nothing.
func New(c *catalogue.Catalogue) *Snapshot {
	s := &Snapshot{
		catalogue: c,
		grants:    immutable.NewMap[model.ID, *grantNode](idHasher{}),
		policies:  immutable.NewMap[model.ID, *policyNode](idHasher{}),
		roles:     immutable.NewSortedMap[string, *catalogue.Role](nil),
		dormant:   immutable.NewMap[*rule, bool](ruleHasher{}),
	}
	d := &draft{Snapshot: *s, owner: new(persist.Owner)}
	for _, builtIn := range builtInSets {
		d.enterPrincipal(builtIn)
	}
	for _, service := range c.Services() {
		if service.Own() {
			continue // Arbora itself asks nobody
		}
		d.enterPrincipal(Principal{ID: model.PlatformServiceID(service.Name), Kind: model.PlatformService, Name: service.Name})
	}
	d.refresh()
	return &d.Snapshot
}

// Catalogue returns the catalogue the snapshot decides by.
func (s *Snapshot) Catalogue() *catalogue.Catalogue { return s.catalogue }

// Revision counts the changes that led here.
func (s *Snapshot) Revision() uint64 { return s.revision }

// Top returns the organisation; ok is false in an empty snapshot.
func (s *Snapshot) Top() (top model.Scope, ok bool) {
	if s.scopes.len() == 0 {
		return model.Scope{}, false
	}
	return s.scopeAt(0), true
}

// Scopes counts the scopes.
func (s *Snapshot) Scopes() int { return s.scopes.len() }

// Scope finds a scope by id.
func (s *Snapshot) Scope(id model.ID) (model.Scope, bool) {
	n, ok := s.scopeNumber(id)
	if !ok {
		return model.Scope{}, false
	}
	return s.scopeAt(n), true
}

// Address returns the path of names from the organisation down, or "" for an unknown id.
func (s *Snapshot) Address(id model.ID) string {
	n, ok := s.scopeNumber(id)
	if !ok {
		return ""
	}
	return s.address(n)
}

func (s *Snapshot) address(n number) string {
	size := -1
	for up := s.upward(n); up.next(); {
		size += len(up.node.name) + 1
	}
	var room [256]byte
	text := slices.Grow(room[:0], size)[:size]
	for up, at := s.upward(n), size; up.next(); {
		at -= len(up.node.name)
		copy(text[at:], up.node.name)
		if at--; at >= 0 {
			text[at] = '/'
		}
	}
	return string(text)
}

// Path yields the scope and every scope above it, up to the organisation.
func (s *Snapshot) Path(id model.ID) iter.Seq[model.Scope] {
	return func(yield func(model.Scope) bool) {
		n, ok := s.scopeNumber(id)
		if !ok {
			return
		}
		for up := s.upward(n); up.next(); {
			if !yield(s.scopeAt(up.number)) {
				return
			}
		}
	}
}

// Children yields the scopes directly beneath one, by full name, beginning after the given one ("" for all).
func (s *Snapshot) Children(id model.ID, after string) iter.Seq[model.Scope] {
	return func(yield func(model.Scope) bool) {
		n, ok := s.scopeNumber(id)
		if !ok {
			return
		}
		s.children(n, after, func(child number) bool { return yield(s.scopeAt(child)) })
	}
}

// children calls yield for the scopes directly beneath one in the order of their full names, until it returns false.
func (s *Snapshot) children(n number, after string, yield func(number) bool) {
	more := s.scopes.get(n).more
	if more == nil {
		return
	}
	// Containers and resources are listed apart, and merged here.
	var containers []number
	more.containers.From(after, s.scopeName, func(n number) bool {
		containers = append(containers, n)
		return true
	})
	going := true
	more.resources.From(after, s.scopeName, func(resource number) bool {
		for going && len(containers) > 0 && s.scopeName(containers[0]) < s.scopeName(resource) {
			going, containers = yield(containers[0]), containers[1:]
		}
		going = going && yield(resource)
		return going
	})
	for going && len(containers) > 0 {
		going, containers = yield(containers[0]), containers[1:]
	}
}

// descend calls fn for every scope beneath one, parents before children, and goes no deeper where it returns false.
func (s *Snapshot) descend(n number, fn func(number) bool) {
	more := s.scopes.get(n).more
	if more == nil {
		return
	}
	visit := func(child number) bool {
		if fn(child) {
			s.descend(child, fn)
		}
		return true
	}
	more.containers.From("", s.scopeName, visit)
	more.resources.From("", s.scopeName, visit)
}

// someBeneath reports whether fn holds for any scope directly beneath one; it stops at the first.
func (s *Snapshot) someBeneath(n number, fn func(number) bool) bool {
	more := s.scopes.get(n).more
	if more == nil {
		return false
	}
	found := false
	look := func(child number) bool {
		found = fn(child)
		return !found
	}
	if more.containers.From("", s.scopeName, look); !found {
		more.resources.From("", s.scopeName, look)
	}
	return found
}

// beneath counts the containers and the resources beneath a scope without a look at each resource.
func (s *Snapshot) beneath(n number) (containers, resources int) {
	more := s.scopes.get(n).more
	if more == nil {
		return 0, 0
	}
	containers, resources = more.containers.Len(), more.resources.Len()
	add := func(child number) bool {
		c, r := s.beneath(child)
		containers, resources = containers+c, resources+r
		return true
	}
	for _, resource := range more.bearing {
		add(resource)
	}
	more.containers.From("", s.scopeName, add)
	return containers, resources
}

// Beneath counts the scopes beneath one.
func (s *Snapshot) Beneath(id model.ID) int {
	n, ok := s.scopeNumber(id)
	if !ok {
		return 0
	}
	containers, resources := s.beneath(n)
	return containers + resources
}

// Resources counts the resources beneath a scope.
func (s *Snapshot) Resources(id model.ID) int {
	n, ok := s.scopeNumber(id)
	if !ok {
		return 0
	}
	_, resources := s.beneath(n)
	return resources
}

// Principal finds a principal by id.
func (s *Snapshot) Principal(id model.ID) (Principal, bool) {
	node := s.principalNode(id)
	if node == nil {
		return Principal{}, false
	}
	return node.Principal, true
}

// PrincipalNamed finds a principal by kind and name; for a service account see [Snapshot.ServiceAccountAt].
func (s *Snapshot) PrincipalNamed(kind model.PrincipalKind, name string) (Principal, bool) {
	return s.principalByKey(kind, name)
}

// ServiceAccountAt finds a service account by the scope it lives at and its name.
func (s *Snapshot) ServiceAccountAt(home model.ID, name string) (Principal, bool) {
	return s.principalByKey(model.ServiceAccount, nameKey(name, home))
}

func (s *Snapshot) principalByKey(kind model.PrincipalKind, key string) (Principal, bool) {
	if s.named[kind] == nil {
		return Principal{}, false
	}
	n, ok := s.named[kind].Find(key, s.principalKey)
	if !ok {
		return Principal{}, false
	}
	return s.principals.Get(n).Principal, true
}

// Principals yields the principals of a kind by name.
func (s *Snapshot) Principals(kind model.PrincipalKind) iter.Seq[Principal] {
	return func(yield func(Principal) bool) {
		s.named[kind].From("", s.principalKey, func(n number) bool { return yield(s.principals.Get(n).Principal) })
	}
}

// Means reports whether a rule that names somebody means another: themselves, a member at any depth through groups in use, or
// whoever is in a built-in set.
func (s *Snapshot) Means(named, who model.ID) bool {
	p := s.principalNode(who)
	n, ok := s.principalNumber(named)
	return ok && p != nil && p.counts(n)
}

// Members returns the direct members of a group, groups among them, by kind and name.
func (s *Snapshot) Members(group model.ID) []Principal {
	if node := s.principalNode(group); node != nil {
		return s.principalsAt(node.members)
	}
	return nil
}

// MemberCount returns how many direct members a group has.
func (s *Snapshot) MemberCount(group model.ID) int {
	if node := s.principalNode(group); node != nil {
		return len(node.members)
	}
	return 0
}

// EveryMember returns who is in a group at any depth, groups themselves left out, by name; nil for what is no group.
func (s *Snapshot) EveryMember(group model.ID) []Principal {
	node := s.principalNode(group)
	if node == nil || !node.Kind.IsGroup() {
		return nil
	}
	all := slices.Clone(node.members)
	seen := make(map[number]bool, len(all))
	var people []number
	for i := 0; i < len(all); i++ {
		if seen[all[i]] {
			continue
		}
		seen[all[i]] = true
		if member := s.principals.Get(all[i]); member.Kind.IsGroup() {
			all = append(all, member.members...)
		} else {
			people = append(people, all[i])
		}
	}
	return s.principalsAt(people)
}

// Groups returns the groups a principal is a direct member of, by name. For outside groups, see [Snapshot.OutsideGroupsOf].
func (s *Snapshot) Groups(member model.ID) []Principal {
	if node := s.principalNode(member); node != nil {
		return s.groupsAt(node.groups, model.Group)
	}
	return nil
}

// Within returns the groups a principal is a member of at any depth, outside groups left out, by name.
func (s *Snapshot) Within(member model.ID) []Principal {
	if node := s.principalNode(member); node != nil {
		return s.groupsAt(s.within(node), model.Group)
	}
	return nil
}

// OutsideGroupsOf returns the outside groups that somebody is in or, of an outside group, the patterns that match it, by name.
func (s *Snapshot) OutsideGroupsOf(member model.ID) []Principal {
	if node := s.principalNode(member); node != nil {
		return s.groupsAt(node.groups, model.OutsideGroup)
	}
	return nil
}

func (s *Snapshot) groupsAt(numbers []number, kind model.PrincipalKind) []Principal {
	return slices.DeleteFunc(s.principalsAt(numbers), func(p Principal) bool { return p.Kind != kind })
}

// within returns the numbers of the groups a principal is a member of at any depth, inactive ones too.
func (s *Snapshot) within(node *principalNode) []number {
	all := slices.Clone(node.groups)
	for i := 0; i < len(all); i++ {
		for _, above := range s.principals.Get(all[i]).groups {
			if !slices.Contains(all, above) {
				all = append(all, above)
			}
		}
	}
	return all
}

func (s *Snapshot) principalsAt(numbers []number) []Principal {
	list := make([]Principal, len(numbers))
	for i, n := range numbers {
		list[i] = s.principals.Get(n).Principal
	}
	slices.SortFunc(list, func(a, b Principal) int {
		if a.Kind != b.Kind {
			return strings.Compare(a.Kind.String(), b.Kind.String())
		}
		return strings.Compare(a.Name, b.Name)
	})
	return list
}

// Grant finds a grant by id.
func (s *Snapshot) Grant(id model.ID) (Grant, bool) {
	node, ok := s.grants.Get(id)
	if !ok {
		return Grant{}, false
	}
	return node.Grant, true
}

// GrantsAt returns the grants at a scope itself, oldest first.
func (s *Snapshot) GrantsAt(scope model.ID) []Grant {
	n, ok := s.scopeNumber(scope)
	if !ok || s.scopes.get(n).more == nil {
		return nil
	}
	nodes := s.scopes.get(n).more.grants
	grants := make([]Grant, len(nodes))
	for i, node := range nodes {
		grants[i] = node.Grant
	}
	return grants
}

// GrantsFor returns the grants that name the principal itself, oldest first.
func (s *Snapshot) GrantsFor(principal model.ID) []Grant {
	node := s.principalNode(principal)
	if node == nil {
		return nil
	}
	var grants []Grant
	for _, r := range node.rules {
		if r.grant != nil {
			grants = append(grants, r.grant.Grant)
		}
	}
	return grants
}

// scopeAt returns a scope as others see it.
func (s *Snapshot) scopeAt(n number) model.Scope {
	node := s.scopes.get(n)
	typ := s.catalogue.TypeAt(node.typ)
	scope := model.Scope{ID: node.id, Kind: typ.Kind(), Name: node.name, Retired: node.retired}
	if typ.Kind() == model.Resource {
		scope.Name, scope.Type = node.name[:len(node.name)-len(typ.Name)-1], typ.Name
	}
	if node.parent != n {
		scope.Parent = s.scopes.get(node.parent).id
	}
	if node.more != nil {
		scope.Tags, scope.Offered = node.more.tags, node.more.offered
	}
	if n == 0 {
		scope.Formerly = s.formerly
	}
	return scope
}

func (s *Snapshot) scopeName(n number) string    { return s.scopes.get(n).name }
func (s *Snapshot) principalKey(n number) string { return s.principals.Get(n).key }

func (s *Snapshot) scopeNumber(id model.ID) (number, bool) {
	for found := s.scopeIndex.Search(id); ; {
		n, ok := found.Next()
		if !ok {
			return 0, false
		}
		if s.scopes.get(n).id == id {
			return n, true
		}
	}
}

func (s *Snapshot) principalNumber(id model.ID) (number, bool) {
	for found := s.principalIndex.Search(id); ; {
		n, ok := found.Next()
		if !ok {
			return 0, false
		}
		if s.principals.Get(n).ID == id {
			return n, true
		}
	}
}

func (s *Snapshot) principalNode(id model.ID) *principalNode {
	n, ok := s.principalNumber(id)
	if !ok {
		return nil
	}
	return s.principals.Get(n)
}

// meaning returns the permissions that mean something at a scope: those on its type and on all that may be beneath it, of services
// that are offered there.
func (s *Snapshot) meaning(n number) catalogue.Set {
	wide := s.wideMeaning(n)
	if s.narrowed == 0 || !s.catalogue.TypeAt(s.scopes.get(n).typ).IsContainer() {
		return wide // what a resource is of is offered where it stands
	}
	offered := s.offeredAt(n)
	if offered == nil {
		return wide
	}
	return wide.And(s.catalogue.OfServices(offered))
}

// wideMeaning is meaning as if all services were offered: what a rule gives counts as given though nothing comes of it until a
// service is offered again.
func (s *Snapshot) wideMeaning(n number) catalogue.Set {
	return s.catalogue.TypeAt(s.scopes.get(n).typ).Meaning()
}

// Offers reports whether the service of a permission is offered at a scope, if the permission means something there at all.
func (s *Snapshot) Offers(scope model.ID, p catalogue.Permission) bool {
	n, ok := s.scopeNumber(scope)
	return ok && s.offers(n, p)
}

// offers reports whether a permission that means something at a scope is of a service offered there. It allocates nothing.
func (s *Snapshot) offers(n number, p catalogue.Permission) bool {
	if s.narrowed == 0 || !s.catalogue.TypeAt(s.scopes.get(n).typ).IsContainer() {
		return true
	}
	service := s.catalogue.ServiceOf(p)
	if service.Own() {
		return true
	}
	for up := s.upward(n); up.next(); {
		if more := up.node.more; more != nil && more.offered != nil && !slices.Contains(more.offered, service.Name) {
			return false
		}
	}
	return true
}

// ascent walks from a scope up to the organisation.
type ascent struct {
	scopes *scopeTable
	number number // of the node
	node   *scopeNode
	from   number
}

func (s *Snapshot) upward(n number) ascent { return ascent{scopes: &s.scopes, from: n} }

func (a *ascent) next() bool {
	if a.node == nil {
		a.number = a.from
	} else if a.node.parent == a.number {
		return false
	} else {
		a.number = a.node.parent
	}
	a.node = a.scopes.get(a.number)
	return true
}

// IsAtOrBeneath reports whether a scope is another, or beneath it.
func (s *Snapshot) IsAtOrBeneath(scope, above model.ID) bool {
	n, ok := s.scopeNumber(scope)
	top, there := s.scopeNumber(above)
	return ok && there && s.isAtOrBeneath(n, top)
}

// isAtOrBeneath reports whether a scope is another, or beneath it.
func (s *Snapshot) isAtOrBeneath(n, above number) bool {
	for up := s.upward(n); up.next(); {
		if up.number == above {
			return true
		}
	}
	return false
}

// IsRetired reports whether a scope or one above it is retired.
func (s *Snapshot) IsRetired(scope model.ID) bool {
	n, ok := s.scopeNumber(scope)
	return ok && s.retired(n)
}

// retired reports whether a scope or one above it is retired.
func (s *Snapshot) retired(n number) bool {
	for up := s.upward(n); up.next(); {
		if up.node.retired {
			return true
		}
	}
	return false
}

// ServiceNamed finds a service of the catalogue.
func (s *Snapshot) ServiceNamed(name string) (*catalogue.Service, bool) {
	for _, service := range s.catalogue.Services() {
		if service.Name == name {
			return service, true
		}
	}
	return nil, false
}
