package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestConsoleLists finds, narrows and orders people, chooses several by keyboard, acts on them as one change, and saves what is shown.
func TestConsoleLists(t *testing.T) {
	t.Parallel()
	b, console := openStory(t)
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "night-shift"})))
	testbed.PolicyMade(t, rowan, alpine, "seasonal", "staff may observe tree")
	const first, second = `[data-test=people] tbody tr:nth-child(1)`, `[data-test=people] tbody tr:nth-child(2)`
	require.NoError(t, console.Do(
		browser.Press("People"),
		browser.See(first, "bram"),
		browser.Press("Display name"),
		browser.Press("Display name"),
		browser.See(first, "Yuki Tanabe"),
		browser.See(second, "Tomas Lindqvist"),

		// The filters, and the way back to what they leave out.
		browser.Type(`input[name=group]`, "glasshouse-engineers"),
		browser.See(`[data-test=count]`, "2 of"),
		browser.See(first, "tomas"),
		browser.Type(`input[name=group]`, ""),
		browser.Type(`input[aria-label="Find by name or email"]`, "nobody at all"),
		browser.See(`[data-test=people]`, "Nothing matches"),
		browser.Type(`input[aria-label="Find by name or email"]`, ""),
		browser.See(first, "yuki"),

		// Two by keyboard, into a group as one change, and back.
		browser.Click(first+` input`),
		browser.See(`[data-test=count]`, "1 person chosen"),
		browser.WithShift(browser.Down),
		browser.See(`[data-test=count]`, "2 people chosen"),
		browser.Press("Add to a group"),
		browser.Type(`dialog input[name=many-group]`, "night-shift"),
		browser.See(`dialog [data-test=impact]`, ""),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=undo]`, "2 people were added to a group"),
		browser.See(first, "night-shift"),
		browser.See(second, "night-shift"),
		browser.Press("Undo"),
		browser.SeeNot(`[data-test=people]`, "night-shift"),

		// The columns stay as they were chosen; what is saved is what is shown.
		browser.Click(`[data-test=columns] summary`),
		browser.Click(`input[name=column-email]`), browser.Click(`input[name=column-groups]`), browser.Click(`input[name=column-lastSignIn]`), browser.Click(`input[name=column-factors]`),
		browser.SeeNot(`[data-test=people] thead`, "Email"),
		console.Open("/groups"),
		browser.See(`[data-test=groups]`, "curators"),
		console.Open("/people?sort=name&state=active&kind=guest"),
		browser.See(first, "juno@quaywater"),
		browser.SeeNot(`[data-test=people] thead`, "Email"),
		browser.KeepFiles(),
		browser.Click(`[data-test=save-list]`),
		browser.Saved("Name,Display name,State\r\njuno@quaywater,Juno Marchetti,active\r\n"),

		// The other lists order by their columns, and their rows are acted on.
		console.Open("/policies?find=seasonal"),
		browser.Click(`[data-test=statements-found] tbody input`),
		browser.Press("Suspend 1 policy"),
		browser.See(`dialog [data-test=impact]`, "lose"),
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=statements-found]`, "suspended with its policy"),
		console.Open("/roles?plane=data&privileged=no"),
		browser.Click(`[data-test=roles] tbody tr:nth-child(1) input`),
		browser.Click(`[data-test=roles] tbody tr:nth-child(2) input`),
		browser.Press("Compare them"),
		browser.See(`h1`, "Compare two roles"),

		// The box that finds anything finds people and groups, too.
		browser.Stroke("/"),
		browser.Type(`#finder`, "yuki"),
		browser.See(`[data-test=finder]`, "Yuki Tanabe"),
		browser.Type(`#finder`, "night"),
		browser.See(`[data-test=finder]`, "night-shift"),
	))
	require.Empty(t, console.Complaints())
}

// TestConsoleImportsPeople makes people from a file: its faults stand in its lines, what it does is shown, and its result is a file.
func TestConsoleImportsPeople(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	file := filepath.Join(t.TempDir(), "people.csv")
	write := func(text string) { require.NoError(t, os.WriteFile(file, []byte(text), 0o600)) }
	write("name,description,groups,grants\nlinnea,\"counts seeds,\nand sows them\",glasshouse-enginers,\nBram,Bram,,\nwillem,Willem Oak,,observer at lindenmere/gardens\n")
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.Press("People"),
		browser.Press("Import from a file"),
		browser.Choose(`input[name=people-file]`, file),
		browser.See(`[data-test=reading]`, "2 faults in people.csv"),
		browser.See(`[data-test=import-lines] tbody tr:nth-child(1)`, "There is no group glasshouse-enginers"),
		browser.See(`[data-test=import-lines] tbody tr:nth-child(1)`, "Did you mean glasshouse-engineers?"),
		browser.See(`[data-test=import-lines] tbody tr:nth-child(2)`, "4 Bram"),
		browser.See(`[data-test=import-lines] tbody tr:nth-child(3)`, "5 willem"),
	))
	// As a spreadsheet writes it where the comma stands in numbers; each faulty cell is told.
	write("name;title;groups;grants\nlinnea;Linnea Holm;nobodies;\"observr at lindenmere\"\n")
	require.NoError(t, console.Do(
		browser.Choose(`input[name=people-file]`, file),
		browser.See(`[data-test=reading]`, "2 faults in people.csv"),
		browser.See(`[data-test=import-lines] tbody tr:nth-child(1)`, "Linnea Holm"),
		browser.See(`[data-test=import-lines] tbody tr:nth-child(1)`, "There is no group nobodies"),
		browser.See(`[data-test=import-lines] tbody tr:nth-child(1)`, "Did you mean observer?"),
	))
	write("name,title,groups,grants,link\nlinnea,Linnea Holm,glasshouse-engineers,,\nwillem,Willem Oak,,observer at lindenmere/gardens,\n")
	require.NoError(t, console.Do(
		browser.Choose(`input[name=people-file]`, file),
		browser.See(`[data-test=reading]`, "No faults"),
		browser.See(`[data-test=impact]`, "willem gains"),
		browser.KeepFiles(),
		browser.Click(`[data-test=confirm-import]`),
		browser.See(`h1`, "Created 2 people"),
		browser.Press("All people"), // refused: the passwords were not saved yet
		browser.See(`[data-test=leave]`, ""),
	))
	require.Empty(t, console.Complaints())
}

// TestConsoleOnAPhone opens the tree as a drawer, which closes by Escape, by what is beside it and by a choice.
func TestConsoleOnAPhone(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	const drawer, opener = `#tree-drawer`, `[data-test=open-tree]`
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		browser.Width(390),
		console.Open("/tree/lindenmere/gardens"),
		browser.See(opener, "lindenmere/gardens"),
		browser.Hidden(drawer),
		browser.Click(opener), browser.Visible(drawer),
		browser.Stroke(browser.Escape), browser.Hidden(drawer),
		browser.Click(opener), browser.Visible(drawer),
		browser.Click(`[role=treeitem][title="Science"]`),
		browser.Hidden(drawer),
		browser.See(opener, "lindenmere/science"),
	))
	require.Empty(t, console.Complaints())
}

// TestConsoleExplainsItsWords explains a word where it stands, and in the glossary.
func TestConsoleExplainsItsWords(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		console.Open("/tree/"+alpine+"?view=matrix"),
		browser.Click(`[data-test=legend] [data-test=term]`),
		browser.See(`[role=note]:popover-open`, "what sort of act an operation is"),
		browser.Click(`[role=note]:popover-open a`),
		browser.See(`[data-test=glossary]`, "what sort of act an operation is"),
		console.Open("/nowhere"),
		browser.See(`h1`, "There is no such page"),
	))
	require.Empty(t, console.Complaints())
}
