package provision

import (
	"context"
	"errors"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// System is a provider's system that has come in.
type System struct {
	Provider     access.Principal
	caller       tenant.Caller // as whom it is recorded
	organisation model.ID
	refused      error // why it may not change anything; nil if it may
}

// touchedEvery is how often it is noted that a token is in use.
const touchedEvery = time.Minute

// Admit lets a system in that shows a provisioning token of a provider, or the access token of a service account that administers the provider
// and holds all that its people hold.
func (p *Provisioning) Admit(ctx context.Context, organisation, provider string, shown credential.Token, from string) (System, error) {
	if shown == "" {
		return System{}, &problem.Problem{Kind: problem.NotSignedIn, Detail: "no token is shown", Next: "send Authorization: Bearer and a provisioning token"}
	}
	t, err := p.Records.ProvisioningToken(ctx, shown.Hash())
	if errors.Is(err, store.ErrNotFound) {
		return p.admitAccount(ctx, organisation, provider, shown, from)
	} else if err != nil {
		return System{}, err
	}
	sys, err := p.system(ctx, t.Organisation, t.Provider, from)
	if err != nil {
		return System{}, err
	}
	now := p.Moment()
	switch {
	case sys.Provider.Name != provider || sys.caller.OrganisationName != organisation:
		return System{}, &problem.Problem{Kind: problem.Foreign, Detail: "this token is for another provider", Next: "use the address that was shown with it"}
	case !t.RevokedAt.IsZero():
		return System{}, &problem.Problem{Kind: problem.Revoked, Detail: "this provisioning token was revoked", Next: "ask an administrator of " + organisation + " for another"}
	case !now.Before(t.Until):
		return System{}, &problem.Problem{Kind: problem.Expired, Detail: "this provisioning token has ended", Next: "ask an administrator of " + organisation + " for another"}
	case sys.Provider.Inactive:
		return System{}, &problem.Problem{Kind: problem.Refused, Detail: provider + " is out of use here", Next: "ask an administrator of " + organisation}
	}
	if now.Sub(t.UsedAt) >= touchedEvery {
		err = p.Records.TouchProvisioningToken(ctx, t.ID, now)
	}
	return sys, err
}

// system returns a provider's system as it is recorded.
func (p *Provisioning) system(ctx context.Context, organisation, provider model.ID, from string) (System, error) {
	now, err := p.Current(ctx, p.Tenant(organisation))
	if err != nil {
		return System{}, err
	}
	is, ok := now.Principal(provider)
	if !ok {
		return System{}, problem.Missing("provider", provider.String(), "")
	}
	top, _ := now.Top()
	return System{
		Provider: is, organisation: organisation,
		caller: tenant.Caller{Name: is.Name, From: from, Organisation: organisation, OrganisationName: top.Name, Principal: is.ID, Kind: model.Provider},
	}, nil
}

// admitAccount lets a service account in. It changes only what an administrator of the provider may.
func (p *Provisioning) admitAccount(ctx context.Context, organisation, provider string, shown credential.Token, from string) (System, error) {
	caller, err := p.Caller(ctx, shown, from)
	var unknown *problem.Problem
	if errors.As(err, &unknown) && unknown.Kind == problem.Foreign {
		err = &problem.Problem{Kind: problem.Foreign, Detail: "this token is not known here", Next: "ask an administrator of " + organisation + " for a provisioning token"}
	}
	if err != nil {
		return System{}, err
	}
	if caller.Kind != model.ServiceAccount || caller.Audience != "" {
		return System{}, &problem.Problem{Kind: problem.Refused, Detail: "people and groups are provisioned by programs", Next: "show a provisioning token, or the access token of a service account"}
	}
	d, err := p.Open(ctx, caller)
	if err != nil {
		return System{}, err
	}
	if _, err := d.NeedAtTop("edit provider", organisation); err != nil {
		return System{}, err
	}
	is, err := d.PrincipalCalled(model.Provider.String(), provider)
	if err != nil {
		return System{}, err
	}
	if is.Inactive {
		return System{}, &problem.Problem{Kind: problem.Refused, Detail: provider + " is out of use here", Next: "ask an administrator of " + organisation}
	}
	tags, err := p.TagsSaid(ctx, is.ID)
	if err != nil {
		return System{}, err
	}
	return System{Provider: is, organisation: caller.Organisation, caller: caller, refused: plan.MayVouch(d, is, tags)}, nil
}

// write makes a change that a system tells of. An empty plan changes nothing.
func (p *Provisioning) write(ctx context.Context, sys System, planned func(now *access.Snapshot, details tenant.Details) (tenant.Plan, error)) error {
	if sys.refused != nil {
		return sys.refused
	}
	return problem.Of(p.WriteUnlessSame(ctx, sys.caller, sys.organisation, func(now *access.Snapshot, details tenant.Details) (tenant.Plan, error) {
		made, err := planned(now, details)
		made.Final = true // the provider's system would tell it anew
		return made, err
	}), "")
}

// told finds what a system has told of by its id.
func told(ctx context.Context, details tenant.Details, sys System, kind store.ProvisionedKind, id string) (store.Provisioned, error) {
	missing := problem.Missing(string(kind), id, "")
	wanted, err := model.ParseID(id)
	if err != nil {
		return store.Provisioned{}, missing
	}
	is, err := details.Provisioned(ctx, wanted)
	if errors.Is(err, store.ErrNotFound) || err == nil && (is.Provider != sys.Provider.ID || is.Kind != kind) {
		return store.Provisioned{}, missing
	}
	return is, err
}

// taken reports whether something of a kind is found by a name already.
func taken(ctx context.Context, details tenant.Details, sys System, kind store.ProvisionedKind, name string) (bool, error) {
	_, n, err := details.ProvisionedBy(ctx, sys.Provider.ID, store.ProvisionedQuery{Kind: kind, Name: name, Limit: 1})
	return n > 0, err
}

// folded is a name by which people are found, whatever its letters' case (RFC 7643, section 4.1.1).
func folded(name string) string { return strings.ToLower(name) }
