package credential

import (
	"context"
	"errors"
	"sync"
	"time"

	"github.com/alexedwards/argon2id"
)

// hashing is the work put into one hash: 19 MiB, 2 passes (RFC 9106; the memory bounds how many run at once).
var hashing = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// ErrBusy says that more passwords wait to be hashed than can be soon.
var ErrBusy = errors.New("too many passwords are being checked at the moment")

// BusyFor is about how long it takes until there is room again.
const BusyFor = 5 * time.Second

// queue bounds how many hash at once, how many wait, and how many of these came from one network: who floods it from one place
// leaves room for others.
type queue struct {
	hashers chan struct{}
	mu      sync.Mutex
	waiting int
	from    map[string]int // waiting or hashing, by network
}

const (
	hashersAtOnce  = 4
	waitingAtOnce  = 64
	waitingFromOne = 16
)

var hashes = &queue{hashers: make(chan struct{}, hashersAtOnce), from: map[string]int{}}

// enter waits for a turn, and gives what ends it. The error is [ErrBusy] when the queue is full, or that of ctx.
func (q *queue) enter(ctx context.Context, network string) (leave func(), err error) {
	q.mu.Lock()
	if q.waiting >= waitingAtOnce || network != "" && q.from[network] >= waitingFromOne {
		q.mu.Unlock()
		return nil, ErrBusy
	}
	q.waiting++
	q.from[network]++
	q.mu.Unlock()
	gone := func() {
		q.mu.Lock()
		defer q.mu.Unlock()
		if q.from[network]--; q.from[network] == 0 {
			delete(q.from, network)
		}
	}
	select {
	case q.hashers <- struct{}{}:
		q.stopWaiting()
		return func() { <-q.hashers; gone() }, nil
	case <-ctx.Done():
		q.stopWaiting()
		gone()
		return nil, ctx.Err()
	}
}

func (q *queue) stopWaiting() {
	q.mu.Lock()
	q.waiting--
	q.mu.Unlock()
}

// HashPassword returns the argon2id hash of a password in PHC string form, which carries its own salt and parameters. The error
// is [ErrBusy] when too many are hashed at the moment, or that of ctx.
func HashPassword(ctx context.Context, password string) (string, error) {
	leave, err := hashes.enter(ctx, "")
	if err != nil {
		return "", err
	}
	defer leave()
	return argon2id.CreateHash(password, hashing)
}

// PasswordMatches reports whether a password, tried from a network, is the one that was hashed. An empty hash matches nothing,
// after the same work as any other: how long an answer takes tells nobody which names exist. The error is [ErrBusy] when too
// many are checked at the moment, or that of ctx.
func PasswordMatches(ctx context.Context, password, hash, network string) (bool, error) {
	leave, err := hashes.enter(ctx, network)
	if err != nil {
		return false, err
	}
	defer leave()
	if hash == "" {
		_, err := argon2id.CreateHash(password, hashing)
		return false, err
	}
	return argon2id.ComparePasswordAndHash(password, hash)
}
