package service_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
)

// TestGuestsRecoverTheirAccount has a guest from outside, who has no administrator, choose another password by mail.
func TestGuestsRecoverTheirAccount(t *testing.T) {
	b := testbed.InMemory(t)
	ctx, anybody := t.Context(), with(t, b, "")
	const wren, subject = "wren@meadowside.example", "Choose another password for Arbora"
	require.NoError(t, client.Done(b.As(t, "rowan@lindenmere").InviteGuest(ctx, "lindenmere", api.GuestNew{Email: wren, Grants: []api.FirstGrant{{Scope: alpine, Role: "observer"}}})))
	require.NoError(t, client.Done(anybody.UseLink(ctx, api.LinkUse{Token: linkTo(t, b, wren), Password: "otters under the footbridge"})))
	before, err := demo.SignIn(ctx, b.Address, wren, "otters under the footbridge")
	require.NoError(t, err)

	// The answer is the same for everybody, and letters go to guests from outside alone.
	ask := func(address string) error {
		return anybody.AskRecovery(ctx, api.RecoveryWanted{Address: address})
	}
	for _, address := range []string{"nobody@meadowside.example", "rowan@lindenmere.example", "tomas@lindenmere.example"} {
		require.NoError(t, ask(address))
	}
	testbed.Problem(t, 400, ask("warden"))
	require.NoError(t, ask("Wren@Meadowside.example"))
	awaitLetter(t, b, wren, subject, 1)
	require.NoError(t, ask(wren))
	b.Service.Wait()
	awaitLetter(t, b, wren, subject, 1) // another comes after some minutes only
	for _, l := range b.Mail.Letters() {
		require.False(t, l.Subject == subject && l.To[0] != wren, "a letter went to %s", l.To[0])
	}

	b.Clock.Forward(credential.RecoveryPause)
	old := linkTo(t, b, wren)
	require.NoError(t, ask(wren))
	awaitLetter(t, b, wren, subject, 2)
	token := linkTo(t, b, wren)
	testbed.Problem(t, 401, client.Done(anybody.ReadLink(ctx, api.LinkToken{Token: old})))
	link, err := anybody.ReadLink(ctx, api.LinkToken{Token: token})
	require.NoError(t, err)
	require.Equal(t, api.ToRecover, link.Purpose)
	require.Equal(t, wren, link.SignIn)
	require.Empty(t, link.Organisation, "a letter that got astray tells nobody where wren is a guest")
	use := func(password string) error {
		return client.Done(anybody.UseLink(ctx, api.LinkUse{Token: token, Password: password}))
	}
	require.Equal(t, "password", testbed.Problem(t, 422, use("short")).Field)
	require.NoError(t, use("herons along the weir"))
	testbed.Problem(t, 401, use("herons along the weir"))
	require.Error(t, client.Done(before.GetSession(ctx)), "sessions of before have ended")
	_, err = demo.SignIn(ctx, b.Address, wren, "otters under the footbridge")
	require.Error(t, err)
	after, err := demo.SignIn(ctx, b.Address, wren, "herons along the weir")
	require.NoError(t, err)
	require.NoError(t, client.Done(after.ShowScope(ctx, alpine)))
	heard(t, b, wren, "Your password was replaced by a link that was mailed to you.")

	require.NoError(t, ask(wren))
	awaitLetter(t, b, wren, subject, 3)
	b.Clock.Forward(credential.ToRecover.Lifetime())
	testbed.Problem(t, 401, client.Done(anybody.ReadLink(ctx, api.LinkToken{Token: linkTo(t, b, wren)})))
}

// TestAnAddressCountsOnceProved opens an account under somebody's address by a link that was shown, before they come themselves.
func TestAnAddressCountsOnceProved(t *testing.T) {
	b := testbed.InMemory(t)
	ctx, anybody := t.Context(), with(t, b, "")
	const wren = "wren@meadowside.example"
	rowan, juno := b.As(t, "rowan@lindenmere"), b.As(t, "juno@quaywater")
	grants := []api.FirstGrant{{Scope: alpine, Role: "observer"}}
	require.NoError(t, client.Done(juno.InviteGuest(ctx, "quaywater", api.GuestNew{Email: wren})))
	shown, err := juno.ResendInvitation(ctx, "quaywater", api.GuestKind, wren, &api.ResendInvitationParams{Reveal: true})
	require.NoError(t, err)
	stolen := shown.Url[len(b.Address+"/#/link/"):]
	require.NoError(t, client.Done(anybody.UseLink(ctx, api.LinkUse{Token: stolen, Password: "juno writes this one down"})))
	stranger, err := demo.SignIn(ctx, b.Address, wren, "juno writes this one down")
	require.NoError(t, err)

	// The letter of another organisation goes to wren, who takes the account over by it.
	require.NoError(t, client.Done(rowan.InviteGuest(ctx, "lindenmere", api.GuestNew{Email: wren, Grants: grants})))
	token := linkTo(t, b, wren)
	link, err := anybody.ReadLink(ctx, api.LinkToken{Token: token})
	require.NoError(t, err)
	require.False(t, link.Known, "nobody has proved the address")
	require.NoError(t, client.Done(anybody.UseLink(ctx, api.LinkUse{Token: token, Password: "otters under the footbridge"})))
	require.Error(t, client.Done(stranger.GetSession(ctx)))
	_, err = demo.SignIn(ctx, b.Address, wren, "juno writes this one down")
	require.Error(t, err)
	guest, err := demo.SignIn(ctx, b.Address, wren, "otters under the footbridge")
	require.NoError(t, err)
	seats, err := guest.ListSeats(ctx)
	require.NoError(t, err)
	require.Len(t, seats.Seats, 2, "what the account was given stays with the address")

	// Nor does an invited guest come in under the name of somebody else.
	require.NoError(t, client.Done(juno.InviteGuest(ctx, "quaywater", api.GuestNew{Email: "fern@meadowside.example"})))
	for _, name := range []string{"rowan@lindenmere", "bracken@meadowside.example"} {
		p := testbed.Problem(t, 400, client.Done(juno.EditPrincipal(ctx, "quaywater", api.GuestKind, "fern@meadowside.example", nil, api.PrincipalEdit{Name: ptr(name)})))
		require.Equal(t, "name", p.Field)
	}

	// From then on nobody takes it over by a link, whoever sees one.
	require.NoError(t, client.Done(juno.CreateUser(ctx, "quaywater", api.UserNew{Name: "moor", Email: wren, Password: demo.Passphrase})))
	moor := b.As(t, "moor@quaywater")
	const heath = "heath@meadowside.example"
	require.NoError(t, client.Done(rowan.InviteGuest(ctx, "lindenmere", api.GuestNew{Email: heath, Grants: grants})))
	require.NoError(t, client.Done(juno.EditPrincipal(ctx, "quaywater", api.UserKind, "moor", nil, api.PrincipalEdit{Email: ptr(heath)})))
	again, err := rowan.ResendInvitation(ctx, "lindenmere", api.GuestKind, heath, &api.ResendInvitationParams{Reveal: true})
	require.NoError(t, err)
	astray := again.Url[len(b.Address+"/#/link/"):]
	p := testbed.Problem(t, 403, client.Done(moor.AcceptInvitation(ctx, api.LinkToken{Token: astray})))
	require.Contains(t, p.Detail, "which is not your mail address", "an address that juno wrote is not proved")
}
