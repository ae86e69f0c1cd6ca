package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestWhatSomebodyCouldGiveThemselves tells it on a person's page, in the API and at a terminal, as far as the viewer may list grants.
func TestWhatSomebodyCouldGiveThemselves(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	ctx := t.Context()
	b.Grant(t, "people-manager", "user", "yuki", "lindenmere")
	b.Grant(t, "content-reader", "group", "curators", trial)
	could := func(viewer, who string) api.Powers {
		powers, err := b.As(t, viewer+"@lindenmere").ShowPowers(ctx, "lindenmere", api.UserKind, who)
		require.NoError(t, err)
		return powers
	}
	rowans := could("rowan", "rowan")
	require.False(t, rowans.Hidden)
	require.Equal(t, "lindenmere", rowans.Powers[0].Scope.Address)
	require.Equal(t, "may grant themselves content-keeper, or write a statement there", rowans.Powers[0].Way)
	require.Contains(t, rowans.Powers[0].Gains, "erase object")
	require.Equal(t, api.Power{Scope: rowans.Powers[1].Scope, Way: "may add themselves to group curators", Gains: []string{"list object", "fetch object"}}, rowans.Powers[1])
	require.Empty(t, could("rowan", "tomas").Powers)
	hidden := could("yuki", "rowan")
	require.Empty(t, hidden.Powers, "who may not list grants learns of none")
	require.True(t, hidden.Hidden)
	testbed.Problem(t, 403, client.Done(b.As(t, "tomas@lindenmere").ShowPowers(ctx, "lindenmere", api.UserKind, "rowan")))

	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		console.Open("/people/rowan"),
		browser.See(`[data-test=could-hold]`, "May grant themselves content-keeper, or write a statement there"),
		browser.Click(`[data-test=could-hold] button`),
		browser.See(`[data-test=could-hold]`, "erase object"),
		console.Open("/people/tomas"),
		browser.See(`[data-test=could-hold]`, "tomas can add nothing to what the rules give."),
	))
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	require.Contains(t, c.must("could-hold --user rowan"), "may grant themselves content-keeper")
	require.Contains(t, c.must("could-hold --user tomas"), "could give themselves nothing")
}
