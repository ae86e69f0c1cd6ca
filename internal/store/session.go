package store

import (
	"context"
	"database/sql"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
)

// Session is a sign-in that lasts.
type Session struct {
	ID               model.ID
	Identity         Identity
	Organisation     model.ID // where it works at present; zero for a keeper, and for a guest whom nobody knows any more
	OrganisationName string
	Principal        model.ID // as whom it acts there
	SignedInAt       time.Time
	LastUsedAt       time.Time
	From             string          // network address it was made from
	Agent            string          // what the program calls itself
	Factor           settings.Factor // by which it began
	ProvedAt         time.Time       // when the person last gave a password or passkey in it; zero for never
	EndedAt          time.Time       // when it was ended before its time; zero for never
	Provider         model.ID        // of an outside person: by whom they came
	Outside          Outside
}

// endedKept is for how long ended sessions are kept, so that whoever still uses one can be told what became of it.
const endedKept = 7 * 24 * time.Hour

// StartSession writes a session and the audit record of the sign-in, and clears away the identity's ended ones.
func (s *Store) StartSession(ctx context.Context, session Session, token credential.Token, author Author) error {
	i := session.Identity
	return s.transaction(ctx, func(tx *txn) error {
		cleared, err := tx.ExecContext(ctx, "DELETE FROM session WHERE identity_id = ? AND last_used_at < ?", idColumn(i.ID), author.At.Add(-endedKept))
		if err != nil {
			return err
		}
		if n, err := cleared.RowsAffected(); err != nil {
			return err
		} else if n > 0 {
			tx.signal(i.ID)
		}
		hash := token.Hash()
		if _, err := tx.ExecContext(ctx, `INSERT INTO session (token_hash, id, identity_id, organisation_id, signed_in_at, last_used_at, made_from, agent, factor, proved_at, trust_id, outside_session, outside_token, until)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			hash[:], idColumn(session.ID), idColumn(i.ID), idColumn(session.Organisation), author.At, author.At, author.From, session.Agent, session.Factor, momentColumn(session.ProvedAt),
			idColumn(session.Outside.Trust), session.Outside.Session, session.Outside.Sealed, momentColumn(session.Outside.Until)); err != nil {
			return err
		}
		if err := noteSignIn(ctx, tx, session.ID, author.At); err != nil {
			return err
		}
		// All was right: from this network nothing was guessed.
		for _, what := range []credential.Guessed{credential.PasswordFrom(author.From), credential.CodeFromAnywhere} {
			if _, err := tx.ExecContext(ctx, "DELETE FROM guess WHERE name_hash = ? AND kind = ? AND network = ?", Guess{i.SignIn(), what}.key()...); err != nil {
				return err
			}
		}
		return appendAudit(ctx, tx, AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "sign-in", Detail: i.SignIn().String() + " signed in"})
	})
}

// SessionFor finds the session a token stands for. It returns [ErrNotFound] when there is none.
func (s *Store) SessionFor(ctx context.Context, token credential.Token) (session Session, err error) {
	hash := token.Hash()
	return s.session(ctx, "s.token_hash = ?", hash[:])
}

// SessionOf finds a session by its id. It returns [ErrNotFound] when there is none.
func (s *Store) SessionOf(ctx context.Context, id model.ID) (Session, error) {
	return s.session(ctx, "s.id = ?", idColumn(id))
}

func (s *Store) session(ctx context.Context, which string, value any) (session Session, err error) {
	query := `SELECT ` + identityColumns + `, s.id, s.organisation_id, COALESCE(here.name, ''), seat.id, s.signed_in_at, s.last_used_at, s.made_from, s.agent, s.factor, s.proved_at, s.ended_at, s.trust_id, s.until, seat.provider_id` +
		identityTables + `JOIN session s ON s.identity_id = i.id
		LEFT JOIN scope here ON here.id = s.organisation_id
		LEFT JOIN principal seat ON seat.identity_id = s.identity_id AND seat.organisation_id = s.organisation_id
		WHERE ` + which
	var proved, ended, until sql.NullTime
	err = scanIdentity(s.db.QueryRowContext(ctx, query, value).Scan, &session.Identity,
		(*idColumn)(&session.ID), (*idColumn)(&session.Organisation), &session.OrganisationName, (*idColumn)(&session.Principal),
		&session.SignedInAt, &session.LastUsedAt, &session.From, &session.Agent, &session.Factor, &proved, &ended,
		(*idColumn)(&session.Outside.Trust), &until, (*idColumn)(&session.Provider))
	session.ProvedAt, session.EndedAt, session.Outside.Until = proved.Time, ended.Time, until.Time
	return session, err
}

// Sessions lists an identity's sessions that nobody ended by a moment, and that may still last, the one used last first.
func (s *Store) Sessions(ctx context.Context, identity model.ID, at time.Time) ([]Session, error) {
	return s.sessions(ctx, "s.identity_id = ?", at, idColumn(identity))
}

// SessionsOf lists the sessions of a principal that work in its organisation, as [Store.Sessions] does.
func (s *Store) SessionsOf(ctx context.Context, organisation, principal model.ID, at time.Time) ([]Session, error) {
	return s.sessions(ctx, sessionsOfPrincipal, at, idColumn(organisation), idColumn(principal))
}

// sessionsOfPrincipal picks the sessions that work as a principal.
const sessionsOfPrincipal = "s.organisation_id = ? AND s.identity_id = (SELECT identity_id FROM principal WHERE id = ?)"

func (s *Store) sessions(ctx context.Context, whose string, at time.Time, values ...any) (sessions []Session, err error) {
	query := `SELECT s.id, s.organisation_id, COALESCE(o.name, ''), s.signed_in_at, s.last_used_at, s.made_from, s.agent FROM session s
		LEFT JOIN scope o ON o.id = s.organisation_id
		WHERE ` + whose + ` AND s.ended_at IS NULL AND s.signed_in_at > ? AND s.last_used_at > ? AND (s.until IS NULL OR s.until > ?) ORDER BY s.last_used_at DESC`
	values = append(values, at.Add(-settings.LongestLife), at.Add(-settings.LongestIdle), at)
	err = each(ctx, s.db, query, values, func(scan scanner) error {
		var x Session
		err := scan((*idColumn)(&x.ID), (*idColumn)(&x.Organisation), &x.OrganisationName, &x.SignedInAt, &x.LastUsedAt, &x.From, &x.Agent)
		sessions = append(sessions, x)
		return err
	})
	return sessions, err
}

// TouchSession notes that a session was used.
func (s *Store) TouchSession(ctx context.Context, token credential.Token, at time.Time) error {
	hash := token.Hash()
	_, err := s.db.ExecContext(ctx, "UPDATE session SET last_used_at = ? WHERE token_hash = ?", at, hash[:])
	return mark(err)
}

// ProveSession notes that the person gave a password in a session, or a factor, which it then counts as begun by.
func (s *Store) ProveSession(ctx context.Context, session model.ID, by settings.Factor, at time.Time) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(session)
		_, err := tx.ExecContext(ctx, "UPDATE session SET proved_at = ?, factor = IF(? = '', factor, ?) WHERE id = ?", at, by, by, idColumn(session))
		return err
	})
}

// MoveSession has a session work in another organisation from a moment on.
func (s *Store) MoveSession(ctx context.Context, session, organisation model.ID, at time.Time) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(session)
		if _, err := tx.ExecContext(ctx, "UPDATE session SET organisation_id = ? WHERE id = ?", idColumn(organisation), idColumn(session)); err != nil {
			return err
		}
		return noteSignIn(ctx, tx, session, at)
	})
}

// noteSignIn notes that somebody came to work where a session works.
func noteSignIn(ctx context.Context, tx *txn, session model.ID, at time.Time) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO last_sign_in (organisation_id, identity_id, at)
		SELECT organisation_id, identity_id, ? FROM session WHERE id = ? AND organisation_id IS NOT NULL
		ON DUPLICATE KEY UPDATE at = VALUES(at)`, at, idColumn(session))
	return err
}

// LastSignIns returns when the principals of an organisation last came to work in it; those who never did are left out.
func (s *Store) LastSignIns(ctx context.Context, organisation model.ID) (map[model.ID]time.Time, error) {
	last := map[model.ID]time.Time{}
	err := each(ctx, s.db, `SELECT p.id, l.at FROM last_sign_in l JOIN principal p ON p.organisation_id = l.organisation_id AND p.identity_id = l.identity_id
		WHERE l.organisation_id = ?`, []any{idColumn(organisation)}, func(scan scanner) error {
		var id idColumn
		var at time.Time
		err := scan(&id, &at)
		last[model.ID(id)] = at
		return err
	})
	return last, err
}

// RevokeSession ends a session of an identity and records it. It returns [ErrNotFound] when there is no such session.
func (s *Store) RevokeSession(ctx context.Context, i Identity, session model.ID, author Author) error {
	record := AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "sign-out", Detail: i.SignIn().String() + " signed out"}
	return s.revokeSession(ctx, "s.identity_id = ?", session, record, idColumn(i.ID))
}

// RevokeSessionOf ends a session of a principal that works in its organisation, and records it. It returns [ErrNotFound] when
// there is no such session.
func (s *Store) RevokeSessionOf(ctx context.Context, organisation, principal, session model.ID, record AuditRecord) error {
	return s.revokeSession(ctx, sessionsOfPrincipal, session, record, idColumn(organisation), idColumn(principal))
}

func (s *Store) revokeSession(ctx context.Context, whose string, session model.ID, record AuditRecord, values ...any) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(session)
		values := append([]any{record.Author.At, idColumn(session)}, values...)
		result, err := tx.ExecContext(ctx, "UPDATE session s SET s.ended_at = ? WHERE s.id = ? AND "+whose+" AND s.ended_at IS NULL", values...)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return orNotFound(err)
		}
		return appendAudit(ctx, tx, record)
	})
}

func orNotFound(err error) error {
	if err == nil {
		return ErrNotFound
	}
	return err
}
