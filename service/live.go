package service

import (
	"context"
	"sync"

	"arbora.example/access"
)

// beacon tells those who wait that something has changed.
type beacon struct {
	mu  sync.Mutex
	lit chan struct{} // closed at the next change; nil while nobody waits
}

// wait gives what is closed at the next change.
func (b *beacon) wait() <-chan struct{} {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.lit == nil {
		b.lit = make(chan struct{})
	}
	return b.lit
}

func (b *beacon) light() {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.lit != nil {
		close(b.lit)
		b.lit = nil
	}
}

// publish makes a snapshot the current one, and tells those who wait.
func (h *house) publish(snapshot *access.Snapshot) {
	h.snapshot.Store(snapshot)
	h.changed.light()
}

// Revision gives the revision of the caller's organisation, and what is closed when a later one is published, by this instance
// or, as soon as it is followed, by another.
func (s *Service) Revision(ctx context.Context, c Caller, organisation string) (revision uint64, changed <-chan struct{}, err error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return 0, nil, err
	}
	if _, err := d.organisation(organisation); err != nil {
		return 0, nil, err
	}
	h := s.house(c.Organisation)
	changed = h.changed.wait() // before the revision is read, so that none is missed
	now, err := s.now(ctx, h)
	if err != nil {
		return 0, nil, err
	}
	return now.Revision(), changed, nil
}
