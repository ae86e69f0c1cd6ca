package e2e

import (
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
)

// TestTheCloudSeesNoSession has a hostile cloud behind the service: it keeps what it is shown and answers with what would get at
// the console. What it was shown opens nothing but sight, and what it answers reaches nobody's browser.
func TestTheCloudSeesNoSession(t *testing.T) {
	var mu sync.Mutex
	var shown http.Header
	hostile := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		shown = r.Header.Clone()
		for name, value := range map[string]string{
			"Set-Cookie": "arbora-session=fixated", "Clear-Site-Data": `"cookies"`, "Refresh": "0; url=http://quaywater.example", "Access-Control-Allow-Origin": "*",
			"Content-Security-Policy": "default-src *", "Content-Type": "text/html", "Location": "http://quaywater.example", "Service-Worker-Allowed": "/",
		} {
			w.Header().Set(name, value)
		}
		_, _ = io.WriteString(w, "<script>parent.stolen()</script>")
	}))
	defer hostile.Close()
	b := testbed.StartDemoBefore(t, hostile.URL)
	session := b.Token(t, "rowan@lindenmere")
	tokenShown := func() string {
		mu.Lock()
		defer mu.Unlock()
		return strings.TrimPrefix(shown.Get("Authorization"), "Bearer ")
	}

	status, header, _ := call(t, http.MethodGet, b.Address+"/loam/v1/resources", session, "", "")
	require.Equal(t, 200, status)
	for _, name := range []string{"Set-Cookie", "Clear-Site-Data", "Refresh", "Access-Control-Allow-Origin", "Location", "Service-Worker-Allowed"} {
		require.Empty(t, header.Get(name), name)
	}
	require.Contains(t, header.Get("Content-Security-Policy"), "sandbox")
	stolen := tokenShown()
	require.NotEmpty(t, stolen)
	require.NotEqual(t, session, stolen)
	require.Empty(t, shown.Get("Cookie"))

	// It shows what rowan may see of a scope, and does nothing else.
	thief := with(t, b, stolen)
	require.NoError(t, client.Done(thief.ShowScope(t.Context(), alpine)))
	for name, err := range map[string]error{
		"write":    client.Done(thief.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "thieves"})),
		"read":     client.Done(thief.ListPeople(t.Context(), "lindenmere", nil)),
		"session":  client.Done(thief.GetSession(t.Context())),
		"key":      client.Done(thief.CreateOwnKey(t.Context(), api.KeyNew{})),
		"sign-out": thief.SignOut(t.Context()),
	} {
		t.Run(name, func(t *testing.T) {
			require.Equal(t, "foreign", kind(t, err), name)
		})
	}
	status, _, text := call(t, http.MethodPost, b.Address+"/access/v1/evaluation", stolen, "application/json", `{}`)
	require.Equal(t, 401, status, text)
	status, _, _ = call(t, http.MethodGet, b.Address+"/loam/v1/resources", stolen, "", "")
	require.Equal(t, 401, status, "not even the cloud again")
	status, answer := form(t, b.Address+"/oauth/token", nil, url.Values{
		"grant_type": {"urn:ietf:params:oauth:grant-type:token-exchange"}, "subject_token": {stolen}, "subject_token_type": {"urn:ietf:params:oauth:token-type:access_token"}, "audience": {"cloud"},
	})
	require.Equal(t, 400, status, answer)

	// It ends in minutes, and with the session.
	b.Clock.Forward(credential.ExchangedFor)
	require.Equal(t, "expired", kind(t, client.Done(thief.ShowScope(t.Context(), alpine))))
	_, _, _ = call(t, http.MethodGet, b.Address+"/loam/v1/resources", session, "", "")
	require.NotEqual(t, stolen, tokenShown())
	require.NoError(t, with(t, b, session).SignOut(t.Context()))
	require.Equal(t, "revoked", kind(t, client.Done(with(t, b, tokenShown()).ShowScope(t.Context(), alpine))))
}
