package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"maps"
	"slices"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
)

// Descriptions are what is known of things that no decision needs, by id: of scopes, principals, grants and policies.
type Descriptions struct {
	Scopes     map[model.ID]ScopeDetails     `json:"scopes,omitempty"`
	Principals map[model.ID]PrincipalDetails `json:"principals,omitempty"`
	Grants     map[model.ID]string           `json:"grants,omitempty"`
	Policies   map[model.ID]string           `json:"policies,omitempty"`
}

// Empty reports whether nothing is known.
func (d Descriptions) Empty() bool {
	return len(d.Scopes)+len(d.Principals)+len(d.Grants)+len(d.Policies) == 0
}

// described is what a change record keeps of descriptions: as they were, of what was altered or removed, and as they are.
type described struct {
	Before Descriptions `json:"before"`
	After  Descriptions `json:"after"`
}

// Apply writes what a proposal's changes do, and what is known besides of what they create or alter. It is the only way in which
// the tree, people and rules of an organisation are written.
func (w *Tx) Apply(p *access.Proposal, after Descriptions) error {
	w.proposal, w.described.After = p, after
	before, err := w.descriptionsBefore(p, after)
	if err != nil {
		return err
	}
	w.described.Before = before
	for _, about := range p.About() {
		w.touch(about.Places...)
	}
	writer := rows{Tx: w, Proposal: p, searched: map[model.ID]bool{}}
	for _, change := range p.Changes {
		if err := access.Visit(change, writer); err != nil {
			return err
		}
	}
	return errors.Join(writer.describe(), writer.terms())
}

// descriptionsBefore reads what is known of what changes alter or remove.
func (w *Tx) descriptionsBefore(p *access.Proposal, after Descriptions) (before Descriptions, err error) {
	grants, policies := []model.ID{}, slices.Collect(maps.Keys(after.Policies))
	for _, change := range p.Changes {
		switch c := change.(type) {
		case access.RevokeGrant:
			grants = append(grants, c.ID)
		case access.EditGrant:
			grants = append(grants, c.Grant.ID)
		case access.RemovePolicy:
			policies = append(policies, c.ID)
		}
	}
	before.Scopes, err = w.ScopeDetails(w.ctx, slices.Collect(maps.Keys(after.Scopes)))
	if err != nil {
		return before, err
	}
	before.Principals, err = w.PrincipalDetails(w.ctx, w.organisation, slices.Collect(maps.Keys(after.Principals)))
	if err != nil {
		return before, err
	}
	grantsBefore, err := w.GrantDetails(w.ctx, grants)
	if err != nil {
		return before, err
	}
	policiesBefore, err := w.PolicyDetails(w.ctx, policies)
	if err != nil {
		return before, err
	}
	before.Grants, before.Policies = map[model.ID]string{}, map[model.ID]string{}
	for id, g := range grantsBefore {
		before.Grants[id] = g.Description
	}
	for id, p := range policiesBefore {
		before.Policies[id] = p.Description
	}
	return before, nil
}

// rows writes each kind of change as rows.
type rows struct {
	*Tx
	*access.Proposal
	searched map[model.ID]bool // scopes whose search terms may have changed
}

// describe writes what is known besides of what was there before.
func (r rows) describe() error {
	was, is := r.described.Before, r.described.After
	for _, id := range slices.SortedFunc(maps.Keys(was.Scopes), model.ID.Compare) {
		r.touch(id)
		r.tx.signal(id)
		if err := r.exec("UPDATE scope SET title = ?, description = ? WHERE id = ?", is.Scopes[id].Title, is.Scopes[id].Description, idColumn(id)); err != nil {
			return err
		}
	}
	for _, id := range slices.SortedFunc(maps.Keys(was.Principals), model.ID.Compare) {
		if err := r.describePrincipal(id, was.Principals[id], is.Principals[id]); err != nil {
			return err
		}
	}
	for id := range is.Policies {
		if _, ok := was.Policies[id]; !ok {
			continue
		}
		if err := r.exec("UPDATE policy SET description = ? WHERE id = ?", is.Policies[id], idColumn(id)); err != nil {
			return err
		}
	}
	return nil
}

func (r rows) describePrincipal(id model.ID, was, is PrincipalDetails) error {
	p, _ := r.After.Principal(id)
	r.tx.signal(id)
	if err := r.exec("UPDATE principal p SET p.title = ?, p.description = ?, p.identity_id = ? WHERE organisation_id = ? AND id = ?",
		is.Title, is.Description, idColumn(is.Identity), idColumn(r.organisation), idColumn(id)); err != nil {
		return err
	}
	if (p.Kind == model.User || p.Kind == model.OutsidePerson) && is.Email != was.Email {
		if err := r.exec("UPDATE identity SET email = ? WHERE id = ?", is.Email, idColumn(id)); err != nil {
			return err
		}
	}
	if is.State == was.State {
		return nil
	}
	return r.setState(p, is.State)
}

// setState writes the state of a principal. Out of use it loses its sessions and links. Its keys stay, and open nothing; those of a
// user who is retired end.
func (r rows) setState(p access.Principal, to credential.State) error {
	r.touch(p.Home)
	r.tx.signal(p.ID)
	if err := r.exec("UPDATE principal p SET p.state = ? WHERE organisation_id = ? AND id = ?", string(to), idColumn(r.organisation), idColumn(p.ID)); err != nil {
		return err
	}
	if to != credential.Suspended && to != credential.Retired {
		return nil
	}
	// Whose home puts them out of use is out everywhere.
	if err := r.exec(`UPDATE session s JOIN principal p ON p.identity_id = s.identity_id SET s.ended_at = ?
		WHERE s.ended_at IS NULL AND p.organisation_id = ? AND p.id = ? AND (p.kind IN ('user', 'outside-person') OR s.organisation_id = p.organisation_id)`, r.at, idColumn(r.organisation), idColumn(p.ID)); err != nil {
		return err
	}
	if p.Kind == model.Provider {
		if err := r.exec(`UPDATE session s JOIN principal p ON p.identity_id = s.identity_id SET s.ended_at = ?
			WHERE s.ended_at IS NULL AND p.organisation_id = ? AND p.provider_id = ?`, r.at, idColumn(r.organisation), idColumn(p.ID)); err != nil {
			return err
		}
	}
	if to == credential.Retired && p.Kind == model.User {
		// For good: whoever is restored later begins without the keys of before.
		if err := r.exec("UPDATE api_key SET withdrawn_at = ? WHERE organisation_id = ? AND principal_id = ? AND withdrawn_at IS NULL", r.at, idColumn(r.organisation), idColumn(p.ID)); err != nil {
			return err
		}
	}
	return r.exec("DELETE FROM link WHERE organisation_id = ? AND principal_id = ?", idColumn(r.organisation), idColumn(p.ID))
}

// terms writes anew what a search finds the scopes by that may be found by other words now.
func (r rows) terms() error {
	for _, id := range slices.SortedFunc(maps.Keys(r.searched), model.ID.Compare) {
		was, there := r.Before.Scope(id)
		is, _ := r.After.Scope(id)
		if there && slices.Equal(was.Terms(), is.Terms()) {
			continue
		}
		if there { // to delete what is not there would lock the gap where it would be
			if err := r.exec("DELETE FROM scope_term WHERE scope_id = ?", idColumn(id)); err != nil {
				return err
			}
		}
		if err := r.insertTerms(is); err != nil {
			return err
		}
	}
	return nil
}

// insertTerms writes what a search finds a scope by.
func (w *Tx) insertTerms(scope model.Scope) error {
	var list [][]any
	for _, term := range scope.Terms() {
		list = append(list, []any{idColumn(w.organisation), term, idColumn(scope.ID)})
	}
	return w.insertMany("scope_term (organisation_id, term, scope_id)", list)
}

func (r rows) CreateScope(c access.CreateScope) error {
	scope, details := c.Scope, r.described.After.Scopes[c.Scope.ID]
	if err := r.named(scope); err != nil {
		return err
	}
	tags, err := tagsColumn(scope.Tags)
	if err != nil {
		return err
	}
	offered, err := offeredColumn(scope.Offered)
	if err != nil {
		return err
	}
	r.searched[scope.ID] = true
	return r.exec(`INSERT INTO scope (id, organisation_id, parent_id, kind, name, type, title, description, tags, offered, retired, created_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, FALSE, ?)`,
		idColumn(scope.ID), idColumn(r.organisation), idColumn(scope.Parent), scope.Kind.String(), scope.Name, scope.Type,
		details.Title, details.Description, tags, offered, r.at)
}

// scope writes a column of a scope.
func (r rows) scope(id model.ID, column string, value any) error {
	return r.exec("UPDATE scope SET "+column+" = ? WHERE id = ?", value, idColumn(id))
}

func (r rows) RenameScope(c access.RenameScope) error {
	is, _ := r.After.Scope(c.ID)
	r.searched[c.ID] = true
	return errors.Join(r.named(is), r.scope(c.ID, "name", c.Name))
}

func (r rows) MoveScope(c access.MoveScope) error {
	return r.scope(c.ID, "parent_id", idColumn(c.Parent))
}

func (r rows) TagScope(c access.TagScope) error {
	tags, err := tagsColumn(c.Tags)
	if err != nil {
		return err
	}
	r.searched[c.ID] = true
	return r.scope(c.ID, "tags", tags)
}

func (r rows) OfferServices(c access.OfferServices) error {
	offered, err := offeredColumn(c.Services)
	if err != nil {
		return err
	}
	return r.scope(c.ID, "offered", offered)
}

func (r rows) RetireScope(c access.RetireScope) error   { return r.scope(c.ID, "retired", true) }
func (r rows) RestoreScope(c access.RestoreScope) error { return r.scope(c.ID, "retired", false) }

// CreatePrincipal writes a new principal. A user's id is that of the identity that acts as it.
func (r rows) CreatePrincipal(c access.CreatePrincipal) error {
	p, details := c.Principal, r.described.After.Principals[c.Principal.ID]
	tags, err := tagsColumn(p.Tags)
	if err != nil {
		return err
	}
	if details.State == "" {
		details.State = stateOf(p.Inactive)
	}
	claims, err := claimsColumn(p.Claims)
	if err != nil {
		return err
	}
	if p.Kind == model.User {
		details.Identity = p.ID
	}
	subject := sql.NullString{String: p.Subject, Valid: p.Kind == model.OutsidePerson}
	return r.exec(`INSERT INTO principal (organisation_id, id, kind, name, home_id, tags, title, description, state, owner_id, gathers, provider_id, subject, claims, pattern, own, identity_id, created_at)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(r.organisation), idColumn(p.ID), p.Kind.String(), p.Name, idColumn(p.Home), tags, details.Title, details.Description,
		string(details.State), idColumn(p.Owner), p.Gathers.String(), idColumn(p.Provider), subject, claims, p.Pattern, p.Own, idColumn(details.Identity), r.at)
}

func (r rows) SetClaims(c access.SetClaims) error {
	claims, err := claimsColumn(c.Claims)
	if err != nil {
		return err
	}
	return r.principal(c.ID, "claims", claims)
}

// claimsColumn writes claims as JSON; NULL for none told yet.
func claimsColumn(claims map[string][]string) (any, error) {
	if claims == nil {
		return nil, nil
	}
	return json.Marshal(claims)
}

// stateOf returns the state of a principal of which nothing else is said.
func stateOf(inactive bool) credential.State {
	if inactive {
		return credential.Suspended
	}
	return credential.Active
}

// principal writes a column of a principal.
func (r rows) principal(id model.ID, column string, value any) error {
	return r.exec("UPDATE principal p SET p."+column+" = ? WHERE organisation_id = ? AND id = ?", value, idColumn(r.organisation), idColumn(id))
}

func (r rows) RenamePrincipal(c access.RenamePrincipal) error {
	if p, _ := r.After.Principal(c.ID); p.Kind == model.User {
		r.tx.signal(c.ID)
		if err := r.exec("UPDATE identity SET name = ? WHERE id = ?", c.Name, idColumn(c.ID)); err != nil {
			return err
		}
	}
	return r.principal(c.ID, "name", c.Name)
}

func (r rows) TagPrincipal(c access.TagPrincipal) error {
	tags, err := tagsColumn(c.Tags)
	if err != nil {
		return err
	}
	return r.principal(c.ID, "tags", tags)
}

func (r rows) SetOwner(c access.SetOwner) error {
	return r.principal(c.Group, "owner_id", idColumn(c.Owner))
}

func (r rows) SetGathers(c access.SetGathers) error {
	return r.principal(c.Group, "gathers", c.Condition.String())
}

// SetInactive writes the state that a description gives, with all that goes with it, or else one that fits.
func (r rows) SetInactive(c access.SetInactive) error {
	if _, said := r.described.After.Principals[c.ID]; said {
		return nil
	}
	p, _ := r.After.Principal(c.ID)
	return r.setState(p, stateOf(c.Inactive))
}

func (r rows) AddMember(c access.AddMember) error {
	return r.exec("INSERT INTO membership (organisation_id, group_id, member_id) VALUES (?, ?, ?)",
		idColumn(r.organisation), idColumn(c.Membership.Group), idColumn(c.Membership.Member))
}

func (r rows) RemoveMember(c access.RemoveMember) error {
	return r.exec("DELETE FROM membership WHERE organisation_id = ? AND group_id = ? AND member_id = ?",
		idColumn(r.organisation), idColumn(c.Membership.Group), idColumn(c.Membership.Member))
}

func (r rows) CreateGrant(c access.CreateGrant) error {
	g := c.Grant
	return r.exec(`INSERT INTO role_grant (id, organisation_id, scope_id, principal_id, role, description, applies_if, applies_from, applies_until, created_at, created_by)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(g.ID), idColumn(r.organisation), idColumn(g.Scope), idColumn(g.Principal), g.Role, r.described.After.Grants[g.ID],
		g.Condition.String(), momentColumn(g.From), momentColumn(g.Until), r.at, r.author.Name)
}

func (r rows) RevokeGrant(c access.RevokeGrant) error {
	return r.exec("DELETE FROM role_grant WHERE id = ?", idColumn(c.ID))
}

func (r rows) EditGrant(c access.EditGrant) error {
	g := c.Grant
	description, said := r.described.After.Grants[g.ID]
	if !said {
		description = r.described.Before.Grants[g.ID]
	}
	return r.exec("UPDATE role_grant SET description = ?, applies_if = ?, applies_from = ?, applies_until = ? WHERE id = ?",
		description, g.Condition.String(), momentColumn(g.From), momentColumn(g.Until), idColumn(g.ID))
}

func (r rows) CreateRole(c access.CreateRole) error {
	include, exclude, under, err := roleColumns(c.Definition)
	if err != nil {
		return err
	}
	return r.exec(`INSERT INTO custom_role (organisation_id, name, title, description, scope_id, includes, excludes, grantable_under, created_at, created_by)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(r.organisation), c.Definition.Name, c.Definition.Title, c.Definition.Description, idColumn(c.Definition.Scope), include, exclude, under, r.at, r.author.Name)
}

func (r rows) EditRole(c access.EditRole) error {
	include, exclude, under, err := roleColumns(c.Definition)
	if err != nil {
		return err
	}
	return r.exec(`UPDATE custom_role SET title = ?, description = ?, includes = ?, excludes = ?, grantable_under = ? WHERE organisation_id = ? AND name = ?`,
		c.Definition.Title, c.Definition.Description, include, exclude, under, idColumn(r.organisation), c.Definition.Name)
}

func (r rows) RemoveRole(c access.RemoveRole) error {
	return r.exec("DELETE FROM custom_role WHERE organisation_id = ? AND name = ?", idColumn(r.organisation), c.Name)
}

func roleColumns(def catalogue.RoleDefinition) (include, exclude, under []byte, err error) {
	include, err1 := json.Marshal(def.Include)
	exclude, err2 := json.Marshal(def.Exclude)
	under, err3 := json.Marshal(def.Under)
	return include, exclude, under, errors.Join(err1, err2, err3)
}

// PutPolicy writes a policy: a new one, or another text of it.
func (r rows) PutPolicy(c access.PutPolicy) error {
	p := c.Policy
	statements, err := json.Marshal(p.Statements)
	if err != nil {
		return err
	}
	notes, err := json.Marshal(p.Notes)
	if err != nil {
		return err
	}
	was, there := r.Before.Policy(p.ID)
	if there && was.Suspended != p.Suspended { // nothing else of it changes then, and it is no other version
		return r.exec("UPDATE policy SET suspended = ? WHERE id = ?", p.Suspended, idColumn(p.ID))
	}
	r.policies = append(r.policies, p.ID)
	if there {
		return r.exec("UPDATE policy SET name = ?, statements = ?, notes = ?, written_at = ?, written_by = ? WHERE id = ?",
			p.Name, statements, notes, r.at, r.author.Name, idColumn(p.ID))
	}
	return r.exec(`INSERT INTO policy (id, organisation_id, scope_id, name, description, statements, notes, created_at, created_by, written_at, written_by)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(p.ID), idColumn(r.organisation), idColumn(p.Scope), p.Name, r.described.After.Policies[p.ID], statements, notes, r.at, r.author.Name, r.at, r.author.Name)
}

func (r rows) RemovePolicy(c access.RemovePolicy) error {
	return r.exec("DELETE FROM policy WHERE id = ?", idColumn(c.ID))
}

// tagsColumn writes tags as JSON; none are {}.
func tagsColumn(tags map[string]string) ([]byte, error) {
	if tags == nil {
		return []byte("{}"), nil
	}
	return json.Marshal(tags)
}

// offeredColumn writes the services that a container offers; NULL narrows nothing.
func offeredColumn(services []string) (any, error) {
	if services == nil {
		return nil, nil
	}
	return json.Marshal(services)
}
