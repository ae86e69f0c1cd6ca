package store

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"arbora.example/access"
)

// Author says who makes a change or is answerable for an event.
type Author struct {
	Name string // sign-in name, or "host" for a command on the host
	From string // network address, or "host"
	At   time.Time
}

// Tx is a write in progress on one organisation. Its methods write rows and note each for the change record.
type Tx struct {
	Details
	ctx          context.Context
	tx           *txn
	organisation access.ID
	at           time.Time
	author       Author
	name         string // of the organisation, as it is after the change
	rows         []rowChange
	touched      []access.ID // scopes that the rows are about
	policies     []access.ID // that were written
	changes      []access.Change
	recorded     bool // changes are all that the write does to what is decided by
	beside       bool // settings or quotas were written
}

// rowChange is one row before and after, as the change record keeps it. Credentials never enter it.
type rowChange struct {
	Table  string `json:"table"`
	Before any    `json:"before,omitempty"`
	After  any    `json:"after,omitempty"`
}

// Write runs fn in one transaction on an organisation, with its revision locked. fn is given that revision and returns
// a sentence that says what it did. Write returns the revision the change led to. When it fails with [ErrUnavailable],
// the change is either there whole or absent: [Store.Revision] tells.
func (s *Store) Write(ctx context.Context, organisation access.ID, author Author, fn func(tx *Tx, revision uint64) (what string, err error)) (uint64, error) {
	lock := func(w *Tx) (revision uint64, err error) {
		err = w.tx.QueryRowContext(ctx, "SELECT revision, (SELECT name FROM scope WHERE id = organisation.id) FROM organisation WHERE id = ? FOR UPDATE", idColumn(organisation)).
			Scan(&revision, &w.name)
		return revision, err
	}
	return s.write(ctx, organisation, author, lock, fn)
}

// Create is [Store.Write] for an organisation that is to be made; its revision begins at 0.
func (s *Store) Create(ctx context.Context, organisation access.ID, author Author, fn func(tx *Tx, revision uint64) (what string, err error)) (uint64, error) {
	insert := func(w *Tx) (uint64, error) {
		return 0, w.exec("INSERT INTO organisation (id, revision) VALUES (?, 0)", idColumn(organisation))
	}
	return s.write(ctx, organisation, author, insert, fn)
}

func (s *Store) write(ctx context.Context, organisation access.ID, author Author, lock func(*Tx) (uint64, error), fn func(*Tx, uint64) (string, error)) (next uint64, err error) {
	err = s.transaction(ctx, func(tx *txn) error {
		w := &Tx{Details: Details{tx}, ctx: ctx, tx: tx, organisation: organisation, at: author.At, author: author}
		revision, err := lock(w)
		if err != nil {
			return err
		}
		what, err := fn(w, revision)
		if err != nil {
			return err
		}
		next = revision + 1
		changed, err := json.Marshal(w.rows)
		if err != nil {
			return err
		}
		var changes []byte // none: whoever follows reads the organisation whole
		if w.recorded {
			if changes, err = access.EncodeChanges(w.changes); err != nil {
				return err
			}
		}
		if err := w.exec(`INSERT INTO change_record (organisation_id, revision, made_at, made_by, made_from, what, changed, changes, beside) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			idColumn(organisation), next, author.At, author.Name, author.From, what, changed, changes, w.beside); err != nil {
			return err
		}
		var touched [][]any
		for _, id := range w.touched {
			touched = append(touched, []any{idColumn(organisation), idColumn(id), next})
		}
		if err := w.insertMany("changed_scope (organisation_id, scope_id, revision)", touched); err != nil {
			return err
		}
		for _, id := range w.policies {
			if err := w.exec("INSERT INTO policy_version (organisation_id, policy_id, revision) VALUES (?, ?, ?)", idColumn(organisation), idColumn(id), next); err != nil {
				return err
			}
		}
		if err := w.exec("UPDATE organisation SET revision = ? WHERE id = ?", next, idColumn(organisation)); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Organisation: w.name, Author: author, Event: "change", Detail: what})
	})
	return next, err
}

func (w *Tx) exec(statement string, values ...any) error {
	_, err := w.tx.ExecContext(w.ctx, statement, values...)
	return err
}

// Record says what the write does to what is decided by: all of it. Whoever follows does the same: see [Store.ChangesSince].
func (w *Tx) Record(changes ...access.Change) { w.changes, w.recorded = changes, true }

// note keeps a row for the change record, and the scopes it is about.
func (w *Tx) note(table string, before, after any, scopes ...access.ID) {
	w.rows = append(w.rows, rowChange{Table: table, Before: before, After: after})
	for _, id := range scopes {
		if !id.IsZero() && !slices.Contains(w.touched, id) {
			w.touched = append(w.touched, id)
		}
	}
}

// insertMany writes rows of some columns in one statement.
func (w *Tx) insertMany(into string, rows [][]any) error { return insertRows(w.ctx, w.tx, into, rows) }

func insertRows(ctx context.Context, tx *txn, into string, rows [][]any) error {
	if len(rows) == 0 {
		return nil
	}
	row := "(" + strings.Repeat("?, ", len(rows[0])-1) + "?)"
	_, err := tx.ExecContext(ctx, "INSERT INTO "+into+" VALUES "+strings.Repeat(row+", ", len(rows)-1)+row, slices.Concat(rows...)...)
	return err
}

// insertTerms writes what a search finds a scope by.
func (w *Tx) insertTerms(scope access.Scope) error {
	var rows [][]any
	for _, term := range scope.Terms() {
		rows = append(rows, []any{idColumn(w.organisation), term, idColumn(scope.ID)})
	}
	return w.insertMany("scope_term (organisation_id, term, scope_id)", rows)
}

// At is the moment that the write is recorded under.
func (w *Tx) At() time.Time { return w.at }

// named keeps the organisation's name where a scope is its top; each that it has had stays its own.
func (w *Tx) named(scope access.Scope) error {
	if scope.Kind != access.Organisation || scope.Name == w.name {
		return nil
	}
	w.name = scope.Name
	return w.exec("INSERT INTO organisation_name (name, organisation_id) SELECT ?, ? FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM organisation_name WHERE name = ? AND organisation_id = ?)",
		scope.Name, idColumn(w.organisation), scope.Name, idColumn(w.organisation))
}

// CreateScope writes a new scope.
func (w *Tx) CreateScope(scope access.Scope, details ScopeDetails) error {
	if err := w.named(scope); err != nil {
		return err
	}
	tags, err := tagsColumn(scope.Tags)
	if err != nil {
		return err
	}
	w.note("scope", nil, map[string]any{
		"id": scope.ID.String(), "parent_id": scope.Parent.String(), "kind": scope.Kind.String(), "name": scope.Name,
		"type": scope.Type, "title": details.Title, "description": details.Description, "tags": tagsRow(scope.Tags),
	}, scope.ID, scope.Parent)
	err = w.exec(`INSERT INTO scope (id, organisation_id, parent_id, kind, name, type, title, description, tags, retired, created_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, FALSE, ?)`,
		idColumn(scope.ID), idColumn(w.organisation), idColumn(scope.Parent), scope.Kind.String(), scope.Name, scope.Type,
		details.Title, details.Description, tags, w.at)
	if err != nil {
		return err
	}
	return w.insertTerms(scope)
}

// ReshapeScope writes what is altered of a scope: where it sits, its name, title, description, tags, and whether it is in use.
func (w *Tx) ReshapeScope(before, after access.Scope, was, is ScopeDetails) error {
	if err := w.named(after); err != nil {
		return err
	}
	tags, err := tagsColumn(after.Tags)
	if err != nil {
		return err
	}
	row := func(scope access.Scope, details ScopeDetails) map[string]any {
		return map[string]any{
			"id": scope.ID.String(), "parent_id": scope.Parent.String(), "name": scope.Name, "tags": tagsRow(scope.Tags), "retired": scope.Retired,
			"title": details.Title, "description": details.Description,
		}
	}
	w.note("scope", row(before, was), row(after, is), after.ID, before.Parent, after.Parent)
	err = w.exec("UPDATE scope s SET s.parent_id = ?, s.name = ?, s.title = ?, s.description = ?, s.tags = ?, s.retired = ? WHERE s.organisation_id = ? AND s.id = ?",
		idColumn(after.Parent), after.Name, is.Title, is.Description, tags, after.Retired, idColumn(w.organisation), idColumn(after.ID))
	if err != nil || slices.Equal(before.Terms(), after.Terms()) {
		return err
	}
	if err := w.exec("DELETE FROM scope_term WHERE scope_id = ?", idColumn(after.ID)); err != nil {
		return err
	}
	return w.insertTerms(after)
}

// OfferServices writes what services are offered beneath a scope; nil narrows nothing.
func (w *Tx) OfferServices(scope access.Scope, services []string) error {
	w.note("scope", map[string]any{"id": scope.ID.String(), "offered": scope.Offered}, map[string]any{"id": scope.ID.String(), "offered": services}, scope.ID)
	if services == nil {
		return w.exec("UPDATE scope SET offered = NULL WHERE id = ?", idColumn(scope.ID))
	}
	offered, err := json.Marshal(services)
	if err != nil {
		return err
	}
	return w.exec("UPDATE scope SET offered = ? WHERE id = ?", offered, idColumn(scope.ID))
}

// tagsColumn writes tags as JSON.
func tagsColumn(tags map[string]string) ([]byte, error) { return json.Marshal(tagsRow(tags)) }

// tagsRow gives tags as a row holds them: none are {}.
func tagsRow(tags map[string]string) map[string]string {
	if tags == nil {
		return map[string]string{}
	}
	return tags
}
