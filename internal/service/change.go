package service

import (
	"context"

	"arbora.example/access"
)

// Change is a use case that alters an organisation. [Make] makes it, and [Preview] tells its impact by the very same plan; T is what
// whoever makes it hears besides the revision. A value is for one of the two, once.
type Change[T any] struct {
	// needs is what it takes a fresh proof for; empty for nothing but what its gains take.
	needs string
	plan  func(ctx context.Context, s *Service, c Caller) planner
	// already tells of it where it was made before; its revision is 0 where it is to be made. Nil for what is made each time.
	already func(ctx context.Context, s *Service, c Caller) (told T, revision uint64, err error)
	// tell is asked once it is made; nil where there is nothing to tell.
	tell func(ctx context.Context, s *Service, c Caller, next *access.Snapshot) (T, error)
}

// Nothing is what is heard of a change but its revision.
type Nothing struct{}

// Make makes a change in the caller's organisation, and gives what is to be told of it and the revision it led to.
func Make[T any](ctx context.Context, s *Service, c Caller, change Change[T]) (told T, revision uint64, err error) {
	if change.needs != "" {
		if err := s.needProof(c, change.needs); err != nil {
			return told, 0, err
		}
	}
	if change.already != nil {
		if told, revision, err = change.already(ctx, s, c); err != nil || revision > 0 {
			return told, revision, err
		}
	}
	next, err := s.make(ctx, c, change.plan(ctx, s, c))
	if err != nil {
		return told, 0, err
	}
	if change.tell != nil {
		told, err = change.tell(ctx, s, c, next)
	}
	return told, next.Revision(), err
}

// Preview gives the impact of a change, authorised and checked as if it were made, and changes nothing.
func Preview[T any](ctx context.Context, s *Service, c Caller, change Change[T]) (Impact, error) {
	return s.preview(ctx, c, change.plan(ctx, s, c))
}

// planned gives a change of which nothing is told, and whose plan needs no more than the caller's desk.
func planned(p planner) Change[Nothing] {
	return Change[Nothing]{plan: func(context.Context, *Service, Caller) planner { return p }}
}
