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
		if err := s.LevelNow(ctx); err != nil && ctx.Err() == nil {
			wait = max(interval, afterFailure)
			if !errors.Is(err, store.ErrUnavailable) {
				s.Log.Error("cannot follow the database", "error", err)
			}
		}
		if s.behind.Swap(false) {
			s.bringLevel(ctx)
		}
	}
}

// bringLevel brings the organisations that are behind level, so that nobody has to wait for that, and those who watch them are told. Each
// goes by itself: one that takes long, or that is being written, keeps no other back.
func (s *Tenants) bringLevel(ctx context.Context) {
	s.tenants.Range(func(_, value any) bool {
		h := value.(*Tenant)
		if h.snapshot.Load() == nil || s.known(h) != nil || !h.following.CompareAndSwap(false, true) {
			return true
		}
		go func() {
			defer h.following.Store(false)
			_, err := s.bring(ctx, h)
			for ; err != nil && ctx.Err() == nil; _, err = s.bring(ctx, h) {
				if !errors.Is(err, store.ErrUnavailable) {
					s.Log.Error("an organisation cannot be followed", "organisation", h.id, "error", err)
				}
				select {
				case <-ctx.Done():
				case <-time.After(afterFailure):
				}
			}
			if s.known(h) == nil { // more was recorded meanwhile
				s.behind.Store(true)
			}
		}()
		return true
	})
}

// known returns the snapshot of an organisation, unless it is known that there is a later one, or that it may be another; nil then.
func (s *Tenants) known(h *Tenant) *access.Snapshot {
	if now := h.snapshot.Load(); now != nil && !h.doubtful.Load() && now.Revision() >= h.wanted.Load() && now.Catalogue() == s.registry.now.Load() {
		return now
	}
	return nil
}

// bring returns the current snapshot of an organisation, led to by what is known to be recorded.
func (s *Tenants) bring(ctx context.Context, h *Tenant) (*access.Snapshot, error) {
	h.writing.Lock()
	defer h.writing.Unlock()
	if now := s.known(h); now != nil {
		return now, nil
	}
	return s.lead(ctx, h)
}

// lead brings an organisation to the newest revision in the records by the changes since its own, and gives that. The caller holds
// h.writing.
func (s *Tenants) lead(ctx context.Context, h *Tenant) (*access.Snapshot, error) {
	now := h.snapshot.Load()
	if now == nil {
		return s.first(ctx, h)
	}
	catalogue, err := s.CatalogueNow(ctx)
	if err != nil {
		return nil, err
	}
	if now.Catalogue() != catalogue {
		return s.reload(ctx, h)
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
	if err := s.LevelNow(ctx); err != nil {
		return err
	}
	if now, err = s.Current(ctx, h); err != nil || now.Revision() >= revision {
		return err
	}
	return &problem.Problem{
		Kind: problem.Conflict, Detail: fmt.Sprintf("the organisation is at revision %d, not yet at %d", now.Revision(), revision),
		Next: "ask for a revision of an earlier answer",
	}
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
