package tenant

import (
	"fmt"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
)

// full refuses changes by which an organisation has more than it may. What does not add is never refused.
func (h *Tenant) full(now, next *access.Snapshot, changes []access.Change) error {
	if !adds(changes) {
		return nil
	}
	most, had, has := h.quotas.Load().OrUsual(), now.Size(), next.Size()
	for _, q := range []struct {
		what           string
		most, had, has int
	}{
		{"scopes", most.Scopes, had.Scopes, has.Scopes}, {"users, guests and service accounts", most.Principals, had.Principals, has.Principals},
		{"groups", most.Groups, had.Groups, has.Groups}, {"grants", most.Grants, had.Grants, has.Grants},
		{"statements", most.Statements, had.Statements, has.Statements},
	} {
		if q.has > q.most && q.has > q.had {
			return &problem.Problem{
				Kind: problem.Conflict, Detail: fmt.Sprintf("the organisation has %d %s, and may have %d", q.had, q.what, q.most),
				Next: "remove what you no longer need, or ask a keeper of this installation for more",
			}
		}
	}
	return nil
}

func adds(changes []access.Change) bool {
	for _, change := range changes {
		switch change.(type) {
		case access.CreateScope, access.CreatePrincipal, access.PutPolicy, access.CreateGrant:
			return true
		}
	}
	return false
}

// busy bounds what one principal does at this instance: changes a minute, and streams at a time.
type busy struct {
	writers *lru.Cache[model.ID, *rate.Limiter]
	mu      sync.Mutex
	streams map[model.ID]int
	open    int // streams, of all
}

const writersKept = 20_000

func newBusy() *busy {
	writers, err := lru.New[model.ID, *rate.Limiter](writersKept)
	if err != nil {
		panic(err) // the size is a constant above zero
	}
	return &busy{writers: writers, streams: map[model.ID]int{}}
}

// write counts a change of a caller, and refuses it when there were too many in the last minute.
func (b *busy) write(c Caller, h *Tenant) error {
	if c.Principal.IsZero() {
		return nil // keepers, and who uses a link: those are counted where they are tried
	}
	most := h.most().Writes
	fresh := rate.NewLimiter(rate.Limit(float64(most)/time.Minute.Seconds()), most)
	limiter, found, _ := b.writers.PeekOrAdd(c.Principal, fresh)
	if !found {
		limiter = fresh
	}
	if limiter.Burst() != most {
		limiter.SetBurst(most)
		limiter.SetLimit(fresh.Limit())
	}
	if limiter.Allow() {
		return nil
	}
	return problem.Wait(fmt.Sprintf("%s may make %d changes a minute", c.Name, most), time.Duration(float64(time.Second)/float64(limiter.Limit())))
}

// most returns the quotas that count; the usual ones until the organisation was read.
func (h *Tenant) most() settings.Quotas {
	if set := h.quotas.Load(); set != nil {
		return set.OrUsual()
	}
	return settings.Quotas{}.OrUsual()
}

// OpenStream counts a stream that the caller opens, until it is closed. It is refused when they have too many open.
func (s *Tenants) OpenStream(c Caller) (closed func(), err error) {
	most := s.Tenant(c.Organisation).most().Streams
	s.busy.mu.Lock()
	defer s.busy.mu.Unlock()
	if s.busy.streams[c.Principal] >= most {
		return nil, problem.Wait(fmt.Sprintf("%s has %d streams open, as many as may be", c.Name, most), time.Minute)
	}
	s.busy.streams[c.Principal]++
	s.busy.open++
	return func() {
		s.busy.mu.Lock()
		defer s.busy.mu.Unlock()
		s.busy.open--
		if s.busy.streams[c.Principal]--; s.busy.streams[c.Principal] == 0 {
			delete(s.busy.streams, c.Principal)
		}
	}, nil
}

// Streams returns how many streams are open.
func (s *Tenants) Streams() int {
	s.busy.mu.Lock()
	defer s.busy.mu.Unlock()
	return s.busy.open
}
