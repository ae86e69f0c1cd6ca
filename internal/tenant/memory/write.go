package memory

import (
	"context"
	"maps"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// write is a write in progress: what it comes to is done when it is found good.
type write struct {
	*Records
	organisation model.ID
	author       store.Author
	proposal     *access.Proposal
	record       record
	once         [32]byte
	steps        []func(o *organisation)
}

// Write makes one change of an organisation.
func (r *Records) Write(_ context.Context, id model.ID, author store.Author, fn func(tenant.Tx, uint64) (string, error)) (uint64, error) {
	r.writing.Lock()
	defer r.writing.Unlock()
	o, err := in(r, id, func(o organisation) (organisation, error) { return o, nil })
	if err != nil {
		return 0, err
	}
	return r.write(id, o, author, fn)
}

// Create makes an organisation.
func (r *Records) Create(_ context.Context, id model.ID, author store.Author, fn func(tenant.Tx, uint64) (string, error)) (uint64, error) {
	r.writing.Lock()
	defer r.writing.Unlock()
	return r.write(id, organisation{
		scopes: map[model.ID]store.ScopeDetails{}, people: map[model.ID]store.PrincipalDetails{}, grants: map[model.ID]store.GrantDetails{}, policies: map[model.ID]store.PolicyDetails{},
	}, author, fn)
}

func (r *Records) write(id model.ID, o organisation, author store.Author, fn func(tenant.Tx, uint64) (string, error)) (uint64, error) {
	w := &write{Records: r, organisation: id, author: author}
	what, err := fn(w, o.revision)
	if err != nil {
		return 0, err
	}
	err = r.alter(func() error {
		o.revision++
		w.record.Revision, w.record.Author, w.record.What = o.revision, author, what
		o.records = append(slices.Clip(o.records), w.record)
		if err := w.apply(&o); err != nil {
			return err
		}
		top, _ := o.now.Top()
		if other, taken := r.names[top.Name]; taken && other != id {
			return store.ErrTaken
		}
		r.names[top.Name] = id
		for _, step := range w.steps {
			step(&o)
		}
		r.organisations[id] = o
		if one, begun := r.answered[w.once]; begun {
			one.Revision = o.revision
			r.answered[w.once] = one
		}
		r.tell(store.AuditRecord{Organisation: top.Name, Author: author, Event: "change", Detail: what})
		return nil
	})
	return o.revision, err
}

// apply makes what was proposed of the organisation as it is by now.
func (w *write) apply(o *organisation) (err error) {
	switch {
	case w.proposal == nil:
	case o.now == nil || o.now == w.proposal.Before:
		o.now = w.proposal.After
	default:
		o.now, err = o.now.With(o.revision, w.proposal.Changes...)
	}
	return err
}

// then has something done when the write is found good.
func (w *write) then(step func(o *organisation)) { w.steps = append(w.steps, step) }

// Final says that no command takes the write back.
func (w *write) Final() { w.record.Final = true }

// Once says under which key the write was asked for.
func (w *write) Once(key [32]byte) { w.once = key }

// ChangeSettings keeps the organisation's own settings.
func (w *write) ChangeSettings(_, after settings.Settings) error {
	w.record.beside = true
	w.then(func(o *organisation) { o.settings = &after })
	return nil
}

// SetQuotas keeps what keepers bound the organisation to.
func (w *write) SetQuotas(_, after settings.Quotas) error {
	w.record.beside = true
	w.then(func(o *organisation) { o.quotas = after })
	return nil
}

// touch says that the write is about scopes.
func (w *write) touch(scopes ...model.ID) {
	for _, id := range scopes {
		if !id.IsZero() && !slices.Contains(w.record.touched, id) {
			w.record.touched = append(w.record.touched, id)
		}
	}
}

// Apply keeps what a proposal leads to, and what is known besides.
func (w *write) Apply(p *access.Proposal, after store.Descriptions) error {
	w.proposal = p
	w.record.Changes, w.record.Back, w.record.After = p.Changes, p.Back, after
	w.record.Before = w.descriptionsBefore(p, after)
	for _, about := range p.About() {
		w.touch(about.Places...)
	}
	w.touch(slices.Collect(maps.Keys(w.record.Before.Scopes))...)
	for _, change := range p.Changes {
		w.note(change, after)
	}
	w.then(func(o *organisation) { w.describe(o, after) })
	return nil
}

func (w *write) descriptionsBefore(p *access.Proposal, after store.Descriptions) store.Descriptions {
	w.mu.RLock()
	defer w.mu.RUnlock()
	o := w.organisations[w.organisation]
	before := store.Descriptions{Grants: map[model.ID]string{}, Policies: map[model.ID]string{}}
	before.Scopes = some(o.scopes, slices.Collect(maps.Keys(after.Scopes)))
	before.Principals = some(o.people, slices.Collect(maps.Keys(after.Principals)))
	for id, d := range before.Principals {
		d.Email = w.identities[d.Identity].Email
		before.Principals[id] = d
	}
	for id := range after.Policies {
		if d, there := o.policies[id]; there {
			before.Policies[id] = d.Description
		}
	}
	for _, change := range p.Changes {
		switch c := change.(type) {
		case access.RevokeGrant:
			before.Grants[c.ID] = o.grants[c.ID].Description
		case access.EditGrant:
			before.Grants[c.Grant.ID] = o.grants[c.Grant.ID].Description
		case access.RemovePolicy:
			before.Policies[c.ID] = o.policies[c.ID].Description
		}
	}
	return store.Descriptions{
		Scopes: unlessEmpty(before.Scopes), Principals: unlessEmpty(before.Principals), Grants: unlessEmpty(before.Grants), Policies: unlessEmpty(before.Policies),
	}
}

// unlessEmpty returns nil for what is empty, as records in a database are read.
func unlessEmpty[V any](m map[model.ID]V) map[model.ID]V {
	if len(m) == 0 {
		return nil
	}
	return m
}

// note keeps what is known of what a change creates, alters or removes.
func (w *write) note(change access.Change, after store.Descriptions) {
	at, by := w.author.At, w.author.Name
	switch c := change.(type) {
	case access.CreateScope:
		w.then(func(o *organisation) { o.scopes[c.Scope.ID] = store.ScopeDetails{CreatedAt: at} })
	case access.CreatePrincipal:
		w.then(func(o *organisation) {
			d := store.PrincipalDetails{CreatedAt: at, State: stateOf(c.Principal.Inactive)}
			if c.Principal.Kind == model.User {
				d.Identity = c.Principal.ID
			}
			o.people[c.Principal.ID] = d
		})
	case access.RenamePrincipal:
		if p, _ := w.proposal.After.Principal(c.ID); p.Kind == model.User {
			w.then(func(*organisation) {
				w.editIdentity(c.ID, func(i *identity) { i.Name = c.Name })
			})
		}
	case access.SetInactive:
		if _, said := after.Principals[c.ID]; !said {
			w.then(func(o *organisation) { w.setState(o, c.ID, stateOf(c.Inactive)) })
		}
	case access.CreateGrant:
		w.then(func(o *organisation) {
			o.grants[c.Grant.ID] = store.GrantDetails{Description: after.Grants[c.Grant.ID], CreatedAt: at, CreatedBy: by}
		})
	case access.EditGrant:
		if description, said := after.Grants[c.Grant.ID]; said {
			w.then(func(o *organisation) {
				d := o.grants[c.Grant.ID]
				d.Description = description
				o.grants[c.Grant.ID] = d
			})
		}
	case access.RevokeGrant:
		w.then(func(o *organisation) { delete(o.grants, c.ID) })
	case access.PutPolicy:
		if was, there := w.proposal.Before.Policy(c.Policy.ID); there && was.Suspended != c.Policy.Suspended {
			return // nothing else of it changes then, and it is no other version
		}
		w.record.written = append(w.record.written, c.Policy)
		w.then(func(o *organisation) {
			d, there := o.policies[c.Policy.ID]
			if !there {
				d.CreatedAt, d.CreatedBy = at, by
			}
			d.WrittenAt, d.WrittenBy = at, by
			o.policies[c.Policy.ID] = d
		})
	case access.RemovePolicy:
		w.then(func(o *organisation) { delete(o.policies, c.ID) })
	}
}

// stateOf returns the state of a principal of which nothing else is said.
func stateOf(inactive bool) credential.State {
	if inactive {
		return credential.Suspended
	}
	return credential.Active
}

func (w *write) describe(o *organisation, after store.Descriptions) {
	for id, d := range after.Scopes {
		d.CreatedAt = o.scopes[id].CreatedAt
		o.scopes[id] = d
	}
	for id, text := range after.Policies {
		if d, there := o.policies[id]; there {
			d.Description = text
			o.policies[id] = d
		}
	}
	for id, d := range after.Principals {
		was := o.people[id]
		p, _ := o.now.Principal(id)
		_, known := w.record.Before.Principals[id]
		if p.Kind == model.User {
			d.Identity = id
		}
		if p.Kind == model.User || p.Kind == model.OutsidePerson {
			if known && d.Email != w.record.Before.Principals[id].Email {
				w.editIdentity(id, func(i *identity) { i.Email = d.Email })
			}
		}
		if d.State == "" {
			d.State = stateOf(p.Inactive)
		}
		to := d.State
		d.CreatedAt, d.Email, d.State = was.CreatedAt, "", was.State
		o.people[id] = d
		if to != was.State {
			w.setState(o, id, to)
		}
	}
}

// setState brings a principal to a state. Out of use it loses its sessions and links, and a user who is retired the keys.
func (w *write) setState(o *organisation, id model.ID, to credential.State) {
	d := o.people[id]
	d.State = to
	o.people[id] = d
	if to != credential.Suspended && to != credential.Retired {
		return
	}
	p, _ := o.now.Principal(id)
	w.endSessions(w.author.At, func(s store.Session) bool {
		if p.Kind == model.Provider {
			by, there := o.now.Principal(s.Identity.ID)
			return there && by.Provider == id
		}
		return !d.Identity.IsZero() && s.Identity.ID == d.Identity && (p.Kind == model.User || p.Kind == model.OutsidePerson || s.Organisation == w.organisation)
	})
	if to == credential.Retired && p.Kind == model.User {
		w.withdraw(w.author.At, func(k store.Key) bool { return k.Organisation == w.organisation && k.Principal == id })
	}
	maps.DeleteFunc(w.links, func(_ [32]byte, l store.Link) bool { return l.Organisation == w.organisation && l.Principal == id })
}

// withdraw takes keys back that were not.
func (r *Records) withdraw(at time.Time, wanted func(store.Key) bool) {
	for id, k := range r.keys {
		if k.WithdrawnAt.IsZero() && wanted(k) {
			k.WithdrawnAt = at
			r.keys[id] = k
		}
	}
}

// endSessions ends sessions that nobody ended.
func (r *Records) endSessions(at time.Time, wanted func(store.Session) bool) {
	for hash, s := range r.sessions {
		if s.EndedAt.IsZero() && wanted(s) {
			s.EndedAt = at
			r.sessions[hash] = s
		}
	}
}

// CreateIdentity keeps how a new user signs in.
func (w *write) CreateIdentity(i store.Identity) error {
	i.Organisation = w.organisation
	return w.putIdentity(i)
}

// CreateOutsider keeps how a guest from outside signs in.
func (w *write) CreateOutsider(i store.Identity) error {
	i.Organisation = model.ID{}
	return w.putIdentity(i)
}

func (w *write) putIdentity(i store.Identity) error {
	if err := w.free(i); err != nil {
		return err
	}
	w.then(func(*organisation) { w.identities[i.ID] = newIdentity(i, w.author.At) })
	return nil
}

// CreateKey keeps a key of the organisation's.
func (w *write) CreateKey(k store.Key) error {
	k.Organisation = w.organisation
	w.then(func(*organisation) { w.keys[k.ID] = k })
	return nil
}

// AddKey keeps an API key that was made before the records were.
func (r *Records) AddKey(k store.Key) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.keys[k.ID] = k
}

// WithdrawKey takes a key of the organisation's back.
func (w *write) WithdrawKey(k store.Key) error {
	w.then(func(*organisation) {
		w.withdraw(w.author.At, func(one store.Key) bool { return one.ID == k.ID })
	})
	return nil
}

// EndKey has a key of the organisation's end at a moment.
func (w *write) EndKey(k store.Key, until time.Time) error {
	w.then(func(*organisation) {
		one := w.keys[k.ID]
		one.Until = until
		w.keys[k.ID] = one
	})
	return nil
}

// PutLink keeps a link, in place of all others of its purpose for the same principal.
func (w *write) PutLink(token credential.Token, l store.Link) error {
	l.Organisation, l.MadeAt = w.organisation, w.author.At
	w.then(func(*organisation) {
		maps.DeleteFunc(w.links, func(_ [32]byte, other store.Link) bool {
			return other.Organisation == l.Organisation && other.Principal == l.Principal && other.Purpose == l.Purpose
		})
		w.links[token.Hash()] = l
	})
	return nil
}

// UseLink removes a link, so that it works once.
func (w *write) UseLink(token credential.Token) error {
	if _, err := w.Link(context.Background(), token); err != nil {
		return err
	}
	w.then(func(*organisation) { delete(w.links, token.Hash()) })
	return nil
}

// ResetPassword returns an identity a temporary password, or none, and ends what opened it before.
func (w *write) ResetPassword(i store.Identity, hash string, until time.Time, ends store.Reset) error {
	w.then(func(*organisation) {
		if ends.Passkeys {
			maps.DeleteFunc(w.passkeys, func(_ model.ID, k store.Passkey) bool { return k.Identity == i.ID })
		}
		if ends.Keys {
			w.withdraw(w.author.At, func(k store.Key) bool { return k.Organisation == w.organisation && k.Principal == i.ID })
		}
		w.setPassword(i.ID, hash, until, "", w.author.At)
	})
	return nil
}

// SetSignInBy says anew what an identity signs in with, and ends what opens it no longer.
func (w *write) SetSignInBy(i store.Identity, by credential.SignInBy) error {
	w.then(func(*organisation) {
		w.editIdentity(i.ID, func(one *identity) { one.By = by })
		if !by.TakesKeys() {
			w.withdraw(w.author.At, func(k store.Key) bool { return k.Organisation == w.organisation && k.Principal == i.ID })
		}
		if !by.TakesPassword() {
			w.setPassword(i.ID, "", time.Time{}, "", w.author.At)
		}
	})
	return nil
}

// SetPassword keeps a password that somebody chose by a link.
func (w *write) SetPassword(i store.Identity, hash string) error {
	w.then(func(*organisation) { w.setPassword(i.ID, hash, time.Time{}, "", w.author.At) })
	return nil
}

// ProveAddress notes that somebody used a link that was mailed to an address.
func (w *write) ProveAddress(id model.ID, address string) error {
	w.then(func(*organisation) {
		w.editIdentity(id, func(i *identity) { i.ProvedEmail = address })
	})
	return nil
}

// TakeOver returns an account whose address nobody has proved to whoever did.
func (w *write) TakeOver(i store.Identity, hash string) error {
	w.then(func(*organisation) { w.takeOver(i.ID, hash, w.author.At) })
	return nil
}
