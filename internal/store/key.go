package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
)

// Key is an API key: its id is public, its secret is known to whoever was given it, and only a hash of that is kept.
type Key struct {
	ID           model.ID
	Organisation model.ID // zero for a platform service's
	Principal    model.ID
	SecretHash   [32]byte
	Label        string
	CreatedAt    time.Time
	CreatedBy    string
	Issuer       model.ID  // who that is in the organisation; zero for a keeper
	Until        time.Time // zero for one that does not end
	LastUsedAt   time.Time
	LastUsedFrom string
	WithdrawnAt  time.Time // zero for one that was not taken back
	Governs      bool      // programs that show it may use permissions to govern
	Follows      bool      // of a platform service: followers read by it what decisions are made by, and it opens nothing else
	Tokens       *OutsideTokens
	PublicKey    string // as a JWK, of a program that signs in place of showing a secret; empty for one that shows it
}

// OutsideTokens say whose signed tokens take the place of a key's secret; a key without one has a secret or a public key.
type OutsideTokens struct {
	Issuer   string `json:"issuer"`   // who signs them, as an OpenID Connect issuer
	Audience string `json:"audience"` // for whom they are made
	Rule     string `json:"rule"`     // a condition over claims
	Once     bool   `json:"once"`     // each counts once
}

// outsideColumn writes whose tokens take the place of a secret; NULL for nobody's.
func (k Key) outsideColumn() (any, error) {
	if k.Tokens == nil {
		return nil, nil
	}
	return json.Marshal(k.Tokens)
}

// Thumbprint tells the public key of a program that signs apart from others; empty for a key with a secret.
func (k Key) Thumbprint() string {
	if k.PublicKey == "" {
		return ""
	}
	public, err := credential.ParsePublicKey(k.PublicKey)
	if err != nil {
		return "" // what is kept was read so before
	}
	return public.Thumbprint()
}

const keyColumns = "SELECT id, organisation_id, principal_id, secret_hash, label, created_at, created_by, expires_at, last_used_at, last_used_from, withdrawn_at, governs, follows, issuer_id, public_key, outside_tokens FROM api_key WHERE "

func scanKey(scan scanner) (k Key, err error) {
	var hash, tokens []byte
	var until, used, withdrawn sql.NullTime
	err = scan((*idColumn)(&k.ID), (*idColumn)(&k.Organisation), (*idColumn)(&k.Principal), &hash, &k.Label, &k.CreatedAt, &k.CreatedBy, &until, &used, &k.LastUsedFrom, &withdrawn, &k.Governs, &k.Follows, (*idColumn)(&k.Issuer), &k.PublicKey, &tokens)
	if err == nil && tokens != nil {
		err = json.Unmarshal(tokens, &k.Tokens)
	}
	copy(k.SecretHash[:], hash)
	k.Until, k.LastUsedAt, k.WithdrawnAt = until.Time, used.Time, withdrawn.Time
	return k, mark(err)
}

// Key finds a key by id, one that was taken back too. It returns [ErrNotFound] when there is none.
func (s *Store) Key(ctx context.Context, id model.ID) (Key, error) {
	return scanKey(s.db.QueryRowContext(ctx, keyColumns+"id = ?", idColumn(id)).Scan)
}

// Keys lists the keys of a principal that were not taken back, oldest first; of a platform service with a zero organisation.
func (s *Store) Keys(ctx context.Context, organisation, principal model.ID) (keys []Key, err error) {
	err = each(ctx, s.db, keyColumns+"organisation_id <=> ? AND principal_id = ? AND withdrawn_at IS NULL ORDER BY id", []any{idColumn(organisation), idColumn(principal)}, func(scan scanner) error {
		k, err := scanKey(scan)
		keys = append(keys, k)
		return err
	})
	return keys, err
}

// KeysIssuedBy lists the keys of an organisation that somebody issued for others and that were not taken back, oldest first.
func (d Details) KeysIssuedBy(ctx context.Context, organisation, issuer model.ID) (keys []Key, err error) {
	err = each(ctx, d.from, keyColumns+"organisation_id = ? AND issuer_id = ? AND principal_id <> issuer_id AND withdrawn_at IS NULL ORDER BY id",
		[]any{idColumn(organisation), idColumn(issuer)}, func(scan scanner) error {
			k, err := scanKey(scan)
			keys = append(keys, k)
			return err
		})
	return keys, err
}

// CreateKey writes a key of the organisation's.
func (w *Tx) CreateKey(k Key) error {
	k.Organisation = w.organisation
	w.note("api_key", nil, keyRow(k))
	return insertKey(w.ctx, w.tx, k)
}

// CreateServiceKey writes a key of a platform service, and records it.
func (s *Store) CreateServiceKey(ctx context.Context, k Key, service string, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		if err := insertKey(ctx, tx, k); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Author: author, Event: "key-issued", Detail: "issued key " + k.ID.String() + " for service " + service})
	})
}

func insertKey(ctx context.Context, tx *txn, k Key) error {
	tokens, err := k.outsideColumn()
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO api_key (id, organisation_id, principal_id, secret_hash, label, created_at, created_by, expires_at, governs, follows, issuer_id, public_key, outside_tokens) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(k.ID), idColumn(k.Organisation), idColumn(k.Principal), k.SecretHash[:], k.Label, k.CreatedAt, k.CreatedBy, momentColumn(k.Until), k.Governs, k.Follows, idColumn(k.Issuer), k.PublicKey, tokens)
	return err
}

func keyRow(k Key) map[string]any {
	return map[string]any{"id": k.ID.String(), "principal_id": k.Principal.String(), "label": k.Label, "until": momentColumn(k.Until), "governs": k.Governs, "outside_tokens": k.Tokens}
}

// WithdrawKey takes a key of the organisation's back.
func (w *Tx) WithdrawKey(k Key) error {
	w.note("api_key", keyRow(k), nil)
	w.tx.signal(k.ID)
	return w.exec("UPDATE api_key SET withdrawn_at = ? WHERE id = ?", w.at, idColumn(k.ID))
}

// EndKey has a key of the organisation's end at a moment.
func (w *Tx) EndKey(k Key, until time.Time) error {
	ending := k
	ending.Until = until
	w.note("api_key", keyRow(k), keyRow(ending))
	w.tx.signal(k.ID)
	return w.exec("UPDATE api_key SET expires_at = ? WHERE id = ?", until, idColumn(k.ID))
}

// WithdrawServiceKey takes a key of a platform service back, and records it.
func (s *Store) WithdrawServiceKey(ctx context.Context, k Key, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(k.ID)
		if _, err := tx.ExecContext(ctx, "UPDATE api_key SET withdrawn_at = ? WHERE id = ?", author.At, idColumn(k.ID)); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Author: author, Event: "key-withdrawn", Detail: "revoked key " + k.ID.String() + " of a service"})
	})
}

// TakeAssertion notes that an assertion was used, until it has ended by itself; fresh is false for one that was used before.
func (s *Store) TakeAssertion(ctx context.Context, hash [32]byte, until, at time.Time) (fresh bool, err error) {
	if _, err := s.db.ExecContext(ctx, "DELETE FROM assertion WHERE expires_at <= ?", at); err != nil {
		return false, mark(err)
	}
	result, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO assertion (hash, expires_at) VALUES (?, ?)", hash[:], until)
	if err != nil {
		return false, mark(err)
	}
	n, err := result.RowsAffected()
	return n > 0, err
}

// TouchKey notes that a key was used, and records it.
func (s *Store) TouchKey(ctx context.Context, key model.ID, at time.Time, from string, record AuditRecord) error {
	return s.transaction(ctx, func(tx *txn) error {
		if _, err := tx.ExecContext(ctx, "UPDATE api_key SET last_used_at = ?, last_used_from = ? WHERE id = ?", at, from, idColumn(key)); err != nil {
			return err
		}
		return appendAudit(ctx, tx, record)
	})
}

// SigningKey is a key that access tokens are signed with, sealed.
type SigningKey struct {
	ID        string
	Sealed    []byte
	CreatedAt time.Time
}

// SigningKeys returns the signing keys made after a moment, newest first.
func (s *Store) SigningKeys(ctx context.Context, after time.Time) (keys []SigningKey, err error) {
	err = each(ctx, s.db, "SELECT id, sealed, created_at FROM signing_key WHERE created_at > ? ORDER BY created_at DESC", []any{after}, func(scan scanner) error {
		var k SigningKey
		err := scan(&k.ID, &k.Sealed, &k.CreatedAt)
		keys = append(keys, k)
		return err
	})
	return keys, err
}

// AddSigningKey writes a signing key, and forgets those made before a moment: they verify nothing any more.
func (s *Store) AddSigningKey(ctx context.Context, k SigningKey, before time.Time) error {
	return s.transaction(ctx, func(tx *txn) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM signing_key WHERE created_at <= ?", before); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO signing_key (id, sealed, created_at) VALUES (?, ?, ?)", k.ID, k.Sealed, k.CreatedAt)
		return err
	})
}

// RevokeToken takes an access token back, and forgets those that have ended.
func (s *Store) RevokeToken(ctx context.Context, token model.ID, until time.Time, record AuditRecord) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(token)
		if _, err := tx.ExecContext(ctx, "DELETE FROM revoked_token WHERE expires_at < ?", record.Author.At); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO revoked_token (id, expires_at) VALUES (?, ?)", idColumn(token), until); err != nil {
			return err
		}
		return appendAudit(ctx, tx, record)
	})
}

// KeyOfToken finds the key an access token was made with, and whether the token itself was taken back. It returns
// [ErrNotFound] when there is no such key.
func (s *Store) KeyOfToken(ctx context.Context, key, token model.ID) (k Key, revoked bool, err error) {
	row := s.db.QueryRowContext(ctx, strings.Replace(keyColumns, " FROM", ", EXISTS (SELECT 1 FROM revoked_token r WHERE r.id = ?) FROM", 1)+"id = ?", idColumn(token), idColumn(key))
	k, err = scanKey(func(into ...any) error { return row.Scan(append(into, &revoked)...) })
	return k, revoked, err
}

// Settings returns what an organisation has decided for itself.
func (s *Store) Settings(ctx context.Context, organisation model.ID) (settings.Settings, error) {
	settings := settings.DefaultSettings()
	var text []byte
	err := mark(s.db.QueryRowContext(ctx, "SELECT settings FROM organisation_setting WHERE organisation_id = ?", idColumn(organisation)).Scan(&text))
	if errors.Is(err, ErrNotFound) {
		return settings, nil
	} else if err != nil {
		return settings, err
	}
	return settings, json.Unmarshal(text, &settings)
}

// Quotas returns what keepers bound an organisation to; zero where nothing was set.
func (s *Store) Quotas(ctx context.Context, organisation model.ID) (quotas settings.Quotas, err error) {
	var text []byte
	err = s.db.QueryRowContext(ctx, "SELECT quotas FROM organisation WHERE id = ?", idColumn(organisation)).Scan(&text)
	if err != nil || text == nil {
		return quotas, mark(err)
	}
	return quotas, json.Unmarshal(text, &quotas)
}

// SetQuotas writes what keepers bound an organisation to.
func (w *Tx) SetQuotas(before, after settings.Quotas) error {
	w.note("organisation_quotas", before, after)
	w.beside = true
	text, err := json.Marshal(after)
	if err != nil {
		return err
	}
	return w.exec("UPDATE organisation SET quotas = ? WHERE id = ?", text, idColumn(w.organisation))
}

// ChangeSettings writes the organisation's own settings.
func (w *Tx) ChangeSettings(before, after settings.Settings) error {
	w.note("organisation_setting", before, after)
	w.beside = true
	text, err := json.Marshal(after)
	if err != nil {
		return err
	}
	return w.exec("REPLACE INTO organisation_setting (organisation_id, settings) VALUES (?, ?)", idColumn(w.organisation), text)
}
