package e2e

import (
	"strings"
	"testing"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestConsoleComesInByPasskeysAlone has an organisation let people in by passkeys alone. Who has none sets one up; who has one is
// let in by no password, nor sets up another by it.
func TestConsoleComesInByPasskeysAlone(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	named := *b
	named.Address = strings.Replace(b.Address, "127.0.0.1", "localhost", 1)
	console := openConsole(t, &named)
	rowan, tomas := b.As(t, "rowan@lindenmere"), b.As(t, "tomas@lindenmere")
	passkeys := []api.Factor{api.PasskeyFactor}
	for _, demanded := range []struct{ everybody, governing []api.Factor }{{passkeys, nil}, {nil, passkeys}} {
		p := testbed.Problem(t, 409, demand(t, rowan, api.Demands{Factors: demanded.everybody}, api.Demands{Factors: demanded.governing}))
		require.Equal(t, "you would shut yourself out: you did not sign in with a passkey", p.Detail)
	}
	p := testbed.Problem(t, 400, demand(t, rowan, api.Demands{Factors: []api.Factor{api.CodeFactor}}, api.Demands{Factors: passkeys}))
	require.Contains(t, p.Detail, "no factor is allowed both to them and to everybody")
	require.NoError(t, console.Do(
		browser.Device(),
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		console.Open("/account"),
		browser.Type(`input[name=passkey-label]`, "field laptop"),
		browser.Press("Add a passkey"),
		browser.See(`[data-test=passkeys]`, "field laptop since"),
		console.Open("/settings"),
		browser.Click(`input[name=everybody-passkey]`),
		browser.See(`form`, "7 people have no passkey and can do nothing before they set one up"),
		browser.Press("Save"),
		browser.See(`main`, "The settings are changed."),
		browser.SignOut(),
		browser.Press("Sign in with a passkey"),
		browser.See(`[data-test=me]`, "rowan@lindenmere"),
		browser.SignOut(),

		browser.Type(`input[name=name]`, "tomas@lindenmere"),
		browser.Type(`input[name=password]`, demo.Passphrase),
		browser.Press("Sign in"),
		browser.See(`main`, "lindenmere demands a passkey of tomas@lindenmere"),
	))
	require.Equal(t, "set-up-factor", kind(t, client.Done(tomas.ShowTree(t.Context(), "lindenmere", nil))), "by a password alone")
	require.NoError(t, client.Done(tomas.BeginPasskey(t.Context())), "who has none may set one up")
	require.NoError(t, console.Do(
		browser.Type(`input[name=passkey-label]`, "seed counter"),
		browser.Press("Add a passkey"),
		browser.See(`[data-test=me]`, "tomas@lindenmere"),
	))
	require.Equal(t, "set-up-factor", kind(t, client.Done(tomas.ShowTree(t.Context(), "lindenmere", nil))))
	require.Equal(t, "conflict", kind(t, client.Done(tomas.BeginPasskey(t.Context()))), "who has one shows that, and makes no other by a password")
	require.Equal(t, "conflict", kind(t, client.Done(tomas.BeginSecondFactor(t.Context()))))
	require.NoError(t, console.Do(
		browser.SignOut(),
		browser.Type(`input[name=name]`, "tomas@lindenmere"),
		browser.Type(`input[name=password]`, demo.Passphrase),
		browser.Press("Sign in"),
		browser.See(`main`, "You have a passkey. Show it to go on."),
	))
}

// TestAnOlderSessionAddsNoPasskey has somebody set up codes while another session of theirs, begun by the password alone, goes on.
// Once codes are demanded, that session adds no passkey that would take their place.
func TestAnOlderSessionAddsNoPasskey(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	rowan, older := b.As(t, "rowan@lindenmere"), b.As(t, "rowan@lindenmere")
	seed, err := rowan.BeginSecondFactor(t.Context())
	require.NoError(t, err)
	code, err := totp.GenerateCode(seed.Seed, b.Clock.Now())
	require.NoError(t, err)
	require.NoError(t, client.Done(rowan.ConfirmSecondFactor(t.Context(), api.FactorCode{Code: code})))
	require.NoError(t, demand(t, rowan, api.Demands{Factors: []api.Factor{api.CodeFactor}}, api.Demands{}))
	p := testbed.Problem(t, 409, client.Done(older.BeginPasskey(t.Context())))
	require.Equal(t, "you have a second factor already", p.Detail)
	require.NoError(t, client.Done(rowan.BeginPasskey(t.Context())))
}
