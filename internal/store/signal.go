package store

import (
	"context"
	"errors"
	"slices"
	"time"

	"arbora.example/access/model"
)

// Whoever keeps in memory what was read of a session, of an API key, or of a scope's title must learn when it is no longer so. Each
// transaction that changes something of the kind signals the id of what it changed: a session, an identity, a key, an access token, a
// principal or a scope. This instance forgets it before the change is answered; other instances read it from the table of signals, whose numbers rise in the
// order of commits, since they are given under the lock on the end of the audit log.

// signal says that something that may be kept in memory is no longer what it was.
func (t *txn) signal(ids ...model.ID) {
	for _, id := range ids {
		if !id.IsZero() {
			t.signals = append(t.signals, id)
		}
	}
}

// signalsKept is how many signals are kept. An instance that is further behind forgets all that it knows.
const signalsKept = 10_000

// mostSignals is how many signals a transaction writes. Of one with more only the numbers are used up, and whoever misses them forgets
// all that it knows.
const mostSignals = 1000

// writeSignals appends a transaction's signals. It is called last: the end of the audit log is locked from then on.
func (t *txn) writeSignals(ctx context.Context) error {
	if len(t.signals) == 0 {
		return nil
	}
	slices.SortFunc(t.signals, model.ID.Compare)
	t.signals = slices.Compact(t.signals)
	result, err := t.ExecContext(ctx, "UPDATE audit_end SET signals = LAST_INSERT_ID(signals + ?) WHERE one = 1", len(t.signals))
	if err != nil {
		return err
	}
	last, err := result.LastInsertId()
	if err != nil || len(t.signals) > mostSignals {
		return err
	}
	first := uint64(last) - uint64(len(t.signals)) + 1
	rows := make([][]any, len(t.signals))
	for i, id := range t.signals {
		rows[i] = []any{first + uint64(i), idColumn(id)}
	}
	if err := insertRows(ctx, t, "signalled (number, id)", rows); err != nil || first <= signalsKept {
		return err
	}
	_, err = t.ExecContext(ctx, "DELETE FROM signalled WHERE number < ?", first-signalsKept)
	return err
}

// OnSignal has forget called with the ids that each transaction of this store signals, after it was committed, or may have been, and before
// that is answered.
func (s *Store) OnSignal(forget func(ids []model.ID)) {
	s.listening.Lock()
	defer s.listening.Unlock()
	s.listeners = append(s.listeners, forget)
}

func (s *Store) signalled(ids []model.ID) {
	if len(ids) == 0 {
		return
	}
	s.listening.RLock()
	defer s.listening.RUnlock()
	for _, forget := range s.listeners {
		forget(ids)
	}
}

// Ends tell how far the records have come.
type Ends struct {
	Recorded  uint64 // records in the audit log: every change of any organisation raises it
	Signalled uint64 // signals given
}

// pollLimit bounds how long it is waited for the database to tell how far it is.
const pollLimit = 2 * time.Second

// Ends returns how far the records have come. It waits for no transaction, and for no connection that one holds.
func (s *Store) Ends(ctx context.Context) (ends Ends, err error) {
	ctx, cancel := context.WithTimeout(ctx, pollLimit)
	defer cancel()
	err = s.polling.QueryRowContext(ctx, "SELECT number, signals FROM audit_end WHERE one = 1").Scan(&ends.Recorded, &ends.Signalled)
	return ends, late(err)
}

// SignalledSince returns what was signalled after a number, and up to which. It is not whole when some of that is not kept.
func (s *Store) SignalledSince(ctx context.Context, number uint64) (ids []model.ID, upTo uint64, whole bool, err error) {
	ctx, cancel := context.WithTimeout(ctx, pollLimit)
	defer cancel()
	upTo = number
	err = each(ctx, s.polling, "SELECT number, id FROM signalled WHERE number > ? ORDER BY number", []any{number}, func(scan scanner) error {
		var id model.ID
		err := scan(&upTo, (*idColumn)(&id))
		ids = append(ids, id)
		return err
	})
	return ids, upTo, upTo-number == uint64(len(ids)), late(err)
}

// late marks what took too long as a database that cannot be reached.
func late(err error) error {
	if errors.Is(err, context.DeadlineExceeded) {
		return errors.Join(ErrUnavailable, err)
	}
	return mark(err)
}
