package change

import (
	"context"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// NewProvider is an identity provider that somebody wants.
type NewProvider struct {
	Name, Title, Description string
	Tags                     map[string]string
	Own                      bool // its people are the organisation's own
}

// CreateProvider makes an identity provider, by which nobody comes yet.
func (s *Changes) CreateProvider(organisation string, wanted NewProvider) plan.Change[ask.ProviderView] {
	var made ask.ProviderView
	return plan.Change[ask.ProviderView]{
		Of:   s.Maker,
		Plan: func(context.Context, tenant.Caller) plan.Planner { return s.planProvider(organisation, wanted, &made) },
		Tell: func(context.Context, tenant.Caller, *access.Snapshot) (ask.ProviderView, error) { return made, nil },
	}
}

func (s *Changes) planProvider(organisation string, wanted NewProvider, made *ask.ProviderView) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		if _, err := d.NeedAtTop("create provider", organisation); err != nil {
			return tenant.Plan{}, err
		}
		if wanted.Title == "" {
			wanted.Title = wanted.Name
		}
		if err := tenant.CheckLine("title", "the title", wanted.Title); err != nil {
			return tenant.Plan{}, err
		}
		*made = ask.ProviderView{
			Principal:        access.Principal{ID: tenant.NewID(), Kind: model.Provider, Name: wanted.Name, Tags: wanted.Tags, Own: wanted.Own},
			PrincipalDetails: store.PrincipalDetails{Title: wanted.Title, Description: wanted.Description, State: credential.Active, CreatedAt: s.Moment()},
		}
		p := tenant.Plan{Changes: []access.Change{access.CreatePrincipal{Principal: made.Principal}}}
		p.Describe(made.ID, made.PrincipalDetails)
		return p, nil
	}
}

// NewOutsidePerson is somebody whom a provider knows, to be there before they come by themselves.
type NewOutsidePerson struct {
	Provider, Subject  string
	Name               string // without the provider
	Title, Description string
	Tags               map[string]string
	Groups             []string
	Grants             []NewGrant // for the person; who is left empty
	AtMost             string     // the most they may ever do; empty for no bound
}

// CreateOutsidePerson makes an outside person, with groups and grants.
func (s *Changes) CreateOutsidePerson(organisation string, wanted NewOutsidePerson) plan.Change[ask.UserView] {
	var made ask.UserView
	return plan.Change[ask.UserView]{
		Of: s.Maker,
		Plan: func(context.Context, tenant.Caller) plan.Planner {
			return s.planOutsidePerson(organisation, wanted, &made)
		},
		Tell: func(context.Context, tenant.Caller, *access.Snapshot) (ask.UserView, error) { return made, nil },
	}
}

func (s *Changes) planOutsidePerson(organisation string, wanted NewOutsidePerson, made *ask.UserView) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		if _, err := d.NeedAtTop("create user", organisation); err != nil {
			return tenant.Plan{}, err
		}
		provider, err := d.PrincipalCalled(model.Provider.String(), wanted.Provider)
		if err != nil {
			return tenant.Plan{}, problem.InField(err, "provider")
		}
		if wanted.Title == "" {
			wanted.Title = wanted.Name
		}
		if err := tenant.CheckLine("title", "the display name", wanted.Title); err != nil {
			return tenant.Plan{}, err
		}
		*made = ask.UserView{
			Principal: access.Principal{
				ID: tenant.NewID(), Kind: model.OutsidePerson, Name: wanted.Name + "@" + provider.Name, Tags: wanted.Tags, Provider: provider.ID, Subject: wanted.Subject,
			},
			PrincipalDetails: store.PrincipalDetails{Title: wanted.Title, Description: wanted.Description, State: credential.Active, CreatedAt: s.Moment()},
		}
		p, err := planStart(d, organisation, made.Principal, wanted.Groups, wanted.Grants, wanted.AtMost)
		if err != nil {
			return tenant.Plan{}, err
		}
		p.Changes = append([]access.Change{access.CreatePrincipal{Principal: made.Principal}}, p.Changes...)
		p.Describe(made.ID, made.PrincipalDetails)
		p.What = "created outside person " + made.Name + p.What
		return p, nil
	}
}
