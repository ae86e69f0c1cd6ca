package change

import (
	"context"
	"errors"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// QuotasView is what an organisation may have, and what it has.
type QuotasView struct {
	Set, Most settings.Quotas // what keepers set, and what counts
	Has       access.Size
}

// Quotas tells keepers, and whoever may describe an organisation, what it may have.
func (s *Changes) Quotas(ctx context.Context, c tenant.Caller, organisation string) (QuotasView, error) {
	id, err := s.bounded(ctx, c, organisation)
	if err != nil {
		return QuotasView{}, err
	}
	h := s.Tenant(id)
	now, err := s.Current(ctx, h)
	if err != nil {
		return QuotasView{}, err
	}
	set := h.Bounds()
	return QuotasView{Set: set, Most: set.OrUsual(), Has: now.Size()}, nil
}

// bounded returns the organisation whose quotas a caller may see.
func (s *Changes) bounded(ctx context.Context, c tenant.Caller, organisation string) (model.ID, error) {
	if !c.Identity.Keeper {
		d, err := s.Open(ctx, c)
		if err != nil {
			return model.ID{}, err
		}
		top, err := d.NeedAtTop("describe organisation", organisation)
		return top.ID, err
	}
	id, err := s.Records.OrganisationNamed(ctx, organisation)
	if errors.Is(err, store.ErrNotFound) {
		err = problem.Missing("organisation", organisation, "")
	}
	return id, err
}

// SetQuotas bounds an organisation, for keepers. What is there beyond a quota stays, and no more is added.
func (s *Changes) SetQuotas(ctx context.Context, c tenant.Caller, organisation string, wanted settings.Quotas) (uint64, error) {
	if err := tenant.NeedKeeper(c, "set quotas"); err != nil {
		return 0, err
	}
	if err := s.NeedProof(c, "set quotas"); err != nil {
		return 0, err
	}
	if err := wanted.Check(); err != nil {
		return 0, &problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Next: "give a number, or 0 for the usual one"}
	}
	id, err := s.bounded(ctx, c, organisation)
	if err != nil {
		return 0, err
	}
	next, err := s.Write(ctx, c, id, func(*access.Snapshot, tenant.Details) (tenant.Plan, error) {
		before := s.Tenant(id).Bounds()
		return tenant.Plan{
			Beside: func(tx tenant.Tx) error { return tx.SetQuotas(before, wanted) },
			What:   "set the quotas of the organisation", Quotas: &wanted,
		}, nil
	})
	if err != nil {
		return 0, err
	}
	return next.Revision(), nil
}
