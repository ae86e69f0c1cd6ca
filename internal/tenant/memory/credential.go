package memory

import (
	"context"
	"maps"
	"slices"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// Key finds a key by id, one that was taken back too.
func (r *Records) Key(_ context.Context, id model.ID) (store.Key, error) {
	return read(r, func() (store.Key, error) { return found(r.keys, id) })
}

// Keys lists the keys of a principal that were not taken back, oldest first.
func (r *Records) Keys(_ context.Context, organisation, principal model.ID) ([]store.Key, error) {
	return read(r, func() ([]store.Key, error) {
		return byID(r.keys, func(k store.Key) bool {
			return k.Organisation == organisation && k.Principal == principal && k.WithdrawnAt.IsZero()
		}), nil
	})
}

// KeysIssuedBy lists the keys of an organisation that somebody issued for others.
func (r *Records) KeysIssuedBy(_ context.Context, organisation, issuer model.ID) ([]store.Key, error) {
	return read(r, func() ([]store.Key, error) {
		return byID(r.keys, func(k store.Key) bool {
			return k.Organisation == organisation && k.Issuer == issuer && k.Principal != issuer && k.WithdrawnAt.IsZero()
		}), nil
	})
}

// KeysToMind lists an organisation's keys that end before a moment, or were not used since another.
func (r *Records) KeysToMind(_ context.Context, organisation model.ID, endsBefore, unusedSince time.Time, limit int) ([]store.Key, error) {
	return read(r, func() ([]store.Key, error) {
		keys := byID(r.keys, func(k store.Key) bool {
			used := k.LastUsedAt
			if used.IsZero() {
				used = k.CreatedAt
			}
			return k.Organisation == organisation && k.WithdrawnAt.IsZero() && (!k.Until.IsZero() && k.Until.Before(endsBefore) || used.Before(unusedSince))
		})
		return keys[:min(limit, len(keys))], nil
	})
}

// CreateServiceKey keeps a key of a platform service.
func (r *Records) CreateServiceKey(_ context.Context, k store.Key, service string, author store.Author) error {
	return r.alter(func() error {
		k.Organisation = model.ID{}
		r.keys[k.ID] = k
		r.tell(store.AuditRecord{Author: author, Event: "key-issued", Detail: "issued key " + k.ID.String() + " for service " + service})
		return nil
	})
}

// WithdrawServiceKey takes a key of a platform service back.
func (r *Records) WithdrawServiceKey(_ context.Context, k store.Key, author store.Author) error {
	return r.alter(func() error {
		r.withdraw(author.At, func(one store.Key) bool { return one.ID == k.ID })
		r.tell(store.AuditRecord{Author: author, Event: "key-withdrawn", Detail: "revoked key " + k.ID.String() + " of a service"})
		return nil
	})
}

// TouchKey notes that a key was used.
func (r *Records) TouchKey(_ context.Context, id model.ID, at time.Time, from string, record store.AuditRecord) error {
	return r.alter(func() error {
		k := r.keys[id]
		k.LastUsedAt, k.LastUsedFrom = at, from
		r.keys[id] = k
		r.tell(record)
		return nil
	})
}

// TakeAssertion notes that an assertion was used; fresh is false for one that was used before.
func (r *Records) TakeAssertion(_ context.Context, hash [32]byte, until, at time.Time) (fresh bool, err error) {
	err = r.alter(func() error {
		before, used := r.assertions[hash]
		if fresh = !used || !before.After(at); fresh {
			r.assertions[hash] = until
		}
		return nil
	})
	return fresh, err
}

// SigningKeys returns the signing keys made after a moment, newest first.
func (r *Records) SigningKeys(_ context.Context, after time.Time) ([]store.SigningKey, error) {
	return read(r, func() ([]store.SigningKey, error) {
		keys := slices.DeleteFunc(slices.Clone(r.signing), func(k store.SigningKey) bool { return !k.CreatedAt.After(after) })
		slices.SortStableFunc(keys, func(a, b store.SigningKey) int { return b.CreatedAt.Compare(a.CreatedAt) })
		return keys, nil
	})
}

// AddSigningKey keeps a signing key, and forgets those made before a moment.
func (r *Records) AddSigningKey(_ context.Context, k store.SigningKey, before time.Time) error {
	return r.alter(func() error {
		r.signing = append(slices.DeleteFunc(slices.Clone(r.signing), func(k store.SigningKey) bool { return !k.CreatedAt.After(before) }), k)
		return nil
	})
}

// RevokeToken takes an access token back.
func (r *Records) RevokeToken(_ context.Context, token model.ID, until time.Time, record store.AuditRecord) error {
	return r.alter(func() error {
		maps.DeleteFunc(r.revoked, func(_ model.ID, until time.Time) bool { return until.Before(record.Author.At) })
		r.revoked[token] = until
		r.tell(record)
		return nil
	})
}

// KeyOfToken finds the key an access token was made with, and whether the token was taken back.
func (r *Records) KeyOfToken(_ context.Context, key, token model.ID) (k store.Key, revoked bool, err error) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	k, err = found(r.keys, key)
	_, revoked = r.revoked[token]
	return k, revoked, err
}

// Link finds a link by its token.
func (r *Records) Link(_ context.Context, token credential.Token) (store.Link, error) {
	return read(r, func() (store.Link, error) { return found(r.links, token.Hash()) })
}

// LinkFor finds the link of a purpose that was sent to a principal last.
func (r *Records) LinkFor(_ context.Context, organisation, principal model.ID, purpose credential.Purpose) (store.Link, error) {
	return read(r, func() (store.Link, error) {
		for _, l := range r.links {
			if l.Organisation == organisation && l.Principal == principal && l.Purpose == purpose {
				return l, nil
			}
		}
		return store.Link{}, store.ErrNotFound
	})
}

// AskRecovery keeps a link by which a guest from outside may choose another password.
func (r *Records) AskRecovery(_ context.Context, i store.Identity, token credential.Token, until, notAfter time.Time, author store.Author) (made bool, err error) {
	err = r.alter(func() error {
		for hash, one := range r.recoveries {
			if one.identity != i.ID {
				continue
			}
			if one.made.After(notAfter) {
				return nil
			}
			delete(r.recoveries, hash)
		}
		made = true
		r.recoveries[token.Hash()] = recovery{i.ID, author.At, until}
		r.tell(store.AuditRecord{Author: author, Event: "recovery-asked", Detail: "a link to recover the account " + i.Name + " was mailed"})
		return nil
	})
	return made, err
}

// Recovery finds whose account a link recovers, and until when.
func (r *Records) Recovery(_ context.Context, token credential.Token) (i store.Identity, until time.Time, err error) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	one, err := found(r.recoveries, token.Hash())
	if err != nil {
		return i, until, err
	}
	return r.whole(r.identities[one.identity]), one.until, nil
}

// Recover keeps the password that the owner of an account chose by such a link.
func (r *Records) Recover(_ context.Context, i store.Identity, token credential.Token, hash string, author store.Author) error {
	return r.alter(func() error {
		if _, err := found(r.recoveries, token.Hash()); err != nil {
			return err
		}
		delete(r.recoveries, token.Hash())
		if i.Proved(i.Name) {
			for _, k := range r.passkeysOf(i.ID) {
				delete(r.passkeys, k.ID)
			}
			r.setPassword(i.ID, hash, time.Time{}, "", author.At)
		} else {
			r.takeOver(i.ID, hash, author.At)
		}
		r.editIdentity(i.ID, func(one *identity) { one.ProvedEmail = i.Name })
		r.tell(store.AuditRecord{Author: author, Event: "recovered", Detail: i.Name + " chose another password by a link that was mailed"})
		return nil
	})
}

// AddDeviceRequest keeps the request of a terminal.
func (r *Records) AddDeviceRequest(_ context.Context, d store.DeviceRequest) error {
	return r.alter(func() error {
		for hash, other := range r.devices {
			if other.Until.Before(d.MadeAt.Add(-credential.DeviceWaits)) {
				delete(r.devices, hash)
			} else if other.UserCode == d.UserCode {
				return store.ErrTaken
			}
		}
		hash := d.Code.Hash()
		d.Code = ""
		r.devices[hash] = d
		return nil
	})
}

// DeviceRequest finds a request by the code people type.
func (r *Records) DeviceRequest(_ context.Context, userCode string) (store.DeviceRequest, error) {
	return read(r, func() (store.DeviceRequest, error) {
		for _, d := range r.devices {
			if d.UserCode == userCode {
				return d, nil
			}
		}
		return store.DeviceRequest{}, store.ErrNotFound
	})
}

// PollDevice finds a request by the terminal's code, and notes that it was asked about.
func (r *Records) PollDevice(_ context.Context, code credential.Token, at time.Time) (d store.DeviceRequest, err error) {
	err = r.alter(func() error {
		if d, err = found(r.devices, code.Hash()); err != nil {
			return err
		}
		polled := d
		polled.PolledAt = at
		r.devices[code.Hash()] = polled
		return nil
	})
	return d, err
}

// DecideDevice lets a terminal in as an identity, or refuses it for a zero one.
func (r *Records) DecideDevice(_ context.Context, userCode string, id, organisation, session model.ID, factor settings.Factor, record store.AuditRecord) error {
	return r.alter(func() error {
		for hash, d := range r.devices {
			if d.UserCode != userCode || !d.Identity.IsZero() || d.Refused {
				continue
			}
			d.Refused, d.Identity, d.Organisation, d.Session, d.Factor = id.IsZero(), id, organisation, session, factor
			r.devices[hash] = d
			r.tell(record)
			return nil
		}
		return store.ErrNotFound
	})
}

// TakeDevice removes a request that was answered.
func (r *Records) TakeDevice(_ context.Context, code credential.Token) error {
	return r.alter(func() error {
		_, err := found(r.devices, code.Hash())
		delete(r.devices, code.Hash())
		return err
	})
}

// BeginOnce begins a request under a key.
func (r *Records) BeginOnce(_ context.Context, key, request [32]byte, at time.Time) (before store.Answered, begun bool, err error) {
	err = r.alter(func() error {
		one, there := r.answered[key]
		stale := there && one.Request == request && one.Revision == 0 && one.Status == 0 && one.begun.Before(at.Add(-3*time.Minute))
		if begun = !there || stale || one.begun.Before(at.Add(-24*time.Hour)); begun {
			r.answered[key] = answered{store.Answered{Request: request}, at}
			return nil
		}
		before = one.Answered
		return nil
	})
	return before, begun, err
}

// FinishOnce keeps the answer to a request that was begun under a key.
func (r *Records) FinishOnce(_ context.Context, key [32]byte, status int, body []byte) error {
	return r.alter(func() error {
		if one, there := r.answered[key]; there {
			one.Status, one.Body = status, body
			r.answered[key] = one
		}
		return nil
	})
}

// ForgetOnce forgets a request that led to nothing.
func (r *Records) ForgetOnce(_ context.Context, key [32]byte) error {
	return r.alter(func() error {
		if r.answered[key].Revision == 0 {
			delete(r.answered, key)
		}
		return nil
	})
}

// Unanswered has a service have ended before it kept an answer to any request: what was carried out stays; where led is false, not even
// that is known.
func (r *Records) Unanswered(led bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for key, one := range r.answered {
		if one.Status, one.Body = 0, nil; !led {
			one.Revision = 0
		}
		r.answered[key] = one
	}
}
