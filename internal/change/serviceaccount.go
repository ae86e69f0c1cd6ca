package change

import (
	"context"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// NewAccount is a service account that somebody wants.
type NewAccount struct {
	Name, Title, Description string
	Tags                     map[string]string
}

// CreateServiceAccount makes a service account that lives at a scope.
func (s *Changes) CreateServiceAccount(scope string, wanted NewAccount) plan.Change[ask.AccountView] {
	var made ask.AccountView
	return plan.Change[ask.AccountView]{
		Of:   s.Maker,
		Plan: func(context.Context, tenant.Caller) plan.Planner { return s.planAccount(scope, wanted, &made) },
		Tell: func(context.Context, tenant.Caller, *access.Snapshot) (ask.AccountView, error) { return made, nil },
	}
}

func (s *Changes) planAccount(key string, wanted NewAccount, made *ask.AccountView) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		scope, err := d.ScopeAt(key)
		if err != nil {
			return tenant.Plan{}, err
		}
		if err := d.Need("create service-account", scope); err != nil {
			return tenant.Plan{}, err
		}
		if err := tenant.CheckLine("title", "the title", wanted.Title); err != nil {
			return tenant.Plan{}, err
		}
		p := access.Principal{ID: tenant.NewID(), Kind: model.ServiceAccount, Name: wanted.Name, Home: scope.ID, Tags: wanted.Tags}
		*made = ask.AccountView{
			Principal:        p,
			PrincipalDetails: store.PrincipalDetails{Title: wanted.Title, Description: wanted.Description, State: credential.Active, CreatedAt: s.Moment()},
			Address:          d.AccountAddress(p),
		}
		planned := tenant.Plan{Changes: []access.Change{access.CreatePrincipal{Principal: p}}}
		planned.Describe(p.ID, made.PrincipalDetails)
		return planned, nil
	}
}
