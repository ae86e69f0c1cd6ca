package ask

import (
	"cmp"
	"context"
	"encoding/base64"
	"slices"
	"strings"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// ScopeSearch says which scopes somebody looks for. What is empty narrows nothing.
type ScopeSearch struct {
	Text  string // the beginning of a name, of a word in one, of a tag or of a type; or an id, or an address
	Kind  string
	Type  string
	Tag   string // KEY, or KEY=VALUE
	State string // active or retired
	After string // the cursor of the page before
	Limit int
}

// SearchScopes finds scopes in the caller's whole organisation, as far as they see it, a page at a time; next is the cursor
// of the page after. A page may hold fewer than its limit though more come after it: what the caller does not see was
// passed over.
func (s *Answers) SearchScopes(ctx context.Context, c tenant.Caller, organisation string, sought ScopeSearch) (nodes []Node, next string, err error) {
	d, top, err := s.OpenOrganisation(ctx, c, organisation)
	if err != nil {
		return nil, "", err
	}
	if d.Sight.Empty() {
		return nil, "", tenant.NothingHeld(top.Name)
	}
	sought.Text = strings.ToLower(strings.TrimSpace(sought.Text))
	if found, named := named(d, sought.Text); named {
		err := s.addFoundTitles(ctx, found)
		return foundNodes(d, found), "", err
	}
	if sought.Type != "" {
		if _, err := d.Catalogue().TypeNamed(sought.Type); err != nil {
			return nil, "", problem.Of(err, "type")
		}
	}
	q, err := sought.query()
	if err != nil {
		return nil, "", err
	}
	found, next, err := s.search(ctx, d, top, sought, q)
	return foundNodes(d, found), next, err
}

// named finds the scope that a text names as a whole, by id or address.
func named(d tenant.Viewer, text string) ([]store.Found, bool) {
	if _, err := model.ParseID(text); err != nil && !strings.Contains(text, "/") {
		return nil, false
	}
	place, err := d.Place(text)
	if err != nil || place.Rest != "" {
		return nil, true
	}
	return []store.Found{{ID: place.Scope.ID}}, true
}

// foundNodes tells what was found: its title and tags only where the caller may describe it.
func foundNodes(d tenant.Viewer, found []store.Found) []Node {
	nodes := make([]Node, 0, len(found))
	addresses := map[model.ID]string{} // of what the found scopes sit in: many share it
	describes := map[string]catalogue.Permission{}
	for _, f := range found {
		scope, _ := d.Scope(f.ID)
		typeName := scope.TypeName()
		describe, known := describes[typeName]
		if !known {
			describe = d.Catalogue().MustPermission("describe " + typeName)
			describes[typeName] = describe
		}
		if !d.Sight.May(describe, f.ID) {
			scope.Tags, f.Title = nil, ""
		}
		above, known := addresses[scope.Parent]
		if !known && !scope.Parent.IsZero() {
			above = d.Address(scope.Parent) + "/"
			addresses[scope.Parent] = above
		}
		nodes = append(nodes, Node{Scope: scope, Address: above + scope.FullName(), Title: f.Title})
	}
	return nodes
}

// query turns what is sought into a search of the records, which goes by the narrowest of what is given.
func (q ScopeSearch) query() (store.Search, error) {
	search := store.Search{Term: q.Text, Kind: q.Kind, Type: q.Type, Limit: q.Limit + 1}
	if q.Tag = strings.ToLower(q.Tag); q.Tag != "" && !strings.Contains(q.Tag, "=") {
		q.Tag += "="
	}
	search.Tag = q.Tag
	if q.Kind != "" {
		if _, err := model.ParseKind(q.Kind); err != nil {
			return search, problem.Of(err, "kind")
		}
	}
	switch q.State {
	case "":
	case "active", "retired":
		retired := q.State == "retired"
		search.Retired = &retired
	default:
		return search, &problem.Problem{Kind: problem.Invalid, Field: "state", Detail: "there is no state " + q.State, Next: "use active or retired"}
	}
	switch {
	case q.Text != "":
	case q.Tag != "":
		search.Term, search.Exact, search.Tag = q.Tag, !strings.HasSuffix(q.Tag, "="), ""
	case q.Type != "":
		search.Term, search.Exact = q.Type, true
	case q.Kind != "" && q.Kind != model.Resource.String():
		search.Term, search.Exact = q.Kind, true
	case q.Kind == "" && q.State == "":
		return search, &problem.Problem{Kind: problem.Invalid, Field: "text", Detail: "the search is empty", Next: "write part of a name, a tag or a type, or narrow by kind, type, tag or state"}
	}
	var err error
	search.After, err = readCursor(q.After)
	return search, err
}

const (
	// seenMost bounds how many scopes are gone through for somebody who sees part of the tree.
	seenMost = 20_000
	// passedMost bounds how many are read at once when not all of them are seen.
	passedMost = 1000
)

// search finds the scopes of a page. For somebody who holds something at the top it reads the index; for others it goes
// through what they see, which is mostly little, and where it is much, through the index again.
func (s *Answers) search(ctx context.Context, d tenant.Viewer, top model.Scope, sought ScopeSearch, q store.Search) (found []store.Found, next string, err error) {
	if !d.Sight.HoldsAt(top.ID) {
		if all, few := seenFitting(d, top, sought, q); few {
			found, next = page(all, q.After, sought.Limit)
			return found, next, s.addFoundTitles(ctx, found)
		}
		q.Limit = passedMost
	}
	candidates, err := s.Records.SearchScopes(ctx, top.ID, q)
	if err != nil {
		return nil, "", err
	}
	for i, f := range candidates {
		if scope, ok := d.Scope(f.ID); ok && d.Sight.Sees(f.ID) && (q.Term == "" || q.Exact || f.Term == scope.FirstTerm(q.Term)) {
			if found = append(found, f); len(found) == sought.Limit {
				if i+1 < len(candidates) || len(candidates) == q.Limit {
					next = cursor(f)
				}
				return found, next, nil
			}
		}
	}
	if len(candidates) == q.Limit {
		next = cursor(candidates[len(candidates)-1])
	}
	return found, next, nil
}

// seenFitting returns all scopes that somebody sees and that fit, in the order of the index, if they see few.
func seenFitting(d tenant.Viewer, top model.Scope, sought ScopeSearch, q store.Search) (fitting []store.Found, few bool) {
	seen := 0
	for scope := range d.Sight.Seen(top.ID) {
		if seen++; seen > seenMost {
			return nil, false
		}
		if term, ok := fits(scope, sought, q); ok {
			fitting = append(fitting, store.Found{Term: term, ID: scope.ID})
		}
	}
	slices.SortFunc(fitting, compareFound)
	return fitting, true
}

func compareFound(a, b store.Found) int {
	return cmp.Or(strings.Compare(a.Term, b.Term), slices.Compare(a.ID[:], b.ID[:]))
}

// fits reports whether a scope is one that a search of the records would find, and by which term.
func fits(scope model.Scope, sought ScopeSearch, q store.Search) (term string, ok bool) {
	if q.Kind != "" && scope.Kind.String() != q.Kind || q.Type != "" && scope.Type != q.Type || q.Retired != nil && scope.Retired != *q.Retired {
		return "", false
	}
	hasTag := func(tag string) bool {
		if strings.HasSuffix(tag, "=") {
			return scope.FirstTerm(tag) != ""
		}
		return slices.Contains(scope.Terms(), tag)
	}
	if q.Tag != "" && !hasTag(q.Tag) {
		return "", false
	}
	switch {
	case q.Term == "":
		return "", true
	case q.Exact:
		return q.Term, slices.Contains(scope.Terms(), q.Term)
	}
	term = scope.FirstTerm(q.Term)
	return term, term != ""
}

// page cuts a page out of all that was found.
func page(all []store.Found, after store.Found, limit int) (found []store.Found, next string) {
	if !after.ID.IsZero() {
		first, _ := slices.BinarySearchFunc(all, after, compareFound)
		for first < len(all) && compareFound(all[first], after) <= 0 {
			first++
		}
		all = all[first:]
	}
	if len(all) > limit {
		return all[:limit], cursor(all[limit-1])
	}
	return all, ""
}

func (s *Answers) addFoundTitles(ctx context.Context, found []store.Found) error {
	ids := make([]model.ID, len(found))
	for i, f := range found {
		ids[i] = f.ID
	}
	details, err := s.Records.ScopeDetails(ctx, ids)
	for i := range found {
		found[i].Title = details[found[i].ID].Title
	}
	return err
}

// cursor writes where a page ended.
func cursor(f store.Found) string {
	return base64.RawURLEncoding.EncodeToString(append(f.ID[:len(f.ID):len(f.ID)], f.Term...))
}

func readCursor(text string) (store.Found, error) {
	var f store.Found
	bytes, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil || text != "" && len(bytes) < len(f.ID) {
		return f, &problem.Problem{Kind: problem.Invalid, Field: "after", Detail: "the cursor is not one that a page returned", Next: "leave it out for the first page"}
	}
	if text != "" {
		copy(f.ID[:], bytes)
		f.Term = string(bytes[len(f.ID):])
	}
	return f, nil
}
