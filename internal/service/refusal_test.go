package service_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
)

// TestWhatOpensNothingIsRecorded shows keys, tokens and links that open nothing. What is shown again and again is recorded once.
func TestWhatOpensNothingIsRecorded(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateServiceAccount(t.Context(), digitising, api.AccountNew{Name: "label-indexer"})))
	made, err := rowan.CreateKey(t.Context(), "lindenmere", api.ServiceAccountKind, digitising+"/label-indexer", api.KeyNew{})
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
	require.NoError(t, rowan.WithdrawKey(t.Context(), made.Key.Id))
	require.Equal(t, 401, show(made.Secret))
	require.Len(t, recorded(t, b, "key-failed"), 2)

	for range 20 {
		testbed.Problem(t, 401, client.Done(with(t, b, "made-up").GetSession(t.Context())))
	}
	require.Equal(t, []string{" nobody: an unknown token was used: this service does not know your session"}, recorded(t, b, "token-failed"))
	testbed.Problem(t, 401, client.Done(with(t, b, "").GetSession(t.Context())))
	require.Len(t, recorded(t, b, "token-failed"), 1, "no token is no wrong one")

	require.Error(t, client.Done(rowan.UseLink(t.Context(), api.LinkUse{Token: "made-up", Password: "eleven-quiet-otters-swim"})))
	require.Equal(t, []string{" nobody: a link was opened that is not there"}, recorded(t, b, "link-failed"))
}

// TestRefusalsAreBounded has somebody be refused more often than they may make changes.
func TestRefusalsAreBounded(t *testing.T) {
	b := testbed.InMemory(t)
	warden, tomas := b.As(t, "warden"), b.As(t, "tomas@lindenmere")
	require.NoError(t, client.Done(warden.SetQuotas(t.Context(), "lindenmere", api.Quotas{Writes: ptr(6)})))
	statuses := map[int]int{}
	for range 9 {
		_, err := tomas.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "mine"})
		statuses[statusOf(t, err)]++
	}
	require.Equal(t, map[int]int{403: 3, 429: 6}, statuses, "a change that is refused counts as one, and so does its refusal")
	require.Len(t, recorded(t, b, "refused"), 3)
}

// TestKeepersReadTheLogOfTheInstallation reads what belongs to no organisation, as a keeper and as a steward.
func TestKeepersReadTheLogOfTheInstallation(t *testing.T) {
	b := testbed.InMemory(t)
	warden, rowan := b.As(t, "warden"), b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(warden.CreateServiceKey(t.Context(), "storage", api.KeyNew{})))
	testbed.Problem(t, 401, client.Done(with(t, b, "").SignIn(t.Context(), api.SignIn{Name: "nobody-at-all", Password: "not it at all, sorry"})))
	list, err := warden.ListInstallationAuditRecords(t.Context(), nil)
	require.NoError(t, err)
	events := map[string]bool{}
	for _, r := range list.Records {
		events[string(r.Event)] = true
	}
	for _, event := range []string{"sign-in", "key-issued", "sign-in-failed"} {
		require.True(t, events[event], event)
	}
	testbed.Problem(t, 403, client.Done(rowan.ListInstallationAuditRecords(t.Context(), nil)))
	testbed.Problem(t, 403, client.Done(warden.ListAuditRecords(t.Context(), "lindenmere", nil)))
}

// TestAnEditOfNothingTellsNothing has somebody who sees nobody edit people and groups without altering anything: whether they are
// there, or what they have, is not told.
func TestAnEditOfNothingTellsNothing(t *testing.T) {
	b := testbed.InMemory(t)
	nils := b.Newcomer(t, "nils")
	before := recorded(t, b, "change")
	edit := func(kind api.PrincipalKind, name string, wanted api.PrincipalEdit) string {
		err := client.Done(nils.EditPrincipal(t.Context(), "lindenmere", kind, name, nil, wanted))
		require.Error(t, err)
		return strings.ReplaceAll(err.Error(), name, "NAME")
	}
	for kind, names := range map[api.PrincipalKind][2]string{api.UserKind: {"rowan", "rowann"}, api.GroupKind: {"seed-curators", "seed-curator"}} {
		for _, wanted := range []api.PrincipalEdit{{}, {Was: &api.AsRead{Email: ptr("rowan@lindenmere.example")}}, {Title: ptr("Another"), Was: &api.AsRead{Title: ptr("x")}}} {
			require.Equal(t, edit(kind, names[0], wanted), edit(kind, names[1], wanted))
		}
	}
	require.Equal(t, before, recorded(t, b, "change"), "nor was anything written")
}

// TestATokenForNoOrganisationOpensNone asks as a platform service that did not say where it wants to work.
func TestATokenForNoOrganisationOpensNone(t *testing.T) {
	b := testbed.InMemory(t)
	key, err := b.As(t, "warden").CreateServiceKey(t.Context(), "storage", api.KeyNew{})
	require.NoError(t, err)
	token := accessToken(t, b, key)
	p := testbed.Problem(t, 403, client.Done(with(t, b, token).ShowScope(t.Context(), alpine)))
	require.Contains(t, p.Next, "organisation=NAME")
	for _, path := range []string{"evaluation", "search/resource"} {
		status, answer := authzen(t, b, token, path, `{"subject":{"type":"user","id":"tomas"},"action":{"name":"list"},"resource":{"type":"bucket","id":"`+alpine+`"}}`)
		require.Equal(t, 403, status, answer)
	}
}
