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

// TestConsoleTellsOfOtherWriters writes while somebody else does: what they wrote is shown beside, and either goes on.
func TestConsoleTellsOfOtherWriters(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	console := openConsole(t, b)
	others := func(title string) {
		require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{alpine}, Title: &title}))
	}
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		console.Open("/tree/"+alpine),
		browser.See(`main`, "Who has access here"),
		browser.Press("Edit"),
		browser.Type(`input[name=scope-title]`, "Mine"),
		browser.See(`dialog`, "changes nobody's access"),
	))
	others("Theirs")
	require.NoError(t, console.Do(
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=theirs]`, "Somebody else has changed the title while you were at it."),
		browser.See(`[data-test=theirs]`, "Theirs"),
		browser.Press("Go on with mine, which replaces it"),
		browser.See(`dialog`, "changes nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`h1`, "Mine"),
		browser.Press("Edit"),
		browser.Type(`input[name=scope-title]`, "Mine again"),
		browser.Type(`input[name=scope-about]`, "Scree"),
	))
	others("Theirs again")
	require.NoError(t, console.Do(
		browser.Click(`[data-test=confirm-change]`),
		browser.Press("Take theirs"),
		browser.See(`dialog`, "changes nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`h1`, "Theirs again"),
		browser.See(`main`, "Scree"),

		// A group's dialog.
		console.Open("/groups/curators"),
		browser.See(`main`, "Direct members"),
		browser.Press("Edit"),
		browser.Type(`input[name=edit-about]`, "Mine"),
		browser.See(`dialog`, "changes nobody's access"),
	))
	require.NoError(t, client.Done(rowan.EditPrincipal(ctx, "lindenmere", "group", "curators", nil, api.PrincipalEdit{Description: ptr("Theirs"), Title: ptr("The curators")})))
	require.NoError(t, console.Do(
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=theirs]`, "has changed the description while"),
		browser.Press("Go on with mine, which replaces it"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`main`, "Mine"),
		browser.See(`h1`, "The curators"),
	))
	testConsoleTellsOfOthersOnPages(t, b, console)
}

// testConsoleTellsOfOthersOnPages does so on pages, which are told at once.
func testConsoleTellsOfOthersOnPages(t *testing.T, b *testbed.Bed, console *browser.Browser) {
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	policy := policyMade(t, rowan, "lindenmere", "care", "staff may observe networking")
	viewing := []api.RoleFilter{{Services: []string{"networking"}, Classes: []string{"observe"}}}
	require.NoError(t, client.Done(rowan.CreateRole(ctx, "lindenmere", api.RoleNew{Name: "cable-watcher", Title: "Cable watcher", Include: viewing})))
	require.NoError(t, console.Do(
		console.Open("/policies/"+policy),
		browser.See(`[data-test=reads-well]`, "1 statement"),
	))
	require.NoError(t, client.Done(rowan.EditPolicyText(ctx, policy, nil, api.PolicyEdit{Text: ptr("staff may observe storage")})))
	require.NoError(t, console.Do(
		browser.See(`.cm-content`, "observe storage"), // nothing was altered here, so it is taken over
		browser.Keys(`.cm-content`, "\n", "# mine"),
	))
	require.NoError(t, client.Done(rowan.EditPolicyText(ctx, policy, nil, api.PolicyEdit{Text: ptr("staff may observe labs"), Description: ptr("Said by others")})))
	require.NoError(t, console.Do(
		browser.See(`[data-test=theirs]`, "rowan@lindenmere has changed the text while you were at it."),
		browser.See(`[data-test=theirs]`, "staff may observe labs"),
		browser.See(`.cm-content`, "# mine"),
		browser.Press("Take theirs"),
		browser.See(`.cm-content`, "observe labs"),
		browser.SeeNot(`.cm-content`, "# mine"),

		console.Open("/roles/cable-watcher/edit"),
		browser.Type(`input[name=role-title]`, "Mine"),
		browser.See(`[data-test=holds-now]`, "permission"),
	))
	wider := append(viewing, api.RoleFilter{Services: []string{"compute"}, Classes: []string{"observe"}})
	require.NoError(t, client.Done(rowan.EditRole(ctx, "lindenmere", "cable-watcher", nil, api.RoleEdit{Title: "Theirs", Include: wider})))
	require.NoError(t, console.Do(
		browser.See(`[data-test=theirs]`, "has changed the title while you were at it."),
		browser.See(`[data-test=holds-now]`, "machine"), // what they picked is taken over
		browser.Press("Go on with mine, which replaces it"),
		browser.Click(`[data-test=review]`),
		browser.Click(`[data-test=save]`),
		browser.See(`h1`, "Mine"),

		console.Open("/settings"),
		browser.Type(`input[name=keys-each]`, "7"),
	))
	require.NoError(t, client.Done(rowan.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 5, ForbidSignedIn: true}})))
	require.NoError(t, console.Do(
		browser.Press("Save"),
		browser.See(`main`, "omebody changed the settings of the organisation since you read it"),
	))
	role, err := rowan.ShowRole(ctx, "lindenmere", "cable-watcher")
	require.NoError(t, err)
	require.Len(t, role.Include, 2)
}
