package store

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
)

// Tx is a write in progress on one organisation. Its methods write rows and note each for the change record.
type Tx struct {
	Details
	ctx          context.Context
	tx           *txn
	organisation model.ID
	at           time.Time
	author       Author
	name         string      // of the organisation, as it is after the change
	rows         []rowChange // of what is kept besides
	touched      []model.ID  // scopes that the write is about
	policies     []model.ID  // that were written
	proposal     *access.Proposal
	described    described
	final        bool     // no command takes the write back
	beside       bool     // settings or quotas were written
	once         [32]byte // the key under which the write was asked for; zero for none
}

// rowChange is one row before and after, as the change record keeps it, of what [Tx.Apply] does not write. Credentials never enter
// it.
type rowChange struct {
	Table  string `json:"table"`
	Before any    `json:"before,omitempty"`
	After  any    `json:"after,omitempty"`
}

// Write runs fn in one transaction on an organisation, with its revision locked. fn is given that revision and returns
// a sentence that says what it did. Write returns the revision the change led to. When it fails with [ErrUnavailable],
// the change is either there whole or absent: [Store.Revision] tells.
func (s *Store) Write(ctx context.Context, organisation model.ID, author Author, fn func(tx *Tx, revision uint64) (what string, err error)) (uint64, error) {
	lock := func(w *Tx) (revision uint64, err error) {
		err = w.tx.QueryRowContext(ctx, "SELECT revision, (SELECT name FROM scope WHERE id = organisation.id) FROM organisation WHERE id = ? FOR UPDATE", idColumn(organisation)).
			Scan(&revision, &w.name)
		return revision, err
	}
	return s.write(ctx, organisation, author, lock, fn)
}

// Create is [Store.Write] for an organisation that is to be made; its revision begins at 0.
func (s *Store) Create(ctx context.Context, organisation model.ID, author Author, fn func(tx *Tx, revision uint64) (what string, err error)) (uint64, error) {
	insert := func(w *Tx) (uint64, error) {
		return 0, w.exec("INSERT INTO organisation (id, revision) VALUES (?, 0)", idColumn(organisation))
	}
	return s.write(ctx, organisation, author, insert, fn)
}

func (s *Store) write(ctx context.Context, organisation model.ID, author Author, lock func(*Tx) (uint64, error), fn func(*Tx, uint64) (string, error)) (next uint64, err error) {
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
		what = clipped(what)
		next = revision + 1
		if err := w.record(next, what); err != nil {
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

// mostWords is how many characters the records have for what was done; the changes themselves tell all of it.
const mostWords = 500

func clipped(what string) string {
	if letters := []rune(what); len(letters) > mostWords {
		return string(letters[:mostWords-1]) + "…"
	}
	return what
}

// record writes the change record.
func (w *Tx) record(revision uint64, what string) error {
	changed, err := json.Marshal(w.rows)
	if err != nil {
		return err
	}
	p := w.proposal
	if p == nil {
		p = &access.Proposal{}
	}
	changes, err := access.EncodeChanges(p.Changes)
	if err != nil {
		return err
	}
	described, err := json.Marshal(w.described)
	if err != nil {
		return err
	}
	var back []byte // none: no command takes it back
	if !w.final {
		if back, err = access.EncodeChanges(p.Back); err != nil {
			return err
		}
	}
	if w.once != [32]byte{} {
		if err := w.exec("UPDATE answered SET revision = ? WHERE key_hash = ?", revision, w.once[:]); err != nil {
			return err
		}
	}
	return w.exec(`INSERT INTO change_record (organisation_id, revision, made_at, made_by, made_from, what, changed, changes, beside, back, described)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(w.organisation), revision, w.author.At, w.author.Name, w.author.From, what, changed, changes, w.beside, back, described)
}

// Final says that no command takes the write back.
func (w *Tx) Final() { w.final = true }

func (w *Tx) exec(statement string, values ...any) error {
	_, err := w.tx.ExecContext(w.ctx, statement, values...)
	return err
}

// note keeps a row for the change record.
func (w *Tx) note(table string, before, after any) {
	w.rows = append(w.rows, rowChange{Table: table, Before: before, After: after})
}

// touch says that the write is about scopes.
func (w *Tx) touch(scopes ...model.ID) {
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

// At is the moment that the write is recorded under.
func (w *Tx) At() time.Time { return w.at }

// named keeps the organisation's name where a scope is its top; each that it has had stays its own.
func (w *Tx) named(scope model.Scope) error {
	if scope.Kind != model.Organisation || scope.Name == w.name {
		return nil
	}
	w.name = scope.Name
	w.tx.signal(w.organisation)
	return w.exec("INSERT INTO organisation_name (name, organisation_id) SELECT ?, ? FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM organisation_name WHERE name = ? AND organisation_id = ?)",
		scope.Name, idColumn(w.organisation), scope.Name, idColumn(w.organisation))
}
