package snapshots_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/store/snapshots"
)

var top = model.Scope{ID: model.ID{1}, Kind: model.Organisation, Name: "lindenmere"}

func at(t *testing.T, revision uint64) *access.Snapshot {
	t.Helper()
	s, err := access.New(catalogue.Shipped()).With(revision, access.CreateScope{Scope: top})
	require.NoError(t, err)
	return s
}

// TestFilesAreForTheirOwnerAlone writes files, reads them, and finds nothing that others could read.
func TestFilesAreForTheirOwnerAlone(t *testing.T) {
	path := filepath.Join(t.TempDir(), "snapshots")
	d, err := snapshots.Open(path)
	require.NoError(t, err)
	require.NotEmpty(t, d.ID())
	none, err := d.Revisions(top.ID)
	require.NoError(t, err)
	require.Empty(t, none)
	for _, revision := range []uint64{20, 3, 100} {
		require.NoError(t, d.Write(top.ID, snapshots.Record{byte(revision)}, at(t, revision)))
	}
	again, err := snapshots.Open(path)
	require.NoError(t, err)
	require.Equal(t, d.ID(), again.ID(), "who shares a directory knows it by its id")
	revisions, err := again.Revisions(top.ID)
	require.NoError(t, err)
	require.Equal(t, []uint64{3, 20, 100}, revisions)
	record, file, err := again.Read(top.ID, 20)
	require.NoError(t, err)
	require.Equal(t, snapshots.Record{20}, record)
	read, err := access.ReadSnapshot(catalogue.Shipped(), file)
	require.NoError(t, err)
	require.EqualValues(t, 20, read.Revision())
	require.NoError(t, filepath.WalkDir(path, func(name string, entry os.DirEntry, err error) error {
		require.NoError(t, err)
		info, err := entry.Info()
		require.NoError(t, err)
		require.Zero(t, info.Mode().Perm()&0o077, name)
		return nil
	}))

	require.NoError(t, os.Truncate(filepath.Join(path, top.ID.String(), "20.snapshot"), 9))
	_, _, err = d.Read(top.ID, 20)
	require.ErrorIs(t, err, access.ErrNoSnapshotFile)
	_, _, err = d.Read(top.ID, 21)
	require.ErrorIs(t, err, os.ErrNotExist)
	require.NoError(t, d.Remove(top.ID, 20))
	require.NoError(t, d.Remove(top.ID, 20), "once more is no error")
}

// TestFilesAreThinnedEvenly writes a file each thousand revisions: at most so many stay, the first and the last among them, and no gap is
// much larger than it would be if they were spread evenly.
func TestFilesAreThinnedEvenly(t *testing.T) {
	d, err := snapshots.Open(t.TempDir())
	require.NoError(t, err)
	for n := uint64(1); n <= 365; n++ {
		require.NoError(t, d.Write(top.ID, snapshots.Record{}, at(t, n*1000)))
		require.NoError(t, d.Thin(top.ID))
		revisions, err := d.Revisions(top.ID)
		require.NoError(t, err)
		require.LessOrEqual(t, len(revisions), snapshots.Most)
		require.Equal(t, uint64(1000), revisions[0])
		require.Equal(t, n*1000, revisions[len(revisions)-1])
		even := n * 1000 / (snapshots.Most - 1)
		for i := 1; i < len(revisions); i++ {
			require.LessOrEqual(t, revisions[i]-revisions[i-1], max(2*even, 2000), "after %d files", n)
		}
	}
}

func TestADirectoryThatCannotBeMade(t *testing.T) {
	file := filepath.Join(t.TempDir(), "file")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	_, err := snapshots.Open(filepath.Join(file, "snapshots"))
	require.ErrorContains(t, err, "snapshot files")
}
