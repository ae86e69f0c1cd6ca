package change

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"github.com/google/uuid"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// NewScope is a scope that somebody wants.
type NewScope struct {
	ID                                   model.ID // of its own choice, for a platform service that records it first; else zero
	Kind, Name, Type, Title, Description string
	Tags                                 map[string]string
}

// CreateScope makes a folder, project, compartment or resource in a scope.
func (s *Changes) CreateScope(parent string, wanted NewScope) plan.Change[ask.ScopeView] {
	var made madeScope
	change := plan.Change[ask.ScopeView]{
		Of:   s.Maker,
		Plan: func(context.Context, tenant.Caller) plan.Planner { return s.planScope(parent, wanted, &made) },
		Tell: func(_ context.Context, c tenant.Caller, next *access.Snapshot) (ask.ScopeView, error) {
			view := ask.ViewOf(s.ViewerOf(next, c), made.Scope)
			if view.Described {
				view.ScopeDetails = made.ScopeDetails
			}
			return view, nil
		},
	}
	if !wanted.ID.IsZero() {
		change.Already = func(ctx context.Context, c tenant.Caller) (ask.ScopeView, uint64, error) {
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
func (s *Changes) registered(ctx context.Context, c tenant.Caller, parent string, wanted NewScope) (ask.ScopeView, uint64, error) {
	if c.Kind != model.PlatformService {
		return ask.ScopeView{}, 0, &problem.Problem{Kind: problem.Refused, Detail: "only a platform service chooses the id of what it registers", Next: "leave the id out", Field: "id"}
	}
	if uuid.UUID(wanted.ID).Version() != 7 {
		return ask.ScopeView{}, 0, &problem.Problem{Kind: problem.Invalid, Detail: "the id is not a valid UUIDv7", Next: "make one by RFC 9562", Field: "id"}
	}
	d, err := s.Open(ctx, c)
	if err != nil {
		return ask.ScopeView{}, 0, err
	}
	there, ok := d.Scope(wanted.ID)
	if !ok {
		return ask.ScopeView{}, 0, nil
	}
	above, err := d.ScopeAt(parent)
	if err != nil {
		return ask.ScopeView{}, 0, err
	}
	if there.Parent != above.ID || there.Name != wanted.Name || there.Type != wanted.Type {
		return ask.ScopeView{}, 0, &problem.Problem{Kind: problem.Conflict, Detail: fmt.Sprintf("the id %s is that of another scope", wanted.ID), Next: "make another", Field: "id"}
	}
	view, err := s.ScopeView(ctx, d, there)
	return view, d.Revision(), err
}

func (s *Changes) planScope(parent string, wanted NewScope, made *madeScope) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		above, err := d.ScopeAt(parent)
		if err != nil {
			return tenant.Plan{}, err
		}
		scope, details, err := s.newScope(wanted, above.ID)
		if err != nil {
			return tenant.Plan{}, err
		}
		// A misplaced or unknown type is said so first: permission to make one would not help.
		if _, err := d.With(d.Revision(), access.CreateScope{Scope: scope}); err != nil && !rulesOnNames(d, err) {
			return tenant.Plan{}, problem.Of(err, "")
		}
		if err := d.Need("create "+scope.TypeName(), above); err != nil {
			return tenant.Plan{}, err
		}
		*made = madeScope{scope, details}
		return tenant.Plan{
			Changes:   []access.Change{access.CreateScope{Scope: scope}},
			Described: store.Descriptions{Scopes: map[model.ID]store.ScopeDetails{scope.ID: details}},
		}, nil
	}
}

// OfferServices names the platform services offered beneath a container; nil narrows nothing.
func (s *Changes) OfferServices(key string, services []string) plan.Change[plan.Nothing] {
	return plan.Planned(s.Maker, planOffer(key, services))
}

func planOffer(key string, services []string) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		scope, err := d.ScopeAt(key)
		if err != nil {
			return tenant.Plan{}, err
		}
		if err := d.Need("edit "+scope.TypeName(), scope); err != nil {
			return tenant.Plan{}, err
		}
		if services != nil {
			services = slices.Compact(slices.Sorted(slices.Values(services)))
		}
		return tenant.Plan{Changes: []access.Change{access.OfferServices{ID: scope.ID, Services: services}}}, nil
	}
}

// rulesOnNames reports whether an error tells of a name that is there already, which only those may learn who could
// have made it.
func rulesOnNames(d tenant.Viewer, err error) bool {
	v, ok := err.(*model.Violation)
	return ok && v.Rule == model.RuleTaken
}

func (s *Changes) newScope(wanted NewScope, parent model.ID) (model.Scope, store.ScopeDetails, error) {
	kind, err := model.ParseKind(wanted.Kind)
	if err != nil {
		return model.Scope{}, store.ScopeDetails{}, problem.Of(err, "kind")
	}
	switch {
	case kind == model.Resource && wanted.Type == "":
		return model.Scope{}, store.ScopeDetails{}, &problem.Problem{Kind: problem.Invalid, Detail: "a resource needs a type", Next: "say which, such as bucket", Field: "type"}
	case kind != model.Resource && wanted.Type != "":
		return model.Scope{}, store.ScopeDetails{}, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("a %s has no type", kind), Next: "leave the type out, or make a resource", Field: "type"}
	}
	for key, value := range wanted.Tags {
		if model.CheckName(key) != nil {
			return model.Scope{}, store.ScopeDetails{}, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("the tag %q is not a valid name", key), Next: "use lower-case letters, digits and hyphens", Field: "tags"}
		}
		if err := tenant.CheckLine("tags", "the tag "+key, value); err != nil {
			return model.Scope{}, store.ScopeDetails{}, err
		}
	}
	if err := tenant.CheckLine("title", "the title", wanted.Title); err != nil {
		return model.Scope{}, store.ScopeDetails{}, err
	}
	id := wanted.ID
	if id.IsZero() {
		id = tenant.NewID()
	}
	scope := model.Scope{ID: id, Parent: parent, Kind: kind, Name: wanted.Name, Type: wanted.Type, Tags: maps.Clone(wanted.Tags)}
	return scope, store.ScopeDetails{Title: wanted.Title, Description: wanted.Description, CreatedAt: s.Moment()}, nil
}
