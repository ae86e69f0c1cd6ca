package change

import (
	"context"
	"errors"
	"fmt"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// A provisioning token lets a provider's own system tell of its people and groups. Whoever has it says who comes by the provider, and in which of its
// groups they are: so it takes what trusting the provider takes.

const (
	needsProvisioning    = "let the system of an identity provider tell of its people"
	usualProvisioning    = 180 * 24 * time.Hour
	longestProvisioning  = 366 * 24 * time.Hour
	mostProvisioningLive = 10 // of one provider
)

// ProvisioningTokenMade is a token with its text, which is shown once.
type ProvisioningTokenMade struct {
	store.ProvisioningToken
	Token credential.Token
}

// CreateProvisioningToken makes a token for the system of a provider. The zero moment has it end after the usual while.
func (s *Changes) CreateProvisioningToken(organisation, provider, label string, until time.Time) plan.Change[ProvisioningTokenMade] {
	made := ProvisioningTokenMade{Token: credential.NewToken()}
	return plan.Change[ProvisioningTokenMade]{
		Of: s.Maker, Needs: needsProvisioning,
		Plan: func(ctx context.Context, c tenant.Caller) plan.Planner {
			return func(d tenant.Viewer) (tenant.Plan, error) {
				p, err := s.Vouching(ctx, d, organisation, provider)
				if err != nil {
					return tenant.Plan{}, err
				}
				now := s.Moment()
				if until.IsZero() {
					until = now.Add(usualProvisioning)
				}
				if err := tenant.CheckLine("label", "the label", label); err != nil {
					return tenant.Plan{}, err
				}
				if !until.After(now) || until.After(now.Add(longestProvisioning)) {
					return tenant.Plan{}, &problem.Problem{Kind: problem.Invalid, Detail: "a provisioning token lasts for 366 days at most, and ends in the future", Next: "choose a moment before that", Field: "until"}
				}
				if _, err := s.Records.Directory(ctx, p.ID); err == nil {
					return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: "the people of " + p.Name + " are read from its directory: a system would say something else", Next: "remove the directory, or provision another provider"}
				} else if !errors.Is(err, store.ErrNotFound) {
					return tenant.Plan{}, err
				}
				tokens, err := s.Records.ProvisioningTokens(ctx, p.ID)
				if err != nil {
					return tenant.Plan{}, err
				}
				live := 0
				for _, t := range tokens {
					if t.RevokedAt.IsZero() && now.Before(t.Until) {
						live++
					}
				}
				if live >= mostProvisioningLive {
					return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: fmt.Sprintf("%s has %d provisioning tokens already", p.Name, live), Next: "revoke those that nobody needs"}
				}
				made.ProvisioningToken = store.ProvisioningToken{ID: tenant.NewID(), Provider: p.ID, Label: label, Hash: made.Token.Hash(), CreatedBy: c.Name, CreatedAt: now, Until: until}
				return tenant.Plan{
					What: "let the system of " + p.Name + " tell of its people and groups",
					Beside: func(tx tenant.Tx) error {
						return tx.PutProvisioningToken(store.ProvisioningToken{}, made.ProvisioningToken)
					},
				}, nil
			}
		},
		Tell: func(context.Context, tenant.Caller, *access.Snapshot) (ProvisioningTokenMade, error) {
			return made, nil
		},
	}
}

// RevokeProvisioningToken ends a token at once.
func (s *Changes) RevokeProvisioningToken(organisation, provider, id string) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner {
		return func(d tenant.Viewer) (tenant.Plan, error) {
			p, err := s.ProviderToEdit(d, organisation, provider)
			if err != nil {
				return tenant.Plan{}, err
			}
			tokens, err := s.Records.ProvisioningTokens(ctx, p.ID)
			if err != nil {
				return tenant.Plan{}, err
			}
			for _, t := range tokens {
				if t.ID.String() != id || !t.RevokedAt.IsZero() {
					continue
				}
				after := t
				after.RevokedAt = s.Moment()
				return tenant.Plan{
					What:   "ended a provisioning token of " + p.Name,
					Beside: func(tx tenant.Tx) error { return tx.PutProvisioningToken(t, after) },
				}, nil
			}
			return tenant.Plan{}, problem.Missing("provisioning token", id, "")
		}
	}}
}

// ProviderToEdit finds a provider that the caller may edit.
func (s *Changes) ProviderToEdit(d tenant.Viewer, organisation, name string) (access.Principal, error) {
	if _, err := d.NeedAtTop("edit provider", organisation); err != nil {
		return access.Principal{}, err
	}
	return d.PrincipalCalled(model.Provider.String(), name)
}

// ListProvisioningTokens lists the tokens of a provider that are not revoked, the oldest first.
func (s *Changes) ListProvisioningTokens(ctx context.Context, c tenant.Caller, organisation, provider string) (live []store.ProvisioningToken, err error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return nil, err
	}
	p, err := s.ProviderToEdit(d, organisation, provider)
	if err != nil {
		return nil, err
	}
	tokens, err := s.Records.ProvisioningTokens(ctx, p.ID)
	for _, t := range tokens {
		if t.RevokedAt.IsZero() {
			live = append(live, t)
		}
	}
	return live, err
}
