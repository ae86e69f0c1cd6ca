package signin

import (
	"context"
	"encoding/json"
	"errors"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/outside"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// TrustView is a trust as administrators see it.
type TrustView struct {
	store.Trust
	ReturnAddress, EndedAddress, KeysAddress string // what to tell the provider
}

// TrustViewOf returns a trust as administrators see it.
func (s *SignIns) TrustViewOf(t store.Trust) TrustView {
	return TrustView{Trust: t, ReturnAddress: s.ReturnAddress(t.ID), EndedAddress: s.EndedAddress(t.ID), KeysAddress: s.Address() + "/oauth/keys"}
}

// TrustOf finds a trust of a provider by its id.
func (s *SignIns) TrustOf(ctx context.Context, provider access.Principal, id string) (store.Trust, error) {
	missing := problem.Missing("trust", id, "")
	wanted, err := model.ParseID(id)
	if err != nil {
		return store.Trust{}, missing
	}
	t, err := s.Records.Trust(ctx, wanted)
	if errors.Is(err, store.ErrNotFound) || err == nil && t.Provider != provider.ID {
		return store.Trust{}, missing
	}
	return t, err
}

// SealTrust seals the client secret of a trust.
func (s *SignIns) SealTrust(trust model.ID, secret string) []byte {
	return s.sealer.Seal([]byte(secret), sealedTrust+trust.String())
}

// Meet reads what the provider of a trust says of itself.
func (s *SignIns) Meet(ctx context.Context, t store.Trust) error {
	_, err := s.issuer(ctx, t)
	return s.asDown(err, t)
}

// ProviderEntry is how people come in by a provider.
type ProviderEntry struct {
	Map    outside.Map
	Rule   string
	Last   int // minutes for which what was said may be used
	Trusts []TrustView
}

// ProviderEntry tells how people come in by a provider.
func (s *SignIns) ProviderEntry(ctx context.Context, c tenant.Caller, organisation, name string) (ProviderEntry, error) {
	p, err := s.providerFor(ctx, c, "list provider", organisation, name)
	if err != nil {
		return ProviderEntry{}, err
	}
	claimMap, entry, err := s.EntryOf(ctx, p.ID)
	if err != nil {
		return ProviderEntry{}, err
	}
	trusts, err := s.Records.Trusts(ctx, c.Organisation)
	if err != nil {
		return ProviderEntry{}, err
	}
	view := ProviderEntry{Map: claimMap, Rule: entry.Rule, Last: int(entry.ClaimsLast.Minutes())}
	for _, t := range trusts {
		if t.Provider == p.ID {
			view.Trusts = append(view.Trusts, s.TrustViewOf(t))
		}
	}
	return view, nil
}

// providerFor finds a provider that the caller may do something with.
func (s *SignIns) providerFor(ctx context.Context, c tenant.Caller, need, organisation, name string) (access.Principal, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return access.Principal{}, err
	}
	if _, err := d.NeedAtTop(need, organisation); err != nil {
		return access.Principal{}, err
	}
	return d.PrincipalCalled(model.Provider.String(), name)
}

// Arrivals lists who came by a provider last, and who was not let in and why.
func (s *SignIns) Arrivals(ctx context.Context, c tenant.Caller, organisation, name string, limit int) ([]store.Arrival, error) {
	p, err := s.providerFor(ctx, c, "edit provider", organisation, name)
	if err != nil {
		return nil, err
	}
	return s.Records.Arrivals(ctx, p.ID, limit)
}

// BeginTrial makes an address by which a browser tries a trust, once: nobody comes in, and what was said is kept for administrators to see.
func (s *SignIns) BeginTrial(ctx context.Context, c tenant.Caller, organisation, name, trust string) (address string, err error) {
	p, err := s.providerFor(ctx, c, "edit provider", organisation, name)
	if err != nil {
		return "", err
	}
	t, err := s.TrustOf(ctx, p, trust)
	if err != nil {
		return "", err
	}
	if err := s.Meet(ctx, t); err != nil {
		return "", err
	}
	token, now := credential.NewToken(), s.Moment()
	body, err := json.Marshal(away{Trust: t.ID, Errand: Errand{Trial: true, By: c.Name, Back: "/providers/" + name}})
	if err != nil {
		return "", err
	}
	return s.Address() + "/sign-in/trial/" + string(token), s.Records.PutCeremony(ctx, token, body, now.Add(outsideFor), now)
}

// SendOnTrial sends a browser that opened the address of a trial to the provider.
func (s *SignIns) SendOnTrial(ctx context.Context, token credential.Token) (Sent, error) {
	used := &problem.Problem{Kind: problem.Expired, Detail: "this trial was begun already, or too long ago", Next: "begin another from the provider's page"}
	body, err := s.Records.TakeCeremony(ctx, token, s.Moment())
	if errors.Is(err, store.ErrNotFound) {
		return Sent{}, used
	} else if err != nil {
		return Sent{}, err
	}
	var kept away
	if err := json.Unmarshal(body, &kept); err != nil || !kept.Trial || kept.Asked.State != "" {
		return Sent{}, used
	}
	t, err := s.Records.Trust(ctx, kept.Trust)
	if errors.Is(err, store.ErrNotFound) {
		return Sent{}, used
	} else if err != nil {
		return Sent{}, err
	}
	return s.send(ctx, t, kept.Errand)
}

// Tell keeps what came of a browser's errand for its page to tell, for as long as a browser may take.
func (s *SignIns) Tell(ctx context.Context, p *problem.Problem) (credential.Token, error) {
	token, now := credential.NewToken(), s.Moment()
	body, err := json.Marshal(told{Kind: p.Kind, Detail: p.Detail, Next: p.Next})
	if err != nil {
		return "", err
	}
	return token, s.Records.PutCeremony(ctx, token, body, now.Add(outsideFor), now)
}

type told struct {
	Kind         problem.ProblemKind
	Detail, Next string
}

// Told returns what [SignIns.Tell] kept, once.
func (s *SignIns) Told(ctx context.Context, token credential.Token) (*problem.Problem, error) {
	body, err := s.Records.TakeCeremony(ctx, token, s.Moment())
	if errors.Is(err, store.ErrNotFound) {
		return &problem.Problem{Kind: problem.Expired, Detail: "you were not signed in", Next: "begin once more"}, nil
	} else if err != nil {
		return nil, err
	}
	var t told
	if err := json.Unmarshal(body, &t); err != nil || t.Kind == "" {
		return &problem.Problem{Kind: problem.Expired, Detail: "you were not signed in", Next: "begin once more"}, nil
	}
	return &problem.Problem{Kind: t.Kind, Detail: t.Detail, Next: t.Next}, nil
}
