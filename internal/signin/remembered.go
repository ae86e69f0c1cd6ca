package signin

import (
	"context"
	"errors"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/known"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
)

// remembered are the sessions and keys that requests showed last. What was changed of them is forgotten, here at once and elsewhere within
// the lease: see [tenant.Lease]. Only a yes is given by memory: before anybody is refused, the records are read.
type remembered struct {
	changes  *known.Changes
	sessions *known.Values[[32]byte, store.Session] // by their tokens' hashes
	byID     *known.Values[model.ID, store.Session]
	keys     *known.Values[keyShown, keyFound]
}

// keyShown is a key that is shown by itself, or with the access token that was made with it.
type keyShown struct{ key, token model.ID }

type keyFound struct {
	store.Key
	tokenRevoked bool
}

// mostRemembered is how many of each kind are kept, about a kilobyte each.
const mostRemembered = 50_000

func newRemembered(changes *known.Changes) remembered {
	return remembered{
		changes: changes, sessions: known.NewValues[[32]byte, store.Session](changes, mostRemembered),
		byID: known.NewValues[model.ID, store.Session](changes, mostRemembered), keys: known.NewValues[keyShown, keyFound](changes, mostRemembered),
	}
}

// recall has use called with what is remembered under a key, and with what is read if nothing is, or if use refuses.
func recall[K comparable, V any](s *SignIns, ctx context.Context, from *known.Values[K, V], key K, read func() (V, []model.ID, error), use func(V, error) error) error {
	if err := s.Level(ctx); err != nil {
		return err
	}
	if value, ok := from.Get(key); ok {
		err := use(value, nil)
		var refused *problem.Problem
		if !errors.As(err, &refused) {
			return err
		}
	}
	mark := s.remembered.changes.Mark()
	value, of, err := read()
	if err == nil {
		from.Put(key, value, mark, of...)
	}
	return use(value, err)
}

// withSession has use called with the session a token stands for.
func (s *SignIns) withSession(ctx context.Context, token credential.Token, use func(store.Session, error) error) error {
	return recall(s, ctx, s.remembered.sessions, token.Hash(), func() (store.Session, []model.ID, error) {
		session, err := s.Records.SessionFor(ctx, token)
		return session, dependencies(session), err
	}, use)
}

// withSessionOf has use called with the session of an id.
func (s *SignIns) withSessionOf(ctx context.Context, id model.ID, use func(store.Session, error) error) error {
	return recall(s, ctx, s.remembered.byID, id, func() (store.Session, []model.ID, error) {
		session, err := s.Records.SessionOf(ctx, id)
		return session, dependencies(session), err
	}, use)
}

// dependencies are what a session is read from: its row, whose it is, and the names of where they are at home and where they work.
func dependencies(session store.Session) []model.ID {
	return []model.ID{session.ID, session.Identity.ID, session.Identity.Organisation, session.Organisation, session.Principal, session.Provider, session.Outside.Trust}
}

// withKey has use called with a key and whether an access token was taken back that was made with it; token is zero for the key alone.
func (s *SignIns) withKey(ctx context.Context, key, token model.ID, use func(keyFound, error) error) error {
	return recall(s, ctx, s.remembered.keys, keyShown{key, token}, func() (k keyFound, of []model.ID, err error) {
		k.Key, k.tokenRevoked, err = s.Records.KeyOfToken(ctx, key, token)
		return k, []model.ID{key, token, k.Principal}, err
	}, use)
}

// Mark is a moment among the changes of sessions, keys and whose they are, as far as this instance knows of them.
func (s *SignIns) Mark() known.Mark { return s.remembered.changes.Mark() }

// usedNow forgets a session whose last use was noted.
func (s *SignIns) usedNow(token credential.Token, session model.ID) {
	s.remembered.sessions.Drop(token.Hash())
	s.remembered.byID.Drop(session)
}
