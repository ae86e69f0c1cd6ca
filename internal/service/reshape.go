package service

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/store"
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
	Was         AsRead // of one scope alone
}

// operations gives what a reshaping takes on each scope.
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
		return &Problem{Kind: Invalid, Detail: "no scope is named", Next: "name one or more", Field: "scopes"}
	case r.Name != "" && len(r.Scopes) > 1:
		return &Problem{Kind: Invalid, Detail: "several scopes cannot be given one name", Next: "rename one at a time", Field: "name"}
	case r.Was != (AsRead{}) && len(r.Scopes) > 1:
		return &Problem{Kind: Invalid, Detail: "what was read is told of one scope", Next: "alter one at a time, or leave it out", Field: "was"}
	case r.Retire && r.Restore:
		return &Problem{Kind: Invalid, Detail: "a scope cannot be retired and restored at once", Next: "choose one", Field: "state"}
	case len(r.operations()) == 0:
		return &Problem{Kind: Invalid, Detail: "nothing is to be altered", Next: "say what: a name, a title, tags, where to, or a state"}
	}
	for key, value := range r.Tags {
		if model.CheckName(key) != nil {
			return &Problem{Kind: Invalid, Detail: fmt.Sprintf("the tag %q is not a valid name", key), Next: "use lower-case letters, digits and hyphens", Field: "tags"}
		}
		if err := checkLine("tags", "the tag "+key, value); err != nil {
			return err
		}
	}
	if r.Title != nil {
		return checkLine("title", "the title", *r.Title)
	}
	return nil
}

// Reshape alters scopes as one change: all of them or none. Its impact tells besides what a move takes along and leaves behind.
func (s *Changes) Reshape(r Reshaping) Change[Nothing] {
	return Change[Nothing]{of: s.Maker, plan: func(ctx context.Context, _ Caller) planner { return planReshaping(ctx, r) }}
}

// reshapable finds the scopes that are to be altered, each of which takes its own permissions.
func (d desk) reshapable(r Reshaping) ([]model.Scope, error) {
	var scopes []model.Scope
	for _, key := range r.Scopes {
		scope, err := d.scope(key)
		if err != nil {
			return nil, err
		}
		for _, operation := range r.operations() {
			if _, err := d.Catalogue().Permission(operation + " " + scope.TypeName()); err != nil {
				return nil, &Problem{
					Kind: BreaksRule, Rule: model.RulePlacement, Detail: fmt.Sprintf("%s is a %s: there is no way to %s one", d.Address(scope.ID), scope.TypeName(), operation),
					Next: fmt.Sprintf("arbora catalogue %s lists what can be done with one", scope.TypeName()),
				}
			}
			if err := d.need(operation+" "+scope.TypeName(), scope); err != nil {
				return nil, err
			}
		}
		if !slices.ContainsFunc(scopes, func(other model.Scope) bool { return other.ID == scope.ID }) {
			scopes = append(scopes, scope)
		}
	}
	return scopes, nil
}

func planReshaping(ctx context.Context, r Reshaping) planner {
	return func(d desk) (plan, error) {
		if err := r.check(); err != nil {
			return plan{}, err
		}
		return d.planReshaped(ctx, r)
	}
}

func (d desk) planReshaped(ctx context.Context, r Reshaping) (plan, error) {
	scopes, err := d.reshapable(r)
	if err != nil {
		return plan{}, err
	}
	ids := make([]model.ID, len(scopes))
	for i, scope := range scopes {
		ids[i] = scope.ID
	}
	details, err := d.details.ScopeDetails(ctx, ids)
	if err != nil {
		return plan{}, err
	}
	var to model.Scope
	if r.To != "" {
		if to, err = d.scope(r.To); err != nil {
			return plan{}, inField(err, "to")
		}
	}
	p := plan{described: store.Descriptions{Scopes: map[model.ID]store.ScopeDetails{}}}
	for _, before := range scopes {
		after, was := before, details[before.ID]
		is := was
		if err := r.Was.ofScope(d.Address(before.ID), before, was); err != nil {
			return plan{}, err
		}
		if r.Name != "" && r.Name != before.Name {
			after.Name = r.Name
			if before.Kind == model.Organisation {
				if err := nameFree(ctx, d.details, after); err != nil {
					return plan{}, err
				}
			}
			p.changes = append(p.changes, access.RenameScope{ID: before.ID, Name: r.Name})
		}
		if r.Title != nil {
			is.Title = *r.Title
		}
		if r.Description != nil {
			is.Description = *r.Description
		}
		if after.Tags = r.tagged(before.Tags); !maps.Equal(after.Tags, before.Tags) {
			p.changes = append(p.changes, access.TagScope{ID: before.ID, Tags: after.Tags})
		}
		if r.To != "" {
			// What cannot sit there is said so first: permission to put it there would not help.
			if _, err := d.With(d.Revision(), access.MoveScope{ID: before.ID, Parent: to.ID}); err != nil && !d.rulesOnNames(err) {
				return plan{}, broken(err, "to")
			}
			// Who may not put such a thing there may not move it there either.
			if err := d.need("create "+before.TypeName(), to); err != nil {
				return plan{}, err
			}
			p.changes = append(p.changes, access.MoveScope{ID: before.ID, Parent: to.ID})
		}
		switch {
		case r.Retire:
			p.changes = append(p.changes, access.RetireScope{ID: before.ID})
		case r.Restore:
			p.changes = append(p.changes, access.RestoreScope{ID: before.ID})
		}
		if is != was {
			p.described.Scopes[before.ID] = is
		}
	}
	p.what = d.reshapingWords(r, scopes, to)
	return p, nil
}

// tagged gives the tags of a scope once they are set and taken away.
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
func (d desk) reshapingWords(r Reshaping, scopes []model.Scope, to model.Scope) string {
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

// reshapeWarnings tells what a change of the tree takes along and leaves behind: scopes beneath, statements that go
// dormant or wake up, and grants of roles that could not be granted there any more.
func (d desk) reshapeWarnings(proposal *access.Proposal) []string {
	var warnings []string
	moved := false
	for _, change := range proposal.Changes {
		var id model.ID
		verb := ""
		switch c := change.(type) {
		case access.MoveScope:
			id, verb, moved = c.ID, "moves", true
		case access.RetireScope:
			id, verb = c.ID, "is out of use"
		case access.RestoreScope:
			id, verb = c.ID, "is in use again, as it was"
		case access.RenameScope:
			if top, _ := d.Top(); c.ID == top.ID {
				warnings = append(warnings, fmt.Sprintf("Everybody signs in as NAME@%s from then on. %s goes on meaning it, at sign-in and in addresses, and is no other organisation's.", c.Name, top.Name))
			}
			if n := d.namedBy(c.ID); n > 0 {
				warnings = append(warnings, fmt.Sprintf("%s by name; from then on they are written with the new name.", statements(n, "names it", "name it")))
			}
			continue
		default:
			continue
		}
		if n := d.Beneath(id); n > 0 {
			warnings = append(warnings, fmt.Sprintf("%s %s with %s beneath it.", d.Address(id), verb, strings.Join(counted(n, "scope", "scopes"), "")))
		}
	}
	if !moved {
		return warnings
	}
	next := proposal.After
	asleep, awake := 0, 0
	for _, policy := range d.Policies() {
		for number := range policy.Statements {
			switch was, is := d.Dormant(policy.ID, number), next.Dormant(policy.ID, number); {
			case is && !was:
				asleep++
			case was && !is:
				awake++
			}
		}
	}
	if asleep > 0 {
		warnings = append(warnings, statements(asleep, "goes dormant: its place leaves the scope of its policy.", "go dormant: their places leave the scopes of their policies."))
	}
	if awake > 0 {
		warnings = append(warnings, statements(awake, "that was dormant decides again.", "that were dormant decide again."))
	}
	if n := d.misplaced(next, proposal.Changes); n > 0 {
		warnings = append(warnings, strings.Join(counted(n, "grant stays, though its role could not be granted there", "grants stay, though their roles could not be granted there"), "")+".")
	}
	return warnings
}

func statements(n int, one, many string) string {
	return strings.Join(counted(n, "statement "+one, "statements "+many), "")
}

// namedBy counts the statements whose place is a scope.
func (d desk) namedBy(scope model.ID) int {
	n := 0
	for _, policy := range d.Policies() {
		for _, st := range policy.Statements {
			if st.Place == scope && policy.Scope != scope {
				n++
			}
		}
	}
	return n
}

// misplaced counts the grants at the scopes moved whose roles could be granted there before and not after.
func (d desk) misplaced(next *access.Snapshot, changes []access.Change) int {
	n := 0
	for _, change := range changes {
		move, ok := change.(access.MoveScope)
		if !ok {
			continue
		}
		for _, grant := range d.GrantsAt(move.ID) {
			role, err := d.Role(grant.Role)
			if err == nil && d.GrantableAt(role, move.ID) && !next.GrantableAt(role, move.ID) {
				n++
			}
		}
	}
	return n
}
