package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"strings"
	"time"

	"arbora.example/access/model"
)

// Provisioned is somebody, or a group, of whom a provider's system has told (SCIM, RFC 7643).
type Provisioned struct {
	ID, Provider model.ID
	Principal    model.ID // an outside person, or an outside group
	Kind         ProvisionedKind
	Name         string // by which it is found: a person's in small letters
	External     string // the system's own id for it; empty for none
	Active       bool   // what the system said last
	Body         json.RawMessage
	Version      uint64 // counts from 1
	CreatedAt    time.Time
	ChangedAt    time.Time
}

// ProvisionedKind says what is told of.
type ProvisionedKind string

// The kinds of what is provisioned.
const (
	ProvisionedUser  ProvisionedKind = "user"
	ProvisionedGroup ProvisionedKind = "group"
	ProvisionedLeft  ProvisionedKind = "left" // a person who was told to have left
)

// ProvisionedQuery asks for some of what a provider's system has told of. Empty parts ask for nothing.
type ProvisionedQuery struct {
	Kind           ProvisionedKind
	Name, External string
	Principals     []model.ID
	Offset, Limit  int
}

// ProvisioningToken is what a provider's system shows to come in.
type ProvisioningToken struct {
	ID, Organisation, Provider model.ID
	Label                      string
	Hash                       [32]byte
	CreatedBy                  string
	CreatedAt, Until           time.Time
	UsedAt                     time.Time // zero for never
	RevokedAt                  time.Time // zero for not
}

const provisionedColumns = "id, provider_id, principal_id, kind, name, external_id, active, body, version, created_at, changed_at"

func scanProvisioned(scan scanner) (p Provisioned, err error) {
	err = scan((*idColumn)(&p.ID), (*idColumn)(&p.Provider), (*idColumn)(&p.Principal), &p.Kind, &p.Name, &p.External, &p.Active, (*[]byte)(&p.Body), &p.Version, &p.CreatedAt, &p.ChangedAt)
	return p, mark(err)
}

// Provisioned finds what a provider's system has told of by its id. It returns [ErrNotFound] when there is none.
func (d Details) Provisioned(ctx context.Context, id model.ID) (p Provisioned, err error) {
	err = each(ctx, d.from, "SELECT "+provisionedColumns+" FROM provisioned WHERE id = ?", []any{idColumn(id)}, func(scan scanner) (err error) {
		p, err = scanProvisioned(scan)
		return err
	})
	if err == nil && p.ID.IsZero() {
		err = ErrNotFound
	}
	return p, err
}

// ProvisionedBy lists what a provider's system has told of, the oldest first, and counts all that is asked for.
func (d Details) ProvisionedBy(ctx context.Context, provider model.ID, q ProvisionedQuery) (list []Provisioned, total int, err error) {
	where, args := "provider_id = ? AND kind = ?", []any{idColumn(provider), string(q.Kind)}
	if q.Name != "" {
		where, args = where+" AND name = ?", append(args, q.Name)
	}
	if q.External != "" {
		where, args = where+" AND external_id = ?", append(args, q.External)
	}
	if len(q.Principals) > 0 {
		where += " AND principal_id IN (?" + strings.Repeat(", ?", len(q.Principals)-1) + ")"
		for _, id := range q.Principals {
			args = append(args, idColumn(id))
		}
	}
	err = each(ctx, d.from, "SELECT "+provisionedColumns+" FROM provisioned WHERE "+where+" ORDER BY id LIMIT ? OFFSET ?", append(args, q.Limit, q.Offset), func(scan scanner) error {
		p, err := scanProvisioned(scan)
		list = append(list, p)
		return err
	})
	if err != nil || q.Offset == 0 && len(list) < q.Limit {
		return list, len(list), err // that is all
	}
	err = each(ctx, d.from, "SELECT COUNT(*) FROM provisioned WHERE "+where, args, func(scan scanner) error { return scan(&total) })
	return list, total, err
}

// told is what the change record keeps of it: no personal values beside the name.
func (p Provisioned) told() any {
	if p.ID.IsZero() {
		return nil
	}
	return map[string]any{"id": p.ID.String(), "provider_id": p.Provider.String(), "principal_id": p.Principal.String(), "kind": p.Kind, "name": p.Name, "active": p.Active, "version": p.Version}
}

// PutProvisioned writes what a provider's system tells, new where before is the zero one.
func (w *Tx) PutProvisioned(before, after Provisioned) error {
	w.note("provisioned", before.told(), after.told())
	return w.exec("REPLACE INTO provisioned (organisation_id, "+provisionedColumns+") VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		idColumn(w.organisation), idColumn(after.ID), idColumn(after.Provider), idColumn(after.Principal), string(after.Kind), after.Name, after.External, after.Active, []byte(after.Body), after.Version,
		after.CreatedAt, after.ChangedAt)
}

// RemoveProvisioned forgets what a provider's system has told of somebody or a group.
func (w *Tx) RemoveProvisioned(p Provisioned) error {
	w.note("provisioned", p.told(), nil)
	return w.exec("DELETE FROM provisioned WHERE id = ?", idColumn(p.ID))
}

const provisioningTokenColumns = "id, organisation_id, provider_id, label, token_hash, created_by, created_at, until, used_at, revoked_at"

func scanProvisioningToken(scan scanner) (t ProvisioningToken, err error) {
	var hash []byte
	var used, revoked sql.NullTime
	err = scan((*idColumn)(&t.ID), (*idColumn)(&t.Organisation), (*idColumn)(&t.Provider), &t.Label, &hash, &t.CreatedBy, &t.CreatedAt, &t.Until, &used, &revoked)
	copy(t.Hash[:], hash)
	t.UsedAt, t.RevokedAt = used.Time, revoked.Time
	return t, mark(err)
}

// ProvisioningToken finds a token by its hash. It returns [ErrNotFound] when there is none.
func (s *Store) ProvisioningToken(ctx context.Context, hash [32]byte) (ProvisioningToken, error) {
	return scanProvisioningToken(s.db.QueryRowContext(ctx, "SELECT "+provisioningTokenColumns+" FROM provisioning_token WHERE token_hash = ?", hash[:]).Scan)
}

// ProvisioningTokens lists the tokens of a provider, the oldest first.
func (s *Store) ProvisioningTokens(ctx context.Context, provider model.ID) (tokens []ProvisioningToken, err error) {
	err = each(ctx, s.db, "SELECT "+provisioningTokenColumns+" FROM provisioning_token WHERE provider_id = ? ORDER BY id", []any{idColumn(provider)}, func(scan scanner) error {
		t, err := scanProvisioningToken(scan)
		tokens = append(tokens, t)
		return err
	})
	return tokens, err
}

// TouchProvisioningToken notes that a token was shown.
func (s *Store) TouchProvisioningToken(ctx context.Context, id model.ID, at time.Time) error {
	_, err := s.db.ExecContext(ctx, "UPDATE provisioning_token SET used_at = ? WHERE id = ?", at, idColumn(id))
	return mark(err)
}

// told is what the change record keeps of a token: all but its hash.
func (t ProvisioningToken) told() any {
	if t.ID.IsZero() {
		return nil
	}
	return map[string]any{"id": t.ID.String(), "provider_id": t.Provider.String(), "label": t.Label, "until": t.Until, "revoked": !t.RevokedAt.IsZero()}
}

// PutProvisioningToken writes a token, new where before is the zero one.
func (w *Tx) PutProvisioningToken(before, after ProvisioningToken) error {
	w.note("provisioning_token", before.told(), after.told())
	return w.exec("REPLACE INTO provisioning_token ("+provisioningTokenColumns+") VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		idColumn(after.ID), idColumn(w.organisation), idColumn(after.Provider), after.Label, after.Hash[:], after.CreatedBy, after.CreatedAt, after.Until, momentColumn(after.UsedAt), momentColumn(after.RevokedAt))
}
