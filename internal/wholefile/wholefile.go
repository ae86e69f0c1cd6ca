// Package wholefile writes files that are there whole or not at all, also after the machine fails.
package wholefile

import (
	"bufio"
	"errors"
	"io"
	"os"
	"path/filepath"
)

// Write replaces a file by what write writes. Only its owner can read it. The new file lies beside its place until it is on the disk.
func Write(name string, write func(io.Writer) error) (err error) {
	f, err := os.CreateTemp(filepath.Dir(name), ".new-*") // made with mode 0600
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, os.Remove(f.Name()))
		}
	}()
	to := bufio.NewWriterSize(f, 64<<10)
	if err := errors.Join(write(to), to.Flush(), f.Sync(), f.Close()); err != nil {
		return err
	}
	return os.Rename(f.Name(), name)
}
