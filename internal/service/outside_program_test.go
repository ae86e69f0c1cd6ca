package service_test

import (
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
)

const uploader = "lindenmere/science/herbarium/digitising/label-uploader"

// TestProgramsComeByTokensOfTheirIssuer has a job elsewhere act as a service account, without a secret.
func TestProgramsComeByTokensOfTheirIssuer(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateServiceAccount(ctx, "lindenmere/science/herbarium/digitising", api.AccountNew{Name: "label-uploader"})))
	tokens := func(rule string) *api.OutsideTokens {
		return &api.OutsideTokens{Issuer: there.Issuer(), Audience: "arbora-labels", Rule: rule}
	}
	create := func(wanted api.KeyNew) (api.KeyMade, error) {
		return rowan.CreateKey(ctx, org, api.ServiceAccountKind, uploader, wanted)
	}
	for name, wanted := range map[string]api.KeyNew{
		"every program of the issuer could": {Tokens: tokens("")},
		"an entry rule asks about claims":   {Tokens: tokens(`subject.name is "x"`)},
		"is not an https address":           {Tokens: &api.OutsideTokens{Issuer: "http://id.quaywater.example", Audience: "a", Rule: `claim.sub is "x"`}},
		"cannot be asked":                   {Tokens: &api.OutsideTokens{Issuer: "https://127.0.0.1:1", Audience: "a", Rule: `claim.sub is "x"`}},
		"has no key pair":                   {Tokens: tokens(`claim.sub is "x"`), PublicKey: "x"},
	} {
		require.ErrorContains(t, client.Done(create(wanted)), name)
	}
	require.ErrorContains(t, client.Done(rowan.CreateKey(ctx, org, api.UserKind, "tomas", api.KeyNew{Tokens: tokens(`claim.sub is "x"`)})), "API keys")
	made, err := create(api.KeyNew{Label: "nightly", Tokens: tokens(`claim.sub is "label-job" and claim.job is "nightly"`)})
	require.NoError(t, err)
	require.Empty(t, made.Secret)
	require.Equal(t, "arbora-labels", made.Key.Tokens.Audience)
	require.ErrorContains(t, client.Done(rowan.ExchangeKey(ctx, made.Key.Id, api.KeyExchange{})), "has no secret")

	token := func(subject, audience string) string {
		text, err := there.ProgramToken(subject, audience)
		require.NoError(t, err)
		return text
	}
	asked := 0
	job, err := client.OpenByToken(b.Address, client.OutsideToken{Account: uploader, Token: func() (string, error) {
		asked++
		return token("label-job", "arbora-labels"), nil
	}})
	require.NoError(t, err)
	for range 2 {
		me, err := job.GetSession(ctx)
		require.NoError(t, err)
		require.Equal(t, "service-account", me.Kind)
		require.LessOrEqual(t, time.Until(me.EndsAt), 5*time.Minute, "it ends with the token that it was exchanged for")
	}
	require.Equal(t, 1, asked)
	issued := testbed.Recorded(t, b, "token-issued")
	require.Contains(t, issued[len(issued)-1], "with a token of "+there.Issuer()+" for label-job")

	exchange := func(account, token string) error {
		_, err := client.ExchangeToken(ctx, b.Address, account, token)
		return err
	}
	require.ErrorContains(t, exchange(uploader, token("another-job", "arbora-labels")), `the key asks that claim.sub is "label-job"`)
	require.ErrorContains(t, exchange(uploader, token("label-job", "arbora")), "does not hold", "it was made for somebody else")
	require.ErrorContains(t, exchange(uploader, "nonsense"), "no key takes tokens of this issuer")
	require.ErrorContains(t, exchange("lindenmere/nowhere/x", token("label-job", "arbora-labels")), "no such key or service account")
	require.ErrorContains(t, exchange("lindenmere/science/herbarium/digitising/label-indexer", token("label-job", "arbora-labels")), "no such key or service account")
	for name, alter := range map[string]func(map[string]any){
		"too late":        func(c map[string]any) { c["exp"] = time.Now().Add(-2 * time.Minute).Unix() },
		"from the future": func(c map[string]any) { c["nbf"] = time.Now().Add(3 * time.Minute).Unix() },
		"another issuer":  func(c map[string]any) { c["iss"] = "http://localhost:1" },
		"two audiences":   func(c map[string]any) { delete(c, "job") },
	} {
		there.Alter = alter
		require.Error(t, exchange(uploader, token("label-job", "arbora-labels")), name)
	}
	there.Alter = nil
	require.NotEmpty(t, testbed.Recorded(t, b, "key-failed"))
	status, told := testbed.Form(t, b.Address+"/oauth/token", nil, url.Values{
		"grant_type": {"urn:ietf:params:oauth:grant-type:token-exchange"}, "subject_token_type": {"urn:ietf:params:oauth:token-type:jwt"},
		"subject_token": {token("label-job", "arbora-labels")}, "client_id": {made.Key.Id},
	})
	require.Equal(t, 200, status, "the key can be named, too: %v", told)
	require.Equal(t, "urn:ietf:params:oauth:token-type:access_token", told["issued_token_type"])
	status, _ = testbed.Form(t, b.Address+"/oauth/token", &made, url.Values{"grant_type": {"client_credentials"}})
	require.Equal(t, 401, status, "it has no secret, and an empty one opens nothing")

	require.NoError(t, rowan.WithdrawKey(ctx, made.Key.Id))
	_, err = job.GetSession(ctx)
	require.Error(t, err, "tokens end with the key")
	require.Error(t, exchange(uploader, token("label-job", "arbora-labels")))

	once := tokens(`claim.sub is "label-job"`)
	once.Once = true
	_, err = create(api.KeyNew{Tokens: once})
	require.NoError(t, err)
	shown := token("label-job", "arbora-labels")
	require.NoError(t, exchange(uploader, shown))
	require.ErrorContains(t, exchange(uploader, shown), "used before")
	there.Alter = func(c map[string]any) { delete(c, "jti") }
	require.ErrorContains(t, exchange(uploader, token("label-job", "arbora-labels")), "no jti")
}
