package store

import (
	"context"
	"time"

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
