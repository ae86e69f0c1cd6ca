package e2e

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
)

// demoRecords loads the demo, and gives the flags by which arbora serve works with it.
func demoRecords(t *testing.T, home string) []string {
	dsn := testbed.DSN(t)
	b := testbed.Start(t, testbed.OpenRecords(t, dsn))
	_, _, err := b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), b.Address))
	key := filepath.Join(home, "sealing-key") // as the testbed's
	require.NoError(t, os.WriteFile(key, []byte(base64.StdEncoding.EncodeToString([]byte(strings.Repeat("k", credential.SealingKeySize)))), 0o600))
	return []string{"--database", dsn, "--sealing-key", key}
}

// TestBehindAProxy serves behind a proxy that takes TLS: its word is taken for where requests come from, and nobody else's;
// cookies and answers are those of https.
func TestBehindAProxy(t *testing.T) {
	c := newTerminal(t)
	address, stop := c.serving(append(demoRecords(t, c.home), "--address", "https://arbora.lindenmere.example", "--trusted-proxies", "127.0.0.1/32")...)
	defer stop()
	for from, seen := range map[string]string{"127.0.0.1": "192.0.2.44", "127.0.0.2": "127.0.0.2"} {
		t.Run(from, func(t *testing.T) {
			ask := func(method, path, token, body string) *http.Response {
				r, err := http.NewRequestWithContext(t.Context(), method, address+"/api/v1"+path, strings.NewReader(body))
				require.NoError(t, err)
				r.Header.Set("Content-Type", "application/json")
				r.Header.Set("X-Forwarded-For", "192.0.2.44")
				if token != "" {
					r.Header.Set("Authorization", "Bearer "+token)
				}
				response, err := caller(from).Do(r)
				require.NoError(t, err)
				t.Cleanup(func() { require.NoError(t, response.Body.Close()) })
				require.Equal(t, "max-age=31536000; includeSubDomains", response.Header.Get("Strict-Transport-Security"))
				return response
			}
			signIn := fmt.Sprintf(`{"name":"rowan@lindenmere","password":%q`, demo.Passphrase)
			cookie := ask(http.MethodPost, "/session", "", signIn+"}").Header.Get("Set-Cookie")
			require.True(t, strings.HasPrefix(cookie, "__Host-arbora-session="), cookie)
			require.Contains(t, cookie, "; Secure")
			var session api.Session
			require.NoError(t, json.NewDecoder(ask(http.MethodPost, "/session", "", signIn+`,"token":true}`).Body).Decode(&session))
			var list api.SessionList
			require.NoError(t, json.NewDecoder(ask(http.MethodGet, "/profile/sessions", session.Token, "").Body).Decode(&list))
			require.Equal(t, seen, list.Sessions[0].From, "asked from %s", from)
		})
	}
}

// TestByTLS serves by TLS to the command line, which takes the private authority that it is told of.
func TestByTLS(t *testing.T) {
	c := newTerminal(t)
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{
		SerialNumber: big.NewInt(1), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature,
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, private.Public(), private)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	require.NoError(t, err)
	certificate, key := filepath.Join(c.home, "certificate.pem"), filepath.Join(c.home, "key.pem")
	require.NoError(t, os.WriteFile(certificate, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600))

	flags := demoRecords(t, c.home)
	status, _, errs := c.run("", append([]string{"serve", "--listen", "0.0.0.0:0"}, flags...)...)
	require.Equal(t, 1, status)
	require.Contains(t, errs, "beyond this machine, without TLS: give --tls-certificate and --tls-key")
	address, stop := c.serving(append(flags, "--tls-certificate", certificate, "--tls-key", key)...)
	defer stop()
	require.True(t, strings.HasPrefix(address, "https://"), address)
	signIn := []string{"sign-in", "rowan@lindenmere", "--server", address, "--password-from", "-"}
	status, _, errs = c.run(demo.Passphrase+"\n", signIn...)
	require.Equal(t, 1, status)
	require.Contains(t, errs, "certificate")
	status, out, errs := c.run(demo.Passphrase+"\n", append(signIn, "--authority", certificate)...)
	require.Zero(t, status, out+errs)
	require.Contains(t, c.must("tree"), "gardens", "the authority is kept with the sign-in")
}
