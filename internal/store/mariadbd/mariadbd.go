// Package mariadbd runs a private MariaDB server for one data directory: on loopback, on a free port, flushing every
// commit to disk. It uses the server of Debian's mariadb-server package.
package mariadbd

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"

	"arbora.example/internal/process"
)

// Server is a running MariaDB server.
type Server struct {
	directory string
	port      int
	password  string

	mu       sync.Mutex
	child    *process.Process // nil when another program runs the server
	stopping bool
}

// account is the one that may do everything; programs get accounts of their own by [Server.Account].
const account = "arbora"

// ErrMissing is what [Start] fails with where MariaDB is not installed.
var ErrMissing = errors.New("mariadbd is not installed: install Debian's mariadb-server, or name a database with --database")

// Start starts the server of a data directory, making the directory on first use, and waits until it answers. The
// server is stopped by [Server.Stop], or by the system when this program ends otherwise. When another program runs the
// server of that directory already, it is used and left running.
func Start(ctx context.Context, directory string) (*Server, error) {
	directory, err := filepath.Abs(directory)
	if err != nil {
		return nil, err
	}
	if _, err := exec.LookPath("mariadbd"); err != nil {
		return nil, ErrMissing
	}
	s := &Server{directory: directory}
	if err := s.prepare(ctx); err != nil {
		return nil, err
	}
	if s.running(ctx) {
		return s, nil
	}
	if s.port, err = freePort(); err != nil {
		return nil, err
	}
	return s, s.Restart(ctx)
}

// Restart starts the server again, on the port it had, after it ended; it waits until the server answers.
func (s *Server) Restart(ctx context.Context) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.stopping {
		return errors.New("mariadbd was stopped")
	}
	c, err := s.run()
	if err != nil {
		return err
	}
	s.child = c
	if err := s.await(ctx, c); err != nil {
		return errors.Join(err, c.Stop())
	}
	return nil
}

// Keep starts the server again whenever it ends by itself, until [Server.Stop] or the context ends it. It tells of each
// start, and of a failure to start, after which it tries again a second later.
func (s *Server) Keep(ctx context.Context, tell func(message string, err error)) {
	for {
		s.mu.Lock()
		c, stopping := s.child, s.stopping
		s.mu.Unlock()
		if c == nil || stopping {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-c.Done():
		}
		err := s.Restart(ctx)
		if ctx.Err() != nil {
			return
		}
		tell("the database server ended and was started again", err)
		if err != nil {
			select {
			case <-ctx.Done():
				return
			case <-time.After(time.Second):
			}
		}
	}
}

// DSN names a database on the server for the account that may do everything there.
func (s *Server) DSN(database string) string { return s.dsn(account, s.password, database) }

func (s *Server) dsn(user, password, database string) string {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.DBName = user, password, "tcp", database
	c.Addr = fmt.Sprintf("127.0.0.1:%d", s.port)
	return c.FormatDSN()
}

// Account returns the DSN by which a program uses a database with an account of its own, made on first use. The account may do
// what it is granted: rights holds what stands before TO in a GRANT statement, if it is to have any from here.
func (s *Server) Account(ctx context.Context, name, database string, rights ...string) (string, error) {
	password, err := s.secret("password-of-" + name)
	if err != nil {
		return "", err
	}
	who := quoted(name) + "@'127.0.0.1'"
	statements := []string{"CREATE USER IF NOT EXISTS " + who, "ALTER USER " + who + " IDENTIFIED BY '" + password + "'"}
	for _, right := range rights {
		statements = append(statements, "GRANT "+right+" TO "+who)
	}
	for _, statement := range statements {
		if err := s.statement(ctx, statement); err != nil {
			return "", err
		}
	}
	return s.dsn(name, password, database), nil
}

// Create makes a database on the server if it is not there yet.
func (s *Server) Create(ctx context.Context, database string) error {
	return s.statement(ctx, "CREATE DATABASE IF NOT EXISTS "+quoted(database)+" CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")
}

// Drop removes a database from the server with all that is in it.
func (s *Server) Drop(ctx context.Context, database string) error {
	return s.statement(ctx, "DROP DATABASE IF EXISTS "+quoted(database))
}

func (s *Server) statement(ctx context.Context, statement string) error {
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return err
	}
	defer db.Close()
	_, err = db.ExecContext(ctx, statement)
	return err
}

func quoted(name string) string { return "`" + strings.ReplaceAll(name, "`", "``") + "`" }

// Stop stops the server cleanly and waits until it has ended.
func (s *Server) Stop() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stopping = true
	if s.child == nil {
		return nil
	}
	return s.child.Stop()
}

// Kill ends the server at once, as a crash would, and waits until it has ended.
func (s *Server) Kill() error {
	s.mu.Lock()
	c := s.child
	s.mu.Unlock()
	return c.Kill()
}

// prepare makes the data directory and the account's password when they are not there yet.
func (s *Server) prepare(ctx context.Context) error {
	if err := os.MkdirAll(s.temporary(), 0o700); err != nil {
		return err
	}
	var err error
	if s.password, err = s.secret("password"); err != nil {
		return err
	}
	if _, err := os.Stat(filepath.Join(s.directory, "data", "mysql")); err == nil {
		return nil
	}
	// Made beside and then renamed, so that an installation cut short is begun again.
	fresh := filepath.Join(s.directory, "data.new")
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	args := append([]string{"--no-defaults", "--datadir=" + fresh, "--tmpdir=" + s.temporary(), "--auth-root-authentication-method=socket", "--skip-test-db"}, asUser()...)
	var out bytes.Buffer
	install := exec.CommandContext(ctx, "mariadb-install-db", args...)
	install.Stdout, install.Stderr = &out, &out
	if err := install.Run(); err != nil {
		return fmt.Errorf("mariadb-install-db: %w: %s", err, lastLines(out.Bytes()))
	}
	return os.Rename(fresh, filepath.Join(s.directory, "data"))
}

// secret returns the password kept in a file of the directory, made on first use.
func (s *Server) secret(name string) (string, error) {
	name = filepath.Join(s.directory, name)
	if _, err := os.Stat(name); errors.Is(err, os.ErrNotExist) {
		if err := writeOnce(name, rand.Text()); err != nil {
			return "", err
		}
	}
	text, err := os.ReadFile(name)
	return string(text), err
}

// writeOnce makes a file that only its owner reads, whole from its first moment on. Where several do at once, the first one's stays.
func writeOnce(name, text string) error {
	part, err := os.CreateTemp(filepath.Dir(name), ".part-")
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	_, err = part.WriteString(text)
	if err = errors.Join(err, part.Close()); err != nil {
		return err
	}
	if err := os.Link(part.Name(), name); !errors.Is(err, os.ErrExist) {
		return err
	}
	return nil
}

// running reports whether another program runs the server of this directory, and then takes its port.
func (s *Server) running(ctx context.Context) bool {
	text, err := os.ReadFile(s.portFile())
	if err != nil {
		return false
	}
	if s.port, err = strconv.Atoi(string(text)); err != nil {
		return false
	}
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return false
	}
	defer db.Close()
	var directory string
	err = db.QueryRowContext(ctx, "SELECT @@datadir").Scan(&directory)
	return err == nil && filepath.Clean(directory) == filepath.Join(s.directory, "data")
}

// temporary is a folder of the server's own: at its start a server clears its temporary tables away, and would take those
// of another one that uses the same folder.
func (s *Server) temporary() string { return filepath.Join(s.directory, "tmp") }

func (s *Server) portFile() string { return filepath.Join(s.directory, "port") }

// run starts the process on its port.
func (s *Server) run() (*process.Process, error) {
	if err := os.WriteFile(s.portFile(), []byte(strconv.Itoa(s.port)), 0o600); err != nil {
		return nil, err
	}
	start := filepath.Join(s.directory, "start.sql")
	sql := fmt.Sprintf("CREATE USER IF NOT EXISTS '%[1]s'@'127.0.0.1';\nALTER USER '%[1]s'@'127.0.0.1' IDENTIFIED BY '%[2]s';\nGRANT ALL ON *.* TO '%[1]s'@'127.0.0.1' WITH GRANT OPTION;\n", account, s.password)
	if err := os.WriteFile(start, []byte(sql), 0o600); err != nil {
		return nil, err
	}
	log, err := os.OpenFile(s.logFile(), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return nil, err
	}
	defer log.Close()
	command := exec.Command("mariadbd", append([]string{
		"--no-defaults",
		"--datadir=" + filepath.Join(s.directory, "data"), "--tmpdir=" + s.temporary(),
		"--init-file=" + start,
		"--bind-address=127.0.0.1", fmt.Sprintf("--port=%d", s.port),
		"--socket=socket", // in the data folder, which others cannot enter; a whole path may be too long for a socket
		"--pid-file=" + filepath.Join(s.directory, "mariadbd.pid"),
		"--skip-name-resolve", "--skip-log-bin",
		"--local-infile=OFF", "--secure-file-priv=" + s.temporary(), // statements read no files of this machine
		"--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin",
		"--innodb-flush-log-at-trx-commit=1", "--innodb-doublewrite=1",
		"--innodb-buffer-pool-size=128M", "--innodb-log-file-size=48M",
		"--performance-schema=OFF", "--max-connections=400",
	}, asUser()...)...)
	command.Stdout, command.Stderr = log, log
	c, err := process.Start(command)
	if err != nil {
		return nil, fmt.Errorf("mariadbd: %w", err)
	}
	return c, nil
}

// await returns when the server answers or has ended.
func (s *Server) await(ctx context.Context, c *process.Process) error {
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return err
	}
	defer db.Close()
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		if db.PingContext(ctx) == nil {
			return nil
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return fmt.Errorf("mariadbd does not answer: %w", ctx.Err())
		case <-c.Done():
			text, _ := os.ReadFile(s.logFile()) // an unreadable log only makes the message shorter
			return fmt.Errorf("mariadbd ended at once; is another one using %s? Its log says: %s", s.directory, lastLines(text))
		}
	}
}

func (s *Server) logFile() string { return filepath.Join(s.directory, "mariadbd.log") }

// asUser lets the server run as root when this program does.
func asUser() []string {
	if u, err := user.Current(); err == nil && u.Uid == "0" {
		return []string{"--user=root"}
	}
	return nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func lastLines(text []byte) string {
	lines := strings.Split(strings.TrimSpace(string(text)), "\n")
	return strings.Join(lines[max(0, len(lines)-20):], "\n")
}
