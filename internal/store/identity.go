package store

import (
	"context"
	"database/sql"
	"strings"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
)

// Identity is who signs in and how.
type Identity struct {
	ID               model.ID
	Organisation     model.ID // its home; zero for a keeper and for a guest from outside
	OrganisationName string
	Keeper           bool
	Name             string // of a guest from outside: the mail address
	Title            string // display name; empty for a keeper
	Email            string
	PasswordHash     string // empty for none: no password opens it
	By               credential.SignInBy
	Factor           bool      // a second factor is set up
	Temporary        bool      // the password must be replaced before anything else
	TemporaryUntil   time.Time // when a temporary password ends
	ProvedEmail      string    // the address at which they last used a link that was mailed to it
}

// Proved reports whether the identity has proved a mail address to be theirs.
func (i Identity) Proved(address string) bool {
	return address != "" && strings.EqualFold(i.ProvedEmail, address)
}

// SignIn returns the name the identity signs in by.
func (i Identity) SignIn() credential.SignIn {
	return credential.SignIn{Name: i.Name, Organisation: i.OrganisationName}
}

const (
	identityColumns = `i.id, i.organisation_id, COALESCE(o.name, ''), i.keeper, i.name, COALESCE(p.title, i.title), i.email,
		i.password_hash, i.sign_in_by, i.temporary, i.temporary_until, i.proved_email,
		EXISTS (SELECT 1 FROM second_factor f WHERE f.identity_id = i.id AND f.confirmed_at IS NOT NULL)`
	identityTables = ` FROM identity i
		LEFT JOIN scope o ON o.id = i.organisation_id
		LEFT JOIN principal p ON p.organisation_id = i.organisation_id AND p.id = i.id `
)

// scanIdentity reads the columns above, and more after them.
func scanIdentity(scan scanner, i *Identity, more ...any) error {
	var until sql.NullTime
	err := scan(append([]any{
		(*idColumn)(&i.ID), (*idColumn)(&i.Organisation), &i.OrganisationName, &i.Keeper, &i.Name, &i.Title, &i.Email,
		&i.PasswordHash, &i.By, &i.Temporary, &until, &i.ProvedEmail, &i.Factor,
	}, more...)...)
	i.TemporaryUntil = until.Time
	return mark(err)
}

// IdentityNamed finds who signs in by a name; the organisation's may be one that it had before. It returns [ErrNotFound] when nobody does.
func (s *Store) IdentityNamed(ctx context.Context, name credential.SignIn) (i Identity, err error) {
	query, args := `SELECT `+identityColumns+identityTables+`WHERE i.organisation_id IS NULL AND i.name = ?`, []any{name.Name}
	if name.Organisation != "" {
		query = `SELECT ` + identityColumns + identityTables + `JOIN organisation_name called ON called.organisation_id = i.organisation_id WHERE called.name = ? AND i.name = ?`
		args = []any{name.Organisation, name.Name}
	}
	return i, scanIdentity(s.db.QueryRowContext(ctx, query, args...).Scan, &i)
}

// Identity finds who signs in by id. It returns [ErrNotFound] when there is nobody.
func (s *Store) Identity(ctx context.Context, id model.ID) (i Identity, err error) {
	return i, scanIdentity(s.db.QueryRowContext(ctx, `SELECT `+identityColumns+identityTables+`WHERE i.id = ?`, idColumn(id)).Scan, &i)
}

// Keepers counts the keepers; a service without one is empty.
func (s *Store) Keepers(ctx context.Context) (n int, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM identity WHERE keeper").Scan(&n)
	return n, mark(err)
}

// Seat is an organisation that knows an identity, and as whom.
type Seat struct {
	Organisation model.ID
	Name         string // the organisation's
	Title        string // the organisation's
	Principal    model.ID
	Kind         string // user or guest
}

// Seats returns the organisations that know an identity and where it is active, its home first.
func (s *Store) Seats(ctx context.Context, identity model.ID) (seats []Seat, err error) {
	query := `SELECT o.id, o.name, o.title, p.id, p.kind FROM principal p JOIN scope o ON o.id = p.organisation_id
		WHERE p.identity_id = ? AND p.state = 'active' ORDER BY p.kind DESC, o.name`
	err = each(ctx, s.db, query, []any{idColumn(identity)}, func(scan scanner) error {
		var seat Seat
		err := scan((*idColumn)(&seat.Organisation), &seat.Name, &seat.Title, (*idColumn)(&seat.Principal), &seat.Kind)
		seats = append(seats, seat)
		return err
	})
	return seats, err
}

// AddKeeper writes a keeper and the audit record of it.
func (s *Store) AddKeeper(ctx context.Context, keeper Identity, author Author) error {
	keeper.Keeper = true
	return s.transaction(ctx, func(tx *txn) error {
		if err := insertIdentity(ctx, tx, keeper, model.ID{}, author.At); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Author: author, Event: "keeper-made", Detail: "made " + keeper.Name + " a keeper"})
	})
}

func insertIdentity(ctx context.Context, tx *txn, i Identity, organisation model.ID, at time.Time) error {
	if i.By == "" {
		i.By = credential.ByPassword
	}
	_, err := tx.ExecContext(ctx, `INSERT INTO identity (id, organisation_id, keeper, name, title, email, password_hash, sign_in_by, temporary, temporary_until, created_at)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(i.ID), idColumn(organisation), i.Keeper, i.Name, i.Title, i.Email, i.PasswordHash, i.By, i.Temporary, momentColumn(i.TemporaryUntil), at)
	return err
}

// CreateIdentity writes how a new user signs in.
func (w *Tx) CreateIdentity(identity Identity) error {
	w.note("identity", nil, map[string]any{
		"id": identity.ID.String(), "name": identity.Name, "email": identity.Email, "temporary": identity.Temporary, "sign_in_by": identity.By,
	})
	return insertIdentity(w.ctx, w.tx, identity, w.organisation, w.at)
}

// CreateOutsider writes how a guest from outside, who is at home in no organisation, signs in.
func (w *Tx) CreateOutsider(i Identity) error {
	w.note("identity", nil, map[string]any{"id": i.ID.String(), "name": i.Name, "title": i.Title})
	return insertIdentity(w.ctx, w.tx, i, model.ID{}, w.at)
}

// ChoosePassword replaces an identity's password by one of its own choice, ends all its sessions but the one kept, and
// records it.
func (s *Store) ChoosePassword(ctx context.Context, i Identity, hash string, keep credential.Token, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		if err := setPassword(ctx, tx, i.ID, hash, time.Time{}, keep, author.At); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "password-chosen", Detail: i.SignIn().String() + " chose a password"})
	})
}

// Reset is what ends with a reset of somebody's password, besides their sessions, links and terminals let in.
type Reset struct {
	Passkeys, Keys bool
}

// ResetPassword returns an identity a temporary password, or none for a zero until, and ends what opened it before.
func (w *Tx) ResetPassword(i Identity, hash string, until time.Time, ends Reset) error {
	if ends.Passkeys {
		w.note("passkey", map[string]any{"identity_id": i.ID.String()}, nil)
		if err := w.exec("DELETE FROM passkey WHERE identity_id = ?", idColumn(i.ID)); err != nil {
			return err
		}
	}
	if ends.Keys {
		w.tx.signal(i.ID)
		w.note("api_key", map[string]any{"principal_id": i.ID.String()}, nil)
		if err := w.exec("UPDATE api_key SET withdrawn_at = ? WHERE organisation_id = ? AND principal_id = ? AND withdrawn_at IS NULL", w.at, idColumn(w.organisation), idColumn(i.ID)); err != nil {
			return err
		}
	}
	w.note("identity", map[string]any{"id": i.ID.String(), "name": i.Name, "temporary": i.Temporary}, map[string]any{"id": i.ID.String(), "name": i.Name, "temporary": true})
	return setPassword(w.ctx, w.tx, i.ID, hash, until, "", w.at)
}

// SetSignInBy says anew what an identity signs in with, and ends what opens it no longer: without a password its sessions and links,
// without keys its API keys.
func (w *Tx) SetSignInBy(i Identity, by credential.SignInBy) error {
	w.note("identity", map[string]any{"id": i.ID.String(), "sign_in_by": i.By}, map[string]any{"id": i.ID.String(), "sign_in_by": by})
	w.tx.signal(i.ID)
	if err := w.exec("UPDATE identity SET sign_in_by = ? WHERE id = ?", by, idColumn(i.ID)); err != nil {
		return err
	}
	if !by.TakesKeys() {
		if err := w.exec("UPDATE api_key SET withdrawn_at = ? WHERE organisation_id = ? AND principal_id = ? AND withdrawn_at IS NULL", w.at, idColumn(w.organisation), idColumn(i.ID)); err != nil {
			return err
		}
	}
	if by.TakesPassword() {
		return nil
	}
	return setPassword(w.ctx, w.tx, i.ID, "", time.Time{}, "", w.at)
}

// setPassword writes a password, temporary when until is not zero.
func setPassword(ctx context.Context, tx *txn, id model.ID, hash string, until time.Time, keep credential.Token, at time.Time) error {
	tx.signal(id)
	if _, err := tx.ExecContext(ctx, "UPDATE identity SET password_hash = ?, temporary = ?, temporary_until = ? WHERE id = ?",
		hash, !until.IsZero(), momentColumn(until), idColumn(id)); err != nil {
		return err
	}
	// What opens the account besides ends with the old password: links, and terminals that were let in and did not come yet.
	for _, statement := range []string{
		"DELETE l FROM link l JOIN principal p ON p.id = l.principal_id WHERE p.identity_id = ? AND l.purpose = 'password'",
		"DELETE FROM device_request WHERE identity_id = ?",
	} {
		if _, err := tx.ExecContext(ctx, statement, idColumn(id)); err != nil {
			return err
		}
	}
	kept := keep.Hash()
	_, err := tx.ExecContext(ctx, "UPDATE session SET ended_at = ? WHERE identity_id = ? AND token_hash <> ? AND ended_at IS NULL", at, idColumn(id), kept[:])
	return err
}
