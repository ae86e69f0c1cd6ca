package cli

import (
	"context"

	"arbora.example/api"
	"arbora.example/client"
)

// Lists that a command needs whole, read page by page.

func (s session) allGrants(ctx context.Context, at string) (whole api.GrantList, err error) {
	return s.grantsAt(ctx, at, false)
}

// grantsAt reads the grants that reach a scope, and those below it when asked for.
func (s session) grantsAt(ctx context.Context, at string, below bool) (whole api.GrantList, err error) {
	whole.Grants, _, err = client.Pages(0, func(after string) ([]api.Grant, string, error) {
		page, err := s.ListGrants(ctx, at, &api.ListGrantsParams{Below: below, After: after, Limit: mostAtOnce})
		whole.Revision = page.Revision
		return page.Grants, page.Next, err
	})
	return whole, err
}

func (s session) allPolicies(ctx context.Context, at string) (whole api.PolicyList, err error) {
	whole.Policies, _, err = client.Pages(0, func(after string) ([]api.Policy, string, error) {
		page, err := s.ListPolicies(ctx, at, &api.ListPoliciesParams{After: after, Limit: mostAtOnce})
		whole.Revision = page.Revision
		return page.Policies, page.Next, err
	})
	return whole, err
}

func (s session) allRoles(ctx context.Context, at string, all bool) (whole api.RoleList, err error) {
	whole.Roles, _, err = client.Pages(0, func(after string) ([]api.Role, string, error) {
		page, err := s.ListRoles(ctx, at, &api.ListRolesParams{All: all, After: after, Limit: mostAtOnce})
		return page.Roles, page.Next, err
	})
	return whole, err
}

func (s session) allServiceAccounts(ctx context.Context, at string) (whole api.AccountList, err error) {
	whole.Accounts, _, err = client.Pages(0, func(after string) ([]api.Account, string, error) {
		page, err := s.ListServiceAccounts(ctx, at, &api.ListServiceAccountsParams{After: after, Limit: mostAtOnce})
		return page.Accounts, page.Next, err
	})
	return whole, err
}

func (s session) allOrganisations(ctx context.Context) (whole api.OrganisationList, err error) {
	whole.Organisations, _, err = client.Pages(0, func(after string) ([]api.Organisation, string, error) {
		page, err := s.ListOrganisations(ctx, &api.ListOrganisationsParams{After: after, Limit: mostAtOnce})
		return page.Organisations, page.Next, err
	})
	return whole, err
}

func (s session) allStatements(ctx context.Context, organisation, words string) (whole api.StatementList, err error) {
	whole.Statements, _, err = client.Pages(0, func(after string) ([]api.Statement, string, error) {
		page, err := s.SearchStatements(ctx, organisation, &api.SearchStatementsParams{Find: words, After: after, Limit: mostAtOnce})
		whole.Hidden = page.Hidden
		return page.Statements, page.Next, err
	})
	return whole, err
}

// allHolders reads those who hold a permission, and after them those who could.
func (s session) allHolders(ctx context.Context, at string, asked api.HoldersQuestion) (whole api.HolderList, err error) {
	holders, could := []api.Holder{}, []api.Escalation{}
	for after := ""; ; {
		whole, err = s.ListHolders(ctx, at, &api.ListHoldersParams{After: after, Limit: mostAtOnce}, asked)
		if err != nil {
			return whole, err
		}
		holders, could = append(holders, whole.Holders...), append(could, whole.CouldHold...)
		if after = whole.Next; after == "" {
			whole.Holders, whole.CouldHold = holders, could
			return whole, nil
		}
	}
}

func (s session) allReached(ctx context.Context, organisation string, who api.PrincipalRef) (whole api.Reach, err error) {
	reached, _, err := client.Pages(0, func(after string) ([]api.Reached, string, error) {
		whole, err = s.ShowReach(ctx, organisation, who.Kind, who.Name, &api.ShowReachParams{After: after, Limit: mostAtOnce})
		return whole.Reached, whole.Next, err
	})
	whole.Reached, whole.Next = reached, ""
	return whole, err
}
