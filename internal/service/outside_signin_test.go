package service_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/standin/identity"
)

const (
	sso = "quaywater-sso"
	org = "lindenmere"
)

// way is where a browser begins to sign in by the provider.
func way(b *testbed.Bed) string { return b.Address + "/sign-in/by/" + org + "/" + sso }

// TestSignInByProvider has people of a provider come in, and be told why not.
func TestSignInByProvider(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	anybody, err := client.Open(b.Address, "")
	require.NoError(t, err)
	ways := func(organisation string) []api.Way {
		list, err := anybody.ListWays(ctx, &api.ListWaysParams{Organisation: organisation})
		require.NoError(t, err)
		return list.Ways
	}
	require.Empty(t, ways(org))
	require.Empty(t, ways("nowhere"), "nothing tells whether an organisation is there")
	require.Contains(t, testbed.Told(t, b, testbed.Visit(t, testbed.NewBrowser(t), way(b), "")).Detail, "nobody signs in to lindenmere by quaywater-sso")

	trust := testbed.Trusted(t, b, rowan, there)
	require.Equal(t, []api.Way{{Provider: sso, Title: "Quaywater Seed Exchange"}}, ways(org))
	tried, err := rowan.ListArrivals(ctx, org, sso, nil)
	require.NoError(t, err)
	require.Len(t, tried.Arrivals, 1)
	require.True(t, tried.Arrivals[0].Trial)
	require.Equal(t, "seeds", tried.Arrivals[0].Claims["department"])
	listed, err := rowan.ListPeople(ctx, org, &api.ListPeopleParams{Provider: sso})
	require.NoError(t, err)
	require.Empty(t, listed.People, "a trial lets nobody in")

	testbed.PolicyMade(t, rowan, trial, "seeds", `people from quaywater-sso with department "seeds" may observe tree`)
	ilka := testbed.NewBrowser(t)
	require.Equal(t, "/policies", testbed.Visit(t, ilka, way(b)+"?back=/policies", "q-4711").Fragment)
	session, _ := testbed.SessionIn(t, b, ilka)
	require.Equal(t, "ilka.varga@quaywater-sso@lindenmere", session.Name)
	require.Equal(t, "outside-person", session.Kind)
	require.Equal(t, sso, session.Provider)
	require.Equal(t, "Ilka Varga", session.Title)
	shown, err := rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, "ilka.varga@quaywater-sso")
	require.NoError(t, err)
	require.Equal(t, []string{"seeds"}, shown.Claims["department"])
	require.NotContains(t, shown.Claims, "auth_time", "what speaks of the token is no claim")
	require.Equal(t, "ilka.varga@quaywater.example", shown.Email)
	answer, err := rowan.Check(ctx, trial, api.Question{Permission: "list project", Principal: &api.PrincipalRef{Kind: api.OutsidePersonKind, Name: "ilka.varga@quaywater-sso"}})
	require.NoError(t, err)
	require.True(t, answer.Allowed, "what her provider said of her counts")
	require.False(t, answer.WhatIf)

	revision := func() int64 {
		preview, err := rowan.SetEntry(ctx, org, sso, &api.SetEntryParams{Preview: true}, api.EntryEdit{})
		require.NoError(t, err)
		return preview.Revision
	}
	before := revision()
	testbed.Visit(t, ilka, way(b), "q-4711")
	require.Equal(t, before, revision(), "who comes again as they were is written nowhere anew")
	there.Put(identity.Person{"sub": "q-4711", "preferred_username": "ilka", "name": "Ilka Varga-Holm", "department": "labels", "level": 3, "contract": true})
	testbed.Visit(t, ilka, way(b), "q-4711")
	shown, err = rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, "ilka.varga@quaywater-sso")
	require.NoError(t, err, "names stay")
	require.Equal(t, "Ilka Varga-Holm", shown.Title)
	require.Equal(t, map[string][]string{"department": {"labels"}, "level": {"3"}, "contract": {"true"}, "name": {"Ilka Varga-Holm"}, "preferred_username": {"ilka"}}, shown.Claims)

	rule := `claim.role is "consultant" and not claim.department is "accounts"`
	preview, err := rowan.SetEntry(ctx, org, sso, &api.SetEntryParams{Preview: true}, api.EntryEdit{EntryRule: &rule})
	require.NoError(t, err)
	require.Contains(t, preview.Impact.Warnings, "It shuts out ilka.varga@quaywater-sso: their sessions end.")
	_, problem := testbed.SessionIn(t, b, ilka)
	require.Empty(t, problem, "a preview ends nothing")
	require.NoError(t, client.Done(rowan.SetEntry(ctx, org, sso, nil, api.EntryEdit{EntryRule: &rule})))
	_, problem = testbed.SessionIn(t, b, ilka)
	require.Contains(t, problem, "revoked")
	dorian := testbed.NewBrowser(t)
	told := testbed.Told(t, b, testbed.Visit(t, dorian, way(b), "q-2040"))
	require.Equal(t, `lindenmere does not let you in by quaywater-sso: the entry rule asks that claim.role is "consultant"`, told.Detail)
	require.Equal(t, "ask an administrator of lindenmere", told.Next)
	_, problem = testbed.SessionIn(t, b, dorian)
	require.Contains(t, problem, "not-signed-in")
	require.Equal(t, []string{`lindenmere nobody: q-2040 of quaywater-sso was not let in: the entry rule asks that claim.role is "consultant"`}, testbed.Recorded(t, b, "sign-in-failed"))
	open := ""
	preview, err = rowan.SetEntry(ctx, org, sso, &api.SetEntryParams{Preview: true}, api.EntryEdit{EntryRule: &open})
	require.NoError(t, err)
	require.Contains(t, preview.Impact.Warnings, "It lets in q-2040, refused before.")

	// The map is weighed by what was said last, too: juno comes, and a tag would put her into a group that gathers by it.
	testbed.Visit(t, testbed.NewBrowser(t), way(b), "q-1001")
	require.NoError(t, client.Done(rowan.CreateGroup(ctx, org, api.GroupNew{Name: "advisers", Gathers: `tag unit is "advice"`})))
	b.Grant(t, "observer", "group", "advisers", alpine)
	mapped := claimMap()
	mapped.Tags = map[string]api.ClaimPick{"unit": {Path: "$.department"}}
	preview, err = rowan.SetEntry(ctx, org, sso, &api.SetEntryParams{Preview: true}, api.EntryEdit{ClaimMap: mapped})
	require.NoError(t, err)
	require.Equal(t, "1 person would gain access.", preview.Impact.Words)
	moved := claimMap()
	moved.Subject.Path = "$.preferred_username"
	preview, err = rowan.SetEntry(ctx, org, sso, &api.SetEntryParams{Preview: true}, api.EntryEdit{ClaimMap: moved})
	require.NoError(t, err)
	require.Contains(t, preview.Impact.Warnings, "It no longer finds juno@quaywater-sso: they would come as somebody new, or not at all.")

	require.NoError(t, client.Done(rowan.RemoveTrust(ctx, org, sso, trust.Id, nil)))
	require.Empty(t, ways(org))
	_, err = rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, "ilka.varga@quaywater-sso")
	require.NoError(t, err, "people stay when a trust goes")
}

// claimMap is the usual claim map, to be altered.
func claimMap() *api.ClaimMap {
	pick := func(path string) api.ClaimPick { return api.ClaimPick{Path: path} }
	return &api.ClaimMap{Subject: pick("$.sub"), Name: pick("$.preferred_username"), Title: pick("$.name"), Email: pick("$.email"), Groups: pick("$.groups[*]")}
}

// TestOutsideSessionsEnd has sessions end with whatever they hang on.
func TestOutsideSessionsEnd(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	trust := testbed.Trusted(t, b, rowan, there)
	in := func() *http.Client {
		browser := testbed.NewBrowser(t)
		testbed.Visit(t, browser, way(b), "q-4711")
		_, problem := testbed.SessionIn(t, b, browser)
		require.Empty(t, problem)
		return browser
	}
	out := func(browser *http.Client, why string) {
		t.Helper()
		_, problem := testbed.SessionIn(t, b, browser)
		require.Contains(t, problem, why)
	}
	browser := in()
	require.NoError(t, there.Leave(ctx, "q-4711"))
	out(browser, "revoked")
	there.Put(identity.Quaywater()[1])

	browser = in()
	session, _ := testbed.SessionIn(t, b, browser)
	address := func() string {
		answer, err := browser.Get(b.Address + "/api/v1/session/provider")
		require.NoError(t, err)
		defer answer.Body.Close()
		require.Equal(t, http.StatusOK, answer.StatusCode)
		return session.Provider
	}
	require.Equal(t, sso, address())
	token, err := there.LogoutToken("q-4711", "")
	require.NoError(t, err)
	ended := func(token string) int {
		status, _, _ := testbed.Call(t, http.MethodPost, trust.EndedAddress, "", "application/x-www-form-urlencoded", url.Values{"logout_token": {token}}.Encode())
		return status
	}
	require.Equal(t, http.StatusBadRequest, ended("nonsense"))
	require.Equal(t, http.StatusOK, ended(token))
	out(browser, "revoked")
	require.Equal(t, http.StatusBadRequest, ended(token), "a logout token counts once")

	browser = in()
	for _, state := range []api.State{api.StateSuspended, api.StateActive} {
		require.NoError(t, client.Done(rowan.SetState(ctx, org, api.ProviderKind, sso, nil, api.StateChange{State: state})))
		out(browser, "revoked")
	}
	browser = in()
	require.NoError(t, client.Done(rowan.SetState(ctx, org, api.OutsidePersonKind, "ilka.varga@quaywater-sso", nil, api.StateChange{State: api.StateSuspended})))
	out(browser, "revoked")
	require.Contains(t, testbed.Told(t, b, testbed.Visit(t, testbed.NewBrowser(t), way(b), "q-4711")).Detail, "out of use")
	require.NoError(t, client.Done(rowan.SetState(ctx, org, api.OutsidePersonKind, "ilka.varga@quaywater-sso", nil, api.StateChange{State: api.StateActive})))

	browser = in()
	b.Clock.Forward(7 * time.Hour)
	_, problem := testbed.SessionIn(t, b, browser)
	if problem == "" { // unless it was idle for too long
		b.Clock.Forward(time.Hour)
	}
	out(browser, "expired")
}

// TestForeignAnswersLetNobodyIn has browsers come back with what they were not given, and providers say what does not hold.
func TestForeignAnswersLetNobodyIn(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	rowan := b.As(t, "rowan@lindenmere")
	trust := testbed.Trusted(t, b, rowan, there)
	detail := func() string {
		t.Helper()
		browser := testbed.NewBrowser(t)
		at := testbed.Visit(t, browser, way(b), "q-4711")
		_, problem := testbed.SessionIn(t, b, browser)
		require.NotEmpty(t, problem, "somebody came in")
		return testbed.Told(t, b, at).Detail
	}
	other, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	signed := func(algorithm jose.SignatureAlgorithm, key any) func(any) (string, error) {
		return func(claims any) (string, error) {
			signer, err := jose.NewSigner(jose.SigningKey{Algorithm: algorithm, Key: key}, nil)
			if err != nil {
				return "", err
			}
			return jwt.Signed(signer).Claims(claims).Serialize()
		}
	}
	for name, sign := range map[string]func(any) (string, error){
		"a key that is not the provider's": signed(jose.ES256, other),
		"the secret in place of a key":     signed(jose.HS256, []byte(identity.Secret+identity.Secret)),
		"no signature": func(claims any) (string, error) {
			whole, err := signed(jose.ES256, other)(claims)
			parts := strings.Split(whole, ".")
			return "eyJhbGciOiJub25lIn0." + parts[1] + ".", err
		},
		"nothing": func(any) (string, error) { return "", nil },
	} {
		there.Sign = sign
		require.Contains(t, detail(), "does not hold: ", name)
	}
	there.Sign = nil
	minutes := func(n int) int64 { return time.Now().Add(time.Duration(n) * time.Minute).Unix() }
	for name, alter := range map[string]func(map[string]any){
		"another issuer":   func(c map[string]any) { c["iss"] = "http://localhost:1" },
		"another audience": func(c map[string]any) { c["aud"] = "somebody-else" },
		"another party": func(c map[string]any) {
			c["aud"], c["azp"] = []string{identity.ClientID, "somebody-else"}, "somebody-else"
		},
		"no party of two": func(c map[string]any) { c["aud"] = []string{identity.ClientID, "somebody-else"} },
		"another nonce":   func(c map[string]any) { c["nonce"] = "x" },
		"no nonce":        func(c map[string]any) { delete(c, "nonce") },
		"too late":        func(c map[string]any) { c["exp"] = minutes(-2) },
		"too early":       func(c map[string]any) { c["nbf"] = minutes(3) },
		"from the future": func(c map[string]any) { c["iat"] = minutes(3) },
		"somebody else":   func(c map[string]any) { c["sub"] = "q-2040" },
	} {
		there.Alter = alter
		require.Contains(t, detail(), "does not hold: ", name)
	}
	for name, alter := range map[string]func(map[string]any){
		"no subject":           func(c map[string]any) { c["sub"] = "" },
		"a subject that shows": func(c map[string]any) { c["email"] = c["sub"] },
	} {
		there.Alter = alter
		require.NotEmpty(t, detail(), name)
	}
	there.Alter = nil
	require.NoError(t, there.Rotate())
	browser := testbed.NewBrowser(t)
	testbed.Visit(t, browser, way(b), "q-4711")
	_, problem := testbed.SessionIn(t, b, browser)
	require.Empty(t, problem, "keys are fetched again when they were exchanged")

	// What another browser was given, or what was used, opens nothing.
	stops := func(browser *http.Client) (*url.URL, *http.Client) {
		var last *url.URL
		browser.CheckRedirect = func(r *http.Request, _ []*http.Request) error {
			if strings.HasPrefix(r.URL.Path, "/sign-in/return/") {
				last = r.URL
				return http.ErrUseLastResponse
			}
			return nil
		}
		testbed.Visit(t, browser, way(b), "q-4711")
		browser.CheckRedirect = nil
		require.NotNil(t, last)
		return last, browser
	}
	answer, own := stops(testbed.NewBrowser(t))
	foreign := testbed.NewBrowser(t)
	require.Contains(t, testbed.Told(t, b, testbed.Visit(t, foreign, answer.String(), "")).Detail, "this browser did not begin to sign in there")
	q := answer.Query()
	q.Set("iss", "http://localhost:1")
	require.Contains(t, testbed.Told(t, b, testbed.Visit(t, own, b.Address+answer.Path+"?"+q.Encode(), "")).Detail, "RFC 9207")
	answer, own = stops(testbed.NewBrowser(t))
	testbed.Visit(t, own, answer.String(), "")
	_, problem = testbed.SessionIn(t, b, own)
	require.Empty(t, problem)
	require.Contains(t, testbed.Told(t, b, testbed.Visit(t, own, answer.String(), "")).Detail, "did not begin", "an answer counts once")
	require.Contains(t, testbed.Told(t, b, testbed.Visit(t, own, b.Address+"/sign-in/return/"+testbed.NoSuchID+"?state=x&code=y", "")).Detail, "did not begin")
	for _, back := range []string{"//evil.example", "https://evil.example", `/\evil.example`, "javascript:x", "/x\r\ny: z"} {
		at := testbed.Visit(t, testbed.NewBrowser(t), way(b)+"?back="+url.QueryEscape(back), "q-4711")
		require.Equal(t, b.Address, at.Scheme+"://"+at.Host, back)
		require.Empty(t, at.Fragment, back)
	}
	require.NoError(t, there.Close())
	require.NotEmpty(t, trust.Id)
}

// TestFreshProofAtProvider has an outside person prove who they are by a new sign-in.
func TestFreshProofAtProvider(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	rowan := b.As(t, "rowan@lindenmere")
	testbed.Trusted(t, b, rowan, there)
	browser := testbed.NewBrowser(t)
	testbed.Visit(t, browser, way(b), "q-4711")
	require.Empty(t, testbed.Visit(t, browser, way(b)+"?proof=1", "q-4711").Fragment)
	require.Contains(t, testbed.Told(t, b, testbed.Visit(t, browser, way(b)+"?proof=1", "q-1001")).Detail, "somebody else signed in there")
	there.Alter = func(c map[string]any) { c["auth_time"] = time.Now().Add(-time.Hour).Unix() }
	require.Contains(t, testbed.Told(t, b, testbed.Visit(t, browser, way(b)+"?proof=1", "q-4711")).Detail, "auth_time")
	session, problem := testbed.SessionIn(t, b, browser)
	require.Empty(t, problem)
	require.Equal(t, "ilka.varga@quaywater-sso@lindenmere", session.Name)
	require.Contains(t, testbed.Told(t, b, testbed.Visit(t, testbed.NewBrowser(t), way(b)+"?proof=1", "q-4711")).Detail, "not signed in")
}

// TestOutsidePeopleComeByNothingElse has nothing open to them what would stay when they have left their provider.
func TestOutsidePeopleComeByNothingElse(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	trust := testbed.Trusted(t, b, rowan, there)
	browser := testbed.NewBrowser(t)
	testbed.Visit(t, browser, way(b), "q-4711")
	session, _ := testbed.SessionIn(t, b, browser)
	call := func(method, path, body string) (int, string) {
		r, err := http.NewRequestWithContext(ctx, method, b.Address+"/api/v1"+path, strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("X-CSRF-Token", session.Csrf)
		if body != "" {
			r.Header.Set("Content-Type", "application/json")
		}
		answer, err := browser.Do(r)
		require.NoError(t, err)
		defer answer.Body.Close()
		text, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return answer.StatusCode, string(text)
	}
	for _, path := range []string{"/profile/passkeys/options", "/profile/second-factor"} {
		status, text := call(http.MethodPost, path, "")
		require.Equal(t, 403, status, text)
		require.Contains(t, text, "you sign in at your identity provider")
	}
	status, text := call(http.MethodPatch, "/profile", `{"email":"rowan@lindenmere.example"}`)
	require.Equal(t, 403, status, text)
	status, text = call(http.MethodPost, "/profile/keys", `{}`)
	require.Equal(t, 409, status, text)
	status, text = call(http.MethodPost, "/session/proof", `{"password":"x"}`)
	require.NotEqual(t, 204, status, text)

	// A terminal that they let in ends with their session there.
	_, asked := testbed.Form(t, b.Address+"/oauth/device", nil, url.Values{"client_id": {"a terminal"}})
	status, text = call(http.MethodPost, "/device", fmt.Sprintf(`{"code":%q,"allow":true}`, asked["user_code"]))
	require.Equal(t, 204, status, text)
	_, told := testbed.Form(t, b.Address+"/oauth/token", nil, url.Values{"grant_type": {"urn:ietf:params:oauth:grant-type:device_code"}, "device_code": {asked["device_code"].(string)}})
	terminal := testbed.With(t, b, told["access_token"].(string))
	me, err := terminal.GetSession(ctx)
	require.NoError(t, err)
	require.Equal(t, sso, me.Provider)
	require.LessOrEqual(t, time.Until(me.EndsAt), 8*time.Hour)
	require.NoError(t, there.Leave(ctx, "q-4711"))
	_, err = terminal.GetSession(ctx)
	require.Contains(t, testbed.Problem(t, 401, err).Type, "revoked")
	require.NotEmpty(t, trust.Id)
}

// TestWhoVouchesGainsWhatPeopleHold holds the rule on gains for trusts, claim maps and entry rules.
func TestWhoVouchesGainsWhatPeopleHold(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	trust := testbed.Trusted(t, b, rowan, there)
	sefa := b.As(t, "sefa@lindenmere")
	b.Grant(t, "provider-manager", "user", "sefa", "lindenmere")
	rule := `claim.role is "consultant"`
	acts := func() []error {
		wanted := api.TrustWanted{Issuer: there.Issuer(), ClientId: identity.ClientID, Secret: identity.Secret}
		return []error{
			client.Done(sefa.CreateTrust(ctx, org, sso, wanted)), client.Done(sefa.EditTrust(ctx, org, sso, trust.Id, nil, wanted)),
			client.Done(sefa.SetEntry(ctx, org, sso, nil, api.EntryEdit{EntryRule: &rule})),
		}
	}
	for _, err := range acts() {
		require.NoError(t, err, "nobody of the provider holds anything yet")
	}
	other := testbed.Identity(t)
	require.NoError(t, client.Done(sefa.EditTrust(ctx, org, sso, trust.Id, nil, api.TrustWanted{Issuer: other.Issuer(), ClientId: identity.ClientID})))
	entry, err := rowan.ShowEntry(ctx, org, sso)
	require.NoError(t, err)
	for _, one := range entry.Trusts {
		if one.Id == trust.Id {
			require.False(t, one.HasSecret, "a secret is shown to no other issuer")
			require.Equal(t, api.TrustOnTrial, one.State)
		}
	}
	require.NoError(t, client.Done(sefa.EditTrust(ctx, org, sso, trust.Id, nil, api.TrustWanted{Issuer: there.Issuer(), ClientId: identity.ClientID, Secret: identity.Secret})))
	b.Grant(t, "observer", "provider", sso, trial)
	for _, err := range acts() {
		require.Contains(t, testbed.Problem(t, 403, err).Detail, "holds")
	}
}

// TestTrustByOwnKey has Arbora show its own signature to a provider in place of a secret.
func TestTrustByOwnKey(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	trust := testbed.Trusted(t, b, rowan, there)
	edit := func(wanted api.TrustWanted) error {
		wanted.Issuer, wanted.ClientId, wanted.Scopes = there.Issuer(), identity.ClientID, []string{"profile"}
		return client.Done(rowan.EditTrust(ctx, org, sso, trust.Id, nil, wanted))
	}
	comes := func() string {
		browser := testbed.NewBrowser(t)
		testbed.Visit(t, browser, way(b), "q-4711")
		_, problem := testbed.SessionIn(t, b, browser)
		return problem
	}
	there.ClientKeys = trust.KeysAddress
	require.Equal(t, b.Address+"/oauth/keys", trust.KeysAddress)
	require.Contains(t, comes(), "not-signed-in", "the provider takes no secret any more")
	require.ErrorContains(t, edit(api.TrustWanted{OwnKey: true, Secret: "x"}), "not both")
	require.NoError(t, edit(api.TrustWanted{OwnKey: true}))
	entry, err := rowan.ShowEntry(ctx, org, sso)
	require.NoError(t, err)
	require.True(t, entry.Trusts[0].OwnKey)
	require.False(t, entry.Trusts[0].HasSecret)
	require.Equal(t, api.TrustInUse, entry.Trusts[0].State)
	require.Empty(t, comes())
	there.ClientKeys = there.Issuer() + "/keys"
	require.Contains(t, comes(), "not-signed-in", "the provider reads other keys")
	there.ClientKeys = ""
	require.NoError(t, edit(api.TrustWanted{Secret: identity.Secret}))
	require.Empty(t, comes())
}
