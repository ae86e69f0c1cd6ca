package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/standin/identity"
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
	require.NoError(t, console.Do(
		browser.Press("Create a person"),
		browser.Type(`input[name=outside-subject]`, "q-4711"),
		browser.Type(`input[name=outside-name]`, "ilka"),
		browser.Type(`input[name=outside-title]`, "Ilka Varga"),
		browser.Type(`input[name=outside-group]`, "contractors"),
		browser.Stroke("\t"),
		browser.See(`[data-test=outside-groups]`, "contractors"),
		browser.Visible(`dialog [data-test=impact]`),
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`h1`, "Ilka Varga"),
		console.Open("/providers/quaywater-sso"),
		browser.See(`[data-test=facts]`, "People who come by it"),
	))
	ilka, err := rowan.ShowPrincipal(t.Context(), "lindenmere", api.OutsidePersonKind, "ilka@quaywater-sso")
	require.NoError(t, err)
	require.Equal(t, []string{"contractors"}, ilka.Groups)
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

		// What she would be allowed if her provider said something of her.
		console.Open("/check?outside-person=ilka%40quaywater-sso&may=list+folder&at=lindenmere%2Fgardens"),
		browser.See(`[data-test=answer]`, "Yes"),
		browser.SeeNot(`[data-test=answer]`, "claims of the question"),
		browser.Type(`input[name=check-claims]`, "department"),
		browser.Click(`[data-test=ask]`),
		browser.See(`main form`, `"department" is not a claim`),
		browser.Type(`input[name=check-claims]`, "department=seeds, department=labels"),
		browser.Click(`[data-test=ask]`),
		browser.See(`[data-test=answer]`, "with the claims of the question"),

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

// TestConsoleSignsInByProvider sets a provider up step by step, and has its people sign in by it.
func TestConsoleSignsInByProvider(t *testing.T) {
	b, console := openStory(t)
	const goOn = `[data-test=provider-choice] button[type=submit]:not([disabled])`
	there, rowan := testbed.Identity(t), b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateProvider(t.Context(), "lindenmere", api.ProviderNew{Name: "quaywater-sso", Title: "Quaywater Seed Exchange"})))
	require.NoError(t, console.Do(
		console.Open("/providers/quaywater-sso"),
		browser.See(`[data-test=steps]`, "trusted by nothing yet"),
		browser.Press("Trust it by OpenID Connect"),
		browser.Type(`input[name=trust-issuer]`, there.Issuer()),
		browser.Type(`input[name=trust-client]`, identity.ClientID),
		browser.Type(`input[name=trust-secret]`, identity.Secret),
		browser.See(`dialog [data-test=impact]`, "nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=trust]`, "not tried yet"),
	))
	entry, err := rowan.ShowEntry(t.Context(), "lindenmere", "quaywater-sso")
	require.NoError(t, err)
	trial, err := rowan.BeginTrial(t.Context(), "lindenmere", "quaywater-sso", entry.Trusts[0].Id)
	require.NoError(t, err)
	testbed.Visit(t, testbed.NewBrowser(t), trial.Address, "q-2040") // in another window
	require.NoError(t, console.Do(
		browser.Script(`window.dispatchEvent(new Event("focus"))`),
		browser.See(`[data-test=arrivals]`, "Dorian Quist"),
		browser.Press("Edit, and try"),
		browser.See(`[data-test=tried]`, "They would come in as somebody new"),
		browser.See(`[data-test=found-name]`, "dorian"),
		browser.Type(`input[name=entry-rule]`, `claim.role is "consultant"`),
		browser.See(`[data-test=tried]`, `This does not hold: claim.role is "consultant"`),
		browser.Type(`input[name=entry-subject]`, `$.[`),
		browser.See(`dialog`, "is not a JSONPath"),
		browser.Type(`input[name=entry-subject]`, `$.sub`),
		browser.See(`dialog [data-test=impact]`, "nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=entry-rule]`, `those for whom claim.role is "consultant"`),
		browser.Press("Put it into use"),
		browser.See(`dialog [data-test=impact]`, "nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=trust]`, "in use"),

		browser.SignOut(),
		browser.Press("Sign in by your own organisation"),
		browser.Type(`input[name=organisation]`, "nowhere"),
		browser.Press("Go on"),
		browser.See(`[data-test=provider-choice]`, "Nobody signs in to nowhere"),
		browser.Type(`input[name=organisation]`, "lindenmere"),
		browser.Visible(goOn), browser.Leave(goOn),
		browser.Until(`document.querySelector("button[value=q-2040]")`), browser.Leave(`button[value=q-2040]`),
		browser.See(`[data-test=refused]`, `the entry rule asks that claim.role is "consultant"`),
		browser.Press("Sign in by your own organisation"),
		browser.Visible(goOn), browser.Leave(goOn), // the organisation is remembered; the provider's own session is dorian's still
		browser.See(`[data-test=refused]`, "Lindenmere does not let you in"),
	))
	require.NoError(t, there.Leave(t.Context(), "q-2040"))
	require.NoError(t, console.Do(
		browser.Press("Sign in by your own organisation"),
		browser.Visible(goOn), browser.Leave(goOn),
		browser.Until(`document.querySelector("button[value=q-4711]")`), browser.Leave(`button[value=q-4711]`),
		browser.See(`[data-test=me]`, "ilka.varga@quaywater-sso"),
		console.Open("/account"),
		browser.See(`[data-test=provider]`, "You sign in at quaywater-sso, and by nothing else"),
		browser.SeeNot(`h2`, "Password"),
		browser.SignOut(),
		browser.Press("Sign in by your own organisation"),
		browser.Visible(goOn), browser.Leave(goOn),
		browser.Until(`document.querySelector("button[value=q-4711]")`), // signing out ended the provider's session, too
	))
	require.Empty(t, console.Complaints())
}

// TestConsoleGroupLinks links what a provider calls a group to one of ours, is told of a name that does not match, and removes the link.
func TestConsoleGroupLinks(t *testing.T) {
	b, console := openStory(t)
	there, rowan := testbed.Identity(t), b.As(t, "rowan@lindenmere")
	testbed.Trusted(t, b, rowan, there)
	testbed.Visit(t, testbed.NewBrowser(t), b.Address+"/sign-in/by/lindenmere/quaywater-sso", "q-1001")
	require.NoError(t, console.Do(
		console.Open("/providers/quaywater-sso"),
		browser.See(`[data-test=provisioning]`, "Create a token for it"),
		browser.Press("Create a token"),
		browser.Type(`input[name=token-label]`, "people system"),
		browser.See(`dialog [data-test=impact]`, "nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=secret]`, "/scim/lindenmere/quaywater-sso/v2"),
		browser.Press("Done"),
		browser.Press("Close without it"),
		browser.See(`[data-test=provisioning]`, "people system"),
		browser.Click(`[aria-label="Revoke people system"]`),
		browser.See(`dialog [data-test=impact]`, "nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=provisioning]`, "Create a token for it"),
		browser.Press("Groups and their links"),
		browser.See(`main table`, "Seed-Curators"),
		browser.Click(`[aria-label="Link Seed-Curators"]`),
		browser.Type(`input[name=link-group]`, "glasshouse-engineers"),
		browser.See(`dialog [data-test=impact]`, "juno@quaywater-sso"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`main table`, "glasshouse-engineers"),
		browser.Click(`[data-test=link]`),
		browser.Type(`input[name=link-outside]`, "Consultants"),
		browser.Type(`input[name=link-group]`, "glasshouse-engineers"),
		browser.See(`dialog [data-test=impact]`, "has named no group Consultants yet, but consultants"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`main table`, "Seen instead: consultants"),
		console.Open("/groups/glasshouse-engineers"),
		browser.See(`[data-test=members]`, "by a link, 1 person"),
		browser.See(`[data-test=inherited-members]`, "juno@quaywater-sso"),
		browser.Press("1 person"),
		browser.See(`[data-test=count]`, "1 of"),
		browser.Press("juno@quaywater-sso"),
		browser.See(`[data-test=outside-groups]`, "Seed-Curators puts them into"),
		console.Open("/outside-groups?links=linked"),
		browser.Click(`[aria-label="Remove the link of Seed-Curators to glasshouse-engineers"]`),
		browser.See(`dialog [data-test=impact]`, "loses"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.SeeNot(`main table`, "Seed-Curators"),
		browser.See(`[data-test=undo]`, "Link of Seed-Curators to glasshouse-engineers removed"),
	))
	require.Empty(t, console.Complaints())
}
