package store

import (
	"context"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
)

// Link is a link that was sent to somebody; only a hash of its token is kept.
type Link struct {
	Purpose      credential.Purpose
	Organisation model.ID
	Principal    model.ID
	MadeAt       time.Time
	MadeBy       string
	Until        time.Time
	MailedTo     string // empty when it was shown to whoever made it
}

// PutLink writes a link, in place of all others of its purpose for the same principal.
func (w *Tx) PutLink(token credential.Token, l Link) error {
	w.note("link", nil, map[string]any{"purpose": l.Purpose, "principal_id": l.Principal.String(), "until": l.Until})
	if err := w.exec("DELETE FROM link WHERE organisation_id = ? AND principal_id = ? AND purpose = ?", idColumn(w.organisation), idColumn(l.Principal), string(l.Purpose)); err != nil {
		return err
	}
	hash := token.Hash()
	return w.exec("INSERT INTO link (token_hash, purpose, organisation_id, principal_id, made_at, made_by, expires_at, mailed_to) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
		hash[:], string(l.Purpose), idColumn(w.organisation), idColumn(l.Principal), w.at, l.MadeBy, l.Until, l.MailedTo)
}

// Link finds a link by its token. It returns [ErrNotFound] when there is none.
func (s *Store) Link(ctx context.Context, token credential.Token) (l Link, err error) {
	hash := token.Hash()
	err = s.db.QueryRowContext(ctx, "SELECT purpose, organisation_id, principal_id, made_at, made_by, expires_at, mailed_to FROM link WHERE token_hash = ?", hash[:]).
		Scan(&l.Purpose, (*idColumn)(&l.Organisation), (*idColumn)(&l.Principal), &l.MadeAt, &l.MadeBy, &l.Until, &l.MailedTo)
	return l, mark(err)
}

// LinkFor finds the link of a purpose that was sent to a principal last. It returns [ErrNotFound] when there is none.
func (s *Store) LinkFor(ctx context.Context, organisation, principal model.ID, purpose credential.Purpose) (l Link, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT purpose, organisation_id, principal_id, made_at, made_by, expires_at FROM link WHERE organisation_id = ? AND principal_id = ? AND purpose = ?",
		idColumn(organisation), idColumn(principal), string(purpose)).
		Scan(&l.Purpose, (*idColumn)(&l.Organisation), (*idColumn)(&l.Principal), &l.MadeAt, &l.MadeBy, &l.Until)
	return l, mark(err)
}

// UseLink removes a link, so that it works once. It returns [ErrNotFound] when it was used already.
func (w *Tx) UseLink(token credential.Token) error {
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

// ProveAddress notes that somebody used a link that was mailed to an address.
func (w *Tx) ProveAddress(identity model.ID, address string) error {
	w.tx.signal(identity)
	return w.exec("UPDATE identity SET proved_email = ? WHERE id = ?", address, idColumn(identity))
}

// TakeOver returns an account whose address nobody has proved to whoever did: what opened it before opens it no more.
func (w *Tx) TakeOver(i Identity, hash string) error {
	w.note("identity", map[string]any{"id": i.ID.String(), "name": i.Name}, map[string]any{"id": i.ID.String(), "name": i.Name, "temporary": false})
	return takeOver(w.ctx, w.tx, i, hash, w.at)
}

func takeOver(ctx context.Context, tx *txn, i Identity, hash string, at time.Time) error {
	tx.signal(i.ID)
	for _, table := range []string{"passkey", "second_factor", "recovery_code"} {
		if _, err := tx.ExecContext(ctx, "DELETE FROM "+table+" WHERE identity_id = ?", idColumn(i.ID)); err != nil {
			return err
		}
	}
	return setPassword(ctx, tx, i.ID, hash, time.Time{}, "", at)
}

// AskRecovery writes a link by which a guest from outside may choose another password, in place of an earlier one, unless that
// was made after a moment: made is then false.
func (s *Store) AskRecovery(ctx context.Context, i Identity, token credential.Token, until, notAfter time.Time, author Author) (made bool, err error) {
	err = s.transaction(ctx, func(tx *txn) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM recovery WHERE identity_id = ? AND made_at <= ?", idColumn(i.ID), notAfter); err != nil {
			return err
		}
		hash := token.Hash()
		result, err := tx.ExecContext(ctx, "INSERT IGNORE INTO recovery (token_hash, identity_id, made_at, expires_at) VALUES (?, ?, ?, ?)", hash[:], idColumn(i.ID), author.At, until)
		if err != nil {
			return err
		}
		n, err := result.RowsAffected()
		if made = n > 0; err != nil || !made {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Author: author, Event: "recovery-asked", Detail: "a link to recover the account " + i.Name + " was mailed"})
	})
	return made, err
}

// Recovery finds whose account a link recovers, and until when. It returns [ErrNotFound] when there is none.
func (s *Store) Recovery(ctx context.Context, token credential.Token) (i Identity, until time.Time, err error) {
	var id model.ID
	hash := token.Hash()
	err = s.db.QueryRowContext(ctx, "SELECT identity_id, expires_at FROM recovery WHERE token_hash = ?", hash[:]).Scan((*idColumn)(&id), &until)
	if err != nil {
		return i, until, mark(err)
	}
	i, err = s.Identity(ctx, id)
	return i, until, err
}

// Recover writes the password that the owner of an account chose by such a link, and ends their sessions and passkeys. Their second
// factor stays, unless nobody had proved the address before: then it may be a stranger's. It returns [ErrNotFound] when the link was
// used already.
func (s *Store) Recover(ctx context.Context, i Identity, token credential.Token, hash string, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(i.ID)
		hashed := token.Hash()
		result, err := tx.ExecContext(ctx, "DELETE FROM recovery WHERE token_hash = ?", hashed[:])
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return orNotFound(err)
		}
		if i.Proved(i.Name) {
			_, err = tx.ExecContext(ctx, "DELETE FROM passkey WHERE identity_id = ?", idColumn(i.ID))
			if err == nil {
				err = setPassword(ctx, tx, i.ID, hash, time.Time{}, "", author.At)
			}
		} else {
			err = takeOver(ctx, tx, i, hash, author.At)
		}
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE identity SET proved_email = ? WHERE id = ?", i.Name, idColumn(i.ID)); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Author: author, Event: "recovered", Detail: i.Name + " chose another password by a link that was mailed"})
	})
}

// SetPassword writes a password that somebody chose by a link, and ends all their sessions.
func (w *Tx) SetPassword(i Identity, hash string) error {
	w.note("identity", map[string]any{"id": i.ID.String(), "name": i.Name}, map[string]any{"id": i.ID.String(), "name": i.Name, "temporary": false})
	return setPassword(w.ctx, w.tx, i.ID, hash, time.Time{}, "", w.at)
}
