package tenant

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"arbora.example/internal/store"
)

// What this instance keeps in memory may be used for a while after a poll found it level with the records: the lease. A request after
// the lease waits for a poll, together with all others that wait, or is refused since the database cannot be reached. So nothing that
// was revoked at another instance is answered with yes for longer than the lease, whatever happens to this instance, to the database or to
// the network between them.

// Lease is for how long what was level with the records may be used.
const Lease = 50 * time.Millisecond

// level knows when this instance was level with the records last.
type level struct {
	mu      sync.Mutex
	running *poll        // under way; nil for none
	began   atomic.Int64 // when the last poll began that found out how far the records are, by the program's own clock; 0 for none yet
}

// poll is one reading of how far the records are.
type poll struct {
	began int64
	done  chan struct{}
	err   error
}

// programBegan is where the program's own clock begins, which nobody sets.
var programBegan = time.Now()

func ownClock() int64 { return int64(time.Since(programBegan)) }

// IsLevel reports whether what is in memory may be used at present.
func (s *Tenants) IsLevel() bool {
	began := s.level.began.Load()
	return began != 0 && ownClock()-began < int64(Lease)
}

type arrivedKey struct{}

// Arrived returns a context of a request that arrived now: once a poll that began later has succeeded, all of it may be answered by that,
// however slow the database is.
func Arrived(ctx context.Context) context.Context {
	return context.WithValue(ctx, arrivedKey{}, ownClock())
}

// Level returns when what is in memory may be used. The error is [store.ErrUnavailable] when the records cannot be seen.
func (s *Tenants) Level(ctx context.Context) error {
	if s.IsLevel() {
		return nil
	}
	return s.levelSince(ctx)
}

// LevelNow returns when what is in memory is level with the records as they are now or later.
func (s *Tenants) LevelNow(ctx context.Context) error { return s.await(ctx, ownClock(), false) }

func (s *Tenants) levelSince(ctx context.Context) error {
	arrived, ok := ctx.Value(arrivedKey{}).(int64)
	if !ok {
		arrived = ownClock()
	} else if s.level.began.Load() >= arrived {
		return nil
	}
	return s.await(ctx, arrived, true)
}

// await waits for a poll that began at a moment or later, or, if that is enough, for one after which memory may be used.
func (s *Tenants) await(ctx context.Context, from int64, leased bool) error {
	for {
		p := s.polling()
		select {
		case <-p.done:
		case <-ctx.Done():
			return ctx.Err()
		}
		if p.err != nil {
			return p.err
		}
		if p.began >= from || leased && s.IsLevel() {
			return nil
		}
	}
}

// polling returns the poll that is under way, or begins one.
func (s *Tenants) polling() *poll {
	s.level.mu.Lock()
	defer s.level.mu.Unlock()
	if s.level.running == nil {
		p := &poll{began: ownClock(), done: make(chan struct{})}
		s.level.running = p
		go func() {
			p.err = s.pollOnce(p.began)
			s.level.mu.Lock()
			s.level.running = nil
			s.level.mu.Unlock()
			close(p.done)
		}()
	}
	return s.level.running
}

// catchUpLimit bounds how long it may take to learn what was recorded.
const catchUpLimit = 5 * time.Second

// pollOnce finds out how far the records are, forgets what was signalled, and has organisations that are behind brought level before
// anybody uses them.
func (s *Tenants) pollOnce(began int64) error {
	ctx, cancel := context.WithTimeout(context.Background(), catchUpLimit)
	defer cancel()
	err := s.catchUp(ctx)
	if errors.Is(err, context.DeadlineExceeded) {
		err = fmt.Errorf("%w: %w", store.ErrUnavailable, err)
	}
	if err == nil {
		s.level.began.Store(began)
	}
	return err
}

// catchUp is used by one poll at a time.
func (s *Tenants) catchUp(ctx context.Context) error {
	ends, err := s.Records.Ends(ctx)
	if err != nil {
		return err
	}
	if ends.Signalled != s.signalled || !s.signalling {
		if err := s.readSignals(ctx, ends.Signalled); err != nil {
			return err
		}
	}
	if ends.Recorded == s.followed {
		return nil
	}
	if err := s.lookAtCatalogue(ctx); err != nil {
		return err
	}
	revisions, err := s.Records.Revisions(ctx)
	if err != nil {
		return err
	}
	for id, revision := range revisions {
		// Also of one that is being read for the first time: the reading may have begun before this poll.
		if h, ok := s.tenants.Load(id); ok && h.(*Tenant).wanted.Load() < revision {
			h.(*Tenant).wanted.Store(revision)
			s.behind.Store(true)
		}
	}
	s.followed = ends.Recorded // what was recorded since it was read is found by the next poll
	return nil
}

// readSignals forgets what other instances signalled up to a number, or all where that cannot be told.
func (s *Tenants) readSignals(ctx context.Context, upTo uint64) error {
	if !s.signalling {
		s.Changed.Forget(nil)
		s.signalled, s.signalling = upTo, true
		return nil
	}
	ids, at, whole, err := s.Records.SignalledSince(ctx, s.signalled)
	if err != nil {
		return err
	}
	if !whole || at < upTo {
		ids = nil
	}
	s.Changed.Forget(ids)
	s.signalled = max(at, upTo)
	return nil
}
