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

// TestConsoleMishaps does what once went wrong in the console: each row is a mishap that somebody had.
func TestConsoleMishaps(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.ReshapeScopes(t.Context(), "lindenmere", nil, api.Reshaping{Scopes: []string{trailGuide}, State: api.ScopeRetired})))
	b.Grant(t, "observer", "user", "sefa", alpine)
	console := openConsole(t, b)
	require.NoError(t, console.Do(console.SignIn("rowan@lindenmere", demo.Passphrase), browser.See(`[data-test=me]`, "rowan@lindenmere")))
	row := func(title string) string { return `[role=treeitem][title="` + title + `"]` }
	for _, mishap := range []struct {
		name  string
		steps []browser.Step
	}{
		{"a filter goes along to the next list", []browser.Step{
			console.Open("/people"), browser.Type(`main input[type=search]`, "maeve"), browser.See(`main`, "1 of "),
			browser.Click(`nav a[href="#/groups"]`), browser.See(`[data-test=groups]`, "curators"), browser.Until(`!location.hash.includes("find")`),
		}},
		{"a gathering group cannot be created", []browser.Step{
			console.Open("/groups"), browser.Press("Create a group"), browser.Type(`input[name=group-name]`, "night-desk"),
			browser.Click(`input[name=group-gathering]`), browser.Type(`input[name=group-gathers]`, `tag desk is "night"`),
			browser.Click(`[data-test=confirm-group]`), browser.See(`main`, "Gathers people with"),
		}},
		{"a grant that is half written is dropped", []browser.Step{
			console.Open("/people/new"), browser.Type(`input[name=user-name]`, "wren"), browser.Type(`input[name=grant-at]`, alpine),
			browser.See(`main`, "The direct grant is half written"), browser.Until(`document.querySelector("[data-test=confirm-person]").disabled`),
		}},
		{"what was closed in the tree springs open", []browser.Step{
			console.Open("/tree/lindenmere"), browser.See(`[role=tree]`, "glasshouses"),
			browser.Keys(row("Gardens"), browser.Left), browser.SeeNot(`[role=tree]`, "glasshouses"),
			browser.Click(row("Science")), browser.See(`h1`, "Science"), browser.SeeNot(`[role=tree]`, "glasshouses"),
		}},
		{"a retired scope speaks of a lack of permission", []browser.Step{
			console.Open("/tree/" + trailGuide), browser.See(`main`, "retired"), browser.See(`[data-test=access]`, "steward"), browser.SeeNot(`main`, "you need the permission"),
		}},
		{"a loss is shown as good news", []browser.Step{
			console.Open("/people/sefa"), browser.Press("Retire"), browser.Until(`document.querySelector("dialog [data-test=impact]")?.dataset.weight === "loss"`),
			browser.Press("Cancel"), browser.Closed(),
		}},
		{"two roles compared do not follow the address", []browser.Step{
			console.Open("/roles/compare?first=observer&second=operator"), browser.Holds(`input[name=first-role]`, "observer"),
			browser.Script(`location.hash = "#/roles/compare?first=builder&second=operator"`), browser.Holds(`input[name=first-role]`, "builder"),
		}},
		{"focus is lost when a dialog closes", []browser.Step{
			console.Open("/tree/" + alpine), browser.Press("Grant a role"), browser.Visible(`dialog[open]`), browser.Stroke(browser.Escape),
			browser.Closed(), browser.Until(`document.activeElement?.textContent.includes("Grant a role")`),
		}},
	} {
		t.Run(mishap.name, func(t *testing.T) { require.NoError(t, console.Do(mishap.steps...)) })
	}
}
