package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestConsoleEditsGrants edits a grant where it is read, gives it an end, and revokes it on the page of whom it names.
func TestConsoleEditsGrants(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	b.Grant(t, "builder", "user", "tomas", alpine)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		console.Open("/tree/"+alpine),
		browser.Click(`button[aria-label="Edit the grant of builder to tomas"]`),
		browser.Type(`dialog input[name=why]`, "until the vents are repaired"),
		browser.Type(`dialog input[name=condition]`, `context.hour("Europe/Olso") < 18`),
		browser.See(`dialog`, "did you mean Europe/Oslo"),
		browser.Type(`dialog input[name=condition]`, `context.hour("Europe/Oslo") < 18`),
		browser.See(`dialog [data-test=impact]`, "only under a condition"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=access]`, "until the vents are repaired"),
		browser.See(`[data-test=access]`, `context.hour("Europe/Oslo") < 18`),
		browser.Press("Undo"),
		browser.SeeNot(`[data-test=access]`, "until the vents are repaired"),
		console.Open("/people/tomas"),
		browser.Click(`button[aria-label="Revoke builder at alpine-house"]`),
		browser.See(`dialog [data-test=impact]`, "tomas loses"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.SeeNot(`[data-test=holds] tr`, "alpine-house"),
	))
	require.Empty(t, console.Complaints())
}

// TestConsoleLeadsThroughFirstSteps follows the steps that Home of a new organisation shows, until nothing is left of them.
func TestConsoleLeadsThroughFirstSteps(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("juno@quaywater", demo.Passphrase),
		browser.See(`[role=tree]`, "quaywater"),
		console.Open("/"),
		browser.See(`[data-test=first-steps]`, "Create a folder or a project"),
		browser.Press("Create the first person"),
		browser.Visible(`input[name=user-name]`),
		browser.SignOut(),
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		console.Open("/"),
		browser.Visible(`[data-test=mine]`),
		browser.SeeNot(`main`, "First steps"),
	))
	require.Empty(t, console.Complaints())
}
