package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
)

// TestConsoleOutsidePeople lays out in the console what people of another organisation get, looks one of them up, tags two people at once,
// and shuts all of the provider out.
func TestConsoleOutsidePeople(t *testing.T) {
	b, console := openStory(t)
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, console.Do(
		browser.Press("People"),
		browser.Press("Identity providers"),
		browser.See(`[data-test=providers]`, "There are none yet"),
		browser.Press("Create an identity provider"),
		browser.Type(`input[name=provider-name]`, "quaywater-sso"),
		browser.Type(`input[name=provider-title]`, "Quaywater Seed Exchange"),
		browser.Click(`[data-test=confirm-provider]`),
		browser.See(`h1`, "Quaywater Seed Exchange"),
		browser.See(`[data-test=facts]`, "none yet"),
	))
	require.NoError(t, client.Done(rowan.CreateOutsidePerson(t.Context(), "lindenmere", api.OutsidePersonNew{Provider: "quaywater-sso", Subject: "q-4711", Name: "ilka", Title: "Ilka Varga"})))
	const first = `[data-test=people] tbody tr:nth-child(1)`
	require.NoError(t, console.Do(
		browser.Press("Grant a role"),
		browser.Type(`dialog input[name=where]`, "lindenmere/gardens"),
		browser.Type(`dialog input[name=role]`, "observer"),
		browser.See(`dialog [data-test=impact]`, "people from quaywater-sso"),
		browser.Click(`[data-test=confirm-grant]`),
		browser.Closed(),
		browser.Press("1"), // who comes by it
		browser.See(first, "ilka@quaywater-sso"),
		browser.See(`[data-test=count]`, "1 of"),
		browser.Press("ilka@quaywater-sso"),
		browser.See(`[data-test=facts]`, "q-4711"),
		browser.See(`[data-test=facts]`, "they have not signed in"),

		// Two people are tagged as one change.
		console.Open("/people?group=glasshouse-engineers"),
		browser.See(`[data-test=count]`, "2 of"),
		browser.Click(first+` input`),
		browser.WithShift(browser.Down),
		browser.Press("Tag"),
		browser.Type(`dialog input[name=many-tags]`, "season=2026"),
		browser.See(`dialog [data-test=impact]`, "nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=undo]`, "2 people were tagged"),

		console.Open("/providers/quaywater-sso"),
		browser.Press("Suspend"),
		browser.See(`dialog [data-test=impact]`, "lose"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`main`, "nobody who comes by it holds anything"),
	))
	tomas, err := rowan.ShowPrincipal(t.Context(), "lindenmere", api.UserKind, "tomas")
	require.NoError(t, err)
	require.Equal(t, "2026", tomas.Tags["season"])
	require.Empty(t, console.Complaints())
}
