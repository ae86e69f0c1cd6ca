package store

import (
	"context"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
)

// KeysToMind lists an organisation's keys that end before a moment, or were not used since another, oldest first.
func (s *Store) KeysToMind(ctx context.Context, organisation model.ID, endsBefore, unusedSince time.Time, limit int) (keys []Key, err error) {
	err = each(ctx, s.db, keyColumns+"organisation_id = ? AND withdrawn_at IS NULL AND (expires_at < ? OR COALESCE(last_used_at, created_at) < ?) ORDER BY id LIMIT ?",
		[]any{idColumn(organisation), endsBefore, unusedSince, limit}, func(scan scanner) error {
			k, err := scanKey(scan)
			keys = append(keys, k)
			return err
		})
	return keys, err
}

// PendingGuests lists the guests who were invited and have not accepted, longest first.
func (s *Store) PendingGuests(ctx context.Context, organisation model.ID, limit int) (ids []model.ID, err error) {
	err = each(ctx, s.db, "SELECT id FROM principal WHERE organisation_id = ? AND kind = 'guest' AND state = 'pending' ORDER BY created_at LIMIT ?",
		[]any{idColumn(organisation), limit}, func(scan scanner) error {
			var id idColumn
			err := scan(&id)
			ids = append(ids, model.ID(id))
			return err
		})
	return ids, err
}

// RefusedTimes is how often somebody was refused something.
type RefusedTimes struct {
	Actor string
	Times int
	Last  time.Time
}

// RefusedSince counts refusals since a moment by who was refused, most first.
func (s *Store) RefusedSince(ctx context.Context, organisation model.ID, since time.Time, limit int) (list []RefusedTimes, err error) {
	of, values, err := s.recordsOf(ctx, organisation)
	if err != nil {
		return nil, err
	}
	err = each(ctx, s.db, "SELECT actor, COUNT(*), MAX(recorded_at) FROM audit_record WHERE "+of+" AND event = 'refused' AND recorded_at >= ? GROUP BY actor ORDER BY COUNT(*) DESC, actor LIMIT ?",
		append(values, since, limit), func(scan scanner) error {
			var r RefusedTimes
			err := scan(&r.Actor, &r.Times, &r.Last)
			list = append(list, r)
			return err
		})
	return list, err
}

// RefusedByDay counts refusals by day; each day is given by its first moment, and the last one goes on.
func (s *Store) RefusedByDay(ctx context.Context, organisation model.ID, days []time.Time) ([]int, error) {
	of, values, err := s.recordsOf(ctx, organisation)
	if err != nil {
		return nil, err
	}
	counts := make([]int, len(days))
	err = each(ctx, s.db, "SELECT DATE(recorded_at), COUNT(*) FROM audit_record WHERE "+of+" AND event = 'refused' AND recorded_at >= ? GROUP BY DATE(recorded_at)",
		append(values, days[0]), func(scan scanner) error {
			var on time.Time
			var times int
			if err := scan(&on, &times); err != nil {
				return err
			}
			for i, first := range days {
				if first.Equal(on) {
					counts[i] = times
				}
			}
			return nil
		})
	return counts, err
}

// GrantStep is a change that did something to grants.
type GrantStep struct {
	At   time.Time
	Back []access.Change // what takes it back
}

// mostGrantSteps bounds how many changes [Store.GrantSteps] goes back.
const mostGrantSteps = 5000

// GrantSteps lists the changes to grants since a moment, newest first, 5,000 at most. Those whose records tell no way back are left out.
func (s *Store) GrantSteps(ctx context.Context, organisation model.ID, since time.Time) (steps []GrantStep, err error) {
	err = each(ctx, s.db, `SELECT made_at, back FROM change_record WHERE organisation_id = ? AND made_at >= ? AND (back LIKE '%-grant"%')
		ORDER BY revision DESC LIMIT ?`, []any{idColumn(organisation), since, mostGrantSteps}, func(scan scanner) error {
		var step GrantStep
		var back []byte
		if err := scan(&step.At, &back); err != nil {
			return err
		}
		var err error
		step.Back, err = access.DecodeChanges(back)
		steps = append(steps, step)
		return err
	})
	return steps, err
}
