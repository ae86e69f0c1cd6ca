package ask

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/internal/problem"
)

type thing struct {
	name, colour string
	size         int
	at           time.Time
}

var things = lister[thing]{
	key:   func(x thing) string { return x.name },
	words: func(x thing) []string { return []string{x.name, x.colour} },
	columns: map[string]func(thing) string{
		"colour": func(x thing) string { return x.colour },
		"size":   func(x thing) string { return byNumber(x.size) },
		"at":     func(x thing) string { return byMoment(x.at) },
	},
}

// TestListsAreFoundAndOrdered compares a list, read page by page, with one that is narrowed and sorted plainly.
func TestListsAreFoundAndOrdered(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		drawn := rapid.Custom(func(t *rapid.T) thing {
			x := thing{
				name: rapid.StringMatching("[a-z][a-z0-9-]{0,3}").Draw(t, "name"), colour: rapid.SampledFrom([]string{"", "red", "Red-brown", "green"}).Draw(t, "colour"),
				size: rapid.IntRange(0, 12).Draw(t, "size"),
			}
			if days := rapid.IntRange(0, 3).Draw(t, "days"); days > 0 {
				x.at = time.Date(2026, 9, days, 0, 0, 0, days*1000, time.UTC)
			}
			return x
		})
		all := rapid.SliceOfNDistinct(drawn, 0, 20, func(x thing) string { return x.name }).Draw(t, "all")
		wanted := Listing{
			Page: Page{Limit: rapid.IntRange(1, 6).Draw(t, "limit"), Descending: rapid.Bool().Draw(t, "descending")},
			Find: rapid.SampledFrom([]string{"", "red", "RED", "a e"}).Draw(t, "find"), Sort: rapid.SampledFrom([]string{"", "colour", "size", "at"}).Draw(t, "sort"),
		}
		large := func(x thing) bool { return x.size > 3 }

		var plain []thing
		for _, x := range all {
			text, ok := strings.ToLower(x.name+" "+x.colour), large(x)
			for word := range strings.FieldsSeq(strings.ToLower(wanted.Find)) {
				ok = ok && strings.Contains(text, word)
			}
			if ok {
				plain = append(plain, x)
			}
		}
		slices.SortFunc(plain, func(a, b thing) int {
			order := map[string]int{"": 0, "colour": strings.Compare(a.colour, b.colour), "size": a.size - b.size, "at": a.at.Compare(b.at)}[wanted.Sort]
			if order == 0 {
				order = strings.Compare(a.name, b.name)
			}
			if wanted.Descending {
				return -order
			}
			return order
		})

		var told []thing
		for {
			part, err := things.list(slices.Clone(all), wanted, large)
			require.NoError(t, err)
			require.Equal(t, len(plain), part.Found)
			require.Equal(t, len(all), part.All)
			told = append(told, part.Items...)
			if wanted.After = part.Next; part.Next == "" {
				break
			}
		}
		require.Equal(t, plain, told)
	})
}

// TestNoOtherColumn refuses to order by what a list does not have.
func TestNoOtherColumn(t *testing.T) {
	_, err := things.list(nil, Listing{Sort: "weight"}, nil)
	var told *problem.Problem
	require.ErrorAs(t, err, &told)
	require.Equal(t, "sort", told.Field)
}

// TestTags reads what a list of tagged things is narrowed by.
func TestTags(t *testing.T) {
	tags := map[string]string{"team": "seeds", "care": ""}
	for filter, meets := range map[string]bool{"": true, "team": true, "team=seeds": true, "team=": false, "team=soil": false, "care": true, "care=": true, "plot": false} {
		require.Equal(t, meets, tagged(tags, filter), filter)
	}
}

// TestAgo parts the past at the days that are written on it.
func TestAgo(t *testing.T) {
	now := time.Date(2026, 9, 1, 12, 0, 0, 0, time.UTC)
	for days, span := range map[int]Ago{0: ThisWeek, 7: ThisWeek, 8: ThisMonth, 30: ThisMonth, 31: ThisQuarter, 90: ThisQuarter, 91: Longer} {
		require.Equal(t, span, ago(now.AddDate(0, 0, -days), now), days)
	}
	require.Equal(t, Never, ago(time.Time{}, now))
}
