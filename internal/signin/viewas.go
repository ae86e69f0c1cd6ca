package signin

import (
	"context"
	"fmt"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"

	"arbora.example/access/model"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Whoever may can see the tree and its pages as somebody else sees them, and change nothing meanwhile: nobody has to sign
// out and in again to find out what another can do.

// viewing remembers who looks as whom, so that a look of an hour is recorded once.
type viewing struct {
	recent *expirable.LRU[string, struct{}]
}

const (
	viewingKept = 10_000
	viewingFor  = time.Hour
)

func newViewing() *viewing {
	return &viewing{recent: expirable.NewLRU[string, struct{}](viewingKept, nil, viewingFor)}
}

// ActFor returns a caller that is a platform service and acts for somebody whom it serves, who is at a network address if the
// service tells it: it may do what both may, and register and retire what is of its own types as far as that one may. Changes are
// recorded as made for them.
func (s *SignIns) ActFor(ctx context.Context, c tenant.Caller, who tenant.PrincipalRef, from string) (tenant.Caller, error) {
	if c.Kind != model.PlatformService {
		return c, &problem.Problem{Kind: problem.Refused, Detail: "only a platform service can act for others", Next: "act as yourself", Field: "Act-For"}
	}
	d, err := s.Open(ctx, c)
	if err != nil {
		return c, err
	}
	p, err := d.PrincipalCalled(who.Kind, who.Name)
	if err != nil {
		return c, problem.InField(err, "Act-For")
	}
	c.Name += fmt.Sprintf(" for %s %s", p.Kind, d.Called(p).Name)
	c.Served, c.ServedFrom = p.ID, from
	return c, nil
}

// ViewAs returns a caller who sees what somebody else sees. It takes "view-as" of that principal, and the caller must hold
// all that the other does: otherwise it would show what is not theirs to see.
func (s *SignIns) ViewAs(ctx context.Context, c tenant.Caller, who tenant.PrincipalRef) (tenant.Caller, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return c, err
	}
	if who.Kind == model.Group.String() {
		return c, &problem.Problem{Kind: problem.Invalid, Detail: "nobody can see as a group", Next: "name somebody in it", Field: "View-As"}
	}
	p, err := d.Governed(c.OrganisationName, who, "view-as")
	if err != nil {
		return c, err
	}
	if err := plan.MayActAs(d, p); err != nil {
		return c, err
	}
	key := c.Name + " " + p.ID.String()
	if _, known := s.viewing.recent.Get(key); !known {
		err := s.Records.Audit(ctx, store.AuditRecord{
			Organisation: c.OrganisationName, Author: s.Author(c), Event: "viewed-as", Detail: fmt.Sprintf("%s looks as %s %s", c.Name, p.Kind, d.Called(p).Name),
		})
		if err != nil {
			return c, err
		}
		s.viewing.recent.Add(key, struct{}{})
	}
	seen := c
	seen.Principal, seen.Kind, seen.ViewsAs = p.ID, p.Kind, d.Called(p).Name
	// What was confirmed belongs to changes, of which there are none here.
	seen.Confirmed = ""
	return seen, nil
}
