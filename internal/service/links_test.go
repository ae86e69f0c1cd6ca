package service_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/standin/identity"
)

// juno is a person of the Quaywater Seed Exchange, who is in some groups there.
func juno(groups ...any) identity.Person {
	return identity.Person{"sub": "q-1001", "preferred_username": "juno", "name": "Juno Marchetti", "role": "consultant", "groups": groups}
}

// TestGroupLinks has what a provider says of groups put people into groups, and take them out again.
func TestGroupLinks(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	testbed.Trusted(t, b, rowan, there)
	require.NoError(t, client.Done(rowan.CreateGroup(ctx, org, api.GroupNew{Name: "exchange"})))
	b.Grant(t, "observer", "group", "exchange", alpine)
	link := func(outside, group string, preview bool) (api.Written, error) {
		return rowan.CreateLink(ctx, org, sso, &api.CreateLinkParams{Preview: preview}, api.GroupLink{OutsideGroup: outside, Group: group})
	}
	unlink := func(outside, group string) error {
		return client.Done(rowan.RemoveLink(ctx, org, sso, group, outside, nil))
	}
	listed := func(links api.ListOutsideGroupsParamsLinks) (found []api.OutsideGroup) {
		list, err := rowan.ListOutsideGroups(ctx, org, &api.ListOutsideGroupsParams{Provider: sso, Links: links})
		require.NoError(t, err)
		return list.OutsideGroups
	}
	may := func() bool {
		answer, err := rowan.Check(ctx, alpine, api.Question{Permission: "describe project", Principal: &api.PrincipalRef{Kind: api.OutsidePersonKind, Name: "juno@quaywater-sso"}})
		require.NoError(t, err)
		return answer.Allowed
	}
	come := func(person identity.Person) {
		there.Put(person)
		testbed.Visit(t, testbed.NewBrowser(t), way(b), person.Subject())
	}
	require.Empty(t, listed(""), "a trial makes no groups")

	// Linked before it is seen, and with other letters: the preview and the list say so.
	come(juno("Seed-Curators", "consultants"))
	preview, err := link("seed-curators", "exchange", true)
	require.NoError(t, err)
	require.Equal(t, []string{"quaywater-sso has named no group seed-curators yet, but Seed-Curators. Names have to match letter by letter."}, preview.Impact.Warnings)
	require.Len(t, listed(""), 2)
	require.NoError(t, client.Done(link("seed-curators", "exchange", false)))
	require.False(t, may())
	unseen := listed(api.Unseen)
	require.Len(t, unseen, 1)
	require.Equal(t, []string{"Seed-Curators"}, unseen[0].Near)
	require.Equal(t, []string{"Seed-Curators", "consultants"}, groupNames(listed(api.Unlinked)))

	// What is seen is linked: juno is in at once, and her page and the group's say by what.
	preview, err = link("Seed-Curators", "exchange", true)
	require.NoError(t, err)
	require.Equal(t, "1 person would gain access.", preview.Impact.Words)
	require.NoError(t, client.Done(link("Seed-Curators", "exchange", false)))
	require.True(t, may())
	require.ErrorContains(t, client.Done(link("Seed-Curators", "exchange", false)), "outside group Seed-Curators@quaywater-sso is already linked to exchange")
	shown, err := rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, "juno@quaywater-sso")
	require.NoError(t, err)
	require.Empty(t, shown.Groups)
	require.Equal(t, []string{"exchange"}, shown.Within)
	require.Equal(t, []api.OutsideLink{{Group: "exchange"}}, shown.OutsideGroups[0].Links)
	group, err := rowan.ShowPrincipal(ctx, org, api.GroupKind, "exchange")
	require.NoError(t, err)
	require.Equal(t, []string{"Seed-Curators", "seed-curators"}, groupNames(group.OutsideGroups))
	require.Equal(t, []api.PrincipalRef{{Kind: api.OutsidePersonKind, Name: "juno@quaywater-sso"}}, group.EveryMember)
	// Her membership there is her provider's to change.
	for _, change := range []func() error{
		func() error {
			return client.Done(rowan.RemoveMember(ctx, org, "exchange", api.OutsidePersonKind, "juno@quaywater-sso", nil))
		},
		func() error {
			return client.Done(rowan.CreateGrant(ctx, alpine, api.GrantNew{Principal: api.PrincipalRef{Kind: api.OutsideGroupKind, Name: "consultants@quaywater-sso"}, Role: "observer"}))
		},
		func() error {
			return client.Done(rowan.SetState(ctx, org, api.OutsideGroupKind, "consultants@quaywater-sso", nil, api.StateChange{State: api.StateRetired}))
		},
	} {
		require.Error(t, change())
	}

	// With the next sign-in she is out, and in again by a name that a pattern matches.
	come(juno("consultants"))
	require.False(t, may())
	require.NoError(t, client.Done(link("consult{kind}", "exchange", false)))
	require.True(t, may())
	pattern := listed(api.Linked)[slices.Index(groupNames(listed(api.Linked)), "consult{kind}")]
	require.True(t, pattern.Pattern)
	require.Equal(t, []string{"consultants"}, pattern.Matches)
	require.Equal(t, 1, pattern.People)
	shown, err = rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, "juno@quaywater-sso")
	require.NoError(t, err)
	require.Equal(t, []api.OutsideLink{{Group: "exchange", By: "consult{kind}"}}, shown.OutsideGroups[0].Links)
	come(juno("consultancy"))
	require.True(t, may(), "a group that came later matches, too")
	come(juno())
	require.False(t, may())
	come(juno("consult{kind}"))
	require.False(t, may(), "nobody is in a pattern by its name")
	come(juno("consulting"))
	require.True(t, may())
	require.NoError(t, unlink("consult{kind}", "exchange"))
	require.False(t, may())
	_, err = rowan.UndoChange(ctx, org, "last", nil)
	require.NoError(t, err)
	require.True(t, may(), "a link is undone and done like any change")
	require.ErrorContains(t, unlink("consulting", "exchange"), "is not linked to exchange")
	require.ErrorContains(t, unlink("consultnts", "exchange"), "did you mean consultants?")
	require.ErrorContains(t, client.Done(link("{all}", "exchange", false)), "matches every group")
	require.ErrorContains(t, client.Done(link("a{b", "exchange", false)), "is not a pattern")

	// A claim map that picks no groups leaves them to others.
	mapped := claimMap()
	mapped.Groups = api.ClaimPick{}
	require.NoError(t, client.Done(rowan.SetEntry(ctx, org, sso, nil, api.EntryEdit{ClaimMap: mapped})))
	come(juno())
	require.True(t, may())
}

func groupNames(groups []api.OutsideGroup) (names []string) {
	for _, g := range groups {
		names = append(names, g.Name)
	}
	return names
}

// TestLinksTakeWhatMembersTake has those link who may change a group's members, and nobody give more than they hold.
func TestLinksTakeWhatMembersTake(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan, tomas := t.Context(), b.As(t, "rowan@lindenmere"), b.As(t, "tomas@lindenmere")
	testbed.Trusted(t, b, rowan, there)
	require.NoError(t, client.Done(rowan.CreateGroup(ctx, org, api.GroupNew{Name: "exchange"})))
	link := func(c *client.Client) error {
		return client.Done(c.CreateLink(ctx, org, sso, nil, api.GroupLink{OutsideGroup: "consultants", Group: "exchange"}))
	}
	require.ErrorContains(t, link(tomas), "enrol group")
	b.Grant(t, "people-manager", "user", "tomas", org)
	b.Grant(t, "steward", "group", "exchange", alpine)
	require.ErrorContains(t, link(tomas), "which you do not hold there yourself", "nobody is in it yet, but the provider could name anybody")
	require.NoError(t, link(rowan))

	// From then on whoever says who comes by the provider could come as a steward there.
	b.Grant(t, "provider-manager", "user", "tomas", org)
	rule := `claim.role is "consultant"`
	require.ErrorContains(t, client.Done(tomas.SetEntry(ctx, org, sso, nil, api.EntryEdit{EntryRule: &rule})), "an administrator of quaywater-sso could come as any of its people")
}
