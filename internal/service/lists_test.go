package service_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestPeopleAreFound narrows and orders the list of people by what belongs to them, as far as the asker may see it.
func TestPeopleAreFound(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.EditPrincipal(t.Context(), "lindenmere", api.UserKind, "yuki", nil, api.PrincipalEdit{Tags: &api.Tags{"plot": "north"}})))
	require.NoError(t, client.Done(rowan.CreateUser(t.Context(), "lindenmere", api.UserNew{Name: "perrin", Title: "Perrin Oakes", Password: demo.Passphrase})))
	names := func(asked api.ListPeopleParams) (found []string) {
		t.Helper()
		list, err := rowan.ListPeople(t.Context(), "lindenmere", &asked)
		require.NoError(t, err)
		require.Equal(t, len(list.People), list.Found)
		require.Greater(t, list.All, 8)
		for _, p := range list.People {
			found = append(found, p.Name)
		}
		return found
	}

	require.Equal(t, []string{"yuki"}, names(api.ListPeopleParams{Tag: "plot=north"}))
	require.Equal(t, []string{"perrin"}, names(api.ListPeopleParams{Find: "OAKES perr"}))
	require.Equal(t, []string{"rowan"}, names(api.ListPeopleParams{LastSignIn: api.Week, Find: "rowan"}))
	require.Contains(t, names(api.ListPeopleParams{LastSignIn: api.Never}), "perrin")
	require.NotContains(t, names(api.ListPeopleParams{LastSignIn: api.Never}), "rowan")
	require.NotContains(t, names(api.ListPeopleParams{Factor: api.ListPeopleParamsFactorCode}), "perrin")
	require.Contains(t, names(api.ListPeopleParams{Factor: api.ListPeopleParamsFactorNone}), "perrin")
	require.Equal(t, "perrin", names(api.ListPeopleParams{Sort: api.ListPeopleParamsSortCreated, Descending: true})[0], "the newest first")
	require.Equal(t, "rowan", names(api.ListPeopleParams{Sort: api.ListPeopleParamsSortLastSignIn, Descending: true})[0])
	users, guests := names(api.ListPeopleParams{Kind: api.ListPeopleParamsKindUser}), names(api.ListPeopleParams{Kind: api.ListPeopleParamsKindGuest})
	require.ElementsMatch(t, names(api.ListPeopleParams{}), append(users, guests...))

	_, err := rowan.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "outer"})
	require.NoError(t, err)
	_, err = rowan.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "inner"})
	require.NoError(t, err)
	require.NoError(t, client.Done(rowan.AddMember(t.Context(), "lindenmere", "outer", nil, api.PrincipalRef{Kind: api.GroupKind, Name: "inner"})))
	require.NoError(t, client.Done(rowan.AddMember(t.Context(), "lindenmere", "inner", nil, testbed.User("perrin"))))
	require.Equal(t, []string{"perrin"}, names(api.ListPeopleParams{Group: "outer"}), "at any depth")
	_, err = rowan.ListPeople(t.Context(), "lindenmere", &api.ListPeopleParams{Group: "outre"})
	require.Contains(t, testbed.Problem(t, 404, err).Detail, "outre")
	_, err = rowan.ListPeople(t.Context(), "lindenmere", &api.ListPeopleParams{Sort: "weight"})
	require.Equal(t, "sort", testbed.Problem(t, 400, err).Field)

	// Ines may look up names to grant to, and reads nothing more out of the list by narrowing or ordering it.
	ines := b.As(t, "ines@lindenmere")
	for _, asked := range []api.ListPeopleParams{{Tag: "plot"}, {Find: "rowan@"}, {LastSignIn: api.Week}} {
		list, err := ines.ListPeople(t.Context(), "lindenmere", &asked)
		require.NoError(t, err)
		require.Empty(t, list.People, asked)
	}
}

// TestOtherListsAreFound narrows and orders the lists of groups, service accounts, roles and statements.
func TestOtherListsAreFound(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, ctx := b.As(t, "rowan@lindenmere"), t.Context()

	groups, err := rowan.ListGroups(ctx, "lindenmere", &api.ListGroupsParams{Sort: api.ListGroupsParamsSortMembers, Descending: true})
	require.NoError(t, err)
	for i, g := range groups.Groups[1:] {
		require.LessOrEqual(t, g.Members, groups.Groups[i].Members)
	}
	require.Equal(t, groups.All, groups.Found)
	none, err := rowan.ListGroups(ctx, "lindenmere", &api.ListGroupsParams{State: api.StateRetired})
	require.NoError(t, err)
	require.Zero(t, none.Found)

	accounts, err := rowan.ListServiceAccounts(ctx, "lindenmere", &api.ListServiceAccountsParams{Find: "digitising", Sort: api.ListServiceAccountsParamsSortName})
	require.NoError(t, err)
	require.NotEmpty(t, accounts.Accounts)
	require.Less(t, accounts.Found, accounts.All+1)

	roles, err := rowan.ListRoles(ctx, "lindenmere", &api.ListRolesParams{All: true, Service: "storage", Plane: "data", Privileged: "no", Sort: api.ListRolesParamsSortPermissions})
	require.NoError(t, err)
	require.NotEmpty(t, roles.Roles)
	require.Less(t, roles.Found, roles.All)
	for i, r := range roles.Roles {
		require.Contains(t, r.Services, "storage")
		require.Contains(t, r.Planes, api.RolePlanesData)
		require.False(t, r.Privileged)
		require.True(t, i == 0 || roles.Roles[i-1].Permissions <= r.Permissions)
	}

	testbed.PolicyMade(t, rowan, alpine, "seasonal", "staff may observe tree\nstaff may never destroy storage")
	never, err := rowan.SearchStatements(ctx, "lindenmere", &api.SearchStatementsParams{Find: "seasonal", Modal: "may never"})
	require.NoError(t, err)
	require.Len(t, never.Statements, 1)
	require.Equal(t, "may never", string(never.Statements[0].Modal))
	suspended, err := rowan.SearchStatements(ctx, "lindenmere", &api.SearchStatementsParams{State: "suspended"})
	require.NoError(t, err)
	require.Empty(t, suspended.Statements)
	last, err := rowan.SearchStatements(ctx, "lindenmere", &api.SearchStatementsParams{Sort: "policy", Descending: true})
	require.NoError(t, err)
	require.Equal(t, never.All, len(last.Statements))
}
