package cli

import (
	"encoding/pem"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestPasswordsGoNowhereInTheClear tries addresses: http reaches this machine only, unless somebody says that they mean it.
func TestPasswordsGoNowhereInTheClear(t *testing.T) {
	for _, address := range []string{"http://127.0.0.1:8480", "http://[::1]:8480", "http://localhost:8480", "https://arbora.lindenmere.example", "https://192.0.2.7"} {
		require.NoError(t, checkServer(address, false), address)
	}
	for _, address := range []string{"http://arbora.lindenmere.example", "http://192.0.2.7:8480", "http://localhost.lindenmere.example", "http://[2001:db8::7]", "HTTP://arbora.lindenmere.example"} {
		require.ErrorContains(t, checkServer(address, false), "http sends your password in the clear: use https://", address)
		require.NoError(t, checkServer(address, true), address)
	}
	require.ErrorContains(t, checkServer("http://192.0.2.7:8480", false), "use https://192.0.2.7:8480")
}

// TestAPrivateAuthorityIsTaken reaches a server whose certificate no public authority signed.
func TestAPrivateAuthorityIsTaken(t *testing.T) {
	server := httptest.NewTLSServer(http.NotFoundHandler())
	defer server.Close()
	before := http.DefaultTransport.(*http.Transport).TLSClientConfig
	defer func() { http.DefaultTransport.(*http.Transport).TLSClientConfig = before }()
	_, err := http.Get(server.URL)
	require.ErrorContains(t, err, "certificate")
	file := filepath.Join(t.TempDir(), "authority.pem")
	require.ErrorContains(t, trust(file), "cannot be read")
	require.NoError(t, os.WriteFile(file, []byte("no certificate"), 0o600))
	require.ErrorContains(t, trust(file), "holds no certificate in PEM form")
	require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw}), 0o600))
	require.NoError(t, trust(file))
	response, err := http.Get(server.URL)
	require.NoError(t, err)
	require.NoError(t, response.Body.Close())
}
