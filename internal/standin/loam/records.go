package loam

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"io/fs"
	"strings"
	"time"

	"github.com/google/uuid"

	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/store/prepared"
)

//go:embed migrations/*.sql
var migrations embed.FS

// errNone is returned when the row asked for is not there.
var errNone = errors.New("loam: no such row")

// records are Loam's own, in a database of its own.
type records struct{ db *prepared.DB }

func openRecords(ctx context.Context, dsn string) (*records, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	db, err := prepared.Open(ctx, dsn, files)
	return &records{db}, err
}

// resource is what Loam keeps of one.
type resource struct {
	ID           uuid.UUID
	Organisation string
	Type         string
	Running      bool
	loamapi.Attributes
}

const resourceColumns = "id, organisation, type, running, attributes"

func scanResource(scan func(...any) error) (r resource, err error) {
	var text []byte
	if err := scan(&r.ID, &r.Organisation, &r.Type, &r.Running, &text); err != nil {
		return r, err
	}
	return r, json.Unmarshal(text, &r.Attributes)
}

// add records a resource that Arbora may not have yet. One that is recorded already stays as it is.
func (s *records) add(ctx context.Context, r resource, at time.Time, settled bool) error {
	text, err := json.Marshal(r.Attributes)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, "INSERT IGNORE INTO resource (id, organisation, type, running, attributes, made_at, settled) VALUES (?, ?, ?, ?, ?, ?, ?)",
		r.ID[:], r.Organisation, r.Type, r.Running, text, at, settled)
	return err
}

// save records what was altered of a resource.
func (s *records) save(ctx context.Context, r resource) error {
	text, err := json.Marshal(r.Attributes)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, "UPDATE resource SET running = ?, attributes = ? WHERE id = ?", r.Running, text, r.ID[:])
	return err
}

func (s *records) resource(ctx context.Context, id uuid.UUID) (resource, error) {
	r, err := scanResource(s.db.QueryRowContext(ctx, "SELECT "+resourceColumns+" FROM resource WHERE id = ?", id[:]).Scan)
	if errors.Is(err, sql.ErrNoRows) {
		err = errNone
	}
	return r, err
}

// resources finds many by id; those without a record are left out.
func (s *records) resources(ctx context.Context, ids []uuid.UUID) (map[uuid.UUID]resource, error) {
	found := map[uuid.UUID]resource{}
	if len(ids) == 0 {
		return found, nil
	}
	return found, s.each(ctx, "SELECT "+resourceColumns+" FROM resource WHERE id IN ("+marks(len(ids))+")", values(ids), func(scan func(...any) error) error {
		r, err := scanResource(scan)
		found[r.ID] = r
		return err
	})
}

// attached lists what is attached to a network: machines, labs and subnets.
func (s *records) attached(ctx context.Context, network uuid.UUID) (list []resource, err error) {
	err = s.each(ctx, "SELECT "+resourceColumns+" FROM resource WHERE JSON_VALUE(attributes, '$.network') = ? OR JSON_VALUE(attributes, '$.within') = ? ORDER BY id",
		[]any{network.String(), network.String()}, func(scan func(...any) error) error {
			r, err := scanResource(scan)
			list = append(list, r)
			return err
		})
	return list, err
}

// unsettled lists resources made before a moment that Arbora is not known to have.
func (s *records) unsettled(ctx context.Context, before time.Time, most int) (list []resource, err error) {
	err = s.each(ctx, "SELECT "+resourceColumns+" FROM resource WHERE settled = FALSE AND made_at < ? ORDER BY made_at LIMIT ?", []any{before, most}, func(scan func(...any) error) error {
		r, err := scanResource(scan)
		list = append(list, r)
		return err
	})
	return list, err
}

func (s *records) settle(ctx context.Context, ids []uuid.UUID) error {
	if len(ids) == 0 {
		return nil
	}
	_, err := s.db.ExecContext(ctx, "UPDATE resource SET settled = TRUE WHERE id IN ("+marks(len(ids))+")", values(ids)...)
	return err
}

// forget takes away resources that never came to be.
func (s *records) forget(ctx context.Context, ids ...uuid.UUID) error {
	if len(ids) == 0 {
		return nil
	}
	_, err := s.db.ExecContext(ctx, "DELETE FROM resource WHERE id IN ("+marks(len(ids))+")", values(ids)...)
	return err
}

// objects lists a bucket's objects by name, those after a name, and at most so many.
func (s *records) objects(ctx context.Context, bucket uuid.UUID, after string, most int) (list []loamapi.Object, err error) {
	err = s.each(ctx, "SELECT name, media_type, size, HEX(sha256), put_at, put_by FROM object WHERE bucket_id = ? AND name > ? ORDER BY name LIMIT ?", []any{bucket[:], after, most}, func(scan func(...any) error) error {
		var o loamapi.Object
		err := scan(&o.Name, &o.MediaType, &o.Size, &o.SHA256, &o.PutAt, &o.PutBy)
		o.SHA256 = strings.ToLower(o.SHA256)
		list = append(list, o)
		return err
	})
	return list, err
}

func (s *records) object(ctx context.Context, bucket uuid.UUID, name string) (o loamapi.Object, body []byte, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT name, media_type, size, HEX(sha256), put_at, put_by, body FROM object WHERE bucket_id = ? AND name = ?", bucket[:], name).
		Scan(&o.Name, &o.MediaType, &o.Size, &o.SHA256, &o.PutAt, &o.PutBy, &body)
	if errors.Is(err, sql.ErrNoRows) {
		err = errNone
	}
	o.SHA256 = strings.ToLower(o.SHA256)
	return o, body, err
}

func (s *records) putObject(ctx context.Context, bucket uuid.UUID, o loamapi.Object, body []byte) error {
	sum := sha256.Sum256(body)
	_, err := s.db.ExecContext(ctx, `REPLACE INTO object (bucket_id, name, media_type, size, sha256, put_at, put_by, body) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		bucket[:], o.Name, o.MediaType, len(body), sum[:], o.PutAt, o.PutBy, body)
	return err
}

func (s *records) eraseObject(ctx context.Context, bucket uuid.UUID, name string) error {
	return one(s.db.ExecContext(ctx, "DELETE FROM object WHERE bucket_id = ? AND name = ?", bucket[:], name))
}

// entries lists a database's records whose names begin with a prefix.
func (s *records) entries(ctx context.Context, database uuid.UUID, prefix string, most int) (list []loamapi.Entry, err error) {
	err = s.each(ctx, "SELECT name, value FROM record WHERE database_id = ? AND name >= ? AND LEFT(name, CHAR_LENGTH(?)) = ? ORDER BY name LIMIT ?",
		[]any{database[:], prefix, prefix, prefix, most}, func(scan func(...any) error) error {
			var e loamapi.Entry
			err := scan(&e.Name, &e.Value)
			list = append(list, e)
			return err
		})
	return list, err
}

func (s *records) amend(ctx context.Context, database uuid.UUID, e loamapi.Entry) error {
	_, err := s.db.ExecContext(ctx, "REPLACE INTO record (database_id, name, value) VALUES (?, ?, ?)", database[:], e.Name, e.Value)
	return err
}

func (s *records) purge(ctx context.Context, database uuid.UUID, name string) error {
	return one(s.db.ExecContext(ctx, "DELETE FROM record WHERE database_id = ? AND name = ?", database[:], name))
}

// connection is somebody's way into a database, for a while.
type connection struct {
	database uuid.UUID
	subject  Subject
	endsAt   time.Time
}

// connect keeps a connection and clears those away that have ended.
func (s *records) connect(ctx context.Context, hash [sha256.Size]byte, c connection, now time.Time) error {
	if _, err := s.db.ExecContext(ctx, "DELETE FROM connection WHERE ends_at < ?", now); err != nil {
		return err
	}
	_, err := s.db.ExecContext(ctx, "INSERT INTO connection (token_hash, database_id, organisation, subject_kind, subject_id, subject_name, ends_at) VALUES (?, ?, ?, ?, ?, ?, ?)",
		hash[:], c.database[:], c.subject.Organisation, c.subject.Kind, c.subject.ID, c.subject.Name, c.endsAt)
	return err
}

func (s *records) connection(ctx context.Context, hash [sha256.Size]byte) (c connection, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT database_id, organisation, subject_kind, subject_id, subject_name, ends_at FROM connection WHERE token_hash = ?", hash[:]).
		Scan(&c.database, &c.subject.Organisation, &c.subject.Kind, &c.subject.ID, &c.subject.Name, &c.endsAt)
	if errors.Is(err, sql.ErrNoRows) {
		err = errNone
	}
	return c, err
}

func (s *records) each(ctx context.Context, query string, values []any, visit func(scan func(...any) error) error) error {
	return prepared.Each(ctx, s.db, query, values, visit)
}

// one makes an error of a statement that met no row.
func one(result sql.Result, err error) error {
	if err != nil {
		return err
	}
	n, err := result.RowsAffected()
	if err == nil && n == 0 {
		err = errNone
	}
	return err
}

func marks(n int) string { return strings.TrimSuffix(strings.Repeat("?, ", n), ", ") }

func values(ids []uuid.UUID) []any {
	list := make([]any, len(ids))
	for i := range ids {
		list[i] = ids[i][:]
	}
	return list
}
