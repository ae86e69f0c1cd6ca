package ask

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/internal/store"
)

// TestPages cuts lists into pages and finds every item once, in order.
func TestPages(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		all := make([]uint64, rapid.IntRange(0, 30).Draw(r, "items"))
		for i := range all {
			all[i] = uint64(len(all) - i) // newest first, none at 0
		}
		limit := rapid.IntRange(1, 12).Draw(r, "limit")
		var got []uint64
		for before := uint64(len(all) + 1); before != 0; {
			var found []uint64
			for _, n := range all {
				if n < before && len(found) < limit+1 {
					found = append(found, n)
				}
			}
			var page []uint64
			page, before = pageOf(found, limit, func(n uint64) uint64 { return n })
			require.LessOrEqual(r, len(page), limit)
			require.True(r, before == 0 || len(page) == limit, "a page that is not the last is full")
			got = append(got, page...)
		}
		require.Equal(r, len(all), len(got))
		for i := range all {
			require.Equal(r, all[i], got[i])
		}
	})
}

// TestCursors writes where a search's page ended and reads it again; whatever else is sent is refused.
func TestCursors(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		f := store.Found{Term: rapid.String().Draw(r, "term")}
		copy(f.ID[:], rapid.SliceOfN(rapid.Byte(), len(f.ID), len(f.ID)).Draw(r, "id"))
		read, err := readCursor(cursor(f))
		require.NoError(r, err)
		require.Equal(r, f, read)
	})
	read, err := readCursor("")
	require.NoError(t, err)
	require.Zero(t, read)
	for _, text := range []string{"!", "AAAA", strings.Repeat("=", 30), "Ünïcödé"} {
		_, err := readCursor(text)
		require.ErrorContains(t, err, "the cursor is not one that a page returned", text)
	}
}
