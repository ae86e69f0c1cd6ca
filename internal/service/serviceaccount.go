package service

import (
	"context"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/store"
)

// NewAccount is a service account that somebody wants.
type NewAccount struct {
	Name, Title, Description string
	Tags                     map[string]string
}

// AccountView is a service account as its viewer may see it.
type AccountView struct {
	access.Principal
	store.PrincipalDetails
	Address string
}

// CreateServiceAccount makes a service account that lives at a scope.
func CreateServiceAccount(scope string, wanted NewAccount) Change[AccountView] {
	var made AccountView
	return Change[AccountView]{
		plan: func(_ context.Context, s *Service, _ Caller) planner { return s.planAccount(scope, wanted, &made) },
		tell: func(context.Context, *Service, Caller, *access.Snapshot) (AccountView, error) { return made, nil },
	}
}

func (s *Service) planAccount(key string, wanted NewAccount, made *AccountView) planner {
	return func(d desk) (plan, error) {
		scope, err := d.scope(key)
		if err != nil {
			return plan{}, err
		}
		if err := d.need("create service-account", scope); err != nil {
			return plan{}, err
		}
		if err := checkLine("title", "the title", wanted.Title); err != nil {
			return plan{}, err
		}
		p := access.Principal{ID: newID(), Kind: model.ServiceAccount, Name: wanted.Name, Home: scope.ID, Tags: wanted.Tags}
		*made = AccountView{
			Principal:        p,
			PrincipalDetails: store.PrincipalDetails{Title: wanted.Title, Description: wanted.Description, State: credential.Active, CreatedAt: s.moment()},
			Address:          d.accountAddress(p),
		}
		planned := plan{changes: []access.Change{access.CreatePrincipal{Principal: p}}}
		planned.describe(p.ID, made.PrincipalDetails)
		return planned, nil
	}
}

// ListServiceAccounts lists the service accounts that live at a scope or beneath it, by address, as far as the caller may
// list them.
func (s *Service) ListServiceAccounts(ctx context.Context, c Caller, key string) ([]AccountView, error) {
	d, scope, err := s.openAt(ctx, c, key)
	if err != nil {
		return nil, err
	}
	var found []access.Principal
	for p := range d.Principals(model.ServiceAccount) {
		if d.IsAtOrBeneath(p.Home, scope.ID) && d.may("list service-account", p.Home) {
			found = append(found, p)
		}
	}
	details, err := s.records.PrincipalDetails(ctx, c.Organisation, idsOf(found))
	if err != nil {
		return nil, err
	}
	list := make([]AccountView, len(found))
	for i, p := range found {
		list[i] = AccountView{Principal: p, PrincipalDetails: details[p.ID], Address: d.accountAddress(p)}
	}
	return list, nil
}

// called gives a principal under the name it is told by: a service account is told by its address.
func (d desk) called(p access.Principal) access.Principal {
	if p.Kind == model.ServiceAccount {
		p.Name = d.accountAddress(p)
	}
	return p
}

func (d desk) allCalled(list []access.Principal) []access.Principal {
	told := make([]access.Principal, len(list))
	for i, p := range list {
		told[i] = d.called(p)
	}
	return told
}

// accountAddress gives the address of a service account: of the scope it lives at, and its name; empty for others.
func (d desk) accountAddress(p access.Principal) string {
	if p.Kind != model.ServiceAccount {
		return ""
	}
	return d.Address(p.Home) + "/" + p.Name
}
