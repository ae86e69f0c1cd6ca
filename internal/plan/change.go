package plan

import (
	"context"

	"arbora.example/access"
	"arbora.example/internal/tenant"
)

// Maker plans, weighs and makes changes of organisations.
type Maker struct {
	*tenant.Tenants
	Post Post
}

// NewMaker makes one that tells people of their credentials by post; nil tells nobody.
func NewMaker(t *tenant.Tenants, post Post) *Maker { return &Maker{Tenants: t, Post: post} }

// Change is a use case that alters an organisation: [Change.Make] makes it, and [Change.Preview] tells its impact by the very same
// plan. T is what whoever makes it hears besides the revision. A value is for one of the two, once.
type Change[T any] struct {
	Of *Maker
	// Needs is what it takes a fresh proof for; empty for nothing but what its gains take.
	Needs string
	Plan  func(ctx context.Context, c tenant.Caller) Planner
	// Ready does, once the plan is found good and before it is made, what takes too long for the time in which nobody else may change
	// the organisation; nil for nothing.
	Ready func(ctx context.Context) error
	// Already tells of it where it was made before; its revision is 0 where it is to be made. Nil for what is made each time.
	Already func(ctx context.Context, c tenant.Caller) (told T, revision uint64, err error)
	// Tell is asked once it is made; nil where there is nothing to tell.
	Tell func(ctx context.Context, c tenant.Caller, next *access.Snapshot) (T, error)
}

// Nothing is what is heard of a change but its revision.
type Nothing struct{}

// Make makes the change in the caller's organisation, and returns what is to be told of it and the revision it led to.
func (change Change[T]) Make(ctx context.Context, c tenant.Caller) (told T, revision uint64, err error) {
	s := change.Of
	if change.Needs != "" {
		if err := s.NeedProof(c, change.Needs); err != nil {
			return told, 0, err
		}
	}
	if change.Already != nil {
		if told, revision, err = change.Already(ctx, c); err != nil || revision > 0 {
			return told, revision, err
		}
	}
	plan := change.Plan(ctx, c)
	if change.Ready != nil {
		if _, err := s.Preview(ctx, c, plan); err != nil {
			return told, 0, err
		}
		if err := change.Ready(ctx); err != nil {
			return told, 0, err
		}
	}
	next, err := s.Make(ctx, c, plan)
	if err != nil {
		return told, 0, err
	}
	if change.Tell != nil {
		told, err = change.Tell(ctx, c, next)
	}
	return told, next.Revision(), err
}

// Preview returns the impact of the change, authorised and checked as if it were made, and changes nothing.
func (change Change[T]) Preview(ctx context.Context, c tenant.Caller) (Impact, error) {
	return change.Of.Preview(ctx, c, change.Plan(ctx, c))
}

// Planned makes a change of which nothing is told, and whose plan needs no more than its viewer.
func Planned(of *Maker, p Planner) Change[Nothing] {
	return Change[Nothing]{Of: of, Plan: func(context.Context, tenant.Caller) Planner { return p }}
}

// Refusing is the plan of what is refused already.
func Refusing(err error) Planner {
	return func(tenant.Viewer) (tenant.Plan, error) { return tenant.Plan{}, err }
}

// Made makes a planned change and gives the revision it led to.
func (s *Maker) Made(ctx context.Context, c tenant.Caller, p Planner) (uint64, error) {
	next, err := s.Make(ctx, c, p)
	if err != nil {
		return 0, err
	}
	return next.Revision(), nil
}
