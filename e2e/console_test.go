package e2e

import (
	"net/url"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

func openConsole(t *testing.T, b *testbed.Bed) *browser.Browser {
	console, err := browser.Start(t.Context(), b.Address, 1280, 800)
	require.NoError(t, err)
	t.Cleanup(func() {
		require.Empty(t, console.Complaints(), "the page complains")
		console.Close()
	})
	return console
}

// openStory opens the console, signed in as rowan, on what there is after the demo's story.
func openStory(t *testing.T) (*testbed.Bed, *browser.Browser) {
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	console := openConsole(t, b)
	require.NoError(t, console.Do(console.SignIn("rowan@lindenmere", demo.Passphrase), browser.See(`[role=tree]`, "gardens")))
	return b, console
}

// TestConsoleJourney goes by mouse and keyboard from a new person to what they may and may not do: created, signed in
// with the forced change, nothing seen, a grant made above, seen inherited below, a check and its reason, revoked.
func TestConsoleJourney(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	const first, own = "left-on-the-potting-bench", "nine-quiet-greenhouse-mice"

	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "glasshouses"),
		browser.Press("People"),
		browser.Press("Create a person"),
		browser.Type(`input[name=user-name]`, "bram"),
		browser.Type(`input[name=user-title]`, "Bram de Wolff"),
		browser.Click(`input[name=first][value=given]`),
		browser.Type(`input[name=user-password]`, first),
		browser.See(`[data-test=account]`, "Nothing yet: all is denied"),
		browser.Click(`[data-test=confirm-person]`),
		browser.See(`[data-test=result]`, "bram@lindenmere"),
		browser.Press("All people"),
		browser.See(`[data-test=people]`, "Bram de Wolff"),

		browser.Press("Groups"),
		browser.Press("glasshouse-engineers"),
		browser.Press("Add members"),
		browser.Type(`input[name=member]`, "bram"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=members]`, "bram"),
		browser.SignOut(),
	))
	require.NoError(t, console.Do(
		console.SignIn("bram@lindenmere", first),
		browser.See(`h1`, "Choose your own password"),
		console.Open("/tree/"+alpine), // nothing else opens before
		browser.See(`h1`, "Choose your own password"),
		browser.Type(`input[name=current]`, first), // the page was loaded anew
		browser.Type(`input[name=new]`, own),
		browser.Type(`input[name=again]`, own),
		browser.Press("Save password"),
		browser.See(`[data-test=nothing-yet]`, "You hold nothing in lindenmere yet"),
		browser.SignOut(),
	))
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		console.Open("/tree/"+glasshouses),
		browser.Press("Grant a role"),
		browser.Type(`input[name=who]`, "glashouse-engineers"),
		browser.Type(`input[name=role]`, "builder"),
		browser.Click(`[data-test=confirm-grant]`),
		browser.See(`dialog [role=alert]`, "did you mean glasshouse-engineers?"),
		browser.Type(`input[name=who]`, "glasshouse-engineers"),
		browser.See(`[data-test=review]`, "everything below it, present and future"),
		browser.See(`[data-test=impact]`, "bram, tomas gain"),
		browser.See(`[data-test=impact]`, "at glasshouses and 7 scopes below"),
		browser.Click(`[data-test=confirm-grant]`),
		browser.Closed(),
		browser.See(`[data-test=access] tr`, "glasshouse-engineers builder granted here"),

		// Inherited beneath, with a link to where it comes from.
		console.Open("/tree/"+alpine),
		browser.See(`[data-test=access] tr`, "glasshouse-engineers builder inherited from glasshouses"),
		browser.Click(`[data-origin="`+glasshouses+`"] a[title="`+glasshouses+`"]`),
		browser.See(`h1`, "Glasshouses"),

		console.Open("/check?user=bram&may=edit+bucket&at="+sensorLog),
		browser.See(`[data-test=answer]`, "Yes"),
		browser.See(`[data-test=way]`, "decides"),
		browser.See(`[data-test=holders] tr`, "Bram de Wolff builder through glasshouse-engineers, from glasshouses"),
		console.Open("/check?user=yuki&may=fetch+object&at="+sensorLog),
		browser.See(`[data-test=could-hold]`, "may grant content-reader there"),
		browser.See(`[data-test=steps] li`, "Grant content-reader to yuki"),
		browser.Press("Prepare this grant"),
		browser.See(`[data-test=review]`, "content-reader"),
		browser.Click(`[data-test=confirm-grant]`),
		browser.Closed(),
		browser.See(`[data-test=access] tr`, "yuki content-reader granted here"),
		browser.SignOut(),
	))
	require.NoError(t, console.Do(
		console.SignIn("bram@lindenmere", own),
		browser.See(`[role=tree]`, "palm-house"),
		browser.SeeNot(`[role=tree]`, "science"),
		console.Open("/tree/"+alpine),
		browser.See(`h1`, "Alpine house"),
		browser.Press("Create in it"),
		browser.Type(`dialog input[name=name]`, "fan-log"),
		browser.Click(`[data-test=confirm-create]`),
		browser.Closed(),
		browser.See(`dialog, main h1`, "fan-log"),
		console.Open("/check?user=bram&may=create+grant&at="+alpine),
		browser.See(`[data-test=answer]`, "No"),
		browser.See(`[data-test=way]`, "does not hold it"),
		console.Open("/tree/"+vault),
		browser.See(`[data-test=problem]`, "or you may not see it"),
		browser.SignOut(),
	))
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		console.Open("/tree/"+glasshouses),
		browser.Press("Revoke"),
		browser.See(`[data-test=impact]`, "bram, tomas lose"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.SeeNot(`[data-test=access]`, "glasshouse-engineers"),
	))
	answer, err := b.As(t, "rowan@lindenmere").Check(t.Context(), sensorLog, api.Question{Permission: "edit bucket", Principal: &api.PrincipalRef{Kind: "user", Name: "bram"}})
	require.NoError(t, err)
	require.False(t, answer.Allowed)
}

// TestConsoleTreeByKeyboard walks the tree with the arrow keys.
func TestConsoleTreeByKeyboard(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		browser.Keys(`[role=treeitem][tabindex="0"]`, browser.Down, browser.Down, browser.Right, browser.Down, browser.Enter),
		browser.See(`h1`, "Alpine house"),
	))
	at, err := console.Location()
	require.NoError(t, err)
	require.Equal(t, "/tree/"+alpine, at)
}

func TestConsoleOfAnEmptyService(t *testing.T) {
	t.Parallel()
	b := testbed.Start(t, testbed.Records(t))
	console := openConsole(t, b)
	require.NoError(t, console.Do(console.Open("/"), browser.See(`h1`, "Nobody has set this service up yet"), browser.See(`pre`, "arbora init")))

	_, _, err := b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, console.Do(
		console.SignIn(demo.Keeper, "a wrong guess at it"),
		browser.See(`[data-test=problem]`, "The name or the password is wrong"),
		console.SignIn(demo.Keeper, demo.Passphrase),
		browser.See(`h1`, "Organisations"),
		browser.Press("Create an organisation"),
		browser.Type(`input[name=organisation-name]`, "lindenmere"),
		browser.Type(`input[name=steward]`, "rowan"),
		browser.Press("Create"),
		browser.See(`dialog`, "rowan@lindenmere"),
		browser.Press("Done"),
		browser.See(`[data-test=secret]`, "You have neither copied nor saved it"),
		browser.Press("Close without it"),
		browser.Closed(),
		browser.See(`[data-test=organisations]`, "lindenmere"),
		browser.Press("Reset the first password"), // it was lost: there is another, until rowan has signed in
		browser.See(`[data-test=secret]`, "rowan@lindenmere"),
		browser.Press("Copy all"),
		browser.See(`[data-test=secret]`, "Copied"),
		browser.Press("Done"),
		browser.Closed(),
		browser.Press("Quotas"),
		browser.See(`[data-test=quotas]`, "Groups 0"),
		browser.Type(`input[name=groups]`, "40"),
		browser.Press("Set them"),
		browser.Closed(),
		browser.Press("Quotas"),
		browser.Holds(`input[name=groups]`, "40"),
		browser.Holds(`input[name=grants]`, ""),
	))
}

// TestConsoleForSomebodyWithLittle looks around as piotr, who holds something at one place: what would be refused is not
// offered, what is refused says why, and the rest of each page stands.
func TestConsoleForSomebodyWithLittle(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("piotr@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "scans.bucket"),
		browser.SeeNot(`[role=tree]`, "gardens"),
		console.Open("/tree/lindenmere/science"),
		browser.See(`main`, "You see the name of this folder because it leads to something you may use"),
		browser.See(`main`, "you need the permission list grant"),
		browser.SeeNot(`main button`, "Grant a role"),
		console.Open("/people"),
		browser.See(`[data-test=problem]`, `This needs the permission "list user" at lindenmere`),
		browser.SeeNot(`main a`, "Create a person"),
		console.Open("/roles"),
		browser.See(`[data-test=problem]`, `"list role"`),
		console.Open("/groups/curators"),
		browser.See(`[data-test=problem]`, `"describe group"`),
		console.Open("/nonsense"),
		browser.See(`h1`, "There is no such page"),
		console.Open("/check?user=piotr&may=edit+bucket&at=lindenmere/science/herbarium/digitising/scans.bucket"),
		browser.See(`[data-test=answer]`, "builder is granted to group herbarium-digitisers"),
		console.Open("/check?user=ines&may=edit+bucket&at=lindenmere/science/herbarium/digitising/scans.bucket"),
		browser.See(`[data-test=answer]`, "observer, granted at lindenmere/science/herbarium, does not hold it"),
		browser.SeeNot(`main`, "What would make it a yes"),
	))
}

// TestConsoleAccount mends the profile and changes the colours; both are there after the page is loaded anew.
func TestConsoleAccount(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("tomas@lindenmere", demo.Passphrase),
		browser.See(`[data-test=nothing-yet]`, "You hold nothing"),
		browser.Click(`a[title="Own account"]`),
		browser.Type(`input[name=title]`, "Tomas the Engineer"),
		browser.Type(`input[name=email]`, "not an address"),
		browser.Type(`input[name=email]`, "tomas@lindenmere.example"),
		browser.Press("Save"),
		browser.See(`[role=status]`, "Your profile is saved"),
		browser.Type(`input[name=current]`, "a wrong guess at it"),
		browser.Type(`input[name=new]`, "six slow tortoises asleep"),
		browser.Type(`input[name=again]`, "six slow tortoises asleep"),
		browser.Press("Save password"),
		browser.See(`[role=alert]`, "The current password is wrong"),
		browser.Type(`input[name=current]`, demo.Passphrase),
		browser.Press("Save password"),
		browser.See(`[role=status]`, "your other sessions have ended"),
		browser.Click(`button[aria-label="Dark colours"]`),
		browser.Visible(`html.dark`),
		console.Open("/account"),
		browser.Visible(`html.dark`),
		browser.Click(`button[aria-label="Light colours"]`),
		browser.Visible(`html:not(.dark)`),
	))
	session, err := demo.SignIn(t.Context(), b.Address, "tomas@lindenmere", "six slow tortoises asleep")
	require.NoError(t, err)
	me, err := session.GetSession(t.Context())
	require.NoError(t, err)
	require.Equal(t, "Tomas the Engineer", me.Title)
}

// TestConsoleFindsARole goes from what is wanted to the narrowest role.
func TestConsoleFindsARole(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.Press("Roles"),
		browser.See(`[data-test=roles]`, "content-keeper"),
		browser.Keys(`input[name=wanted]`),
		browser.Type(`input[name=wanted]`, "fetsh object"),
		browser.Keys(`input[name=wanted]`, browser.Enter),
		browser.See(`[data-test=finder] [role=alert]`, "did you mean fetch?"),
		browser.Type(`input[name=wanted]`, "fetch object"),
		browser.Keys(`input[name=wanted]`, browser.Enter),
		browser.See(`[data-test=ranking] li:first-child`, "content-reader 1 permission beyond"),
		browser.Type(`input[name=wanted]`, "erase object"),
		browser.Keys(`input[name=wanted]`, browser.Enter),
		browser.See(`[data-test=ranking] li:first-child`, "content-keeper 2 permissions beyond"),
		browser.Click(`button[aria-label="Leave out erase object"]`),
		browser.See(`[data-test=ranking] li:first-child`, "content-reader"),
		browser.Type(`input[type=search]`, "nothing like it"),
		browser.See(`[data-test=roles]`, "Nothing matches"),
		browser.Type(`input[type=search]`, "erase"),
		browser.Press("content-keeper"),
		browser.See(`h1`, "Content keeper"),
		browser.See(`main`, "list, fetch"),
	))
}

// TestConsolePolicies writes a policy that is checked as one types, sees what it alters before it is saved, and finds it
// again by its words and where it reaches.
func TestConsolePolicies(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.Press("Policies"),
		browser.See(`[data-test=statements-found]`, "There are no policies yet"),
		console.Open("/policies/new?at="+url.QueryEscape(digitising)),
		browser.Visible(`.cm-content`),
		browser.Keys(`.cm-content`, "netwrk-team may observe, operate, modify networking"),
		browser.See(`[data-test=faults]`, `there is no group "netwrk-team". Did you mean network-team?`),
		console.Open("/policies/new?at="+url.QueryEscape(herbarium)),
		browser.Visible(`.cm-content`),
		browser.Press("A platform service may act"),
		browser.Type(`[data-test=patterns] label:nth-of-type(1) input`, "labs"),
		browser.Press("Put it into the text"),
		browser.See(`.cm-content`, "service labs may observe, attach network"),
		browser.See(`[data-test=reads-well]`, "1 statement"),
		browser.See(`[data-test=places]`, herbarium),
		browser.Type(`input[name=policy-name]`, "labs-here"),
		browser.Click(`[data-test=review]`),
		browser.See(`[data-test=impact]`, "labs gains"),
		browser.Click(`[data-test=save]`),
		browser.See(`h1`, "labs-here"),
		console.Open("/policies?find=labs+attach"),
		browser.See(`[data-test=statements-found]`, "service labs may observe, attach network"),
		console.Open("/tree/"+digitising),
		browser.See(`[data-test=policies-here]`, "labs-here from herbarium"),
		console.Open("/check?service=labs&may=attach+network&at="+url.QueryEscape(digitising)),
		browser.See(`[data-test=answer]`, "in policy labs-here"),
		browser.See(`[data-test=way]`, "service labs may observe, attach network"),
	))
	require.NoError(t, console.Do(
		browser.Press("labs-here"),
		browser.See(`h1`, "labs-here"),
		browser.Press("Suspend"),
		browser.See(`[data-test=impact]`, "labs loses"),
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=state]`, "suspended"),
		browser.Closed(),
		browser.Press("Resume"),
		browser.See(`[data-test=impact]`, "labs gains"),
		browser.Click(`[data-test=confirm-change]`),
		browser.SeeNot(`[data-test=state]`, "suspended"),
		browser.Closed(),
		browser.Press("Delete policy"),
		browser.See(`[data-test=impact]`, "labs loses"),
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=statements-found]`, "There are no policies yet"),
		browser.Press("Undo"),
		browser.See(`[data-test=statements-found]`, "service labs may observe, attach network"),
	))
}

// TestConsoleGroups makes a group, puts another into it, is refused a circle, and takes it out again.
func TestConsoleGroups(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.Press("Groups"),
		browser.Press("Create a group"),
		browser.Type(`input[name=group-name]`, "Night Shift"),
		browser.Click(`[data-test=confirm-group]`),
		browser.See(`dialog [role=alert]`, "is not a valid name"),
		browser.Type(`input[name=group-name]`, "night-shift"),
		browser.Click(`[data-test=confirm-group]`),
		browser.See(`main`, "It has no members yet"),
		browser.See(`main`, "no rule names night-shift"),
		browser.Closed(),
		browser.Press("Add members"),
		browser.Type(`input[name=member]`, "curators"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=members]`, "and everybody in it"),
		console.Open("/groups/curators"),
		browser.See(`main`, "itself in night-shift"),
		browser.Press("Add members"),
		browser.Type(`input[name=member]`, "night-shift"),
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`dialog [role=alert]`, "that would be a circle, curators in night-shift in curators"),
		console.Open("/groups/night-shift"),
		browser.Press("Remove"),
		browser.Visible(`[data-test=impact]`),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`main`, "It has no members yet"),
		browser.Press("Tree"),
		browser.Type(`input[type=search]`, "vault"),
		browser.See(`[role=tree]`, "vault-scans.bucket"),
		browser.SeeNot(`[role=tree]`, "palm-house"),
	))
}
