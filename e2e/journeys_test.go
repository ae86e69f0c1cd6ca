package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestEveryPageForSomebodyWithLittle opens every page of the console as piotr, who builds in one compartment, and as linnea,
// whom only what all staff holds reaches: each page stands, says what is missing, and offers nothing that would be refused.
func TestEveryPageForSomebodyWithLittle(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemoWithLoam(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	require.NoError(t, demo.LoadLoam(t.Context(), b.Address))
	b.Newcomer(t, "linnea")
	type page struct{ page, in, says, offersNot string }
	pages := map[string][]page{
		"piotr@lindenmere": {
			{"/", `[data-test=mine]`, "Digitising", "Vault"},
			{"/tree", `[role=tree]`, "scans.bucket", "gardens"},
			{"/tree/" + digitising, `[data-test=access] tr`, "herbarium-digitisers builder", "Grant a role"},
			{"/tree/" + herbarium, `main`, "you need the permission list grant", "Create in it"},
			{"/tree/" + scans, `h1`, "Herbarium sheet scans", "Grant a role"},
			{"/search?text=scans", `[data-test=found]`, "scans.bucket", "vault-scans"},
			{"/spread?user=piotr", `main`, "digitising", "seedbank-vault"},
			{"/people", `[data-test=problem]`, `"list user"`, "Create a person"},
			{"/people/ines", `[data-test=problem]`, `"describe user"`, "Grant a role"},
			{"/people/new", `[data-test=account]`, `"list`, ""},
			{"/service-accounts", `[data-test=service-accounts]`, "label-indexer", ""},
			{"/groups", `[data-test=problem]`, `"list group"`, "Create a group"},
			{"/groups/curators", `[data-test=problem]`, `"describe group"`, "Add members"},
			{"/roles", `[data-test=problem]`, `"list role"`, "Create a role"},
			{"/roles/observer", `[data-test=problem]`, `"describe role"`, "Grant it"},
			{"/roles/compare?first=observer&second=operator", `[data-test=problem]`, "role", ""},
			{"/catalogue", `main`, "Storage", ""},
			{"/policies", `main`, "statement", "vault-care"},
			{"/check?user=piotr&may=erase+object&at=" + scans, `[data-test=answer]`, "No", ""},
			{"/changes", `main`, "you need the permission list audit-record at its top", ""},
			{"/loam/" + digitising, `[data-resource="scans.bucket"]`, "scans.bucket", ""},
			{"/settings", `main`, "lindenmere", "Save"},
			{"/account", `main`, "piotr@lindenmere", ""},
			{"/device", `main`, "code", ""},
		},
		"linnea@lindenmere": {
			{"/", `[data-test=mine]`, "staff-desk.app", "Digitising"},
			{"/tree", `[role=tree]`, "staff-desk.app", "science"},
			{"/tree/" + digitising, `[data-test=problem]`, "There is no scope", "Create in it"},
			{"/search?text=scans", `main`, "Nothing found that you may see", "scans.bucket"},
			{"/spread?user=linnea", `main`, "staff-desk.app", "digitising"},
			{"/people", `[data-test=problem]`, `"list user"`, "Create a person"},
			{"/groups", `[data-test=problem]`, `"list group"`, "Create a group"},
			{"/roles", `[data-test=problem]`, `"list role"`, "Create a role"},
			{"/policies", `main`, "statement", "vault-care"},
			{"/check?user=linnea&may=fetch+object&at=" + scans, `[data-test=problem]`, "There is no scope", ""},
			{"/changes", `main`, "you need the permission list audit-record at its top", ""},
			{"/loam/lindenmere/visitors/ticketing", `[data-resource="staff-desk.app"]`, "Visit", "till.machine"},
			{"/account", `main`, "linnea@lindenmere", ""},
		},
	}
	console := openConsole(t, b)
	for _, who := range []string{"piotr@lindenmere", "linnea@lindenmere"} {
		require.NoError(t, console.Do(console.SignIn(who, demo.Passphrase)))
		for _, p := range pages[who] {
			steps := []browser.Step{console.Open(p.page), browser.See(p.in, p.says)}
			if p.offersNot != "" {
				steps = append(steps, browser.SeeNot(`main`, p.offersNot), browser.SeeNot(`[role=tree]`, p.offersNot))
			}
			require.NoError(t, console.Do(steps...), "%s at %s", who, p.page)
		}
		require.NoError(t, console.Do(console.Open("/account"), browser.SignOut()))
	}
}
