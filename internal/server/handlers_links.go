package server

import (
	"context"

	"arbora.example/internal/ask"
	"arbora.example/internal/change"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
)

func (h handlers) ListOutsideGroups(ctx context.Context, r ListOutsideGroupsRequestObject) (ListOutsideGroupsResponseObject, error) {
	q := r.Params
	page, err := pagingOf(ctx, q.After, q.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	list, err := h.service.ListOutsideGroups(ctx, caller, r.Organisation, page.listing(q.Find, string(q.Sort), q.Descending), ask.Narrowed{Provider: q.Provider, Links: ask.Links(q.Links)})
	if err != nil {
		return nil, err
	}
	return ListOutsideGroups200JSONResponse{OutsideGroups: each(list.Items, outsideGroupOf), Found: list.Found, All: list.All, Next: page.next(list.Next)}, nil
}

func (h handlers) CreateLink(ctx context.Context, r CreateLinkRequestObject) (CreateLinkResponseObject, error) {
	wanted := change.LinkWanted{Organisation: r.Organisation, Provider: r.Provider, OutsideGroup: r.Body.OutsideGroup, Group: r.Body.Group}
	_, written, err := changed(ctx, r.Params.Preview, h.service.ChangeLink(wanted))
	return CreateLink200JSONResponse(written), err
}

func (h handlers) RemoveLink(ctx context.Context, r RemoveLinkRequestObject) (RemoveLinkResponseObject, error) {
	wanted := change.LinkWanted{Organisation: r.Organisation, Provider: r.Provider, OutsideGroup: r.OutsideGroup, Group: r.Group, Remove: true}
	_, written, err := changed(ctx, r.Params.Preview, h.service.ChangeLink(wanted))
	return RemoveLink200JSONResponse(written), err
}
