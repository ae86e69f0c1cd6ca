package host

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/server"
)

// writeCertificate writes a certificate of its own authority for 127.0.0.1, and its key, under a serial number.
func writeCertificate(t *testing.T, file, key string, serial int64) *x509.Certificate {
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{
		SerialNumber: big.NewInt(serial), Subject: pkix.Name{CommonName: "lindenmere.example"}, IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature,
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, private.Public(), private)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600))
	parsed, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	return parsed
}

// TestTLS answers by TLS and HTTP/2, goes on with another certificate when the files change, and with the one before while they
// cannot be read.
func TestTLS(t *testing.T) {
	set := Settings{TLSCertificate: filepath.Join(t.TempDir(), "certificate.pem"), TLSKey: filepath.Join(t.TempDir(), "key.pem")}
	_, err := set.tls()
	require.ErrorContains(t, err, "the TLS certificate cannot be used")
	first := writeCertificate(t, set.TLSCertificate, set.TLSKey, 1)
	config, err := set.tls()
	require.NoError(t, err)

	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ended := make(chan error, 1)
	go func() {
		ended <- server.Serve(t.Context(), listener, config, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { w.Header().Set("Spoken", r.Proto) }))
	}()
	roots := x509.NewCertPool()
	roots.AddCert(first)
	client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots}, ForceAttemptHTTP2: true}}
	response, err := client.Get("https://" + listener.Addr().String())
	require.NoError(t, err)
	require.NoError(t, response.Body.Close())
	require.Equal(t, "HTTP/2.0", response.Header.Get("Spoken"))
	client.CloseIdleConnections()

	c := &certificate{file: set.TLSCertificate, key: set.TLSKey}
	now := time.Now()
	serial := func() int64 {
		now = now.Add(2 * lookEvery)
		loaded, err := c.get(now)
		require.NoError(t, err)
		return loaded.Leaf.SerialNumber.Int64()
	}
	require.EqualValues(t, 1, serial())
	writeCertificate(t, set.TLSCertificate, set.TLSKey, 2)
	later := time.Now().Add(time.Minute)
	require.NoError(t, os.Chtimes(set.TLSKey, later, later))
	require.EqualValues(t, 2, serial())
	require.NoError(t, os.WriteFile(set.TLSKey, []byte("half"), 0o600))
	require.NoError(t, os.Chtimes(set.TLSKey, later.Add(time.Minute), later.Add(time.Minute)))
	require.EqualValues(t, 2, serial())
}

// TestNothingIsAnsweredInTheClear refuses to listen beyond this machine without TLS or a proxy that takes it.
func TestNothingIsAnsweredInTheClear(t *testing.T) {
	beyond, here := &net.TCPAddr{IP: net.IPv4(10, 0, 0, 7), Port: 80}, &net.TCPAddr{IP: net.IPv4(127, 0, 0, 1), Port: 80}
	require.ErrorContains(t, protected(beyond, nil, nil), "give --tls-certificate and --tls-key")
	require.Error(t, protected(&net.TCPAddr{IP: net.IPv6unspecified, Port: 80}, nil, nil))
	require.NoError(t, protected(beyond, &tls.Config{}, nil))
	require.NoError(t, protected(beyond, nil, []string{"10.0.0.1"}))
	require.NoError(t, protected(here, nil, nil))
	_, err := (&Settings{TLSKey: "key.pem"}).tls()
	require.ErrorContains(t, err, "go together")
	list, err := (&Settings{TrustedProxies: "10.0.0.1, 10.1.0.0/16"}).proxies()
	require.NoError(t, err)
	require.Equal(t, []string{"10.0.0.1", "10.1.0.0/16"}, list)
	_, err = (&Settings{TrustedProxies: "proxy"}).proxies()
	require.ErrorContains(t, err, "neither a network address nor a network")
}
