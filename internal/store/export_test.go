package store

import (
	"context"

	"arbora.example/access/model"
)

// Signal signals ids in a transaction of their own.
func (s *Store) Signal(ctx context.Context, ids ...model.ID) error {
	return s.transaction(ctx, func(tx *txn) error {
		tx.signal(ids...)
		return nil
	})
}
