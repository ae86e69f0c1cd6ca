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

// TestConsoleTellsRecordsInFull opens a record of the log: what was edited, before and after.
func TestConsoleTellsRecordsInFull(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	for _, desk := range []string{"one", "two"} {
		require.NoError(t, client.Done(rowan.EditPrincipal(t.Context(), "lindenmere", api.UserKind, "sefa", nil, api.PrincipalEdit{Tags: &api.Tags{"desk": desk}})))
	}
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[data-test=me]`, "rowan@lindenmere"),
		console.Open("/changes?event=change"),
		browser.Click(`[data-test=records] li:first-child [aria-expanded]`),
		browser.See(`[data-test=record-details] h3`, "User sefa"),
		browser.See(`[data-test=record-details] del`, "desk=one"),
		browser.See(`[data-test=record-details] ins`, "desk=two"),
		browser.Click(`[data-test=records] li:first-child [aria-expanded]`),
		browser.SeeNot(`main`, "User sefa"),
	))
}

// TestConsoleHandsOver gives one of two grants of a leaver to a successor, who joins the same groups; and a grant ends on a day that was
// given without a time.
func TestConsoleHandsOver(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	b.Grant(t, "observer", "user", "sefa", alpine)
	b.Grant(t, "operator", "user", "sefa", trailGuide)
	require.NoError(t, client.Done(rowan.AddMember(t.Context(), "lindenmere", "curators", nil, api.PrincipalRef{Kind: "user", Name: "sefa"})))
	require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, "sefa", nil, api.StateChange{State: api.StateRetired})))
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[data-test=me]`, "rowan@lindenmere"),
		console.Open("/people/sefa"),
		browser.Press("Hand the grants over"),
		browser.See(`dialog fieldset`, "operator at "+trailGuide),
		browser.Type(`input[name=taker]`, "tomas"),
		browser.Click(`dialog fieldset label:last-of-type input`),
		browser.Click(`input[name=same-groups]`),
		browser.See(`[data-test=impact]`, "tomas"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		console.Open("/people/tomas"),
		browser.See(`[data-test=facts]`, "curators"),
		browser.See(`[data-test=holds] tr`, "observer lindenmere/gardens/glasshouses/alpine-house directly"),
		browser.SeeNot(`[data-test=holds]`, trailGuide),

		console.Open("/tree/"+trailGuide+"?grant=observer&user=tomas"),
		browser.Press("Only for a while, or under a condition"),
		browser.Type(`dialog input[name=until]`, "01012099"),
		browser.See(`[data-test=review]`, "until 1 Jan 2099, 00:00"),
		browser.Press("working hours"),
		browser.See(`[data-test=review]`, "if context.hour("),
		browser.Visible(`[data-test=impact]`),
		browser.Click(`[data-test=confirm-grant]`),
		browser.Closed(),
		browser.See(`[data-test=access]`, "until 1 Jan 2099"),
	))
}
