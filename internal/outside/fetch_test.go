package outside_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/outside"
)

// TestOnlyWhatMayBeIsFetched holds back what a provider's address could be used for against the network that the service stands in.
func TestOnlyWhatMayBeIsFetched(t *testing.T) {
	discover := func(f outside.Fetcher, issuer string) error {
		_, err := f.Discover(t.Context(), outside.OIDC{Issuer: issuer, ClientID: "arbora"}, time.Now)
		return err
	}
	for issuer, fault := range map[string]string{
		"http://id.quaywater.example": "is not an https address", "https://u:p@id.quaywater.example": "is not an address", "ftp://localhost": "is not an https address", "": "is not an address",
		"https://10.0.0.7": "is an address within the own network", "https://192.168.1.1:444": "is an address within the own network", "https://169.254.169.254": "is an address within the own network",
		"https://[fe80::1]": "is an address within the own network", "https://[fd00::1]": "is an address within the own network", "https://0.0.0.0": "is an address within the own network",
	} {
		var down *outside.DownError
		err := discover(outside.Fetcher{}, issuer)
		require.ErrorAs(t, err, &down, issuer)
		require.ErrorContains(t, err, fault, issuer)
	}
	require.ErrorContains(t, discover(outside.Fetcher{Private: true}, "https://169.254.169.254"), "within the own network", "link-local addresses are nobody's provider")

	moved := 0
	other := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { moved++ }))
	defer other.Close()
	answers := map[string]http.HandlerFunc{
		"sends on": func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, other.URL, http.StatusFound) },
		"more than": func(w http.ResponseWriter, _ *http.Request) {
			fmt.Fprintf(w, `{"issuer": "%s"}`, strings.Repeat("x", 2<<20))
		},
		"did not match": func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "application/json")
			fmt.Fprint(w, `{"issuer": "https://id.quaywater.example"}`)
		},
	}
	for fault, answer := range answers {
		server := httptest.NewServer(answer)
		require.ErrorContains(t, discover(outside.Fetcher{}, server.URL), fault)
		server.Close()
	}
	require.Zero(t, moved, "a redirect was followed")
	down := httptest.NewServer(http.NotFoundHandler())
	down.Close()
	require.ErrorContains(t, discover(outside.Fetcher{}, down.URL), "refused")
}
