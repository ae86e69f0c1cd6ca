package store

import (
	"context"
	"crypto/sha256"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
)

// Guess is an attempt to sign in under a name that may be wrong.
type Guess struct {
	Name credential.SignIn
	What credential.Guessed
}

// key returns the columns that attempts are counted by.
func (g Guess) key() []any {
	hash := sha256.Sum256([]byte(g.Name.String()))
	return []any{hash[:], g.What.Kind, g.What.Network}
}

// guessesKept is for how long wrong attempts are counted.
const guessesKept = 24 * time.Hour

// CountGuess counts an attempt before it is known to be wrong, so that of many at once none is uncounted. After so many
// failures delay says how long the next has to wait: while it has to, nothing is counted, and wait is above zero.
func (s *Store) CountGuess(ctx context.Context, g Guess, at time.Time, delay func(failures int) time.Duration) (failures int, wait time.Duration, err error) {
	// In a transaction of its own: the gaps that it locks would keep attempts at once from counting themselves.
	if _, err := s.db.ExecContext(ctx, "DELETE FROM guess WHERE last_at < ?", at.Add(-guessesKept)); err != nil {
		return 0, 0, mark(err)
	}
	err = s.transaction(ctx, func(tx *txn) error {
		// The row is locked from here on: attempts at once come one after another.
		if _, err := tx.ExecContext(ctx, "INSERT INTO guess (name_hash, kind, network, failures, last_at) VALUES (?, ?, ?, 0, ?) ON DUPLICATE KEY UPDATE failures = failures", append(g.key(), at)...); err != nil {
			return err
		}
		var last time.Time
		if err := tx.QueryRowContext(ctx, "SELECT failures, last_at FROM guess WHERE name_hash = ? AND kind = ? AND network = ? FOR UPDATE", g.key()...).Scan(&failures, &last); err != nil {
			return err
		}
		if wait = last.Add(delay(failures)).Sub(at); failures > 0 && wait > 0 {
			return nil
		}
		wait = 0
		failures++
		_, err := tx.ExecContext(ctx, "UPDATE guess SET failures = ?, last_at = ? WHERE name_hash = ? AND kind = ? AND network = ?", append([]any{failures, at}, g.key()...)...)
		return err
	})
	return failures, wait, err
}

// UncountGuess takes back the count of an attempt that was right.
func (s *Store) UncountGuess(ctx context.Context, g Guess) error {
	_, err := s.db.ExecContext(ctx, "UPDATE guess SET failures = failures - 1 WHERE name_hash = ? AND kind = ? AND network = ? AND failures > 0", g.key()...)
	return mark(err)
}

// Guesses tells how many attempts in a row were wrong.
func (s *Store) Guesses(ctx context.Context, g Guess) (failures int, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT COALESCE(MAX(failures), 0) FROM guess WHERE name_hash = ? AND kind = ? AND network = ?", g.key()...).Scan(&failures)
	return failures, mark(err)
}

// ForgetGuesses begins to count anew under a name, whatever was guessed from wherever.
func (s *Store) ForgetGuesses(ctx context.Context, name credential.SignIn) error {
	hash := sha256.Sum256([]byte(name.String()))
	_, err := s.db.ExecContext(ctx, "DELETE FROM guess WHERE name_hash = ?", hash[:])
	return mark(err)
}

// SignedInFrom lists the network addresses from which an identity signed in of late.
func (s *Store) SignedInFrom(ctx context.Context, identity model.ID) (addresses []string, err error) {
	err = each(ctx, s.db, "SELECT DISTINCT made_from FROM session WHERE identity_id = ?", []any{idColumn(identity)}, func(scan scanner) error {
		var address string
		err := scan(&address)
		addresses = append(addresses, address)
		return err
	})
	return addresses, err
}
