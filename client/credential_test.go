package client_test

import (
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/client"
)

// TestKeysAreTurnedIntoTokens gets a token when it is first needed, keeps it while it lasts, and tells what kept it from
// getting one as the service told it.
func TestKeysAreTurnedIntoTokens(t *testing.T) {
	var turned atomic.Int64
	answer := `{"access_token":"a.b.c","token_type":"Bearer","expires_in":900}`
	status := http.StatusOK
	mux := http.NewServeMux()
	mux.HandleFunc("POST /oauth/token", func(w http.ResponseWriter, r *http.Request) {
		turned.Add(1)
		id, secret, _ := r.BasicAuth()
		if id != "id" || secret != "secret" || r.PostFormValue("grant_type") != "client_credentials" || r.PostFormValue("organisation") != "lindenmere" {
			t.Errorf("asked as %s with %s", id, r.PostForm)
		}
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		w.Write([]byte(answer))
	})
	mux.HandleFunc("GET /api/v1/session", func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer a.b.c" || r.Header.Get("View-As") != "user bram" || r.Header.Get("If-Match") != `"1.x"` {
			t.Errorf("called with %v", r.Header)
		}
		w.Write([]byte("{}"))
	})
	server := httptest.NewServer(mux)
	defer server.Close()
	key := client.APIKey{ID: "id", Secret: "secret", Organisation: "lindenmere"}
	open := func() *client.Client {
		c, err := client.OpenByKey(server.URL+"/", key, client.ViewingAs("user", "bram"), client.Confirmed("1.x"))
		require.NoError(t, err)
		return c
	}
	c := open()
	require.Zero(t, turned.Load(), "nothing is asked before it is needed")
	for range 3 {
		require.NoError(t, client.Done(c.GetSession(t.Context())))
	}
	require.EqualValues(t, 1, turned.Load())

	status = http.StatusUnauthorized
	answer = `{"error":"invalid_client","error_description":"the API key was revoked: ask for another","error_uri":"urn:arbora:problem:revoked","detail":"the API key was taken back","next":"ask for another"}`
	var e *client.Error
	require.ErrorAs(t, client.Done(open().GetSession(t.Context())), &e)
	require.Equal(t, "revoked", e.Kind())
	require.Equal(t, 401, e.Status)
	require.Equal(t, "the API key was taken back", e.Detail)
	require.Equal(t, "ask for another", e.Next)
	status = http.StatusServiceUnavailable
	answer = `{"type":"urn:arbora:problem:unavailable","title":"x","status":503,"detail":"the database cannot be reached at the moment"}`
	require.ErrorAs(t, client.Done(open().GetSession(t.Context())), &e)
	require.Equal(t, "unavailable", e.Kind())
	answer = "no JSON at all"
	require.Error(t, client.Done(open().GetSession(t.Context())))

	server.Close()
	var gone *client.Unreachable
	require.ErrorAs(t, client.Done(open().GetSession(t.Context())), &gone)
	require.Equal(t, server.URL+"/", gone.Address)
	_, err := client.AskForDevice(t.Context(), server.URL, "a test")
	require.ErrorAs(t, err, &gone)
	_, err = client.OpenByKey("nowhere", key)
	require.ErrorContains(t, err, "not the address of a service")
}
