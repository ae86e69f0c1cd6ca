// Package store keeps Arbora's records in MariaDB. It knows rows and transactions and decides nothing: what may be
// written is worked out before, by packages access and people, and who may write it by package service.
//
// Every write on an organisation goes through [Store.Write]: one transaction that locks the organisation's revision,
// writes, appends a change record and an audit record, and raises the revision.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"sync"

	"github.com/go-sql-driver/mysql"

	"arbora.example/access/model"
	"arbora.example/internal/store/prepared"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is returned when the row asked for is not there.
var ErrNotFound = errors.New("store: not there")

// ErrTaken marks, through errors.Is, that a row with the same name or id is there already.
var ErrTaken = errors.New("store: there already")

// ErrUnavailable marks, through errors.Is, that the database cannot be reached at the moment. What was being written is
// then either whole or absent.
var ErrUnavailable = errors.New("store: the database cannot be reached")

// Store is a connection pool to one database of records. It is safe for concurrent use.
type Store struct {
	Details
	db        *prepared.DB
	polling   *prepared.DB // of its own: polls wait for no transaction
	auditKey  []byte       // chains the audit log; nil chains it without one
	listening sync.RWMutex
	listeners []func(ids []model.ID) // see [Store.OnSignal]
}

// txn is a transaction, with what chains the audit records that it appends.
type txn struct {
	*prepared.Tx
	auditKey []byte
	signals  []model.ID
}

// ChainBy has audit records chained by a key from now on. It is not kept in the database: whoever can write there cannot write a
// chain that holds.
func (s *Store) ChainBy(key []byte) { s.auditKey = key }

// Open connects to the database a DSN names (in the form of go-sql-driver/mysql) and brings its tables up to date.
func Open(ctx context.Context, dsn string) (*Store, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	db, err := prepared.Open(ctx, dsn, files)
	if err != nil {
		return nil, mark(err)
	}
	return &Store{Details: Details{db}, db: db, polling: db.Apart(pollers)}, nil
}

// pollers is how many connections read how far the records are: one does, and another when that one hangs.
const pollers = 2

// Close ends all connections.
func (s *Store) Close() error { return errors.Join(s.polling.Close(), s.db.Close()) }

// Ping checks that the database answers.
func (s *Store) Ping(ctx context.Context) error { return mark(s.db.PingContext(ctx)) }

// mark adds ErrUnavailable to errors that mean the database cannot be reached, and turns sql.ErrNoRows into ErrNotFound.
func mark(err error) error {
	var network *net.OpError
	var answer *mysql.MySQLError
	switch {
	case err == nil:
		return nil
	case errors.Is(err, sql.ErrNoRows):
		return ErrNotFound
	case errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn), errors.As(err, &network):
		return fmt.Errorf("%w: %w", ErrUnavailable, err)
	case errors.As(err, &answer) && (answer.Number == serverShutdown || answer.Number == connectionKilled || answer.Number == tooManyConnections):
		return fmt.Errorf("%w: %w", ErrUnavailable, err)
	case answer != nil && answer.Number == duplicateKey:
		return fmt.Errorf("%w: %w", ErrTaken, err)
	}
	return err
}

// MariaDB's error numbers for a server on its way down or full, for a name or id that is there already, and for a transaction that
// it gave up because another waits for it.
const (
	tooManyConnections = 1040
	serverShutdown     = 1053
	duplicateKey       = 1062
	deadlock           = 1213
	connectionKilled   = 1927
)

// mostTries is how often a transaction is tried that others keep crossing.
const mostTries = 5

// transaction runs fn in one transaction and commits it when fn returns nil. When the database gives a transaction up to end a
// deadlock, fn runs again in another: it leaves nothing behind but what its last run set.
func (s *Store) transaction(ctx context.Context, fn func(*txn) error) (err error) {
	for range mostTries {
		err = s.try(ctx, fn)
		var answer *mysql.MySQLError
		if !errors.As(err, &answer) || answer.Number != deadlock {
			return err
		}
	}
	return err
}

func (s *Store) try(ctx context.Context, fn func(*txn) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return mark(err)
	}
	defer tx.Rollback() // after a commit it does nothing
	t := &txn{Tx: tx, auditKey: s.auditKey}
	if err := fn(t); err != nil {
		return mark(err)
	}
	if err := t.writeSignals(ctx); err != nil {
		return mark(err)
	}
	defer s.signalled(t.signals) // also when it is not known what became of the commit
	return mark(tx.Commit())
}

// idColumn reads and writes an id as BINARY(16); the zero id is NULL.
type idColumn model.ID

// Value writes the id.
func (c idColumn) Value() (driver.Value, error) {
	if model.ID(c).IsZero() {
		return nil, nil
	}
	return c[:], nil
}

// Scan reads the id.
func (c *idColumn) Scan(value any) error {
	if value == nil {
		*c = idColumn{}
		return nil
	}
	bytes, ok := value.([]byte)
	if !ok || len(bytes) != len(c) {
		return fmt.Errorf("store: %v is no id", value)
	}
	copy(c[:], bytes)
	return nil
}
