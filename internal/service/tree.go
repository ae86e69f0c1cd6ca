package service

import (
	"context"
	"fmt"
	"maps"
	"net/mail"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/google/uuid"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/store"
)

// Ref names a scope.
type Ref struct {
	ID      model.ID
	Address string
	Name    string
}

// ScopeView is a scope as its viewer may see it. Without describe the details are empty.
type ScopeView struct {
	model.Scope
	store.ScopeDetails
	Address   string
	Described bool
	Path      []Ref    // from the organisation down to the scope itself
	May       []string // the permissions the viewer holds here on the scope itself, its roles, grants and people
	Creatable []string // the types the viewer may create in it
	Offered   []string // the platform services offered in it; nil when nothing narrows them
}

// Node is a scope in a listing.
type Node struct {
	model.Scope
	Address string
	Title   string
	Depth   int
	More    bool // it has children that are not listed
}

// NewScope is a scope that somebody wants.
type NewScope struct {
	ID                                   model.ID // of its own choice, for a platform service that records it first; else zero
	Kind, Name, Type, Title, Description string
	Tags                                 map[string]string
}

// treeDepth is deeper than any tree.
const treeDepth = 64

// treeLimit bounds how many scopes one answer lists.
const treeLimit = 2000

// ShowScope gives a scope by id or address.
func (s *Service) ShowScope(ctx context.Context, c Caller, key string) (ScopeView, error) {
	d, scope, err := s.openAt(ctx, c, key)
	if err != nil {
		return ScopeView{}, err
	}
	return s.scopeView(ctx, d, scope)
}

func (s *Service) scopeView(ctx context.Context, d desk, scope model.Scope) (ScopeView, error) {
	v := viewOf(d, scope)
	if !v.Described {
		return v, nil
	}
	details, err := s.records.ScopeDetails(ctx, []model.ID{scope.ID})
	v.ScopeDetails = details[scope.ID]
	return v, err
}

// viewOf gives what the snapshot tells of a scope.
func viewOf(d desk, scope model.Scope) ScopeView {
	v := ScopeView{Scope: scope, Address: d.Address(scope.ID), Described: d.may("describe "+scope.TypeName(), scope.ID)}
	for above := range d.Path(scope.ID) {
		v.Path = append(v.Path, d.ref(above))
	}
	slices.Reverse(v.Path)
	about := []string{scope.TypeName(), "role", "grant", "policy", "audit-record", "service-account"}
	if scope.Kind == model.Organisation {
		about = append(about, "user", "group")
	}
	for _, name := range about {
		t, _ := d.Catalogue().Type(name)
		for _, o := range t.Operations {
			if d.view.May(o.Permission, scope.ID) {
				v.May = append(v.May, o.String())
			}
		}
	}
	v.Offered = d.OfferedAt(scope.ID)
	for _, t := range d.Catalogue().Placeable(scope.TypeName()) {
		if v.Offered != nil && t.Service != "tree" && !slices.Contains(v.Offered, t.Service) {
			continue
		}
		if d.may("create "+t.Name, scope.ID) {
			v.Creatable = append(v.Creatable, t.Name)
		}
	}
	if !v.Described {
		v.Scope.Tags = nil
	}
	return v
}

func (d desk) ref(scope model.Scope) Ref {
	return Ref{ID: scope.ID, Address: d.Address(scope.ID), Name: scope.FullName()}
}

// ShowTree lists the scopes at and below one, level by level, as far as the caller sees them.
func (s *Service) ShowTree(ctx context.Context, c Caller, key string, depth int) (nodes []Node, revision uint64, err error) {
	d, top, err := s.openAt(ctx, c, key)
	if err != nil {
		return nil, 0, err
	}
	nodes = d.nodes(top, depth)
	return nodes, d.Revision(), s.addTitles(ctx, d, nodes)
}

// nodes lists the scopes at and below one, level by level, as far as the caller sees them and as many as one answer lists.
func (d desk) nodes(top model.Scope, depth int) []Node {
	nodes := []Node{{Scope: top, Address: d.Address(top.ID)}}
	for i := 0; i < len(nodes); i++ {
		for child := range d.Children(nodes[i].ID, "") {
			if !d.view.Sees(child.ID) {
				continue
			}
			if nodes[i].Depth == depth || len(nodes) == treeLimit {
				nodes[i].More = true
				break
			}
			nodes = append(nodes, Node{Scope: child, Address: nodes[i].Address + "/" + child.FullName(), Depth: nodes[i].Depth + 1})
		}
	}
	return nodes
}

// ListChildren lists the scopes directly below one, by name, a page at a time; next is the cursor of the page after.
func (s *Service) ListChildren(ctx context.Context, c Caller, key, after string, limit int) (nodes []Node, next string, err error) {
	d, scope, err := s.openAt(ctx, c, key)
	if err != nil {
		return nil, "", err
	}
	address := d.Address(scope.ID)
	for child := range d.Children(scope.ID, after) {
		if !d.view.Sees(child.ID) {
			continue
		}
		if len(nodes) == limit {
			next = nodes[limit-1].FullName()
			break
		}
		nodes = append(nodes, Node{Scope: child, Address: address + "/" + child.FullName(), Depth: 1, More: d.anyChildSeen(child.ID)})
	}
	return nodes, next, s.addTitles(ctx, d, nodes)
}

func (d desk) anyChildSeen(id model.ID) bool {
	for child := range d.Children(id, "") {
		if d.view.Sees(child.ID) {
			return true
		}
	}
	return false
}

// addTitles fills in the titles of those scopes that the viewer may describe.
func (s *Service) addTitles(ctx context.Context, d desk, nodes []Node) error {
	var described []model.ID
	for _, n := range nodes {
		if d.may("describe "+n.TypeName(), n.ID) {
			described = append(described, n.ID)
		}
	}
	details, err := s.records.ScopeDetails(ctx, described)
	if err != nil {
		return err
	}
	for i := range nodes {
		nodes[i].Title = details[nodes[i].ID].Title
	}
	return nil
}

// CreateScope makes a folder, project, compartment or resource in a scope.
func CreateScope(parent string, wanted NewScope) Change[ScopeView] {
	var made madeScope
	change := Change[ScopeView]{
		plan: func(_ context.Context, s *Service, _ Caller) planner { return s.planScope(parent, wanted, &made) },
		tell: func(_ context.Context, s *Service, c Caller, next *access.Snapshot) (ScopeView, error) {
			view := viewOf(s.deskOf(next, c), made.Scope)
			if view.Described {
				view.ScopeDetails = made.ScopeDetails
			}
			return view, nil
		},
	}
	if !wanted.ID.IsZero() {
		change.already = func(ctx context.Context, s *Service, c Caller) (ScopeView, uint64, error) {
			return s.registered(ctx, c, parent, wanted)
		}
	}
	return change
}

// madeScope is a scope as it was made.
type madeScope struct {
	model.Scope
	store.ScopeDetails
}

// registered answers a platform service that registers a resource once more, since it may not have heard the answer, as it
// was answered first. The revision is zero when the resource is not there yet.
func (s *Service) registered(ctx context.Context, c Caller, parent string, wanted NewScope) (ScopeView, uint64, error) {
	if c.Kind != model.PlatformService {
		return ScopeView{}, 0, &Problem{Kind: Refused, Detail: "only a platform service chooses the id of what it registers", Next: "leave the id out", Field: "id"}
	}
	if uuid.UUID(wanted.ID).Version() != 7 {
		return ScopeView{}, 0, &Problem{Kind: Invalid, Detail: "the id is no UUIDv7", Next: "make one by RFC 9562", Field: "id"}
	}
	d, err := s.open(ctx, c)
	if err != nil {
		return ScopeView{}, 0, err
	}
	there, ok := d.Scope(wanted.ID)
	if !ok {
		return ScopeView{}, 0, nil
	}
	above, err := d.scope(parent)
	if err != nil {
		return ScopeView{}, 0, err
	}
	if there.Parent != above.ID || there.Name != wanted.Name || there.Type != wanted.Type {
		return ScopeView{}, 0, &Problem{Kind: Conflict, Detail: fmt.Sprintf("the id %s is that of another scope", wanted.ID), Next: "make another", Field: "id"}
	}
	view, err := s.scopeView(ctx, d, there)
	return view, d.Revision(), err
}

func (s *Service) planScope(parent string, wanted NewScope, made *madeScope) planner {
	return func(d desk) (plan, error) {
		above, err := d.scope(parent)
		if err != nil {
			return plan{}, err
		}
		scope, details, err := s.newScope(wanted, above.ID)
		if err != nil {
			return plan{}, err
		}
		// A misplaced or unknown type is said so first: permission to make one would not help.
		if _, err := d.With(d.Revision(), access.CreateScope{Scope: scope}); err != nil && !d.rulesOnNames(err) {
			return plan{}, broken(err, "")
		}
		if err := d.need("create "+scope.TypeName(), above); err != nil {
			return plan{}, err
		}
		*made = madeScope{scope, details}
		return plan{
			changes:   []access.Change{access.CreateScope{Scope: scope}},
			described: store.Descriptions{Scopes: map[model.ID]store.ScopeDetails{scope.ID: details}},
		}, nil
	}
}

// OfferServices names the platform services offered beneath a container; nil narrows nothing.
func OfferServices(key string, services []string) Change[Nothing] {
	return planned(planOffer(key, services))
}

func planOffer(key string, services []string) planner {
	return func(d desk) (plan, error) {
		scope, err := d.scope(key)
		if err != nil {
			return plan{}, err
		}
		if err := d.need("edit "+scope.TypeName(), scope); err != nil {
			return plan{}, err
		}
		if services != nil {
			services = slices.Compact(slices.Sorted(slices.Values(services)))
		}
		return plan{changes: []access.Change{access.OfferServices{ID: scope.ID, Services: services}}}, nil
	}
}

// rulesOnNames reports whether an error tells of a name that is there already, which only those may learn who could
// have made it.
func (d desk) rulesOnNames(err error) bool {
	v, ok := err.(*model.Violation)
	return ok && v.Rule == model.RuleTaken
}

func (s *Service) newScope(wanted NewScope, parent model.ID) (model.Scope, store.ScopeDetails, error) {
	kind, err := model.ParseKind(wanted.Kind)
	if err != nil {
		return model.Scope{}, store.ScopeDetails{}, broken(err, "kind")
	}
	switch {
	case kind == model.Resource && wanted.Type == "":
		return model.Scope{}, store.ScopeDetails{}, &Problem{Kind: Invalid, Detail: "a resource needs a type", Next: "say which, such as bucket", Field: "type"}
	case kind != model.Resource && wanted.Type != "":
		return model.Scope{}, store.ScopeDetails{}, &Problem{Kind: Invalid, Detail: fmt.Sprintf("a %s has no type", kind), Next: "leave the type out, or make a resource", Field: "type"}
	}
	for key, value := range wanted.Tags {
		if model.CheckName(key) != nil {
			return model.Scope{}, store.ScopeDetails{}, &Problem{Kind: Invalid, Detail: fmt.Sprintf("the tag %q is not a valid name", key), Next: "use lower-case letters, digits and hyphens", Field: "tags"}
		}
		if err := checkLine("tags", "the tag "+key, value); err != nil {
			return model.Scope{}, store.ScopeDetails{}, err
		}
	}
	if err := checkLine("title", "the title", wanted.Title); err != nil {
		return model.Scope{}, store.ScopeDetails{}, err
	}
	id := wanted.ID
	if id.IsZero() {
		id = newID()
	}
	scope := model.Scope{ID: id, Parent: parent, Kind: kind, Name: wanted.Name, Type: wanted.Type, Tags: maps.Clone(wanted.Tags)}
	return scope, store.ScopeDetails{Title: wanted.Title, Description: wanted.Description, CreatedAt: s.moment()}, nil
}

// checkLine refuses text that is not one clean line: it may hold no control characters, nor any that turn the direction of
// what stands beside it, for they have a title read as another.
func checkLine(field, what, text string) error {
	if !utf8.ValidString(text) || strings.ContainsFunc(text, func(r rune) bool {
		return unicode.IsControl(r) || unicode.In(r, unicode.Bidi_Control, unicode.Zl, unicode.Zp)
	}) {
		return &Problem{Kind: Invalid, Detail: what + " holds characters that are not printed", Next: "write it as one line of text", Field: field}
	}
	return nil
}

// checkEmail refuses what is no bare email address (RFC 5322). None at all is allowed.
func checkEmail(email string) error {
	if email == "" {
		return nil
	}
	if parsed, err := mail.ParseAddress(email); err != nil || parsed.Address != email {
		return &Problem{Kind: Invalid, Detail: fmt.Sprintf("%q is not a valid email address", email), Next: "write one such as bram@lindenmere.example, or none", Field: "email"}
	}
	return nil
}
