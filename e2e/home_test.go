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

// TestConsoleIsLive sees a change made elsewhere appear without a reload, finds something by the stroke key, and reads the log.
func TestConsoleIsLive(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		console.Open("/tree/"+trial),
		browser.Visible(`[data-test=access]`),
		browser.See(`[role=tree]`, "seedbank-trial"),
	))
	maeve := b.As(t, "maeve@lindenmere")
	require.NoError(t, client.Done(maeve.CreateGrant(t.Context(), trial, api.GrantNew{Principal: user("yuki"), Role: "networking-operator"})))
	require.NoError(t, console.Do(browser.See(`[data-test=access]`, "networking-operator")))
	require.NoError(t, client.Done(maeve.CreateScope(t.Context(), trial, api.ScopeNew{Kind: "resource", Type: "bucket", Name: "late-comer"})))
	require.NoError(t, console.Do(
		browser.See(`[data-test=contents]`, "3 resources below"),
		browser.Press("Home"),
		browser.See(`[data-test=attention]`, "content-reader"),
		browser.See(`[data-test=mine]`, "govern"),
		browser.See(`[data-test=recent]`, "Created bucket late-comer.bucket"),
		browser.Press("Changes"),
		browser.See(`[data-test=records]`, "networking-operator"),
		browser.Stroke("/"),
		browser.Type(`#finder`, "late"),
		browser.See(`[data-test=finder]`, "late-comer.bucket"),
		browser.Keys(`#finder`, browser.Enter),
		browser.See(`h1`, "late-comer"),
	))
}
