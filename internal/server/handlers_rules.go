package server

import (
	"context"

	"arbora.example/access/catalogue"
	"arbora.example/access/statement"
	"arbora.example/api"
	"arbora.example/internal/ask"
	"arbora.example/internal/change"
	"arbora.example/internal/credential"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
)

// Handlers of the catalogue, roles, policies and patterns.

func (h handlers) ListServices(ctx context.Context, _ ListServicesRequestObject) (ListServicesResponseObject, error) {
	ctx, caller := who(ctx)
	catalogue, err := h.service.ListServices(ctx, caller)
	if err != nil {
		return nil, err
	}
	return ListServices200JSONResponse(catalogueOf(catalogue, builtIn(catalogue))), nil
}

func builtIn(c *catalogue.Catalogue) func(func(*catalogue.Role) bool) {
	return func(yield func(*catalogue.Role) bool) {
		for _, role := range c.Roles() {
			if !yield(role) {
				return
			}
		}
	}
}

func (h handlers) RegisterService(ctx context.Context, r RegisterServiceRequestObject) (RegisterServiceResponseObject, error) {
	ctx, caller := who(ctx)
	registered, err := h.service.RegisterService(ctx, caller, []byte(r.Body.File))
	if err != nil {
		return nil, err
	}
	catalogue, err := h.service.ListServices(ctx, caller)
	if err != nil {
		return nil, err
	}
	return RegisterService201JSONResponse(serviceOf(catalogue, registered, builtIn(catalogue))), nil
}

func (h handlers) RemoveService(ctx context.Context, r RemoveServiceRequestObject) (RemoveServiceResponseObject, error) {
	ctx, caller := who(ctx)
	if err := h.service.RemoveService(ctx, caller, r.Service); err != nil {
		return nil, err
	}
	return RemoveService204Response{}, nil
}

func (h handlers) OfferServices(ctx context.Context, r OfferServicesRequestObject) (OfferServicesResponseObject, error) {
	var offered []string
	if r.Body.Services != nil {
		offered = append([]string{}, *r.Body.Services...)
	}
	_, written, err := changed(ctx, r.Params.Preview, h.service.OfferServices(r.Scope, offered))
	return OfferServices200JSONResponse(written), err
}

func (h handlers) ListRoles(ctx context.Context, r ListRolesRequestObject) (ListRolesResponseObject, error) {
	q := r.Params
	page, err := pagingOf(ctx, q.After, q.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	list, err := h.service.ListRoles(ctx, caller, r.Scope, page.listing(q.Find, string(q.Sort), q.Descending), ask.RolesNarrowed{
		Everywhere: q.All, Service: q.Service, Plane: catalogue.Plane(q.Plane), Privileged: string(q.Privileged),
	})
	if err != nil {
		return nil, err
	}
	return ListRoles200JSONResponse{Roles: each(list.Items, roleOf), Found: list.Found, All: list.All, Next: page.next(list.Next)}, nil
}

func (h handlers) RankRoles(ctx context.Context, r RankRolesRequestObject) (RankRolesResponseObject, error) {
	ctx, caller := who(ctx)
	ranked, view, err := h.service.RankRoles(ctx, caller, r.Scope, r.Body.Permissions)
	if err != nil {
		return nil, err
	}
	return RankRoles200JSONResponse{Roles: each(ranked, func(r catalogue.Ranked) api.RankedRole {
		return api.RankedRole{Role: roleOf(view(r.Role)), Beyond: r.Beyond}
	})}, nil
}

func (h handlers) ShowRole(ctx context.Context, r ShowRoleRequestObject) (ShowRoleResponseObject, error) {
	ctx, caller := who(ctx)
	role, use, err := h.service.ShowRole(ctx, caller, r.Scope, r.Role)
	if err != nil {
		return nil, err
	}
	return ShowRole200JSONResponse(roleDetailsOf(role, use)), nil
}

func (h handlers) ReadRole(ctx context.Context, r ReadRoleRequestObject) (ReadRoleResponseObject, error) {
	ctx, caller := who(ctx)
	b := r.Body
	role, err := h.service.ReadRole(ctx, caller, r.Scope, newRoleOf("", b.Title, b.Description, b.Include, b.Exclude, b.Under))
	if err != nil {
		return nil, err
	}
	return ReadRole200JSONResponse{Privileged: role.Privileged, Operations: operationsOf(role)}, nil
}

func (h handlers) CreateRole(ctx context.Context, r CreateRoleRequestObject) (CreateRoleResponseObject, error) {
	ctx, caller := who(ctx)
	b := r.Body
	role, revision, err := h.service.CreateRole(ctx, caller, r.Scope, newRoleOf(b.Name, b.Title, b.Description, b.Include, b.Exclude, b.Under))
	if err != nil {
		return nil, err
	}
	return CreateRole201JSONResponse{Role: roleOf(role), Revision: int64(revision)}, nil
}

func (h handlers) EditRole(ctx context.Context, r EditRoleRequestObject) (EditRoleResponseObject, error) {
	b := r.Body
	wanted := newRoleOf(r.Role, b.Title, b.Description, b.Include, b.Exclude, b.Under)
	if w := b.Was; w != nil {
		was := newRoleOf(r.Role, w.Title, w.Description, w.Include, w.Exclude, w.Under)
		wanted.Was = &was
	}
	_, written, err := changed(ctx, r.Params.Preview, h.service.EditRole(r.Scope, wanted))
	return EditRole200JSONResponse(written), err
}

func (h handlers) RemoveRole(ctx context.Context, r RemoveRoleRequestObject) (RemoveRoleResponseObject, error) {
	_, written, err := changed(ctx, r.Params.Preview, h.service.RemoveRole(r.Scope, r.Role, r.Params.Grants))
	return RemoveRole200JSONResponse(written), err
}

func (h handlers) ListPolicies(ctx context.Context, r ListPoliciesRequestObject) (ListPoliciesResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	policies, next, revision, err := h.service.ListPolicies(ctx, caller, r.Scope, page.page)
	if err != nil {
		return nil, err
	}
	return ListPolicies200JSONResponse{Policies: each(policies, policyOf), Next: page.next(next), Revision: int64(revision)}, nil
}

func (h handlers) ShowPolicy(ctx context.Context, r ShowPolicyRequestObject) (ShowPolicyResponseObject, error) {
	ctx, caller := who(ctx)
	policy, err := h.service.ShowPolicy(ctx, caller, r.Policy)
	if err != nil {
		return nil, err
	}
	return ShowPolicy200JSONResponse(policyOf(policy)), nil
}

func (h handlers) ReadStatements(ctx context.Context, r ReadStatementsRequestObject) (ReadStatementsResponseObject, error) {
	ctx, caller := who(ctx)
	reading, err := h.service.ReadPolicy(ctx, caller, r.Scope, r.Body.Text)
	if err != nil {
		return nil, err
	}
	return ReadStatements200JSONResponse(readingOf(r.Body.Text, reading)), nil
}

func (h handlers) JoinStatements(ctx context.Context, r JoinStatementsRequestObject) (JoinStatementsResponseObject, error) {
	ctx, caller := who(ctx)
	joined := statement.JoinParts(each(r.Body.Statements, givenParts), r.Body.Notes)
	reading, err := h.service.ReadPolicy(ctx, caller, r.Scope, joined)
	if err != nil {
		return nil, err
	}
	return JoinStatements200JSONResponse(readingOf(joined, reading)), nil
}

func (h handlers) ListPolicyVersions(ctx context.Context, r ListPolicyVersionsRequestObject) (ListPolicyVersionsResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	before, err := page.number()
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	versions, next, err := h.service.ListPolicyVersions(ctx, caller, r.Policy, before, page.page.Limit)
	if err != nil {
		return nil, err
	}
	return ListPolicyVersions200JSONResponse{Next: page.nextNumber(next), Versions: each(versions, func(v ask.PolicyVersion) api.PolicyVersion {
		return api.PolicyVersion{Number: v.Number, Revision: int64(v.Revision), WrittenAt: v.Author.At, WrittenBy: v.Author.Name, Name: v.Name, Text: v.Text}
	})}, nil
}

func (h handlers) CreatePolicyAt(ctx context.Context, r CreatePolicyAtRequestObject) (CreatePolicyAtResponseObject, error) {
	wanted := change.NewPolicy{Scope: r.Scope, Name: r.Body.Name, Description: r.Body.Description, Text: r.Body.Text}
	policy, written, err := changed(ctx, r.Params.Preview, h.service.CreatePolicy(wanted))
	if err != nil || r.Params.Preview {
		return CreatePolicyAt200JSONResponse(written), err
	}
	return CreatePolicyAt201JSONResponse{Policy: policyOf(policy), Revision: written.Revision}, nil
}

func (h handlers) EditPolicyText(ctx context.Context, r EditPolicyTextRequestObject) (EditPolicyTextResponseObject, error) {
	edit := change.PolicyEdit{Key: r.Policy, Name: r.Body.Name, Description: r.Body.Description, Text: r.Body.Text, Was: asRead(r.Body.Was)}
	_, written, err := changed(ctx, r.Params.Preview, h.service.EditPolicy(edit))
	return EditPolicyText200JSONResponse(written), err
}

func (h handlers) SetPolicyState(ctx context.Context, r SetPolicyStateRequestObject) (SetPolicyStateResponseObject, error) {
	_, written, err := changed(ctx, r.Params.Preview, h.service.SuspendPolicy(r.Policy, r.Body.State == api.SuspendedPolicy))
	return SetPolicyState200JSONResponse(written), err
}

func (h handlers) RemovePolicy(ctx context.Context, r RemovePolicyRequestObject) (RemovePolicyResponseObject, error) {
	_, written, err := changed(ctx, r.Params.Preview, h.service.RemovePolicy(r.Policy))
	return RemovePolicy200JSONResponse(written), err
}

func (h handlers) SearchStatements(ctx context.Context, r SearchStatementsRequestObject) (SearchStatementsResponseObject, error) {
	q := r.Params
	page, err := pagingOf(ctx, q.After, q.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	list, hidden, err := h.service.SearchStatements(ctx, caller, r.Organisation, page.listing(q.Find, string(q.Sort), q.Descending), ask.StatementsNarrowed{
		Modal: statement.Modal(q.Modal), State: credential.State(q.State),
	})
	if err != nil {
		return nil, err
	}
	return SearchStatements200JSONResponse{Statements: each(list.Items, statementOf), Found: list.Found, All: list.All, Next: page.next(list.Next), Hidden: hidden}, nil
}

func (h handlers) ListPatterns(ctx context.Context, r ListPatternsRequestObject) (ListPatternsResponseObject, error) {
	ctx, caller := who(ctx)
	patterns, err := h.service.ListPatterns(ctx, caller, r.Params.Words)
	if err != nil {
		return nil, err
	}
	return ListPatterns200JSONResponse{Patterns: each(patterns, patternOf)}, nil
}

func (h handlers) FillPattern(ctx context.Context, r FillPatternRequestObject) (FillPatternResponseObject, error) {
	ctx, caller := who(ctx)
	filled, reading, err := h.service.FillPattern(ctx, caller, r.Scope, r.Pattern, r.Body.Values)
	if err != nil {
		return nil, err
	}
	return FillPattern200JSONResponse(readingOf(filled, reading)), nil
}
