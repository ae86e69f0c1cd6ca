package service_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
)

// TestEditsOfWhatWasRead tells each kind of edit what was read: what is another by now is not written over, and the rest is.
func TestEditsOfWhatWasRead(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	policy := policyMade(t, rowan, "lindenmere", "care", "staff may observe networking")
	viewing := []api.RoleFilter{{Services: []string{"networking"}, Classes: []string{"observe"}}}
	require.NoError(t, client.Done(rowan.CreateRole(ctx, "lindenmere", api.RoleNew{Name: "cable-watcher", Title: "Cable watcher", Include: viewing})))
	settings := api.Settings{KeysEach: 3}
	scope := func(title *string, was api.AsRead) error {
		return reshape(t, rowan, api.Reshaping{Scopes: []string{alpine}, Title: title, Was: &was})
	}
	principal := func(kind api.PrincipalKind, name string, edit api.PrincipalEdit) error {
		return client.Done(rowan.EditPrincipal(ctx, "lindenmere", kind, name, nil, edit))
	}
	role := func(was api.RoleAsRead) error {
		return client.Done(rowan.EditRole(ctx, "lindenmere", "cable-watcher", nil, api.RoleEdit{Title: "Cable watcher", Include: viewing, Was: &was}))
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
		{"a role's title", "include", "the definition of role cable-watcher", func() error { return role(api.RoleAsRead{Title: "Another", Include: viewing}) }},
		{"a role's inclusions", "include", "the definition of", func() error {
			return role(api.RoleAsRead{Title: "Cable watcher", Include: append(viewing, viewing...)})
		}},
		{"a role's places", "include", "the definition of", func() error {
			return role(api.RoleAsRead{Title: "Cable watcher", Include: viewing, Under: []string{alpine}})
		}},
		{"a role's places that are gone", "include", "the definition of", func() error {
			return role(api.RoleAsRead{Title: "Cable watcher", Include: viewing, Under: []string{"lindenmere/nowhere"}})
		}},
		{"settings", "", "the settings of the organisation", func() error {
			return client.Done(rowan.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: settings, Was: &api.Settings{KeysEach: 4}}))
		}},
	} {
		t.Run(c.what, func(t *testing.T) {
			p := testbed.Problem(t, 412, c.edit())
			require.Contains(t, p.Detail, c.says, c.what)
			require.Contains(t, p.Detail, "since you read it", c.what)
			require.Nil(t, p.Impact, c.what)
			if c.field != "" {
				require.Equal(t, c.field, p.Field, c.what)
			}
		})
	}
	after, err := rowan.ShowScope(ctx, alpine)
	require.NoError(t, err)
	require.Equal(t, alpineNow, after, "nothing was written")

	// What is as it was read is written, and what is not told may be anything.
	require.NoError(t, scope(ptr("Scree"), api.AsRead{Title: &alpineNow.Title, Name: ptr("alpine-house"), Tags: ptr(api.Tags(alpineNow.Tags))}))
	require.NoError(t, scope(ptr("Screes"), api.AsRead{Title: ptr("Scree")}))
	require.NoError(t, principal("group", "curators", api.PrincipalEdit{Description: ptr("x"), Was: &api.AsRead{Owner: ptr(""), Gathers: ptr(""), Name: ptr("curators")}}))
	require.NoError(t, role(api.RoleAsRead{Title: "Cable watcher", Include: viewing, Exclude: []api.RoleFilter{}, Under: []string{}}))
	require.NoError(t, client.Done(rowan.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 5}, Was: &settings})))
	testbed.Problem(t, 412, client.Done(rowan.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 6}, Was: &settings})))
	p := testbed.Problem(t, 400, reshape(t, rowan, api.Reshaping{Scopes: []string{alpine, trailGuide}, Tags: api.Tags{"care": "low"}, Was: &api.AsRead{Tags: &api.Tags{}}}))
	require.Contains(t, p.Detail, "an edit of one scope")
}

// TestNoEditIsLost has several people alter different things of the same at once: each thing is in the end what was written
// of it last.
func TestNoEditIsLost(t *testing.T) {
	b := testbed.InMemory(t)
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
			return reshape(t, rowan, api.Reshaping{Scopes: []string{alpine}, Tags: api.Tags{"count": v}})
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
