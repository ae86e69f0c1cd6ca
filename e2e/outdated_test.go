package e2e

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// policyMade gives the id of a policy of a text, at a scope.
func policyMade(t *testing.T, who *client.Client, at, name, text string) string {
	t.Helper()
	made, err := who.CreatePolicyAt(t.Context(), at, api.PolicyNew{Name: name, Text: text})
	require.NoError(t, err)
	return made.Policy.Id
}

// TestEditsOfWhatWasRead tells each kind of edit what was read: what is another by now is not written over, and the rest is.
func TestEditsOfWhatWasRead(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	policy := policyMade(t, rowan, "lindenmere", "care", "staff may observe networking")
	viewing := []api.RoleFilter{{Services: ptr([]string{"networking"}), Classes: ptr([]string{"observe"})}}
	require.NoError(t, client.Done(rowan.CreateRole(ctx, "lindenmere", api.RoleNew{Name: "cable-watcher", Title: ptr("Cable watcher"), Include: viewing})))
	settings := api.Settings{KeysEach: 3}
	scope := func(title *string, was api.AsRead) error {
		return reshape(t, rowan, api.Reshaping{Scopes: []string{alpine}, Title: title, Was: &was})
	}
	principal := func(kind api.PrincipalKind, name string, edit api.PrincipalEdit) error {
		return client.Done(rowan.EditPrincipal(ctx, "lindenmere", kind, name, nil, edit))
	}
	role := func(was api.RoleAsRead) error {
		return client.Done(rowan.EditRole(ctx, "lindenmere", "cable-watcher", nil, api.RoleEdit{Title: ptr("Cable watcher"), Include: viewing, Was: &was}))
	}
	alpineNow, err := rowan.ShowScope(ctx, alpine)
	require.NoError(t, err)

	for _, c := range []struct {
		what, field, says string
		edit              func() error
	}{
		{"a scope's title", "title", "somebody changed the title of " + alpine, func() error { return scope(ptr("x"), api.AsRead{Title: ptr("Another")}) }},
		{"a scope's name", "name", "the name of", func() error { return scope(ptr("x"), api.AsRead{Name: ptr("another")}) }},
		{"a scope's description", "description", "the description of", func() error { return scope(ptr("x"), api.AsRead{Description: ptr("Another")}) }},
		{"a scope's tags", "tags", "the tags of", func() error { return scope(ptr("x"), api.AsRead{Tags: &api.Tags{"none": "such"}}) }},
		{"a user's display name", "title", "the title of user ines", func() error {
			return principal("user", "ines", api.PrincipalEdit{Title: ptr("x"), Was: &api.AsRead{Title: ptr("Another")}})
		}},
		{"a user's email", "email", "the email of user ines", func() error {
			return principal("user", "ines", api.PrincipalEdit{Title: ptr("x"), Was: &api.AsRead{Email: ptr("another@lindenmere.example")}})
		}},
		{"a group's owner", "owner", "the owner of group curators", func() error {
			return principal("group", "curators", api.PrincipalEdit{Description: ptr("x"), Was: &api.AsRead{Owner: ptr("bram")}})
		}},
		{"a group's condition", "gathers", "the condition of group curators", func() error {
			return principal("group", "curators", api.PrincipalEdit{Description: ptr("x"), Was: &api.AsRead{Gathers: ptr(`tag team is "x"`)}})
		}},
		{"a policy's text", "text", "the text of policy care", func() error {
			return client.Done(rowan.EditPolicyText(ctx, policy, nil, api.PolicyEdit{Description: ptr("x"), Was: &api.AsRead{Text: ptr("staff may observe tree\n")}}))
		}},
		{"a policy's description", "description", "the description of policy care", func() error {
			return client.Done(rowan.EditPolicyText(ctx, policy, nil, api.PolicyEdit{Text: ptr("staff may observe tree"), Was: &api.AsRead{Description: ptr("Another")}}))
		}},
		{"a role's title", "include", "the definition of role cable-watcher", func() error { return role(api.RoleAsRead{Title: ptr("Another"), Include: viewing}) }},
		{"a role's inclusions", "include", "the definition of", func() error {
			return role(api.RoleAsRead{Title: ptr("Cable watcher"), Include: append(viewing, viewing...)})
		}},
		{"a role's places", "include", "the definition of", func() error {
			return role(api.RoleAsRead{Title: ptr("Cable watcher"), Include: viewing, Under: &[]string{alpine}})
		}},
		{"a role's places that are gone", "include", "the definition of", func() error {
			return role(api.RoleAsRead{Title: ptr("Cable watcher"), Include: viewing, Under: &[]string{"lindenmere/nowhere"}})
		}},
		{"settings", "", "the settings of the organisation", func() error {
			return client.Done(rowan.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: settings, Was: &api.Settings{KeysEach: 4}}))
		}},
	} {
		p := testbed.Problem(t, 412, c.edit())
		require.Contains(t, p.Detail, c.says, c.what)
		require.Contains(t, p.Detail, "since you read it", c.what)
		require.Nil(t, p.Impact, c.what)
		if c.field != "" {
			require.Equal(t, c.field, *p.Field, c.what)
		}
	}
	after, err := rowan.ShowScope(ctx, alpine)
	require.NoError(t, err)
	require.Equal(t, alpineNow, after, "nothing was written")

	// What is as it was read is written, and what is not told may be anything.
	require.NoError(t, scope(ptr("Scree"), api.AsRead{Title: &alpineNow.Title, Name: ptr("alpine-house"), Tags: ptr(api.Tags(alpineNow.Tags))}))
	require.NoError(t, scope(ptr("Screes"), api.AsRead{Title: ptr("Scree")}))
	require.NoError(t, principal("group", "curators", api.PrincipalEdit{Description: ptr("x"), Was: &api.AsRead{Owner: ptr(""), Gathers: ptr(""), Name: ptr("curators")}}))
	require.NoError(t, role(api.RoleAsRead{Title: ptr("Cable watcher"), Include: viewing, Exclude: &[]api.RoleFilter{}, Under: &[]string{}}))
	require.NoError(t, client.Done(rowan.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 5}, Was: &settings})))
	testbed.Problem(t, 412, client.Done(rowan.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 6}, Was: &settings})))
	p := testbed.Problem(t, 400, reshape(t, rowan, api.Reshaping{Scopes: []string{alpine, trailGuide}, Tags: &api.Tags{"care": "low"}, Was: &api.AsRead{Tags: &api.Tags{}}}))
	require.Contains(t, p.Detail, "told of one scope")
}

// TestNoEditIsLost has several people alter different things of the same at once: each thing is in the end what was written
// of it last.
func TestNoEditIsLost(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	policy := policyMade(t, rowan, "lindenmere", "care", "staff may observe networking")
	const times = 12
	last := fmt.Sprint("number ", times-1)
	var edits sync.WaitGroup
	failed := make(chan error, 8*times)
	for _, edit := range []func(value string) error{
		func(v string) error { return reshape(t, rowan, api.Reshaping{Scopes: []string{alpine}, Title: &v}) },
		func(v string) error {
			return reshape(t, rowan, api.Reshaping{Scopes: []string{alpine}, Description: &v})
		},
		func(v string) error {
			return reshape(t, rowan, api.Reshaping{Scopes: []string{alpine}, Tags: &api.Tags{"count": v}})
		},
		func(v string) error {
			return client.Done(rowan.EditPrincipal(ctx, "lindenmere", "user", "ines", nil, api.PrincipalEdit{Title: &v}))
		},
		func(v string) error {
			return client.Done(rowan.EditPrincipal(ctx, "lindenmere", "user", "ines", nil, api.PrincipalEdit{Description: &v}))
		},
		func(v string) error {
			return client.Done(rowan.EditPolicyText(ctx, policy, nil, api.PolicyEdit{Description: &v}))
		},
		func(v string) error {
			return client.Done(rowan.EditPolicyText(ctx, policy, nil, api.PolicyEdit{Text: ptr("# " + v + "\nstaff may observe networking\n")}))
		},
		func(v string) error { return client.Done(rowan.EditProfile(ctx, api.ProfileEdit{Title: &v})) },
	} {
		edits.Go(func() {
			for n := range times {
				failed <- edit(fmt.Sprint("number ", n))
			}
		})
	}
	edits.Wait()
	close(failed)
	for err := range failed {
		require.NoError(t, err)
	}
	scope, err := rowan.ShowScope(ctx, alpine)
	require.NoError(t, err)
	require.Equal(t, []string{last, last, last}, []string{scope.Title, scope.Description, scope.Tags["count"]})
	ines, err := rowan.ShowPrincipal(ctx, "lindenmere", "user", "ines")
	require.NoError(t, err)
	require.Equal(t, []string{last, last}, []string{ines.Title, ines.Description})
	care, err := rowan.ShowPolicy(ctx, policy)
	require.NoError(t, err)
	require.Equal(t, last, care.Description)
	require.Contains(t, care.Text, last)
	me, err := rowan.GetSession(ctx)
	require.NoError(t, err)
	require.Equal(t, last, me.Title)
	require.NotEmpty(t, me.Email)
}

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
		browser.See(`dialog`, "alters nobody's access"),
	))
	others("Theirs")
	require.NoError(t, console.Do(
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=theirs]`, "Somebody else has altered the title while you were at it."),
		browser.See(`[data-test=theirs]`, "Theirs"),
		browser.Press("Go on with mine, which replaces it"),
		browser.See(`dialog`, "alters nobody's access"),
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
		browser.See(`dialog`, "alters nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`h1`, "Theirs again"),
		browser.See(`main`, "Scree"),

		// A group's dialog.
		console.Open("/groups/curators"),
		browser.See(`main`, "Direct members"),
		browser.Press("Edit"),
		browser.Type(`input[name=edit-about]`, "Mine"),
		browser.See(`dialog`, "alters nobody's access"),
	))
	require.NoError(t, client.Done(rowan.EditPrincipal(ctx, "lindenmere", "group", "curators", nil, api.PrincipalEdit{Description: ptr("Theirs"), Title: ptr("The curators")})))
	require.NoError(t, console.Do(
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=theirs]`, "has altered what it is about while"),
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
	viewing := []api.RoleFilter{{Services: ptr([]string{"networking"}), Classes: ptr([]string{"observe"})}}
	require.NoError(t, client.Done(rowan.CreateRole(ctx, "lindenmere", api.RoleNew{Name: "cable-watcher", Title: ptr("Cable watcher"), Include: viewing})))
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
		browser.See(`[data-test=theirs]`, "rowan@lindenmere has altered the text while you were at it."),
		browser.See(`[data-test=theirs]`, "staff may observe labs"),
		browser.See(`.cm-content`, "# mine"),
		browser.Press("Take theirs"),
		browser.See(`.cm-content`, "observe labs"),
		browser.SeeNot(`.cm-content`, "# mine"),

		console.Open("/roles/cable-watcher/edit"),
		browser.Type(`input[name=role-title]`, "Mine"),
		browser.See(`[data-test=holds-now]`, "permission"),
	))
	wider := append(viewing, api.RoleFilter{Services: ptr([]string{"compute"}), Classes: ptr([]string{"observe"})})
	require.NoError(t, client.Done(rowan.EditRole(ctx, "lindenmere", "cable-watcher", nil, api.RoleEdit{Title: ptr("Theirs"), Include: wider})))
	require.NoError(t, console.Do(
		browser.See(`[data-test=theirs]`, "has altered the title while you were at it."),
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
