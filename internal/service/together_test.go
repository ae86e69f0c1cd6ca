package service_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
)

// TestChangesTogether makes several changes as one: they have one impact and one revision, one undo takes them all back, and
// where one of them is refused none is made.
func TestChangesTogether(t *testing.T) {
	t.Parallel()
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan := b.As(t, "rowan@lindenmere")
	grant := func(name string) api.ChangeWanted {
		return api.ChangeWanted{CreateGrant: &api.GrantWanted{Scope: alpine, Grant: api.GrantNew{Principal: user(name), Role: "observer", Description: "a look round"}}}
	}
	join := func(name string) api.ChangeWanted {
		return api.ChangeWanted{AddMember: &api.MembershipWanted{Group: "curators", Member: user(name)}}
	}
	suspend := api.ChangeWanted{SetState: &api.StateWanted{Principal: user("yuki"), State: api.StateSuspended}}
	all := api.Changes{Changes: []api.ChangeWanted{grant("sefa"), grant("tomas"), join("sefa"), suspend}}

	preview, err := rowan.MakeChanges(ctx, "lindenmere", &api.MakeChangesParams{Preview: true}, all)
	require.NoError(t, err)
	require.Equal(t, "2 people would gain access.", preview.Impact.Words)
	made, err := rowan.MakeChanges(ctx, "lindenmere", nil, all)
	require.NoError(t, err)
	require.Equal(t, preview.Revision+1, made.Revision)
	holders := func() (names []string) {
		list, err := rowan.ListGrants(ctx, alpine, nil)
		require.NoError(t, err)
		for _, g := range list.Grants {
			if !g.Inherited {
				names = append(names, g.Principal.Name)
			}
		}
		return names
	}
	require.ElementsMatch(t, []string{"sefa", "tomas"}, holders())
	_, err = rowan.UndoChange(ctx, "lindenmere", "last", nil)
	require.NoError(t, err)
	require.Empty(t, holders())
	yuki, err := rowan.ShowPrincipal(ctx, "lindenmere", api.UserKind, "yuki")
	require.NoError(t, err)
	require.Equal(t, api.StateActive, yuki.State)

	p := testbed.Problem(t, 404, client.Done(rowan.MakeChanges(ctx, "lindenmere", nil, api.Changes{Changes: []api.ChangeWanted{grant("sefa"), grant("sefo")}})))
	require.Contains(t, p.Detail, "change 2 of 2: ")
	require.Empty(t, holders(), "all or none")
	testbed.Problem(t, 404, client.Done(b.As(t, "ines@lindenmere").MakeChanges(ctx, "lindenmere", nil, all)))
}

// TestTagsAndScopesTogether tags several people as one, some of whom have the tag already, and creates several scopes as one.
func TestTagsAndScopesTogether(t *testing.T) {
	t.Parallel()
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan := b.As(t, "rowan@lindenmere")
	tag := func(name string, set api.Tags, remove ...string) api.ChangeWanted {
		return api.ChangeWanted{TagPrincipal: &api.TagsWanted{Principal: user(name), Tags: set, Remove: remove}}
	}
	tagged := func(name string) api.Tags {
		shown, err := rowan.ShowPrincipal(ctx, "lindenmere", api.UserKind, name)
		require.NoError(t, err)
		return shown.Tags
	}
	make := func(changes ...api.ChangeWanted) error {
		return client.Done(rowan.MakeChanges(ctx, "lindenmere", nil, api.Changes{Changes: changes}))
	}
	require.NoError(t, make(tag("sefa", api.Tags{"season": "2026", "team": "labels"})))
	require.NoError(t, make(tag("sefa", api.Tags{"season": "2026"}), tag("yuki", api.Tags{"season": "2026"})))
	require.Equal(t, api.Tags{"season": "2026", "team": "labels"}, tagged("sefa"), "other tags stay")
	require.Equal(t, "2026", tagged("yuki")["season"])
	testbed.Problem(t, 400, make(tag("sefa", api.Tags{"season": "2026"})))
	require.NoError(t, make(tag("sefa", nil, "season"), tag("yuki", nil, "season")))
	require.Equal(t, api.Tags{"team": "labels"}, tagged("sefa"))
	require.NotContains(t, tagged("yuki"), "season")

	scope := func(name string) api.ChangeWanted {
		return api.ChangeWanted{CreateScope: &api.ScopeWanted{Parent: "lindenmere/gardens", Scope: api.ScopeNew{Kind: "project", Name: name}}}
	}
	require.NoError(t, make(scope("north"), scope("south")))
	require.NoError(t, client.Done(rowan.ShowScope(ctx, "lindenmere/gardens/south")))
	require.Contains(t, testbed.Problem(t, 409, make(scope("west"), scope("north"))).Detail, "already has something called north")
	require.ErrorContains(t, client.Done(rowan.ShowScope(ctx, "lindenmere/gardens/west")), "no scope", "all or none")
}

// TestGrantIsEdited gives a grant an end, a condition and a reason, and takes them away; undoing goes back to how it was.
func TestGrantIsEdited(t *testing.T) {
	t.Parallel()
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan := b.As(t, "rowan@lindenmere")
	made, err := rowan.CreateGrant(ctx, alpine, api.GrantNew{Principal: user("sefa"), Role: "builder", Description: "for the summer", Until: b.Clock.Now().AddDate(0, 3, 0)})
	require.NoError(t, err)
	id := made.Grant.Id
	now := func() api.Grant {
		list, err := rowan.ListGrants(ctx, alpine, nil)
		require.NoError(t, err)
		require.Equal(t, id, list.Grants[0].Id)
		return list.Grants[0]
	}
	edit := func(e api.GrantEdit) api.Written {
		written, err := rowan.EditGrant(ctx, id, nil, e)
		require.NoError(t, err)
		return written
	}
	later := b.Clock.Now().AddDate(1, 0, 0)
	preview, err := rowan.EditGrant(ctx, id, &api.EditGrantParams{Preview: true}, api.GrantEdit{Condition: ptr(`context.location is "north"`)})
	require.NoError(t, err)
	require.NotEmpty(t, preview.Impact.Effects[0].NowConditional, "what was certain hangs on something")

	edit(api.GrantEdit{Until: later, Condition: ptr(`context.location is "north"`)})
	require.Equal(t, `context.location is "north"`, now().Condition)
	require.True(t, later.Equal(now().Until))
	require.Equal(t, "for the summer", now().Description, "what is not said stays")
	edit(api.GrantEdit{NoUntil: true, Condition: ptr(""), Description: ptr("for good")})
	require.Zero(t, now().Until)
	require.Empty(t, now().Condition)
	require.Equal(t, "for good", now().Description)
	_, err = rowan.UndoChange(ctx, "lindenmere", "last", nil)
	require.NoError(t, err)
	require.Equal(t, `context.location is "north"`, now().Condition)
	require.Equal(t, "for the summer", now().Description)

	testbed.Problem(t, 400, client.Done(rowan.EditGrant(ctx, id, nil, api.GrantEdit{Until: b.Clock.Now().AddDate(0, 0, -1)})))
	testbed.Problem(t, 404, client.Done(b.As(t, "sefa@lindenmere").EditGrant(ctx, id, nil, api.GrantEdit{NoUntil: true})))
	below, err := rowan.ListGrants(ctx, "lindenmere", &api.ListGrantsParams{Below: true})
	require.NoError(t, err)
	require.Contains(t, below.Grants, func() api.Grant { g := now(); g.Losses = nil; return g }())
}
