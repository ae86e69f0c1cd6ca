package wholefile_test

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/wholefile"
)

// TestAFileIsReplacedWholeOrNotAtAll writes a file, and fails to write it again.
func TestAFileIsReplacedWholeOrNotAtAll(t *testing.T) {
	name := filepath.Join(t.TempDir(), "file")
	write := func(text string, fails error) error {
		return wholefile.Write(name, func(w io.Writer) error {
			_, err := io.WriteString(w, text)
			return errors.Join(err, fails)
		})
	}
	require.NoError(t, write("first", nil))
	broken := errors.New("the rest cannot be written")
	require.ErrorIs(t, write("sec", broken), broken)
	text, err := os.ReadFile(name)
	require.NoError(t, err)
	require.Equal(t, "first", string(text))
	require.NoError(t, write("second", nil))
	text, err = os.ReadFile(name)
	require.NoError(t, err)
	require.Equal(t, "second", string(text))
	info, err := os.Stat(name)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	left, err := os.ReadDir(filepath.Dir(name))
	require.NoError(t, err)
	require.Len(t, left, 1, "nothing is left beside it")
	require.Error(t, wholefile.Write(filepath.Join(name, "beneath"), func(io.Writer) error { return nil }))
}
