package e2e

import (
	"crypto/ed25519"
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"net/url"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
)

// TestProgramsSignInPlaceOfASecret has a program hold the private half of a key pair: what it sends is good once, and nobody was
// shown a secret.
func TestProgramsSignInPlaceOfASecret(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	rowan, ctx := b.As(t, "rowan@lindenmere"), t.Context()
	const name = digitising + "/onboarding"
	require.NoError(t, client.Done(rowan.CreateServiceAccount(ctx, digitising, api.AccountNew{Name: "onboarding"})))
	b.Grant(t, "observer", "service-account", name, alpine)
	public, private, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	write := func(file, kind string, der []byte, err error) string {
		require.NoError(t, err)
		file = filepath.Join(t.TempDir(), file)
		require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: der}), 0o600))
		return file
	}
	der, err := x509.MarshalPKIXPublicKey(public)
	publicFile := write("public.pem", "PUBLIC KEY", der, err)
	der, err = x509.MarshalPKCS8PrivateKey(private)
	privateFile := write("private.pem", "PRIVATE KEY", der, err)
	text, err := os.ReadFile(publicFile)
	require.NoError(t, err)
	issue := func(publicKey string) (api.KeyMade, error) {
		return rowan.CreateKey(ctx, "lindenmere", api.ServiceAccountKind, name, api.KeyNew{PublicKey: publicKey})
	}
	_, err = issue("nonsense")
	require.Equal(t, "publicKey", testbed.Problem(t, 400, err).Field)
	key, err := issue(string(text))
	require.NoError(t, err)
	require.Empty(t, key.Secret)
	require.Len(t, key.Key.Thumbprint, 43)

	program, err := client.OpenByKey(b.Address, client.APIKey{ID: key.Key.Id, Private: private})
	require.NoError(t, err)
	require.NoError(t, client.Done(program.ShowScope(ctx, alpine)))

	sign := func(id string) string {
		signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.EdDSA, Key: private}, nil)
		require.NoError(t, err)
		text, err := jwt.Signed(signer).Claims(jwt.Claims{
			Issuer: key.Key.Id, Subject: key.Key.Id, Audience: jwt.Audience{b.Address + "/oauth/token"}, ID: id, Expiry: jwt.NewNumericDate(b.Clock.Now().Add(time.Minute)),
		}).Serialize()
		require.NoError(t, err)
		return text
	}
	show := func(values url.Values) (int, map[string]any) {
		values.Set("grant_type", "client_credentials")
		return form(t, b.Address+"/oauth/token", nil, values)
	}
	asserted := url.Values{"client_assertion_type": {credential.AssertionType}, "client_assertion": {sign("one")}}
	status, answer := show(asserted)
	require.Equal(t, 200, status, answer)
	status, answer = show(asserted)
	require.Equal(t, 401, status)
	require.Contains(t, answer["error_description"], "used before")
	for _, values := range []url.Values{
		{"client_id": {key.Key.Id}, "client_secret": {""}},
		{"client_id": {noSuchID}, "client_assertion_type": {credential.AssertionType}, "client_assertion": {sign("two")}},
		{"client_assertion_type": {"another"}, "client_assertion": {sign("three")}},
	} {
		status, answer := show(values)
		require.Equal(t, 401, status, answer)
	}
	require.Contains(t, testbed.Problem(t, 409, client.Done(rowan.ExchangeKey(ctx, key.Key.Id, api.KeyExchange{}))).Detail, "this key has no secret")

	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	said := c.must("key create --service-account " + name + " --public-key " + publicFile)
	require.Contains(t, said, "by which a program signs")
	list, err := rowan.ListKeys(ctx, "lindenmere", api.ServiceAccountKind, name)
	require.NoError(t, err)
	second := list.Keys[len(list.Keys)-1].Id
	c.must("sign-in --server " + b.Address + " --key " + second + " --private-key " + privateFile)
	require.Contains(t, c.must("whoami"), "onboarding")
	require.NoError(t, rowan.WithdrawKey(ctx, second))
	status, _, errs := c.run("", "whoami")
	require.NotZero(t, status)
	require.Contains(t, errs, "revoked")
}
