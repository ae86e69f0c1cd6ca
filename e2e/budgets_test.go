package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

const palmHouse = "lindenmere/gardens/glasshouses/palm-house"

// hands do something in the console and count presses: a click, or a stroke of Enter, Tab, an arrow or a shortcut. Typing is free.
type hands struct {
	t       *testing.T
	console *browser.Browser
	presses int
}

func (h *hands) do(steps ...browser.Step) {
	h.t.Helper()
	require.NoError(h.t, h.console.Do(steps...))
}

func (h *hands) click(selector string) {
	h.t.Helper()
	h.presses++
	h.do(browser.Click(selector))
}

func (h *hands) press(text string) {
	h.t.Helper()
	h.presses++
	h.do(browser.Press(text))
}

func (h *hands) write(selector, text string) {
	h.t.Helper()
	h.do(browser.Type(selector, text))
}

// confirm presses the button that makes a change, once its impact is there to be read.
func (h *hands) confirm(button, impact string) {
	h.t.Helper()
	h.do(browser.See(`[data-test=impact]`, impact))
	h.click(button)
}

// TestBudgets does what administrators do all day, and counts the presses that it takes.
func TestBudgets(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	b.Grant(t, "builder", "user", "piotr", alpine)
	rowan := b.As(t, "rowan@lindenmere")
	care, err := rowan.CreatePolicyAt(t.Context(), "lindenmere/science", api.PolicyNew{Name: "care", Text: "staff may observe storage"})
	require.NoError(t, err)
	text := "staff may observe, modify storage"
	require.NoError(t, client.Done(rowan.EditPolicyText(t.Context(), care.Policy.Id, nil, api.PolicyEdit{Text: &text})))
	people := filepath.Join(t.TempDir(), "people.csv")
	require.NoError(t, os.WriteFile(people, []byte("name,title\nwillem,Willem Oak\nastrid,Astrid Lund\nperrin,Perrin Oakes\n"), 0o600))
	console := openConsole(t, b)
	require.NoError(t, console.Do(console.SignIn("rowan@lindenmere", demo.Passphrase), browser.See(`[role=tree]`, "gardens")))
	const change = `[data-test=confirm-change]`
	for _, task := range []struct {
		name, page string
		most       int
		do         func(h *hands)
	}{
		{"create a person with copied access", "/people", 4, func(h *hands) {
			h.press("Create a person")
			h.write(`input[name=user-name]`, "linnea")
			h.write(`input[name=user-title]`, "Linnea Berg")
			h.write(`input[name=like]`, "piotr")
			h.do(browser.See(`[data-test=lines]`, "builder"))
			h.click(`[data-test=confirm-person]`)
			h.do(browser.See(`[data-test=result]`, "linnea@lindenmere"))
			h.do(browser.Press("Copy all"), browser.See(`[data-test=result]`, "Copied")) // what comes after is no part of it
		}},
		{"grant from a scope", "/tree/" + palmHouse, 4, func(h *hands) {
			h.press("Grant a role")
			h.click(`dialog input[name=kind][value=user]`)
			h.write(`dialog input[name=who]`, "sefa")
			h.write(`dialog input[name=role]`, "observer")
			h.confirm(`[data-test=confirm-grant]`, "sefa gains")
			h.do(browser.Closed(), browser.See(`[data-test=access]`, "sefa"))
		}},
		{"from a refusal to the grant to a yes", "/check?user=yuki&may=describe+project&at=" + palmHouse, 3, func(h *hands) {
			h.do(browser.See(`[data-test=answer]`, "No"))
			h.press("Prepare this grant")
			h.confirm(`[data-test=confirm-grant]`, "yuki gains")
			h.do(browser.Closed())
			h.presses++ // back
			h.do(console.Open("/check?user=yuki&may=describe+project&at="+palmHouse), browser.See(`[data-test=answer]`, "Yes"))
		}},
		{"invite a guest for a week", "/people", 4, func(h *hands) {
			h.press("Invite a guest")
			h.write(`input[name=guest-email]`, "wren@meadowside.example")
			h.write(`input[name=grant-at]`, palmHouse)
			h.write(`input[name=grant-role]`, "observer")
			h.write(`input[name=grant-until]`, "01012099")
			h.click(`[data-test=add-grant]`)
			h.do(browser.See(`[data-test=impact]`, "at palm-house"))
			h.click(`[data-test=confirm-person]`)
			h.do(browser.See(`[data-test=result]`, "is invited"))
		}},
		{"many people by file", "/people", 3, func(h *hands) {
			h.press("Import from a file")
			h.presses++ // the file
			h.do(browser.Choose(`input[name=people-file]`, people))
			h.do(browser.See(`[data-test=reading]`, "No faults"))
			h.click(`[data-test=confirm-import]`)
			h.do(browser.See(`h1`, "Created 3 people"))
			h.do(browser.Press("Save the result file"), browser.See(`[data-test=imported]`, "first password of each."))
		}},
		{"add five people to a group", "/groups/contractors", 4, func(h *hands) {
			h.press("Add members")
			h.write(`input[name=member]`, "ines, piotr, yuki, sefa, tomas,")
			h.do(browser.See(`[data-test=chosen-members]`, "tomas"))
			h.do(browser.Visible(`dialog [data-test=impact]`))
			h.click(change)
			h.do(browser.Closed(), browser.See(`[data-test=members]`, "yuki"))
		}},
		{"find who granted something", "/tree", 3, func(h *hands) {
			h.do(browser.Type(`input[aria-label="Find a scope by name"]`, "alpine"))
			h.click(`[role=treeitem][title="Alpine house"]`)
			h.do(browser.See(`[data-test=access] tr`, "by rowan@lindenmere"), browser.Type(`input[aria-label="Find a scope by name"]`, ""))
		}},
		{"move a project having read its impact", "/tree/lindenmere/visitors/trail-guide", 3, func(h *hands) {
			h.press("Move")
			h.write(`dialog input[name=move-to]`, "lindenmere/science")
			h.do(browser.Visible(`dialog [data-test=impact]`))
			h.click(change)
			h.do(browser.See(`nav[aria-label=Address]`, "science"))
		}},
		{"make a custom role from wanted permissions", "/roles", 5, func(h *hands) {
			h.write(`input[name=wanted]`, "fetch object, erase object, list bucket,")
			h.press("Create a role of exactly these")
			h.write(`input[name=role-name]`, "scan-sorter")
			h.do(browser.See(`[data-test=holds-now]`, "3 permissions"))
			h.click(`[data-test=save]`)
			h.do(browser.See(`h1`, "scan-sorter"))
			// And it is deleted, which a change shows and an undo takes back.
			h.do(browser.Press("Delete role"), browser.See(`dialog`, "Nobody holds it by a grant"), browser.Visible(`dialog [data-test=impact]`), browser.Click(change),
				browser.Closed(), browser.See(`[data-test=undo]`, "Role scan-sorter deleted"), browser.SeeNot(`[data-test=roles]`, "scan-sorter"))
		}},
		{"roll a policy back", "/policies/" + care.Policy.Id, 3, func(h *hands) {
			h.click(`[data-test=versions] li:nth-child(2) button`)
			h.press("Put this text into the editor")
			h.confirm(`[data-test=save]`, "lose")
			h.do(browser.See(`[data-test=versions] li:nth-child(1)`, "the present text"), browser.See(`[data-test=undo]`, "Policy care saved"))
		}},
		{"a leaver handed over and retired", "/people/piotr", 4, func(h *hands) {
			h.press("Retire")
			h.confirm(change, "piotr loses")
			h.do(browser.Closed())
			h.press("Hand the grants over")
			h.write(`dialog input[name=taker]`, "tomas")
			h.confirm(change, "tomas gains")
			h.do(browser.Closed())
		}},
	} {
		t.Run(task.name, func(t *testing.T) {
			h := &hands{t: t, console: console}
			h.do(console.Open(task.page))
			task.do(h)
			require.LessOrEqual(t, h.presses, task.most)
		})
	}
}

// TestBudgetsOfCommands does the same by command line, each by one command.
func TestBudgetsOfCommands(t *testing.T) {
	b := testbed.StartDemo(t)
	b.Grant(t, "builder", "user", "tomas", alpine)
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	for _, task := range []struct{ line, says string }{
		{"user create linnea --like ines", "linnea"},
		{"grant create observer --user sefa --at " + palmHouse, "Granted observer"},
		{"guest invite wren@meadowside.example --grant=observer|at|" + palmHouse + "|until|2099-01-01", "Invited"},
		{"group add contractors --user ines --user piotr --user yuki --user sefa --user tomas", "are now in contractors"},
		{"grant list " + palmHouse, "rowan@lindenmere"},
		{"scope move lindenmere/visitors/trail-guide --to lindenmere/science", "it is now lindenmere/science/trail-guide"},
		{"role create seed-scanner --at lindenmere/science --include fetch|object --include list|object", "seed-scanner"},
		{"user hand-over tomas --user piotr", "now belong to user piotr"},
	} {
		words := strings.Fields(task.line)
		for i, word := range words {
			words[i] = strings.ReplaceAll(word, "|", " ")
		}
		status, out, errs := c.run("", words...)
		require.Zero(t, status, "%s: %s%s", task.line, out, errs)
		require.Contains(t, out, task.says, task.line)
	}
}
