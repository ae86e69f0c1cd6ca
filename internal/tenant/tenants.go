package tenant

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	lru "github.com/hashicorp/golang-lru/v2"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/feed"
	"arbora.example/internal/known"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// Tenants are the organisations of an installation, as this instance keeps them. It is safe for concurrent use.
type Tenants struct {
	Records  Records
	shipped  *catalogue.Catalogue
	registry registry
	clock    func() time.Time
	Log      *slog.Logger
	address  string
	tenants  sync.Map // of model.ID to *Tenant
	busy     *busy
	refused  *recent        // what was refused and recorded
	files    SnapshotFiles  // nil when none are kept
	instance model.ID       // tells this service from others on the same database
	Changed  *known.Changes // what was signalled: see [store.Store.OnSignal]
	titles   *known.Values[model.ID, string]
	marks    *lru.Cache[revisionOf, feed.Digest] // of change records
	level    level
	behind   atomic.Bool  // an organisation is behind the records
	waiting  atomic.Int64 // followers that wait for a change
	// Up to where the records were looked at, and whether the signals ever were: kept by the look that is under way.
	followed, signalled uint64
	signalling          bool
}

// NewTenants makes them.
func NewTenants(records Records, shipped *catalogue.Catalogue, clock func() time.Time, log *slog.Logger, files SnapshotFiles, address string) *Tenants {
	s := &Tenants{
		Records: records, shipped: shipped, clock: clock, Log: log, address: address, busy: newBusy(), refused: newRecent(), files: files, instance: NewID(), Changed: &known.Changes{},
	}
	s.titles = known.NewValues[model.ID, string](s.Changed, mostTitles)
	marks, err := lru.New[revisionOf, feed.Digest](mostMarks)
	if err != nil {
		panic(err) // the size is a constant above zero
	}
	s.marks = marks
	records.OnSignal(s.Changed.Forget)
	return s
}

// Tenant is what the service keeps of one organisation in memory.
type Tenant struct {
	id       model.ID
	writing  sync.Mutex // held from before a write's transaction until its snapshot is published
	snapshot atomic.Pointer[access.Snapshot]
	settings atomic.Pointer[settings.Settings] // there as soon as a snapshot is
	quotas   atomic.Pointer[settings.Quotas]   // likewise
	changed  beacon                            // lit when another snapshot is published
	recent   lastSteps                         // what led to it
	skipped  atomic.Pointer[[]string]          // what of the records could not be applied, when they were read last
	doubtful atomic.Bool                       // a write ended in doubt: what is in the database decides
	wanted   atomic.Uint64                     // the latest revision that is known to be recorded
	// following says that it is being brought level.
	following atomic.Bool
}

// Tenant returns the organisation of an id, as this instance keeps it; nothing is read for it yet.
func (s *Tenants) Tenant(id model.ID) *Tenant {
	if h, ok := s.tenants.Load(id); ok {
		return h.(*Tenant)
	}
	h, _ := s.tenants.LoadOrStore(id, &Tenant{id: id})
	return h.(*Tenant)
}

// Current returns the snapshot of an organisation that was current no longer ago than the [Lease], reading from the database what is
// known to be recorded since, or not known for certain.
func (s *Tenants) Current(ctx context.Context, h *Tenant) (*access.Snapshot, error) {
	if err := s.Level(ctx); err != nil {
		return nil, err
	}
	if now := s.known(h); now != nil {
		return now, nil
	}
	return s.bring(ctx, h)
}

// first makes the first snapshot of an organisation, from a file and the changes since where there is one, and publishes it. The caller
// holds h.writing.
func (s *Tenants) first(ctx context.Context, h *Tenant) (*access.Snapshot, error) {
	catalogue, err := s.CatalogueNow(ctx)
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
func (s *Tenants) reload(ctx context.Context, h *Tenant) (*access.Snapshot, error) {
	catalogue, err := s.CatalogueNow(ctx)
	if err != nil {
		return nil, err
	}
	snapshot, revision, skipped, err := s.build(ctx, h.id, catalogue)
	if err != nil {
		return nil, err
	}
	for _, reason := range skipped {
		s.Log.Error("a record of an organisation cannot be applied, and is left out", "organisation", h.id, "revision", revision, "reason", reason)
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
func (s *Tenants) build(ctx context.Context, id model.ID, catalogue *catalogue.Catalogue) (snapshot *access.Snapshot, revision uint64, skipped []string, err error) {
	building := access.New(catalogue).Builder()
	revision, err = s.Records.Load(ctx, id, func(change access.Change) error {
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

// Snapshot returns what an organisation is decided by at present. It is for those who run the service in their own program;
// it asks for no permission.
func (s *Tenants) Snapshot(ctx context.Context, organisation model.ID) (*access.Snapshot, error) {
	return s.Current(ctx, s.Tenant(organisation))
}

// Healthy checks that the database answers.
func (s *Tenants) Healthy(ctx context.Context) error { return s.Records.Ping(ctx) }

// Author returns under whose name, from where and when a caller is recorded.
func (s *Tenants) Author(c Caller) store.Author {
	return store.Author{Name: c.Name, From: c.From, At: s.Moment()}
}

// Moment is the present as the records keep it: UTC, to the microsecond.
func (s *Tenants) Moment() time.Time { return s.clock().UTC().Truncate(time.Microsecond) }

// Address is where people and programs reach the service.
func (s *Tenants) Address() string { return s.address }

// Now returns the moment by the service's own clock.
func (s *Tenants) Now() time.Time { return s.Moment() }

// NewID makes an id, as UUIDv7 (RFC 9562).
func NewID() model.ID { return model.ID(uuid.Must(uuid.NewV7())) }

// NameOf returns the name of an organisation that is in use here; empty for none.
func (s *Tenants) NameOf(organisation model.ID) string {
	if now := s.Tenant(organisation).snapshot.Load(); now != nil {
		top, _ := now.Top()
		return top.Name
	}
	return ""
}

// Began takes up an organisation that was just made.
func (s *Tenants) Began(id model.ID, first *access.Snapshot) {
	h, set := s.Tenant(id), settings.DefaultSettings()
	h.settings.Store(&set)
	h.quotas.Store(&settings.Quotas{})
	h.publish(first, nil)
}

// Decided returns what an organisation has decided for itself; what counts where nothing is decided until it is read.
func (h *Tenant) Decided() settings.Settings {
	if set := h.settings.Load(); set != nil {
		return *set
	}
	return settings.DefaultSettings()
}

// Bounds returns the quotas that keepers set.
func (h *Tenant) Bounds() settings.Quotas {
	if set := h.quotas.Load(); set != nil {
		return *set
	}
	return settings.Quotas{}
}

// LeftOut returns what of the records could not be applied when they were read last.
func (h *Tenant) LeftOut() []string {
	if skipped := h.skipped.Load(); skipped != nil {
		return *skipped
	}
	return nil
}
