package e2e

import (
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestKeysThatALeaverIssuedAreExchanged exchanges them: the new key may what the old one might, which ends at once or a little later.
func TestKeysThatALeaverIssuedAreExchanged(t *testing.T) {
	b := testbed.StartDemo(t)
	ctx := t.Context()
	const printer = digitising + "/label-printer"
	machine(t, b, "label-printer")
	b.Grant(t, "steward", "user", "yuki", "lindenmere")
	yuki, rowan, oona := b.As(t, "yuki@lindenmere"), b.As(t, "rowan@lindenmere"), b.As(t, "oona@lindenmere")
	until := b.Clock.Now().Add(30 * 24 * time.Hour).UTC().Truncate(time.Second)
	old, err := yuki.CreateKey(ctx, "lindenmere", api.ServiceAccountKind, printer, api.KeyNew{Label: "labels", Until: until, Governs: true})
	require.NoError(t, err)
	require.NoError(t, client.Done(rowan.SetState(ctx, "lindenmere", api.UserKind, "yuki", nil, api.StateChange{State: api.StateRetired})))
	issued, err := rowan.ListIssuedKeys(ctx, "lindenmere", api.UserKind, "yuki")
	require.NoError(t, err)
	require.Len(t, issued.Keys, 1)
	require.Equal(t, api.PrincipalRef{Kind: api.ServiceAccountKind, Name: printer}, issued.Keys[0].Of)
	works := func(key api.KeyMade) bool {
		status, _ := form(t, b.Address+"/oauth/token", &key, url.Values{"grant_type": {"client_credentials"}})
		return status == 200
	}
	exchange := func(who *client.Client, key string, keep int) (api.KeyMade, error) {
		return who.ExchangeKey(ctx, key, api.KeyExchange{KeepOldFor: &keep})
	}
	_, err = exchange(oona, old.Key.Id, 0)
	testbed.Problem(t, 404, err)
	_, err = exchange(rowan, noSuchID, 0)
	testbed.Problem(t, 404, err)
	require.True(t, works(old))
	second, err := exchange(rowan, old.Key.Id, 60)
	require.NoError(t, err)
	require.Equal(t, []any{"labels", until, true, "rowan@lindenmere"}, []any{second.Key.Label, second.Key.Until.UTC(), second.Key.Governs, second.Key.CreatedBy})
	require.True(t, works(old))
	require.True(t, works(second))
	b.Clock.Forward(time.Hour)
	require.False(t, works(old))
	_, err = exchange(rowan, old.Key.Id, 0)
	require.Contains(t, testbed.Problem(t, 409, err).Detail, "no longer works")
	_, err = exchange(rowan, second.Key.Id, 0)
	require.Equal(t, "proof-needed", kind(t, err))
	rowan = b.As(t, "rowan@lindenmere")
	third, err := exchange(rowan, second.Key.Id, 0)
	require.NoError(t, err)
	require.False(t, works(second), "at once")
	require.True(t, works(third))

	// In the console, on the page of another who left.
	mine, err := b.As(t, "maeve@lindenmere").CreateKey(ctx, "lindenmere", api.ServiceAccountKind, printer, api.KeyNew{Label: "nightly"})
	require.NoError(t, err)
	require.NoError(t, client.Done(rowan.SetState(ctx, "lindenmere", api.UserKind, "maeve", nil, api.StateChange{State: api.StateRetired})))
	console := openConsole(t, b)
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		browser.See(`[role=tree]`, "gardens"),
		console.Open("/people/maeve"),
		browser.See(`[data-test=issued] tr`, "label-printer of digitising nightly"),
		browser.Click(`button[aria-label="Exchange key nightly"]`),
		browser.Click(`[data-test=confirm-change]`),
		browser.See(`[data-test=secret]`, "shown this once"),
		browser.SeeNot(`[data-test=issued] tr`, "nightly"),
	))
	require.False(t, works(mine))
}
