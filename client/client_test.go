package client_test

import (
	"errors"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/client"
)

func TestOpenWantsAnAddress(t *testing.T) {
	for _, bad := range []string{"", "127.0.0.1:8420", "ftp://127.0.0.1"} {
		_, err := client.Open(bad, "")
		require.ErrorContains(t, err, "write it as http://HOST:PORT")
	}
}

// TestAnswers reads answers of all sorts, from services that are Arbora and that are not.
func TestAnswers(t *testing.T) {
	var answer func(w http.ResponseWriter, r *http.Request)
	stub := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { answer(w, r) }))
	defer stub.Close()
	c, err := client.Open(stub.URL+"/", "a-token")
	require.NoError(t, err)
	write := func(status int, text string) {
		answer = func(w http.ResponseWriter, r *http.Request) {
			w.WriteHeader(status)
			w.Write([]byte(text))
		}
	}

	answer = func(w http.ResponseWriter, r *http.Request) {
		require.Equal(t, "Bearer a-token", r.Header.Get("Authorization"))
		require.Equal(t, "/api/v1/scopes/lindenmere%2Fgardens%2Fa.bucket", r.URL.EscapedPath())
		w.Write([]byte(`{"address":"lindenmere/gardens/a.bucket"}`))
	}
	scope, err := c.ShowScope(t.Context(), "lindenmere/gardens/a.bucket")
	require.NoError(t, err)
	require.Equal(t, "lindenmere/gardens/a.bucket", scope.Address)

	write(404, `{"status":404,"detail":"there is no scope","next":"did you mean x?"}`)
	_, err = c.ShowScope(t.Context(), "x")
	var problem *client.Error
	require.True(t, errors.As(err, &problem))
	require.Equal(t, 404, problem.Status)
	require.EqualError(t, err, "there is no scope: did you mean x?")
	write(403, `{"status":403,"detail":"refused"}`)
	require.EqualError(t, c.SignOut(t.Context()), "refused")

	write(502, "<html>bad gateway</html>")
	require.ErrorContains(t, c.SignOut(t.Context()), "not as Arbora does: is the address right?")
	write(200, "<html>hello</html>")
	_, err = c.ShowScope(t.Context(), "x")
	require.ErrorContains(t, err, "cannot be read")
	write(204, "")
	require.NoError(t, c.SignOut(t.Context()))

	stub.Close()
	var unreachable *client.Unreachable
	require.True(t, errors.As(c.SignOut(t.Context()), &unreachable))
	require.Contains(t, unreachable.Error(), "cannot be reached")
	require.Error(t, errors.Unwrap(unreachable))
}

// TestConnectionsAreUsedAgain: what an answer holds beyond what is read of it costs no connection.
func TestConnectionsAreUsedAgain(t *testing.T) {
	var connections atomic.Int32
	stub := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.WriteHeader(http.StatusCreated)
		w.(http.Flusher).Flush()
		w.Write([]byte(`{"address":"lindenmere"}` + strings.Repeat(" ", 20_000)))
	}))
	stub.Config.ConnState = func(_ net.Conn, state http.ConnState) {
		if state == http.StateNew {
			connections.Add(1)
		}
	}
	stub.Start()
	defer stub.Close()
	c, err := client.Open(stub.URL, "")
	require.NoError(t, err)
	for range 5 {
		require.NoError(t, c.SignOut(t.Context()))
		_, err := c.ShowScope(t.Context(), "lindenmere")
		require.NoError(t, err)
	}
	require.EqualValues(t, 1, connections.Load())
}
