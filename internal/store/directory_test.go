package store_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access/model"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// TestDirectoriesAreKept writes how directories are read, what readings found, and forgets both.
func TestDirectoriesAreKept(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		ctx := t.Context()
		write := func(beside func(tx tenant.Tx) error) {
			t.Helper()
			_, err := s.Write(ctx, top.ID, by, func(tx tenant.Tx, revision uint64) (string, error) {
				p, err := load(t, s).Propose()
				require.NoError(t, err)
				require.NoError(t, tx.Apply(p, store.Descriptions{}))
				return "wrote", beside(tx)
			})
			require.NoError(t, err)
		}
		provider, other := model.ID{40}, model.ID{41}
		_, err := s.Directory(ctx, provider)
		require.ErrorIs(t, err, store.ErrNotFound)
		is := store.Directory{Provider: provider, Organisation: top.ID, Settings: json.RawMessage(`{"key":"a"}`), Sealed: []byte{0, 1}, NextAt: now, Mark: json.RawMessage{}}
		write(func(tx tenant.Tx) error { return tx.PutDirectory(store.Directory{}, is) })
		write(func(tx tenant.Tx) error {
			return tx.PutDirectory(store.Directory{}, store.Directory{Provider: other, Settings: json.RawMessage(`{}`)})
		})
		read, err := s.Directory(ctx, provider)
		require.NoError(t, err)
		require.Equal(t, is.Settings, read.Settings)
		require.Equal(t, is.Sealed, read.Sealed)
		require.Equal(t, top.ID, read.Organisation)
		due := func(by time.Time) (all []model.ID) {
			list, err := s.DirectoriesDue(ctx, by)
			require.NoError(t, err)
			for _, d := range list {
				all = append(all, d.Provider)
			}
			return all
		}
		require.Empty(t, due(now.Add(-time.Second)))
		require.Equal(t, []model.ID{provider}, due(now))

		is.Mark, is.NextAt = json.RawMessage(`{"stamp":"1"}`), now.Add(time.Hour)
		for n := range 102 {
			require.NoError(t, s.NoteReading(ctx, is, store.Reading{ID: tenant.NewID(), Provider: provider, Told: json.RawMessage(`{"people":` + string(rune('0'+n%10)) + `}`)}))
		}
		readings, err := s.Readings(ctx, provider, 1000)
		require.NoError(t, err)
		require.Len(t, readings, store.ReadingsKept, "the last are kept")
		require.JSONEq(t, `{"people":1}`, string(readings[0].Told))
		read, err = s.Directory(ctx, provider)
		require.NoError(t, err)
		require.JSONEq(t, `{"stamp":"1"}`, string(read.Mark))
		require.Empty(t, due(now))

		lasts, err := s.LastReadings(ctx, top.ID)
		require.NoError(t, err)
		require.Equal(t, readings[:1], lasts)

		// What was read by other settings says nothing of how far these were read.
		again := is
		again.Settings, again.Mark, again.NextAt = json.RawMessage(`{"key":"b"}`), nil, now
		write(func(tx tenant.Tx) error { return tx.PutDirectory(is, again) })
		require.NoError(t, s.NoteReading(ctx, is, store.Reading{ID: tenant.NewID(), Provider: provider, Told: json.RawMessage(`{}`)}))
		read, err = s.Directory(ctx, provider)
		require.NoError(t, err)
		require.Empty(t, read.Mark)
		require.Equal(t, []model.ID{provider}, due(now))

		write(func(tx tenant.Tx) error { return tx.RemoveDirectory(again) })
		_, err = s.Directory(ctx, provider)
		require.ErrorIs(t, err, store.ErrNotFound)
		readings, err = s.Readings(ctx, provider, 10)
		require.NoError(t, err)
		require.Empty(t, readings)
	})
}
