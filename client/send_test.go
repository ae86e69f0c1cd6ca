package client_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
)

// TestWhatIsAsked sees what methods send: paths with their values escaped, only those parameters that are given, and bodies as JSON.
func TestWhatIsAsked(t *testing.T) {
	var method, address, body string
	stub := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var content any
		text := []byte("null")
		if json.NewDecoder(r.Body).Decode(&content) == nil {
			text, _ = json.Marshal(content)
		}
		method, address, body = r.Method, r.URL.String(), string(text)
		w.Write([]byte(`{"revision": 3}`))
	}))
	defer stub.Close()
	c, err := client.Open(stub.URL, "")
	require.NoError(t, err)
	at := time.Date(2026, 11, 28, 9, 30, 0, 5, time.UTC)
	two, yes, no := 2, true, false
	for _, each := range []struct {
		name string
		ask  func() error
		sent string
	}{
		{"values in the path", func() error {
			return client.Done(c.ShowPrincipal(t.Context(), "lindenmere", api.GuestKind, "juno@quaywater/x y"))
		}, "GET /api/v1/organisations/lindenmere/principals/guest/juno@quaywater%2Fx%20y null"},
		{"no parameters", func() error { return client.Done(c.ListPeople(t.Context(), "lindenmere", nil)) }, "GET /api/v1/organisations/lindenmere/people null"},
		{"some parameters", func() error {
			return client.Done(c.ListPeople(t.Context(), "lindenmere", &api.ListPeopleParams{Limit: two}))
		}, "GET /api/v1/organisations/lindenmere/people?limit=2 null"},
		{"a moment and a text", func() error {
			text := "a & b"
			return client.Done(c.ListAuditRecords(t.Context(), "lindenmere", &api.ListAuditRecordsParams{From: at, Text: text}))
		}, "GET /api/v1/organisations/lindenmere/audit-records?from=2026-11-28T09%3A30%3A00.000000005Z&text=a+%26+b null"},
		{"a body", func() error {
			return client.Done(c.AddMember(t.Context(), "lindenmere", "curators", &api.AddMemberParams{Preview: yes}, api.PrincipalRef{Kind: "user", Name: "bram"}))
		}, `POST /api/v1/organisations/lindenmere/groups/curators/members?preview=true {"kind":"user","name":"bram"}`},
		{"no preview", func() error {
			return client.Done(c.RevokeGrant(t.Context(), "7", &api.RevokeGrantParams{Preview: no}))
		}, "DELETE /api/v1/grants/7 null"},
		{"a preview of its own", func() error {
			return client.Done(c.PreviewCreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "weeders"}))
		}, `POST /api/v1/organisations/lindenmere/groups?preview=true {"name":"weeders"}`},
	} {
		t.Run(each.name, func(t *testing.T) {
			require.NoError(t, each.ask())
			require.Equal(t, each.sent, fmt.Sprint(method, " ", address, " ", body))
		})
	}
}

// TestWithLeavesTheClientAsItIs makes clients from one another: options of one say nothing of another.
func TestWithLeavesTheClientAsItIs(t *testing.T) {
	var as, least string
	stub := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		as, least = r.Header.Get("View-As"), r.Header.Get("At-Least-Revision")
		w.Write([]byte("{}"))
	}))
	defer stub.Close()
	plain, err := client.Open(stub.URL, "")
	require.NoError(t, err)
	bram, err := plain.With(client.ViewingAs(api.UserKind, "bram"))
	require.NoError(t, err)
	later, err := plain.With(client.AtLeast(7))
	require.NoError(t, err)
	for _, each := range []struct {
		c         *client.Client
		as, least string
	}{{plain, "", ""}, {bram, "user bram", ""}, {later, "", "7"}, {plain, "", ""}} {
		require.NoError(t, client.Done(each.c.GetSession(t.Context())))
		require.Equal(t, []string{each.as, each.least}, []string{as, least})
	}
}
