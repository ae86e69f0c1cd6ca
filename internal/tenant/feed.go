package tenant

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"math/rand/v2"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/feed"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
)

// Followers is the audience of access tokens made with keys for following: they open what followers read, and nothing else.
const Followers = "followers"

// mostMarks is how many marks of change records are kept in memory.
const mostMarks = 10_000

// revisionOf is a revision of an organisation.
type revisionOf struct {
	organisation model.ID
	revision     uint64
}

// Followed returns the current snapshot of the organisation that a follower follows; others are refused.
func (s *Tenants) Followed(ctx context.Context, c Caller, organisation string) (*access.Snapshot, error) {
	if c.Audience != Followers {
		return nil, &problem.Problem{Kind: problem.Refused, Detail: "this is for followers", Next: "show a key made by arbora key create --service NAME --follows"}
	}
	if err := WorksSomewhere(c); err != nil {
		return nil, err
	}
	now, err := s.Current(ctx, s.Tenant(c.Organisation))
	if err != nil {
		return nil, err
	}
	if top, _ := now.Top(); !now.AnswersTo(organisation) {
		return nil, &problem.Problem{Kind: problem.NotThere, Detail: "the access token is for organisation " + top.Name, Next: "follow that one, or get a token for another"}
	}
	return now, nil
}

// stateOf returns where an organisation stands with a snapshot.
func (s *Tenants) stateOf(ctx context.Context, h *Tenant, c Caller, now *access.Snapshot) (feed.State, error) {
	record, err := s.markOf(ctx, h, now.Revision())
	return feed.State{Revision: now.Revision(), Record: record, Catalogue: now.Catalogue().Digest(), Platform: PlatformService(now, c)}, err
}

// markOf returns what stands for the change record that led to a revision; zero when there is none.
func (s *Tenants) markOf(ctx context.Context, h *Tenant, revision uint64) (feed.Digest, error) {
	key := revisionOf{h.id, revision}
	if record, ok := s.marks.Get(key); ok {
		return record, nil
	}
	record, err := s.Records.RecordMark(ctx, h.id, revision)
	if errors.Is(err, store.ErrNotFound) {
		return feed.Digest{}, nil
	} else if err != nil {
		return feed.Digest{}, err
	}
	s.marks.Add(key, record)
	return record, nil
}

// FollowSnapshot returns what writes everything that decisions in the caller's organisation depend on, for a follower that begins. It
// records that the follower read it.
func (s *Tenants) FollowSnapshot(ctx context.Context, c Caller, organisation string) (write func(io.Writer) error, err error) {
	h := s.Tenant(c.Organisation)
	now, err := s.Followed(ctx, c, organisation)
	if err != nil {
		return nil, err
	}
	state, err := s.stateOf(ctx, h, c, now)
	if err != nil {
		return nil, err
	}
	record := store.AuditRecord{Organisation: c.OrganisationName, Author: s.Author(c), Event: "followed", Detail: c.Name + " began to follow the organisation, and read everything that decisions depend on"}
	if err := s.Records.Audit(context.WithoutCancel(ctx), record); err != nil {
		return nil, err
	}
	return func(w io.Writer) error { return feed.Write(w, state, now) }, nil
}

// Beyond returns what is closed at the next change of the caller's organisation, if that is at a state already; nil when it is at another.
func (s *Tenants) Beyond(ctx context.Context, c Caller, organisation string, since feed.State) (changed <-chan struct{}, err error) {
	h := s.Tenant(c.Organisation)
	changed = h.changed.wait() // before the revision is read, so that none is missed
	now, err := s.Followed(ctx, c, organisation)
	if err != nil || now.Revision() != since.Revision || now.Catalogue().Digest() != since.Catalogue {
		return nil, err
	}
	return changed, nil
}

// FollowChanges returns the changes of the caller's organisation since a state.
func (s *Tenants) FollowChanges(ctx context.Context, c Caller, organisation string, since feed.State) (feed.Page, error) {
	h := s.Tenant(c.Organisation)
	now, err := s.Followed(ctx, c, organisation)
	if err != nil {
		return feed.Page{}, err
	}
	p := feed.Page{}
	if p.State, err = s.stateOf(ctx, h, c, now); err != nil {
		return p, err
	}
	was, err := s.markOf(ctx, h, since.Revision)
	if err != nil {
		return p, err
	}
	if p.Reset = was != since.Record || p.State.Catalogue != since.Catalogue || since.Revision > now.Revision(); p.Reset || since.Revision == now.Revision() {
		return p, nil
	}
	if p.Changes, err = h.recent.told(since.Revision, now.Revision()); err != nil || p.Changes != nil {
		return p, err
	}
	steps, untold, err := s.Records.ChangesSince(ctx, h.id, since.Revision, now.Revision())
	if err != nil {
		return p, err
	}
	p.Reset = untold != nil || len(steps) > mostFollowed
	for i := 0; i < len(steps) && !p.Reset; i++ {
		text, err := access.EncodeChanges(steps[i].Changes)
		if err != nil {
			return p, err
		}
		p.Changes = append(p.Changes, feed.Step{Revision: steps[i].Revision, Changes: text})
	}
	return p, nil
}

// mostFollowed is how many steps are told one by one: a follower that is further behind reads the whole anew.
const mostFollowed = 10_000

// told returns the steps from one revision to another in the form of the feed; none where one is not known.
func (l *lastSteps) told(from, to uint64) ([]feed.Step, error) {
	steps, whole := l.between(from, to)
	if !whole {
		return nil, nil
	}
	told := make([]feed.Step, 0, len(steps))
	for _, one := range steps {
		text, err := one.text()
		if err != nil {
			return nil, err
		}
		if one.After.Revision() != one.Before.Revision()+1 {
			return nil, nil // several at once, by another instance: the records tell each
		}
		told = append(told, feed.Step{Revision: one.After.Revision(), Changes: text})
	}
	return told, nil
}

// text returns the changes of a step, written once for all followers.
func (s *step) text() (json.RawMessage, error) {
	s.writing.Do(func() { s.written, s.unwritten = access.EncodeChanges(s.Changes) })
	return s.written, s.unwritten
}

// What changes is told to many at a time, and telling one takes about tellingTakes. So each waits for a moment of its own within as long as
// all of them take, gatherMost at most; what changes until then is told with it.
const (
	tellingTakes = 50 * time.Microsecond
	gatherMost   = 250 * time.Millisecond
)

// Turn is where the moments of one lie who is told, from 0 to 1.
type Turn float64

// NewTurn takes a turn at random.
func NewTurn() Turn { return Turn(rand.Float64()) }

// Wait returns how long one of many waits from now on before it is told what changed.
func (t Turn) Wait(now time.Time, many int) time.Duration {
	period := min(time.Duration(many)*tellingTakes, gatherMost)
	if period <= 0 {
		return 0
	}
	since := time.Duration(now.UnixNano()) % period
	return (time.Duration(float64(t)*float64(period)) - since + period) % period
}

// Following counts a follower that waits for a change, until what it gives is called.
func (s *Tenants) Following() (done func()) {
	s.waiting.Add(1)
	return func() { s.waiting.Add(-1) }
}

// Followers returns how many followers wait for a change.
func (s *Tenants) Followers() int { return int(s.waiting.Load()) }
