package service_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestSigningInAnotherWay has somebody sign in by keys alone and by a password again: what no longer fits ends at once, and the preview
// says so before.
func TestSigningInAnotherWay(t *testing.T) {
	b := testbed.InMemory(t)
	rowan, yuki := b.As(t, "rowan@lindenmere"), b.As(t, "yuki@lindenmere")
	ctx := t.Context()
	to := func(by api.SignInBy, preview bool) (api.Written, error) {
		return rowan.EditPrincipal(ctx, "lindenmere", api.UserKind, "yuki", &api.EditPrincipalParams{Preview: preview}, api.PrincipalEdit{SignInBy: by})
	}
	shown, err := to(api.ByKey, true)
	require.NoError(t, err)
	require.Equal(t, []string{"The password of yuki no longer works, and all sessions end."}, shown.Impact.Warnings)
	_, err = yuki.ShowScope(ctx, "lindenmere")
	testbed.Problem(t, 403, err) // a preview changes nothing: signed in, and without access

	_, err = to(api.ByKey, false)
	require.NoError(t, err)
	_, err = yuki.ShowScope(ctx, "lindenmere")
	testbed.Problem(t, 401, err)
	_, err = demo.SignIn(ctx, b.Address, "yuki@lindenmere", demo.Passphrase)
	testbed.Problem(t, 401, err)
	key, err := rowan.CreateKey(ctx, "lindenmere", api.UserKind, "yuki", api.KeyNew{Label: "probe"})
	require.NoError(t, err, "somebody who signs in by keys may have one")
	program, err := client.OpenByKey(b.Address, client.APIKey{ID: key.Key.Id, Secret: key.Secret})
	require.NoError(t, err)
	_, err = program.ShowScope(ctx, "lindenmere")
	testbed.Problem(t, 403, err)

	shown, err = to(api.ByPassword, true)
	require.NoError(t, err)
	require.Equal(t, []string{"The API keys of yuki are revoked.", "yuki has no password yet: reset it, or mail a link to choose one."}, shown.Impact.Warnings)
	_, err = to(api.ByPassword, false)
	require.NoError(t, err)
	_, err = program.ShowScope(ctx, "lindenmere")
	testbed.Problem(t, 401, err)
	reset, err := rowan.ResetPassword(ctx, "lindenmere", api.UserKind, "yuki", nil)
	require.NoError(t, err)
	_, err = demo.SignIn(ctx, b.Address, "yuki@lindenmere", reset.Password)
	require.NoError(t, err)
	_, err = rowan.EditPrincipal(ctx, "lindenmere", api.UserKind, "yuki", nil, api.PrincipalEdit{SignInBy: api.ByKey, Name: ptr("yuki-m")})
	require.Contains(t, testbed.Problem(t, 400, err).Detail, "is edited alone", "a name can be undone, how they sign in cannot")
	_, err = rowan.EditPrincipal(ctx, "lindenmere", api.GroupKind, "curators", nil, api.PrincipalEdit{SignInBy: api.ByKey})
	testbed.Problem(t, 400, err)
}

// TestWhatIsSaidOfPeople: a gathering group counts its members as it is created, a second use of a mail address is warned of, a guest is
// found by half a name, and the page of somebody says which groups they own and when they signed in last.
func TestWhatIsSaidOfPeople(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	_, err := rowan.EditPrincipal(ctx, "lindenmere", api.UserKind, "sefa", nil, api.PrincipalEdit{Tags: &api.Tags{"desk": "two"}})
	require.NoError(t, err)
	made, err := rowan.CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "second-desk", Gathers: `tag desk is "two"`, Owner: &api.PrincipalRef{Kind: "user", Name: "sefa"}})
	require.NoError(t, err)
	require.Equal(t, 1, made.Group.Members)

	shown, err := rowan.PreviewCreateUser(ctx, "lindenmere", api.UserNew{Name: "zed", Email: "sefa@lindenmere.example"})
	require.NoError(t, err)
	require.Equal(t, []string{"The address sefa@lindenmere.example is also that of user sefa."}, shown.Impact.Warnings)
	shown, err = rowan.PreviewInviteGuest(ctx, "lindenmere", api.GuestNew{Email: "sefa@lindenmere.example"})
	require.NoError(t, err)
	require.Equal(t, []string{"The address sefa@lindenmere.example is also that of user sefa."}, shown.Impact.Warnings)

	_, err = rowan.InviteGuest(ctx, "lindenmere", api.GuestNew{Email: "nils@printers.example"})
	require.NoError(t, err)
	_, err = rowan.ShowPrincipal(ctx, "lindenmere", api.GuestKind, "nils")
	require.Equal(t, "nils@printers.example", testbed.Problem(t, 404, err).Nearest)
	_, err = rowan.ShowPrincipal(ctx, "lindenmere", api.UserKind, "sefa@lindenmere")
	require.Equal(t, "sefa", testbed.Problem(t, 404, err).Nearest)

	b.As(t, "sefa@lindenmere")
	sefa, err := rowan.ShowPrincipal(ctx, "lindenmere", api.UserKind, "sefa")
	require.NoError(t, err)
	require.Equal(t, []string{"second-desk"}, sefa.OwnsGroups)
	require.WithinDuration(t, b.Clock.Now(), sefa.LastSignInAt, time.Minute)
}

// TestNoSingleStep says of a no that is cut off, and that nothing gives either, that no single change turns it.
func TestNoSingleStep(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	_, err := rowan.CreatePolicyAt(t.Context(), alpine, api.PolicyNew{Name: "shut", Text: "sefa-and-more may never destroy anything"})
	require.Error(t, err)
	_, err = rowan.CreatePolicyAt(t.Context(), alpine, api.PolicyNew{Name: "shut", Text: "user sefa may never observe anything"})
	require.NoError(t, err)
	answer, err := rowan.Check(t.Context(), alpine, api.Question{Permission: "describe project", Principal: ptr(user("sefa"))})
	require.NoError(t, err)
	require.Empty(t, answer.Steps)
	require.Equal(t, "No single change makes it a yes: a statement cuts it off, and nothing gives it either.", answer.NoStep)
}

// TestTagsThatAreNotThere are not removed from scopes without a word.
func TestTagsThatAreNotThere(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	_, err := rowan.ReshapeScopes(t.Context(), "lindenmere", nil, api.Reshaping{Scopes: []string{alpine}, Untag: []string{"nosuch"}})
	require.Contains(t, testbed.Problem(t, 409, err).Detail, "there is no tag nosuch to remove")
	_, err = rowan.CreateScope(t.Context(), "lindenmere/", api.ScopeNew{Kind: "folder", Name: "x"})
	testbed.Problem(t, 404, err)
}
