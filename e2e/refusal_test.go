package e2e

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/standin/loam/loamapi"
	"arbora.example/store"
)

// recorded gives what the audit log says of an event, in any organisation and in none, as WHO: WHAT.
func recorded(t *testing.T, b *testbed.Bed, event string) (told []string) {
	require.NoError(t, b.Records.EachAudit(t.Context(), func(r store.AuditRecord) error {
		if r.Event == event {
			told = append(told, r.Organisation+" "+r.Author.Name+": "+r.Detail)
		}
		return nil
	}))
	return told
}

// TestWhatOpensNothingIsRecorded shows keys, tokens and links that open nothing. What is shown again and again is recorded once.
func TestWhatOpensNothingIsRecorded(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateServiceAccount(t.Context(), digitising, nil, api.AccountNew{Name: "label-indexer"})))
	made, err := client.Read[api.KeyMade](rowan.CreateKey(t.Context(), "lindenmere", api.ServiceAccountKind, digitising+"/label-indexer", api.KeyNew{}))
	require.NoError(t, err)
	show := func(secret string) int {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, b.Address+"/oauth/token", strings.NewReader("grant_type=client_credentials"))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.SetBasicAuth(made.Key.Id, secret)
		response, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		return response.StatusCode
	}
	require.Equal(t, 401, show("not it"))
	require.Equal(t, []string{"lindenmere nobody: API key " + made.Key.Id + " was shown with a wrong secret, or is not there"}, recorded(t, b, "key-failed"))
	require.NoError(t, client.Done(rowan.WithdrawKey(t.Context(), made.Key.Id)))
	require.Equal(t, 401, show(made.Secret))
	require.Len(t, recorded(t, b, "key-failed"), 2)

	for range 20 {
		testbed.Problem(t, 401, client.Done(with(t, b, "made-up").GetSession(t.Context())))
	}
	require.Equal(t, []string{" nobody: a token was shown that opens nothing: this service does not know your session"}, recorded(t, b, "token-failed"))
	testbed.Problem(t, 401, client.Done(with(t, b, "").GetSession(t.Context())))
	require.Len(t, recorded(t, b, "token-failed"), 1, "no token is no wrong one")

	require.Error(t, client.Done(rowan.UseLink(t.Context(), api.LinkUse{Token: "made-up", Password: "eleven-quiet-otters-swim"})))
	require.Equal(t, []string{" nobody: a link was opened that is not there"}, recorded(t, b, "link-failed"))
}

// TestWhatPlatformServicesRefuseIsRecorded tries in Loam what one may not: what was tried is recorded, what a page shows is not.
func TestWhatPlatformServicesRefuseIsRecorded(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	nils := b.Newcomer(t, "nils").Loam()
	b.Grant(t, "observer", "user", "nils", digitising)
	_, err := nils.Here(t.Context(), digitising)
	require.NoError(t, err)
	require.Empty(t, recorded(t, b, "refused"), "looking is not trying")
	for range 3 {
		_, err = act(t, nils, scans, "retire", loamapi.Input{})
		testbed.Problem(t, http.StatusForbidden, err)
	}
	require.Equal(t, []string{`lindenmere service storage for user nils: lacked the permission "retire bucket" at ` + scans}, recorded(t, b, "refused"))
	_, err = act(t, nils, digitising+"/nowhere.bucket", "retire", loamapi.Input{})
	require.Error(t, err)
	require.Len(t, recorded(t, b, "refused"), 1, "what is not there was refused to nobody")
}

// TestRefusalsAreBounded has somebody be refused more often than they may make changes.
func TestRefusalsAreBounded(t *testing.T) {
	b := testbed.StartDemo(t)
	warden, tomas := b.As(t, "warden"), b.As(t, "tomas@lindenmere")
	require.NoError(t, client.Done(warden.SetQuotas(t.Context(), "lindenmere", api.Quotas{Writes: ptr(6)})))
	statuses := map[int]int{}
	for range 9 {
		response, err := tomas.CreateGroup(t.Context(), "lindenmere", nil, api.GroupNew{Name: "mine"})
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		statuses[response.StatusCode]++
	}
	require.Equal(t, map[int]int{403: 3, 429: 6}, statuses, "a change that is refused counts as one, and so does its refusal")
	require.Len(t, recorded(t, b, "refused"), 3)
}
