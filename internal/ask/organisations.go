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

// ListOrganisations lists all organisations, for keepers.
func (s *Answers) ListOrganisations(ctx context.Context, c tenant.Caller) ([]OrganisationView, error) {
	if err := tenant.NeedKeeper(c, "list organisations"); err != nil {
		return nil, err
	}
	revisions, err := s.Records.Revisions(ctx)
	if err != nil {
		return nil, err
	}
	var ids []model.ID
	byName := map[string]OrganisationView{}
	for id := range revisions {
		now, err := s.Current(ctx, s.Tenant(id))
		if err != nil {
			return nil, err
		}
		if top, ok := now.Top(); ok {
			byName[top.Name] = OrganisationView{Scope: top}
			ids = append(ids, id)
		}
	}
	details, err := s.Records.ScopeDetails(ctx, ids)
	if err != nil {
		return nil, err
	}
	list := make([]OrganisationView, 0, len(byName))
	for _, name := range tenant.SortedKeys(byName) {
		o := byName[name]
		o.ScopeDetails = details[o.ID]
		list = append(list, o)
	}
	return list, nil
}
