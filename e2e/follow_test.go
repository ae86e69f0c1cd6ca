package e2e

import (
	"bufio"
	"context"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/authzen"
	"arbora.example/e2e/testbed"
)

// TestTheFollowCommand runs a follower as an operator does: it answers on a socket for its account and group, begins again with what it
// kept, and says what is wrong.
func TestTheFollowCommand(t *testing.T) {
	b := testbed.StartDemo(t)
	made, err := b.As(t, "warden").CreateServiceKey(t.Context(), "storage", api.KeyNew{Label: "follows", Follows: true})
	require.NoError(t, err)
	c := newTerminal(t)
	socket, secret := filepath.Join(t.TempDir(), "run", "arbora.socket"), filepath.Join(c.home, "secret")
	require.NoError(t, os.WriteFile(secret, []byte(made.Secret+"\n"), 0o600))
	args := []string{"follow", "lindenmere", "--server", b.Address, "--key", made.Key.Id, "--secret-from", secret}
	start := func() (end func()) {
		command := c.command(context.Background(), append(args, "--socket", socket)...)
		out, err := command.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, command.Start())
		lines := bufio.NewScanner(out)
		require.True(t, lines.Scan())
		require.True(t, strings.HasPrefix(lines.Text(), "Following lindenmere at revision "), lines.Text())
		require.True(t, lines.Scan())
		require.Equal(t, "The follower answers at "+socket, lines.Text())
		return func() {
			require.NoError(t, command.Process.Signal(syscall.SIGTERM))
			require.NoError(t, command.Wait())
		}
	}
	end := start()
	info, err := os.Stat(socket)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o660), info.Mode().Perm())
	// Arbora is not there for this client: what is answered is the follower's.
	beside := authzen.NewService("http://127.0.0.1:1", authzen.Key{ID: "none"}, authzen.Beside("unix:"+socket), authzen.Tries(1)).In("lindenmere")
	fetch := authzen.Request{Subject: &authzen.Entity{Type: "user", ID: "rowan"}, Action: &authzen.Action{Name: "describe"}, Resource: &authzen.Entity{Type: "bucket", ID: scans}}
	answer, err := beside.Evaluate(t.Context(), fetch)
	require.NoError(t, err)
	require.True(t, answer.Decision)

	status, _, errs := c.run("", append(args, "--socket", socket)...)
	require.NotZero(t, status)
	require.Contains(t, errs, "another program answers on "+socket)
	end()
	kept, err := filepath.Glob(filepath.Join(c.home, "data", "arbora", "follower", "*.snapshot"))
	require.NoError(t, err)
	require.Len(t, kept, 1)
	_, err = beside.Evaluate(t.Context(), fetch)
	require.Error(t, err)
	start()()

	for said, wrong := range map[string][]string{
		"name the organisations to follow":                {"follow", "--key", "x", "--secret-from", secret},
		"the key is missing: a keeper creates one":        {"follow", "lindenmere"},
		"--socket and --listen both say where to answer":  append(args, "--socket", socket, "--listen", "127.0.0.1:0"),
		"beyond this machine, where nobody signs in":      append(args, "--listen", "0.0.0.0:0"),
		"a lease of 1ms is too short: give 200ms or more": append(args, "--listen", "127.0.0.1:0", "--lease", "1ms"),
		"organisation gone cannot be followed":            {"follow", "gone", "--server", b.Address, "--key", made.Key.Id, "--secret-from", secret, "--listen", "127.0.0.1:0"},
		"--log loud is not known":                         append(args, "--log", "loud"),
	} {
		status, _, errs := c.run("", wrong...)
		require.NotZero(t, status, said)
		require.Contains(t, errs, said)
	}
}
