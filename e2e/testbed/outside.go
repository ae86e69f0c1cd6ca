package testbed

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/standin/identity"
)

// Identity starts a provider that knows the people of the Quaywater Seed Exchange.
func Identity(t testing.TB) *identity.Provider {
	p, err := identity.Start("127.0.0.1:0", "Quaywater Seed Exchange", identity.Quaywater())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, p.Close()) })
	return p
}

// Trusted has an organisation's provider, called quaywater-sso, be trusted by a provider that answers. It is tried and in use.
func Trusted(t testing.TB, b *Bed, steward *client.Client, p *identity.Provider) api.Trust {
	require.NoError(t, client.Done(steward.CreateProvider(t.Context(), "lindenmere", api.ProviderNew{Name: "quaywater-sso", Title: "Quaywater Seed Exchange"})))
	made, err := steward.CreateTrust(t.Context(), "lindenmere", "quaywater-sso", api.TrustWanted{Issuer: p.Issuer(), ClientId: identity.ClientID, Secret: identity.Secret, Scopes: []string{"profile", "email"}})
	require.NoError(t, err)
	trial, err := steward.BeginTrial(t.Context(), "lindenmere", "quaywater-sso", made.Trust.Id)
	require.NoError(t, err)
	Visit(t, NewBrowser(t), trial.Address, "q-4711")
	require.NoError(t, client.Done(steward.SetTrustState(t.Context(), "lindenmere", "quaywater-sso", made.Trust.Id, nil, api.TrustStateWanted{State: api.TrustInUse})))
	return made.Trust
}

// NewBrowser returns a client that keeps cookies, as a browser does.
func NewBrowser(t testing.TB) *http.Client {
	browser, err := identity.NewBrowser()
	require.NoError(t, err)
	return browser
}

// Visit opens an address that leads to a provider, signs in there as a subject unless somebody is signed in, and tells where that led.
func Visit(t testing.TB, browser *http.Client, address, subject string) *url.URL {
	at, err := identity.Visit(t.Context(), browser, address, subject)
	require.NoError(t, err)
	return at
}

// SessionIn tells who is signed in in a browser; a problem's type where nobody is.
func SessionIn(t testing.TB, b *Bed, browser *http.Client) (session api.Session, problem string) {
	answer, err := browser.Get(b.Address + "/api/v1/session")
	require.NoError(t, err)
	defer func() { require.NoError(t, answer.Body.Close()) }()
	text, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	if answer.StatusCode != http.StatusOK {
		var p api.Problem
		require.NoError(t, json.Unmarshal(text, &p))
		return session, p.Type
	}
	require.NoError(t, json.Unmarshal(text, &session))
	return session, ""
}

// Told tells why a browser was sent back without being let in, from the address that it was sent to.
func Told(t testing.TB, b *Bed, at *url.URL) api.SignInOutcome {
	_, token, found := strings.Cut(at.Fragment, "told=")
	require.True(t, found, "it was sent to %s", at)
	anybody, err := client.Open(b.Address, "")
	require.NoError(t, err)
	told, err := anybody.ReadSignInOutcome(t.Context(), api.OutcomeToken{Token: token})
	require.NoError(t, err)
	return told
}
