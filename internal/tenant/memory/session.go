package memory

import (
	"cmp"
	"context"
	"slices"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// editSession alters a session of an id.
func (r *Records) editSession(id model.ID, edit func(*store.Session)) {
	for hash, s := range r.sessions {
		if s.ID == id {
			edit(&s)
			r.sessions[hash] = s
		}
	}
}

// StartSession keeps a session.
func (r *Records) StartSession(_ context.Context, s store.Session, token credential.Token, author store.Author) error {
	return r.alter(func() error {
		i := s.Identity
		s.Identity, s.SignedInAt, s.LastUsedAt, s.From = store.Identity{ID: i.ID}, author.At, author.At, author.From
		r.sessions[token.Hash()] = s
		r.signedIn[seat{s.Organisation, i.ID}] = author.At
		for _, what := range []credential.Guessed{credential.PasswordFrom(author.From), credential.CodeFromAnywhere} {
			delete(r.guesses, store.Guess{Name: i.SignIn(), What: what})
		}
		r.tell(store.AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "sign-in", Detail: i.SignIn().String() + " signed in"})
		return nil
	})
}

// seated returns a session with what is kept elsewhere.
func (r *Records) seated(s store.Session) store.Session {
	s.Identity = r.whole(r.identities[s.Identity.ID])
	s.OrganisationName = r.top(s.Organisation)
	for p, d := range r.organisations[s.Organisation].people {
		if d.Identity == s.Identity.ID {
			s.Principal = p
			if one, there := r.organisations[s.Organisation].now.Principal(p); there {
				s.Provider = one.Provider
			}
		}
	}
	return s
}

// SessionFor finds the session a token stands for.
func (r *Records) SessionFor(_ context.Context, token credential.Token) (store.Session, error) {
	return read(r, func() (store.Session, error) {
		s, err := found(r.sessions, token.Hash())
		if err != nil {
			return s, err
		}
		return r.seated(s), nil
	})
}

// SessionOf finds a session by its id.
func (r *Records) SessionOf(_ context.Context, id model.ID) (store.Session, error) {
	return read(r, func() (store.Session, error) {
		for _, s := range r.sessions {
			if s.ID == id {
				return r.seated(s), nil
			}
		}
		return store.Session{}, store.ErrNotFound
	})
}

// lasting lists sessions that nobody ended and that may still last, the one used last first.
func (r *Records) lasting(at time.Time, wanted func(store.Session) bool) (list []store.Session) {
	for _, s := range r.sessions {
		if s.EndedAt.IsZero() && wanted(s) && s.SignedInAt.After(at.Add(-settings.LongestLife)) && s.LastUsedAt.After(at.Add(-settings.LongestIdle)) && (s.Outside.Until.IsZero() || s.Outside.Until.After(at)) {
			list = append(list, store.Session{
				ID: s.ID, Organisation: s.Organisation, OrganisationName: r.top(s.Organisation), SignedInAt: s.SignedInAt, LastUsedAt: s.LastUsedAt, From: s.From, Agent: s.Agent,
			})
		}
	}
	slices.SortFunc(list, func(a, b store.Session) int { return cmp.Or(b.LastUsedAt.Compare(a.LastUsedAt), a.ID.Compare(b.ID)) })
	return list
}

// Sessions lists an identity's sessions.
func (r *Records) Sessions(_ context.Context, id model.ID, at time.Time) ([]store.Session, error) {
	return read(r, func() ([]store.Session, error) {
		return r.lasting(at, func(s store.Session) bool { return s.Identity.ID == id }), nil
	})
}

// worksAs reports whether a session works in an organisation as one of its principals.
func (r *Records) worksAs(s store.Session, organisation, principal model.ID) bool {
	identity := r.organisations[organisation].people[principal].Identity
	return s.Organisation == organisation && !identity.IsZero() && s.Identity.ID == identity
}

// SessionsOf lists the sessions that work as a principal of an organisation.
func (r *Records) SessionsOf(_ context.Context, organisation, principal model.ID, at time.Time) ([]store.Session, error) {
	return read(r, func() ([]store.Session, error) {
		return r.lasting(at, func(s store.Session) bool { return r.worksAs(s, organisation, principal) }), nil
	})
}

// TouchSession notes that a session was used.
func (r *Records) TouchSession(_ context.Context, token credential.Token, at time.Time) error {
	return r.alter(func() error {
		r.editSession(r.sessions[token.Hash()].ID, func(s *store.Session) { s.LastUsedAt = at })
		return nil
	})
}

// ProveSession notes that the person gave a password in a session, or a factor.
func (r *Records) ProveSession(_ context.Context, id model.ID, by settings.Factor, at time.Time) error {
	return r.alter(func() error {
		r.editSession(id, func(s *store.Session) { s.ProvedAt, s.Factor = at, cmp.Or(by, s.Factor) })
		return nil
	})
}

// MoveSession has a session work in another organisation.
func (r *Records) MoveSession(_ context.Context, id, organisation model.ID, at time.Time) error {
	return r.alter(func() error {
		r.editSession(id, func(s *store.Session) {
			s.Organisation = organisation
			r.signedIn[seat{organisation, s.Identity.ID}] = at
		})
		return nil
	})
}

// LastSignIns returns when the principals of an organisation last came to work in it.
func (r *Records) LastSignIns(_ context.Context, id model.ID) (map[model.ID]time.Time, error) {
	return read(r, func() (map[model.ID]time.Time, error) {
		last := map[model.ID]time.Time{}
		for p, d := range r.organisations[id].people {
			if at, there := r.signedIn[seat{id, d.Identity}]; there {
				last[p] = at
			}
		}
		return last, nil
	})
}

// RevokeSession ends a session of an identity.
func (r *Records) RevokeSession(_ context.Context, i store.Identity, id model.ID, author store.Author) error {
	record := store.AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "sign-out", Detail: i.SignIn().String() + " signed out"}
	return r.revokeSession(id, record, func(s store.Session) bool { return s.Identity.ID == i.ID })
}

// RevokeSessionOf ends a session that works as a principal of an organisation.
func (r *Records) RevokeSessionOf(_ context.Context, organisation, principal, id model.ID, record store.AuditRecord) error {
	return r.revokeSession(id, record, func(s store.Session) bool { return r.worksAs(s, organisation, principal) })
}

func (r *Records) revokeSession(id model.ID, record store.AuditRecord, wanted func(store.Session) bool) error {
	return r.alter(func() error {
		ended := false
		r.endSessions(record.Author.At, func(s store.Session) bool {
			ends := s.ID == id && wanted(s)
			ended = ended || ends
			return ends
		})
		if !ended {
			return store.ErrNotFound
		}
		r.tell(record)
		return nil
	})
}

// SignedInFrom lists the network addresses from which an identity signed in.
func (r *Records) SignedInFrom(_ context.Context, id model.ID) ([]string, error) {
	return read(r, func() (addresses []string, err error) {
		for _, s := range r.sessions {
			if s.Identity.ID == id && !slices.Contains(addresses, s.From) {
				addresses = append(addresses, s.From)
			}
		}
		return addresses, nil
	})
}

// CountGuess counts an attempt before it is known to be wrong.
func (r *Records) CountGuess(_ context.Context, g store.Guess, at time.Time, delay func(int) time.Duration) (failures int, wait time.Duration, err error) {
	err = r.alter(func() error {
		one, there := r.guesses[g]
		if there && one.last.Before(at.Add(-24*time.Hour)) {
			one = guesses{}
		}
		failures = one.failures
		if wait = one.last.Add(delay(failures)).Sub(at); failures > 0 && wait > 0 {
			return nil
		}
		wait = 0
		failures++
		r.guesses[g] = guesses{failures, at}
		return nil
	})
	return failures, wait, err
}

// UncountGuess takes back the count of an attempt that was right.
func (r *Records) UncountGuess(_ context.Context, g store.Guess) error {
	return r.alter(func() error {
		if one := r.guesses[g]; one.failures > 0 {
			one.failures--
			r.guesses[g] = one
		}
		return nil
	})
}

// Guesses tells how many attempts in a row were wrong.
func (r *Records) Guesses(_ context.Context, g store.Guess) (int, error) {
	return read(r, func() (int, error) { return r.guesses[g].failures, nil })
}

// ForgetGuesses begins to count anew under a name.
func (r *Records) ForgetGuesses(_ context.Context, name credential.SignIn) error {
	return r.alter(func() error {
		for g := range r.guesses {
			if g.Name == name {
				delete(r.guesses, g)
			}
		}
		return nil
	})
}
