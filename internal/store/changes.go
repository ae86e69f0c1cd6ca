package store

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
)

// Step is what led an organisation to a revision from the one before.
type Step struct {
	Revision uint64
	Changes  []access.Change
	Beside   bool // settings or quotas were altered, too
}

// ChangesSince returns the steps that an organisation has made since a revision, in order, and up to another: 0 for the last. Where the records do not tell each of them,
// as those of earlier versions of Arbora do not and those of later ones may not to this one, untold says why: then the organisation
// is to be read whole.
func (s *Store) ChangesSince(ctx context.Context, organisation model.ID, revision, upTo uint64) (steps []Step, untold, err error) {
	if upTo == 0 {
		upTo = math.MaxInt64
	}
	err = each(ctx, s.db, "SELECT revision, changes, beside FROM change_record WHERE organisation_id = ? AND revision > ? AND revision <= ? ORDER BY revision", []any{idColumn(organisation), revision, upTo}, func(scan scanner) error {
		var step Step
		var text []byte
		if err := scan(&step.Revision, &text, &step.Beside); err != nil {
			return err
		}
		revision++
		switch {
		case untold != nil:
			return nil
		case step.Revision != revision:
			untold = fmt.Errorf("revision %d has no record", revision)
		case text == nil:
			untold = fmt.Errorf("revision %d: its record is of an earlier version of Arbora", revision)
		default:
			if step.Changes, untold = access.DecodeChanges(text); untold != nil {
				untold = fmt.Errorf("revision %d: %w", revision, untold)
			}
		}
		steps = append(steps, step)
		return nil
	})
	return steps, untold, err
}

// RecordMark returns what stands for the change record that led to a revision: another database has another, or none, which is
// [ErrNotFound].
func (s *Store) RecordMark(ctx context.Context, organisation model.ID, revision uint64) (record [32]byte, err error) {
	var text []byte
	err = mark(s.db.QueryRowContext(ctx, `SELECT UNHEX(SHA2(CONCAT_WS('|', made_at, made_by, made_from, what, changes), 256)) FROM change_record WHERE organisation_id = ? AND revision = ?`,
		idColumn(organisation), revision).Scan(&text))
	copy(record[:], text)
	return record, err
}

// OldestTold returns the first revision from which on the change records tell every step, 0 when they tell none.
func (s *Store) OldestTold(ctx context.Context, organisation model.ID) (revision uint64, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT COALESCE(MIN(revision), 0) FROM change_record WHERE organisation_id = ? AND changes IS NOT NULL
		AND revision > (SELECT COALESCE(MAX(revision), 0) FROM change_record WHERE organisation_id = ? AND changes IS NULL)`, idColumn(organisation), idColumn(organisation)).Scan(&revision)
	return revision, mark(err)
}

// Recorded is a change as its record keeps it.
type Recorded struct {
	Revision uint64
	Author   Author
	What     string
	Changes  []access.Change
	Final    bool            // no command takes it back, as none does what an earlier version of Arbora recorded
	Back     []access.Change // what takes it back
	Before   Descriptions    // of what it altered or removed
	After    Descriptions    // of what it altered or created
}

// Change reads the record of the change that led to a revision. It returns [ErrNotFound] when there is none.
func (s *Store) Change(ctx context.Context, organisation model.ID, revision uint64) (Recorded, error) {
	r := Recorded{Revision: revision}
	var changes, back, text []byte
	err := s.db.QueryRowContext(ctx, "SELECT made_at, made_by, made_from, what, changes, back, described FROM change_record WHERE organisation_id = ? AND revision = ?", idColumn(organisation), revision).
		Scan(&r.Author.At, &r.Author.Name, &r.Author.From, &r.What, &changes, &back, &text)
	if err != nil {
		return r, mark(err)
	}
	r.Final = back == nil
	if text == nil { // of an earlier version of Arbora
		return r, nil
	}
	var d described
	if err := json.Unmarshal(text, &d); err != nil {
		return r, fmt.Errorf("revision %d: %w", revision, err)
	}
	r.Before, r.After = d.Before, d.After
	if r.Changes, err = access.DecodeChanges(changes); err != nil {
		return r, fmt.Errorf("revision %d: %w", revision, err)
	}
	if !r.Final {
		if r.Back, err = access.DecodeChanges(back); err != nil {
			return r, fmt.Errorf("revision %d: %w", revision, err)
		}
	}
	return r, nil
}

// RevisionOf finds the revision that the change of an audit record led to: the two are written as one. It returns [ErrNotFound] for a
// record of something else.
func (s *Store) RevisionOf(ctx context.Context, organisation model.ID, record AuditRecord) (revision uint64, err error) {
	return revision, mark(s.db.QueryRowContext(ctx, "SELECT revision FROM change_record WHERE organisation_id = ? AND made_at = ? AND made_by = ? AND what = ? ORDER BY revision LIMIT 1",
		idColumn(organisation), record.Author.At, record.Author.Name, record.Detail).Scan(&revision))
}

// lately is how many revisions back [Store.LastChange] looks.
const lately = 10_000

// LastChange finds the last change that somebody made, by their sign-in name: the revision that it led to. It returns [ErrNotFound]
// when there is none among the last 10,000 of the organisation.
func (s *Store) LastChange(ctx context.Context, organisation model.ID, by string) (revision uint64, err error) {
	return revision, mark(s.db.QueryRowContext(ctx, `SELECT c.revision FROM change_record c JOIN organisation o ON o.id = c.organisation_id
		WHERE c.organisation_id = ? AND c.revision + ? > o.revision AND c.made_by = ? ORDER BY c.revision DESC LIMIT 1`, idColumn(organisation), lately, by).Scan(&revision))
}

// ScopeChange is a change that touched a scope.
type ScopeChange struct {
	Revision uint64
	Author   Author
	What     string
	Scopes   []model.ID // all that it touched
}

// ScopeChanges lists the changes that touched a scope, newest first: those before a revision, and at most so many.
func (s *Store) ScopeChanges(ctx context.Context, organisation, scope model.ID, before uint64, limit int) ([]ScopeChange, error) {
	changes := []ScopeChange{}
	err := each(ctx, s.db, `SELECT c.revision, c.made_by, c.made_from, c.made_at, c.what FROM changed_scope t
		JOIN change_record c ON c.organisation_id = t.organisation_id AND c.revision = t.revision
		WHERE t.organisation_id = ? AND t.scope_id = ? AND t.revision < ? ORDER BY t.revision DESC LIMIT ?`,
		[]any{idColumn(organisation), idColumn(scope), before, limit}, func(scan scanner) error {
			var c ScopeChange
			err := scan(&c.Revision, &c.Author.Name, &c.Author.From, &c.Author.At, &c.What)
			changes = append(changes, c)
			return err
		})
	if err != nil || len(changes) == 0 {
		return changes, err
	}
	at := map[uint64]int{}
	values := []any{idColumn(organisation)}
	for i, c := range changes {
		at[c.Revision] = i
		values = append(values, c.Revision)
	}
	err = each(ctx, s.db, "SELECT revision, scope_id FROM changed_scope WHERE organisation_id = ? AND revision IN (?"+strings.Repeat(", ?", len(changes)-1)+")", values, func(scan scanner) error {
		var revision uint64
		var id model.ID
		if err := scan(&revision, (*idColumn)(&id)); err != nil {
			return err
		}
		changes[at[revision]].Scopes = append(changes[at[revision]].Scopes, id)
		return nil
	})
	return changes, err
}
