package tenant_test

import (
	"context"
	"log/slog"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access/catalogue"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
	"arbora.example/internal/tenant/memory"
)

// watched are records of which it is known how often it was looked how far they are, and which answer when they are let.
type watched struct {
	tenant.Records
	looks atomic.Int64
	gate  chan error // each look takes one; nil lets all pass
}

func (w *watched) Ends(ctx context.Context) (store.Ends, error) {
	w.looks.Add(1)
	if w.gate != nil {
		if err := <-w.gate; err != nil {
			return store.Ends{}, err
		}
	}
	return w.Records.Ends(ctx)
}

func watch(gate chan error) (*watched, *tenant.Tenants) {
	w := &watched{Records: memory.New(), gate: gate}
	return w, tenant.NewTenants(w, catalogue.Shipped(), time.Now, slog.New(slog.DiscardHandler), nil, "")
}

// TestALookIsGoodForTheLease asks many times: the records are looked at again only when the lease is over.
func TestALookIsGoodForTheLease(t *testing.T) {
	w, tenants := watch(nil)
	require.False(t, tenants.IsLevel(), "nothing was looked at yet")
	begun := time.Now()
	for w.looks.Load() < 3 {
		require.NoError(t, tenants.Level(t.Context()))
		require.LessOrEqual(t, w.looks.Load(), 1+int64(time.Since(begun)/tenant.Lease))
	}
}

// TestLooksAreShared asks from many sides while one look is under way: all wait for it or for one more, and learn that it failed.
func TestLooksAreShared(t *testing.T) {
	gate := make(chan error)
	w, tenants := watch(gate)
	ask := func(times int) (wait func() (failed int64)) {
		var failed atomic.Int64
		var all sync.WaitGroup
		for range times {
			all.Go(func() {
				if tenants.Level(t.Context()) != nil {
					failed.Add(1)
				}
			})
		}
		return func() int64 { all.Wait(); return failed.Load() }
	}
	wait := ask(50)
	gate <- store.ErrUnavailable
	go func() {
		for {
			select {
			case gate <- store.ErrUnavailable:
			case <-t.Context().Done():
				return
			}
		}
	}()
	require.EqualValues(t, 50, wait())
	require.False(t, tenants.IsLevel())
	require.LessOrEqual(t, w.looks.Load(), int64(50))
}

// TestASlowLookAnswersWhoAskedBefore has looks take longer than the lease: one that began after a request arrived is good for all of it,
// one that began before is not.
func TestASlowLookAnswersWhoAskedBefore(t *testing.T) {
	gate := make(chan error)
	w, tenants := watch(gate)
	first := make(chan error)
	go func() { first <- tenants.LevelNow(t.Context()) }()
	require.Eventually(t, func() bool { return w.looks.Load() == 1 }, time.Minute, time.Millisecond)
	arrived := tenant.Arrived(t.Context())
	second := make(chan error)
	go func() { second <- tenants.Level(arrived) }()
	<-time.After(tenant.Lease) // so that the first look comes too late
	gate <- nil
	require.NoError(t, <-first)
	<-time.After(tenant.Lease)
	gate <- nil
	require.NoError(t, <-second)
	require.EqualValues(t, 2, w.looks.Load(), "the first began before the request arrived")
	require.False(t, tenants.IsLevel())
	require.NoError(t, tenants.Level(arrived), "the rest of the request is answered by the same look")
	require.EqualValues(t, 2, w.looks.Load())
}

// TestWhoGoesAwayWaitsNoLonger ends a request while a look hangs.
func TestWhoGoesAwayWaitsNoLonger(t *testing.T) {
	gate := make(chan error)
	_, tenants := watch(gate)
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan error)
	go func() { ended <- tenants.Level(ctx) }()
	cancel()
	require.ErrorIs(t, <-ended, context.Canceled)
	close(gate)
}
