package memory

import (
	"cmp"
	"context"
	"slices"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/store"
)

// Trust finds a trust.
func (r *Records) Trust(_ context.Context, id model.ID) (store.Trust, error) {
	return read(r, func() (store.Trust, error) { return found(r.trusts, id) })
}

// Trusts lists the trusts of an organisation, the oldest first.
func (r *Records) Trusts(_ context.Context, organisation model.ID) ([]store.Trust, error) {
	return read(r, func() ([]store.Trust, error) {
		return byID(r.trusts, func(t store.Trust) bool { return t.Organisation == organisation }), nil
	})
}

// PutTrust keeps a trust.
func (w *write) PutTrust(before, after store.Trust) error {
	after.Organisation = w.organisation
	w.then(func(*organisation) {
		w.trusts[after.ID] = after
		if before.State == store.TrustInUse && after.State != store.TrustInUse {
			w.endByTrust(after.ID)
		}
	})
	return nil
}

// RemoveTrust takes a trust away, and ends the sessions that began by it.
func (w *write) RemoveTrust(t store.Trust) error {
	w.then(func(*organisation) {
		delete(w.trusts, t.ID)
		w.endByTrust(t.ID)
	})
	return nil
}

func (w *write) endByTrust(trust model.ID) {
	w.endSessions(w.author.At, func(s store.Session) bool { return s.Outside.Trust == trust })
}

// EndSessions ends all sessions of people.
func (w *write) EndSessions(people []model.ID) error {
	w.then(func(*organisation) {
		w.endSessions(w.author.At, func(s store.Session) bool { return slices.Contains(people, s.Identity.ID) })
	})
	return nil
}

// Tried notes that a trial by a trust went well.
func (r *Records) Tried(_ context.Context, trust model.ID, at time.Time) error {
	return r.alter(func() error {
		if t, there := r.trusts[trust]; there {
			t.TriedAt = at
			r.trusts[trust] = t
		}
		return nil
	})
}

// Entry returns what is made of what a provider says.
func (r *Records) Entry(_ context.Context, provider model.ID) (store.Entry, error) {
	return read(r, func() (store.Entry, error) { return found(r.entries, provider) })
}

// PutEntry keeps what is made of what a provider says.
func (w *write) PutEntry(_, after store.Entry) error {
	w.then(func(*organisation) { w.entries[after.Provider] = after })
	return nil
}

// AddArrival keeps that somebody came by a provider, and forgets the oldest.
func (r *Records) AddArrival(_ context.Context, a store.Arrival, record store.AuditRecord) error {
	return r.alter(func() error {
		list := append(slices.Clone(r.arrivals[a.Provider]), a)
		r.arrivals[a.Provider] = list[max(0, len(list)-store.ArrivalsKept):]
		if record.Event != "" {
			r.tell(record)
		}
		return nil
	})
}

// Arrivals lists who came by a provider last, the latest first.
func (r *Records) Arrivals(_ context.Context, provider model.ID, limit int) ([]store.Arrival, error) {
	return read(r, func() ([]store.Arrival, error) {
		list := slices.Clone(r.arrivals[provider])
		slices.SortFunc(list, func(a, b store.Arrival) int { return cmp.Compare(b.ID.String(), a.ID.String()) })
		return list[:min(limit, len(list))], nil
	})
}

// EndOutside ends the sessions that began by a trust and that its provider says have ended.
func (r *Records) EndOutside(_ context.Context, trust model.ID, subject, session string, record store.AuditRecord) (n int, err error) {
	err = r.alter(func() error {
		subjects := map[model.ID]string{}
		for p := range r.organisations[r.trusts[trust].Organisation].people {
			if one, there := r.organisations[r.trusts[trust].Organisation].now.Principal(p); there {
				subjects[p] = one.Subject
			}
		}
		r.endSessions(record.Author.At, func(s store.Session) bool {
			ends := s.EndedAt.IsZero() && s.Outside.Trust == trust && (session == "" || s.Outside.Session == session) && (subject == "" || subjects[s.Identity.ID] == subject)
			if ends {
				n++
			}
			return ends
		})
		if n > 0 {
			r.tell(record)
		}
		return nil
	})
	return n, err
}

// EndsOutside tells what a session of an outside person hangs on.
func (r *Records) EndsOutside(_ context.Context, session model.ID) (store.Outside, error) {
	return read(r, func() (store.Outside, error) {
		for _, s := range r.sessions {
			if s.ID == session && !s.Outside.Trust.IsZero() {
				return s.Outside, nil
			}
		}
		return store.Outside{}, store.ErrNotFound
	})
}
