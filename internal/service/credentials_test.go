package service_test

import (
	"encoding/json"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
)

// TestAccessTokens turns an API key into access tokens as the RFCs have it, and reads, tells about and revokes them.
func TestAccessTokens(t *testing.T) {
	b := testbed.InMemory(t)
	key, other := machine(t, b, "label-indexer"), machine(t, b, "label-counter")
	status, answer := form(t, b.Address+"/oauth/token", &key, url.Values{"grant_type": {"client_credentials"}})
	require.Equal(t, 200, status)
	require.Equal(t, "Bearer", answer["token_type"])
	require.EqualValues(t, credential.TokenLifetime.Seconds(), answer["expires_in"])
	text := answer["access_token"].(string)

	// Anybody can verify it by what the service publishes (RFC 8414, RFC 7517, RFC 9068).
	var metadata map[string]any
	_, _, body := call(t, "GET", b.Address+"/.well-known/oauth-authorization-server", "", "", "")
	require.NoError(t, json.Unmarshal([]byte(body), &metadata))
	require.Equal(t, b.Address, metadata["issuer"])
	_, _, body = call(t, "GET", metadata["jwks_uri"].(string), "", "", "")
	require.NotContains(t, body, `"d"`, "no private part is published")
	var keys jose.JSONWebKeySet
	require.NoError(t, json.Unmarshal([]byte(body), &keys))
	token, err := jwt.ParseSigned(text, []jose.SignatureAlgorithm{jose.RS256})
	require.NoError(t, err)
	require.Equal(t, "at+jwt", token.Headers[0].ExtraHeaders[jose.HeaderType])
	claims, custom := jwt.Claims{}, map[string]any{}
	require.NoError(t, token.Claims(keys.Key(token.Headers[0].KeyID)[0].Key, &claims, &custom))
	require.NoError(t, claims.Validate(jwt.Expected{Issuer: b.Address, AnyAudience: jwt.Audience{b.Address}, Time: b.Clock.Now()}))
	require.Equal(t, key.Key.Id, custom["client_id"])

	me, err := with(t, b, text).GetSession(t.Context())
	require.NoError(t, err)
	require.Equal(t, "service-account", me.Kind)
	require.Equal(t, digitising+"/label-indexer", me.Name)

	introspect := func(by api.KeyMade, token string) map[string]any {
		status, answer := form(t, b.Address+"/oauth/introspection", &by, url.Values{"token": {token}})
		require.Equal(t, 200, status)
		return answer
	}
	told := introspect(key, text)
	require.Equal(t, true, told["active"])
	require.Equal(t, digitising+"/label-indexer", told["username"])
	require.Equal(t, map[string]any{"active": false}, introspect(other, text), "others are told nothing")
	service, err := b.As(t, demo.Keeper).CreateServiceKey(t.Context(), "storage", api.KeyNew{})
	require.NoError(t, err)
	require.Equal(t, true, introspect(service, text)["active"], "a platform service may ask about anybody's")
	told = introspect(service, b.Token(t, "tomas@lindenmere"))
	require.Equal(t, "tomas@lindenmere", told["username"], "a session's token too")
	require.Equal(t, map[string]any{"active": false}, introspect(service, "nonsense"))

	// Keys rotate, and what the last one signed is still good until it ends.
	b.Clock.Forward(credential.SigningFor - time.Minute)
	old := accessToken(t, b, key)
	b.Clock.Forward(2 * time.Minute)
	fresh, err := jwt.ParseSigned(accessToken(t, b, key), []jose.SignatureAlgorithm{jose.RS256})
	require.NoError(t, err)
	require.NotEqual(t, token.Headers[0].KeyID, fresh.Headers[0].KeyID)
	require.NoError(t, client.Done(with(t, b, old).GetSession(t.Context())))
	b.Clock.Forward(credential.TokenLifetime)
	require.Equal(t, "expired", kind(t, client.Done(with(t, b, old).GetSession(t.Context()))))

	text = accessToken(t, b, key)
	status, answer = form(t, b.Address+"/oauth/revocation", &other, url.Values{"token": {text}})
	require.Equal(t, 400, status)
	require.Equal(t, "unauthorized_client", answer["error"])
	for range 2 {
		status, _ = form(t, b.Address+"/oauth/revocation", &key, url.Values{"token": {text}})
		require.Equal(t, 200, status)
	}
	require.Equal(t, "revoked", kind(t, client.Done(with(t, b, text).GetSession(t.Context()))))
	require.NoError(t, client.Done(with(t, b, accessToken(t, b, key)).GetSession(t.Context())), "the key itself still works")
}

// TestCredentialsThatDoNotWork sees that each way of not working has an answer of its own.
func TestCredentialsThatDoNotWork(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	key := machine(t, b, "label-indexer")
	until := b.Clock.Now().Add(time.Hour).UTC()
	short, err := rowan.CreateKey(t.Context(), "lindenmere", api.ServiceAccountKind, digitising+"/label-indexer", api.KeyNew{Until: until})
	require.NoError(t, err)
	token := accessToken(t, b, key)
	elsewhere := testbed.InMemory(t)
	for credential, want := range map[string]string{
		"": "not-signed-in", "nonsense": "foreign", "a.b.c": "foreign", token + "x": "foreign",
		accessToken(t, elsewhere, machine(t, elsewhere, "label-indexer")): "foreign",
	} {
		t.Run(credential, func(t *testing.T) {
			require.Equal(t, want, kind(t, client.Done(with(t, b, credential).GetSession(t.Context()))), credential)
		})
	}
	ask := func(key api.KeyMade) (int, map[string]any) {
		return form(t, b.Address+"/oauth/token", &key, url.Values{"grant_type": {"client_credentials"}})
	}
	wrong := key
	wrong.Secret = "wrong"
	status, answer := ask(wrong)
	require.Equal(t, 401, status)
	require.Equal(t, "invalid_client", answer["error"])
	require.Equal(t, "urn:arbora:problem:foreign", answer["error_uri"])

	keys := func() int {
		list, err := rowan.ListKeys(t.Context(), "lindenmere", api.ServiceAccountKind, digitising+"/label-indexer")
		require.NoError(t, err)
		return len(list.Keys)
	}
	keyFor(t, rowan, api.ServiceAccountKind, digitising+"/label-indexer")
	require.Equal(t, 3, keys())
	p := testbed.Problem(t, 409, client.Done(rowan.CreateKey(t.Context(), "lindenmere", api.ServiceAccountKind, digitising+"/label-indexer", api.KeyNew{})))
	require.Contains(t, p.Detail, "as many as the organisation allows")
	require.NoError(t, client.Done(rowan.ChangeSettings(t.Context(), "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 4}})))
	keyFor(t, rowan, api.ServiceAccountKind, digitising+"/label-indexer")

	require.NoError(t, rowan.WithdrawKey(t.Context(), key.Key.Id))
	require.Equal(t, 3, keys())
	require.Equal(t, "revoked", kind(t, client.Done(with(t, b, token).GetSession(t.Context()))))
	_, answer = ask(key)
	require.Equal(t, "urn:arbora:problem:revoked", answer["error_uri"])
	shortToken := accessToken(t, b, short)
	b.Clock.Forward(time.Hour)
	_, answer = ask(short)
	require.Equal(t, "urn:arbora:problem:expired", answer["error_uri"])
	require.Equal(t, "expired", kind(t, client.Done(with(t, b, shortToken).GetSession(t.Context()))))
	status, answer = form(t, b.Address+"/oauth/token", nil, url.Values{"grant_type": {"password"}})
	require.Equal(t, 400, status)
	require.Equal(t, "unsupported_grant_type", answer["error"])
	status, answer = form(t, b.Address+"/oauth/token", nil, url.Values{"grant_type": {"client_credentials"}})
	require.Equal(t, 401, status)
	require.Equal(t, "urn:arbora:problem:not-signed-in", answer["error_uri"])
}

// wayIn is something that lets somebody in, tried anew each time.
type wayIn struct {
	name string
	try  func() error
}

// waysOf returns everything that lets bram in: password, session, cookie, API key, access token, terminal, link, decision.
func waysOf(t *testing.T, b *testbed.Bed) []wayIn {
	rowan := b.As(t, "rowan@lindenmere")
	both := api.ByBoth
	require.NoError(t, client.Done(rowan.CreateUser(t.Context(), "lindenmere", api.UserNew{
		Name: "bram", Password: demo.Passphrase, SignInBy: both, Email: "bram@lindenmere.example",
		Groups: []string{"glasshouse-engineers"}, Grants: []api.FirstGrant{{Scope: alpine, Role: "observer"}},
	})))
	session := b.As(t, "bram@lindenmere")
	key := keyFor(t, rowan, api.UserKind, "bram")
	token := accessToken(t, b, key)
	terminal, err := demo.SignIn(t.Context(), b.Address, "bram@lindenmere", demo.Passphrase)
	require.NoError(t, err)
	device := func(who *client.Client) (string, error) {
		_, asked := form(t, b.Address+"/oauth/device", nil, url.Values{"client_id": {"a test"}})
		if err := who.DecideDevice(t.Context(), api.DeviceDecision{Code: asked["user_code"].(string), Allow: true}); err != nil {
			return "", err
		}
		status, answer := form(t, b.Address+"/oauth/token", nil, url.Values{"grant_type": {"urn:ietf:params:oauth:grant-type:device_code"}, "device_code": {asked["device_code"].(string)}})
		if status != 200 {
			return "", &client.Error{Problem: api.Problem{Type: "urn:arbora:problem:revoked", Detail: answer["error"].(string)}}
		}
		return answer["access_token"].(string), nil
	}
	letIn, err := device(terminal)
	require.NoError(t, err)
	_, waiting := form(t, b.Address+"/oauth/device", nil, url.Values{"client_id": {"a test"}})
	require.NoError(t, terminal.DecideDevice(t.Context(), api.DeviceDecision{Code: waiting["user_code"].(string), Allow: true}))
	require.NoError(t, client.Done(rowan.MailPasswordLink(t.Context(), "lindenmere", api.UserKind, "bram")))
	linkToken := linkTo(t, b, "bram@lindenmere.example")
	describe := func(c *client.Client) error { return client.Done(c.ShowScope(t.Context(), alpine)) }
	return []wayIn{
		{"password", func() error {
			_, err := demo.SignIn(t.Context(), b.Address, "bram@lindenmere", demo.Passphrase)
			return err
		}},
		{"session", func() error { return describe(session) }},
		{"API key", func() error {
			byKey, err := client.OpenByKey(b.Address, client.APIKey{ID: key.Key.Id, Secret: key.Secret})
			require.NoError(t, err)
			return describe(byKey)
		}},
		{"access token", func() error { return describe(with(t, b, token)) }},
		{"terminal", func() error { return describe(with(t, b, letIn)) }},
		{"terminal let in before", func() error {
			status, answer := form(t, b.Address+"/oauth/token", nil, url.Values{"grant_type": {"urn:ietf:params:oauth:grant-type:device_code"}, "device_code": {waiting["device_code"].(string)}})
			if status == 200 || answer["error"] == "expired_token" { // taken once already
				return nil
			}
			return &client.Error{Problem: api.Problem{Type: "urn:arbora:problem:revoked"}}
		}},
		{"password link", func() error { return client.Done(session.ReadLink(t.Context(), api.LinkToken{Token: linkToken})) }},
		{"decision", func() error {
			answer, err := rowan.Check(t.Context(), alpine, api.Question{Permission: "describe project", Principal: ptr(user("bram"))})
			require.NoError(t, err)
			if answer.Allowed {
				return nil
			}
			require.EqualValues(t, "inactive", answer.Reason)
			return &client.Error{Problem: api.Problem{Type: "urn:arbora:problem:revoked"}}
		}},
	}
}

// TestALeaverIsOutAtOnce retires somebody, and tries everything that let them in before with the next request.
func TestALeaverIsOutAtOnce(t *testing.T) {
	for _, state := range []api.State{api.StateRetired, api.StateSuspended} {
		b := testbed.InMemory(t)
		ways := waysOf(t, b)
		rowan := b.As(t, "rowan@lindenmere")
		for _, way := range ways {
			if way.name != "terminal let in before" { // it is let in once
				require.NoError(t, way.try(), way.name)
			}
		}
		impact, err := rowan.SetState(t.Context(), "lindenmere", api.UserKind, "bram", &api.SetStateParams{Preview: true}, api.StateChange{State: state})
		require.NoError(t, err)
		require.Equal(t, "1 person would lose access.", impact.Impact.Words)
		require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, "bram", nil, api.StateChange{State: state})))
		for _, way := range ways {
			require.Error(t, way.try(), "%s after being %s", way.name, state)
		}
		grants, err := rowan.ListGrants(t.Context(), alpine, nil)
		require.NoError(t, err)
		require.Equal(t, state, grants.Grants[0].HolderState, "what was granted is shown with a mark")

		require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, "bram", nil, api.StateChange{State: api.StateActive})))
		for _, way := range ways {
			switch way.name {
			case "terminal let in before":
			case "session", "terminal", "password link":
				require.Error(t, way.try(), "%s after being restored", way.name)
			case "API key", "access token": // who leaves for good leaves no key behind
				require.Equal(t, state == api.StateRetired, way.try() != nil, "%s after being %s and restored", way.name, state)
			default:
				require.NoError(t, way.try(), "%s after being restored", way.name)
			}
		}
	}
}

// TestKeysThatALeaverIssuedAreTold retires somebody who issued a key for a program: the preview names the key, to whoever may see whose
// it is.
func TestKeysThatALeaverIssuedAreTold(t *testing.T) {
	b := testbed.InMemory(t)
	machine(t, b, "label-printer")
	b.Grant(t, "steward", "user", "yuki", "lindenmere")
	yuki, rowan := b.As(t, "yuki@lindenmere"), b.As(t, "rowan@lindenmere")
	key := keyFor(t, yuki, api.ServiceAccountKind, digitising+"/label-printer")
	retire := func(who string) api.Impact {
		written, err := rowan.SetState(t.Context(), "lindenmere", api.UserKind, who, &api.SetStateParams{Preview: true}, api.StateChange{State: api.StateRetired})
		require.NoError(t, err)
		return *written.Impact
	}
	require.Contains(t, retire("yuki").Warnings, "yuki issued API key "+key.Key.Id+" of service account "+digitising+"/label-printer. It keeps working: exchange it.")
	require.NoError(t, client.Done(rowan.EditPrincipal(t.Context(), "lindenmere", api.UserKind, "yuki", nil, api.PrincipalEdit{Name: ptr("yuki-mori")})))
	require.Contains(t, retire("yuki-mori").Warnings[0], "yuki-mori issued API key "+key.Key.Id)
	require.Empty(t, retire("sefa").Warnings)
	require.NoError(t, rowan.WithdrawKey(t.Context(), key.Key.Id))
	require.Empty(t, retire("yuki-mori").Warnings)
}

// TestHandingOver gives a leaver's grants to somebody else.
func TestHandingOver(t *testing.T) {
	b := testbed.InMemory(t)
	waysOf(t, b)
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, "bram", nil, api.StateChange{State: api.StateRetired})))
	require.NoError(t, client.Done(rowan.HandOver(t.Context(), "lindenmere", api.UserKind, "bram", nil, api.HandOverTo{Kind: api.UserKind, Name: "sefa"})))
	grants, err := rowan.ListGrants(t.Context(), alpine, nil)
	require.NoError(t, err)
	require.Equal(t, user("sefa"), grants.Grants[0].Principal)
	require.NoError(t, client.Done(b.As(t, "sefa@lindenmere").ShowScope(t.Context(), alpine)))
	testbed.Problem(t, 409, client.Done(rowan.HandOver(t.Context(), "lindenmere", api.UserKind, "bram", nil, api.HandOverTo{Kind: api.UserKind, Name: "sefa"})))
	title := "Bram the Elder"
	require.NoError(t, client.Done(rowan.EditPrincipal(t.Context(), "lindenmere", api.UserKind, "bram", nil, api.PrincipalEdit{Name: ptr("bram-w"), Title: &title})))
	require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, "bram-w", nil, api.StateChange{State: api.StateActive})))
	b.As(t, "bram-w@lindenmere") // renamed, the same person with the same password
	p := testbed.Problem(t, 422, func() error {
		for _, last := range []string{"maeve", "rowan"} {
			if err := client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, last, nil, api.StateChange{State: api.StateSuspended})); err != nil {
				return err
			}
		}
		return nil
	}())
	require.Contains(t, p.Detail, "nobody would be left with \"create grant\" at lindenmere")
}

// TestNobodyActsAsWhoHoldsMore tries to get at the credentials of somebody who holds more.
func TestNobodyActsAsWhoHoldsMore(t *testing.T) {
	b := testbed.InMemory(t)
	b.Grant(t, "people-manager", "user", "yuki", "lindenmere")
	yuki := b.As(t, "yuki@lindenmere")
	for name, try := range map[string]error{
		"reset":  client.Done(yuki.ResetPassword(t.Context(), "lindenmere", api.UserKind, "rowan", nil)),
		"link":   client.Done(yuki.MailPasswordLink(t.Context(), "lindenmere", api.UserKind, "rowan")),
		"email":  client.Done(yuki.EditPrincipal(t.Context(), "lindenmere", api.UserKind, "rowan", nil, api.PrincipalEdit{Email: ptr("yuki@lindenmere.example")})),
		"key":    client.Done(yuki.CreateKey(t.Context(), "lindenmere", api.UserKind, "rowan", api.KeyNew{})),
		"factor": yuki.ResetSecondFactor(t.Context(), "lindenmere", api.UserKind, "rowan"),
	} {
		t.Run(name, func(t *testing.T) {
			p := testbed.Problem(t, 403, try)
			require.Contains(t, p.Detail, "user rowan holds", name)
		})
	}
	reset, err := yuki.ResetPassword(t.Context(), "lindenmere", api.UserKind, "sefa", nil)
	require.NoError(t, err, "who holds no more may be helped")
	sefa, err := demo.SignIn(t.Context(), b.Address, "sefa@lindenmere", reset.Password)
	require.NoError(t, err)
	testbed.Problem(t, 403, client.Done(sefa.ShowTree(t.Context(), "lindenmere", nil)))
	b.Clock.Forward(credential.TemporaryFor)
	_, err = demo.SignIn(t.Context(), b.Address, "sefa@lindenmere", reset.Password)
	require.Equal(t, "expired", kind(t, err), "a temporary password ends by itself")

	// What is given to somebody out of use would be theirs as soon as they are back.
	rowan := b.As(t, "rowan@lindenmere")
	b.Grant(t, "access-manager", "user", "tomas", trial)
	require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, "piotr", nil, api.StateChange{State: api.StateSuspended})))
	p := testbed.Problem(t, 403, client.Done(b.As(t, "tomas@lindenmere").CreateGrant(t.Context(), trial, api.GrantNew{Principal: user("piotr"), Role: "steward"})))
	require.Contains(t, p.Detail, "by this user piotr would gain")
}

// anyFactor is what organisations demand that let people in by a second factor or a passkey.
var anyFactor = []api.Factor{api.CodeFactor, api.PasskeyFactor}

// TestSecondFactor sets one up, signs in by it, and has it demanded of those who may govern.
func TestSecondFactor(t *testing.T) {
	b := testbed.InMemory(t)
	rowan, tomas := b.As(t, "rowan@lindenmere"), b.As(t, "tomas@lindenmere")
	p := testbed.Problem(t, 409, client.Done(rowan.ChangeSettings(t.Context(), "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 3, Governing: api.Demands{Factors: anyFactor}}})))
	require.Contains(t, p.Detail, "you would shut yourself out")
	maeve := demandSecondFactor(t, b)
	testbed.Problem(t, 403, rowan.ResetSecondFactor(t.Context(), "lindenmere", api.UserKind, "maeve"))
	require.NoError(t, client.Done(tomas.GetSession(t.Context())))
	require.Equal(t, "set-up-factor", kind(t, client.Done(rowan.ShowTree(t.Context(), "lindenmere", nil))), "a steward has to set one up first")
	me, err := rowan.GetSession(t.Context())
	require.NoError(t, err)
	require.Equal(t, anyFactor, me.WantedFactors)

	seed, err := rowan.BeginSecondFactor(t.Context())
	require.NoError(t, err)
	require.Contains(t, seed.Uri, "otpauth://totp/Arbora:rowan@lindenmere")
	require.True(t, strings.HasPrefix(seed.Picture, "data:image/png;base64,"))
	code := func() string {
		code, err := totp.GenerateCode(seed.Seed, b.Clock.Now())
		require.NoError(t, err)
		return code
	}
	testbed.Problem(t, 400, client.Done(rowan.ConfirmSecondFactor(t.Context(), api.FactorCode{Code: "000000"})))
	codes, err := rowan.ConfirmSecondFactor(t.Context(), api.FactorCode{Code: code()})
	require.NoError(t, err)
	require.Len(t, codes.Codes, 10)
	require.NoError(t, client.Done(rowan.ShowTree(t.Context(), "lindenmere", nil)))

	anybody := with(t, b, "")
	attempt := func(code string) error {
		wanted := api.SignIn{Name: "rowan@lindenmere", Password: demo.Passphrase, Token: true}
		if code != "" {
			wanted.Code = code
		}
		return client.Done(anybody.SignIn(t.Context(), wanted))
	}
	require.Equal(t, "code-needed", kind(t, attempt("")))
	require.Equal(t, "wrong-sign-in", kind(t, attempt("000000")))
	require.Equal(t, "wrong-sign-in", kind(t, attempt(code())), "the code that confirmed it is used up")
	b.Clock.Forward(time.Minute)
	used := code()
	require.NoError(t, attempt(used))
	require.Equal(t, "wrong-sign-in", kind(t, attempt(used)), "no code works twice")
	require.NoError(t, attempt(strings.ToUpper(codes.Codes[3])))
	require.Equal(t, "wrong-sign-in", kind(t, attempt(codes.Codes[3])), "no recovery code works twice")
	shown, err := rowan.ShowSecondFactor(t.Context())
	require.NoError(t, err)
	require.Equal(t, api.SecondFactor{InUse: true, Codes: 9, Required: true}, shown)

	testbed.Problem(t, 403, tomas.ResetSecondFactor(t.Context(), "lindenmere", api.UserKind, "rowan"))
	remove := func(password, code string) error {
		return rowan.RemoveSecondFactor(t.Context(), api.FactorRemoval{Password: password, Code: code})
	}
	testbed.Problem(t, 400, remove("wrong", codes.Codes[4]))
	require.Equal(t, "code-needed", kind(t, remove(demo.Passphrase, "")), "a session and its password do not take the factor away")
	require.Equal(t, "code", testbed.Problem(t, 400, remove(demo.Passphrase, "000000")).Field)
	require.NoError(t, remove(demo.Passphrase, codes.Codes[4]))
	require.NoError(t, attempt(""))
	require.Equal(t, "conflict", kind(t, maeve.ResetSecondFactor(t.Context(), "lindenmere", api.UserKind, "rowan")), "there is none to reset")
}

// TestTerminals lets terminals in by the device grant, as a person and through the protocol's own client library.
func TestTerminals(t *testing.T) {
	b := testbed.InMemory(t)
	tomas := b.As(t, "tomas@lindenmere")
	terminal, err := client.AskForDevice(t.Context(), b.Address, "a test")
	require.NoError(t, err)
	shown, err := tomas.ShowDevice(t.Context(), api.DeviceCode{Code: strings.ToLower(strings.ReplaceAll(terminal.Code, "-", ""))})
	require.NoError(t, err)
	require.Equal(t, terminal.Code, shown.Code)
	require.Equal(t, "a test", shown.Agent)
	require.NoError(t, tomas.DecideDevice(t.Context(), api.DeviceDecision{Code: terminal.Code, Allow: true}))
	token, err := terminal.Wait(t.Context())
	require.NoError(t, err)
	me, err := with(t, b, token).GetSession(t.Context())
	require.NoError(t, err)
	require.Equal(t, "tomas@lindenmere", me.Name)
	sessions, err := tomas.ListSessions(t.Context())
	require.NoError(t, err)
	require.Len(t, sessions.Sessions, 2)
	for _, s := range sessions.Sessions {
		if !s.Here {
			require.Equal(t, "a test", s.Agent)
			require.NoError(t, tomas.RevokeSession(t.Context(), s.Id))
		}
	}
	require.Equal(t, "revoked", kind(t, client.Done(with(t, b, token).GetSession(t.Context()))))
	_, err = terminal.Wait(t.Context())
	require.Error(t, err, "a code works once")

	poll := func(asked map[string]any) any {
		_, answer := form(t, b.Address+"/oauth/token", nil, url.Values{"grant_type": {"urn:ietf:params:oauth:grant-type:device_code"}, "device_code": {asked["device_code"].(string)}})
		return answer["error"]
	}
	_, asked := form(t, b.Address+"/oauth/device", nil, url.Values{"client_id": {"a test"}})
	require.Equal(t, "authorization_pending", poll(asked))
	require.Equal(t, "slow_down", poll(asked))
	require.NoError(t, tomas.DecideDevice(t.Context(), api.DeviceDecision{Code: asked["user_code"].(string), Allow: false}))
	require.Equal(t, "access_denied", poll(asked))
	testbed.Problem(t, 404, client.Done(tomas.ShowDevice(t.Context(), api.DeviceCode{Code: asked["user_code"].(string)})))
	_, asked = form(t, b.Address+"/oauth/device", nil, url.Values{"client_id": {"a test"}})
	b.Clock.Forward(credential.DeviceWaits)
	require.Equal(t, "expired_token", poll(asked))
	_, err = client.AskForDevice(t.Context(), b.Address, "")
	require.Error(t, err)
}
