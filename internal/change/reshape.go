package change

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/english"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Reshaping is what is to be altered of one scope, or of many at once: what is left empty stays as it is.
type Reshaping struct {
	Scopes      []string // ids or addresses
	Name        string   // of one scope alone; a resource keeps its type
	Title       *string
	Description *string
	Tags        map[string]string // set beside those there are
	Untag       []string          // keys of tags taken away
	To          string            // the scope they move into
	Retire      bool
	Restore     bool
	Was         plan.AsRead // of one scope alone
}

// operations returns what a reshaping takes on each scope.
func (r Reshaping) operations() []string {
	var all []string
	for _, each := range []struct {
		operation string
		wanted    bool
	}{
		{"rename", r.Name != ""}, {"edit", r.Title != nil || r.Description != nil}, {"tag", len(r.Tags)+len(r.Untag) > 0},
		{"move", r.To != ""}, {"retire", r.Retire}, {"restore", r.Restore},
	} {
		if each.wanted {
			all = append(all, each.operation)
		}
	}
	return all
}

func (r Reshaping) check() error {
	switch {
	case len(r.Scopes) == 0:
		return &problem.Problem{Kind: problem.Invalid, Detail: "no scope is named", Next: "name one or more", Field: "scopes"}
	case r.Name != "" && len(r.Scopes) > 1:
		return &problem.Problem{Kind: problem.Invalid, Detail: "several scopes cannot be given one name", Next: "rename one at a time", Field: "name"}
	case r.Was != (plan.AsRead{}) && len(r.Scopes) > 1:
		return &problem.Problem{Kind: problem.Invalid, Detail: "was belongs to an edit of one scope", Next: "edit one scope at a time, or leave it out", Field: "was"}
	case r.Retire && r.Restore:
		return &problem.Problem{Kind: problem.Invalid, Detail: "a scope cannot be retired and restored at once", Next: "choose one", Field: "state"}
	case len(r.operations()) == 0:
		return &problem.Problem{Kind: problem.Invalid, Detail: "the request changes nothing", Next: "name at least one: a name, a title, tags, a new parent, or a state"}
	}
	for key, value := range r.Tags {
		if model.CheckName(key) != nil {
			return &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("the tag %q is not a valid name", key), Next: "use lower-case letters, digits and hyphens", Field: "tags"}
		}
		if err := tenant.CheckLine("tags", "the tag "+key, value); err != nil {
			return err
		}
	}
	if r.Title != nil {
		return tenant.CheckLine("title", "the title", *r.Title)
	}
	return nil
}

// Reshape alters scopes as one change: all of them or none. Its impact tells besides what a move takes along and leaves behind.
func (s *Changes) Reshape(r Reshaping) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner { return planReshaping(ctx, r) }}
}

// reshapable finds the scopes that are to be altered, each of which takes its own permissions.
func reshapable(d tenant.Viewer, r Reshaping) ([]model.Scope, error) {
	var scopes []model.Scope
	for _, key := range r.Scopes {
		scope, err := d.ScopeAt(key)
		if err != nil {
			return nil, err
		}
		for _, operation := range r.operations() {
			if _, err := d.Catalogue().Permission(operation + " " + scope.TypeName()); err != nil {
				return nil, &problem.Problem{
					Kind: problem.BreaksRule, Rule: model.RulePlacement, Detail: fmt.Sprintf("%s is %s, which nobody can %s", d.Address(scope.ID), english.WithArticle(scope.TypeName()), operation),
					Next: fmt.Sprintf("arbora catalogue %s lists what can be done with one", scope.TypeName()),
				}
			}
			if err := d.Need(operation+" "+scope.TypeName(), scope); err != nil {
				return nil, err
			}
		}
		if !slices.ContainsFunc(scopes, func(other model.Scope) bool { return other.ID == scope.ID }) {
			scopes = append(scopes, scope)
		}
	}
	return scopes, nil
}

func planReshaping(ctx context.Context, r Reshaping) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		if err := r.check(); err != nil {
			return tenant.Plan{}, err
		}
		return planReshaped(d, ctx, r)
	}
}

func planReshaped(d tenant.Viewer, ctx context.Context, r Reshaping) (tenant.Plan, error) {
	scopes, err := reshapable(d, r)
	if err != nil {
		return tenant.Plan{}, err
	}
	ids := make([]model.ID, len(scopes))
	for i, scope := range scopes {
		ids[i] = scope.ID
	}
	details, err := d.Details.ScopeDetails(ctx, ids)
	if err != nil {
		return tenant.Plan{}, err
	}
	if key := r.strayUntag(scopes); key != "" {
		return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: "there is no tag " + key + " to remove", Next: "leave it out", Field: "untag"}
	}
	var to model.Scope
	if r.To != "" {
		if to, err = d.ScopeAt(r.To); err != nil {
			return tenant.Plan{}, problem.InField(err, "to")
		}
	}
	p := tenant.Plan{Described: store.Descriptions{Scopes: map[model.ID]store.ScopeDetails{}}}
	for _, before := range scopes {
		after, was := before, details[before.ID]
		is := was
		if err := r.Was.OfScope(d.Address(before.ID), before, was); err != nil {
			return tenant.Plan{}, err
		}
		if r.Name != "" && r.Name != before.Name {
			after.Name = r.Name
			if before.Kind == model.Organisation {
				if err := nameFree(ctx, d.Details, after); err != nil {
					return tenant.Plan{}, err
				}
			}
			p.Changes = append(p.Changes, access.RenameScope{ID: before.ID, Name: r.Name})
		}
		if r.Title != nil {
			is.Title = *r.Title
		}
		if r.Description != nil {
			is.Description = *r.Description
		}
		if after.Tags = r.tagged(before.Tags); !maps.Equal(after.Tags, before.Tags) {
			p.Changes = append(p.Changes, access.TagScope{ID: before.ID, Tags: after.Tags})
		}
		if r.To != "" {
			// What cannot sit there is said so first: permission to put it there would not help.
			if _, err := d.With(d.Revision(), access.MoveScope{ID: before.ID, Parent: to.ID}); err != nil && !rulesOnNames(d, err) {
				return tenant.Plan{}, problem.Of(err, "to")
			}
			// Who may not put such a thing there may not move it there either.
			if err := d.Need("create "+before.TypeName(), to); err != nil {
				return tenant.Plan{}, err
			}
			p.Changes = append(p.Changes, access.MoveScope{ID: before.ID, Parent: to.ID})
		}
		switch {
		case r.Retire:
			p.Changes = append(p.Changes, access.RetireScope{ID: before.ID})
		case r.Restore:
			p.Changes = append(p.Changes, access.RestoreScope{ID: before.ID})
		}
		if is != was {
			p.Described.Scopes[before.ID] = is
		}
	}
	p.What = reshapingWords(d, r, scopes, to)
	return p, nil
}

// strayUntag returns the first key to be removed that none of the scopes has, or "".
func (r Reshaping) strayUntag(scopes []model.Scope) string {
	for _, key := range r.Untag {
		if !slices.ContainsFunc(scopes, func(scope model.Scope) bool { _, there := scope.Tags[key]; return there }) {
			return key
		}
	}
	return ""
}

// tagged returns the tags of a scope once they are set and taken away.
func (r Reshaping) tagged(tags map[string]string) map[string]string {
	if len(r.Tags)+len(r.Untag) == 0 {
		return tags
	}
	after := maps.Clone(tags)
	if after == nil {
		after = map[string]string{}
	}
	maps.Copy(after, r.Tags)
	for _, key := range r.Untag {
		delete(after, key)
	}
	return after
}

// reshapingWords tells what was done, for the change record.
func reshapingWords(d tenant.Viewer, r Reshaping, scopes []model.Scope, to model.Scope) string {
	names := make([]string, len(scopes))
	for i, scope := range scopes {
		names[i] = d.Address(scope.ID)
	}
	did := map[string]string{"rename": "renamed", "edit": "edited", "tag": "tagged", "move": "moved", "retire": "retired", "restore": "restored"}
	var verbs []string
	for _, operation := range r.operations() {
		verbs = append(verbs, did[operation])
	}
	what := strings.Join(verbs, " and ") + " " + strings.Join(names, ", ")
	if r.Name != "" {
		what += ", now called " + r.Name
	}
	if r.To != "" {
		what += " into " + d.Address(to.ID)
	}
	return what
}
