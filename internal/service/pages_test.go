package service_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestListsComeInPages reads each list whole and by two items, which gives the same; its cursor goes on with no other question.
func TestListsComeInPages(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, warden := b.As(t, "rowan@lindenmere"), b.As(t, demo.Keeper)
	ctx := t.Context()
	erase := api.HoldersQuestion{Permission: "list bucket"}
	type page struct {
		items []string
		next  string
	}
	names := func(n int, name func(int) string, next string) (p page) {
		for i := range n {
			p.items = append(p.items, name(i))
		}
		p.next = next
		return p
	}
	for name, list := range map[string]func(ctx context.Context, after string, limit int) (page, error){
		"grants": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.ListGrants(ctx, vault, &api.ListGrantsParams{After: after, Limit: limit})
			return names(len(l.Grants), func(i int) string { return l.Grants[i].Id }, l.Next), err
		},
		"policies": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.ListPolicies(ctx, vault, &api.ListPoliciesParams{After: after, Limit: limit})
			return names(len(l.Policies), func(i int) string { return l.Policies[i].Id }, l.Next), err
		},
		"roles": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.ListRoles(ctx, vault, &api.ListRolesParams{All: true, After: after, Limit: limit})
			return names(len(l.Roles), func(i int) string { return l.Roles[i].Name }, l.Next), err
		},
		"service accounts": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.ListServiceAccounts(ctx, "lindenmere", &api.ListServiceAccountsParams{After: after, Limit: limit})
			return names(len(l.Accounts), func(i int) string { return l.Accounts[i].Address }, l.Next), err
		},
		"statements": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.SearchStatements(ctx, "lindenmere", &api.SearchStatementsParams{After: after, Limit: limit})
			return names(len(l.Statements), func(i int) string { return l.Statements[i].Policy.Name + fmt.Sprint(l.Statements[i].Number) }, l.Next), err
		},
		"organisations": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := warden.ListOrganisations(ctx, &api.ListOrganisationsParams{After: after, Limit: limit})
			return names(len(l.Organisations), func(i int) string { return l.Organisations[i].Name }, l.Next), err
		},
		"holders": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.ListHolders(ctx, vault, &api.ListHoldersParams{After: after, Limit: limit}, erase)
			p := names(len(l.Holders), func(i int) string { return l.Holders[i].Principal.Name }, l.Next)
			for _, h := range l.CouldHold {
				p.items = append(p.items, "could "+h.Principal.Name)
			}
			return p, err
		},
		"reach": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.ShowReach(ctx, "lindenmere", "user", "ines", &api.ShowReachParams{After: after, Limit: limit})
			return names(len(l.Reached), func(i int) string { return l.Reached[i].Scope.Address + string(l.Reached[i].Part) }, l.Next), err
		},
		"users": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.ListPeople(ctx, "lindenmere", &api.ListPeopleParams{After: after, Limit: limit})
			return names(len(l.People), func(i int) string { return l.People[i].Name }, l.Next), err
		},
		"audit records": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.ListAuditRecords(ctx, "lindenmere", &api.ListAuditRecordsParams{Event: "change", After: after, Limit: limit})
			return names(len(l.Records), func(i int) string { return fmt.Sprint(l.Records[i].Number) }, l.Next), err
		},
		"changes": func(ctx context.Context, after string, limit int) (page, error) {
			l, err := rowan.ListScopeChanges(ctx, vault, &api.ListScopeChangesParams{After: after, Limit: limit})
			return names(len(l.Changes), func(i int) string { return fmt.Sprint(l.Changes[i].Revision) }, l.Next), err
		},
	} {
		t.Run(name, func(t *testing.T) {
			whole, err := list(ctx, "", 500)
			require.NoError(t, err)
			require.Empty(t, whole.next)
			require.NotEmpty(t, whole.items)
			var told []string
			for after, pages := "", 0; ; pages++ {
				part, err := list(ctx, after, 2)
				require.NoError(t, err)
				require.LessOrEqual(t, len(part.items), 2)
				told = append(told, part.items...)
				if after = part.next; after == "" {
					break
				}
				_, err = rowan.ListChildren(ctx, "lindenmere", &api.ListChildrenParams{After: after})
				require.Equal(t, "after", testbed.Problem(t, 400, err).Field, "a cursor of another list")
				_, err = list(ctx, after[:len(after)-1]+"!", 2)
				testbed.Problem(t, 400, err)
			}
			require.Equal(t, whole.items, told)
		})
	}

	// The same list of another place is another question.
	first, err := rowan.ListGrants(ctx, vault, &api.ListGrantsParams{Limit: 1})
	require.NoError(t, err)
	testbed.Problem(t, 400, client.Done(rowan.ListGrants(ctx, trial, &api.ListGrantsParams{After: first.Next})))
	holders, err := rowan.ListHolders(ctx, vault, &api.ListHoldersParams{Limit: 1}, erase)
	require.NoError(t, err)
	testbed.Problem(t, 400, client.Done(rowan.ListHolders(ctx, vault, &api.ListHoldersParams{After: holders.Next}, api.HoldersQuestion{Permission: "describe bucket"})))

	// What goes between two pages is missed by nobody.
	require.NoError(t, client.Done(rowan.RevokeGrant(ctx, first.Grants[0].Id, nil)))
	rest, err := rowan.ListGrants(ctx, vault, &api.ListGrantsParams{After: first.Next})
	require.NoError(t, err)
	now, err := rowan.ListGrants(ctx, vault, nil)
	require.NoError(t, err)
	require.Equal(t, now.Grants, rest.Grants)
}
