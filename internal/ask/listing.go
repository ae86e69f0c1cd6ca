package ask

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"arbora.example/internal/problem"
)

// Listing is which part of a list is wanted, what it is narrowed by and in which order.
type Listing struct {
	Page
	Find string // words that must all occur in what the list shows of an item, in any case
	Sort string // the column that orders it; empty for the list's own order
}

// Listed is a part of a list.
type Listed[T any] struct {
	Items []T
	Next  string // the key to go on after; empty at the end
	Found int    // how many items there are that were asked for
	All   int    // how many there are in all
}

// lister is how the items of a list are found and ordered.
type lister[T any] struct {
	key     func(T) string            // tells an item apart; the list's own order
	words   func(T) []string          // what is looked in
	columns map[string]func(T) string // by what the items come in the order of a column
}

// list returns the wanted part of those items that have the words looked for and that keep holds of; a nil keep is all. The items asked for
// are moved to the beginning of all: there may be thousands, and they are large.
func (l lister[T]) list(all []T, wanted Listing, keep func(T) bool) (Listed[T], error) {
	key := l.key
	if wanted.Sort != "" {
		column, ok := l.columns[wanted.Sort]
		if !ok {
			return Listed[T]{}, &problem.Problem{Kind: problem.Invalid, Field: "sort", Detail: fmt.Sprintf("there is no column %q", wanted.Sort), Next: "leave it out, or name a column of this list"}
		}
		// A zero byte parts the two: it comes before all that a column may hold, so that equals stay together.
		key = func(item T) string { return column(item) + "\x00" + l.key(item) }
	}
	needles := strings.Fields(strings.ToLower(wanted.Find))
	listed, found := Listed[T]{All: len(all)}, all[:0]
	for _, item := range all {
		if (keep == nil || keep(item)) && holds(needles, func() []string { return l.words(item) }) {
			found = append(found, item)
		}
	}
	listed.Found = len(found)
	listed.Items, listed.Next = cut(found, wanted.Page, key)
	return listed, nil
}

// holds reports whether texts hold all needles, which are in lower case.
func holds(needles []string, texts func() []string) bool {
	if len(needles) == 0 {
		return true
	}
	text := strings.ToLower(strings.Join(texts(), "\n"))
	return !slices.ContainsFunc(needles, func(needle string) bool { return !strings.Contains(text, needle) })
}

// byNumber and byMoment write what a column holds so that texts come in its order.
func byNumber(n int) string { return fmt.Sprintf("%012d", n) }

func byMoment(at time.Time) string {
	if at.IsZero() {
		return ""
	}
	return at.UTC().Format("2006-01-02T15:04:05.000000000")
}

// tagged reports whether tags meet a filter: a key, or KEY=VALUE; an empty one is met by all.
func tagged(tags map[string]string, filter string) bool {
	key, value, valued := strings.Cut(filter, "=")
	has, ok := tags[key]
	return filter == "" || ok && (!valued || has == value)
}
