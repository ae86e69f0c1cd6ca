package server

import (
	"context"

	"arbora.example/api"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/server/scim"
	"arbora.example/internal/store"
)

func (h handlers) ListProvisioningTokens(ctx context.Context, r ListProvisioningTokensRequestObject) (ListProvisioningTokensResponseObject, error) {
	ctx, caller := who(ctx)
	tokens, err := h.service.ListProvisioningTokens(ctx, caller, r.Organisation, r.Provider)
	if err != nil {
		return nil, err
	}
	return ListProvisioningTokens200JSONResponse{Address: scim.BaseAddress(h.service.Address(), r.Organisation, r.Provider), Tokens: each(tokens, provisioningTokenOf)}, nil
}

func (h handlers) CreateProvisioningToken(ctx context.Context, r CreateProvisioningTokenRequestObject) (CreateProvisioningTokenResponseObject, error) {
	made, written, err := changed(ctx, r.Params.Preview, h.service.CreateProvisioningToken(r.Organisation, r.Provider, r.Body.Label, r.Body.Until))
	if err != nil || r.Params.Preview {
		return CreateProvisioningToken200JSONResponse(written), err
	}
	return CreateProvisioningToken201JSONResponse{
		ProvisioningToken: provisioningTokenOf(made.ProvisioningToken), Token: string(made.Token), Address: scim.BaseAddress(h.service.Address(), r.Organisation, r.Provider), Revision: written.Revision,
	}, nil
}

func (h handlers) RevokeProvisioningToken(ctx context.Context, r RevokeProvisioningTokenRequestObject) (RevokeProvisioningTokenResponseObject, error) {
	_, written, err := changed(ctx, r.Params.Preview, h.service.RevokeProvisioningToken(r.Organisation, r.Provider, r.Token))
	return RevokeProvisioningToken200JSONResponse(written), err
}

func provisioningTokenOf(t store.ProvisioningToken) api.ProvisioningToken {
	return api.ProvisioningToken{Id: t.ID.String(), Label: t.Label, CreatedBy: t.CreatedBy, CreatedAt: t.CreatedAt, Until: t.Until, UsedAt: t.UsedAt}
}
