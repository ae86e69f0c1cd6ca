package ask

import (
	"context"

	"arbora.example/access/model"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Contents counts what is in a scope, as far as its viewer sees it.
type Contents struct {
	Children  int
	Scopes    int // beneath it, resources counted
	Resources int
	More      bool // there are at least so many
}

// contentsMost bounds how many scopes are counted one by one.
const contentsMost = 10_000

// CountContents counts what is in a scope.
func (s *Answers) CountContents(ctx context.Context, c tenant.Caller, key string) (Contents, error) {
	d, scope, err := s.OpenAt(ctx, c, key)
	if err != nil {
		return Contents{}, err
	}
	var in Contents
	for below := range d.Sight.Seen(scope.ID) {
		if below.ID == scope.ID {
			continue
		}
		if in.Scopes == contentsMost {
			in.More = true
			break
		}
		in.Scopes++
		if below.Parent == scope.ID {
			in.Children++
		}
		if below.Kind == model.Resource {
			in.Resources++
		}
	}
	if in.More && listsAll(d, scope) {
		// Whoever lists everything there may know the numbers, and they need no look at each.
		in = Contents{Children: in.Children, Scopes: d.Beneath(scope.ID), Resources: d.Resources(scope.ID)}
		in.Children = 0
		for range d.Children(scope.ID, "") {
			in.Children++
		}
	}
	return in, nil
}

// listsAll reports whether the caller may list every type that can be beneath a scope.
func listsAll(d tenant.Viewer, scope model.Scope) bool {
	for _, t := range d.Catalogue().Services() {
		for _, t := range t.Types {
			p, err := d.Catalogue().Permission("list " + t.Name)
			if err != nil || !t.Registered || !d.Catalogue().MeaningAt(scope.TypeName()).Has(p) {
				continue
			}
			if !d.Sight.May(p, scope.ID) {
				return false
			}
		}
	}
	return true
}

// ScopeChangeView is a change that touched a scope. Where it touched others that its viewer does not see, it is told
// without words.
type ScopeChangeView struct {
	store.ScopeChange
	Beyond bool // it touched scopes that the viewer does not see; What is empty then
}

// pageOf cuts what was found, newest first and one more than asked for, to a page; next is the revision to go on before, 0 at
// the end.
func pageOf[T any](found []T, limit int, revision func(T) uint64) (page []T, next uint64) {
	if len(found) <= limit {
		return found, 0
	}
	return found[:limit], revision(found[limit-1])
}

// ListScopeChanges lists the changes that touched a scope, newest first: those before a revision, 0 for the newest; next is
// the revision to go on before, 0 at the end.
func (s *Answers) ListScopeChanges(ctx context.Context, c tenant.Caller, key string, before uint64, limit int) (changes []ScopeChangeView, next uint64, err error) {
	d, scope, err := s.OpenAt(ctx, c, key, "list audit-record")
	if err != nil {
		return nil, 0, err
	}
	if before == 0 {
		before = d.Revision() + 1
	}
	found, err := s.Records.ScopeChanges(ctx, d.OrganisationID(), scope.ID, before, limit+1)
	if err != nil {
		return nil, 0, err
	}
	found, next = pageOf(found, limit, func(c store.ScopeChange) uint64 { return c.Revision })
	for _, change := range found {
		v := ScopeChangeView{ScopeChange: change}
		for _, id := range change.Scopes {
			v.Beyond = v.Beyond || !d.Sight.Sees(id)
		}
		if v.Beyond {
			v.What = ""
		}
		changes = append(changes, v)
	}
	return changes, next, nil
}
