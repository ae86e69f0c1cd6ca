package service

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/english"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

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
func (s *Tenants) write(ctx context.Context, c Caller, organisation model.ID, make func(*access.Snapshot, Details) (plan, error)) (*access.Snapshot, error) {
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
