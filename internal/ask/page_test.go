package ask

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestPagesHoldAll goes through a list page by page while items come and go: each that stays is told once, in order.
func TestPagesHoldAll(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		letter := rapid.StringMatching("[a-z]{1,2}")
		list := rapid.SliceOfDistinct(letter, rapid.ID).Draw(t, "list")
		stays := slices.Clone(list)
		self := func(s string) string { return s }
		var told []string
		page := Page{Limit: rapid.IntRange(1, 5).Draw(t, "limit"), Descending: rapid.Bool().Draw(t, "descending")}
		for {
			items, next := cut(list, page, self)
			told = append(told, items...)
			if page.After = next; next == "" {
				break
			}
			require.Len(t, items, page.Limit)
			if len(list) > 0 && rapid.Bool().Draw(t, "one goes") {
				gone := rapid.SampledFrom(list).Draw(t, "gone")
				list = slices.DeleteFunc(slices.Clone(list), func(s string) bool { return s == gone })
				stays = slices.DeleteFunc(stays, func(s string) bool { return s == gone })
			}
			if comes := letter.Draw(t, "comes"); !slices.Contains(list, comes) && !slices.Contains(told, comes) {
				list = append(slices.Clone(list), comes)
			}
		}
		if page.Descending {
			slices.Reverse(told)
		}
		require.True(t, slices.IsSorted(told))
		for _, s := range stays {
			require.Contains(t, told, s)
		}
		require.Equal(t, len(told), len(slices.Compact(slices.Clone(told))), "no item is told twice")
	})
}
