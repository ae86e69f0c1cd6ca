// Package prepared opens MariaDB databases and keeps SQL statements prepared. Package database/sql prepares a statement with
// values anew each time it is run, which takes three exchanges with the server instead of one; here the statements of a
// program, which are few, are prepared once on each connection.
package prepared

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io/fs"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
)

// most bounds how many statements are kept. Further ones are run all the same, without being kept.
const most = 400

// DB is a connection pool that keeps statements prepared. It is safe for concurrent use.
type DB struct {
	*sql.DB
	connector driver.Connector // nil where it is not known
	mu        sync.RWMutex
	kept      map[string]*sql.Stmt // by their text
}

// New returns a pool that keeps statements over one that does not.
func New(db *sql.DB) *DB { return &DB{DB: db, kept: map[string]*sql.Stmt{}} }

// Open connects to the database a DSN names (in the form of go-sql-driver/mysql) and brings its tables up to date by the
// migrations in a folder. Moments are UTC; an update tells how many rows it met, altered or not.
func Open(ctx context.Context, dsn string, migrations fs.FS) (*DB, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database DSN cannot be read: %w; write it as user:password@tcp(host:port)/database", err)
	}
	if config.DBName == "" {
		return nil, errors.New("the database DSN names no database; write it as user:password@tcp(host:port)/database")
	}
	config.ParseTime, config.Loc = true, time.UTC
	config.ClientFoundRows = true
	config.Timeout, config.ReadTimeout, config.WriteTimeout = 5*time.Second, time.Minute, time.Minute
	config.Logger = &mysql.NopLogger{} // what goes wrong is returned, and logged once by the caller
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return nil, fmt.Errorf("the database DSN cannot be used: %w", err)
	}
	pool := sql.OpenDB(connector)
	pool.SetMaxOpenConns(32)
	pool.SetMaxIdleConns(16)
	pool.SetConnMaxIdleTime(time.Minute)
	provider, err := goose.NewProvider(goose.DialectMySQL, pool, migrations)
	if err == nil {
		_, err = provider.Up(ctx)
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("the tables cannot be brought up to date: %w", err), pool.Close())
	}
	db := New(pool)
	db.connector = connector
	return db, nil
}

// Apart returns another pool to the same database, of a few connections that wait for none of this one's. It is closed on its own.
func (d *DB) Apart(connections int) *DB {
	pool := sql.OpenDB(d.connector)
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	return New(pool)
}

// Querier is a pool or a transaction.
type Querier interface {
	QueryContext(ctx context.Context, text string, values ...any) (*sql.Rows, error)
}

// Each runs a query and calls visit for every row, with what scans it; an error of visit ends it.
func Each(ctx context.Context, q Querier, text string, values []any, visit func(scan func(into ...any) error) error) error {
	rows, err := q.QueryContext(ctx, text, values...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if err := visit(rows.Scan); err != nil {
			return err
		}
	}
	return rows.Err()
}

// Close ends all connections, and with them what was prepared on them.
func (d *DB) Close() error {
	d.mu.Lock()
	defer d.mu.Unlock()
	var errs []error
	for _, s := range d.kept {
		errs = append(errs, s.Close())
	}
	d.kept = map[string]*sql.Stmt{}
	return errors.Join(append(errs, d.DB.Close())...)
}

// known returns a statement that is kept.
func (d *DB) known(text string) (*sql.Stmt, bool) {
	d.mu.RLock()
	defer d.mu.RUnlock()
	s, ok := d.kept[text]
	return s, ok
}

// keep returns a statement, preparing it when it is not kept yet; nil when no more are kept.
func (d *DB) keep(ctx context.Context, text string) (*sql.Stmt, error) {
	if s, ok := d.known(text); ok {
		return s, nil
	}
	d.mu.RLock()
	full := len(d.kept) >= most
	d.mu.RUnlock()
	if full {
		return nil, nil
	}
	made, err := d.PrepareContext(ctx, text)
	if err != nil {
		return nil, err
	}
	d.mu.Lock()
	s, ok := d.kept[text]
	if !ok {
		d.kept[text] = made
	}
	d.mu.Unlock()
	if !ok {
		return made, nil
	}
	// Another was quicker. To close a statement takes the connection that it was prepared on, which may be waiting for a row by now that
	// is another's until it has asked here for its next statement: so nobody is kept from asking meanwhile.
	return s, made.Close()
}

// ExecContext is that of [sql.DB].
func (d *DB) ExecContext(ctx context.Context, text string, values ...any) (sql.Result, error) {
	s, err := d.keep(ctx, text)
	if err != nil {
		return nil, err
	}
	if s == nil {
		return d.DB.ExecContext(ctx, text, values...)
	}
	return s.ExecContext(ctx, values...)
}

// QueryContext is that of [sql.DB].
func (d *DB) QueryContext(ctx context.Context, text string, values ...any) (*sql.Rows, error) {
	s, err := d.keep(ctx, text)
	if err != nil {
		return nil, err
	}
	if s == nil {
		return d.DB.QueryContext(ctx, text, values...)
	}
	return s.QueryContext(ctx, values...)
}

// QueryRowContext is that of [sql.DB].
func (d *DB) QueryRowContext(ctx context.Context, text string, values ...any) *sql.Row {
	if s, err := d.keep(ctx, text); err == nil && s != nil {
		return s.QueryRowContext(ctx, values...)
	}
	return d.DB.QueryRowContext(ctx, text, values...) // which meets the error again
}

// BeginTx is that of [sql.DB].
func (d *DB) BeginTx(ctx context.Context, options *sql.TxOptions) (*Tx, error) {
	tx, err := d.DB.BeginTx(ctx, options)
	if err != nil {
		return nil, err
	}
	return &Tx{Tx: tx, db: d, ctx: ctx}, nil
}

// Tx is a transaction that uses the statements its pool keeps. What is new to the pool is prepared once the transaction is
// over: until then that would take a second connection, of which there may be none.
type Tx struct {
	*sql.Tx
	db  *DB
	ctx context.Context
	new []string
}

// ExecContext is that of [sql.Tx].
func (t *Tx) ExecContext(ctx context.Context, text string, values ...any) (sql.Result, error) {
	if s, ok := t.db.known(text); ok {
		return t.StmtContext(ctx, s).ExecContext(ctx, values...)
	}
	t.new = append(t.new, text)
	return t.Tx.ExecContext(ctx, text, values...)
}

// QueryContext is that of [sql.Tx].
func (t *Tx) QueryContext(ctx context.Context, text string, values ...any) (*sql.Rows, error) {
	if s, ok := t.db.known(text); ok {
		return t.StmtContext(ctx, s).QueryContext(ctx, values...)
	}
	t.new = append(t.new, text)
	return t.Tx.QueryContext(ctx, text, values...)
}

// QueryRowContext is that of [sql.Tx].
func (t *Tx) QueryRowContext(ctx context.Context, text string, values ...any) *sql.Row {
	if s, ok := t.db.known(text); ok {
		return t.StmtContext(ctx, s).QueryRowContext(ctx, values...)
	}
	t.new = append(t.new, text)
	return t.Tx.QueryRowContext(ctx, text, values...)
}

// Commit is that of [sql.Tx]. Whether what is new could be kept does not matter to what was committed: it is tried again
// when it is next used.
func (t *Tx) Commit() error {
	if err := t.Tx.Commit(); err != nil {
		return err
	}
	for _, text := range t.new {
		if _, err := t.db.keep(t.ctx, text); err != nil {
			break
		}
	}
	return nil
}
