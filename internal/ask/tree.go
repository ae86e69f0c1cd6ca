package ask

import (
	"context"
	"slices"

	"arbora.example/access/model"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// ScopeView is a scope as its viewer may see it. Without describe the details are empty.
type ScopeView struct {
	model.Scope
	store.ScopeDetails
	Address   string
	Described bool
	Path      []tenant.Ref // from the organisation down to the scope itself
	May       []string     // the permissions the viewer holds here on the scope itself, its roles, grants and people
	Creatable []string     // the types the viewer may create in it
	Offered   []string     // the platform services offered in it; nil when nothing narrows them
}

// Node is a scope in a listing.
type Node struct {
	model.Scope
	Address string
	Title   string
	Depth   int
	More    bool // it has children that are not listed
}

// treeDepth is deeper than any tree.
const treeDepth = 64

// usualPage is as many scopes as pages mostly have.
const usualPage = 200

// treeLimit bounds how many scopes one answer lists.
const treeLimit = 2000

// ShowScope returns a scope by id or address.
func (s *Answers) ShowScope(ctx context.Context, c tenant.Caller, key string) (ScopeView, error) {
	d, scope, err := s.OpenAt(ctx, c, key)
	if err != nil {
		return ScopeView{}, err
	}
	return s.ScopeView(ctx, d, scope)
}

// ScopeView returns a scope as the viewer may see it.
func (s *Answers) ScopeView(ctx context.Context, d tenant.Viewer, scope model.Scope) (ScopeView, error) {
	v := ViewOf(d, scope)
	if !v.Described {
		return v, nil
	}
	details, err := s.Records.ScopeDetails(ctx, []model.ID{scope.ID})
	v.ScopeDetails = details[scope.ID]
	return v, err
}

// ViewOf returns what the snapshot tells of a scope.
func ViewOf(d tenant.Viewer, scope model.Scope) ScopeView {
	v := ScopeView{Scope: scope, Address: d.Address(scope.ID), Described: d.May("describe "+scope.TypeName(), scope.ID)}
	for above := range d.Path(scope.ID) {
		v.Path = append(v.Path, d.Ref(above))
	}
	slices.Reverse(v.Path)
	about := []string{scope.TypeName(), "role", "grant", "policy", "audit-record", "service-account"}
	if scope.Kind == model.Organisation {
		about = append(about, "user", "group", "provider")
	}
	for _, name := range about {
		t, _ := d.Catalogue().Type(name)
		for _, o := range t.Operations {
			if d.Sight.May(o.Permission, scope.ID) {
				v.May = append(v.May, o.String())
			}
		}
	}
	v.Offered = d.OfferedAt(scope.ID)
	for _, t := range d.Catalogue().Placeable(scope.TypeName()) {
		if v.Offered != nil && t.Service != "tree" && !slices.Contains(v.Offered, t.Service) {
			continue
		}
		if d.May("create "+t.Name, scope.ID) {
			v.Creatable = append(v.Creatable, t.Name)
		}
	}
	if !v.Described {
		v.Scope.Tags = nil
	}
	return v
}

// ShowTree lists the scopes at and below one, level by level, as far as the caller sees them.
func (s *Answers) ShowTree(ctx context.Context, c tenant.Caller, key string, depth int) (nodes []Node, revision uint64, err error) {
	d, top, err := s.OpenAt(ctx, c, key)
	if err != nil {
		return nil, 0, err
	}
	nodes = nodesOf(d, top, depth)
	return nodes, d.Revision(), s.addTitles(ctx, d, nodes)
}

// nodesOf lists the scopes at and below one, level by level, as far as the caller sees them and as many as one answer lists.
func nodesOf(d tenant.Viewer, top model.Scope, depth int) []Node {
	nodes := nodesUpTo(d, top, depth, treeLimit)
	nodes[0].Address = d.Address(top.ID)
	for i, above := range parents(nodes) {
		if i > 0 {
			nodes[i].Address = nodes[above].Address + "/" + nodes[i].FullName()
		}
	}
	return nodes
}

// parents returns which node of a listing each is in; the first is in none.
func parents(nodes []Node) []int {
	above, parent := make([]int, len(nodes)), 0
	for i := 1; i < len(nodes); i++ {
		for nodes[parent].ID != nodes[i].Parent { // level by level, those of one parent come together, and parents in their order
			parent++
		}
		above[i] = parent
	}
	return above
}

// nodesUpTo is nodesOf for as many as are wanted, without their addresses.
func nodesUpTo(d tenant.Viewer, top model.Scope, depth, most int) []Node {
	nodes := []Node{{Scope: top}}
	if top.Kind == model.Organisation && depth == treeDepth { // all there is
		nodes = slices.Grow(nodes, min(most, d.Scopes()))
	}
	for i := 0; i < len(nodes); i++ {
		for child := range d.Children(nodes[i].ID, "") {
			if !d.Sight.Sees(child.ID) {
				continue
			}
			if nodes[i].Depth == depth || len(nodes) == most {
				nodes[i].More = true
				break
			}
			nodes = append(nodes, Node{Scope: child, Depth: nodes[i].Depth + 1})
		}
	}
	return nodes
}

// ListChildren lists the scopes directly below one, by name, a page at a time; next is the cursor of the page after.
func (s *Answers) ListChildren(ctx context.Context, c tenant.Caller, key, after string, limit int) (nodes []Node, next string, err error) {
	d, scope, err := s.OpenAt(ctx, c, key)
	if err != nil {
		return nil, "", err
	}
	address := d.Address(scope.ID)
	nodes = make([]Node, 0, min(limit, usualPage))
	for child := range d.Children(scope.ID, after) {
		if !d.Sight.Sees(child.ID) {
			continue
		}
		if len(nodes) == limit {
			next = nodes[limit-1].FullName()
			break
		}
		nodes = append(nodes, Node{Scope: child, Address: address + "/" + child.FullName(), Depth: 1, More: anyChildSeen(d, child.ID)})
	}
	return nodes, next, s.addTitles(ctx, d, nodes)
}

func anyChildSeen(d tenant.Viewer, id model.ID) bool {
	for child := range d.Children(id, "") {
		if d.Sight.Sees(child.ID) {
			return true
		}
	}
	return false
}

// addTitles fills in the titles of those scopes that the viewer may describe.
func (s *Answers) addTitles(ctx context.Context, d tenant.Viewer, nodes []Node) error {
	described, places := make([]model.ID, 0, len(nodes)), make([]int, 0, len(nodes))
	permissions := map[string]string{}
	for i := range nodes {
		name := nodes[i].TypeName()
		permission, ok := permissions[name]
		if !ok {
			permission = "describe " + name
			permissions[name] = permission
		}
		if d.May(permission, nodes[i].ID) {
			described, places = append(described, nodes[i].ID), append(places, i)
		}
	}
	titles, err := s.Titles(ctx, described)
	if err != nil {
		return err
	}
	for i, title := range titles {
		nodes[places[i]].Title = title
	}
	return nil
}
