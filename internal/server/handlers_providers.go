package server

import (
	"context"

	"arbora.example/internal/ask"
	"arbora.example/internal/change"
	"arbora.example/internal/credential"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
)

func (h handlers) ListProviders(ctx context.Context, r ListProvidersRequestObject) (ListProvidersResponseObject, error) {
	q := r.Params
	page, err := pagingOf(ctx, q.After, q.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	list, err := h.service.ListProviders(ctx, caller, r.Organisation, page.listing(q.Find, string(q.Sort), q.Descending), ask.Narrowed{State: credential.State(q.State)})
	if err != nil {
		return nil, err
	}
	return ListProviders200JSONResponse{Providers: each(list.Items, providerOf), Found: list.Found, All: list.All, Next: page.next(list.Next)}, nil
}

func (h handlers) CreateProvider(ctx context.Context, r CreateProviderRequestObject) (CreateProviderResponseObject, error) {
	wanted := change.NewProvider{Name: r.Body.Name, Title: r.Body.Title, Description: r.Body.Description, Tags: r.Body.Tags, Own: r.Body.Own}
	made, written, err := changed(ctx, r.Params.Preview, h.service.CreateProvider(r.Organisation, wanted))
	if err != nil || r.Params.Preview {
		return CreateProvider200JSONResponse(written), err
	}
	return CreateProvider201JSONResponse{Provider: providerOf(made), Revision: written.Revision}, nil
}

func (h handlers) CreateOutsidePerson(ctx context.Context, r CreateOutsidePersonRequestObject) (CreateOutsidePersonResponseObject, error) {
	wanted := change.NewOutsidePerson{
		Provider: r.Body.Provider, Subject: r.Body.Subject, Name: r.Body.Name, Title: r.Body.Title, Description: r.Body.Description, Tags: r.Body.Tags,
		Groups: r.Body.Groups, Grants: firstGrants(r.Body.Grants), AtMost: string(r.Body.AtMost),
	}
	made, written, err := changed(ctx, r.Params.Preview, h.service.CreateOutsidePerson(r.Organisation, wanted))
	if err != nil || r.Params.Preview {
		return CreateOutsidePerson200JSONResponse(written), err
	}
	return CreateOutsidePerson201JSONResponse{Person: userOf(made), Revision: written.Revision}, nil
}
