package credential

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

const patience = 10 * time.Second

// TestTheQueueOfHashesIsBounded fills the queue: it holds so many and no more, one network less than all, and whoever goes leaves
// their place.
func TestTheQueueOfHashesIsBounded(t *testing.T) {
	q := &queue{hashers: make(chan struct{}, hashersAtOnce), from: map[string]int{}}
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	ended := make(chan error)
	join := func(network string) {
		go func() {
			leave, err := q.enter(ctx, network)
			if err == nil {
				<-ctx.Done()
				leave() // before it is said to have ended
			}
			ended <- err
		}()
	}
	hold := func() (waiting, from int) {
		q.mu.Lock()
		defer q.mu.Unlock()
		return q.waiting, q.from["10.0.0.0/24"]
	}
	for range waitingFromOne {
		join("10.0.0.0/24")
	}
	require.Eventually(t, func() bool {
		waiting, from := hold()
		return from == waitingFromOne && waiting == waitingFromOne-hashersAtOnce
	}, patience, patience/1000)
	_, err := q.enter(ctx, "10.0.0.0/24")
	require.ErrorIs(t, err, ErrBusy, "one network has had its share")

	others := waitingAtOnce - (waitingFromOne - hashersAtOnce)
	for range others {
		join("") // what asks for itself, such as a new password, is held by no network's share
	}
	require.Eventually(t, func() bool { waiting, _ := hold(); return waiting == waitingAtOnce }, patience, patience/1000)
	_, err = q.enter(ctx, "10.9.0.0/24")
	require.ErrorIs(t, err, ErrBusy, "nobody waits behind a full queue")

	stop()
	for range waitingFromOne + others {
		<-ended
	}
	require.Empty(t, q.from)
	require.Zero(t, q.waiting)
	leave, err := q.enter(t.Context(), "10.0.0.0/24")
	require.NoError(t, err)
	leave()
}
