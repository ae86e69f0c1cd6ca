package server

import (
	"context"
	"encoding/json"
	"time"

	"arbora.example/api"
	"arbora.example/internal/change"
	"arbora.example/internal/outside"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
)

func (h handlers) ListWays(ctx context.Context, r ListWaysRequestObject) (ListWaysResponseObject, error) {
	ways, err := h.service.Ways(ctx, r.Params.Organisation, clientOf(ctx))
	return ListWays200JSONResponse{Ways: each(ways, func(w signin.Way) api.Way { return api.Way{Provider: w.Provider, Title: w.Title} })}, err
}

func (h handlers) ReadSignInOutcome(ctx context.Context, r ReadSignInOutcomeRequestObject) (ReadSignInOutcomeResponseObject, error) {
	told, err := h.service.Told(ctx, tokenOf(r.Body.Token))
	if err != nil {
		return nil, err
	}
	return ReadSignInOutcome200JSONResponse{Detail: told.Detail, Next: told.Next}, nil
}

func (h handlers) ShowProviderSession(ctx context.Context, _ ShowProviderSessionRequestObject) (ShowProviderSessionResponseObject, error) {
	ctx, caller := who(ctx)
	address, err := h.service.LogoutAddress(ctx, caller)
	return ShowProviderSession200JSONResponse{Address: address}, err
}

func (h handlers) ShowEntry(ctx context.Context, r ShowEntryRequestObject) (ShowEntryResponseObject, error) {
	ctx, caller := who(ctx)
	entry, err := h.service.ProviderEntry(ctx, caller, r.Organisation, r.Provider)
	if err != nil {
		return nil, err
	}
	return ShowEntry200JSONResponse{ClaimMap: claimMapOf(entry.Map), EntryRule: entry.Rule, ClaimsLast: entry.Last, Trusts: each(entry.Trusts, trustOf)}, nil
}

func (h handlers) SetEntry(ctx context.Context, r SetEntryRequestObject) (SetEntryResponseObject, error) {
	wanted := change.EntryWanted{Rule: r.Body.EntryRule, ClaimsLast: time.Duration(r.Body.ClaimsLast) * time.Minute}
	if r.Body.ClaimMap != nil {
		read := claimMapFrom(*r.Body.ClaimMap)
		wanted.Map = &read
	}
	_, written, err := changed(ctx, r.Params.Preview, h.service.SetEntry(r.Organisation, r.Provider, wanted))
	return SetEntry200JSONResponse(written), err
}

func (h handlers) TryClaims(ctx context.Context, r TryClaimsRequestObject) (TryClaimsResponseObject, error) {
	ctx, caller := who(ctx)
	claims, err := json.Marshal(r.Body.Claims)
	if err != nil {
		return nil, err
	}
	wanted := change.Trying{Rule: r.Body.EntryRule, Claims: claims}
	if r.Body.ClaimMap != nil {
		read := claimMapFrom(*r.Body.ClaimMap)
		wanted.Map = &read
	}
	tried, err := h.service.TryClaims(ctx, caller, r.Organisation, r.Provider, wanted)
	if err != nil {
		return nil, err
	}
	told := TryClaims200JSONResponse{Fault: tried.Fault, Admitted: tried.Admitted, Stops: tried.Stops, Known: tried.Known, Picks: each(tried.Picks, func(p outside.Picked) api.Picked {
		return api.Picked{Field: p.Name, Values: words(p.Values), Otherwise: p.Otherwise}
	})}
	if tried.Fault == "" {
		impact := impactOf(tried.Impact)
		told.Impact = &impact
	}
	return told, nil
}

func (h handlers) ListArrivals(ctx context.Context, r ListArrivalsRequestObject) (ListArrivalsResponseObject, error) {
	ctx, caller := who(ctx)
	limit := r.Params.Limit
	if limit == 0 {
		limit = 50
	}
	arrivals, err := h.service.Arrivals(ctx, caller, r.Organisation, r.Provider, limit)
	if err != nil {
		return nil, err
	}
	told := ListArrivals200JSONResponse{Arrivals: []api.Arrival{}}
	for _, a := range arrivals {
		one, err := arrivalOf(a)
		if err != nil {
			return nil, err
		}
		told.Arrivals = append(told.Arrivals, one)
	}
	return told, nil
}

func arrivalOf(a store.Arrival) (api.Arrival, error) {
	told := api.Arrival{Id: a.ID.String(), At: a.At, Trial: a.Trial, Refused: a.Refused, Subject: a.Subject, Name: a.Name, From: a.From}
	if len(a.Claims) == 0 {
		return told, nil
	}
	return told, json.Unmarshal(a.Claims, &told.Claims)
}

func (h handlers) CreateTrust(ctx context.Context, r CreateTrustRequestObject) (CreateTrustResponseObject, error) {
	made, written, err := changed(ctx, r.Params.Preview, h.service.CreateTrust(r.Organisation, r.Provider, trustFrom(*r.Body)))
	if err != nil || r.Params.Preview {
		return CreateTrust200JSONResponse(written), err
	}
	return CreateTrust201JSONResponse{Trust: trustOf(made), Revision: written.Revision}, nil
}

func (h handlers) EditTrust(ctx context.Context, r EditTrustRequestObject) (EditTrustResponseObject, error) {
	_, written, err := changed(ctx, r.Params.Preview, h.service.EditTrust(r.Organisation, r.Provider, r.Trust, trustFrom(*r.Body)))
	return EditTrust200JSONResponse(written), err
}

func (h handlers) RemoveTrust(ctx context.Context, r RemoveTrustRequestObject) (RemoveTrustResponseObject, error) {
	_, written, err := changed(ctx, r.Params.Preview, h.service.RemoveTrust(r.Organisation, r.Provider, r.Trust))
	return RemoveTrust200JSONResponse(written), err
}

func (h handlers) SetTrustState(ctx context.Context, r SetTrustStateRequestObject) (SetTrustStateResponseObject, error) {
	use := r.Body.State == api.TrustInUse
	_, written, err := changed(ctx, r.Params.Preview, h.service.UseTrust(r.Organisation, r.Provider, r.Trust, use))
	return SetTrustState200JSONResponse(written), err
}

func (h handlers) BeginTrial(ctx context.Context, r BeginTrialRequestObject) (BeginTrialResponseObject, error) {
	ctx, caller := who(ctx)
	address, err := h.service.BeginTrial(ctx, caller, r.Organisation, r.Provider, r.Trust)
	return BeginTrial200JSONResponse{Address: address}, err
}

func trustFrom(t api.TrustWanted) change.TrustWanted {
	return change.TrustWanted{Issuer: t.Issuer, ClientID: t.ClientId, Secret: t.Secret, OwnKey: t.OwnKey, Scopes: t.Scopes}
}

func trustOf(t signin.TrustView) api.Trust {
	return api.Trust{
		Id: t.ID.String(), Issuer: t.Issuer, ClientId: t.ClientID, HasSecret: t.Sealed != nil, OwnKey: t.OwnKey, KeysAddress: t.KeysAddress, Scopes: words(t.Scopes), State: api.TrustState(t.State), TriedAt: t.TriedAt,
		CreatedAt: t.CreatedAt, ReturnAddress: t.ReturnAddress, EndedAddress: t.EndedAddress,
	}
}

func pickOf(p outside.Pick) api.ClaimPick { return api.ClaimPick{Path: p.Path, Otherwise: p.Otherwise} }
func pickFrom(p api.ClaimPick) outside.Pick {
	return outside.Pick{Path: p.Path, Otherwise: p.Otherwise}
}

func claimMapOf(m outside.Map) api.ClaimMap {
	told := api.ClaimMap{Subject: pickOf(m.Subject), Name: pickOf(m.Name), Title: pickOf(m.Title), Email: pickOf(m.Email), Groups: pickOf(m.Groups)}
	for key, pick := range m.Tags {
		if told.Tags == nil {
			told.Tags = map[string]api.ClaimPick{}
		}
		told.Tags[key] = pickOf(pick)
	}
	return told
}

func claimMapFrom(m api.ClaimMap) outside.Map {
	read := outside.Map{Subject: pickFrom(m.Subject), Name: pickFrom(m.Name), Title: pickFrom(m.Title), Email: pickFrom(m.Email), Groups: pickFrom(m.Groups)}
	for key, pick := range m.Tags {
		if read.Tags == nil {
			read.Tags = map[string]outside.Pick{}
		}
		read.Tags[key] = pickFrom(pick)
	}
	return read
}

func tokensFrom(t *api.OutsideTokens) *store.OutsideTokens {
	if t == nil {
		return nil
	}
	return &store.OutsideTokens{Issuer: t.Issuer, Audience: t.Audience, Rule: t.Rule, Once: t.Once}
}

func tokensOf(t *store.OutsideTokens) *api.OutsideTokens {
	if t == nil {
		return nil
	}
	return &api.OutsideTokens{Issuer: t.Issuer, Audience: t.Audience, Rule: t.Rule, Once: t.Once}
}
