// Package snapshots keeps snapshots of organisations as files on the host of a service: from one it starts in a fraction of the time
// that reading the records takes, and from an older one it gets to a revision of the past. Nothing is only there: whatever is lost is
// made again from the records.
package snapshots

import (
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/wholefile"
)

// Record stands for the change record that led to a snapshot, so that a file is not taken for one of another database: see
// store.Store.RecordMark.
type Record = [32]byte

// Directory keeps files in a directory that nobody but the service's account can enter: for each organisation one a revision.
type Directory struct {
	path string
	id   string
}

const ending = ".snapshot"

// Open opens a directory, and makes it when it is not there.
func Open(path string) (*Directory, error) {
	if err := os.MkdirAll(path, 0o700); err != nil {
		return nil, fmt.Errorf("snapshot files: %w", err)
	}
	if err := os.Chmod(path, 0o700); err != nil {
		return nil, fmt.Errorf("snapshot files: %w", err)
	}
	d := &Directory{path: path}
	name := filepath.Join(path, "id")
	text, err := os.ReadFile(name)
	if errors.Is(err, fs.ErrNotExist) {
		text = []byte(rand.Text())
		err = wholefile.Write(name, func(w io.Writer) error { _, err := w.Write(text); return err })
	}
	if err != nil {
		return nil, fmt.Errorf("snapshot files: %w", err)
	}
	d.id = string(text)
	return d, nil
}

// ID tells the directory from those of other hosts: instances of the service that share it need each file once.
func (d *Directory) ID() string { return d.id }

func (d *Directory) of(organisation model.ID) string {
	return filepath.Join(d.path, organisation.String())
}

func (d *Directory) file(organisation model.ID, revision uint64) string {
	return filepath.Join(d.of(organisation), strconv.FormatUint(revision, 10)+ending)
}

// Revisions returns the revisions of an organisation of which there is a file, in order.
func (d *Directory) Revisions(organisation model.ID) ([]uint64, error) {
	entries, err := os.ReadDir(d.of(organisation))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	var revisions []uint64
	for _, entry := range entries {
		number, is := strings.CutSuffix(entry.Name(), ending)
		if revision, err := strconv.ParseUint(number, 10, 64); is && err == nil {
			revisions = append(revisions, revision)
		}
	}
	slices.Sort(revisions)
	return revisions, nil
}

// Read returns a file as [Directory.Write] wrote it. A file that is cut off within its record is [access.ErrNoSnapshotFile].
func (d *Directory) Read(organisation model.ID, revision uint64) (record Record, file []byte, err error) {
	text, err := os.ReadFile(d.file(organisation, revision))
	if err != nil {
		return record, nil, err
	}
	if len(text) < len(record) {
		return record, nil, access.ErrNoSnapshotFile
	}
	return Record(text), text[len(record):], nil
}

// Write writes the file of a snapshot, whole or not at all.
func (d *Directory) Write(organisation model.ID, record Record, s *access.Snapshot) error {
	if err := os.MkdirAll(d.of(organisation), 0o700); err != nil {
		return err
	}
	return wholefile.Write(d.file(organisation, s.Revision()), func(w io.Writer) error {
		if _, err := w.Write(record[:]); err != nil {
			return err
		}
		return s.WriteFile(w)
	})
}

// Remove removes a file. That it is not there is no error.
func (d *Directory) Remove(organisation model.ID, revision uint64) error {
	err := os.Remove(d.file(organisation, revision))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// Most is how many files of one organisation are kept.
const Most = 20

// Thin removes files of an organisation until no more are kept than [Most]: each time the one without which the least gap between
// revisions is left. The first and the last stay.
func (d *Directory) Thin(organisation model.ID) error {
	revisions, err := d.Revisions(organisation)
	if err != nil {
		return err
	}
	for len(revisions) > Most {
		at := 1
		for i := 2; i < len(revisions)-1; i++ {
			if revisions[i+1]-revisions[i-1] < revisions[at+1]-revisions[at-1] {
				at = i
			}
		}
		if err := d.Remove(organisation, revisions[at]); err != nil {
			return err
		}
		revisions = slices.Delete(revisions, at, at+1)
	}
	return nil
}
