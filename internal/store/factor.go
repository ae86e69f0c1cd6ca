package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
)

// Factor is somebody's second factor: the seed of one-time codes, sealed.
type Factor struct {
	Sealed    []byte
	Confirmed bool  // a first code was given
	LastStep  int64 // of the last code taken
	Codes     int   // recovery codes left
}

// Factor returns an identity's second factor. It returns [ErrNotFound] when it has none.
func (s *Store) Factor(ctx context.Context, identity model.ID) (f Factor, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT sealed, confirmed_at IS NOT NULL, last_step, (SELECT COUNT(*) FROM recovery_code c WHERE c.identity_id = f.identity_id)
		FROM second_factor f WHERE identity_id = ?`, idColumn(identity)).Scan(&f.Sealed, &f.Confirmed, &f.LastStep, &f.Codes)
	return f, mark(err)
}

// Factors returns by which factors the principals of an organisation can come in who can sign in at all.
func (s *Store) Factors(ctx context.Context, organisation model.ID) (map[model.ID][]settings.Factor, error) {
	factors := map[model.ID][]settings.Factor{}
	err := each(ctx, s.db, `SELECT * FROM (SELECT p.id, i.password_hash <> '' AS password,
			EXISTS (SELECT 1 FROM second_factor f WHERE f.identity_id = i.id AND f.confirmed_at IS NOT NULL) AS code,
			EXISTS (SELECT 1 FROM passkey k WHERE k.identity_id = i.id) AS passkey
		FROM principal p JOIN identity i ON i.id = p.identity_id WHERE p.organisation_id = ?) AS each_one WHERE password OR passkey`, []any{idColumn(organisation)}, func(scan scanner) error {
		var id model.ID
		var password, code, passkey bool
		if err := scan((*idColumn)(&id), &password, &code, &passkey); err != nil {
			return err
		}
		factors[id] = factorsOf(password && code, passkey)
		return nil
	})
	return factors, mark(err)
}

// PersonDetails is what is known of a user or guest besides, and of how they come in.
type PersonDetails struct {
	PrincipalDetails
	Factors    []settings.Factor // what they can sign in with beside a password, or in place of it
	LastSignIn time.Time         // when they last came to work in the organisation; zero for never
}

// fewPeople is up to how many people are read by their ids; above it all of the organisation are.
const fewPeople = 500

// PersonDetails reads the details of users and guests of an organisation by id, and may read those of others besides.
func (s *Store) PersonDetails(ctx context.Context, organisation model.ID, ids []model.ID) (map[model.ID]PersonDetails, error) {
	people := make(map[model.ID]PersonDetails, len(ids))
	query := `SELECT p.id, p.title, p.description, COALESCE(i.email, ''), p.state, p.identity_id, p.created_at, l.at, COALESCE(i.password_hash <> '', FALSE),
			EXISTS (SELECT 1 FROM second_factor f WHERE f.identity_id = p.identity_id AND f.confirmed_at IS NOT NULL),
			EXISTS (SELECT 1 FROM passkey k WHERE k.identity_id = p.identity_id)
		FROM principal p LEFT JOIN identity i ON i.id = p.identity_id LEFT JOIN last_sign_in l ON l.organisation_id = p.organisation_id AND l.identity_id = p.identity_id
		WHERE p.organisation_id = ? AND `
	read := func(scan scanner) error {
		var one PersonDetails
		var id idColumn
		var last sql.NullTime
		var password, code, passkey bool
		if err := scan(&id, &one.Title, &one.Description, &one.Email, &one.State, (*idColumn)(&one.Identity), &one.CreatedAt, &last, &password, &code, &passkey); err != nil {
			return err
		}
		one.Factors, one.LastSignIn = factorsOf(password && code, passkey), last.Time
		people[model.ID(id)] = one
		return nil
	}
	if len(ids) > fewPeople {
		return people, each(ctx, s.db, query+"p.kind IN ('user', 'guest')", []any{idColumn(organisation)}, read)
	}
	return people, eachOf(ctx, s.db, query+"p.id IN ", ids, read, idColumn(organisation))
}

func factorsOf(code, passkey bool) []settings.Factor {
	factors := []settings.Factor{}
	if code {
		factors = append(factors, settings.CodeFactor)
	}
	if passkey {
		factors = append(factors, settings.PasskeyFactor)
	}
	return factors
}

// BeginFactor writes a seed that is still to be confirmed, in place of one that was not.
func (s *Store) BeginFactor(ctx context.Context, identity model.ID, sealed []byte) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO second_factor (identity_id, sealed) VALUES (?, ?)
		ON DUPLICATE KEY UPDATE sealed = IF(confirmed_at IS NULL, VALUES(sealed), sealed)`, idColumn(identity), sealed)
	return mark(err)
}

// ConfirmFactor puts a second factor into use with its recovery codes, and records it. The session in which its first code was given
// counts as begun by one.
func (s *Store) ConfirmFactor(ctx context.Context, i Identity, session model.ID, step int64, codes []string, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(i.ID, session)
		if _, err := tx.ExecContext(ctx, "UPDATE second_factor SET confirmed_at = ?, last_step = ? WHERE identity_id = ?", author.At, step, idColumn(i.ID)); err != nil {
			return err
		}
		if err := putCodes(ctx, tx, i.ID, codes); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE session SET factor = ? WHERE id = ? AND factor = ''", settings.CodeFactor, idColumn(session)); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "second-factor-set", Detail: i.SignIn().String() + " set up a second factor"})
	})
}

func putCodes(ctx context.Context, tx *txn, identity model.ID, codes []string) error {
	if _, err := tx.ExecContext(ctx, "DELETE FROM recovery_code WHERE identity_id = ?", idColumn(identity)); err != nil {
		return err
	}
	for _, code := range codes { // ten rows at most
		hash := credential.RecoveryHash(code)
		if _, err := tx.ExecContext(ctx, "INSERT INTO recovery_code (identity_id, code_hash) VALUES (?, ?)", idColumn(identity), hash[:]); err != nil {
			return err
		}
	}
	return nil
}

// TakeStep notes that a code was taken, and reports whether none as late was before: two attempts at once do not both
// pass by the same code.
func (s *Store) TakeStep(ctx context.Context, identity model.ID, step int64) (bool, error) {
	result, err := s.db.ExecContext(ctx, "UPDATE second_factor SET last_step = ? WHERE identity_id = ? AND last_step < ?", step, idColumn(identity), step)
	if err != nil {
		return false, mark(err)
	}
	n, err := result.RowsAffected()
	return n == 1, err
}

// TakeRecoveryCode uses a recovery code up and records it; it reports whether it was one of the identity's.
func (s *Store) TakeRecoveryCode(ctx context.Context, i Identity, code string, author Author) (taken bool, err error) {
	err = s.transaction(ctx, func(tx *txn) error {
		hash := credential.RecoveryHash(code)
		result, err := tx.ExecContext(ctx, "DELETE FROM recovery_code WHERE identity_id = ? AND code_hash = ?", idColumn(i.ID), hash[:])
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return err
		}
		taken = true
		return appendAudit(ctx, tx, AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "recovery-code-used", Detail: i.SignIn().String() + " used a recovery code"})
	})
	return taken && err == nil, err
}

// DropFactor takes a second factor away, with its codes, and records it.
func (s *Store) DropFactor(ctx context.Context, i Identity, record AuditRecord) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(i.ID)
		if _, err := tx.ExecContext(ctx, "DELETE FROM second_factor WHERE identity_id = ?", idColumn(i.ID)); err != nil {
			return err
		}
		if err := putCodes(ctx, tx, i.ID, nil); err != nil {
			return err
		}
		return appendAudit(ctx, tx, record)
	})
}

// Passkey is a public key that somebody signs in with (WebAuthn).
type Passkey struct {
	ID           model.ID
	Identity     model.ID
	CredentialID []byte
	Credential   json.RawMessage // as the WebAuthn library keeps it
	Label        string
	CreatedAt    time.Time
	LastUsedAt   time.Time // zero for never
}

// Passkeys lists an identity's passkeys, oldest first.
func (s *Store) Passkeys(ctx context.Context, identity model.ID) (keys []Passkey, err error) {
	err = each(ctx, s.db, "SELECT id, identity_id, credential_id, credential, label, created_at, last_used_at FROM passkey WHERE identity_id = ? ORDER BY id", []any{idColumn(identity)}, func(scan scanner) error {
		var k Passkey
		var used sql.NullTime
		err := scan((*idColumn)(&k.ID), (*idColumn)(&k.Identity), &k.CredentialID, &k.Credential, &k.Label, &k.CreatedAt, &used)
		k.LastUsedAt = used.Time
		keys = append(keys, k)
		return err
	})
	return keys, err
}

// AddPasskey writes a passkey and records it.
func (s *Store) AddPasskey(ctx context.Context, i Identity, session model.ID, k Passkey, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(session)
		if _, err := tx.ExecContext(ctx, "INSERT INTO passkey (id, identity_id, credential_id, credential, label, created_at) VALUES (?, ?, ?, ?, ?, ?)",
			idColumn(k.ID), idColumn(i.ID), k.CredentialID, []byte(k.Credential), k.Label, author.At); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE session SET factor = ? WHERE id = ?", settings.PasskeyFactor, idColumn(session)); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "passkey-added", Detail: i.SignIn().String() + " added a passkey"})
	})
}

// UsePasskey writes what a sign-in altered about a passkey.
func (s *Store) UsePasskey(ctx context.Context, credentialID []byte, credential json.RawMessage, at time.Time) error {
	_, err := s.db.ExecContext(ctx, "UPDATE passkey SET credential = ?, last_used_at = ? WHERE credential_id = ?", []byte(credential), at, credentialID)
	return mark(err)
}

// RemovePasskey takes a passkey of an identity's away and records it. It returns [ErrNotFound] when there is none such.
func (s *Store) RemovePasskey(ctx context.Context, i Identity, key model.ID, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		result, err := tx.ExecContext(ctx, "DELETE FROM passkey WHERE identity_id = ? AND id = ?", idColumn(i.ID), idColumn(key))
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return orNotFound(err)
		}
		return appendAudit(ctx, tx, AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "passkey-removed", Detail: i.SignIn().String() + " removed a passkey"})
	})
}

// PutCeremony keeps what a browser was asked to sign until a moment, and forgets what ended.
func (s *Store) PutCeremony(ctx context.Context, token credential.Token, body json.RawMessage, until, now time.Time) error {
	return s.transaction(ctx, func(tx *txn) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM ceremony WHERE expires_at < ?", now); err != nil {
			return err
		}
		hash := token.Hash()
		_, err := tx.ExecContext(ctx, "INSERT INTO ceremony (token_hash, body, expires_at) VALUES (?, ?, ?)", hash[:], []byte(body), until)
		return err
	})
}

// TakeCeremony returns what a browser was asked to sign, once. It returns [ErrNotFound] when it ended or was taken.
func (s *Store) TakeCeremony(ctx context.Context, token credential.Token, now time.Time) (body json.RawMessage, err error) {
	hash := token.Hash()
	err = s.transaction(ctx, func(tx *txn) error {
		var until time.Time
		if err := tx.QueryRowContext(ctx, "SELECT body, expires_at FROM ceremony WHERE token_hash = ? FOR UPDATE", hash[:]).Scan(&body, &until); err != nil {
			return err
		}
		if !now.Before(until) {
			return ErrNotFound
		}
		_, err := tx.ExecContext(ctx, "DELETE FROM ceremony WHERE token_hash = ?", hash[:])
		return err
	})
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return body, err
}
