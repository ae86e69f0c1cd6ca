package e2e

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/problem"
	"arbora.example/internal/store/snapshots"
)

// kept is a service that keeps snapshot files, and what its organisation was made of at each revision.
type kept struct {
	*testing.T
	*testbed.Bed
	dsn, path string
	top       model.ID
	was       map[uint64]string
}

func startKept(t *testing.T) *kept {
	k := &kept{T: t, dsn: testbed.DSN(t), path: t.TempDir(), was: map[uint64]string{}}
	k.Bed = k.again()
	_, _, err := k.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), k.Address))
	top, err := k.As(t, "rowan@lindenmere").ShowScope(t.Context(), "lindenmere")
	require.NoError(t, err)
	k.top, err = model.ParseID(top.Id)
	require.NoError(t, err)
	k.look()
	return k
}

// again starts another service on the same records and files.
func (k *kept) again() *testbed.Bed {
	files, err := snapshots.Open(k.path)
	require.NoError(k.T, err)
	return testbed.StartWith(k.T, testbed.OpenRecords(k.T, k.dsn), files)
}

func (k *kept) look() {
	now, err := k.Service.Snapshot(k.Context(), k.top)
	require.NoError(k.T, err)
	k.was[now.Revision()] = madeOf(k.T, now)
}

// change makes some changes, and looks after each.
func (k *kept) change(n int) {
	rowan := k.As(k.T, "rowan@lindenmere")
	for i := range n {
		require.NoError(k.T, reshape(k.T, rowan, api.Reshaping{Scopes: []string{alpine}, Tags: api.Tags{"round": fmt.Sprint(len(k.was), i)}}))
		k.look()
	}
}

// write has the service write its files, as it does when it ends.
func (k *kept) write() {
	ended, end := context.WithCancel(k.Context())
	end()
	k.Service.KeepSnapshots(ended)
}

// is sees that a service stands where the first one stands, having read the organisation whole so many times.
func (k *kept) is(b *testbed.Bed, whole int64) {
	now, err := b.Service.Snapshot(k.Context(), k.top)
	require.NoError(k.T, err)
	require.Equal(k.T, k.was[now.Revision()], madeOf(k.T, now))
	require.Len(k.T, k.was[now.Revision()], len(madeOf(k.T, now)))
	require.Equal(k.T, whole, b.Whole.Load())
}

func (k *kept) file() string {
	files, err := filepath.Glob(filepath.Join(k.path, k.top.String(), "*.snapshot"))
	require.NoError(k.T, err)
	require.NotEmpty(k.T, files)
	return files[len(files)-1]
}

// TestAStartFromAFile starts services on records with a snapshot file beside them: none reads the organisation whole but where the file
// is torn, or not of these records; and the log says so.
func TestAStartFromAFile(t *testing.T) {
	k := startKept(t)
	first := k.again()
	k.is(first, 1)
	require.Contains(t, first.Log.String(), "there is no snapshot file to begin with")
	k.write()
	k.is(k.again(), 0)
	k.change(3)
	k.is(k.again(), 0)
	k.write()
	k.is(k.again(), 0)
	for range 2 { // settings and quotas are there as well
		settings, err := k.again().As(t, "rowan@lindenmere").ShowSettings(t.Context(), "lindenmere")
		require.NoError(t, err)
		require.NotZero(t, settings.KeysEach)
	}

	db, err := sql.Open("mysql", k.dsn)
	require.NoError(t, err)
	defer db.Close()
	now, err := k.Service.Snapshot(t.Context(), k.top)
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), "UPDATE change_record SET what = 'something else' WHERE organisation_id = ? AND revision = ?", k.top[:], now.Revision())
	require.NoError(t, err)
	older := k.again()
	k.is(older, 0)
	require.Contains(t, older.Log.String(), "it is of another database, or of a state of it that is gone")

	require.NoError(t, os.Truncate(k.file(), 1000))
	torn := k.again()
	k.is(torn, 0)
	require.Contains(t, torn.Log.String(), "a snapshot file is passed over")
	entries, err := os.ReadDir(filepath.Dir(k.file()))
	require.NoError(t, err)
	for _, entry := range entries {
		require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(k.file()), entry.Name()), []byte("nothing of ours"), 0o600))
	}
	k.is(k.again(), 1)
}

// TestThePast gets to every revision that was looked at, by files and without them, and says where the records do not reach.
func TestThePast(t *testing.T) {
	k := startKept(t)
	k.change(4)
	k.write()
	k.change(4)
	last, err := k.Service.Snapshot(t.Context(), k.top)
	require.NoError(t, err)
	past := func(b *testbed.Bed) {
		t.Helper()
		for revision, was := range k.was {
			then, err := b.Service.Past(t.Context(), k.top, revision)
			require.NoError(t, err)
			require.Equal(t, revision, then.Revision())
			require.Equal(t, was, madeOf(t, then), "revision %d", revision)
		}
		for _, never := range []uint64{0, last.Revision() + 1} {
			_, err := b.Service.Past(t.Context(), k.top, never)
			var p *problem.Problem
			require.ErrorAs(t, err, &p)
			require.Equal(t, problem.NotThere, p.Kind)
		}
	}
	past(k.Bed)
	past(testbed.Start(t, testbed.OpenRecords(t, k.dsn)))

	// Records of an earlier version do not tell what they changed: the past reaches back to the first file.
	db, err := sql.Open("mysql", k.dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.ExecContext(t.Context(), "UPDATE change_record SET changes = NULL WHERE organisation_id = ? AND revision <= ?", k.top[:], last.Revision()-6)
	require.NoError(t, err)
	then, err := k.Service.Past(t.Context(), k.top, last.Revision()-1)
	require.NoError(t, err)
	require.Equal(t, k.was[last.Revision()-1], madeOf(t, then))
	_, err = k.Service.Past(t.Context(), k.top, last.Revision()-7)
	var p *problem.Problem
	require.ErrorAs(t, err, &p)
	require.Contains(t, p.Next, fmt.Sprint("from ", last.Revision()-4))
}
