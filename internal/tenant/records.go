package tenant

import (
	"context"
	"encoding/json"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// Details are what is said of things and decides nothing.
type Details interface {
	GrantDetails(ctx context.Context, ids []model.ID) (map[model.ID]store.GrantDetails, error)
	KeysIssuedBy(ctx context.Context, organisation, issuer model.ID) ([]store.Key, error)
	OrganisationNamed(ctx context.Context, name string) (id model.ID, err error)
	PolicyDetails(ctx context.Context, ids []model.ID) (map[model.ID]store.PolicyDetails, error)
	PrincipalDetails(ctx context.Context, organisation model.ID, ids []model.ID) (map[model.ID]store.PrincipalDetails, error)
	Provisioned(ctx context.Context, id model.ID) (store.Provisioned, error)
	ProvisionedBy(ctx context.Context, provider model.ID, q store.ProvisionedQuery) (list []store.Provisioned, total int, err error)
	ScopeDetails(ctx context.Context, ids []model.ID) (map[model.ID]store.ScopeDetails, error)
	WithEmail(ctx context.Context, organisation model.ID, email string) ([]model.ID, error)
}

// Tx is a write in progress on one organisation: see [store.Tx].
type Tx interface {
	Details
	Apply(p *access.Proposal, after store.Descriptions) error
	ChangeSettings(before settings.Settings, after settings.Settings) error
	SetQuotas(before, after settings.Quotas) error
	CreateIdentity(identity store.Identity) error
	CreateKey(k store.Key) error
	CreateOutsider(i store.Identity) error
	Once(key [32]byte)
	PutLink(token credential.Token, l store.Link) error
	ResetPassword(i store.Identity, hash string, until time.Time, ends store.Reset) error
	SetPassword(i store.Identity, hash string) error
	SetSignInBy(i store.Identity, by credential.SignInBy) error
	UseLink(token credential.Token) error
	Final()
	EndKey(k store.Key, until time.Time) error
	ProveAddress(identity model.ID, address string) error
	TakeOver(i store.Identity, hash string) error
	WithdrawKey(k store.Key) error
	PutTrust(before, after store.Trust) error
	RemoveTrust(t store.Trust) error
	PutEntry(before, after store.Entry) error
	EndSessions(people []model.ID) error
	PutProvisioned(before, after store.Provisioned) error
	RemoveProvisioned(p store.Provisioned) error
	PutProvisioningToken(before, after store.ProvisioningToken) error
	PutDirectory(before, after store.Directory) error
	RemoveDirectory(d store.Directory) error
}

// Records are where everything is kept: see [store.Store], whose methods say what they do.
type Records interface {
	Details
	AddDeviceRequest(ctx context.Context, r store.DeviceRequest) error
	AddKeeper(ctx context.Context, keeper store.Identity, author store.Author) error
	AddPasskey(ctx context.Context, i store.Identity, session model.ID, k store.Passkey, author store.Author) error
	AddService(ctx context.Context, name string, file []byte, author store.Author) error
	AddSigningKey(ctx context.Context, k store.SigningKey, before time.Time) error
	Audit(ctx context.Context, records ...store.AuditRecord) error
	AuditRecords(ctx context.Context, organisation model.ID, f store.AuditFilter) (entries []store.AuditEntry, next uint64, err error)
	AskRecovery(ctx context.Context, i store.Identity, token credential.Token, until, notAfter time.Time, author store.Author) (made bool, err error)
	Recovery(ctx context.Context, token credential.Token) (i store.Identity, until time.Time, err error)
	Recover(ctx context.Context, i store.Identity, token credential.Token, hash string, author store.Author) error
	TakeAssertion(ctx context.Context, hash [32]byte, until, at time.Time) (fresh bool, err error)
	Trust(ctx context.Context, id model.ID) (store.Trust, error)
	Trusts(ctx context.Context, organisation model.ID) ([]store.Trust, error)
	Tried(ctx context.Context, trust model.ID, at time.Time) error
	Entry(ctx context.Context, provider model.ID) (store.Entry, error)
	AddArrival(ctx context.Context, a store.Arrival, record store.AuditRecord) error
	Arrivals(ctx context.Context, provider model.ID, limit int) ([]store.Arrival, error)
	ProvisioningToken(ctx context.Context, hash [32]byte) (store.ProvisioningToken, error)
	ProvisioningTokens(ctx context.Context, provider model.ID) ([]store.ProvisioningToken, error)
	TouchProvisioningToken(ctx context.Context, id model.ID, at time.Time) error
	Directory(ctx context.Context, provider model.ID) (store.Directory, error)
	DirectoriesDue(ctx context.Context, by time.Time) ([]store.Directory, error)
	NoteReading(ctx context.Context, d store.Directory, r store.Reading) error
	LastReadings(ctx context.Context, organisation model.ID) ([]store.Reading, error)
	Readings(ctx context.Context, provider model.ID, limit int) ([]store.Reading, error)
	EndOutside(ctx context.Context, trust model.ID, subject, session string, record store.AuditRecord) (n int, err error)
	EndsOutside(ctx context.Context, session model.ID) (store.Outside, error)
	Quotas(ctx context.Context, organisation model.ID) (settings.Quotas, error)
	Factors(ctx context.Context, organisation model.ID) (map[model.ID][]settings.Factor, error)
	BeginOnce(ctx context.Context, key, request [32]byte, at time.Time) (before store.Answered, begun bool, err error)
	FinishOnce(ctx context.Context, key [32]byte, status int, body []byte) error
	ForgetOnce(ctx context.Context, key [32]byte) error
	BeginFactor(ctx context.Context, identity model.ID, sealed []byte) error
	ChoosePassword(ctx context.Context, i store.Identity, hash string, keep credential.Token, author store.Author) error
	ConfirmFactor(ctx context.Context, i store.Identity, session model.ID, step int64, codes []string, author store.Author) error
	CountGuess(ctx context.Context, g store.Guess, at time.Time, delay func(failures int) time.Duration) (failures int, wait time.Duration, err error)
	Create(ctx context.Context, organisation model.ID, author store.Author, fn func(tx Tx, revision uint64) (what string, err error)) (uint64, error)
	CreateServiceKey(ctx context.Context, k store.Key, service string, author store.Author) error
	DecideDevice(ctx context.Context, userCode string, identity, organisation, session model.ID, factor settings.Factor, record store.AuditRecord) error
	DeviceRequest(ctx context.Context, userCode string) (store.DeviceRequest, error)
	DropFactor(ctx context.Context, i store.Identity, record store.AuditRecord) error
	RevokeSession(ctx context.Context, i store.Identity, session model.ID, author store.Author) error
	RevokeSessionOf(ctx context.Context, organisation model.ID, principal model.ID, session model.ID, record store.AuditRecord) error
	Factor(ctx context.Context, identity model.ID) (f store.Factor, err error)
	ForgetGuesses(ctx context.Context, name credential.SignIn) error
	Guesses(ctx context.Context, g store.Guess) (failures int, err error)
	Identity(ctx context.Context, id model.ID) (i store.Identity, err error)
	IdentityNamed(ctx context.Context, name credential.SignIn) (i store.Identity, err error)
	Keepers(ctx context.Context) (n int, err error)
	Key(ctx context.Context, id model.ID) (store.Key, error)
	KeyOfToken(ctx context.Context, key model.ID, token model.ID) (k store.Key, revoked bool, err error)
	Keys(ctx context.Context, organisation model.ID, principal model.ID) (keys []store.Key, err error)
	KeysToMind(ctx context.Context, organisation model.ID, endsBefore time.Time, unusedSince time.Time, limit int) (keys []store.Key, err error)
	Link(ctx context.Context, token credential.Token) (l store.Link, err error)
	LastChange(ctx context.Context, organisation model.ID, by string) (revision uint64, err error)
	RevisionOf(ctx context.Context, organisation model.ID, record store.AuditRecord) (revision uint64, err error)
	LinkFor(ctx context.Context, organisation model.ID, principal model.ID, purpose credential.Purpose) (l store.Link, err error)
	Load(ctx context.Context, organisation model.ID, into func(access.Change) error) (revision uint64, err error)
	PersonDetails(ctx context.Context, organisation model.ID, ids []model.ID) (map[model.ID]store.PersonDetails, error)
	LastSignIns(ctx context.Context, organisation model.ID) (map[model.ID]time.Time, error)
	MoveSession(ctx context.Context, session model.ID, organisation model.ID, at time.Time) error
	Passkeys(ctx context.Context, identity model.ID) (keys []store.Passkey, err error)
	PendingGuests(ctx context.Context, organisation model.ID, limit int) (ids []model.ID, err error)
	Ping(ctx context.Context) error
	PolicyVersions(ctx context.Context, policy model.ID, before uint64, limit int) ([]store.PolicyVersion, error)
	PollDevice(ctx context.Context, code credential.Token, at time.Time) (r store.DeviceRequest, err error)
	ProveSession(ctx context.Context, session model.ID, by settings.Factor, at time.Time) error
	PutCeremony(ctx context.Context, token credential.Token, body json.RawMessage, until time.Time, now time.Time) error
	GrantSteps(ctx context.Context, organisation model.ID, since time.Time) ([]store.GrantStep, error)
	RefusedByDay(ctx context.Context, organisation model.ID, days []time.Time) ([]int, error)
	RefusedSince(ctx context.Context, organisation model.ID, since time.Time, limit int) (list []store.RefusedTimes, err error)
	RemovePasskey(ctx context.Context, i store.Identity, key model.ID, author store.Author) error
	RemoveService(ctx context.Context, name string, author store.Author) error
	Revisions(ctx context.Context) (map[model.ID]uint64, error)
	Ends(ctx context.Context) (store.Ends, error)
	SignalledSince(ctx context.Context, number uint64) (ids []model.ID, upTo uint64, whole bool, err error)
	OnSignal(forget func(ids []model.ID))
	Change(ctx context.Context, organisation model.ID, revision uint64) (store.Recorded, error)
	ChangesSince(ctx context.Context, organisation model.ID, revision, upTo uint64) (steps []store.Step, untold, err error)
	EndLease(ctx context.Context, name string, holder model.ID) error
	Lease(ctx context.Context, name string, holder model.ID, length time.Duration) (held bool, err error)
	OldestTold(ctx context.Context, organisation model.ID) (revision uint64, err error)
	RecordMark(ctx context.Context, organisation model.ID, revision uint64) (record [32]byte, err error)
	RevokeToken(ctx context.Context, token model.ID, until time.Time, record store.AuditRecord) error
	ScopeChanges(ctx context.Context, organisation model.ID, scope model.ID, before uint64, limit int) ([]store.ScopeChange, error)
	SearchScopes(ctx context.Context, organisation model.ID, q store.Search) ([]store.Found, error)
	Seats(ctx context.Context, identity model.ID) (seats []store.Seat, err error)
	Services(ctx context.Context) ([][]byte, error)
	SessionOf(ctx context.Context, id model.ID) (store.Session, error)
	SessionFor(ctx context.Context, token credential.Token) (session store.Session, err error)
	Sessions(ctx context.Context, identity model.ID, at time.Time) ([]store.Session, error)
	SessionsOf(ctx context.Context, organisation model.ID, principal model.ID, at time.Time) ([]store.Session, error)
	Settings(ctx context.Context, organisation model.ID) (settings.Settings, error)
	SignedInFrom(ctx context.Context, identity model.ID) (addresses []string, err error)
	SigningKeys(ctx context.Context, after time.Time) (keys []store.SigningKey, err error)
	StartSession(ctx context.Context, session store.Session, token credential.Token, author store.Author) error
	TakeCeremony(ctx context.Context, token credential.Token, now time.Time) (body json.RawMessage, err error)
	TakeDevice(ctx context.Context, code credential.Token) error
	TakeRecoveryCode(ctx context.Context, i store.Identity, code string, author store.Author) (taken bool, err error)
	TakeStep(ctx context.Context, identity model.ID, step int64) (bool, error)
	TouchKey(ctx context.Context, key model.ID, at time.Time, from string, record store.AuditRecord) error
	TouchSession(ctx context.Context, token credential.Token, at time.Time) error
	UncountGuess(ctx context.Context, g store.Guess) error
	UsePasskey(ctx context.Context, credentialID []byte, credential json.RawMessage, at time.Time) error
	WithdrawServiceKey(ctx context.Context, k store.Key, author store.Author) error
	Write(ctx context.Context, organisation model.ID, author store.Author, fn func(tx Tx, revision uint64) (what string, err error)) (uint64, error)
}

// RecordsIn returns the records of a store.
func RecordsIn(s *store.Store) Records { return kept{s} }

// kept has a store's writes take their steps through [Tx].
type kept struct{ *store.Store }

func (k kept) Write(ctx context.Context, organisation model.ID, author store.Author, fn func(Tx, uint64) (string, error)) (uint64, error) {
	return k.Store.Write(ctx, organisation, author, func(tx *store.Tx, revision uint64) (string, error) { return fn(tx, revision) })
}

func (k kept) Create(ctx context.Context, organisation model.ID, author store.Author, fn func(Tx, uint64) (string, error)) (uint64, error) {
	return k.Store.Create(ctx, organisation, author, func(tx *store.Tx, revision uint64) (string, error) { return fn(tx, revision) })
}
