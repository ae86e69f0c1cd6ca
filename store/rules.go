package store

import (
	"context"
	"encoding/json"
	"errors"

	"arbora.example/access"
)

// CreateGrant writes a grant.
func (w *Tx) CreateGrant(g access.Grant, description string) error {
	w.note("role_grant", nil, grantRow(g, description, w.author.Name), g.Scope)
	return w.exec(`INSERT INTO role_grant (id, organisation_id, scope_id, principal_id, role, description, applies_if, applies_from, applies_until, created_at, created_by)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(g.ID), idColumn(w.organisation), idColumn(g.Scope), idColumn(g.Principal), g.Role, description,
		g.Condition.String(), momentColumn(g.From), momentColumn(g.Until), w.at, w.author.Name)
}

// RevokeGrant takes a grant away.
func (w *Tx) RevokeGrant(g access.Grant) error {
	var description, by string
	if err := w.tx.QueryRowContext(w.ctx, "SELECT description, created_by FROM role_grant WHERE id = ?", idColumn(g.ID)).Scan(&description, &by); err != nil {
		return err
	}
	w.note("role_grant", grantRow(g, description, by), nil, g.Scope)
	return w.exec("DELETE FROM role_grant WHERE id = ?", idColumn(g.ID))
}

func grantRow(g access.Grant, description, by string) map[string]any {
	return map[string]any{
		"id": g.ID.String(), "scope_id": g.Scope.String(), "principal_id": g.Principal.String(), "role": g.Role,
		"description": description, "created_by": by, "applies_if": g.Condition.String(),
		"applies_from": momentColumn(g.From), "applies_until": momentColumn(g.Until),
	}
}

// CreateRole writes a custom role.
func (w *Tx) CreateRole(def access.RoleDefinition) error {
	include, exclude, under, err := roleColumns(def)
	if err != nil {
		return err
	}
	w.note("custom_role", nil, def, def.Scope)
	return w.exec(`INSERT INTO custom_role (organisation_id, name, title, description, scope_id, includes, excludes, grantable_under, created_at, created_by)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(w.organisation), def.Name, def.Title, def.Description, idColumn(def.Scope), include, exclude, under, w.at, w.author.Name)
}

// EditRole writes another definition of a custom role.
func (w *Tx) EditRole(before, after access.RoleDefinition) error {
	include, exclude, under, err := roleColumns(after)
	if err != nil {
		return err
	}
	w.note("custom_role", before, after, after.Scope)
	return w.exec(`UPDATE custom_role SET title = ?, description = ?, includes = ?, excludes = ?, grantable_under = ? WHERE organisation_id = ? AND name = ?`,
		after.Title, after.Description, include, exclude, under, idColumn(w.organisation), after.Name)
}

// RemoveRole takes a custom role away.
func (w *Tx) RemoveRole(def access.RoleDefinition) error {
	w.note("custom_role", def, nil, def.Scope)
	return w.exec("DELETE FROM custom_role WHERE organisation_id = ? AND name = ?", idColumn(w.organisation), def.Name)
}

func roleColumns(def access.RoleDefinition) (include, exclude, under []byte, err error) {
	include, err1 := json.Marshal(def.Include)
	exclude, err2 := json.Marshal(def.Exclude)
	under, err3 := json.Marshal(def.Under)
	return include, exclude, under, errors.Join(err1, err2, err3)
}

// policyRow is a policy as the change record keeps it.
type policyRow struct {
	access.Policy
	Description string
}

// policyBefore gives a policy as it is before a change.
func (w *Tx) policyBefore(p access.Policy) (policyRow, error) {
	details, err := w.PolicyDetails(w.ctx, []access.ID{p.ID})
	return policyRow{p, details[p.ID].Description}, err
}

// PutPolicy writes a policy: a new one when before is nil, or another text of it.
func (w *Tx) PutPolicy(before *access.Policy, p access.Policy, description string) error {
	statements, err := json.Marshal(p.Statements)
	if err != nil {
		return err
	}
	notes, err := json.Marshal(p.Notes)
	if err != nil {
		return err
	}
	w.policies = append(w.policies, p.ID)
	if before == nil {
		w.note("policy", nil, policyRow{p, description}, p.Scope)
		return w.exec(`INSERT INTO policy (id, organisation_id, scope_id, name, description, statements, notes, created_at, created_by, written_at, written_by)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			idColumn(p.ID), idColumn(w.organisation), idColumn(p.Scope), p.Name, description, statements, notes, w.at, w.author.Name, w.at, w.author.Name)
	}
	was, err := w.policyBefore(*before)
	if err != nil {
		return err
	}
	w.note("policy", was, policyRow{p, description}, p.Scope)
	return w.exec("UPDATE policy SET name = ?, description = ?, statements = ?, notes = ?, written_at = ?, written_by = ? WHERE id = ?",
		p.Name, description, statements, notes, w.at, w.author.Name, idColumn(p.ID))
}

// RemovePolicy takes a policy away.
func (w *Tx) RemovePolicy(p access.Policy) error {
	was, err := w.policyBefore(p)
	if err != nil {
		return err
	}
	w.note("policy", was, nil, p.Scope)
	return w.exec("DELETE FROM policy WHERE id = ?", idColumn(p.ID))
}

// Services reads the files of the services that were registered, in the order they came.
func (s *Store) Services(ctx context.Context) ([][]byte, error) {
	var files [][]byte
	err := each(ctx, s.db, "SELECT file FROM catalogue_service ORDER BY number", nil, func(scan scanner) error {
		var file []byte
		if err := scan(&file); err != nil {
			return err
		}
		files = append(files, file)
		return nil
	})
	return files, err
}

// AddService writes a service of the catalogue.
func (s *Store) AddService(ctx context.Context, name string, file []byte, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		_, err := tx.ExecContext(ctx, "INSERT INTO catalogue_service (name, file, registered_at, registered_by) VALUES (?, ?, ?, ?)",
			name, file, author.At, author.Name)
		if err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Author: author, Event: "service-registered", Detail: "registered service " + name})
	})
}

// RemoveService takes a service off the catalogue.
func (s *Store) RemoveService(ctx context.Context, name string, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM catalogue_service WHERE name = ?", name); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Author: author, Event: "service-removed", Detail: "removed service " + name})
	})
}
