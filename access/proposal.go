package access

import (
	"slices"
	"sync"

	"arbora.example/access/model"
)

// Proposal is changes that are worked out and not made. It is worked out once; the rule on gains, the impact and whoever makes the
// changes read it.
type Proposal struct {
	Before  *Snapshot
	After   *Snapshot // at the revision after that of Before
	Changes []Change
	// Back takes the changes back, in the order in which it is to be made: what was created in the tree or among the people goes
	// out of use, for nothing is deleted there.
	Back []Change

	reached func() []uint64 // whose access may differ, worked out once, when it is asked for
}

// Between is what led from one snapshot to another, as a proposal that was made; nothing takes it back.
func Between(before, after *Snapshot, changes []Change) *Proposal {
	return (&Proposal{Before: before, After: after, Changes: changes}).ready()
}

func (p *Proposal) ready() *Proposal {
	p.reached = sync.OnceValue(func() []uint64 { return p.comparison(nil).reached })
	return p
}

// Touches reports whether what somebody holds may be another after the changes. It is for any number of askers at once.
func (p *Proposal) Touches(who model.ID) bool {
	n, ok := p.After.principalNumber(who)
	if !ok {
		return true // somebody who is not there
	}
	reached := p.reached()
	return reached[n/64]&(1<<(n%64)) != 0
}

// Propose works changes out. The error is that of [Snapshot.With].
func (s *Snapshot) Propose(changes ...Change) (*Proposal, error) {
	p := &Proposal{Before: s, Changes: changes}
	b := s.Builder()
	for _, change := range changes {
		back := change.back(&b.draft.Snapshot)
		if err := b.Apply(change); err != nil {
			return nil, err
		}
		p.Back = append(p.Back, back...) // no change has more than one
	}
	slices.Reverse(p.Back)
	var err error
	p.After, err = b.Done(s.revision + 1)
	if err != nil {
		return nil, err
	}
	return p.ready(), nil
}

// comparison begins to compare who holds what before and after.
func (p *Proposal) comparison(c *Context) *comparison {
	cmp := &comparison{before: p.Before, after: p.After, context: c.fromNowOn()}
	cmp.prepare(p.Changes)
	return cmp
}

// Exceeds is [Proposal.Exceeds] for changes that are not worked out yet. The error is that of [Snapshot.With].
func (s *Snapshot) Exceeds(m Maker, changes ...Change) (Excess, bool, error) {
	p, err := s.Propose(changes...)
	if err != nil {
		return Excess{}, false, err
	}
	excess, found := p.Exceeds(m)
	return excess, found, nil
}

// Impact is [Proposal.Impact] for changes that are not worked out yet. The error is that of [Snapshot.With].
func (s *Snapshot) Impact(c *Context, changes ...Change) ([]Effect, error) {
	p, err := s.Propose(changes...)
	if err != nil {
		return nil, err
	}
	return p.Impact(c), nil
}
