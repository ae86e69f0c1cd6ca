package tenant

import (
	"context"
	"errors"
	"fmt"
	"maps"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/english"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// Plan is a change worked out and not yet made.
type Plan struct {
	Changes []access.Change
	// Proposal is what the changes lead to, worked out once; nil until it is.
	Proposal *access.Proposal
	// Described is what is known besides of what the changes create, or of what is altered of it, as it is from then on.
	Described store.Descriptions
	// Beside writes what is no change of the tree, people or rules: credentials, links, settings.
	Beside func(Tx) error
	What   string // as a sentence without its subject, for the change record; empty for the words of the changes
	Final  bool   // no command takes it back
	Undoes *store.Recorded
	// Imagined are the changes by whose impact the plan is shown, where that is not the impact it has at once; nil for
	// changes themselves.
	Imagined []access.Change
	// ActsAs are those just made whose credentials the maker gets by the plan.
	ActsAs []model.ID
	// Warnings are of what the changes themselves do not tell.
	Warnings []string
	// Settings are the organisation's from then on; nil leaves them.
	Settings *settings.Settings
	// Quotas are what keepers bound it to from then on; nil leaves them.
	Quotas *settings.Quotas
	// Notices are sent once the plan is made.
	Notices []Notice
}

// Words returns what the plan does, for the change record.
func (p *Plan) Words() string {
	if p.Undoes != nil {
		return fmt.Sprintf("undid revision %d: %s", p.Undoes.Revision, p.Undoes.What)
	}
	if p.What != "" {
		return p.What
	}
	words := p.Proposal.Words()
	if more := len(words) - mostTold; more > 1 {
		words = append(words[:mostTold:mostTold], fmt.Sprintf("made %d changes more", more))
	}
	return english.Join(words)
}

// mostTold is how many changes are told one by one in the sentence that records a write.
const mostTold = 4

// WriteTo writes what the plan leads to.
func (p *Plan) WriteTo(tx Tx) error {
	if p.Final {
		tx.Final()
	}
	if err := tx.Apply(p.Proposal, p.Described); err != nil || p.Beside == nil {
		return err
	}
	return p.Beside(tx)
}

// Join takes in another plan of changes to the tree, people or rules, to be made with it as one.
func (p *Plan) Join(o Plan) {
	p.Changes = append(p.Changes, o.Changes...)
	for id, details := range o.Described.Principals {
		p.Describe(id, details)
	}
	for id, description := range o.Described.Grants {
		p.DescribeGrant(id, description)
	}
	if p.Described.Policies == nil {
		p.Described.Policies = map[model.ID]string{}
	}
	maps.Copy(p.Described.Policies, o.Described.Policies)
	p.Warnings = append(p.Warnings, o.Warnings...)
	p.Notices = append(p.Notices, o.Notices...)
	p.ActsAs = append(p.ActsAs, o.ActsAs...)
	p.Final = p.Final || o.Final
	p.Also(o.Beside)
	if o.What != "" && p.What != "" {
		p.What += ", " + o.What
	} else if o.What != "" {
		p.What = o.What
	}
}

// Also adds to what is written beside the changes; nil adds nothing.
func (p *Plan) Also(second func(Tx) error) {
	if first := p.Beside; first == nil {
		p.Beside = second
	} else if second != nil {
		p.Beside = func(tx Tx) error { return errors.Join(first(tx), second(tx)) }
	}
}

// Describe returns what is known of a principal from then on.
func (p *Plan) Describe(id model.ID, details store.PrincipalDetails) {
	if p.Described.Principals == nil {
		p.Described.Principals = map[model.ID]store.PrincipalDetails{}
	}
	p.Described.Principals[id] = details
}

// DescribeGrant returns what a grant is for.
func (p *Plan) DescribeGrant(id model.ID, description string) {
	if p.Described.Grants == nil {
		p.Described.Grants = map[model.ID]string{}
	}
	p.Described.Grants[id] = description
}

// Propose works out what the plan leads to, unless that is done.
func (p *Plan) Propose(now *access.Snapshot) error {
	if p.Proposal != nil {
		return nil
	}
	proposal, err := now.Propose(p.Changes...)
	if err != nil {
		return problem.Of(err, "")
	}
	p.Proposal = proposal
	return nil
}

// Write makes one change to an organisation: planned on the snapshot that is then locked, checked by the core, written
// in one transaction, and published before write returns. It gives the snapshot the change led to.
func (s *Tenants) Write(ctx context.Context, c Caller, organisation model.ID, make func(*access.Snapshot, Details) (Plan, error)) (*access.Snapshot, error) {
	// A caller who goes away does not leave a write in doubt.
	ctx = context.WithoutCancel(ctx)
	h := s.Tenant(organisation)
	if err := s.busy.write(c, h); err != nil {
		return nil, err
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	var next *access.Snapshot
	var made Plan
	var planned error
	_, err := s.Records.Write(ctx, organisation, s.Author(c), func(tx Tx, revision uint64) (string, error) {
		now := s.known(h)
		if now == nil || now.Revision() != revision {
			var err error
			if now, err = s.lead(ctx, h); err != nil {
				return "", err
			}
		}
		var p Plan
		if p, planned = make(now, tx); planned != nil {
			return "", planned
		}
		if planned = p.Propose(now); planned != nil {
			return "", planned
		}
		next = p.Proposal.After
		if planned = h.full(now, next, p.Changes); planned != nil {
			return "", planned
		}
		made = p
		if c.Once != ([32]byte{}) {
			tx.Once(c.Once)
		}
		return p.Words(), p.WriteTo(tx)
	})
	if planned != nil {
		return nil, planned
	}
	if err != nil {
		h.doubtful.Store(true)
		return nil, err
	}
	if made.Settings != nil {
		h.settings.Store(made.Settings)
	}
	if made.Quotas != nil {
		h.quotas.Store(made.Quotas)
	}
	h.publish(next, ledBy(made))
	return next, nil
}

// WriteUnlessSame is [Tenants.Write] for what is told again and again: a plan that alters nothing is not written, and waits for nobody.
func (s *Tenants) WriteUnlessSame(ctx context.Context, c Caller, organisation model.ID, make func(*access.Snapshot, Details) (Plan, error)) error {
	now, err := s.Current(ctx, s.Tenant(organisation))
	if err != nil {
		return err
	}
	p, err := make(now, s.Records)
	if err != nil || len(p.Changes) == 0 && p.Beside == nil && p.Described.Empty() {
		return err
	}
	_, err = s.Write(ctx, c, organisation, make)
	return err
}

// Notice is what somebody is told by mail.
type Notice struct {
	To   store.Identity
	What string
}
