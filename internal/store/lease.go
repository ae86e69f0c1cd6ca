package store

import (
	"context"
	"time"

	"arbora.example/access/model"
)

// Lease reports whether a holder may do what goes by a name for some time from now on: when nobody else holds it, or whoever did has
// not said so again in time. The moments are the database's own, so clocks of instances that differ do no harm.
func (s *Store) Lease(ctx context.Context, name string, holder model.ID, length time.Duration) (held bool, err error) {
	err = s.transaction(ctx, func(tx *txn) error {
		// The columns are set in order: the second asks who holds it by then.
		_, err := tx.ExecContext(ctx, `INSERT INTO lease (name, holder, until) VALUES (?, ?, UTC_TIMESTAMP(6) + INTERVAL ? MICROSECOND)
			ON DUPLICATE KEY UPDATE holder = IF(until < UTC_TIMESTAMP(6), VALUES(holder), holder), until = IF(holder = VALUES(holder), VALUES(until), until)`,
			name, idColumn(holder), length.Microseconds())
		if err != nil {
			return err
		}
		var by idColumn
		err = tx.QueryRowContext(ctx, "SELECT holder FROM lease WHERE name = ?", name).Scan(&by)
		held = model.ID(by) == holder
		return err
	})
	return held, err
}

// EndLease returns up what a holder holds, so that another need not wait.
func (s *Store) EndLease(ctx context.Context, name string, holder model.ID) error {
	return s.transaction(ctx, func(tx *txn) error {
		_, err := tx.ExecContext(ctx, "DELETE FROM lease WHERE name = ? AND holder = ?", name, idColumn(holder))
		return err
	})
}
