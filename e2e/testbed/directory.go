package testbed

import (
	"errors"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/standin/slapd"
)

// Directory runs a directory server with Lindenmere's entries. Where slapd is not installed the test is skipped, unless ARBORA_TESTS is "all".
func Directory(t testing.TB, o slapd.Options) *slapd.Server {
	t.Helper()
	server, err := slapd.Start(t.Context(), t.TempDir(), slapd.Lindenmere, o)
	if errors.Is(err, slapd.ErrMissing) && os.Getenv("ARBORA_TESTS") != "all" {
		t.Skip(err)
	}
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, server.Stop()) })
	return server
}

// DirectoryWanted is how a directory server is read for a provider, when somebody asks.
func DirectoryWanted(t testing.TB, steward *client.Client, provider string, there *slapd.Server) api.DirectoryWanted {
	t.Helper()
	usual, err := steward.ShowDirectory(t.Context(), "lindenmere", provider)
	require.NoError(t, err)
	wanted := there.Wanted(usual.Settings)
	wanted.Settings.Every, wanted.Settings.MostLeaving = 0, 30
	return wanted
}
