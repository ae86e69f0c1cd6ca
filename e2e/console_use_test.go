package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestConsoleLoam works in Loam in the browser: what is on is done, what is off says why and how to ask, and somebody looked
// as changes nothing.
func TestConsoleLoam(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemoWithLoam(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	require.NoError(t, demo.LoadLoam(t.Context(), b.Address))
	require.NoError(t, demo.LoadLoamStory(t.Context(), b.Address))
	console := openConsole(t, b)
	const reader, bucket = `[data-resource="label-reader.machine"]`, `[data-resource="scans.bucket"]`
	require.NoError(t, console.Do(
		console.SignIn("piotr@lindenmere", demo.Passphrase),
		browser.Press("Loam"),
		browser.Click(`a[href="#/loam/lindenmere/science"]`),
		browser.Click(`a[href="#/loam/lindenmere/science/herbarium"]`),
		browser.Click(`a[href="#/loam/lindenmere/science/herbarium/digitising"]`),
		browser.See(reader, "running"),
		browser.Click(reader+` [data-act="stop machine"]`),
		browser.See(reader, "stopped"),
		browser.Click(reader+` [data-act="start machine"]`),
		browser.See(reader, "running"),
		browser.Click(reader+` [data-act="describe machine"]`),
		browser.See(reader+` [data-test=made]`, "digitising-lan.network"),
		browser.See(reader+` [data-test=made]`, "label-indexer"),
		browser.Click(reader+` [data-act="enter machine"][data-on=false]`),
		browser.See(reader+` [data-test=reason]`, `please let user piotr enter machine at lindenmere/science/herbarium/digitising/label-reader.machine`),
		browser.Click(bucket+` [data-act="list object"]`),
		browser.See(bucket+` [data-test=objects]`, "labels/00412.txt"),
		browser.Click(bucket+` tbody tr:first-child [data-act="erase object"][data-on=false]`),
		browser.See(bucket+` [data-test=reason]`, "You may not erase object"),
		browser.Visible(bucket+` tbody tr:first-child [data-act="fetch object"][data-on=true]`),
		browser.Click(`[data-act="create lab"]`),
		browser.Type(`input[name=name]`, "leaves"),
		browser.Click(`[data-test=confirm-loam]`),
		browser.See(`dialog [role=alert]`, "A lab needs a network"),
		browser.Type(`input[name=network]`, digitising+"/digitising-lan.network"),
		browser.Click(`[data-test=confirm-loam]`),
		browser.Closed(),
		browser.Click(`[data-resource="leaves.lab"] [data-act="start lab"]`),
		browser.See(`[data-resource="leaves.lab"]`, "running"),
		browser.Click(`[data-resource="leaves.lab"] [data-act="run lab"]`),
		browser.Type(`[data-resource="leaves.lab"] textarea`, "list "+scans),
		browser.Press("Write it"),
		browser.Press("Run it"),
		browser.See(`[data-test=ran]`, "Refused"),
		browser.SignOut(),
	))
	require.NoError(t, console.Do(
		console.SignIn("sefa@lindenmere", demo.Passphrase),
		console.Open("/loam/lindenmere/visitors/ticketing"),
		browser.Click(`[data-resource="sales.database"] [data-act="query database"]`),
		browser.See(`[data-test=records]`, "118 visitors"),
		browser.Type(`input[name=key]`, "2026-11-25"),
		browser.Type(`input[name=value]`, "41 visitors"),
		browser.Press("Amend"),
		browser.See(`[data-test=records]`, "41 visitors"),
		browser.Click(`[data-resource="till.machine"] [data-act="resize machine"]`),
		browser.Click(`input[name=size][value=large]`),
		browser.Click(`[data-test=confirm-loam]`),
		browser.Closed(),
		browser.See(`[data-resource="till.machine"]`, "large"),
		browser.SignOut(),
	))
	// Without leave to list, what one holds is still there.
	require.NoError(t, console.Do(
		console.SignIn("tomas@lindenmere", demo.Passphrase),
		console.Open("/loam/lindenmere/visitors/ticketing"),
		browser.See(`[data-test=unlisted]`, "You may not list app here"),
		browser.Visible(`[data-resource="staff-desk.app"] [data-act="visit app"][data-on=true]`),
		browser.Click(`[data-act="create machine"][data-on=false]`),
		browser.See(`[data-test=reason]`, "You may not create machine"),
		browser.SignOut(),
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		console.Open("/people/yuki"),
		browser.Press("Look as Yuki Tanabe"),
		browser.See(`[data-test=viewing]`, "user yuki"),
		console.Open("/loam/"+digitising),
		browser.Visible(`[data-resource="digitising-lan.network"]`),
		browser.SeeNot(`main`, "scans.bucket"),
		browser.SignOut(),
	))
}

// TestConsoleFindsItsWay searches the tree, reads what cuts a grant off and what was changed, and goes from a cell of the
// matrix to why.
func TestConsoleFindsItsWay(t *testing.T) {
	t.Parallel()
	_, console := openStory(t)
	require.NoError(t, console.Do(
		browser.Type(`input[aria-label="Find a scope by name"]`, "scans"),
		browser.Keys(`input[aria-label="Find a scope by name"]`, browser.Enter),
		browser.See(`[data-test=found]`, "trial-scans.bucket"),
		browser.Type(`input[name=text]`, "project"),
		browser.Keys(`input[name=text]`, browser.Enter),
		browser.See(`[data-test=found]`, "palm-house"),
		browser.Type(`input[name=tag]`, "care"),
		browser.Press("Search"),
		browser.See(`[data-test=found]`, "seedbank-vault"),
		browser.Click(`[data-test=found] a`),
		browser.See(`[data-test=contents]`, "3 items inside, 3 resources below"),
		browser.See(`[data-test=loss]`, "cut off here by"),
		browser.See(`[data-test=changes-here]`, "Granted content-keeper to group vault-keepers"),
		browser.Press("Matrix"),
		browser.Visible(`[data-test=matrix]`),
		browser.Click(`[data-test=matrix] button[aria-label^="maeve, object"]`),
		browser.See(`[data-test=cell]`, "erase object"),
		// The row that the mouse is on has one colour, its first cell too.
		browser.Until(`(() => {
			const row = document.querySelector("[data-test=matrix] tbody tr:hover");
			const colours = new Set([...(row?.children ?? [])].map((cell) => getComputedStyle(cell).backgroundColor));
			return colours.size === 1 && !colours.has("rgba(0, 0, 0, 0)");
		})()`),
		browser.Press("erase object"),
		browser.See(`[data-test=way]`, "content-keeper"),
	))
}

// TestConsoleTreeMenu opens the menu of a row by its button and by keys, and finds in it what may be done there and no more.
func TestConsoleTreeMenu(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	b.Grant(t, "observer", "user", "sefa", alpine)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		browser.Click(`button[aria-label="What to do with visitors"]`),
		browser.See(`[data-test=tree-menu]`, "Grant a role"),
		browser.Press("Move"),
		browser.See(`dialog`, "Move visitors"),
		browser.Press("Cancel"),
		browser.Closed(),
		browser.Keys(`[role=treeitem][aria-current=page]`, "m"),
		browser.See(`[data-test=tree-menu]`, "Retire"),
		browser.Stroke(browser.Down), browser.Stroke(browser.Down), browser.Stroke(browser.Enter),
		browser.See(`dialog`, "Edit visitors"),
		browser.Press("Cancel"),
		browser.Closed(),
		browser.Click(`button[aria-label="What to do with visitors"]`), // several are chosen without a keyboard, too
		browser.Press("Select, to act on several"),
		browser.See(`[data-test=several]`, "1 scope chosen"),
		browser.Press("Clear selection"),
		browser.SeeNot(`main`, "1 scope chosen"),
		browser.SignOut(),
		console.SignIn("sefa@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "alpine-house"),
		browser.Click(`button[aria-label="What to do with alpine-house"]`),
		browser.See(`[data-test=tree-menu]`, "Check access here"),
		browser.SeeNot(`[data-test=tree-menu]`, "Grant a role"),
		browser.SeeNot(`[data-test=tree-menu]`, "Retire"),
	))
	require.Empty(t, console.Complaints())
}
