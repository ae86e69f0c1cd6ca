package provision

import (
	"context"
	"slices"

	"arbora.example/access"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
)

// choosesPassword reports whether people choose a password when they come for the first time: where they are the organisation's own, and the
// provider is trusted by nothing that they could sign in by.
func (p *Provisioning) choosesPassword(ctx context.Context, sys System) (bool, error) {
	if !sys.Provider.Own {
		return false, nil
	}
	trusts, err := p.Records.Trusts(ctx, sys.organisation)
	return !slices.ContainsFunc(trusts, func(t store.Trust) bool { return t.Provider == sys.Provider.ID }), err
}

// welcome mails somebody whom a system has created a link to choose a password. An administrator can mail another if the letter is not sent.
func (p *Provisioning) welcome(ctx context.Context, sys System, link signin.NewLink, email string) error {
	now, err := p.Current(ctx, p.Tenant(sys.organisation))
	if err != nil {
		return err
	}
	who, _ := now.Principal(link.Principal)
	if mailed := p.mailLink(ctx, sys, link, who, email); !mailed.Sent {
		p.Log.Warn("somebody who was provisioned gets no link to choose a password", "who", who.Name, "why", mailed.Why)
	}
	return nil
}

// mailLink mails somebody who has come a link to choose a password.
func (p *Provisioning) mailLink(ctx context.Context, sys System, link signin.NewLink, who access.Principal, email string) plan.Mailed {
	return p.SendLink(ctx, sys.caller, link, email, credential.SignIn{Name: who.Name, Organisation: sys.caller.OrganisationName}.String()).Mailed
}
