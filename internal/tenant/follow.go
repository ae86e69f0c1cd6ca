package tenant

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
)

// Other instances may write to the same database. What they changed is done here, too, from the change records: an organisation is
// read whole only at its first use, and where the records do not tell.

// afterFailure is how long it takes until the database is looked at again that could not be followed.
const afterFailure = time.Second

// Follow keeps the snapshots level with what other instances write to the same database, looking every interval, until
// the context ends. A database that cannot be reached for a while is looked at again.
func (s *Tenants) Follow(ctx context.Context, interval time.Duration) {
	wait := interval
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		wait = interval
		if err := s.catchUp(ctx); err != nil && ctx.Err() == nil {
			wait = max(interval, afterFailure)
			if !errors.Is(err, store.ErrUnavailable) {
				s.Log.Error("cannot follow the database", "error", err)
			}
		}
	}
}

// catchUp brings all organisations in use level with the records, if anything was recorded since the last time.
func (s *Tenants) catchUp(ctx context.Context) error {
	sequence, err := s.Records.Sequence(ctx)
	if err != nil || sequence == s.followed.Load() {
		return err
	}
	if err := s.CatchUpCatalogue(ctx); err != nil {
		return err
	}
	revisions, err := s.Records.Revisions(ctx)
	if err != nil {
		return err
	}
	var failed []error // one organisation that cannot be followed keeps no other back
	for id, revision := range revisions {
		h := s.Tenant(id)
		if now := h.snapshot.Load(); now == nil || now.Revision() >= revision {
			continue // not in use yet, or level
		}
		h.writing.Lock()
		_, err := s.level(ctx, h)
		h.writing.Unlock()
		failed = append(failed, err)
	}
	if err := errors.Join(failed...); err != nil {
		return err
	}
	s.followed.Store(sequence) // what was recorded since it was read is looked at the next time
	return nil
}

// level brings an organisation to the newest revision in the records by the changes since its own, and gives that. The caller holds
// h.writing.
func (s *Tenants) level(ctx context.Context, h *Tenant) (*access.Snapshot, error) {
	now := h.snapshot.Load()
	if now == nil {
		return s.first(ctx, h)
	}
	return s.followFrom(ctx, h, now)
}

// followFrom publishes the newest snapshot of an organisation, made from another by the changes since. The caller holds h.writing.
func (s *Tenants) followFrom(ctx context.Context, h *Tenant, now *access.Snapshot) (*access.Snapshot, error) {
	var led *step
	steps, untold, err := s.Records.ChangesSince(ctx, h.id, now.Revision(), 0)
	if err != nil {
		return nil, err
	}
	if untold != nil {
		s.Log.Warn("change records do not tell what another instance changed: the organisation is read anew", "organisation", h.id, "reason", untold)
		return s.reload(ctx, h)
	}
	if len(steps) > 0 {
		from := now
		next, err := after(now, steps)
		var broken *model.Violation
		if errors.As(err, &broken) { // such as under a catalogue that this instance has not read yet
			s.Log.Warn("changes of another instance cannot be made here: the organisation is read anew", "organisation", h.id, "reason", broken)
			return s.reload(ctx, h)
		} else if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(steps, func(step store.Step) bool { return step.Beside }) {
			if err := s.readSettings(ctx, h); err != nil {
				return nil, err
			}
		}
		now = next
		var changes []access.Change
		for _, one := range steps {
			changes = append(changes, one.Changes...)
		}
		led = &step{Proposal: access.Between(from, now, changes), beyond: true} // what is known of things besides is not followed
	}
	if now != h.snapshot.Load() {
		h.publish(now, led)
	}
	h.doubtful.Store(false)
	return now, nil
}

// AtLeast has the caller's organisation known at a revision or a later one. It is refused while no instance has led there.
func (s *Tenants) AtLeast(ctx context.Context, c Caller, revision uint64) error {
	if c.Organisation.IsZero() {
		return nil
	}
	h := s.Tenant(c.Organisation)
	now, err := s.Current(ctx, h)
	if err != nil || now.Revision() >= revision {
		return err
	}
	// What the caller says is not believed before the records say it: with the lock, it would hold writes up.
	revisions, err := s.Records.Revisions(ctx)
	if err != nil {
		return err
	}
	if at := revisions[h.id]; at < revision {
		return &problem.Problem{
			Kind: problem.Conflict, Detail: fmt.Sprintf("the organisation is at revision %d, not yet at %d", at, revision),
			Next: "ask for a revision of an earlier answer",
		}
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	_, err = s.level(ctx, h)
	return err
}

// readSettings reads what an organisation, and keepers for it, have decided besides.
func (s *Tenants) readSettings(ctx context.Context, h *Tenant) error {
	settings, err := s.Records.Settings(ctx, h.id)
	if err != nil {
		return err
	}
	quotas, err := s.Records.Quotas(ctx, h.id)
	if err != nil {
		return err
	}
	h.settings.Store(&settings)
	h.quotas.Store(&quotas)
	return nil
}
