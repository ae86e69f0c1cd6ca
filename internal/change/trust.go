package change

import (
	"context"
	"fmt"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/outside"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// TrustWanted is by what a provider is to be trusted.
type TrustWanted struct {
	Issuer, ClientID string
	Secret           string // empty leaves it, or is none
	OwnKey           bool   // in place of a secret
	Scopes           []string
}

const needsTrust = "change by what an identity provider is trusted"

// CreateTrust has a provider be trusted by its word over OpenID Connect, on trial at first.
func (s *Changes) CreateTrust(organisation, provider string, wanted TrustWanted) plan.Change[signin.TrustView] {
	t := store.Trust{ID: tenant.NewID(), State: store.TrustOnTrial, CreatedAt: s.Moment()}
	return plan.Change[signin.TrustView]{
		Of: s.Maker, Needs: needsTrust,
		Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner {
			return func(d tenant.Viewer) (tenant.Plan, error) {
				p, err := s.Vouching(ctx, d, organisation, provider)
				if err != nil {
					return tenant.Plan{}, err
				}
				if err := s.fill(&t, p, wanted); err != nil {
					return tenant.Plan{}, err
				}
				return tenant.Plan{Beside: func(tx tenant.Tx) error { return tx.PutTrust(store.Trust{}, t) }, What: "had " + p.Name + " be trusted by " + t.Issuer + ", on trial"}, nil
			}
		},
		Ready: func(ctx context.Context) error { return s.Meet(ctx, t) },
		Tell: func(context.Context, tenant.Caller, *access.Snapshot) (signin.TrustView, error) {
			return s.TrustViewOf(t), nil
		},
	}
}

// Vouching finds a provider that the caller may say such things of, with the tags that it gives.
func (s *Changes) Vouching(ctx context.Context, d tenant.Viewer, organisation, name string) (access.Principal, error) {
	if _, err := d.NeedAtTop("edit provider", organisation); err != nil {
		return access.Principal{}, err
	}
	p, err := d.PrincipalCalled(model.Provider.String(), name)
	if err != nil {
		return p, err
	}
	tags, err := s.TagsSaid(ctx, p.ID)
	if err != nil {
		return p, err
	}
	return p, plan.MayVouch(d, p, tags)
}

// fill takes over what is wanted of a trust.
func (s *Changes) fill(t *store.Trust, provider access.Principal, wanted TrustWanted) error {
	if _, err := outside.CheckAddress(wanted.Issuer); err != nil {
		return &problem.Problem{Kind: problem.Invalid, Detail: "the issuer: " + err.Error(), Next: "write it as the provider does", Field: "issuer"}
	}
	if err := tenant.CheckLine("clientId", "the client id", wanted.ClientID); err != nil {
		return err
	}
	for _, scope := range wanted.Scopes {
		if scope == "" || strings.ContainsAny(scope, " \"\\") {
			return &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("%q is not a scope: it is one word", scope), Next: "name scopes one by one", Field: "scopes"}
		}
	}
	if wanted.OwnKey && wanted.Secret != "" {
		return &problem.Problem{Kind: problem.Invalid, Detail: "a client shows a secret or a signature, not both", Next: "leave the secret out, or the own key", Field: "secret"}
	}
	t.OwnKey = wanted.OwnKey
	if wanted.Issuer != t.Issuer || wanted.OwnKey {
		t.Sealed = nil // a secret is for the issuer that it was given for, and is shown to no other
	}
	t.Provider, t.Issuer, t.ClientID, t.Scopes = provider.ID, wanted.Issuer, wanted.ClientID, wanted.Scopes
	if wanted.Secret != "" {
		t.Sealed = s.SealTrust(t.ID, wanted.Secret)
	}
	return nil
}

// EditTrust has a trust name another issuer or client, and go back on trial.
func (s *Changes) EditTrust(organisation, provider, id string, wanted TrustWanted) plan.Change[plan.Nothing] {
	var t store.Trust
	return plan.Change[plan.Nothing]{
		Of: s.Maker, Needs: needsTrust,
		Plan: s.planTrust(organisation, provider, id, func(p access.Principal, was store.Trust) (tenant.Plan, error) {
			t = was
			if err := s.fill(&t, p, wanted); err != nil {
				return tenant.Plan{}, err
			}
			made := tenant.Plan{What: "had " + p.Name + " be trusted by " + t.Issuer}
			if t.Issuer != was.Issuer || t.ClientID != was.ClientID {
				if t.State == store.TrustInUse {
					made.Warnings = []string{"It is on trial again until it was tried: until then nobody signs in by it, and the sessions that began by it end."}
				}
				t.State, t.TriedAt = store.TrustOnTrial, time.Time{}
			} else if t.OwnKey && !was.OwnKey {
				made.Warnings = []string{"The provider has to read Arbora's keys before that. Until it does, nobody signs in by it."}
			}
			made.Beside = func(tx tenant.Tx) error { return tx.PutTrust(was, t) }
			return made, nil
		}),
		Ready: func(ctx context.Context) error { return s.Meet(ctx, t) },
	}
}

// UseTrust has people come in by a trust that was tried, or no more.
func (s *Changes) UseTrust(organisation, provider, id string, use bool) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Needs: needsTrust, Plan: s.planTrust(organisation, provider, id, func(p access.Principal, was store.Trust) (tenant.Plan, error) {
		t := was
		if !use {
			t.State = store.TrustOnTrial
			return tenant.Plan{
				Beside: func(tx tenant.Tx) error { return tx.PutTrust(was, t) }, What: "had nobody sign in by " + p.Name + " through " + t.Issuer + " any more",
				Warnings: []string{"The sessions that began by it end."},
			}, nil
		}
		if was.State == store.TrustInUse {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: "it is in use already", Next: "there is nothing to do"}
		}
		if was.TriedAt.IsZero() {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: "nobody has signed in by it on trial yet", Next: "try it first: you see the claims of the provider, and nobody comes in"}
		}
		t.State = store.TrustInUse
		return tenant.Plan{Beside: func(tx tenant.Tx) error { return tx.PutTrust(was, t) }, What: "had people sign in by " + p.Name + " through " + t.Issuer}, nil
	})}
}

// RemoveTrust has a provider be trusted no more by a trust.
func (s *Changes) RemoveTrust(organisation, provider, id string) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Needs: needsTrust, Plan: s.planTrust(organisation, provider, id, func(p access.Principal, was store.Trust) (tenant.Plan, error) {
		return tenant.Plan{
			Beside: func(tx tenant.Tx) error { return tx.RemoveTrust(was) }, What: "had " + p.Name + " be trusted by " + was.Issuer + " no more",
			Warnings: []string{"The sessions that began by it end. People and what they hold stay."},
		}, nil
	})}
}

// planTrust plans something of a trust that is there.
func (s *Changes) planTrust(organisation, provider, id string, make func(access.Principal, store.Trust) (tenant.Plan, error)) func(context.Context, tenant.Caller) plan.Planner {
	return func(ctx context.Context, _ tenant.Caller) plan.Planner {
		return func(d tenant.Viewer) (tenant.Plan, error) {
			p, err := s.Vouching(ctx, d, organisation, provider)
			if err != nil {
				return tenant.Plan{}, err
			}
			t, err := s.TrustOf(ctx, p, id)
			if err != nil {
				return tenant.Plan{}, err
			}
			return make(p, t)
		}
	}
}
