package access_test

import (
	"bytes"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

func written(t require.TestingT, s *access.Snapshot) []byte {
	var file bytes.Buffer
	require.NoError(t, s.WriteFile(&file))
	return file.Bytes()
}

// TestASnapshotFileHoldsAll writes random organisations and reads them again: they are made of the same, answer every question the
// same, and go on the same by further changes, which alter nothing of what was read.
func TestASnapshotFileHoldsAll(t *testing.T) {
	c := catalogue.Shipped()
	rapid.Check(t, func(t *rapid.T) {
		reference, snapshot := newNaive(), access.New(c)
		var read *access.Snapshot
		try := func(change access.Change) {
			next, err := snapshot.With(snapshot.Revision()+1, change)
			if read != nil {
				also, alsoErr := read.With(read.Revision()+1, change)
				require.Equal(t, err, alsoErr)
				if err == nil {
					read = also
				}
			}
			if err == nil {
				snapshot, reference = next, reference.after(change)
			}
		}
		try(access.CreateScope{Scope: model.Scope{ID: newID(), Kind: model.Organisation, Name: "top"}})
		first := access.Principal{ID: newID(), Kind: model.User, Name: "first"}
		try(access.CreatePrincipal{Principal: first})
		try(access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: reference.scopes[0].ID, Principal: first.ID, Role: "steward"}})
		draw := func(most int) {
			for range rapid.IntRange(most/2, most).Draw(t, "changes") {
				try(drawer{t, c, reference}.change())
			}
		}
		draw(60)
		var err error
		file := written(t, snapshot)
		read, err = access.ReadSnapshot(c, file)
		require.NoError(t, err)
		require.Equal(t, snapshot.Revision(), read.Revision())
		require.Equal(t, file, written(t, read), "equal snapshots make equal files")
		kept, keptFile := read, slices.Clone(file)
		draw(30)
		require.Equal(t, plain(snapshot.Changes()), plain(read.Changes()))
		require.Equal(t, written(t, snapshot), written(t, read))
		require.Equal(t, keptFile, written(t, kept), "what was read stays as it was")
		for range 200 {
			scope := rapid.SampledFrom(reference.scopes).Draw(t, "scope")
			who := rapid.SampledFrom(reference.people).Draw(t, "who")
			q := access.Question{Principal: who.ID, Scope: scope.ID, Permission: catalogue.Permission(rapid.IntRange(0, c.Permissions()-1).Draw(t, "permission"))}
			require.Equal(t, snapshot.Decide(q), read.Decide(q))
		}
	})
}

// TestATornSnapshotFileIsNone cuts a file off at every length and alters every byte of it.
func TestATornSnapshotFileIsNone(t *testing.T) {
	c := catalogue.Shipped()
	top := model.Scope{ID: model.ID{1}, Kind: model.Organisation, Name: "lindenmere", Tags: map[string]string{"care": "high"}}
	rowan := access.Principal{ID: model.ID{2}, Kind: model.User, Name: "rowan"}
	s, err := access.New(c).With(1, access.CreateScope{Scope: top}, access.CreatePrincipal{Principal: rowan},
		access.CreateGrant{Grant: access.Grant{ID: model.ID{3}, Scope: top.ID, Principal: rowan.ID, Role: "steward"}})
	require.NoError(t, err)
	file := written(t, s)
	for n := range file {
		_, err := access.ReadSnapshot(c, file[:n])
		require.ErrorIs(t, err, access.ErrNoSnapshotFile, "cut off after %d bytes", n)
		altered := slices.Clone(file)
		altered[n] ^= 1
		_, err = access.ReadSnapshot(c, altered)
		require.ErrorIs(t, err, access.ErrNoSnapshotFile, "byte %d altered", n)
	}
	_, err = access.ReadSnapshot(c, append(slices.Clone(file), 0))
	require.ErrorIs(t, err, access.ErrNoSnapshotFile)
}

// TestASnapshotFileIsOfItsCatalogue: under a catalogue without a service that the file knows, the records are to be read.
func TestASnapshotFileIsOfItsCatalogue(t *testing.T) {
	shipped := catalogue.Shipped()
	wider, err := shipped.With([]byte(`{"service": "weather", "title": "Weather", "types": [{"type": "station", "parents": ["project"], "control": {"observe": ["list", "describe"]}}]}`))
	require.NoError(t, err)
	s, err := access.New(wider).With(1, access.CreateScope{Scope: model.Scope{ID: model.ID{1}, Kind: model.Organisation, Name: "lindenmere"}})
	require.NoError(t, err)
	_, err = access.ReadSnapshot(shipped, written(t, s))
	require.ErrorContains(t, err, "the catalogue does not")
	_, err = access.ReadSnapshot(wider, written(t, s))
	require.NoError(t, err)
}
