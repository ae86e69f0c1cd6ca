package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/standin/loam/loamclient"
	"arbora.example/internal/store"
)

// TestLookingAsSomebody sees what another sees, changes nothing, and is refused where the other holds more.
func TestLookingAsSomebody(t *testing.T) {
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	as := func(who, kind, name string) *client.Client {
		c, err := client.Open(b.Address, b.Token(t, who+"@lindenmere"), client.ViewingAs(api.PrincipalKind(kind), name))
		require.NoError(t, err)
		return c
	}
	seen := func(c *client.Client) []string {
		tree, err := c.ShowTree(t.Context(), "lindenmere", nil)
		require.NoError(t, err)
		var addresses []string
		for _, n := range tree.Scopes {
			addresses = append(addresses, n.Address)
		}
		return addresses
	}
	for _, who := range []struct{ kind, name, signIn string }{{"user", "bram", "bram@lindenmere"}, {"user", "piotr", "piotr@lindenmere"}} {
		t.Run(who.name, func(t *testing.T) {
			require.Equal(t, seen(b.As(t, who.signIn)), seen(as("rowan", who.kind, who.name)))
		})
	}
	require.Contains(t, seen(as("rowan", "service-account", digitising+"/label-indexer")), digitising)
	require.NotContains(t, seen(as("rowan", "guest", "juno@quaywater")), digitising)
	bram := as("rowan", "user", "bram")
	answer, err := bram.Check(t.Context(), sensorLog, api.Question{Permission: "edit bucket"})
	require.NoError(t, err)
	require.Equal(t, "bram", answer.Principal.Name)
	p := testbed.Problem(t, 403, client.Done(bram.CreateScope(t.Context(), alpine, api.ScopeNew{Kind: "resource", Type: "bucket", Name: "x"})))
	require.Contains(t, p.Detail, "nothing is changed so")
	testbed.Problem(t, 403, reshape(t, bram, api.Reshaping{Scopes: []string{alpine}, Title: ptr("x")}))
	me, err := bram.GetSession(t.Context())
	require.NoError(t, err)
	require.Equal(t, "rowan@lindenmere", me.Name, "what is one's own stays one's own")
	testbed.Problem(t, 403, client.Done(as("tomas", "user", "bram").ShowTree(t.Context(), "lindenmere", nil)))
	b.Grant(t, "people-manager", "user", "yuki", "lindenmere")
	p = testbed.Problem(t, 403, client.Done(as("yuki", "user", "rowan").ShowTree(t.Context(), "lindenmere", nil)))
	require.Contains(t, p.Detail, "which you do not hold there yourself")
	testbed.Problem(t, 400, client.Done(as("rowan", "group", "curators").ShowTree(t.Context(), "lindenmere", nil)))
	testbed.Problem(t, 404, client.Done(as("rowan", "user", "nobody").ShowTree(t.Context(), "lindenmere", nil)))
	recorded := 0
	require.NoError(t, b.Records.EachAudit(t.Context(), func(r store.AuditRecord) error {
		if r.Event == "viewed-as" && r.Detail == "rowan@lindenmere looks as user bram" {
			recorded++
		}
		return nil
	}))
	require.Equal(t, 1, recorded, "a look of an hour is recorded once")

	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	require.NotContains(t, c.must("--as bram tree"), "science")
	require.Contains(t, c.must("tree"), "science")
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "science"),
		console.Open("/people/bram"),
		browser.Press("Look as Bram de Wolff"),
		browser.See(`[data-test=viewing]`, "You look as user bram, and can change nothing"),
		browser.See(`[role=tree]`, "alpine-house"),
		browser.SeeNot(`[role=tree]`, "science"),
		browser.Press("Look as yourself"),
		browser.See(`[role=tree]`, "science"),
	))
}

// TestConsoleReshapes moves and renames a project and retires it, after looking at what each does.
func TestConsoleReshapes(t *testing.T) {
	t.Parallel()
	_, console := openStory(t)
	require.NoError(t, console.Do(
		browser.Drag(`[role=treeitem][title="Trail guide"]`, `[role=treeitem][title="Science"]`),
		browser.See(`[data-test=impact]`, "sefa loses"),
		browser.See(`[data-test=impact]`, "moves with 2 scopes below it"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`nav[aria-label=Address]`, "lindenmere / science / trail-guide"),
		browser.Press("Edit"),
		browser.Type(`input[name=scope-name]`, "trails"),
		browser.Type(`input[name=scope-tags]`, "season=summer"),
		browser.Visible(`[data-test=impact]`),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`nav[aria-label=Address]`, "lindenmere / science / trails"),
		browser.See(`main`, "season summer"),
		browser.Press("Retire"),
		browser.See(`[data-test=impact]`, "is retired with 2 scopes below it"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`main`, "retired"),
		browser.Press("Restore"),
		browser.See(`[data-test=impact]`, "Anybody at all gets"),
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=confirm-change]`, "Open it to anybody at all?"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.SeeNot(`main button`, "Restore"),
	))
}

// TestAnOrganisationIsRenamed gives an organisation another name: its log goes on, people sign in under the new one, and
// neither name is anybody else's.
func TestAnOrganisationIsRenamed(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, keeper := b.As(t, "rowan@lindenmere"), b.As(t, demo.Keeper)
	ctx := t.Context()
	records := func(organisation string) []api.AuditRecord {
		list, err := rowan.ListAuditRecords(ctx, organisation, &api.ListAuditRecordsParams{Limit: 500})
		require.NoError(t, err)
		return list.Records
	}
	before := records("lindenmere")
	p := testbed.Problem(t, 409, reshape(t, rowan, api.Reshaping{Scopes: []string{"lindenmere"}, Name: ptr("quaywater")}))
	require.Contains(t, p.Detail, "already an organisation called quaywater")
	written, err := rowan.ReshapeScopes(ctx, "lindenmere", &api.ReshapeScopesParams{Preview: true}, api.Reshaping{Scopes: []string{"lindenmere"}, Name: ptr("linden-trust")})
	require.NoError(t, err)
	require.Contains(t, written.Impact.Warnings, "Everybody signs in as NAME@linden-trust from then on. lindenmere keeps meaning it, at sign-in and in addresses, and no other organisation can have that name.")
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{"lindenmere"}, Name: ptr("linden-trust")}))

	after := records("linden-trust")
	require.Greater(t, len(after), len(before), "the log goes on")
	require.Equal(t, before[len(before)-1], after[len(after)-1])
	home, err := rowan.ShowHome(ctx, "linden-trust")
	require.NoError(t, err)
	require.NotEmpty(t, home.Refused)
	b.As(t, "rowan@linden-trust")

	// The former name goes on meaning it: at sign-in, in addresses, in paths, in Loam.
	b.As(t, "ines@lindenmere")
	for _, address := range []string{trailGuide, "linden-trust/visitors/trail-guide"} {
		scope, err := rowan.ShowScope(ctx, address)
		require.NoError(t, err)
		require.Equal(t, "linden-trust/visitors/trail-guide", scope.Address)
		here, err := loamclient.Through(rowan).Here(ctx, address)
		require.NoError(t, err)
		require.NotEmpty(t, here.Resources)
	}
	require.NoError(t, client.Done(rowan.ListPeople(ctx, "lindenmere", nil)))
	require.NoError(t, client.Done(rowan.SwitchOrganisation(ctx, api.OrganisationChoice{Organisation: "lindenmere"})))
	require.Greater(t, len(records("lindenmere")), len(before))
	other, err := b.Records.OrganisationNamed(ctx, "lindenmere")
	require.NoError(t, err)
	building := access.New(catalogue.Shipped()).Builder()
	revision, err := b.Records.Load(ctx, other, building.Apply)
	require.NoError(t, err)
	rebuilt, err := building.Done(revision)
	require.NoError(t, err)
	require.True(t, rebuilt.AnswersTo("lindenmere"), "after a restart, too")
	require.False(t, rebuilt.AnswersTo("quaywater"))

	for _, name := range []string{"lindenmere", "linden-trust", "quaywater"} {
		_, err := keeper.CreateOrganisation(ctx, api.OrganisationNew{Name: name, Steward: api.UserNew{Name: "other"}})
		p := testbed.Problem(t, 409, err)
		require.Contains(t, p.Detail, "an organisation called "+name+", or was one")
	}
	// Its own former name it may take again.
	require.NoError(t, client.Done(rowan.ReshapeScopes(ctx, "linden-trust", nil, api.Reshaping{Scopes: []string{"linden-trust"}, Name: ptr("lindenmere")})))
	require.Greater(t, len(records("lindenmere")), len(after))
	require.NoError(t, b.Records.CheckAudit(ctx))
}

// TestConsoleFollowsARename renames the organisation in the console, where somebody else has a page of it open.
func TestConsoleFollowsARename(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	mine, theirs := openConsole(t, b), openConsole(t, b)
	require.NoError(t, theirs.Do(theirs.SignIn("maeve@lindenmere", demo.Passphrase), theirs.Open("/people"), browser.See(`main`, "NAME@lindenmere")))
	require.NoError(t, mine.Do(
		mine.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`h1`, "Lindenmere Botanic Trust"),
		browser.Press("Edit"),
		browser.Type(`input[name=scope-name]`, "linden-trust"),
		browser.See(`[data-test=impact]`, "Everybody signs in as NAME@linden-trust from then on."),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`header`, "rowan@linden-trust"),
		browser.See(`[role=tree]`, "linden-trust"),
		browser.See(`h1`, "Lindenmere Botanic Trust"),
		mine.Open("/tree/"+alpine), // a link from before
		browser.See(`h1`, "Alpine house"),
	))
	require.NoError(t, theirs.Do(
		browser.See(`header`, "maeve@linden-trust"),
		browser.See(`main`, "NAME@linden-trust"),
		browser.See(`[data-test=people]`, "rowan"),
	))
}
