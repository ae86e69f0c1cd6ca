// Package testbed gives tests a real database and a real service on loopback.
package testbed

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/console"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
	"arbora.example/internal/mail"
	"arbora.example/internal/server"
	"arbora.example/internal/service"
	"arbora.example/internal/standin/loam"
	"arbora.example/internal/standin/mailsink"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/tenant"
	"arbora.example/internal/tenant/memory"
)

// Run runs a package's tests with one database server for all of them; it is called from TestMain. Where MariaDB is not installed, what
// needs it is skipped, unless ARBORA_TESTS is "all".
func Run(m *testing.M) int {
	directory, err := os.MkdirTemp("", "arbora-test-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(directory)
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Minute)
	defer cancel()
	switch shared, err = mariadbd.Start(ctx, directory); {
	case err == nil:
		defer shared.Stop()
	case !errors.Is(err, mariadbd.ErrMissing) || os.Getenv("ARBORA_TESTS") == "all":
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	return m.Run()
}

var (
	shared    *mariadbd.Server
	databases atomic.Int64
)

// NeedMariaDB skips a test where MariaDB is not installed.
func NeedMariaDB(t testing.TB) {
	if shared == nil {
		t.Skip(mariadbd.ErrMissing)
	}
}

// DSN makes a fresh database on the shared server.
func DSN(t testing.TB) string {
	NeedMariaDB(t)
	name := "t" + strconv.FormatInt(databases.Add(1), 10)
	require.NoError(t, shared.Create(t.Context(), name))
	return shared.DSN(name)
}

// Records opens a fresh database by an account that may do only what the service has to.
func Records(t testing.TB) *store.Store {
	_, dsn := Confined(t)
	return OpenRecords(t, dsn)
}

// Confined makes a fresh database with its tables, for its owner and for an account that may do only what the service has to.
func Confined(t testing.TB) (owner, service string) {
	owner, service = Accounts(t)
	require.NoError(t, store.Confine(t.Context(), owner, service))
	return owner, service
}

// Accounts makes a fresh database without tables, for its owner and for an account that may do nothing there yet.
func Accounts(t testing.TB) (owner, service string) {
	owner = DSN(t)
	config, err := mysql.ParseDSN(owner)
	require.NoError(t, err)
	service, err = shared.Account(t.Context(), "confined", config.DBName)
	require.NoError(t, err)
	return owner, service
}

// OpenRecords opens a database that is there.
func OpenRecords(t testing.TB, dsn string) *store.Store {
	records, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	return records
}

// Bed is a service on loopback.
type Bed struct {
	Address string
	Service *service.Service
	Records *store.Store    // nil in memory
	Memory  *memory.Records // nil in a database
	DSN     string          // of the demo's database, with all rights
	Clock   *Clock
	Log     *Log
	Mail    *mailsink.Sink // takes what the service sends
	Loam    string         // where Loam answers; empty without it
	Cloud   *loam.Cloud
	// Whole counts how often the service read an organisation whole.
	Whole *atomic.Int64
}

// counted counts how often organisations are read whole.
type counted struct {
	tenant.Records
	whole *atomic.Int64
}

// Load counts, and reads.
func (c counted) Load(ctx context.Context, organisation model.ID, into func(access.Change) error) (uint64, error) {
	c.whole.Add(1)
	return c.Records.Load(ctx, organisation, into)
}

// Clock is a clock that tests can move.
type Clock struct {
	ahead atomic.Int64
	held  atomic.Pointer[time.Time]
}

// Now is the present as the service sees it.
func (c *Clock) Now() time.Time {
	if held := c.held.Load(); held != nil {
		return *held
	}
	return time.Now().Add(time.Duration(c.ahead.Load()))
}

// Hold stops the clock: however slow the machine, no time passes.
func (c *Clock) Hold() {
	now := c.Now()
	c.held.Store(&now)
}

// Forward moves the clock.
func (c *Clock) Forward(d time.Duration) { c.ahead.Add(int64(d)) }

// Log keeps what the service logs.
type Log struct {
	mu   sync.Mutex
	text bytes.Buffer
}

// Write keeps a line.
func (l *Log) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

// String returns all lines.
func (l *Log) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

// Start starts an empty service on records.
func Start(t testing.TB, records *store.Store) *Bed {
	return start(t, records, tenant.RecordsIn(records), "", nil)
}

// StartWith is Start with snapshot files beside the records.
func StartWith(t testing.TB, records *store.Store, files tenant.SnapshotFiles) *Bed {
	return start(t, records, tenant.RecordsIn(records), "", files)
}

func start(t testing.TB, database *store.Store, records tenant.Records, cloud string, files tenant.SnapshotFiles) *Bed {
	b := &Bed{Records: database, Clock: &Clock{}, Log: &Log{}, Loam: cloud, Whole: new(atomic.Int64)}
	log := slog.New(slog.NewTextHandler(b.Log, nil))
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	b.Address = "http://" + listener.Addr().String()
	b.Mail, err = mailsink.Start("127.0.0.1:0", "127.0.0.1:0")
	require.NoError(t, err)
	post, err := mail.Open(b.Mail.Mail(), "arbora@lindenmere.example")
	require.NoError(t, err)
	var hash func(context.Context, string) (string, error) // as the product does
	if database == nil {
		hash = quickly
	}
	sealer, err := credential.NewSealer(bytes.Repeat([]byte("k"), credential.SealingKeySize))
	require.NoError(t, err)
	b.Service = service.New(service.Options{Records: counted{records, b.Whole}, Files: files, Catalogue: catalogue.Shipped(), Clock: b.Clock.Now, Log: log, Sealer: sealer, Post: post, Address: b.Address, Hash: hash})
	handler, err := server.New(server.Options{Service: b.Service, Console: console.Files(), Version: "test", Log: log, Loam: cloud})
	require.NoError(t, err)
	serve(t, listener, handler, func() error {
		b.Service.Wait()
		return b.Mail.Close()
	})
	return b
}

// quickly hashes a password at next to no cost, as nobody would who kept it; the hash says how, so it is verified as quickly.
func quickly(_ context.Context, password string) (string, error) {
	return argon2id.CreateHash(password, &argon2id.Params{Memory: 8, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32})
}

// serve answers on a listener until the test ends; then it closes what stands behind.
func serve(t testing.TB, listener net.Listener, handler http.Handler, closeBehind func() error) {
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- server.Serve(ctx, listener, nil, handler) }()
	t.Cleanup(func() {
		stop()
		require.NoError(t, errors.Join(<-ended, closeBehind()))
	})
}

// StartDemo starts a service that holds what there is before the demo's story.
func StartDemo(t testing.TB) *Bed {
	return startDemo(t, "")
}

// StartDemoBefore is StartDemo with some cloud behind it.
func StartDemoBefore(t testing.TB, cloud string) *Bed {
	return startDemo(t, cloud)
}

func startDemo(t testing.TB, cloud string) *Bed {
	owner, dsn := Accounts(t)
	copyDemo(t, owner)
	require.NoError(t, store.Confine(t.Context(), owner, dsn))
	database := OpenRecords(t, dsn)
	b := start(t, database, tenant.RecordsIn(database), cloud, nil)
	b.DSN = owner
	return b
}

// InMemory starts a service that holds what there is before the demo's story, on records in memory: it needs no database.
func InMemory(t testing.TB) *Bed {
	inMemory.once.Do(func() {
		records := memory.New()
		b := start(t, nil, records, "", nil)
		_, _, err := b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
		require.NoError(t, err)
		require.NoError(t, demo.LoadStart(t.Context(), b.Address))
		inMemory.records = records
	})
	require.NotNil(t, inMemory.records, "the demo could not be loaded")
	return OnMemory(t, inMemory.records.Copy())
}

// OnMemory starts a service on records in memory.
func OnMemory(t testing.TB, records *memory.Records) *Bed {
	b := start(t, nil, records, "", nil)
	b.Memory = records
	return b
}

// inMemory are records that hold the demo.
var inMemory struct {
	once    sync.Once
	records *memory.Records
}

// Audited returns what was recorded in the audit log, oldest first.
func (b *Bed) Audited(t testing.TB) (records []store.AuditRecord) {
	if b.Memory != nil {
		return b.Memory.Audited()
	}
	require.NoError(t, b.Records.EachAudit(t.Context(), func(r store.AuditRecord) error {
		records = append(records, r)
		return nil
	}))
	return records
}

// loaded is the name of a database that holds the demo: copying it takes a fraction of what loading does.
var loaded struct {
	once sync.Once
	name string
}

// copyDemo fills the database that a DSN names with the demo.
func copyDemo(t testing.TB, dsn string) {
	loaded.once.Do(func() {
		first := DSN(t)
		config, err := mysql.ParseDSN(first)
		require.NoError(t, err)
		b := Start(t, OpenRecords(t, first))
		_, _, err = b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
		require.NoError(t, err)
		require.NoError(t, demo.LoadStart(t.Context(), b.Address))
		loaded.name = config.DBName
	})
	require.NotEmpty(t, loaded.name, "the demo could not be loaded")
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	connection, err := db.Conn(t.Context())
	require.NoError(t, err)
	defer connection.Close()
	exec := func(statement string) {
		_, err := connection.ExecContext(t.Context(), statement)
		require.NoError(t, err, statement)
	}
	exec("SET foreign_key_checks = 0, unique_checks = 0") // tables come in no order
	rows, err := connection.QueryContext(t.Context(), `SELECT table_name, GROUP_CONCAT(CONCAT('`+"`', column_name, '`"+`')) FROM information_schema.columns
		WHERE table_schema = ? AND extra NOT LIKE '%GENERATED%' GROUP BY table_name`, loaded.name)
	require.NoError(t, err)
	columns := map[string]string{}
	for rows.Next() {
		var table, names string
		require.NoError(t, rows.Scan(&table, &names))
		columns[table] = names
	}
	require.NoError(t, rows.Err())
	for table := range columns {
		var name, create string
		require.NoError(t, connection.QueryRowContext(t.Context(), "SHOW CREATE TABLE "+loaded.name+"."+table).Scan(&name, &create))
		exec(create)
	}
	exec("BEGIN")
	for table, names := range columns {
		exec("INSERT INTO " + table + " (" + names + ") SELECT " + names + " FROM " + loaded.name + "." + table)
	}
	exec("COMMIT")
}

// StartDemoWithLoam is StartDemo with Loam, the stand-in cloud, beside it.
func StartDemoWithLoam(t testing.TB) *Bed {
	return StartDemoWithFollowers(t, func(*Bed) map[string]string { return nil })
}

// StartDemoWithFollowers is StartDemoWithLoam with followers that decide for some of Loam's services, by name: at the addresses that
// follow gives once the service answers.
func StartDemoWithFollowers(t testing.TB, follow func(b *Bed) map[string]string) *Bed {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	b := startDemo(t, "http://"+listener.Addr().String())
	keys, err := demo.LoamKeys(t.Context(), b.Address)
	require.NoError(t, err)
	log := slog.New(slog.NewTextHandler(b.Log, nil))
	b.Cloud, err = loam.Open(t.Context(), loam.Options{Arbora: b.Address, Keys: keys, Followers: follow(b), Database: DSN(t), Clock: b.Clock.Now, Log: log})
	require.NoError(t, err)
	handler, err := b.Cloud.Handler()
	require.NoError(t, err)
	serve(t, listener, handler, b.Cloud.Close)
	return b
}

// As signs in somebody of the demo.
func (b *Bed) As(t testing.TB, name string) *client.Client {
	c, err := demo.SignIn(t.Context(), b.Address, name, demo.Passphrase)
	require.NoError(t, err)
	return c
}

// Newcomer creates a user of lindenmere who holds nothing and signs them in.
func (b *Bed) Newcomer(t testing.TB, name string) *client.Client {
	password := demo.Passphrase
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateUser(t.Context(), "lindenmere", api.UserNew{Name: name, Password: password})))
	return b.As(t, name+"@lindenmere")
}

// Grant grants a role as rowan does and gives the grant's id.
func (b *Bed) Grant(t testing.TB, role, kind, name, at string) string {
	made, err := b.As(t, "rowan@lindenmere").CreateGrant(t.Context(), at, api.GrantNew{
		Principal: api.PrincipalRef{Kind: api.PrincipalKind(kind), Name: name}, Role: role,
	})
	require.NoError(t, err)
	return made.Grant.Id
}

// Problem returns the problem an answer was, and fails the test when it was none of that status.
func Problem(t testing.TB, status int, err error) api.Problem {
	t.Helper()
	var e *client.Error
	require.Truef(t, errors.As(err, &e), "expected a problem with status %d, got %v", status, err)
	require.Equal(t, status, e.Status, e.Detail)
	require.NotEmpty(t, e.Title)
	return e.Problem
}

// Token signs in somebody of the demo and gives the session's token.
func (b *Bed) Token(t testing.TB, name string) string {
	arbora, err := client.Open(b.Address, "")
	require.NoError(t, err)
	wanted := true
	s, err := arbora.SignIn(t.Context(), api.SignIn{Name: name, Password: demo.Passphrase, Token: wanted})
	require.NoError(t, err)
	return s.Token
}
