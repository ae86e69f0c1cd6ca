package memory

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/store"
)

// tell appends audit records.
func (r *Records) tell(records ...store.AuditRecord) {
	r.audit = append(slices.Clip(r.audit), records...)
}

// Audit appends audit records.
func (r *Records) Audit(_ context.Context, records ...store.AuditRecord) error {
	return r.alter(func() error {
		r.tell(records...)
		return nil
	})
}

// Ends returns how much was recorded, and how often anything was altered.
func (r *Records) Ends(context.Context) (store.Ends, error) {
	return read(r, func() (store.Ends, error) {
		return store.Ends{Recorded: uint64(len(r.audit)), Signalled: r.altered}, nil
	})
}

// SignalledSince is never whole: what was altered is not kept.
func (r *Records) SignalledSince(context.Context, uint64) (ids []model.ID, upTo uint64, whole bool, err error) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return nil, r.altered, false, nil
}

// OnSignal has forget called with nil, for anything, whenever something is altered.
func (r *Records) OnSignal(forget func(ids []model.ID)) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.listeners = append(r.listeners, forget)
}

// isOf reports whether an audit record stands under a name that an organisation has or has had; under none for the installation.
func (r *Records) isOf(a store.AuditRecord, organisation model.ID) bool {
	if organisation.IsZero() {
		return a.Organisation == ""
	}
	return a.Organisation != "" && r.names[a.Organisation] == organisation
}

// AuditRecords lists audit records, newest first.
func (r *Records) AuditRecords(_ context.Context, organisation model.ID, f store.AuditFilter) (entries []store.AuditEntry, next uint64, err error) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	if f.Before == 0 {
		f.Before = uint64(len(r.audit)) + 1
	}
	for number := min(f.Before-1, uint64(len(r.audit))); number > 0; number-- {
		a := r.audit[number-1]
		switch at := a.Author.At; {
		case !r.isOf(a, organisation), f.Event != "" && a.Event != f.Event, !f.By(a.Author.Name),
			!f.From.IsZero() && at.Before(f.From), !f.Until.IsZero() && !at.Before(f.Until),
			!strings.Contains(strings.ToLower(a.Detail), strings.ToLower(f.Text)):
			continue
		}
		if len(entries) == f.Limit {
			return entries, entries[f.Limit-1].Number, nil
		}
		entries = append(entries, store.AuditEntry{Number: number, AuditRecord: a})
	}
	return entries, 0, nil
}

// RefusedSince counts refusals by who was refused, most first.
func (r *Records) RefusedSince(_ context.Context, organisation model.ID, since time.Time, limit int) ([]store.RefusedTimes, error) {
	return read(r, func() (list []store.RefusedTimes, err error) {
		for _, a := range r.audit {
			if a.Event != "refused" || !r.isOf(a, organisation) || a.Author.At.Before(since) {
				continue
			}
			at := slices.IndexFunc(list, func(t store.RefusedTimes) bool { return t.Actor == a.Author.Name })
			if at < 0 {
				list, at = append(list, store.RefusedTimes{Actor: a.Author.Name}), len(list)
			}
			list[at].Times++
			if a.Author.At.After(list[at].Last) {
				list[at].Last = a.Author.At
			}
		}
		slices.SortFunc(list, func(a, b store.RefusedTimes) int {
			return cmp.Or(cmp.Compare(b.Times, a.Times), cmp.Compare(a.Actor, b.Actor))
		})
		return list[:min(limit, len(list))], nil
	})
}

// RefusedByDay counts refusals by day.
func (r *Records) RefusedByDay(_ context.Context, organisation model.ID, days []time.Time) ([]int, error) {
	return read(r, func() ([]int, error) {
		counts := make([]int, len(days))
		for _, a := range r.audit {
			if a.Event != "refused" || !r.isOf(a, organisation) {
				continue
			}
			for i, first := range days {
				if a.Author.At.UTC().Truncate(24 * time.Hour).Equal(first) {
					counts[i]++
				}
			}
		}
		return counts, nil
	})
}

// GrantSteps lists the changes to grants since a moment, newest first.
func (r *Records) GrantSteps(_ context.Context, id model.ID, since time.Time) ([]store.GrantStep, error) {
	return in(r, id, func(o organisation) (steps []store.GrantStep, err error) {
		for _, one := range slices.Backward(o.records) {
			if !one.Author.At.Before(since) && !one.Final {
				steps = append(steps, store.GrantStep{At: one.Author.At, Back: one.Back})
			}
		}
		return steps, nil
	})
}

// Audited returns the audit log, oldest first.
func (r *Records) Audited() []store.AuditRecord {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return slices.Clone(r.audit)
}
