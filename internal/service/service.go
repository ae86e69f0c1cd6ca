package service

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/hashicorp/golang-lru/v2/expirable"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/english"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// Service carries out the use cases on one database of records. It is safe for concurrent use.
type Service struct {
	records   Records
	shipped   *catalogue.Catalogue
	registry  registry
	clock     func() time.Time
	log       *slog.Logger
	sealer    *credential.Sealer
	post      Post
	hash      func(ctx context.Context, password string) (string, error)
	address   string
	houses    sync.Map // of access.ID to *house
	guesses   *guesses
	busy      *busy
	aside     sync.WaitGroup // what goes on after its answer
	viewing   *viewing
	signing   signing
	refused   *recent       // what was refused and recorded
	followed  atomic.Uint64 // up to where the records were followed
	exchanged *expirable.LRU[exchange, exchanged]
	verified  *expirable.LRU[[sha256.Size]byte, credential.AccessToken] // access tokens whose signature is right
	setUp     atomic.Bool                                               // somebody has set the service up; once true it stays so
	files     SnapshotFiles                                             // nil when none are kept
	instance  model.ID                                                  // tells this service from others on the same database
}

// Options are what a service works with.
type Options struct {
	Records   Records
	Catalogue *catalogue.Catalogue
	Clock     func() time.Time // asked for every moment that is recorded
	Log       *slog.Logger
	Sealer    *credential.Sealer                                         // seals what must be kept readable
	Post      Post                                                       // sends mail; nil when none can be sent
	Hash      func(ctx context.Context, password string) (string, error) // of passwords; [credential.HashPassword] when it is nil
	Files     SnapshotFiles                                              // nil keeps none: each start reads the records whole
	Address   string                                                     // where people and programs reach it, such as https://arbora.example: it issues tokens under this name
}

// New makes a service.
func New(o Options) *Service {
	if o.Hash == nil {
		o.Hash = credential.HashPassword
	}
	return &Service{
		records: o.Records, shipped: o.Catalogue, clock: o.Clock, log: o.Log, sealer: o.Sealer, post: o.Post, hash: o.Hash, address: o.Address,
		guesses: newGuesses(), busy: newBusy(), refused: newRecent(), viewing: newViewing(), exchanged: newExchanged(), verified: newVerified(),
		files: o.Files, instance: newID(),
	}
}

// house is what the service keeps of one organisation in memory.
type house struct {
	id       model.ID
	writing  sync.Mutex // held from before a write's transaction until its snapshot is published
	snapshot atomic.Pointer[access.Snapshot]
	settings atomic.Pointer[settings.Settings] // there as soon as a snapshot is
	quotas   atomic.Pointer[settings.Quotas]   // likewise
	changed  beacon                            // lit when another snapshot is published
	lately   lastSteps                         // what led to it
	skipped  atomic.Pointer[[]string]          // what of the records could not be applied, when they were read last
	doubtful atomic.Bool                       // a write ended in doubt: what is in the database decides
}

func (s *Service) house(id model.ID) *house {
	h, _ := s.houses.LoadOrStore(id, &house{id: id})
	return h.(*house)
}

// now gives the current snapshot of an organisation, reading it from the database when it is not known for certain.
func (s *Service) now(ctx context.Context, h *house) (*access.Snapshot, error) {
	if snapshot := h.snapshot.Load(); snapshot != nil && !h.doubtful.Load() {
		return snapshot, nil
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	if snapshot := h.snapshot.Load(); snapshot != nil && !h.doubtful.Load() {
		return snapshot, nil
	}
	return s.level(ctx, h)
}

// first makes the first snapshot of an organisation, from a file and the changes since where there is one, and publishes it. The caller
// holds h.writing.
func (s *Service) first(ctx context.Context, h *house) (*access.Snapshot, error) {
	catalogue, err := s.catalogueNow(ctx)
	if err != nil {
		return nil, err
	}
	snapshot := s.fromFile(ctx, h.id, math.MaxUint64, catalogue)
	if snapshot == nil {
		return s.reload(ctx, h)
	}
	if err := s.readSettings(ctx, h); err != nil {
		return nil, err
	}
	h.skipped.Store(&[]string{})
	return s.followFrom(ctx, h, snapshot)
}

// reload reads a snapshot from the database and publishes it. The caller holds h.writing.
func (s *Service) reload(ctx context.Context, h *house) (*access.Snapshot, error) {
	catalogue, err := s.catalogueNow(ctx)
	if err != nil {
		return nil, err
	}
	snapshot, revision, skipped, err := s.build(ctx, h.id, catalogue)
	if err != nil {
		return nil, err
	}
	for _, reason := range skipped {
		s.log.Error("a record of an organisation cannot be applied and is left out", "organisation", h.id, "revision", revision, "reason", reason)
	}
	h.skipped.Store(&skipped)
	if err := s.readSettings(ctx, h); err != nil {
		return nil, err
	}
	h.publish(snapshot, nil)
	h.doubtful.Store(false)
	return snapshot, nil
}

// build makes the snapshot of an organisation from its records. One that cannot be applied is left out, and told of: it shuts
// nobody out.
func (s *Service) build(ctx context.Context, id model.ID, catalogue *catalogue.Catalogue) (snapshot *access.Snapshot, revision uint64, skipped []string, err error) {
	building := access.New(catalogue).Builder()
	revision, err = s.records.Load(ctx, id, func(change access.Change) error {
		var broken *model.Violation
		if err := building.Apply(change); errors.As(err, &broken) {
			skipped = append(skipped, strings.TrimPrefix(fmt.Sprintf("%T: %s", change, broken), "access."))
		} else if err != nil {
			return err
		}
		return nil
	})
	if err != nil {
		return nil, 0, nil, err
	}
	snapshot, err = building.Done(revision)
	return snapshot, revision, skipped, err
}

// plan is a change worked out and not yet made.
type plan struct {
	changes []access.Change
	// proposal is what the changes lead to, worked out once; nil until it is.
	proposal *access.Proposal
	// described is what is known besides of what the changes create, or of what is altered of it, as it is from then on.
	described store.Descriptions
	// beside writes what is no change of the tree, people or rules: credentials, links, settings.
	beside func(Tx) error
	what   string // as a sentence without its subject, for the change record; empty for the words of the changes
	final  bool   // no command takes it back
	undoes *store.Recorded
	// imagined are the changes by whose impact the plan is shown, where that is not the impact it has at once; nil for
	// changes themselves.
	imagined []access.Change
	// actsAs are those just made whose credentials the maker gets by the plan.
	actsAs []model.ID
	// warnings are of what the changes themselves do not tell.
	warnings []string
	// settings are the organisation's from then on; nil leaves them.
	settings *settings.Settings
	// quotas are what keepers bound it to from then on; nil leaves them.
	quotas *settings.Quotas
	// notices are sent once the plan is made.
	notices []notice
}

// words says what the plan does, for the change record.
func (p *plan) words() string {
	if p.undoes != nil {
		return fmt.Sprintf("undid revision %d: %s", p.undoes.Revision, p.undoes.What)
	}
	if p.what != "" {
		return p.what
	}
	words := p.proposal.Words()
	if more := len(words) - mostTold; more > 1 {
		words = append(words[:mostTold:mostTold], fmt.Sprintf("made %d changes more", more))
	}
	return english.Join(words)
}

// mostTold is how many changes are told one by one in the sentence that records a write.
const mostTold = 4

// writeTo writes what the plan leads to.
func (p *plan) writeTo(tx Tx) error {
	if p.final {
		tx.Final()
	}
	if err := tx.Apply(p.proposal, p.described); err != nil || p.beside == nil {
		return err
	}
	return p.beside(tx)
}

// describe says what is known of a principal from then on.
func (p *plan) describe(id model.ID, details store.PrincipalDetails) {
	if p.described.Principals == nil {
		p.described.Principals = map[model.ID]store.PrincipalDetails{}
	}
	p.described.Principals[id] = details
}

// describeGrant says what a grant is for.
func (p *plan) describeGrant(id model.ID, description string) {
	if p.described.Grants == nil {
		p.described.Grants = map[model.ID]string{}
	}
	p.described.Grants[id] = description
}

// propose works out what the plan leads to, unless that is done.
func (p *plan) propose(now *access.Snapshot) error {
	if p.proposal != nil {
		return nil
	}
	proposal, err := now.Propose(p.changes...)
	if err != nil {
		return broken(err, "")
	}
	p.proposal = proposal
	return nil
}

// write makes one change to an organisation: planned on the snapshot that is then locked, checked by the core, written
// in one transaction, and published before write returns. It gives the snapshot the change led to.
func (s *Service) write(ctx context.Context, c Caller, organisation model.ID, make func(*access.Snapshot, Details) (plan, error)) (*access.Snapshot, error) {
	// A caller who goes away does not leave a write in doubt.
	ctx = context.WithoutCancel(ctx)
	h := s.house(organisation)
	if err := s.busy.write(c, h); err != nil {
		return nil, err
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	var next *access.Snapshot
	var made plan
	var planned error
	_, err := s.records.Write(ctx, organisation, s.author(c), func(tx Tx, revision uint64) (string, error) {
		now := h.snapshot.Load()
		if now == nil || h.doubtful.Load() || now.Revision() != revision {
			var err error
			if now, err = s.level(ctx, h); err != nil {
				return "", err
			}
		}
		var p plan
		if p, planned = make(now, tx); planned != nil {
			return "", planned
		}
		if planned = p.propose(now); planned != nil {
			return "", planned
		}
		next = p.proposal.After
		if planned = h.full(now, next, p.changes); planned != nil {
			return "", planned
		}
		made = p
		if c.Once != ([32]byte{}) {
			tx.Once(c.Once)
		}
		return p.words(), p.writeTo(tx)
	})
	if planned != nil {
		return nil, planned
	}
	if err != nil {
		h.doubtful.Store(true)
		return nil, err
	}
	if made.settings != nil {
		h.settings.Store(made.settings)
	}
	if made.quotas != nil {
		h.quotas.Store(made.quotas)
	}
	h.publish(next, ledBy(made))
	return next, nil
}

// Snapshot gives what an organisation is decided by at present. It is for those who run the service in their own program;
// it asks for no permission.
func (s *Service) Snapshot(ctx context.Context, organisation model.ID) (*access.Snapshot, error) {
	return s.now(ctx, s.house(organisation))
}

// Healthy reports whether the database answers.
func (s *Service) Healthy(ctx context.Context) error { return s.records.Ping(ctx) }

func (s *Service) author(c Caller) store.Author {
	return store.Author{Name: c.Name, From: c.From, At: s.moment()}
}

// moment is the present as the records keep it: UTC, to the microsecond.
func (s *Service) moment() time.Time { return s.clock().UTC().Truncate(time.Microsecond) }

// Address is where people and programs reach the service.
func (s *Service) Address() string { return s.address }

// Now gives the moment by the service's own clock.
func (s *Service) Now() time.Time { return s.moment() }

func newID() model.ID { return model.ID(uuid.Must(uuid.NewV7())) }

// checkPassword turns the rules for passwords into a problem.
func checkPassword(password, field string, ownNames ...string) error {
	if err := credential.CheckPassword(password, ownNames...); err != nil {
		return &Problem{Kind: WeakPassword, Detail: err.Error(), Field: field}
	}
	return nil
}
