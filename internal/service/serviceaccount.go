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

// CreateServiceAccount makes a service account that lives at a scope.
func (s *Changes) CreateServiceAccount(scope string, wanted NewAccount) Change[AccountView] {
	var made AccountView
	return Change[AccountView]{
		of:   s.Maker,
		plan: func(context.Context, Caller) planner { return s.planAccount(scope, wanted, &made) },
		tell: func(context.Context, Caller, *access.Snapshot) (AccountView, error) { return made, nil },
	}
}

func (s *Changes) planAccount(key string, wanted NewAccount, made *AccountView) planner {
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
