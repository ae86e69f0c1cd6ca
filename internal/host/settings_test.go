package host

import (
	"context"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/urfave/cli/v3"
)

// settle runs a command line and gives the settings it leads to.
func settle(t *testing.T, args ...string) (Settings, error) {
	set := &Settings{}
	var err error
	command := &cli.Command{
		Name: "serve", Flags: set.flags(true), Writer: io.Discard, ErrWriter: io.Discard,
		Action: func(context.Context, *cli.Command) error {
			_, err = set.Check(io.Discard)
			return nil
		},
	}
	require.NoError(t, command.Run(t.Context(), append([]string{"serve"}, args...)))
	return *set, err
}

// TestSettings reads the same setting by flag, by environment and in the file: the first that is there counts.
func TestSettings(t *testing.T) {
	file := filepath.Join(t.TempDir(), "arbora.toml")
	write := func(text string) { require.NoError(t, os.WriteFile(file, []byte(text), 0o600)) }
	write("listen = \"127.0.0.1:1\"\ndatabase = \"from-file\"\nlog = \"warn\"\n")

	set, err := settle(t)
	require.NoError(t, err)
	require.Equal(t, DefaultListen, set.Listen)
	require.Empty(t, set.Database)
	require.Equal(t, "info", set.Log)

	set, err = settle(t, "--config", file)
	require.NoError(t, err)
	require.Equal(t, "127.0.0.1:1", set.Listen)
	require.Equal(t, "from-file", set.Database)
	require.Equal(t, "warn", set.Log)

	t.Setenv("ARBORA_CONFIG", file)
	t.Setenv("ARBORA_LISTEN", "127.0.0.1:2")
	set, err = settle(t)
	require.NoError(t, err)
	require.Equal(t, "127.0.0.1:2", set.Listen)
	require.Equal(t, "from-file", set.Database)

	set, err = settle(t, "--listen", "127.0.0.1:3")
	require.NoError(t, err)
	require.Equal(t, "127.0.0.1:3", set.Listen)

	for text, says := range map[string]string{
		"log = \"loud\"\n":                  "use debug, info, warn or error",
		"data = \"x\"\nlisten-at = \"y\"\n": "line 2, column 1: there is no setting \"listen-at\"",
		"listen = 5\n":                      "arbora.toml",
		"listen = \"unclosed\n":             "arbora.toml",
	} {
		t.Run(text, func(t *testing.T) {
			write(text)
			_, err = settle(t)
			require.ErrorContains(t, err, says, text)
		})
	}
	_, err = settle(t, "--config", filepath.Join(t.TempDir(), "nowhere.toml"))
	require.ErrorContains(t, err, "the configuration file cannot be read")
}

// TestTheSealingKeyIsClosed refuses a key that others can read or replace, and says what to do.
func TestTheSealingKeyIsClosed(t *testing.T) {
	name := filepath.Join(t.TempDir(), "sealing-key")
	set := Settings{SealingKey: name}
	first, err := set.sealer()
	require.NoError(t, err, "a key is made on first use")
	sealed := first.Seal([]byte("seed"), "test")
	for mode, refused := range map[os.FileMode]bool{0o600: false, 0o400: false, 0o440: false, 0o644: true, 0o660: true, 0o602: true} {
		require.NoError(t, os.Chmod(name, mode))
		again, err := set.sealer()
		if refused {
			require.ErrorContains(t, err, "run chmod 600 "+name, "%o", mode)
			continue
		}
		require.NoError(t, err, "%o", mode)
		text, err := again.Open(sealed, "test")
		require.NoError(t, err)
		require.Equal(t, "seed", string(text))
	}
}
