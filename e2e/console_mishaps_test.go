package e2e

import (
	"fmt"
	"strings"
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
	require.NoError(t, client.Done(rowan.CreateGrant(t.Context(), vault, api.GrantNew{
		Principal: api.PrincipalRef{Kind: api.UserKind, Name: "sefa"}, Role: "content-writer", Condition: "context.hour < 8",
	})))
	for n := range 30 {
		require.NoError(t, client.Done(rowan.CreateScope(t.Context(), "lindenmere/visitors", api.ScopeNew{Kind: api.ScopeNewKindFolder, Name: fmt.Sprintf("stall-%02d", n)})))
	}
	long := strings.Repeat("A title that goes on ", 9)
	require.NoError(t, client.Done(rowan.CreateScope(t.Context(), "lindenmere", api.ScopeNew{Kind: api.ScopeNewKindFolder, Name: "annex", Title: long})))
	require.NoError(t, client.Done(rowan.InviteGuest(t.Context(), "lindenmere", api.GuestNew{Email: "wren@meadowside.example"})))
	spent := linkTo(t, b, "wren@meadowside.example")
	require.NoError(t, client.Done(rowan.ResendInvitation(t.Context(), "lindenmere", api.GuestKind, "wren@meadowside.example", nil)))
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
		{"the tree does not go to where one is", []browser.Step{
			console.Open("/tree/lindenmere/visitors/stall-29"),
			browser.Until(`(() => {
				const row = document.querySelector("[role=treeitem][aria-current=page]")?.getBoundingClientRect();
				const list = document.querySelector("[role=tree]")?.getBoundingClientRect();
				return row && row.top >= list.top && row.bottom <= list.bottom;
			})()`),
			browser.Keys(`[role=treeitem][tabindex="0"]`, browser.Up, browser.Enter), browser.See(`h1`, "stall-28"),
		}},
		{"the marks of a role's editor read as counts", []browser.Step{
			console.Open("/roles/compare?first=observer&second=operator"), browser.SeeNot(`main`, "1 comes in"), browser.SeeNot(`main`, "2 goes out"),
		}},
		{"what comes without a condition is told to hang on one", []browser.Step{
			console.Open("/tree/" + vault + "?grant=content-reader&user=sefa"), browser.See(`dialog [data-test=impact]`, "without a condition from now on"),
			browser.Press("Cancel"), browser.Closed(),
		}},
		{"a title takes its icon's place", []browser.Step{
			console.Open("/tree/lindenmere/annex"), browser.See(`h1`, "goes on"),
			browser.Until(`(() => {
				const title = document.querySelector("h1").getBoundingClientRect();
				const icon = document.querySelector("main div.rounded-xl svg").getBoundingClientRect();
				return icon.right < title.left && icon.top < title.bottom;
			})()`),
		}},
		{"the service does not answer, and that never heals", []browser.Step{
			console.Open("/account"), browser.See(`main`, "Your sessions"),
			browser.Script(`window.answering = window.fetch, window.fetch = () => Promise.reject(new TypeError("gone"))`),
			browser.Click(`nav a[href="#/groups"]`), browser.See(`[data-test=down]`, "does not answer"),
			browser.Script(`window.fetch = window.answering`), browser.Press("Try again now"),
			browser.See(`[data-test=groups]`, "curators"), browser.Until(`!document.querySelector("[data-test=down]")`),
		}},
		{"each stroke of a key asks the service", []browser.Step{
			console.Open("/tree/" + vault + "?grant=content-reader&user=tomas"), browser.See(`dialog [data-test=impact]`, "tomas"), browser.Press("Only for a while, or under a condition"),
			browser.Script(`window.answering = window.fetch, window.asked = 0, window.fetch = (request) => (window.asked += request.url.includes("preview") ? 1 : 0, window.answering(request))`),
			// By the page itself: on a slow machine there are pauses between strokes of the test that people do not make.
			browser.Script(`(async (field, text) => { for (let i = 1; i <= text.length; i++) { field.value = text.slice(0, i); field.dispatchEvent(new Event("input", { bubbles: true })); await new Promise((next) => setTimeout(next)); } })(document.querySelector("dialog input[name=condition]"), 'context.hour("Europe/Oslo") < 18')`),
			browser.See(`dialog [data-test=impact]`, "under a condition"), browser.Until(`window.asked <= 3`),
			browser.Press("Cancel"), browser.Closed(),
		}},
		{"a dialog begins at the wrong field", []browser.Step{
			console.Open("/tree/" + alpine), browser.Press("Create in it"), browser.Until(`document.activeElement?.name === "name"`), browser.Press("Cancel"), browser.Closed(),
			console.Open("/people/new"), browser.Until(`document.activeElement?.name === "user-name"`),
		}},
		{"focus is lost when a dialog closes", []browser.Step{
			console.Open("/tree/" + alpine), browser.Press("Grant a role"), browser.Visible(`dialog[open]`), browser.Stroke(browser.Escape),
			browser.Closed(), browser.Until(`document.activeElement?.textContent.includes("Grant a role")`),
		}},
	} {
		t.Run(mishap.name, func(t *testing.T) { require.NoError(t, console.Do(mishap.steps...)) })
	}
	t.Run("a good link opens after one that is spent", func(t *testing.T) {
		require.NoError(t, console.Do(
			browser.SignOut(), console.Open("/link/"+spent), browser.See(`main`, "does not open"),
			browser.Script(`location.hash = "#/link/`+linkTo(t, b, "wren@meadowside.example")+`"`), browser.See(`h1`, "You are invited"), browser.Visible(`input[name=password]`),
		))
	})
}
