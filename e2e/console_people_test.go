package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestConsoleCreatesAPerson makes somebody like somebody else on one page, with less, and follows them until they leave.
func TestConsoleCreatesAPerson(t *testing.T) {
	t.Parallel()
	b, console := openStory(t)
	require.NoError(t, console.Do(
		console.Open("/people/new"),
		browser.Type(`input[name=user-name]`, "linnea"),
		browser.Type(`input[name=user-email]`, "linnea@lindenmere.example"),
		browser.Type(`input[name=user-tags]`, "team=seeds"),
		browser.Click(`input[name=by][value=both]`),
		browser.Click(`input[name=first][value=link]`),
		browser.Type(`input[name=like]`, "ines"),
		browser.See(`[data-test=lines]`, "steward at "+trial),
		browser.See(`[data-test=impact]`, "It gives permissions to govern"),
		browser.Click(`button[aria-label="Leave out steward"]`),
		browser.SeeNot(`[data-test=impact]`, "It gives permissions to govern"),
		browser.See(`[data-test=impact]`, "linnea gains"),
		browser.Type(`input[name=grant-at]`, alpine),
		browser.Type(`input[name=grant-role]`, "observer"),
		browser.Click(`[data-test=add-grant]`),
		browser.See(`[data-test=impact]`, "at alpine-house"),
		browser.Click(`[data-test=confirm-person]`),
		browser.See(`[data-test=result]`, "shown this once"),
		browser.See(`[data-test=mailed]`, "The link was mailed to linnea@lindenmere.example"),
		browser.Visible(`[data-test=told-secret]`),
		browser.Press("Open the person's page"),
		browser.See(`[data-test=leave]`, "neither copied nor saved"), // a secret is not lost by a stray click
		browser.Press("Stay on this page"),
		browser.Closed(),
		browser.Press("Copy all"),
		browser.See(`[data-test=result]`, "Copied"),
		browser.Press("Open the person's page"),
		browser.See(`[data-test=facts]`, "seed-curators seed-people"),
		browser.See(`[data-test=keys]`, "first key"),
		browser.SignOut(),
	))
	require.NoError(t, console.Do(
		console.Open("/link/"+linkTo(t, b, "linnea@lindenmere.example")),
		browser.See(`main`, "linnea@lindenmere"),
		browser.Type(`input[name=password]`, "moss on the northern wall"),
		browser.Type(`input[name=again]`, "moss on the northern wall"),
		browser.Press("Save password"),
		browser.See(`h1`, "Your password is chosen"),
		console.SignIn("linnea@lindenmere", "moss on the northern wall"),
		browser.See(`[role=tree]`, "glasshouses"),
		browser.SignOut(),
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		console.Open("/people/linnea"),
		browser.Press("Reset the password"),
		browser.See(`dialog`, "Revoke their API keys, too"),
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=result]`, "earlier sessions, links, passkeys and API keys no longer work"),
		browser.Press("Copy all"),
		browser.See(`[data-test=result]`, "Copied"),
		browser.Press("Done"),
		browser.Closed(),
		browser.See(`main`, "None yet; there may be"),
		browser.Press("Retire"),
		browser.See(`[data-test=impact]`, "linnea loses"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=out-of-use]`, "is retired"),
		console.Open("/tree/"+alpine),
		browser.See(`[data-test=access] tr`, "linnea retired holds nothing by it"),
		console.Open("/people/linnea"),
		browser.Press("Hand the grants over"),
		browser.Type(`input[name=taker]`, "sefa"),
		browser.See(`[data-test=impact]`, "sefa gains"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		console.Open("/tree/"+alpine),
		browser.See(`[data-test=access] tr`, "sefa observer granted here"),
	))
}

// TestConsoleGuests invites somebody, sees them pending, and comes in as them.
func TestConsoleGuests(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		console.Open("/people/new?guest"),
		browser.Type(`input[name=guest-email]`, "wren@meadowside.example"),
		browser.Type(`input[name=grant-at]`, alpine),
		browser.Type(`input[name=grant-role]`, "observer"),
		browser.Click(`[data-test=add-grant]`),
		browser.See(`[data-test=impact]`, "at alpine-house"),
		browser.Click(`[data-test=confirm-person]`),
		browser.See(`[data-test=result]`, "wren@meadowside.example is invited"),
		browser.Press("All people"),
		browser.See(`[data-test=people] tr`, "wren@meadowside.example guest"),
		console.Open("/tree/"+alpine),
		browser.See(`[data-test=access] tr`, "pending holds nothing by it until they accept"),
		console.Open("/guests/wren@meadowside.example"),
		browser.See(`[data-test=pending]`, "counts only once they do"),
		browser.Press("Send the invitation again"),
		browser.See(`[data-test=result]`, "Invited once more"),
		browser.SignOut(),
	))
	require.NoError(t, console.Do(
		console.Open("/link/"+linkTo(t, b, "wren@meadowside.example")),
		browser.See(`h1`, "You are invited"),
		browser.Type(`input[name=title]`, "Wren"),
		browser.Type(`input[name=password]`, "otters under the footbridge"),
		browser.Type(`input[name=again]`, "otters under the footbridge"),
		browser.Press("Accept"),
		browser.See(`h1`, "Welcome to Lindenmere Botanic Trust"),
		console.SignIn("wren@meadowside.example", "otters under the footbridge"),
		browser.See(`[data-test=organisation]`, "lindenmere, as a guest"),
		browser.See(`[role=tree]`, "alpine-house"),
		browser.SignOut(),
	))
	require.NoError(t, console.Do(
		browser.Press("I cannot sign in any more"),
		browser.Type(`input[name=address]`, "wren@meadowside.example"),
		browser.Press("Send me a link"),
		browser.See(`[role=status]`, "a letter is on its way"),
	))
	awaitLetter(t, b, "wren@meadowside.example", "Choose another password for Arbora", 1)
	require.NoError(t, console.Do(
		console.Open("/link/"+linkTo(t, b, "wren@meadowside.example")),
		browser.See(`h1`, "Choose your password"),
		browser.Type(`input[name=password]`, "herons along the weir"),
		browser.Type(`input[name=again]`, "herons along the weir"),
		browser.Press("Save password"),
		browser.See(`h1`, "Your password is chosen"),
		console.SignIn("wren@meadowside.example", "herons along the weir"),
		browser.See(`[role=tree]`, "alpine-house"),
		browser.SignOut(),
	))
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.InviteGuest(t.Context(), "lindenmere", api.GuestNew{Email: "juno@quaywater.example"})))
	require.NoError(t, console.Do(
		console.SignIn("juno@quaywater", demo.Passphrase),
		browser.See(`[data-test=organisation]`, "quaywater"),
		console.Open("/link/"+linkTo(t, b, "juno@quaywater.example")),
		browser.Press("Accept as juno@quaywater"),
		browser.See(`[data-test=organisation]`, "lindenmere, as a guest"),
		console.Open("/account"),
		browser.See(`[data-test=seats]`, "Quaywater Seed Exchange as a user Work there"),
		browser.Press("Work there"),
		browser.See(`[data-test=organisation]`, "quaywater"),
	))
}

// TestConsoleCredentials sets up a second factor and a passkey, signs in by each, and lets a terminal in.
func TestConsoleCredentials(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	demandSecondFactor(t, b)
	// Passkeys belong to a name, not to a network address.
	named := *b
	named.Address = strings.Replace(b.Address, "127.0.0.1", "localhost", 1)
	console := openConsole(t, &named)
	require.NoError(t, console.Do(
		browser.Device(),
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`h1`, "Set up a second factor"),
		browser.Press("Set up a second factor"),
		browser.Visible(`[data-test=qr]`),
	))
	seed, err := console.Text(`[data-test=seed]`)
	require.NoError(t, err)
	code := func() string {
		code, err := totp.GenerateCode(seed, b.Clock.Now())
		require.NoError(t, err)
		return code
	}
	require.NoError(t, console.Do(
		browser.Type(`input[name=first-code]`, code()),
		browser.Press("Confirm"),
		browser.Visible(`[data-test=recovery-codes]`),
		browser.Press("I have kept them"),
		browser.See(`[role=tree]`, "gardens"),
		browser.SignOut(),
	))
	b.Clock.Forward(time.Minute)
	require.NoError(t, console.Do(
		browser.Type(`input[name=name]`, "rowan@lindenmere"),
		browser.Type(`input[name=password]`, demo.Passphrase),
		browser.Press("Sign in"),
		browser.See(`main`, "Your account has a second factor"),
		browser.Type(`input[name=code]`, code()),
		browser.Press("Sign in"),
		browser.See(`[role=tree]`, "gardens"),
		console.Open("/account"),
		browser.See(`[data-test=factor]`, "10 recovery codes left"),
		browser.Type(`input[name=passkey-label]`, "field laptop"),
		browser.Press("Add a passkey"),
		browser.See(`[data-test=passkeys]`, "field laptop since"),
		browser.SignOut(),
		browser.Press("Sign in with a passkey"),
		browser.See(`[data-test=me]`, "rowan@lindenmere"),
		console.Open("/account"),
		browser.See(`[data-test=passkeys]`, "last used"),
	))
	terminal, err := client.AskForDevice(t.Context(), b.Address, "arbora at a terminal")
	require.NoError(t, err)
	require.NoError(t, console.Do(
		console.Open("/device"),
		browser.Type(`input[name=device-code]`, strings.ToLower(terminal.Code)),
		browser.Press("Find it"),
		browser.See(`main`, "arbora at a terminal"),
		browser.Press("Let it in"),
		browser.See(`[role=status]`, "The terminal is signed in"),
	))
	token, err := terminal.Wait(t.Context())
	require.NoError(t, err)
	require.NoError(t, client.Done(with(t, b, token).ShowTree(t.Context(), "lindenmere", nil)), "as who let it in, with two factors")
	require.NoError(t, console.Do(
		console.Open("/people/rowan"),
		browser.See(`[data-test=passkeys-of]`, "field laptop"),
		console.Open("/account"),
		browser.See(`[data-test=sessions]`, "arbora at a terminal"),
		browser.Click(`button[aria-label="Remove passkey field laptop"]`),
		browser.SeeNot(`[data-test=passkeys]`, "field laptop"),
	))
}
