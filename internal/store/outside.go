package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"strings"
	"time"

	"arbora.example/access/model"
)

// Trust is by what an identity provider is trusted to say who somebody is (OpenID Connect).
type Trust struct {
	ID, Organisation, Provider model.ID
	Issuer, ClientID           string
	Sealed                     []byte // the client secret
	OwnKey                     bool   // in place of a secret: what Arbora is asked for is signed by its own keys
	Scopes                     []string
	State                      TrustState
	TriedAt                    time.Time // when a trial by it went well; zero for never
	CreatedAt                  time.Time
}

// TrustState says whether people come in by a trust.
type TrustState string

// The states of a trust.
const (
	TrustOnTrial TrustState = "trial"
	TrustInUse   TrustState = "in-use"
)

// Entry says what is made of what a provider says, and whom it lets in.
type Entry struct {
	Provider   model.ID
	Map        json.RawMessage // nil for the usual one
	Rule       string          // a condition over claims; empty: all come in
	ClaimsLast time.Duration   // for how long what was said may be used
}

// Arrival is somebody who came by a provider, or tried to.
type Arrival struct {
	ID, Organisation, Provider, Trust model.ID
	At                                time.Time
	Trial                             bool
	Refused                           string // why they were not let in; empty for let in
	Subject, Name                     string
	Claims                            json.RawMessage // as they came
	From                              string
}

// Outside is what a session of an outside person hangs on.
type Outside struct {
	Trust   model.ID  // zero for a session of anybody else
	Session string    // the provider's own name for it
	Sealed  []byte    // the provider's token, to end its session with
	Until   time.Time // when the claims are too old, and the session ends
}

const trustColumns = "id, organisation_id, provider_id, issuer, client_id, sealed_secret, own_key, scopes, state, tried_at, created_at"

func scanTrust(scan scanner) (t Trust, err error) {
	var scopes string
	var tried sql.NullTime
	err = scan((*idColumn)(&t.ID), (*idColumn)(&t.Organisation), (*idColumn)(&t.Provider), &t.Issuer, &t.ClientID, &t.Sealed, &t.OwnKey, &scopes, &t.State, &tried, &t.CreatedAt)
	t.Scopes, t.TriedAt = strings.Fields(scopes), tried.Time
	return t, mark(err)
}

// Trust finds a trust. It returns [ErrNotFound] when there is none.
func (s *Store) Trust(ctx context.Context, id model.ID) (Trust, error) {
	return scanTrust(s.db.QueryRowContext(ctx, "SELECT "+trustColumns+" FROM trust WHERE id = ?", idColumn(id)).Scan)
}

// Trusts lists the trusts of an organisation, the oldest first.
func (s *Store) Trusts(ctx context.Context, organisation model.ID) (trusts []Trust, err error) {
	err = each(ctx, s.db, "SELECT "+trustColumns+" FROM trust WHERE organisation_id = ? ORDER BY id", []any{idColumn(organisation)}, func(scan scanner) error {
		t, err := scanTrust(scan)
		trusts = append(trusts, t)
		return err
	})
	return trusts, err
}

// told is what the change record keeps of a trust: all but its secret.
func (t Trust) told() any {
	if t.ID.IsZero() {
		return nil
	}
	return map[string]any{"id": t.ID.String(), "provider_id": t.Provider.String(), "issuer": t.Issuer, "client_id": t.ClientID, "own_key": t.OwnKey, "scopes": t.Scopes, "state": t.State}
}

// PutTrust writes a trust, new where before is the zero one.
func (w *Tx) PutTrust(before, after Trust) error {
	w.note("trust", before.told(), after.told())
	w.tx.signal(after.ID)
	if before.State == TrustInUse && after.State != TrustInUse {
		if err := w.exec("UPDATE session SET ended_at = ? WHERE trust_id = ? AND ended_at IS NULL", w.at, idColumn(after.ID)); err != nil {
			return err
		}
	}
	return w.exec("REPLACE INTO trust ("+trustColumns+") VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		idColumn(after.ID), idColumn(w.organisation), idColumn(after.Provider), after.Issuer, after.ClientID, after.Sealed, after.OwnKey, strings.Join(after.Scopes, " "), string(after.State),
		momentColumn(after.TriedAt), after.CreatedAt)
}

// RemoveTrust takes a trust away, and ends the sessions that began by it.
func (w *Tx) RemoveTrust(t Trust) error {
	w.note("trust", t.told(), nil)
	w.tx.signal(t.ID)
	if err := w.exec("UPDATE session SET ended_at = ? WHERE trust_id = ? AND ended_at IS NULL", w.at, idColumn(t.ID)); err != nil {
		return err
	}
	return w.exec("DELETE FROM trust WHERE id = ?", idColumn(t.ID))
}

// EndSessions ends all sessions of people.
func (w *Tx) EndSessions(people []model.ID) error {
	for _, id := range people {
		w.tx.signal(id)
		if err := w.exec("UPDATE session SET ended_at = ? WHERE identity_id = ? AND ended_at IS NULL", w.at, idColumn(id)); err != nil {
			return err
		}
	}
	return nil
}

// Tried notes that a trial by a trust went well.
func (s *Store) Tried(ctx context.Context, trust model.ID, at time.Time) error {
	_, err := s.db.ExecContext(ctx, "UPDATE trust SET tried_at = ? WHERE id = ?", at, idColumn(trust))
	return mark(err)
}

// Entry returns what is made of what a provider says. It returns [ErrNotFound] where nobody has said.
func (s *Store) Entry(ctx context.Context, provider model.ID) (e Entry, err error) {
	var minutes int64
	err = s.db.QueryRowContext(ctx, "SELECT provider_id, claim_map, entry_rule, claims_last FROM entry WHERE provider_id = ?", idColumn(provider)).
		Scan((*idColumn)(&e.Provider), &e.Map, &e.Rule, &minutes)
	e.ClaimsLast = time.Duration(minutes) * time.Minute
	return e, mark(err)
}

func (e Entry) told() any {
	return map[string]any{"provider_id": e.Provider.String(), "claim_map": e.Map, "entry_rule": e.Rule, "claims_last": int(e.ClaimsLast.Minutes())}
}

// PutEntry writes what is made of what a provider says.
func (w *Tx) PutEntry(before, after Entry) error {
	w.note("entry", before.told(), after.told())
	return w.exec("REPLACE INTO entry (provider_id, organisation_id, claim_map, entry_rule, claims_last) VALUES (?, ?, ?, ?, ?)",
		idColumn(after.Provider), idColumn(w.organisation), []byte(after.Map), after.Rule, int(after.ClaimsLast.Minutes()))
}

// ArrivalsKept is how many arrivals are kept of each provider.
const ArrivalsKept = 500

// AddArrival writes that somebody came by a provider, and forgets the oldest. Who was refused is in the audit log, too.
func (s *Store) AddArrival(ctx context.Context, a Arrival, record AuditRecord) error {
	return s.transaction(ctx, func(tx *txn) error {
		var claims any
		if a.Claims != nil {
			claims = []byte(a.Claims)
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO arrival (id, organisation_id, provider_id, trust_id, at, trial, refused, subject, name, claims, made_from) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
			idColumn(a.ID), idColumn(a.Organisation), idColumn(a.Provider), idColumn(a.Trust), a.At, a.Trial, a.Refused, a.Subject, a.Name, claims, a.From); err != nil {
			return err
		}
		var last model.ID
		err := tx.QueryRowContext(ctx, "SELECT id FROM arrival WHERE provider_id = ? ORDER BY id DESC LIMIT 1 OFFSET ?", idColumn(a.Provider), ArrivalsKept).Scan((*idColumn)(&last))
		if err == nil {
			_, err = tx.ExecContext(ctx, "DELETE FROM arrival WHERE provider_id = ? AND id <= ?", idColumn(a.Provider), idColumn(last))
		}
		if err != nil && mark(err) != ErrNotFound {
			return err
		}
		if record.Event == "" {
			return nil
		}
		return appendAudit(ctx, tx, record)
	})
}

// Arrivals lists who came by a provider last, the latest first.
func (s *Store) Arrivals(ctx context.Context, provider model.ID, limit int) (arrivals []Arrival, err error) {
	err = each(ctx, s.db, "SELECT id, organisation_id, provider_id, trust_id, at, trial, refused, subject, name, COALESCE(claims, ''), made_from FROM arrival WHERE provider_id = ? ORDER BY id DESC LIMIT ?",
		[]any{idColumn(provider), limit}, func(scan scanner) error {
			var a Arrival
			err := scan((*idColumn)(&a.ID), (*idColumn)(&a.Organisation), (*idColumn)(&a.Provider), (*idColumn)(&a.Trust), &a.At, &a.Trial, &a.Refused, &a.Subject, &a.Name, &a.Claims, &a.From)
			arrivals = append(arrivals, a)
			return err
		})
	return arrivals, err
}

// EndOutside ends the sessions that began by a trust and that its provider says have ended: one by its own name, or all of a subject. It
// returns how many, and records it.
func (s *Store) EndOutside(ctx context.Context, trust model.ID, subject, session string, record AuditRecord) (n int, err error) {
	err = s.transaction(ctx, func(tx *txn) error {
		var ids, whose []model.ID
		query := `SELECT s.id, s.identity_id FROM session s JOIN principal p ON p.identity_id = s.identity_id
			WHERE s.trust_id = ? AND s.ended_at IS NULL AND (? = '' OR s.outside_session = ?) AND (? = '' OR p.subject = ?)`
		if err := each(ctx, tx, query, []any{idColumn(trust), session, session, subject, subject}, func(scan scanner) error {
			var id, identity model.ID
			err := scan((*idColumn)(&id), (*idColumn)(&identity))
			ids, whose = append(ids, id), append(whose, identity)
			return err
		}); err != nil || len(ids) == 0 {
			return err
		}
		for _, id := range ids {
			if _, err := tx.ExecContext(ctx, "UPDATE session SET ended_at = ? WHERE id = ?", record.Author.At, idColumn(id)); err != nil {
				return err
			}
		}
		tx.signal(ids...)
		tx.signal(whose...)
		n = len(ids)
		return appendAudit(ctx, tx, record)
	})
	return n, err
}

// EndsOutside tells what a session of an outside person hangs on, to end the provider's session with it.
func (s *Store) EndsOutside(ctx context.Context, session model.ID) (o Outside, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT trust_id, COALESCE(outside_session, ''), outside_token FROM session WHERE id = ? AND trust_id IS NOT NULL", idColumn(session)).
		Scan((*idColumn)(&o.Trust), &o.Session, &o.Sealed)
	return o, mark(err)
}
