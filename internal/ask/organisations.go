package ask

import (
	"context"

	"arbora.example/access/model"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// OrganisationView is an organisation as keepers see it.
type OrganisationView struct {
	model.Scope
	store.ScopeDetails
}

// ListOrganisations lists the organisations by name, for keepers.
func (s *Answers) ListOrganisations(ctx context.Context, c tenant.Caller, page Page) (list []OrganisationView, next string, err error) {
	if err := tenant.NeedKeeper(c, "list organisations"); err != nil {
		return nil, "", err
	}
	revisions, err := s.Records.Revisions(ctx)
	if err != nil {
		return nil, "", err
	}
	for id := range revisions {
		now, err := s.Current(ctx, s.Tenant(id))
		if err != nil {
			return nil, "", err
		}
		if top, ok := now.Top(); ok {
			list = append(list, OrganisationView{Scope: top})
		}
	}
	list, next = cut(list, page, func(o OrganisationView) string { return o.Name })
	var ids []model.ID
	for _, o := range list {
		ids = append(ids, o.ID)
	}
	details, err := s.Records.ScopeDetails(ctx, ids)
	if err != nil {
		return nil, "", err
	}
	for i, o := range list {
		list[i].ScopeDetails = details[o.ID]
	}
	return list, next, nil
}
