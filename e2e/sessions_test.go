package e2e

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestSessionsOfOthers lists the sessions of people and ends one: of those alone that work in the organisation, by those who
// may, and recorded.
func TestSessionsOfOthers(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan, oona, yuki := b.As(t, "rowan@lindenmere"), b.As(t, "oona@lindenmere"), b.As(t, "yuki@lindenmere")
	require.NoError(t, client.Done(rowan.InviteGuest(t.Context(), "lindenmere", api.GuestNew{Email: "juno@quaywater.example"})))
	juno := b.As(t, "juno@quaywater")
	sessions := func(as *client.Client, kind api.PrincipalKind, name string) ([]api.OpenSession, error) {
		list, err := as.ListSessionsOf(t.Context(), "lindenmere", api.KindOfPrincipal(kind), name)
		return list.Sessions, err
	}
	end := func(as *client.Client, name, session string) error {
		return as.RevokeSessionOf(t.Context(), "lindenmere", api.KindOfPrincipal(api.UserKind), name, session)
	}
	of := func(kind api.PrincipalKind, name string) []api.OpenSession {
		found, err := sessions(oona, kind, name)
		require.NoError(t, err)
		return found
	}
	first := of(api.UserKind, "yuki")
	require.Len(t, first, 1)
	require.False(t, first[0].Here)
	require.NotEmpty(t, first[0].From)
	require.True(t, of(api.UserKind, "oona")[0].Here)
	second := b.As(t, "yuki@lindenmere")
	require.Len(t, of(api.UserKind, "yuki"), 2)

	// Whoever may not learn who is signed in does not; whoever sees it may not therefore end it.
	_, err := sessions(yuki, api.UserKind, "rowan")
	testbed.Problem(t, http.StatusForbidden, err)
	testbed.Problem(t, http.StatusForbidden, end(oona, "yuki", first[0].Id))
	testbed.Problem(t, http.StatusNotFound, end(rowan, "ines", first[0].Id))
	testbed.Problem(t, http.StatusNotFound, end(rowan, "yuki", "nonsense"))
	require.NoError(t, client.Done(yuki.GetSession(t.Context())))

	require.NoError(t, end(rowan, "yuki", first[0].Id))
	p := testbed.Problem(t, http.StatusUnauthorized, client.Done(yuki.GetSession(t.Context())))
	require.Contains(t, p.Detail, "revoked")
	require.NoError(t, client.Done(second.GetSession(t.Context())), "the other goes on")
	testbed.Problem(t, http.StatusNotFound, end(rowan, "yuki", first[0].Id))
	records, err := oona.ListAuditRecords(t.Context(), "lindenmere", &api.ListAuditRecordsParams{Event: "session-ended"})
	require.NoError(t, err)
	require.Len(t, records.Records, 1)
	require.Equal(t, "revoked a session of user yuki", records.Records[0].Detail)

	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	require.Contains(t, c.must("session list"), "this one")
	third := b.As(t, "yuki@lindenmere")
	require.Len(t, strings.Split(strings.TrimSpace(c.must("session list --user yuki -o csv")), "\n"), 3, "a heading and two")
	require.Contains(t, c.must("session list --user piotr"), "piotr is not signed in here.")
	require.Contains(t, c.must("session revoke "+of(api.UserKind, "yuki")[0].Id+" --user yuki"), "The session is revoked.")
	require.Len(t, of(api.UserKind, "yuki"), 1)
	status, _, errs := c.run("", "session", "revoke", noSuchID, "--user", "yuki")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "yuki has no session "+noSuchID+" here")
	testbed.Problem(t, http.StatusUnauthorized, client.Done(third.GetSession(t.Context())))

	// What a guest does at home is no business of the organisation that knows them.
	link := linkTo(t, b, "juno@quaywater.example")
	require.Empty(t, of(api.GuestKind, "juno@quaywater.example"))
	require.NoError(t, client.Done(juno.AcceptInvitation(t.Context(), api.LinkToken{Token: link})))
	work := func(at string) {
		require.NoError(t, client.Done(juno.SwitchOrganisation(t.Context(), api.OrganisationChoice{Organisation: at})))
	}
	work("lindenmere")
	require.Len(t, of(api.GuestKind, "juno@quaywater"), 1)
	work("quaywater")
	require.Empty(t, of(api.GuestKind, "juno@quaywater"))
}

// TestConsoleUndoes takes back what was done, by the one press that is offered.
func TestConsoleUndoes(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	console := openConsole(t, b)
	undo := func(told string) []browser.Step {
		return []browser.Step{browser.Closed(), browser.See(`[data-test=undo]`, told), browser.Press("Undo"), browser.SeeNot(`[data-test=undo]`, told)}
	}
	require.NoError(t, console.Do(together([]browser.Step{
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		browser.HoldBack("/tree"),
		console.Open("/people/piotr"),
		browser.Press("Grant a role"),
		browser.Type(`dialog input[name=why]`, "for the loans"),
		browser.LetThrough(), // what comes while somebody writes takes nothing away
		browser.Type(`dialog input[name=where]`, alpine),
		browser.Type(`dialog input[name=role]`, "observer"),
		browser.Visible(`[data-test=impact]`),
		browser.See(`[data-test=held]`, "Nothing: no rule there or above names them."),
		browser.Holds(`dialog input[name=why]`, "for the loans"),
		browser.Press("Only for a while, or under a condition"),
		browser.Type(`dialog input[name=condition]`, "context.hour is"),
		browser.See(`dialog [role=alert]`, "the line ends here, expected a number"),
		browser.Type(`dialog input[name=condition]`, "context.hour < 6"),
		browser.See(`[data-test=impact]`, "under a condition"),
		browser.Click(`[data-test=confirm-grant]`),
		browser.See(`[data-test=holds] tr`, "observer if context.hour < 6 new"),
	},
		undo("observer granted to piotr at alpine-house."),
		[]browser.Step{browser.SeeNot(`[data-test=holds]`, "if context.hour < 6"), browser.Press("Suspend"), browser.Visible(`[data-test=impact]`), browser.Click(`[data-test=confirm-change]`), browser.Visible(`[data-test=out-of-use]`)},
		undo("Piotr Zawada suspended."),
		[]browser.Step{browser.SeeNot(`main`, "This user is suspended"),
			console.Open("/tree/" + digitising), browser.Click(`button[aria-label="Revoke builder from herbarium-digitisers"]`), browser.Visible(`[data-test=impact]`), browser.Click(`[data-test=confirm-change]`), browser.SeeNot(`[data-test=access] tr`, "herbarium-digitisers builder granted here")},
		undo("builder revoked from herbarium-digitisers at digitising."),
		[]browser.Step{browser.See(`[data-test=access] tr`, "herbarium-digitisers builder granted here"),
			browser.Press("Retire"), browser.Visible(`[data-test=impact]`), browser.Click(`[data-test=confirm-change]`), browser.See(`main`, "retired")},
		undo("digitising retired."),
		[]browser.Step{browser.SeeNot(`main button`, "Restore"),
			console.Open("/groups/curators"), browser.Press("Add members"), browser.Type(`input[name=member]`, "sefa"), browser.Click(`[data-test=confirm-change]`), browser.See(`[data-test=members]`, "sefa")},
		undo("sefa added to curators."),
		[]browser.Step{browser.SeeNot(`[data-test=members]`, "sefa"),
			browser.Click(`button[aria-label="Remove seed-curators"]`), browser.Visible(`[data-test=impact]`), browser.Click(`[data-test=confirm-change]`), browser.SeeNot(`[data-test=members]`, "seed-curators")},
		undo("seed-curators removed from curators."),
		[]browser.Step{browser.See(`[data-test=members]`, "seed-curators"), browser.SignOut()},
	)...))
}

// TestConsoleChoosesSeveral tags and retires several scopes of the tree in one change, by mouse and by keyboard.
func TestConsoleChoosesSeveral(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	row := func(title string) string { return `[role=treeitem][title="` + title + `"]` }
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "trail-guide"),
		browser.Keys(row("Trail guide"), " "),
		browser.See(`[data-test=several]`, "1 scope chosen"),
		browser.Keys(row("Ticketing"), " "),
		browser.See(`[data-test=several]`, "2 scopes chosen"),
		browser.Press("Tag them"),
		browser.Type(`input[name=tag-all]`, "climate=warm"),
		browser.Visible(`[data-test=impact]`),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.SeeNot(`main`, "chosen"),
		console.Open("/tree/lindenmere/visitors/trail-guide"),
		browser.See(`main`, "climate warm"),
		browser.Keys(row("Trail guide"), " "),
		browser.Keys(row("Ticketing"), " "),
		browser.Press("Move them"),
		browser.Type(`input[name=move-all-to]`, "lindenmere/gardens"),
		browser.Visible(`[data-test=impact]`),
		browser.Press("Cancel"),
		browser.Closed(),
		browser.Press("Retire them"),
		browser.See(`[data-test=impact]`, "is retired"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=undo]`, "2 scopes retired."),
		browser.See(`main`, "retired"),
		browser.Press("Undo"),
		browser.SeeNot(`main button`, "Restore"),
	))
}
