package loam

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"

	"arbora.example/internal/standin/loam/loamapi"
)

// connectionLasts is how long a connection to a database works.
const connectionLasts = 5 * time.Minute

func checkDatabase(c *call) error { return errors.Join(checkSize(c), checkLargest(c)) }

func connect(ctx context.Context, c *call, r resource) (any, error) {
	if !r.Running {
		return nil, problem(http.StatusConflict, "conflict", "the database is stopped", "start it first")
	}
	secret := make([]byte, sha256.Size)
	rand.Read(secret) // never fails since Go 1.24
	made := loamapi.Connection{Token: connectionMark + base64.RawURLEncoding.EncodeToString(secret), EndsAt: c.moment().Add(connectionLasts)}
	hash := sha256.Sum256([]byte(made.Token))
	return made, c.records.connect(ctx, hash, connection{database: r.ID, subject: c.subject, endsAt: made.EndsAt}, c.moment())
}

// connectionMark begins the tokens of connections, which tells them from Arbora's.
const connectionMark = "loam-connection."

// connected finds out who works on a database by a connection. Whether they still may is asked of Arbora with every query.
func (l *Cloud) connected(ctx context.Context, token, ip string) (*call, uuid.UUID, error) {
	hash := sha256.Sum256([]byte(token))
	found, err := l.records.connection(ctx, hash)
	if err == errNone || err == nil && !l.moment().Before(found.endsAt) {
		return nil, uuid.Nil, problem(http.StatusUnauthorized, "expired", "the connection to the database has ended", "connect again")
	}
	return &call{Cloud: l, subject: found.subject, ip: ip, typ: "database"}, found.database, err
}

// needsConnection refuses work on a database by any other token.
func (c *call) needsConnection() error {
	if c.token != "" || c.subject.Kind == builtInSet {
		return problem(http.StatusUnauthorized, "not-connected", "this needs a connection to the database", "connect first, and send the connection's token")
	}
	return nil
}

func query(ctx context.Context, c *call, r resource) (any, error) {
	if err := c.needsConnection(); err != nil {
		return nil, err
	}
	return c.entries(ctx, r, c.in.Prefix)
}

func (c *call) entries(ctx context.Context, r resource, prefix string) ([]loamapi.Entry, error) {
	list, err := c.records.entries(ctx, r.ID, prefix, maxPage)
	if list == nil {
		list = []loamapi.Entry{}
	}
	return list, err
}

func amend(ctx context.Context, c *call, r resource) (any, error) {
	if err := c.needsConnection(); err != nil {
		return nil, err
	}
	e := loamapi.Entry{Name: c.in.Key, Value: c.in.Value}
	return e, c.amend(ctx, r, e)
}

func (c *call) amend(ctx context.Context, r resource, e loamapi.Entry) error {
	if e.Name == "" || len(e.Name) > 200 || len(e.Value) > 10_000 {
		return invalid("key", "a record needs a key of 1 to 200 bytes, and a value of at most 10 000", "shorten it")
	}
	if err := r.fits(len(e.Value)); err != nil {
		return err
	}
	return c.records.amend(ctx, r.ID, e)
}

func purge(ctx context.Context, c *call, r resource) (any, error) {
	if err := c.needsConnection(); err != nil {
		return nil, err
	}
	err := c.records.purge(ctx, r.ID, c.in.Key)
	if err == errNone {
		err = problem(http.StatusNotFound, "not-there", "the database has no record "+c.in.Key, "query it to see what it has")
	}
	return loamapi.Entry{Name: c.in.Key}, err
}

// isConnection tells tokens of connections from Arbora's.
func isConnection(token string) bool { return strings.HasPrefix(token, connectionMark) }
