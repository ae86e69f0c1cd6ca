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
)

// everyPart holds a statement of each kind, with everything that can stand in one.
const everyPart = `# The networks of the compartment.
network-team may observe, operate, modify networking
service labs may attach network if resource.tag.care is "high" and not context.hour < 6 from 2027-01-01 until 2027-03-31T12:30:00Z
under digitising:
    # Whoever digitises.
    herbarium-digitisers, user yuki may act as content-reader, storage-observer  # until they are done
at digitising/scans.bucket:
    everyone except curators, user rowan may never erase, destroy data of object, storage
at here:
    staff may only observe tree
    public, people from quaywater-sso with team "seeds" may do anything to app
    people from quaywater-sso may do anything
# The end.
`

// TestStatementsInParts takes texts apart and joins them again: nothing is lost on the way.
func TestStatementsInParts(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateProvider(t.Context(), "lindenmere", api.ProviderNew{Name: "quaywater-sso"})))
	read := func(text string) api.Reading {
		reading, err := rowan.ReadStatements(t.Context(), herbarium, api.PolicyText{Text: text})
		require.NoError(t, err)
		return reading
	}
	join := func(parts api.PolicyParts) api.Reading {
		reading, err := rowan.JoinStatements(t.Context(), herbarium, parts)
		require.NoError(t, err)
		return reading
	}
	reading := read(everyPart)
	require.Empty(t, reading.Faults)
	require.Equal(t, everyPart, reading.Text)
	require.Len(t, reading.Parts, 7)
	require.Equal(t, reading, func() api.Reading {
		again := join(api.PolicyParts{Statements: reading.Parts, Notes: reading.Notes})
		for i := range again.Statements {
			again.Statements[i].Policy = reading.Statements[i].Policy // each reading is one of its own
		}
		return again
	}())
	third := reading.Parts[2]
	require.Equal(t, []string{"herbarium-digitisers", "user yuki"}, third.Who)
	require.Equal(t, []string{"content-reader", "storage-observer"}, third.Roles)
	require.Equal(t, "digitising", third.Place)
	require.Equal(t, "until they are done", third.Note)

	// What was picked wrongly is told like what was typed wrongly, at its place in the text it makes.
	third.Roles, third.Who = []string{"contentreader"}, []string{"herbarium-digitisers"}
	wrong := join(api.PolicyParts{Statements: []api.StatementParts{reading.Parts[0], third}})
	require.Len(t, wrong.Faults, 1)
	require.Equal(t, 5, wrong.Faults[0].Line)
	require.Equal(t, "content-reader", wrong.Faults[0].Nearest)
	require.Contains(t, strings.Split(wrong.Text, "\n")[4], "may act as contentreader")
	require.Empty(t, wrong.Parts)
	require.Equal(t, "", join(api.PolicyParts{Statements: []api.StatementParts{}}).Text)
	testbed.Problem(t, 400, client.Done(rowan.JoinStatements(t.Context(), herbarium, api.PolicyParts{Statements: []api.StatementParts{{Modal: "may", Who: []string{}}}})))
	testbed.Problem(t, 403, client.Done(b.As(t, "oona@lindenmere").CreatePolicyAt(t.Context(), herbarium, api.PolicyNew{Name: "x", Text: everyPart})))
}

// TestPolicyVersions rewrites a policy, and reads what it was at each time, with today's names.
func TestPolicyVersions(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	made, err := rowan.CreatePolicyAt(t.Context(), herbarium, api.PolicyNew{Name: "networks", Text: "under digitising: network-team may observe networking"})
	require.NoError(t, err)
	edit := func(change api.PolicyEdit) {
		require.NoError(t, client.Done(rowan.EditPolicyText(t.Context(), made.Policy.Id, nil, change)))
	}
	edit(api.PolicyEdit{Text: ptr("network-team may observe, modify networking")})
	edit(api.PolicyEdit{Name: ptr("lan")})
	renamed := "scanning"
	require.NoError(t, client.Done(rowan.ReshapeScopes(t.Context(), "lindenmere", nil, api.Reshaping{Scopes: []string{digitising}, Name: &renamed})))

	page := func(after string, most int) api.PolicyVersionList {
		list, err := rowan.ListPolicyVersions(t.Context(), made.Policy.Id, &api.ListPolicyVersionsParams{After: after, Limit: most})
		require.NoError(t, err)
		return list
	}
	all := page("", 10)
	require.Len(t, all.Versions, 3)
	require.Zero(t, all.Next)
	require.Equal(t, "lan", all.Versions[0].Name)
	require.Equal(t, "network-team may observe, modify networking\n", all.Versions[1].Text)
	require.Equal(t, "under scanning:\n    network-team may observe networking\n", all.Versions[2].Text, "the first text, where the place is called otherwise today")
	require.Equal(t, "rowan@lindenmere", all.Versions[2].WrittenBy)
	first := page("", 2)
	require.Equal(t, all.Versions[:2], first.Versions)
	require.Equal(t, all.Versions[2:], page(first.Next, 2).Versions)
	testbed.Problem(t, 404, client.Done(b.As(t, "yuki@lindenmere").ListPolicyVersions(t.Context(), made.Policy.Id, nil)))

	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	require.Contains(t, c.must("policy history lan --at "+herbarium), "network-team may observe, modify networking")
	require.Equal(t, all.Versions[2].Text, c.must(fmt.Sprintf("policy show lan --at %s --written %d", herbarium, all.Versions[2].Revision)))
	status, _, errs := c.run("", "policy", "show", "lan", "--at", herbarium, "--written", "1")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "the change to revision 1 wrote nothing of policy lan: arbora policy history lan --at "+herbarium+" lists those that did")
}

// TestConsoleWritesInParts picks a statement together, mends a slip by what was meant, takes words that are offered, and goes
// back to what was written before.
func TestConsoleWritesInParts(t *testing.T) {
	t.Parallel()
	_, console := openStory(t)
	require.NoError(t, console.Do(
		console.Open("/policies/new?at="+herbarium),
		browser.Type(`input[name=policy-name]`, "picked"),
		browser.Press("In parts"),
		browser.Press("Another statement"),
		browser.See(`[data-test=form]`, "Not in the text yet: choose who"),
		browser.Type(`input[name=subject]`, "network-team"),
		browser.Type(`input[name=acts]`, "observe"),
		browser.Type(`input[name=acts]`, "modify"),
		browser.Type(`input[name=things]`, "networking"),
		browser.See(`.cm-content`, "network-team may observe, modify networking"),
		browser.Type(`input[name=place]`, "digitising"),
		browser.See(`.cm-content`, "under digitising:"),
		browser.See(`[data-test=places]`, digitising),
		browser.Click(`button[aria-label="Remove modify"]`),
		browser.SeeNot(`.cm-content`, "modify"),

		// Back to the text, which is taken apart again.
		browser.Press("As text"),
		browser.Keys(`.cm-content`, "user yu"),
		browser.See(`.cm-tooltip-autocomplete`, "yuki"),
		browser.See(`[data-test=faults]`, "a heading begins with under or at"), // by then the list stands still
		browser.Click(`.cm-tooltip-autocomplete li`),
		browser.Keys(`.cm-content`, " may act as observr \n"),
		browser.See(`[data-test=faults]`, "Did you mean observer?"),
		browser.See(`[data-test=places]`, digitising), // stays in view
		browser.Click(`[data-test=faults] button`),
		browser.See(`[data-test=reads-well]`, "2 statements"),
		browser.Press("In parts"),
		browser.See(`[data-test=form]`, "user yuki"),
		browser.Click(`[data-test=review]`),
		browser.See(`[data-test=impact]`, "yuki gains"),
		browser.Click(`[data-test=save]`),
		browser.See(`h1`, "picked"),

		browser.Press("In parts"),
		browser.Click(`[data-test=form] button.ml-auto`),
		browser.SeeNot(`.cm-content`, "user yuki"),
		browser.Click(`[data-test=review]`),
		browser.See(`[data-test=impact]`, "yuki loses"),
		browser.Click(`[data-test=save]`),
		browser.See(`[data-test=versions] li:nth-child(1)`, "the present text"),
		browser.Click(`[data-test=versions] li:nth-child(2) button`),
		browser.See(`[data-test=compared]`, "− user yuki may act as observer"),
		browser.Press("Put this text into the editor"),
		browser.See(`.cm-content`, "user yuki may act as observer"),
	))
}
