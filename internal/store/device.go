package store

import (
	"context"
	"database/sql"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
)

// DeviceRequest is a terminal that wants somebody to let it in.
type DeviceRequest struct {
	Code         credential.Token // the terminal's own, known when it is made
	UserCode     string
	Agent, From  string
	MadeAt       time.Time
	Until        time.Time
	PolledAt     time.Time // zero for never
	Refused      bool
	Identity     model.ID // who let it in; zero while nobody has
	Organisation model.ID
	Session      model.ID        // in which it was let in
	Factor       settings.Factor // by which that session began
}

// AddDeviceRequest writes a request, and forgets those that ended.
func (s *Store) AddDeviceRequest(ctx context.Context, r DeviceRequest) error {
	return s.transaction(ctx, func(tx *txn) error {
		// A little longer than they last, so that a terminal that comes late is told so.
		if _, err := tx.ExecContext(ctx, "DELETE FROM device_request WHERE expires_at < ?", r.MadeAt.Add(-credential.DeviceWaits)); err != nil {
			return err
		}
		hash := r.Code.Hash()
		_, err := tx.ExecContext(ctx, "INSERT INTO device_request (code_hash, user_code, agent, made_from, made_at, expires_at) VALUES (?, ?, ?, ?, ?, ?)",
			hash[:], r.UserCode, r.Agent, r.From, r.MadeAt, r.Until)
		return err
	})
}

const deviceColumns = "SELECT user_code, agent, made_from, made_at, expires_at, polled_at, refused, identity_id, organisation_id, session_id, factor FROM device_request WHERE "

func scanDevice(row *sql.Row) (r DeviceRequest, err error) {
	var polled sql.NullTime
	err = mark(row.Scan(&r.UserCode, &r.Agent, &r.From, &r.MadeAt, &r.Until, &polled, &r.Refused, (*idColumn)(&r.Identity), (*idColumn)(&r.Organisation), (*idColumn)(&r.Session), &r.Factor))
	r.PolledAt = polled.Time
	return r, err
}

// DeviceRequest finds a request by the code people type. It returns [ErrNotFound] when there is none.
func (s *Store) DeviceRequest(ctx context.Context, userCode string) (DeviceRequest, error) {
	return scanDevice(s.db.QueryRowContext(ctx, deviceColumns+"user_code = ?", userCode))
}

// PollDevice finds a request by the terminal's code and notes that it was asked about. It returns [ErrNotFound] when there
// is none.
func (s *Store) PollDevice(ctx context.Context, code credential.Token, at time.Time) (r DeviceRequest, err error) {
	hash := code.Hash()
	if r, err = scanDevice(s.db.QueryRowContext(ctx, deviceColumns+"code_hash = ?", hash[:])); err != nil {
		return r, err
	}
	_, err = s.db.ExecContext(ctx, "UPDATE device_request SET polled_at = ? WHERE code_hash = ?", at, hash[:])
	return r, mark(err)
}

// DecideDevice lets a terminal in as an identity, or refuses it for a zero one, and records it.
func (s *Store) DecideDevice(ctx context.Context, userCode string, identity, organisation, session model.ID, factor settings.Factor, record AuditRecord) error {
	return s.transaction(ctx, func(tx *txn) error {
		result, err := tx.ExecContext(ctx, "UPDATE device_request SET refused = ?, identity_id = ?, organisation_id = ?, session_id = ?, factor = ? WHERE user_code = ? AND identity_id IS NULL AND NOT refused",
			identity.IsZero(), idColumn(identity), idColumn(organisation), idColumn(session), factor, userCode)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return orNotFound(err)
		}
		return appendAudit(ctx, tx, record)
	})
}

// TakeDevice removes a request that was answered, so that it is answered once. It returns [ErrNotFound] when it was
// taken already.
func (s *Store) TakeDevice(ctx context.Context, code credential.Token) error {
	hash := code.Hash()
	result, err := s.db.ExecContext(ctx, "DELETE FROM device_request WHERE code_hash = ?", hash[:])
	if err != nil {
		return mark(err)
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 {
		return orNotFound(err)
	}
	return nil
}
