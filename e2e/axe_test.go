package e2e

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestPagesAreAccessible has axe-core look at every page in light and dark, at a desk, on a wide screen and on a phone: it
// finds nothing serious or critical, and no page is wider than its window.
func TestPagesAreAccessible(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemoWithLoam(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	require.NoError(t, demo.LoadLoam(t.Context(), b.Address))
	axe, err := os.ReadFile("../console/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	console := openConsole(t, b)
	look := func(page string) {
		for _, width := range []int64{1280, 1920, 390} {
			for _, dark := range []bool{false, true} {
				require.NoError(t, console.Do(browser.Width(width), browser.Dark(dark), browser.Settle()))
				found, err := console.Axe(string(axe))
				require.NoError(t, err)
				over, err := console.Overflows()
				require.NoError(t, err)
				assert.False(t, over, "%s is wider than %d", page, width)
				assert.Empty(t, found, "%s, %d wide, dark %v: %s", page, width, dark, strings.Join(found, "\n"))
			}
		}
	}
	require.NoError(t, console.Do(console.Open("/"), browser.Visible(`input[name=password]`)))
	look("sign-in")
	require.NoError(t, console.Do(console.Open("/link/nonsense"), browser.Visible(`[data-test=problem]`)))
	look("a link that works no more")
	require.NoError(t, console.Do(browser.Width(1280), console.SignIn("rowan@lindenmere", demo.Passphrase), browser.See(`[role=tree]`, "gardens")))
	for _, p := range []struct{ page, wait string }{
		{"/tree/" + glasshouses, `[data-test=access]`},
		{"/people", `[data-test=people]`},
		{"/people/bram", `[data-test=holds]`},
		{"/import", `input[name=people-file]`},
		{"/glossary", `[data-test=glossary]`},
		{"/people/new", `[data-test=account]`},
		{"/people/new?guest", `[data-test=account]`},
		{"/guests/juno@quaywater", `[data-test=holds]`},
		{"/service-accounts/" + digitising + "/label-indexer", `[data-test=keys]`},
		{"/settings", `input[name=keys-each]`},
		{"/device", `input[name=device-code]`},
		{"/groups", `[data-test=groups]`},
		{"/groups/seed-curators", `[data-test=members]`},
		{"/roles", `[data-test=roles]`},
		{"/roles/steward", `table.rows`},
		{"/roles/new", `[data-test=holds-now]`},
		{"/roles/compare?first=operator&second=auditor", `[data-test=compared]`},
		{"/catalogue", `[data-test=service]`},
		{"/service-accounts", `[data-test=service-accounts]`},
		{"/policies", `[data-test=statements-found]`},
		{"/policies/new?at=lindenmere", `.cm-content`},
		{"/check?user=bram&may=edit+bucket&at=" + sensorLog, `[data-test=holders] table`},
		{"/check?user=piotr&may=erase+object&at=" + sensorLog, `[data-test=steps]`},
		{"/check?user=rowan&may=retire+bucket&at=" + vault + "/vault-scans.bucket", `[data-test=steps]`},
		{"/account", `input[name=current]`},
		{"/tree/" + vault, `[data-test=loss]`},
		{"/tree/" + digitising + "?view=matrix", `[data-test=matrix]`},
		{"/search?text=s", `[data-test=found]`},
		{"/loam", `main ul`},
		{"/", `[data-test=recent]`},
		{"/changes", `[data-test=records]`},
		{"/spread?group=glasshouse-engineers", `[data-test=spread]`},
		{"/loam/" + digitising, `[data-resource]`},
		{"/tree/lindenmere?grant=observer&user=bram", `[data-test=impact]`},
	} {
		require.NoError(t, console.Do(browser.Width(1280), console.Open(p.page), browser.Visible(p.wait)), p.page)
		look(p.page)
	}
	require.NoError(t, console.Do(browser.Width(1280), console.Open("/policies"), browser.Press("vault-care"), browser.Press("In parts"), browser.Visible(`[data-test=form]`), browser.Click(`[data-test=versions] button`), browser.Visible(`[data-test=compared]`)))
	look("a policy in parts")
	require.NoError(t, console.Do(browser.Width(1280), console.Open("/tree"), browser.Keys(`[role=treeitem][title="Gardens"]`, " "), browser.Visible(`[data-test=several]`)))
	look("several scopes chosen")

	care := policyMade(t, b.As(t, "rowan@lindenmere"), "lindenmere", "care", "staff may observe networking")
	require.NoError(t, console.Do(browser.Width(1280), console.Open("/policies/"+care), browser.See(`[data-test=reads-well]`, "1 statement"), browser.Keys(`.cm-content`, "# mine")))
	require.NoError(t, client.Done(b.As(t, "maeve@lindenmere").EditPolicyText(t.Context(), care, nil, api.PolicyEdit{Text: ptr("staff may observe labs")})))
	require.NoError(t, console.Do(browser.Visible(`[data-test=theirs]`)))
	look("others write too")
}
