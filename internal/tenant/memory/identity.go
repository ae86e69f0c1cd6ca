package memory

import (
	"cmp"
	"context"
	"encoding/json"
	"maps"
	"slices"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

func newIdentity(i store.Identity, at time.Time) identity {
	if i.By == "" {
		i.By = credential.ByPassword
	}
	return identity{i, at}
}

// editIdentity alters what is kept of somebody who signs in.
func (r *Records) editIdentity(id model.ID, edit func(*identity)) {
	if i, there := r.identities[id]; there {
		edit(&i)
		r.identities[id] = i
	}
}

// free checks that nobody else signs in by the name of an identity.
func (r *Records) free(i store.Identity) error {
	_, err := read(r, func() (struct{}, error) {
		for _, other := range r.identities {
			if other.ID == i.ID || other.Name == i.Name && other.Organisation == i.Organisation {
				return struct{}{}, store.ErrTaken
			}
		}
		return struct{}{}, nil
	})
	return err
}

// whole returns an identity with what is kept elsewhere.
func (r *Records) whole(i identity) store.Identity {
	one := i.Identity
	one.OrganisationName = r.top(i.Organisation)
	if d, there := r.organisations[i.Organisation].people[i.ID]; there {
		one.Title = d.Title
	}
	one.Factor = r.factors[i.ID].Confirmed
	return one
}

// Identity finds who signs in by id.
func (r *Records) Identity(_ context.Context, id model.ID) (store.Identity, error) {
	return read(r, func() (store.Identity, error) {
		i, err := found(r.identities, id)
		return r.whole(i), err
	})
}

// IdentityNamed finds who signs in by a name.
func (r *Records) IdentityNamed(_ context.Context, name credential.SignIn) (store.Identity, error) {
	return read(r, func() (store.Identity, error) {
		home, there := r.names[name.Organisation]
		for _, i := range r.identities {
			if i.Name == name.Name && i.Organisation == home && (there || name.Organisation == "") {
				return r.whole(i), nil
			}
		}
		return store.Identity{}, store.ErrNotFound
	})
}

// Keepers counts the keepers.
func (r *Records) Keepers(context.Context) (int, error) {
	return read(r, func() (n int, err error) {
		return len(byID(r.identities, func(i identity) bool { return i.Keeper })), nil
	})
}

// AddKeeper keeps a keeper.
func (r *Records) AddKeeper(_ context.Context, keeper store.Identity, author store.Author) error {
	keeper.Keeper = true
	if err := r.free(keeper); err != nil {
		return err
	}
	return r.alter(func() error {
		r.identities[keeper.ID] = newIdentity(keeper, author.At)
		r.tell(store.AuditRecord{Author: author, Event: "keeper-made", Detail: "made " + keeper.Name + " a keeper"})
		return nil
	})
}

// Seats returns the organisations that know an identity and where it is active, its home first.
func (r *Records) Seats(_ context.Context, id model.ID) ([]store.Seat, error) {
	return read(r, func() (seats []store.Seat, err error) {
		for organisation, o := range r.organisations {
			for p, d := range o.people {
				if d.Identity != id || d.State != credential.Active {
					continue
				}
				one, _ := o.now.Principal(p)
				top, _ := o.now.Top()
				seats = append(seats, store.Seat{Organisation: organisation, Name: top.Name, Title: o.scopes[organisation].Title, Principal: p, Kind: one.Kind.String()})
			}
		}
		slices.SortFunc(seats, func(a, b store.Seat) int {
			return cmp.Or(cmp.Compare(b.Kind, a.Kind), cmp.Compare(a.Name, b.Name))
		})
		return seats, nil
	})
}

// setPassword keeps a password, temporary when until is not zero. What opens the account besides ends with the old one.
func (r *Records) setPassword(id model.ID, hash string, until time.Time, keep credential.Token, at time.Time) {
	r.editIdentity(id, func(i *identity) { i.PasswordHash, i.Temporary, i.TemporaryUntil = hash, !until.IsZero(), until })
	maps.DeleteFunc(r.links, func(_ [32]byte, l store.Link) bool {
		return l.Purpose == credential.ToPassword && r.organisations[l.Organisation].people[l.Principal].Identity == id
	})
	maps.DeleteFunc(r.devices, func(_ [32]byte, d store.DeviceRequest) bool { return d.Identity == id })
	kept, keeps := r.sessions[keep.Hash()]
	r.endSessions(at, func(s store.Session) bool { return s.Identity.ID == id && !(keeps && s.ID == kept.ID) })
}

// takeOver has nothing that opened an account open it any more, and keeps another password.
func (r *Records) takeOver(id model.ID, hash string, at time.Time) {
	maps.DeleteFunc(r.passkeys, func(_ model.ID, k store.Passkey) bool { return k.Identity == id })
	delete(r.factors, id)
	r.setPassword(id, hash, time.Time{}, "", at)
}

// ChoosePassword keeps a password of an identity's own choice, and ends all its sessions but the one kept.
func (r *Records) ChoosePassword(_ context.Context, i store.Identity, hash string, keep credential.Token, author store.Author) error {
	return r.alter(func() error {
		r.setPassword(i.ID, hash, time.Time{}, keep, author.At)
		r.tell(store.AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "password-chosen", Detail: i.SignIn().String() + " chose a password"})
		return nil
	})
}

// Factor returns an identity's second factor.
func (r *Records) Factor(_ context.Context, id model.ID) (store.Factor, error) {
	return read(r, func() (store.Factor, error) {
		f, err := found(r.factors, id)
		f.Codes = len(f.codes)
		return f.Factor, err
	})
}

// Factors returns by which factors the principals of an organisation can come in who can sign in at all.
func (r *Records) Factors(_ context.Context, id model.ID) (map[model.ID][]settings.Factor, error) {
	return in(r, id, func(o organisation) (map[model.ID][]settings.Factor, error) {
		factors := map[model.ID][]settings.Factor{}
		for p, d := range o.people {
			if by, can := r.factorsOf(d.Identity); can {
				factors[p] = by
			}
		}
		return factors, nil
	})
}

// factorsOf returns by which factors an identity can come in, and whether it can sign in at all.
func (r *Records) factorsOf(id model.ID) (factors []settings.Factor, can bool) {
	i, there := r.identities[id]
	factors = []settings.Factor{}
	if i.PasswordHash != "" && r.factors[id].Confirmed {
		factors = append(factors, settings.CodeFactor)
	}
	passkey := len(r.passkeysOf(id)) > 0
	if passkey {
		factors = append(factors, settings.PasskeyFactor)
	}
	return factors, there && (i.PasswordHash != "" || passkey)
}

// PersonDetails returns what is known of users and guests besides, and of how they come in.
func (r *Records) PersonDetails(ctx context.Context, organisation model.ID, ids []model.ID) (map[model.ID]store.PersonDetails, error) {
	details, err := r.PrincipalDetails(ctx, organisation, ids)
	if err != nil {
		return nil, err
	}
	return read(r, func() (map[model.ID]store.PersonDetails, error) {
		people := map[model.ID]store.PersonDetails{}
		for p, d := range details {
			factors, _ := r.factorsOf(d.Identity)
			people[p] = store.PersonDetails{PrincipalDetails: d, Factors: factors, LastSignIn: r.signedIn[seat{organisation, d.Identity}]}
		}
		return people, nil
	})
}

// BeginFactor keeps a seed that is still to be confirmed, in place of one that was not.
func (r *Records) BeginFactor(_ context.Context, id model.ID, sealed []byte) error {
	return r.alter(func() error {
		if !r.factors[id].Confirmed {
			r.factors[id] = factor{Factor: store.Factor{Sealed: sealed}}
		}
		return nil
	})
}

// ConfirmFactor puts a second factor into use with its recovery codes.
func (r *Records) ConfirmFactor(_ context.Context, i store.Identity, session model.ID, step int64, codes []string, author store.Author) error {
	return r.alter(func() error {
		f := r.factors[i.ID]
		f.Confirmed, f.LastStep, f.codes = true, step, map[[32]byte]bool{}
		for _, code := range codes {
			f.codes[credential.RecoveryHash(code)] = true
		}
		r.factors[i.ID] = f
		r.editSession(session, func(s *store.Session) { s.Factor = cmp.Or(s.Factor, settings.CodeFactor) })
		r.tell(store.AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "second-factor-set", Detail: i.SignIn().String() + " set up a second factor"})
		return nil
	})
}

// TakeStep notes that a code was taken, and reports whether none as late was before.
func (r *Records) TakeStep(_ context.Context, id model.ID, step int64) (taken bool, err error) {
	err = r.alter(func() error {
		f, there := r.factors[id]
		if taken = there && f.LastStep < step; taken {
			f.LastStep = step
			r.factors[id] = f
		}
		return nil
	})
	return taken, err
}

// TakeRecoveryCode uses a recovery code up, and reports whether it was one of the identity's.
func (r *Records) TakeRecoveryCode(_ context.Context, i store.Identity, code string, author store.Author) (taken bool, err error) {
	err = r.alter(func() error {
		f, hash := r.factors[i.ID], credential.RecoveryHash(code)
		if taken = f.codes[hash]; taken {
			f.codes = maps.Clone(f.codes)
			delete(f.codes, hash)
			r.factors[i.ID] = f
			r.tell(store.AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "recovery-code-used", Detail: i.SignIn().String() + " used a recovery code"})
		}
		return nil
	})
	return taken, err
}

// DropFactor takes a second factor away.
func (r *Records) DropFactor(_ context.Context, i store.Identity, record store.AuditRecord) error {
	return r.alter(func() error {
		delete(r.factors, i.ID)
		r.tell(record)
		return nil
	})
}

func (r *Records) passkeysOf(id model.ID) []store.Passkey {
	if id.IsZero() {
		return nil
	}
	return byID(r.passkeys, func(k store.Passkey) bool { return k.Identity == id })
}

// Passkeys lists an identity's passkeys, oldest first.
func (r *Records) Passkeys(_ context.Context, id model.ID) ([]store.Passkey, error) {
	return read(r, func() ([]store.Passkey, error) { return r.passkeysOf(id), nil })
}

// AddPasskey keeps a passkey.
func (r *Records) AddPasskey(_ context.Context, i store.Identity, session model.ID, k store.Passkey, author store.Author) error {
	return r.alter(func() error {
		k.Identity, k.CreatedAt = i.ID, author.At
		r.passkeys[k.ID] = k
		r.editSession(session, func(s *store.Session) { s.Factor = settings.PasskeyFactor })
		r.tell(store.AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "passkey-added", Detail: i.SignIn().String() + " added a passkey"})
		return nil
	})
}

// UsePasskey keeps what a sign-in altered about a passkey.
func (r *Records) UsePasskey(_ context.Context, credentialID []byte, body json.RawMessage, at time.Time) error {
	return r.alter(func() error {
		for id, k := range r.passkeys {
			if slices.Equal(k.CredentialID, credentialID) {
				k.Credential, k.LastUsedAt = body, at
				r.passkeys[id] = k
			}
		}
		return nil
	})
}

// RemovePasskey takes a passkey of an identity's away.
func (r *Records) RemovePasskey(_ context.Context, i store.Identity, key model.ID, author store.Author) error {
	return r.alter(func() error {
		if r.passkeys[key].Identity != i.ID {
			return store.ErrNotFound
		}
		delete(r.passkeys, key)
		r.tell(store.AuditRecord{Organisation: i.OrganisationName, Author: author, Event: "passkey-removed", Detail: i.SignIn().String() + " removed a passkey"})
		return nil
	})
}

// PutCeremony keeps what a browser was asked to sign until a moment.
func (r *Records) PutCeremony(_ context.Context, token credential.Token, body json.RawMessage, until, _ time.Time) error {
	return r.alter(func() error {
		r.ceremonies[token.Hash()] = ceremony{body, until}
		return nil
	})
}

// TakeCeremony returns what a browser was asked to sign, once.
func (r *Records) TakeCeremony(_ context.Context, token credential.Token, now time.Time) (body json.RawMessage, err error) {
	err = r.alter(func() error {
		c, err := found(r.ceremonies, token.Hash())
		if err != nil || !now.Before(c.until) {
			return store.ErrNotFound
		}
		delete(r.ceremonies, token.Hash())
		body = c.body
		return nil
	})
	return body, err
}
