package demo

import (
	"context"
	"errors"
	"fmt"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/standin/identity"
)

// sso is the identity provider of the Quaywater Seed Exchange.
const sso = "quaywater-sso"

// entryRule is whom lindenmere lets in by it.
const entryRule = `claim.role is "consultant"`

// LoadProvider has the organisation trust a provider that answers at an address: only consultants come in by it, and those for seeds see the
// seedbank's trials. One of them has come in, and a bookkeeper was refused.
func LoadProvider(ctx context.Context, address, issuer string) error {
	rowan, err := as(ctx, address, "rowan@lindenmere")
	if err != nil {
		return err
	}
	if err := client.Done(rowan.CreateProvider(ctx, lindenmere, api.ProviderNew{Name: sso, Title: "Quaywater Seed Exchange", Description: "The exchange's own people, who sign in at their own provider."})); err != nil {
		return err
	}
	made, err := rowan.CreateTrust(ctx, lindenmere, sso, api.TrustWanted{Issuer: issuer, ClientId: identity.ClientID, Secret: identity.Secret, Scopes: []string{"profile", "email"}})
	if err != nil {
		return err
	}
	rule := entryRule
	if err := client.Done(rowan.SetEntry(ctx, lindenmere, sso, nil, api.EntryEdit{EntryRule: &rule})); err != nil {
		return err
	}
	trial, err := rowan.BeginTrial(ctx, lindenmere, sso, made.Trust.Id)
	if err != nil {
		return err
	}
	if err := visit(ctx, trial.Address, "q-4711"); err != nil {
		return err
	}
	if err := client.Done(rowan.SetTrustState(ctx, lindenmere, sso, made.Trust.Id, nil, api.TrustStateWanted{State: api.TrustInUse})); err != nil {
		return err
	}
	policy := api.PolicyNew{Name: "exchange-partners", Description: "What consultants of the seed exchange see.", Text: `people from quaywater-sso with department "seeds" may observe tree`}
	if err := client.Done(rowan.CreatePolicyAt(ctx, lindenmere+"/science/seedbank/seedbank-trial", policy)); err != nil {
		return err
	}
	upload := api.GrantNew{Principal: api.PrincipalRef{Kind: api.ServiceAccountKind, Name: digitising + "/label-uploader"}, Role: "content-writer", Description: "puts the images of labels"}
	if err := client.Done(rowan.CreateGrant(ctx, digitising+"/scans.bucket", upload)); err != nil {
		return err
	}
	job := api.KeyNew{Label: "nightly upload", Tokens: &api.OutsideTokens{Issuer: issuer, Audience: "arbora", Rule: `claim.sub is "label-job"`}}
	if err := client.Done(rowan.CreateKey(ctx, lindenmere, api.ServiceAccountKind, digitising+"/label-uploader", job)); err != nil {
		return err
	}
	// A link that differs by the case of two letters from what the provider says.
	if err := client.Done(rowan.CreateLink(ctx, lindenmere, sso, nil, api.GroupLink{OutsideGroup: "seed-curators", Group: "seed-curators"})); err != nil {
		return err
	}
	if err := client.Done(rowan.CreateLink(ctx, lindenmere, sso, nil, api.GroupLink{OutsideGroup: "consultants", Group: "contractors"})); err != nil {
		return err
	}
	for _, subject := range []string{"q-1001", "q-4711", "q-2040"} {
		if err := visit(ctx, fmt.Sprintf("%s/sign-in/by/%s/%s", address, lindenmere, sso), subject); err != nil {
			return err
		}
	}
	return nil
}

// visit does what somebody does in a browser who is sent to the provider.
func visit(ctx context.Context, address, subject string) error {
	browser, err := identity.NewBrowser()
	if err != nil {
		return err
	}
	at, err := identity.Visit(ctx, browser, address, subject)
	if err == nil && at.Fragment == "" && at.Path != "/" {
		err = errors.New("the provider led to " + at.String())
	}
	return err
}
