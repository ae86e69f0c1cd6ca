package change

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// What somebody did is undone by what takes each of its changes back, as the change record tells it: checked and recorded like
// anything else, so that it can be undone in its turn. What was done to the same things since is never written over.

// Undo takes back the change that led to a revision of the caller's organisation, and tells what was undone. Revision 0 is the
// caller's own last change. What a preview would undo is put into told.
func (s *Changes) Undo(organisation string, revision uint64, told *store.Recorded) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Plan: func(ctx context.Context, c tenant.Caller) plan.Planner {
		return s.planUndo(ctx, c, organisation, revision, told)
	}}
}

func (s *Changes) planUndo(ctx context.Context, c tenant.Caller, organisation string, revision uint64, undone *store.Recorded) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		record, err := s.undoable(ctx, c, d, organisation, revision)
		if err != nil {
			return tenant.Plan{}, err
		}
		*undone = record
		p := tenant.Plan{Changes: record.Back, Undoes: &record}
		for _, change := range p.Changes {
			if err := access.Visit(change, allowed{d, record}); err != nil {
				return tenant.Plan{}, err
			}
		}
		if p.Described, err = s.describedBefore(ctx, c, d, record); err != nil {
			return tenant.Plan{}, err
		}
		if err := p.Propose(d.Snapshot); err != nil {
			return tenant.Plan{}, err
		}
		p.Warnings = notBrought(d, record)
		return p, stillAs(record, p.Proposal)
	}
}

// undoable finds a change that the caller may know of: their own, or any for those who may read the audit log.
func (s *Changes) undoable(ctx context.Context, c tenant.Caller, d tenant.Viewer, organisation string, revision uint64) (store.Recorded, error) {
	top, err := d.Organisation(organisation)
	if err != nil {
		return store.Recorded{}, err
	}
	if revision == 0 {
		if revision, err = s.Records.LastChange(ctx, top.ID, c.Name); errors.Is(err, store.ErrNotFound) {
			return store.Recorded{}, &problem.Problem{Kind: problem.NotThere, Detail: "you have changed nothing lately", Next: "name the revision that the change led to"}
		} else if err != nil {
			return store.Recorded{}, err
		}
	}
	record, err := s.Records.Change(ctx, top.ID, revision)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return record, err
	}
	if err != nil || record.Author.Name != c.Name && !d.May("list audit-record", top.ID) {
		return record, problem.Missing("change that led to revision", fmt.Sprint(revision), "")
	}
	if record.Final || len(record.Back) == 0 && record.Before.Empty() && record.After.Empty() {
		return record, &problem.Problem{
			Kind: problem.Conflict, Detail: fmt.Sprintf("revision %d cannot be undone by one command: %s %s", revision, record.Author.Name, record.What),
			Next: "change it where it is shown",
		}
	}
	return record, nil
}

// stillAs refuses to undo a change when what it altered was altered again since: then undoing the undoing would not lead back to it.
func stillAs(record store.Recorded, undoing *access.Proposal) error {
	made, kinds := map[string]bool{}, map[string]bool{}
	for _, change := range record.Changes {
		text, err := access.EncodeChanges([]access.Change{change})
		if err != nil {
			return err
		}
		made[string(text)], kinds[access.KindOf(change)] = true, true
	}
	for _, change := range undoing.Back {
		text, err := access.EncodeChanges([]access.Change{change})
		if err != nil {
			return err
		}
		if kinds[access.KindOf(change)] && !made[string(text)] {
			return changedSince(record)
		}
	}
	return nil
}

func changedSince(record store.Recorded) error {
	return &problem.Problem{
		Kind: problem.Conflict, Detail: fmt.Sprintf("what revision %d changed has been changed again, and that would be lost", record.Revision),
		Next: "undo the later change first, or change it where it is shown",
	}
}

// notBrought warns of what comes back without what it had.
func notBrought(d tenant.Viewer, record store.Recorded) (warnings []string) {
	for id, was := range record.Before.Principals {
		if is := record.After.Principals[id]; is.State != credential.Retired || was.State == credential.Retired {
			continue
		}
		if p, _ := d.Principal(id); p.Kind == model.User {
			warnings = append(warnings, p.Name+" comes back without the earlier API keys: they were revoked for good.")
		}
	}
	slices.Sort(warnings)
	return warnings
}

// describedBefore returns what was known of things before a change, for those who may write that. It is refused where another thing is
// known of them by now.
func (s *Changes) describedBefore(ctx context.Context, c tenant.Caller, d tenant.Viewer, record store.Recorded) (store.Descriptions, error) {
	back := store.Descriptions{Scopes: record.Before.Scopes, Grants: record.Before.Grants, Policies: record.Before.Policies, Principals: map[model.ID]store.PrincipalDetails{}}
	scopes, err := d.Details.ScopeDetails(ctx, slices.Collect(maps.Keys(record.Before.Scopes)))
	if err != nil {
		return back, err
	}
	for id, is := range scopes {
		scope, err := d.ScopeAt(id.String())
		if err == nil {
			err = d.Need("edit "+scope.TypeName(), scope)
		}
		if err != nil {
			return back, err
		}
		if is.CreatedAt = record.After.Scopes[id].CreatedAt; is != record.After.Scopes[id] {
			return back, changedSince(record)
		}
	}
	policies, err := d.Details.PolicyDetails(ctx, slices.Collect(maps.Keys(record.After.Policies)))
	if err != nil {
		return back, err
	}
	for id, is := range policies {
		if is.Description != record.After.Policies[id] {
			return back, changedSince(record)
		}
	}
	known, err := d.Details.PrincipalDetails(ctx, d.OrganisationID(), slices.Collect(maps.Keys(record.After.Principals)))
	if err != nil {
		return back, err
	}
	for id, is := range record.After.Principals {
		now := known[id]
		created := now.CreatedAt
		if now.CreatedAt = is.CreatedAt; now != is {
			return back, changedSince(record)
		}
		was, there := record.Before.Principals[id]
		if !there { // it was created: it goes out of use, and stays as it is
			was = is
			was.State = credential.Retired
		}
		was.CreatedAt = created
		if err := s.mayDescribe(c, d, id, is, was); err != nil {
			return back, err
		}
		back.Principals[id] = was
	}
	return back, nil
}

// mayDescribe refuses the caller who may not write of a principal what is to be known of it.
func (s *Changes) mayDescribe(c tenant.Caller, d tenant.Viewer, id model.ID, is, to store.PrincipalDetails) error {
	p, _ := d.Principal(id)
	where, _ := d.Scope(signin.WhereGoverned(d, p))
	if to.Title != is.Title || to.Description != is.Description || to.Email != is.Email {
		if err := d.Need("edit "+tenant.TypeOf(p.Kind), where); err != nil {
			return err
		}
	}
	if to.Email != is.Email {
		if err := s.NeedProof(c, "change a mail address"); err != nil {
			return err
		}
		if err := mayMendEmail(d, p, to.Email); err != nil {
			return err
		}
	}
	if to.State == is.State {
		return nil
	}
	if err := d.Need(stateOperation[to.State]+" "+tenant.TypeOf(p.Kind), where); err != nil {
		return err
	}
	if err := credential.CheckStep(is.State, to.State); err != nil {
		return &problem.Problem{Kind: problem.Conflict, Detail: fmt.Sprintf("%s %s cannot become %s", p.Kind.Words(), p.Name, to.State), Next: err.Error()}
	}
	return nil
}

// allowed refuses a change whose permission the caller does not hold, and one at what they do not see.
type allowed struct {
	tenant.Viewer
	record store.Recorded
}

// scopeFor takes permissions of a scope's own type.
func (a allowed) scopeFor(id model.ID, operation string) error {
	scope, err := a.ScopeAt(id.String())
	if err != nil {
		return err
	}
	return a.Need(operation+" "+scope.TypeName(), scope)
}

// at takes a permission at a scope.
func (a allowed) at(id model.ID, permission string) error {
	scope, err := a.ScopeAt(id.String())
	if err != nil {
		return err
	}
	return a.Need(permission, scope)
}

// principalFor takes permissions of a principal's own type where it is governed.
func (a allowed) principalFor(id model.ID, operation string) error {
	p, ok := a.Principal(id)
	if !ok {
		return problem.Missing("principal", id.String(), "")
	}
	where, _ := a.Scope(signin.WhereGoverned(a.Viewer, p))
	return a.Need(operation+" "+tenant.TypeOf(p.Kind), where)
}

// CreateScope is never what takes a change back.
func (a allowed) CreateScope(c access.CreateScope) error {
	return a.at(c.Scope.Parent, "create "+c.Scope.TypeName())
}
func (a allowed) RenameScope(c access.RenameScope) error     { return a.scopeFor(c.ID, "rename") }
func (a allowed) TagScope(c access.TagScope) error           { return a.scopeFor(c.ID, "tag") }
func (a allowed) OfferServices(c access.OfferServices) error { return a.scopeFor(c.ID, "edit") }
func (a allowed) RetireScope(c access.RetireScope) error     { return a.scopeFor(c.ID, "retire") }
func (a allowed) RestoreScope(c access.RestoreScope) error   { return a.scopeFor(c.ID, "restore") }

func (a allowed) MoveScope(c access.MoveScope) error {
	if err := a.scopeFor(c.ID, "move"); err != nil {
		return err
	}
	scope, _ := a.Scope(c.ID)
	return a.at(c.Parent, "create "+scope.TypeName())
}

// CreatePrincipal is never what takes a change back.
func (a allowed) CreatePrincipal(c access.CreatePrincipal) error {
	return a.at(signin.WhereGoverned(a.Viewer, c.Principal), "create "+tenant.TypeOf(c.Principal.Kind))
}
func (a allowed) RenamePrincipal(c access.RenamePrincipal) error {
	return a.principalFor(c.ID, "rename")
}
func (a allowed) TagPrincipal(c access.TagPrincipal) error { return a.principalFor(c.ID, "tag") }
func (a allowed) SetClaims(c access.SetClaims) error       { return a.principalFor(c.ID, "edit") }
func (a allowed) SetOwner(c access.SetOwner) error         { return a.principalFor(c.Group, "edit") }
func (a allowed) SetGathers(c access.SetGathers) error     { return a.principalFor(c.Group, "edit") }

// SetInactive takes what the state takes that goes with it: see [service.Service.mayDescribe].
func (a allowed) SetInactive(c access.SetInactive) error {
	if _, said := a.record.After.Principals[c.ID]; said {
		return nil
	}
	return a.principalFor(c.ID, "suspend")
}

func (a allowed) AddMember(c access.AddMember) error       { return a.member(c.Membership) }
func (a allowed) RemoveMember(c access.RemoveMember) error { return a.member(c.Membership) }

func (a allowed) member(m access.Membership) error {
	if a.Owns(a.Me, m.Group) {
		return nil
	}
	return a.principalFor(m.Group, "enrol")
}

func (a allowed) CreateGrant(c access.CreateGrant) error { return a.at(c.Grant.Scope, "create grant") }

func (a allowed) RevokeGrant(c access.RevokeGrant) error {
	_, err := revocable(a.Viewer, c.ID, c.ID.String())
	return err
}

func (a allowed) EditGrant(c access.EditGrant) error {
	_, err := heldGrant(a.Viewer, c.Grant.ID, c.Grant.ID.String(), "edit grant")
	return err
}

func (a allowed) CreateRole(c access.CreateRole) error {
	return a.at(c.Definition.Scope, "create role")
}
func (a allowed) EditRole(c access.EditRole) error { return a.role(c.Definition.Name, "edit role") }
func (a allowed) RemoveRole(c access.RemoveRole) error {
	return a.role(c.Name, "retire role")
}

func (a allowed) role(name, permission string) error {
	role, err := ask.Role(a.Viewer, name)
	if err != nil {
		return err
	}
	return a.at(role.Scope, permission)
}

func (a allowed) PutPolicy(c access.PutPolicy) error {
	if _, there := a.Policy(c.Policy.ID); there {
		return a.policy(c.Policy.ID, "edit policy")
	}
	return a.at(c.Policy.Scope, "create policy")
}

func (a allowed) RemovePolicy(c access.RemovePolicy) error { return a.policy(c.ID, "retire policy") }

func (a allowed) policy(id model.ID, permission string) error {
	_, err := ask.Policy(a.Viewer, id.String(), permission)
	return err
}
