package memory

import (
	"bytes"
	"context"
	"maps"
	"slices"
	"sync"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Records are records in memory. They are safe for concurrent use; the zero value is not: see [New].
type Records struct {
	writing   sync.Mutex // held while an organisation is written
	mu        sync.RWMutex
	altered   uint64 // how often something was
	listeners []func(ids []model.ID)
	kept
}

// kept is all that is kept. Everything in it is replaced, never altered, so that a copy of its maps is a copy of all.
type kept struct {
	organisations map[model.ID]organisation
	names         map[string]model.ID // that organisations have, or have had
	identities    map[model.ID]identity
	sessions      map[[32]byte]store.Session // by token; the identity is that of its id alone
	signedIn      map[seat]time.Time         // when an identity last came to work in an organisation
	keys          map[model.ID]store.Key
	links         map[[32]byte]store.Link
	recoveries    map[[32]byte]recovery
	devices       map[[32]byte]store.DeviceRequest
	factors       map[model.ID]factor
	passkeys      map[model.ID]store.Passkey
	trusts        map[model.ID]store.Trust
	provisioned   map[model.ID]store.Provisioned

	provisioningTokens map[model.ID]store.ProvisioningToken
	entries            map[model.ID]store.Entry
	arrivals           map[model.ID][]store.Arrival // by provider, the latest last
	directories        map[model.ID]store.Directory // by provider
	readings           map[model.ID][]store.Reading // by provider, the latest last
	ceremonies         map[[32]byte]ceremony
	guesses            map[store.Guess]guesses
	assertions         map[[32]byte]time.Time
	revoked            map[model.ID]time.Time // access tokens
	answered           map[[32]byte]answered
	signing            []store.SigningKey
	services           []service
	audit              []store.AuditRecord
}

// seat is where an identity works.
type seat struct{ organisation, identity model.ID }

type organisation struct {
	revision uint64
	now      *access.Snapshot // its own revision says nothing
	settings *settings.Settings
	quotas   settings.Quotas
	scopes   map[model.ID]store.ScopeDetails
	people   map[model.ID]store.PrincipalDetails
	grants   map[model.ID]store.GrantDetails
	policies map[model.ID]store.PolicyDetails
	records  []record
}

// record is a change record.
type record struct {
	store.Recorded
	beside  bool
	touched []model.ID
	written []statement.Policy
}

type identity struct {
	store.Identity
	created time.Time
}

type recovery struct {
	identity    model.ID
	made, until time.Time
}

type factor struct {
	store.Factor
	codes map[[32]byte]bool
}

type ceremony struct {
	body  []byte
	until time.Time
}

type guesses struct {
	failures int
	last     time.Time
}

type answered struct {
	store.Answered
	begun time.Time
}

type service struct {
	name string
	file []byte
}

// New makes records in which nothing is.
func New() *Records {
	return &Records{kept: kept{
		organisations: map[model.ID]organisation{}, names: map[string]model.ID{}, identities: map[model.ID]identity{},
		sessions: map[[32]byte]store.Session{}, signedIn: map[seat]time.Time{}, keys: map[model.ID]store.Key{}, links: map[[32]byte]store.Link{},
		recoveries: map[[32]byte]recovery{}, devices: map[[32]byte]store.DeviceRequest{}, factors: map[model.ID]factor{},
		provisioned: map[model.ID]store.Provisioned{}, provisioningTokens: map[model.ID]store.ProvisioningToken{},
		directories: map[model.ID]store.Directory{}, readings: map[model.ID][]store.Reading{},
		trusts: map[model.ID]store.Trust{}, entries: map[model.ID]store.Entry{}, arrivals: map[model.ID][]store.Arrival{},
		passkeys: map[model.ID]store.Passkey{}, ceremonies: map[[32]byte]ceremony{}, guesses: map[store.Guess]guesses{},
		assertions: map[[32]byte]time.Time{}, revoked: map[model.ID]time.Time{}, answered: map[[32]byte]answered{},
	}}
}

// Copy returns other records in which the same is.
func (r *Records) Copy() *Records {
	r.mu.RLock()
	defer r.mu.RUnlock()
	k := r.kept
	k.organisations = map[model.ID]organisation{}
	for id, o := range r.organisations {
		o.scopes, o.people, o.grants, o.policies = maps.Clone(o.scopes), maps.Clone(o.people), maps.Clone(o.grants), maps.Clone(o.policies)
		o.records = slices.Clip(o.records)
		k.organisations[id] = o
	}
	k.names, k.identities, k.sessions, k.keys, k.links = maps.Clone(k.names), maps.Clone(k.identities), maps.Clone(k.sessions), maps.Clone(k.keys), maps.Clone(k.links)
	k.signedIn = maps.Clone(k.signedIn)
	k.provisioned, k.provisioningTokens = maps.Clone(k.provisioned), maps.Clone(k.provisioningTokens)
	k.directories, k.readings = maps.Clone(k.directories), maps.Clone(k.readings)
	k.trusts, k.entries, k.arrivals = maps.Clone(k.trusts), maps.Clone(k.entries), maps.Clone(k.arrivals)
	k.recoveries, k.devices, k.factors, k.passkeys = maps.Clone(k.recoveries), maps.Clone(k.devices), maps.Clone(k.factors), maps.Clone(k.passkeys)
	k.ceremonies, k.guesses, k.assertions, k.revoked, k.answered = maps.Clone(k.ceremonies), maps.Clone(k.guesses), maps.Clone(k.assertions), maps.Clone(k.revoked), maps.Clone(k.answered)
	k.signing, k.services, k.audit = slices.Clip(k.signing), slices.Clip(k.services), slices.Clip(k.audit)
	return &Records{kept: k}
}

// Of returns records in which there is an organisation as a snapshot has it. Whoever can sign in does so by the name they have there;
// nobody has a password.
func Of(now *access.Snapshot, at time.Time) *Records {
	r := New()
	top, _ := now.Top()
	o := organisation{
		revision: now.Revision(), now: now, scopes: map[model.ID]store.ScopeDetails{}, people: map[model.ID]store.PrincipalDetails{},
		grants: map[model.ID]store.GrantDetails{}, policies: map[model.ID]store.PolicyDetails{},
	}
	for _, kind := range []model.PrincipalKind{model.User, model.Guest, model.OutsidePerson, model.Group, model.OutsideGroup, model.ServiceAccount, model.Provider} {
		for p := range now.Principals(kind) {
			d := store.PrincipalDetails{State: credential.Active, CreatedAt: at}
			switch {
			case kind == model.Guest && p.Inactive:
				d.State = credential.Pending
			case kind == model.User || kind == model.Guest:
				d.Identity = p.ID
				r.identities[p.ID] = identity{store.Identity{ID: p.ID, Organisation: top.ID, Name: p.Name, Email: p.Name + "@" + top.Name + ".example", By: credential.ByBoth}, at}
			}
			if p.Inactive && d.State == credential.Active {
				d.State = credential.Retired
			}
			o.people[p.ID] = d
		}
	}
	r.organisations[top.ID], r.names[top.Name] = o, top.ID
	return r
}

// read calls fn while nothing is altered.
func read[T any](r *Records, fn func() (T, error)) (T, error) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return fn()
}

// alter calls fn while nothing is read.
func (r *Records) alter(fn func() error) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	err := fn()
	r.altered++
	for _, forget := range r.listeners {
		forget(nil)
	}
	return err
}

// found returns what is under a key, or [store.ErrNotFound].
func found[K comparable, V any](in map[K]V, key K) (V, error) {
	value, ok := in[key]
	if !ok {
		return value, store.ErrNotFound
	}
	return value, nil
}

// some returns what there is of the wanted ones.
func some[V any](in map[model.ID]V, ids []model.ID) map[model.ID]V {
	out := make(map[model.ID]V, len(ids))
	for _, id := range ids {
		if value, ok := in[id]; ok {
			out[id] = value
		}
	}
	return out
}

// byID returns values in the order of their ids.
func byID[V any](in map[model.ID]V, wanted func(V) bool) (values []V) {
	for _, id := range slices.SortedFunc(maps.Keys(in), model.ID.Compare) {
		if wanted(in[id]) {
			values = append(values, in[id])
		}
	}
	return values
}

var _ tenant.Records = (*Records)(nil)

// Ping finds records in memory always there.
func (r *Records) Ping(context.Context) error { return nil }

// Lease grants every lease: nobody else has these records.
func (r *Records) Lease(context.Context, string, model.ID, time.Duration) (bool, error) {
	return true, nil
}

// EndLease ends what [Records.Lease] gave.
func (r *Records) EndLease(context.Context, string, model.ID) error { return nil }

// Services returns the files of registered services, in the order they came.
func (r *Records) Services(context.Context) ([][]byte, error) {
	return read(r, func() (files [][]byte, err error) {
		for _, s := range r.services {
			files = append(files, s.file)
		}
		return files, nil
	})
}

// AddService keeps a service of the catalogue.
func (r *Records) AddService(_ context.Context, name string, file []byte, author store.Author) error {
	return r.alter(func() error {
		if slices.ContainsFunc(r.services, func(s service) bool { return s.name == name }) {
			return store.ErrTaken
		}
		r.services = append(slices.Clip(r.services), service{name, bytes.Clone(file)})
		r.tell(store.AuditRecord{Author: author, Event: "service-registered", Detail: "registered service " + name})
		return nil
	})
}

// RemoveService takes a service off the catalogue.
func (r *Records) RemoveService(_ context.Context, name string, author store.Author) error {
	return r.alter(func() error {
		r.services = slices.DeleteFunc(slices.Clone(r.services), func(s service) bool { return s.name == name })
		r.tell(store.AuditRecord{Author: author, Event: "service-removed", Detail: "removed service " + name})
		return nil
	})
}
