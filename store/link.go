package store

import (
	"context"
	"time"

	"arbora.example/access"
	"arbora.example/people"
)

// Link is a link that was sent to somebody; only a hash of its token is kept.
type Link struct {
	Purpose      people.Purpose
	Organisation access.ID
	Principal    access.ID
	MadeAt       time.Time
	MadeBy       string
	Until        time.Time
}

// PutLink writes a link, in place of all others of its purpose for the same principal.
func (w *Tx) PutLink(token people.Token, l Link) error {
	w.note("link", nil, map[string]any{"purpose": l.Purpose, "principal_id": l.Principal.String(), "until": l.Until})
	if err := w.exec("DELETE FROM link WHERE organisation_id = ? AND principal_id = ? AND purpose = ?", idColumn(w.organisation), idColumn(l.Principal), string(l.Purpose)); err != nil {
		return err
	}
	hash := token.Hash()
	return w.exec("INSERT INTO link (token_hash, purpose, organisation_id, principal_id, made_at, made_by, expires_at) VALUES (?, ?, ?, ?, ?, ?, ?)",
		hash[:], string(l.Purpose), idColumn(w.organisation), idColumn(l.Principal), w.at, l.MadeBy, l.Until)
}

// Link finds a link by its token. It returns [ErrNotFound] when there is none.
func (s *Store) Link(ctx context.Context, token people.Token) (l Link, err error) {
	hash := token.Hash()
	err = s.db.QueryRowContext(ctx, "SELECT purpose, organisation_id, principal_id, made_at, made_by, expires_at FROM link WHERE token_hash = ?", hash[:]).
		Scan(&l.Purpose, (*idColumn)(&l.Organisation), (*idColumn)(&l.Principal), &l.MadeAt, &l.MadeBy, &l.Until)
	return l, mark(err)
}

// LinkFor finds the link of a purpose that was sent to a principal last. It returns [ErrNotFound] when there is none.
func (s *Store) LinkFor(ctx context.Context, organisation, principal access.ID, purpose people.Purpose) (l Link, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT purpose, organisation_id, principal_id, made_at, made_by, expires_at FROM link WHERE organisation_id = ? AND principal_id = ? AND purpose = ?",
		idColumn(organisation), idColumn(principal), string(purpose)).
		Scan(&l.Purpose, (*idColumn)(&l.Organisation), (*idColumn)(&l.Principal), &l.MadeAt, &l.MadeBy, &l.Until)
	return l, mark(err)
}

// UseLink removes a link, so that it works once. It returns [ErrNotFound] when it was used already.
func (w *Tx) UseLink(token people.Token) error {
	hash := token.Hash()
	result, err := w.tx.ExecContext(w.ctx, "DELETE FROM link WHERE token_hash = ?", hash[:])
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 {
		return orNotFound(err)
	}
	return nil
}

// SetPassword writes a password that somebody chose by a link, and ends all their sessions.
func (w *Tx) SetPassword(i Identity, hash string) error {
	w.note("identity", map[string]any{"id": i.ID.String(), "name": i.Name}, map[string]any{"id": i.ID.String(), "name": i.Name, "temporary": false})
	return setPassword(w.ctx, w.tx, i.ID, hash, time.Time{}, "", w.at)
}
