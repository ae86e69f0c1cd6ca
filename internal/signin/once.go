package signin

import (
	"context"
	"crypto/sha256"
	"fmt"

	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// A request that creates something may carry a key of its maker's choice: sent again under it, because its answer was lost, it is
// answered as it was the first time, and nothing is created twice. That it was carried out is written with the change itself.

// Once begins a request under a key, which is the caller's own. What the request asks for is given by its digest. Earlier is what it was
// answered with when it was carried out before, nil when it is now to be, by the caller returned.
func (s *SignIns) Once(ctx context.Context, c tenant.Caller, key string, request [sha256.Size]byte) (by tenant.Caller, earlier *store.Answered, err error) {
	c.Once = sha256.Sum256(fmt.Appendf(nil, "%s %s %s", c.Organisation, c.Principal, key))
	if c.Identity.Keeper {
		c.Once = sha256.Sum256(fmt.Appendf(nil, "keeper %s %s", c.Identity.ID, key))
	}
	before, begun, err := s.Records.BeginOnce(ctx, c.Once, request, s.Moment())
	switch {
	case err != nil || begun:
		return c, nil, err
	case before.Request != request:
		return c, nil, &problem.Problem{Kind: problem.Invalid, Detail: "this key was used for another request", Next: "use a new key for each request", Field: "Idempotency-Key"}
	case before.Status != 0:
		return c, &before, nil
	case before.Revision != 0:
		return c, nil, &problem.Problem{
			Kind: problem.Conflict, Detail: fmt.Sprintf("this request was carried out, and led to revision %d, but its answer is lost", before.Revision), Next: "read what it created",
		}
	}
	return c, nil, &problem.Problem{Kind: problem.Conflict, Detail: "this request is being carried out", Next: "send it again in a moment, under the same key"}
}

// Answer keeps what a request begun under a key was answered with, and forgets one that led to nothing.
func (s *SignIns) Answer(ctx context.Context, c tenant.Caller, status int, body []byte) error {
	ctx = context.WithoutCancel(ctx)
	if status >= 300 {
		return s.Records.ForgetOnce(ctx, c.Once)
	}
	return s.Records.FinishOnce(ctx, c.Once, status, body)
}
