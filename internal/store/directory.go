package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"arbora.example/access/model"
)

// Directory is a directory whose people come by a provider.
type Directory struct {
	Provider, Organisation model.ID
	Settings               json.RawMessage
	Sealed                 []byte          // the password of who reads it; empty for none
	NextAt                 time.Time       // when it is read again; zero for when somebody asks
	Mark                   json.RawMessage // how far it was read; empty for not at all
}

// Reading is what one reading of a directory found and did.
type Reading struct {
	ID, Provider model.ID
	Told         json.RawMessage
}

// ReadingsKept is how many readings are kept of each directory.
const ReadingsKept = 100

const directoryColumns = "provider_id, organisation_id, settings, sealed_password, next_at, mark"

func scanDirectory(scan scanner) (d Directory, err error) {
	var next sql.NullTime
	err = scan((*idColumn)(&d.Provider), (*idColumn)(&d.Organisation), (*[]byte)(&d.Settings), &d.Sealed, &next, (*[]byte)(&d.Mark))
	d.NextAt = next.Time
	return d, mark(err)
}

// Directory returns the directory of a provider. It returns [ErrNotFound] where there is none.
func (s *Store) Directory(ctx context.Context, provider model.ID) (Directory, error) {
	return scanDirectory(s.db.QueryRowContext(ctx, "SELECT "+directoryColumns+" FROM directory WHERE provider_id = ?", idColumn(provider)).Scan)
}

// DirectoriesDue lists the directories that are to be read by a moment, the longest due first.
func (s *Store) DirectoriesDue(ctx context.Context, by time.Time) (due []Directory, err error) {
	err = each(ctx, s.db, "SELECT "+directoryColumns+" FROM directory WHERE next_at <= ? ORDER BY next_at", []any{by}, func(scan scanner) error {
		d, err := scanDirectory(scan)
		due = append(due, d)
		return err
	})
	return due, err
}

// NoteReading keeps what a reading found and did, forgets the oldest, and notes how far the directory was read and when it is read again.
func (s *Store) NoteReading(ctx context.Context, d Directory, r Reading) error {
	return s.transaction(ctx, func(tx *txn) error {
		if _, err := tx.ExecContext(ctx, "INSERT INTO reading (id, provider_id, told) VALUES (?, ?, ?)", idColumn(r.ID), idColumn(r.Provider), []byte(r.Told)); err != nil {
			return err
		}
		var last model.ID
		err := tx.QueryRowContext(ctx, "SELECT id FROM reading WHERE provider_id = ? ORDER BY id DESC LIMIT 1 OFFSET ?", idColumn(r.Provider), ReadingsKept).Scan((*idColumn)(&last))
		if err == nil {
			_, err = tx.ExecContext(ctx, "DELETE FROM reading WHERE provider_id = ? AND id <= ?", idColumn(r.Provider), idColumn(last))
		}
		if err != nil && mark(err) != ErrNotFound {
			return err
		}
		// Whoever set the directory otherwise meanwhile has it read anew.
		_, err = tx.ExecContext(ctx, "UPDATE directory SET mark = ?, next_at = ? WHERE provider_id = ? AND settings = ?", string(d.Mark), momentColumn(d.NextAt), idColumn(d.Provider), []byte(d.Settings))
		return err
	})
}

// Readings lists the readings of a directory, the latest first.
func (s *Store) Readings(ctx context.Context, provider model.ID, limit int) (readings []Reading, err error) {
	err = each(ctx, s.db, "SELECT id, provider_id, told FROM reading WHERE provider_id = ? ORDER BY id DESC LIMIT ?", []any{idColumn(provider), limit}, func(scan scanner) error {
		var r Reading
		err := scan((*idColumn)(&r.ID), (*idColumn)(&r.Provider), (*[]byte)(&r.Told))
		readings = append(readings, r)
		return err
	})
	return readings, err
}

// LastReadings returns the last reading of each directory of an organisation.
func (s *Store) LastReadings(ctx context.Context, organisation model.ID) (readings []Reading, err error) {
	query := `SELECT r.id, r.provider_id, r.told FROM directory d JOIN reading r ON r.id = (SELECT MAX(id) FROM reading WHERE provider_id = d.provider_id)
		WHERE d.organisation_id = ? ORDER BY r.id`
	err = each(ctx, s.db, query, []any{idColumn(organisation)}, func(scan scanner) error {
		var r Reading
		err := scan((*idColumn)(&r.ID), (*idColumn)(&r.Provider), (*[]byte)(&r.Told))
		readings = append(readings, r)
		return err
	})
	return readings, err
}

// told is what the change record keeps of it: no password.
func (d Directory) told() any {
	if d.Provider.IsZero() {
		return nil
	}
	return map[string]any{"provider_id": d.Provider.String(), "settings": d.Settings}
}

// PutDirectory writes how a directory is read, new where before is the zero one.
func (w *Tx) PutDirectory(before, after Directory) error {
	w.note("directory", before.told(), after.told())
	return w.exec("REPLACE INTO directory ("+directoryColumns+") VALUES (?, ?, ?, ?, ?, ?)",
		idColumn(after.Provider), idColumn(w.organisation), []byte(after.Settings), append([]byte{}, after.Sealed...), momentColumn(after.NextAt), string(after.Mark))
}

// RemoveDirectory has a directory be read no more, and forgets its readings.
func (w *Tx) RemoveDirectory(d Directory) error {
	w.note("directory", d.told(), nil)
	if err := w.exec("DELETE FROM reading WHERE provider_id = ?", idColumn(d.Provider)); err != nil {
		return err
	}
	return w.exec("DELETE FROM directory WHERE provider_id = ?", idColumn(d.Provider))
}
