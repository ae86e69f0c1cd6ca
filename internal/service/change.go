package service

import (
	"context"

	"arbora.example/access"
)

// Maker plans, weighs and makes changes of organisations.
type Maker struct {
	*Tenants
	post Post
}

// NewMaker makes one that tells people of their credentials by post; nil tells nobody.
func NewMaker(t *Tenants, post Post) *Maker { return &Maker{Tenants: t, post: post} }

// Change is a use case that alters an organisation: [Change.Make] makes it, and [Change.Preview] tells its impact by the very same
// plan. T is what whoever makes it hears besides the revision. A value is for one of the two, once.
type Change[T any] struct {
	of *Maker
	// needs is what it takes a fresh proof for; empty for nothing but what its gains take.
	needs string
	plan  func(ctx context.Context, c Caller) planner
	// ready does, once the plan is found good and before it is made, what takes too long for the time in which nobody else may change
	// the organisation; nil for nothing.
	ready func(ctx context.Context) error
	// already tells of it where it was made before; its revision is 0 where it is to be made. Nil for what is made each time.
	already func(ctx context.Context, c Caller) (told T, revision uint64, err error)
	// tell is asked once it is made; nil where there is nothing to tell.
	tell func(ctx context.Context, c Caller, next *access.Snapshot) (T, error)
}

// Nothing is what is heard of a change but its revision.
type Nothing struct{}

// Make makes the change in the caller's organisation, and returns what is to be told of it and the revision it led to.
func (change Change[T]) Make(ctx context.Context, c Caller) (told T, revision uint64, err error) {
	s := change.of
	if change.needs != "" {
		if err := s.needProof(c, change.needs); err != nil {
			return told, 0, err
		}
	}
	if change.already != nil {
		if told, revision, err = change.already(ctx, c); err != nil || revision > 0 {
			return told, revision, err
		}
	}
	plan := change.plan(ctx, c)
	if change.ready != nil {
		if _, err := s.preview(ctx, c, plan); err != nil {
			return told, 0, err
		}
		if err := change.ready(ctx); err != nil {
			return told, 0, err
		}
	}
	next, err := s.make(ctx, c, plan)
	if err != nil {
		return told, 0, err
	}
	if change.tell != nil {
		told, err = change.tell(ctx, c, next)
	}
	return told, next.Revision(), err
}

// Preview returns the impact of the change, authorised and checked as if it were made, and changes nothing.
func (change Change[T]) Preview(ctx context.Context, c Caller) (Impact, error) {
	return change.of.preview(ctx, c, change.plan(ctx, c))
}

// planned makes a change of which nothing is told, and whose plan needs no more than the caller's desk.
func planned(of *Maker, p planner) Change[Nothing] {
	return Change[Nothing]{of: of, plan: func(context.Context, Caller) planner { return p }}
}

// refusing is the plan of what is refused already.
func refusing(err error) planner {
	return func(desk) (plan, error) { return plan{}, err }
}

// made makes a planned change and gives the revision it led to.
func (s *Maker) made(ctx context.Context, c Caller, p planner) (uint64, error) {
	next, err := s.make(ctx, c, p)
	if err != nil {
		return 0, err
	}
	return next.Revision(), nil
}
