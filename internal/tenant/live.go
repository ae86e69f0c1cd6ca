package tenant

import (
	"context"
	"encoding/json"
	"slices"
	"sync"

	"arbora.example/access"
	"arbora.example/access/model"
)

// beacon tells those who wait that something has changed.
type beacon struct {
	mu  sync.Mutex
	lit chan struct{} // closed at the next change; nil while nobody waits
}

// wait returns what is closed at the next change.
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

// publish makes a snapshot the current one, keeps what led to it, and tells those who wait. Nil steps are a change of which nothing more
// is known.
func (h *Tenant) publish(snapshot *access.Snapshot, led *step) {
	h.recent.add(snapshot.Revision(), led)
	h.snapshot.Store(snapshot)
	h.changed.light()
}

// scopeKind is the kind of scopes among the kinds of what was changed.
const scopeKind = "scope"

// step is what led from one snapshot to another.
type step struct {
	*access.Proposal
	described []access.About // of what is known of things besides
	beyond    bool           // something else was changed, such as settings or credentials

	once  sync.Once
	about []access.About // worked out for all who are told

	writing   sync.Once
	written   json.RawMessage // the changes as followers are told them
	unwritten error
}

// all is what the step is about.
func (s *step) all() []access.About {
	s.once.Do(func() { s.about = slices.Concat(s.About(), s.described) })
	return s.about
}

// ledBy returns the step that a plan is.
func ledBy(p Plan) *step {
	s := &step{Proposal: p.Proposal, beyond: p.Beside != nil}
	for id := range p.Described.Scopes {
		s.described = append(s.described, access.About{Kind: scopeKind, Places: []model.ID{id}})
	}
	for id := range p.Described.Principals {
		if one, ok := p.Proposal.After.Principal(id); ok {
			s.described = append(s.described, access.About{Kind: one.Kind.String()})
		}
	}
	for id := range p.Described.Policies {
		if one, ok := p.Proposal.After.Policy(id); ok {
			s.described = append(s.described, access.About{Kind: "policy", Places: []model.ID{one.Scope}})
		}
	}
	return s
}

// lastSteps keeps the last steps, for those who follow an organisation.
type lastSteps struct {
	mu    sync.Mutex
	steps []ledTo // oldest first
}

type ledTo struct {
	revision uint64
	*step
}

// mostSteps is how many steps are kept: a reader that is further behind is told that anything may have changed.
const mostSteps = 32

func (l *lastSteps) add(revision uint64, led *step) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.steps) == mostSteps {
		l.steps = append(l.steps[:0], l.steps[1:]...)
	}
	l.steps = append(l.steps, ledTo{revision, led})
}

// between returns the steps from one revision to another; whole is false where one is not known.
func (l *lastSteps) between(from, to uint64) (steps []*step, whole bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	at := from
	for _, one := range l.steps {
		if one.revision <= from || one.revision > to {
			continue
		}
		if one.step == nil || one.Before.Revision() != at {
			return nil, false
		}
		steps, at = append(steps, one.step), one.revision
	}
	return steps, at == to
}

// News tells what led to a revision, as far as its reader sees it.
type News struct {
	Revision uint64
	Kinds    []string // of the things that were changed, as permissions call them; scopes are "scope"
	Places   []string // addresses where something was changed
	Beyond   bool     // something was changed besides that is not told here
	Mine     bool     // the reader's own access may be another
	// Beside says that what decides who may sign in may be another: settings and credentials. It is not told.
	Beside bool
}

// News returns what has led from one revision of the caller's organisation to the current one, and what is closed when a later one is
// published, by this instance or, as soon as it is followed, by another. Since revision 0 only the current one is told.
func (s *Tenants) News(ctx context.Context, c Caller, organisation string, since uint64) (news News, changed <-chan struct{}, err error) {
	h := s.Tenant(c.Organisation)
	changed = h.changed.wait() // before the revision is read, so that none is missed
	d, _, err := s.OpenOrganisation(ctx, c, organisation)
	if err != nil {
		return News{}, nil, err
	}
	news.Revision = d.Revision()
	if since == 0 || since == news.Revision {
		return news, changed, nil
	}
	steps, whole := h.recent.between(since, news.Revision)
	news.Beyond, news.Mine, news.Beside = !whole, !whole, !whole
	news.Places = make([]string, 0, len(steps))
	for _, led := range steps {
		d.tell(&news, led)
	}
	slices.Sort(news.Kinds)
	slices.Sort(news.Places)
	news.Places = slices.Compact(news.Places)
	return news, changed, nil
}

// tell adds what the reader sees of a step.
func (d Viewer) tell(news *News, led *step) {
	news.Beyond, news.Beside = news.Beyond || led.beyond, news.Beside || led.beyond
	news.Mine = news.Mine || led.Touches(d.Me)
	for _, about := range led.all() {
		if !d.sees(about) {
			news.Beyond = true
			continue
		}
		if !slices.Contains(news.Kinds, about.Kind) {
			news.Kinds = append(news.Kinds, about.Kind)
		}
		for i, id := range about.Places {
			seen := i == 0 && about.Kind == scopeKind // which is what was asked above
			if seen || d.Sight.Sees(id) {
				news.Places = append(news.Places, d.Address(id))
			}
		}
	}
}

// sees reports whether the reader could read what a change is about: a scope that they see, or what they may list.
func (d Viewer) sees(about access.About) bool {
	at := d.OrganisationID()
	if len(about.Places) > 0 {
		at = about.Places[0]
	}
	switch about.Kind {
	case scopeKind:
		return d.Sight.Sees(at)
	case model.Guest.String(), model.OutsidePerson.String():
		return d.May("list user", at)
	}
	return d.May("list "+about.Kind, at)
}
