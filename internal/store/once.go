package store

import (
	"context"
	"time"
)

// Answered is a request that was made under a key of its maker's choice, and what came of it.
type Answered struct {
	Request  [32]byte // a digest of what was asked
	Revision uint64   // that it led to; 0 while it has led to none
	Status   int      // that it was answered with; 0 while that is not known
	Body     []byte   // of the answer, without secrets
}

const (
	answersKept = 24 * time.Hour
	// answerTakes is longer than any request may take: one that has led to nothing by then ended with its service.
	answerTakes = 3 * time.Minute
)

// BeginOnce begins a request under a key, given as its hash, at a moment. When one has begun under it before, begun is false and
// before tells of that one; a request that ended with its service and led to nothing begins anew.
func (s *Store) BeginOnce(ctx context.Context, key, request [32]byte, at time.Time) (before Answered, begun bool, err error) {
	err = s.transaction(ctx, func(tx *txn) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM answered WHERE begun_at < ?", at.Add(-answersKept)); err != nil {
			return err
		}
		for _, try := range []struct {
			statement string
			values    []any
		}{
			{"INSERT IGNORE INTO answered (key_hash, request_hash, begun_at) VALUES (?, ?, ?)", []any{key[:], request[:], at}},
			{"UPDATE answered SET begun_at = ? WHERE key_hash = ? AND request_hash = ? AND revision = 0 AND status = 0 AND begun_at < ?", []any{at, key[:], request[:], at.Add(-answerTakes)}},
		} {
			result, err := tx.ExecContext(ctx, try.statement, try.values...)
			if err != nil {
				return err
			}
			if n, err := result.RowsAffected(); err != nil || n > 0 {
				begun = err == nil
				return err
			}
		}
		var asked []byte
		err := tx.QueryRowContext(ctx, "SELECT request_hash, revision, status, body FROM answered WHERE key_hash = ?", key[:]).
			Scan(&asked, &before.Revision, &before.Status, &before.Body)
		copy(before.Request[:], asked)
		return err
	})
	return before, begun, err
}

// Once says under which key a write was asked for: it is noted with the write itself.
func (w *Tx) Once(key [32]byte) { w.once = key }

// FinishOnce keeps the answer to a request that was begun under a key.
func (s *Store) FinishOnce(ctx context.Context, key [32]byte, status int, body []byte) error {
	return s.transaction(ctx, func(tx *txn) error {
		_, err := tx.ExecContext(ctx, "UPDATE answered SET status = ?, body = ? WHERE key_hash = ?", status, body, key[:])
		return err
	})
}

// ForgetOnce forgets a request that led to nothing: sent again, it is made again.
func (s *Store) ForgetOnce(ctx context.Context, key [32]byte) error {
	return s.transaction(ctx, func(tx *txn) error {
		_, err := tx.ExecContext(ctx, "DELETE FROM answered WHERE key_hash = ? AND revision = 0", key[:])
		return err
	})
}
