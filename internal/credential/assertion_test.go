package credential_test

import (
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"encoding/pem"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
	"github.com/stretchr/testify/require"

	"arbora.example/internal/credential"
)

func publicPEM(t *testing.T, public any) string {
	t.Helper()
	der, err := x509.MarshalPKIXPublicKey(public)
	require.NoError(t, err)
	return string(pem.EncodeToMemory(&pem.Block{Type: "PUBLIC KEY", Bytes: der}))
}

func TestPublicKeys(t *testing.T) {
	strong, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	weak, err := rsa.GenerateKey(rand.Reader, 1024)
	require.NoError(t, err)
	p256, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	p521, err := ecdsa.GenerateKey(elliptic.P521(), rand.Reader)
	require.NoError(t, err)
	ed, _, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	for _, public := range []any{strong.Public(), p256.Public(), ed} {
		key, err := credential.ParsePublicKey(publicPEM(t, public))
		require.NoError(t, err)
		text, err := key.Marshal()
		require.NoError(t, err)
		again, err := credential.ParsePublicKey(text)
		require.NoError(t, err)
		require.Equal(t, key.Thumbprint(), again.Thumbprint())
		require.Len(t, key.Thumbprint(), 43)
	}
	private, err := (&jose.JSONWebKey{Key: p256}).MarshalJSON()
	require.NoError(t, err)
	der, err := x509.MarshalPKCS8PrivateKey(p256)
	require.NoError(t, err)
	for text, wrong := range map[string]string{
		publicPEM(t, weak.Public()): "1024 bits",
		publicPEM(t, p521.Public()): "not used here",
		string(private):             "private key, which stays with the program",
		string(pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der})): "give the public half",
		`{"kty":"oct","k":"c2VjcmV0"}`:                                          "private key", // a secret that both would know
		"nonsense":                                                              "neither a public key",
		"":                                                                      "neither a public key",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := credential.ParsePublicKey(text)
			require.ErrorContains(t, err, wrong)
		})
	}
}

// TestAssertions holds assertions against a key (RFC 7523, section 3): the right one, and one for each thing that is wrong.
func TestAssertions(t *testing.T) {
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	other, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	key, err := credential.ParsePublicKey(publicPEM(t, private.Public()))
	require.NoError(t, err)
	const service = "https://arbora.lindenmere.example"
	now := time.Date(2026, 11, 25, 8, 0, 0, 0, time.UTC)
	good := jwt.Claims{Issuer: "id", Subject: "id", Audience: jwt.Audience{service}, ID: "one", Expiry: jwt.NewNumericDate(now.Add(time.Minute))}
	sign := func(by any, algorithm jose.SignatureAlgorithm, alter func(*jwt.Claims)) string {
		claims := good
		alter(&claims)
		signer, err := jose.NewSigner(jose.SigningKey{Algorithm: algorithm, Key: by}, nil)
		require.NoError(t, err)
		text, err := jwt.Signed(signer).Claims(claims).Serialize()
		require.NoError(t, err)
		return text
	}
	holds := func(text string) ([32]byte, error) {
		asserted, err := credential.ReadAssertion(text)
		if err != nil {
			return [32]byte{}, err
		}
		require.Equal(t, "id", asserted.Key)
		once, until, err := asserted.Holds(key, []string{service, service + "/oauth/token"}, now)
		require.True(t, err != nil || until.After(now))
		return once, err
	}
	as := func(alter func(*jwt.Claims)) string { return sign(private, jose.ES256, alter) }
	first, err := holds(as(func(*jwt.Claims) {}))
	require.NoError(t, err)
	second, err := holds(as(func(c *jwt.Claims) { c.ID, c.Audience = "two", jwt.Audience{"elsewhere", service + "/oauth/token"} }))
	require.NoError(t, err)
	require.NotEqual(t, first, second)
	rsaKey, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	for text, wrong := range map[string]string{
		sign(other, jose.ES256, func(*jwt.Claims) {}):                                          "signature",
		sign(rsaKey, jose.RS256, func(*jwt.Claims) {}):                                         "algorithm that its key is not for",
		sign([]byte("a secret that both of them know!"), jose.HS256, func(*jwt.Claims) {}):     "not used here",
		as(func(c *jwt.Claims) { c.Issuer = "another" }):                                       "iss and sub",
		as(func(c *jwt.Claims) { c.Audience = jwt.Audience{"https://elsewhere.example"} }):     "is not valid",
		as(func(c *jwt.Claims) { c.Audience = nil }):                                           "is not valid",
		as(func(c *jwt.Claims) { c.Expiry = nil }):                                             "no exp",
		as(func(c *jwt.Claims) { c.Expiry = jwt.NewNumericDate(now.Add(time.Hour)) }):          "too long",
		as(func(c *jwt.Claims) { c.Expiry = jwt.NewNumericDate(now.Add(-2 * time.Minute)) }):   "is not valid",
		as(func(c *jwt.Claims) { c.NotBefore = jwt.NewNumericDate(now.Add(5 * time.Minute)) }): "is not valid",
		as(func(c *jwt.Claims) { c.ID = "" }):                                                  "no jti",
		"nonsense":                                                                             "not a signed JWT",
		"eyJhbGciOiJub25lIn0.eyJzdWIiOiJpZCJ9.":                                                "not a signed JWT",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := holds(text)
			require.ErrorContains(t, err, wrong)
		})
	}
}
