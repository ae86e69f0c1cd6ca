package signin

import (
	"context"
	"errors"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// StewardReset is a temporary password of a steward, told this once.
type StewardReset struct {
	SignIn, Password string
	Revision         uint64
}

// ResetFirstSteward gives the first steward of an organisation another temporary password, for keepers: the one that was told when the
// organisation was made may have been lost. It is refused once the first password was replaced, since from then on the account
// is the steward's own.
func (s *SignIns) ResetFirstSteward(ctx context.Context, c tenant.Caller, organisation string) (StewardReset, error) {
	if err := tenant.NeedKeeper(c, "reset the first steward's password"); err != nil {
		return StewardReset{}, err
	}
	if err := s.NeedProof(c, "reset the first steward's password"); err != nil {
		return StewardReset{}, err
	}
	id, stewards, err := s.stewardsOf(ctx, organisation)
	if err != nil {
		return StewardReset{}, err
	}
	inUse := &problem.Problem{
		Kind: problem.Conflict, Detail: "the first steward of " + organisation + " has signed in",
		Next: "another steward can reset the password; if there is none, run arbora reset-steward on the host",
	}
	if len(stewards) != 1 {
		return StewardReset{}, inUse
	}
	identity, err := s.Records.Identity(ctx, stewards[0].ID)
	if err != nil {
		return StewardReset{}, err
	}
	if !identity.Temporary {
		return StewardReset{}, inUse
	}
	return s.resetSteward(ctx, c, id, identity)
}

// ResetSteward gives a steward of an organisation a temporary password, for whoever can reach the records on the host. All its
// stewards are told by mail.
func (s *SignIns) ResetSteward(ctx context.Context, organisation, name string) (StewardReset, error) {
	id, stewards, err := s.stewardsOf(ctx, organisation)
	if err != nil {
		return StewardReset{}, err
	}
	var identities []store.Identity
	var wanted *store.Identity
	for _, steward := range stewards {
		identity, err := s.Records.Identity(ctx, steward.ID)
		if err != nil {
			return StewardReset{}, err
		}
		identities = append(identities, identity)
		if steward.Name == name {
			wanted = &identities[len(identities)-1]
		}
	}
	if wanted == nil {
		return StewardReset{}, problem.Missing("steward of "+organisation, name, "")
	}
	host := tenant.Caller{Identity: store.Identity{Keeper: true}, Name: "host", From: "host"}
	reset, err := s.resetSteward(ctx, host, id, *wanted)
	if err != nil {
		return StewardReset{}, err
	}
	for _, identity := range identities {
		s.Notify(ctx, identity, "Somebody at the host of the service reset the password of steward "+name+".")
	}
	return reset, nil
}

// stewardsOf returns the users who hold the role steward at the top of an organisation by grants of their own.
func (s *SignIns) stewardsOf(ctx context.Context, organisation string) (model.ID, []access.Principal, error) {
	id, err := s.Records.OrganisationNamed(ctx, organisation)
	if errors.Is(err, store.ErrNotFound) {
		err = problem.Missing("organisation", organisation, "")
	}
	if err != nil {
		return model.ID{}, nil, err
	}
	now, err := s.Current(ctx, s.Tenant(id))
	if err != nil {
		return model.ID{}, nil, err
	}
	var stewards []access.Principal
	for _, grant := range now.GrantsAt(id) {
		if p, ok := now.Principal(grant.Principal); ok && grant.Role == "steward" && p.Kind == model.User {
			stewards = append(stewards, p)
		}
	}
	return id, stewards, nil
}

func (s *SignIns) resetSteward(ctx context.Context, c tenant.Caller, organisation model.ID, identity store.Identity) (StewardReset, error) {
	hash, password, err := s.NewPassword(ctx, "", "password")
	if err != nil {
		return StewardReset{}, err
	}
	next, err := s.Write(ctx, c, organisation, func(*access.Snapshot, tenant.Details) (tenant.Plan, error) {
		return tenant.Plan{
			Beside: func(tx tenant.Tx) error {
				return tx.ResetPassword(identity, hash, s.Moment().Add(credential.TemporaryFor), store.Reset{})
			},
			What: "reset the password of steward " + identity.Name,
		}, nil
	})
	if err != nil {
		return StewardReset{}, err
	}
	if err := s.Records.ForgetGuesses(ctx, identity.SignIn()); err != nil {
		return StewardReset{}, err
	}
	return StewardReset{SignIn: identity.SignIn().String(), Password: password, Revision: next.Revision()}, nil
}
