package access_test

import (
	"context"
	"encoding/binary"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// memory keeps the records of one organisation in memory, as far as changes and credentials need them. What it does not keep
// fails as a nil interface does.
type memory struct {
	tenant.Records
	organisation model.ID
	begins       []access.Change // what the organisation is made of at first
	revision     uint64
	details      map[model.ID]store.PrincipalDetails
	identities   map[model.ID]store.Identity
	links        map[credential.Token]store.Link
	keys         map[model.ID][]store.Key
	settings     settings.Settings
	quotas       settings.Quotas
	made         uint64 // keys
	recorded     []store.Recorded
}

func newMemory(now *access.Snapshot) *memory {
	top, _ := now.Top()
	m := &memory{
		organisation: top.ID, begins: now.Changes(), revision: now.Revision(), settings: settings.DefaultSettings(),
		details: map[model.ID]store.PrincipalDetails{}, identities: map[model.ID]store.Identity{}, links: map[credential.Token]store.Link{}, keys: map[model.ID][]store.Key{},
	}
	for _, kind := range []model.PrincipalKind{model.User, model.Guest, model.Group, model.ServiceAccount} {
		for p := range now.Principals(kind) {
			state := credential.Active
			if p.Inactive {
				state = credential.Retired
			}
			d := store.PrincipalDetails{State: state}
			if kind == model.Guest && p.Inactive {
				d.State = credential.Pending
			} else if kind == model.User || kind == model.Guest {
				d.Identity = p.ID
				m.identities[p.ID] = store.Identity{ID: p.ID, Organisation: top.ID, OrganisationName: top.Name, Name: p.Name, Email: p.Name + "@lindenmere.example", By: credential.ByBoth}
			}
			m.details[p.ID] = d
		}
	}
	return m
}

func (m *memory) Services(context.Context) ([][]byte, error) { return nil, nil }

func (m *memory) Settings(context.Context, model.ID) (settings.Settings, error) {
	return m.settings, nil
}

func (m *memory) Quotas(context.Context, model.ID) (settings.Quotas, error) { return m.quotas, nil }

func (m *memory) Load(_ context.Context, _ model.ID, into func(access.Change) error) (uint64, error) {
	for _, change := range m.begins {
		if err := into(change); err != nil {
			return 0, err
		}
	}
	return m.revision, nil
}

func (m *memory) Write(_ context.Context, _ model.ID, author store.Author, fn func(tenant.Tx, uint64) (string, error)) (uint64, error) {
	record := store.Recorded{Revision: m.revision + 1, Author: author}
	what, err := fn(memoryTx{m, &record}, m.revision)
	if err != nil {
		return 0, err
	}
	record.What = what
	m.recorded = append(m.recorded, record)
	m.revision++
	return m.revision, nil
}

func (m *memory) Change(_ context.Context, _ model.ID, revision uint64) (store.Recorded, error) {
	for _, r := range m.recorded {
		if r.Revision == revision {
			return r, nil
		}
	}
	return store.Recorded{}, store.ErrNotFound
}

func (m *memory) LastChange(_ context.Context, _ model.ID, by string) (uint64, error) {
	for _, r := range slices.Backward(m.recorded) {
		if r.Author.Name == by {
			return r.Revision, nil
		}
	}
	return 0, store.ErrNotFound
}

func (m *memory) ChangesSince(_ context.Context, _ model.ID, revision, _ uint64) (steps []store.Step, untold, err error) {
	for _, r := range m.recorded {
		if r.Revision > revision {
			steps = append(steps, store.Step{Revision: r.Revision, Changes: r.Changes})
		}
	}
	return steps, nil, nil
}

func (m *memory) Audit(context.Context, ...store.AuditRecord) error           { return nil }
func (m *memory) ForgetGuesses(context.Context, credential.SignIn) error      { return nil }
func (m *memory) Passkeys(context.Context, model.ID) ([]store.Passkey, error) { return nil, nil }
func (m *memory) OrganisationNamed(context.Context, string) (model.ID, error) {
	return model.ID{}, store.ErrNotFound
}

func (m *memory) ScopeDetails(context.Context, []model.ID) (map[model.ID]store.ScopeDetails, error) {
	return nil, nil
}

func (m *memory) GrantDetails(context.Context, []model.ID) (map[model.ID]store.GrantDetails, error) {
	return nil, nil
}

func (m *memory) PolicyDetails(context.Context, []model.ID) (map[model.ID]store.PolicyDetails, error) {
	return nil, nil
}

func (m *memory) PrincipalDetails(_ context.Context, _ model.ID, ids []model.ID) (map[model.ID]store.PrincipalDetails, error) {
	return m.details, nil
}

func (m *memory) Identity(_ context.Context, id model.ID) (store.Identity, error) {
	i, ok := m.identities[id]
	if !ok {
		return i, store.ErrNotFound
	}
	return i, nil
}

func (m *memory) IdentityNamed(_ context.Context, name credential.SignIn) (store.Identity, error) {
	for _, i := range m.identities {
		if i.SignIn() == name {
			return i, nil
		}
	}
	return store.Identity{}, store.ErrNotFound
}

func (m *memory) Keys(_ context.Context, _, principal model.ID) ([]store.Key, error) {
	return m.keys[principal], nil
}

// addKey adds a key of somebody's that others know.
func (m *memory) addKey(of model.ID) model.ID {
	m.made++
	key := store.Key{Organisation: m.organisation, Principal: of, Governs: true}
	binary.BigEndian.PutUint64(key.ID[8:], m.made)
	m.keys[of] = append(m.keys[of], key)
	return key.ID
}

func (m *memory) Key(_ context.Context, id model.ID) (store.Key, error) {
	for _, of := range m.keys {
		for _, k := range of {
			if k.ID == id {
				return k, nil
			}
		}
	}
	return store.Key{}, store.ErrNotFound
}

func (m *memory) KeysIssuedBy(_ context.Context, _, issuer model.ID) (keys []store.Key, err error) {
	for principal, of := range m.keys {
		for _, k := range of {
			if k.Issuer == issuer && principal != issuer {
				keys = append(keys, k)
			}
		}
	}
	return keys, nil
}

func (m *memory) Link(_ context.Context, token credential.Token) (store.Link, error) {
	l, ok := m.links[token]
	if !ok {
		return l, store.ErrNotFound
	}
	return l, nil
}

// Recovery finds nothing: recovering is for accounts outside the organisation.
func (m *memory) Recovery(context.Context, credential.Token) (i store.Identity, until time.Time, err error) {
	return i, until, store.ErrNotFound
}

// memoryTx writes what is not in the snapshot itself: that the service keeps.
type memoryTx struct {
	*memory
	record *store.Recorded
}

func (memoryTx) Once([32]byte) {}

func (w memoryTx) Final() { w.record.Final = true }

func (w memoryTx) Apply(p *access.Proposal, after store.Descriptions) error {
	w.record.Changes, w.record.Back, w.record.After = p.Changes, p.Back, after
	w.record.Before.Principals = map[model.ID]store.PrincipalDetails{}
	for id, d := range after.Principals {
		if was, there := w.details[id]; there {
			w.record.Before.Principals[id] = was
		}
		w.details[id] = d
	}
	return nil
}

func (w memoryTx) CreateIdentity(i store.Identity) error {
	i.Organisation, i.OrganisationName, i.By = w.organisation, "lindenmere", credential.ByBoth
	w.identities[i.ID] = i
	return nil
}

func (w memoryTx) CreateOutsider(i store.Identity) error {
	w.identities[i.ID] = i
	return nil
}

func (w memoryTx) CreateKey(k store.Key) error {
	w.keys[k.Principal] = append(w.keys[k.Principal], k)
	return nil
}

func (w memoryTx) PutLink(token credential.Token, l store.Link) error {
	l.Organisation = w.organisation
	w.links[token] = l
	return nil
}

func (w memoryTx) UseLink(token credential.Token) error {
	delete(w.links, token)
	return nil
}

func (w memoryTx) EndKey(k store.Key, until time.Time) error {
	for i, kept := range w.keys[k.Principal] {
		if kept.ID == k.ID {
			w.keys[k.Principal][i].Until = until
		}
	}
	return nil
}

func (w memoryTx) ProveAddress(identity model.ID, address string) error {
	i := w.identities[identity]
	i.ProvedEmail = address
	w.identities[identity] = i
	return nil
}

func (w memoryTx) TakeOver(i store.Identity, hash string) error {
	i.PasswordHash = hash
	w.identities[i.ID] = i
	return nil
}

func (w memoryTx) ChangeSettings(_, after settings.Settings) error {
	w.settings = after
	return nil
}

func (w memoryTx) SetQuotas(_, after settings.Quotas) error {
	w.quotas = after
	return nil
}

// What opens an account beside its keys is not looked at.

func (memoryTx) ResetPassword(store.Identity, string, time.Time, store.Reset) error { return nil }
func (memoryTx) SetPassword(store.Identity, string) error                           { return nil }
func (memoryTx) WithdrawKey(store.Key) error                                        { return nil }
