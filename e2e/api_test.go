package e2e

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
)

// TestWhatIsRecordedAsRefused asks for what bram may not have: as a page does by itself, and as a person or a program.
func TestWhatIsRecordedAsRefused(t *testing.T) {
	b := testbed.StartDemo(t)
	b.Newcomer(t, "nils")
	b.Grant(t, "observer", "user", "nils", alpine)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	browser := &http.Client{Jar: jar}
	csrf := ""
	send := func(method, path, token, body string) int {
		r, err := http.NewRequestWithContext(t.Context(), method, b.Address+"/api/v1"+path, bytes.NewReader([]byte(body)))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("X-CSRF-Token", csrf)
		if token != "" {
			r.Header.Set("Authorization", "Bearer "+token)
		}
		response, err := browser.Do(r)
		require.NoError(t, err)
		defer response.Body.Close()
		var s api.Session
		if path == "/session" {
			require.NoError(t, json.NewDecoder(response.Body).Decode(&s))
			csrf = s.Csrf
		}
		return response.StatusCode
	}
	recorded := func() (count int) {
		require.NoError(t, b.Records.EachAudit(t.Context(), func(r store.AuditRecord) error {
			if r.Event == "refused" {
				count++
			}
			return nil
		}))
		return count
	}
	before := recorded()
	require.Equal(t, 200, send("POST", "/session", "", fmt.Sprintf(`{"name":"nils@lindenmere","password":%q}`, demo.Passphrase)))
	grant := `{"principal":{"kind":"user","name":"nils"},"role":"steward"}`
	grants := "/scopes/" + url.PathEscape(alpine) + "/grants"
	require.Equal(t, 403, send("GET", "/organisations/lindenmere/audit-records", "", ""))
	require.Equal(t, 403, send("POST", grants+"?preview=true", "", grant))
	require.Equal(t, before, recorded(), "a page asked by itself")
	require.Equal(t, 403, send("POST", grants, "", grant))
	require.Equal(t, 403, send("POST", "/organisations/lindenmere/principals/user/bram/keys?preview=true", "", `{}`))
	require.Equal(t, before+2, recorded(), "issuing a key has no preview")
	token := b.Token(t, "nils@lindenmere")
	require.Equal(t, 403, send("GET", "/organisations/lindenmere/audit-records", token, ""))
	require.Equal(t, 403, send("POST", grants+"?preview=true", token, grant))
	require.Equal(t, before+4, recorded(), "a program asked because it was told to")
}

// TestCookies signs in as a browser does: the cookie is out of scripts' reach, and a write needs the CSRF token.
func TestCookies(t *testing.T) {
	b := testbed.StartDemo(t)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	browser := &http.Client{Jar: jar}
	send := func(method, path, csrf, body string) (*http.Response, api.Session) {
		r, err := http.NewRequestWithContext(t.Context(), method, b.Address+"/api/v1"+path, bytes.NewReader([]byte(body)))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		if csrf != "" {
			r.Header.Set("X-CSRF-Token", csrf)
		}
		response, err := browser.Do(r)
		require.NoError(t, err)
		defer response.Body.Close()
		var s api.Session
		if response.StatusCode == 200 {
			require.NoError(t, json.NewDecoder(response.Body).Decode(&s))
		}
		return response, s
	}
	response, session := send("POST", "/session", "", fmt.Sprintf(`{"name":"rowan@lindenmere","password":%q}`, demo.Passphrase))
	require.Equal(t, 200, response.StatusCode)
	cookie := response.Header.Get("Set-Cookie")
	require.Contains(t, cookie, "HttpOnly")
	require.Contains(t, cookie, "SameSite=Strict")
	require.Zero(t, session.Token)
	response, _ = send("GET", "/session", "", "")
	require.Equal(t, 200, response.StatusCode)
	for _, wrong := range []string{"", "wrong"} {
		response, _ = send("POST", "/organisations/lindenmere/groups", wrong, `{"name":"forged"}`)
		require.Equal(t, 403, response.StatusCode)
	}
	response, _ = send("POST", "/organisations/lindenmere/groups", session.Csrf, `{"name":"meant"}`)
	require.Equal(t, 201, response.StatusCode)

	page, err := browser.Get(b.Address + "/")
	require.NoError(t, err)
	page.Body.Close()
	require.Contains(t, page.Header.Get("Content-Security-Policy"), "default-src 'none'")
}

// TestInstancesFollowEachOther runs two services on one database.
func TestInstancesFollowEachOther(t *testing.T) {
	dsn := testbed.DSN(t)
	first, second := testbed.Start(t, testbed.OpenRecords(t, dsn)), testbed.Start(t, testbed.OpenRecords(t, dsn))
	_, _, err := first.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), first.Address))
	there := second.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "from-second"})))
	here := first.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(here.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "from-first"})), "a write is made on the newest state")
	testbed.Problem(t, 409, client.Done(there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "from-first"})))

	require.Zero(t, first.Whole.Load(), "it made the organisation")
	require.EqualValues(t, 1, second.Whole.Load())
	require.NoError(t, client.Done(there.ChangeSettings(t.Context(), "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 7}})))

	// Without following: whoever was told a revision may ask for it, or a later one.
	told, err := there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "told"})
	require.NoError(t, err)
	testbed.Problem(t, 404, client.Done(here.ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "told")))
	asks := func(revision int64) *client.Client {
		c, err := client.Open(first.Address, first.Token(t, "rowan@lindenmere"), client.AtLeast(revision))
		require.NoError(t, err)
		return c
	}
	require.Contains(t, testbed.Problem(t, 409, client.Done(asks(told.Revision+1).ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "told"))).Detail, "not yet at")
	require.NoError(t, client.Done(asks(told.Revision).ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "told")))

	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	go first.Service.Follow(ctx, 10*time.Millisecond)
	require.NoError(t, client.Done(there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "followed"})))
	require.Eventually(t, func() bool {
		return client.Done(here.ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "followed")) == nil
	}, time.Minute, 10*time.Millisecond)
	settings, err := here.ShowSettings(t.Context(), "lindenmere")
	require.NoError(t, err)
	require.Equal(t, 7, settings.KeysEach, "settings are followed, too")
	require.Zero(t, first.Whole.Load(), "what was followed was not read whole")

	// Records of earlier versions do not tell the changes: then it is.
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	stop()
	require.NoError(t, client.Done(there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "of-old"})))
	_, err = db.ExecContext(t.Context(), "UPDATE change_record SET changes = NULL WHERE changes LIKE '%of-old%'")
	require.NoError(t, err)
	require.NoError(t, client.Done(here.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "of-late"})))
	require.NoError(t, client.Done(here.ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "of-old")))
	require.EqualValues(t, 1, first.Whole.Load())
}

// TestDatabaseGone takes the database away for a while: requests get a 503 that says so, the service goes on by itself,
// and every acknowledged write is there.
func TestDatabaseGone(t *testing.T) {
	directory := t.TempDir()
	server, err := mariadbd.Start(t.Context(), directory)
	require.NoError(t, err)
	t.Cleanup(func() { server.Stop() })
	require.NoError(t, server.Create(t.Context(), "records"))
	b := testbed.Start(t, testbed.OpenRecords(t, server.DSN("records")))
	_, _, err = b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), b.Address))
	rowan := b.As(t, "rowan@lindenmere")

	var acknowledged []string
	killed := make(chan struct{})
	go func() {
		defer close(killed)
		assert.NoError(t, server.Kill())
	}()
	for n := 0; n < 10_000; n++ {
		name := fmt.Sprint("written-", n)
		err := client.Done(rowan.CreateScope(t.Context(), alpine, api.ScopeNew{Kind: "resource", Type: "bucket", Name: name}))
		if err != nil {
			p := testbed.Problem(t, 503, err)
			require.Contains(t, p.Detail, "the database cannot be reached")
			break
		}
		acknowledged = append(acknowledged, name+".bucket")
	}
	<-killed
	testbed.Problem(t, 503, client.Done(rowan.ShowTree(t.Context(), "lindenmere", nil)))
	status, header, _ := call(t, "GET", b.Address+"/api/v1/status", "", "", "")
	require.Equal(t, 503, status)
	require.NotEmpty(t, header.Get("Retry-After"))

	require.NoError(t, server.Restart(t.Context()))
	tree, err := rowan.ShowTree(t.Context(), alpine, nil)
	require.NoError(t, err)
	var there []string
	for _, n := range tree.Scopes {
		there = append(there, n.Name)
	}
	for _, name := range acknowledged {
		require.True(t, slices.Contains(there, name), "%s was acknowledged and is lost", name)
	}
	require.NoError(t, client.Done(rowan.CreateScope(t.Context(), alpine, api.ScopeNew{Kind: "resource", Type: "bucket", Name: "afterwards"})))
	require.NoError(t, b.Records.CheckAudit(t.Context()))
}

func TestEmptyServiceSaysSo(t *testing.T) {
	b := testbed.Start(t, testbed.Records(t))
	status, _, text := call(t, "GET", b.Address+"/api/v1/status", "", "", "")
	require.Equal(t, 200, status)
	require.Contains(t, text, `"empty":true`)
	require.Contains(t, text, "arbora init")
	for _, path := range []string{"/session", "/organisations", "/scopes/lindenmere"} {
		status, _, text = call(t, "GET", b.Address+"/api/v1"+path, "", "", "")
		require.Equal(t, 409, status)
		require.Contains(t, text, "nobody has set this service up yet")
	}
	_, err := demo.SignIn(t.Context(), b.Address, "rowan@lindenmere", demo.Passphrase)
	require.ErrorContains(t, err, "arbora init")
}
