package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestConsoleKeepsDrafts writes in forms and leaves each without saving: what was written is there again, until it is thrown away on
// purpose. A password is not kept.
func TestConsoleKeepsDrafts(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	require.NoError(t, console.Do(console.SignIn("rowan@lindenmere", demo.Passphrase), browser.See(`[role=tree]`, "gardens")))
	for _, form := range []struct {
		name, page  string
		open        []browser.Step
		field, text string
		dialog      bool
	}{
		{"a policy", "/policies/new", nil, `input[name=policy-name]`, "care", false},
		{"a person", "/people/new", nil, `input[name=user-name]`, "linnea", false},
		{"a role", "/roles/new", nil, `input[name=role-name]`, "seed-scanner", false},
		{"a scope's title", "/tree/" + alpine, []browser.Step{browser.Press("Edit")}, `dialog input[name=scope-title]`, "The alpine house", true},
		{"a person's title", "/people/tomas", []browser.Step{browser.Press("Edit")}, `dialog input[name=edit-title]`, "Tomas L.", true},
		{"a grant", "/tree/" + alpine, []browser.Step{browser.Press("Grant a role")}, `dialog input[name=why]`, "while the vents are repaired", true},
		{"members", "/groups/curators", []browser.Step{browser.Press("Add members")}, `dialog input[name=member]`, "sefa", true},
	} {
		t.Run(form.name, func(t *testing.T) {
			do := func(steps ...browser.Step) {
				t.Helper()
				require.NoError(t, console.Do(steps...))
			}
			do(console.Open(form.page))
			do(form.open...)
			do(browser.Type(form.field, form.text))
			if form.dialog {
				do(browser.Stroke(browser.Escape), browser.Closed())
			} else {
				do(console.Open("/catalogue"), browser.See(`h1`, "Catalogue"), console.Open(form.page))
			}
			do(form.open...)
			do(browser.Holds(form.field, form.text), browser.Visible(`[data-test=kept]`), browser.Press("Start over"), browser.SeeNot(`[data-test=kept]`, ""))
		})
	}
	require.NoError(t, console.Do(
		console.Open("/people/new"),
		browser.Click(`input[name=first][value=given]`),
		browser.Type(`input[name=user-password]`, demo.Passphrase),
		console.Open("/catalogue"), browser.See(`h1`, "Catalogue"), console.Open("/people/new"),
		browser.Visible(`[data-test=kept]`),
		browser.Holds(`input[name=user-password]`, ""),
	))
	require.Empty(t, console.Complaints())
}
