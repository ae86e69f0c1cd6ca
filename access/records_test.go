package access_test

import (
	"context"
	"encoding/binary"
	"time"

	"arbora.example/access"
	"arbora.example/people"
	"arbora.example/service"
	"arbora.example/store"
)

// memory keeps the records of one organisation in memory, as far as changes and credentials need them. What it does not keep
// fails as a nil interface does.
type memory struct {
	service.Records
	organisation access.ID
	begins       []access.Change // what the organisation is made of at first
	revision     uint64
	details      map[access.ID]store.PrincipalDetails
	identities   map[access.ID]store.Identity
	links        map[people.Token]store.Link
	keys         map[access.ID][]store.Key
	settings     people.Settings
	quotas       people.Quotas
	made         uint64 // keys
}

func newMemory(now *access.Snapshot) *memory {
	top, _ := now.Top()
	m := &memory{
		organisation: top.ID, begins: now.Changes(), revision: now.Revision(), settings: people.DefaultSettings(),
		details: map[access.ID]store.PrincipalDetails{}, identities: map[access.ID]store.Identity{}, links: map[people.Token]store.Link{}, keys: map[access.ID][]store.Key{},
	}
	for _, kind := range []access.PrincipalKind{access.User, access.Guest, access.Group, access.ServiceAccount} {
		for p := range now.Principals(kind) {
			state := people.Active
			if p.Inactive {
				state = people.Retired
			}
			d := store.PrincipalDetails{State: state}
			if kind == access.Guest && p.Inactive {
				d.State = people.Pending
			} else if kind == access.User || kind == access.Guest {
				d.Identity = p.ID
				m.identities[p.ID] = store.Identity{ID: p.ID, Organisation: top.ID, OrganisationName: top.Name, Name: p.Name, Email: p.Name + "@lindenmere.example", By: people.ByBoth}
			}
			m.details[p.ID] = d
		}
	}
	return m
}

func (m *memory) Services(context.Context) ([][]byte, error) { return nil, nil }

func (m *memory) Settings(context.Context, access.ID) (people.Settings, error) {
	return m.settings, nil
}

func (m *memory) Quotas(context.Context, access.ID) (people.Quotas, error) { return m.quotas, nil }

func (m *memory) Load(_ context.Context, _ access.ID, into func(access.Change) error) (uint64, error) {
	for _, change := range m.begins {
		if err := into(change); err != nil {
			return 0, err
		}
	}
	return m.revision, nil
}

func (m *memory) Write(_ context.Context, _ access.ID, author store.Author, fn func(service.Tx, uint64) (string, error)) (uint64, error) {
	if _, err := fn(memoryTx{m, author.At}, m.revision); err != nil {
		return 0, err
	}
	m.revision++
	return m.revision, nil
}

func (m *memory) ChangesSince(context.Context, access.ID, uint64) ([]store.Step, bool, error) {
	return nil, false, nil
}

func (memoryTx) Record(...access.Change) {}

func (m *memory) Audit(context.Context, ...store.AuditRecord) error            { return nil }
func (m *memory) ForgetGuesses(context.Context, people.SignIn) error           { return nil }
func (m *memory) Passkeys(context.Context, access.ID) ([]store.Passkey, error) { return nil, nil }
func (m *memory) OrganisationNamed(context.Context, string) (access.ID, error) {
	return access.ID{}, store.ErrNotFound
}

func (m *memory) ScopeDetails(context.Context, []access.ID) (map[access.ID]store.ScopeDetails, error) {
	return nil, nil
}

func (m *memory) GrantDetails(context.Context, []access.ID) (map[access.ID]store.GrantDetails, error) {
	return nil, nil
}

func (m *memory) PolicyDetails(context.Context, []access.ID) (map[access.ID]store.PolicyDetails, error) {
	return nil, nil
}

func (m *memory) PrincipalDetails(_ context.Context, _ access.ID, ids []access.ID) (map[access.ID]store.PrincipalDetails, error) {
	return m.details, nil
}

func (m *memory) Identity(_ context.Context, id access.ID) (store.Identity, error) {
	i, ok := m.identities[id]
	if !ok {
		return i, store.ErrNotFound
	}
	return i, nil
}

func (m *memory) IdentityNamed(_ context.Context, name people.SignIn) (store.Identity, error) {
	for _, i := range m.identities {
		if i.SignIn() == name {
			return i, nil
		}
	}
	return store.Identity{}, store.ErrNotFound
}

func (m *memory) Keys(_ context.Context, _, principal access.ID) ([]store.Key, error) {
	return m.keys[principal], nil
}

// addKey adds a key of somebody's that others know.
func (m *memory) addKey(of access.ID) access.ID {
	m.made++
	key := store.Key{Organisation: m.organisation, Principal: of, Governs: true}
	binary.BigEndian.PutUint64(key.ID[8:], m.made)
	m.keys[of] = append(m.keys[of], key)
	return key.ID
}

func (m *memory) Key(_ context.Context, id access.ID) (store.Key, error) {
	for _, of := range m.keys {
		for _, k := range of {
			if k.ID == id {
				return k, nil
			}
		}
	}
	return store.Key{}, store.ErrNotFound
}

func (m *memory) KeysIssuedBy(_ context.Context, _, issuer access.ID) (keys []store.Key, err error) {
	for principal, of := range m.keys {
		for _, k := range of {
			if k.Issuer == issuer && principal != issuer {
				keys = append(keys, k)
			}
		}
	}
	return keys, nil
}

func (m *memory) Link(_ context.Context, token people.Token) (store.Link, error) {
	l, ok := m.links[token]
	if !ok {
		return l, store.ErrNotFound
	}
	return l, nil
}

// Recovery finds nothing: recovering is for accounts outside the organisation.
func (m *memory) Recovery(context.Context, people.Token) (i store.Identity, until time.Time, err error) {
	return i, until, store.ErrNotFound
}

// memoryTx writes what is not in the snapshot itself: that the service keeps.
type memoryTx struct {
	*memory
	at time.Time
}

func (w memoryTx) At() time.Time { return w.at }

func (w memoryTx) Accept(guest access.Principal, _, _ string, identity access.ID) error {
	d := w.details[guest.ID]
	d.State, d.Identity = people.Active, identity
	w.details[guest.ID] = d
	return nil
}

func (w memoryTx) CreatePrincipal(p access.Principal, d store.PrincipalDetails) error {
	w.details[p.ID] = d
	return nil
}

func (w memoryTx) CreateIdentity(i store.Identity) error {
	i.Organisation, i.OrganisationName, i.By = w.organisation, "lindenmere", people.ByBoth
	w.identities[i.ID] = i
	return nil
}

func (w memoryTx) CreateOutsider(i store.Identity) error {
	w.identities[i.ID] = i
	return nil
}

func (w memoryTx) EditPrincipal(_, after access.Principal, _, is store.PrincipalDetails) error {
	w.details[after.ID] = is
	return nil
}

func (w memoryTx) SetState(p access.Principal, _, to people.State) error {
	d := w.details[p.ID]
	d.State = to
	w.details[p.ID] = d
	return nil
}

func (w memoryTx) Reinvite(guest access.Principal) error {
	return w.SetState(guest, people.Retired, people.Pending)
}

func (w memoryTx) CreateKey(k store.Key) error {
	w.keys[k.Principal] = append(w.keys[k.Principal], k)
	return nil
}

func (w memoryTx) PutLink(token people.Token, l store.Link) error {
	l.Organisation = w.organisation
	w.links[token] = l
	return nil
}

func (w memoryTx) UseLink(token people.Token) error {
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

func (w memoryTx) ProveAddress(identity access.ID, address string) error {
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

func (w memoryTx) ChangeSettings(_, after people.Settings) error {
	w.settings = after
	return nil
}

func (w memoryTx) SetQuotas(_, after people.Quotas) error {
	w.quotas = after
	return nil
}

// What the snapshot says is all there is to say.

func (memoryTx) AddMember(access.Membership) error                                  { return nil }
func (memoryTx) RemoveMember(access.Membership) error                               { return nil }
func (memoryTx) CreateGrant(g access.Grant, description string) error               { return nil }
func (memoryTx) RevokeGrant(g access.Grant) error                                   { return nil }
func (memoryTx) CreateRole(access.RoleDefinition) error                             { return nil }
func (memoryTx) EditRole(_, _ access.RoleDefinition) error                          { return nil }
func (memoryTx) RemoveRole(access.RoleDefinition) error                             { return nil }
func (memoryTx) CreateScope(access.Scope, store.ScopeDetails) error                 { return nil }
func (memoryTx) ReshapeScope(_, _ access.Scope, _, _ store.ScopeDetails) error      { return nil }
func (memoryTx) OfferServices(access.Scope, []string) error                         { return nil }
func (memoryTx) PutPolicy(*access.Policy, access.Policy, string) error              { return nil }
func (memoryTx) RemovePolicy(access.Policy) error                                   { return nil }
func (memoryTx) ResetPassword(store.Identity, string, time.Time, store.Reset) error { return nil }
func (memoryTx) SetPassword(store.Identity, string) error                           { return nil }
func (memoryTx) SetProfile(access.Principal, *string, *string) (title, email string, err error) {
	return "", "", nil
}
func (memoryTx) WithdrawKey(store.Key) error { return nil }
