package ask

import (
	"cmp"
	"slices"
)

// Page is which part of a list is wanted.
type Page struct {
	After      string // the key of the last item of the page before; empty for the first page
	Limit      int    // how many items at most
	Descending bool   // from the last item to the first
}

// cut returns a page of a list in the order of its items' keys, and the key to go on after; empty at the end. A key tells an item apart and
// says where it belongs, so a list goes on at the right place whatever comes and goes between two pages.
func cut[T any](list []T, p Page, key func(T) string) (page []T, next string) {
	type keyed struct { // items may be large, and most of them stay where they are
		key string
		at  int
	}
	order := func(a, b string) int { return cmp.Compare(a, b) }
	if p.Descending {
		order = func(a, b string) int { return cmp.Compare(b, a) }
	}
	after := make([]keyed, 0, len(list))
	for i, item := range list {
		if k := key(item); p.After == "" || order(k, p.After) > 0 {
			after = append(after, keyed{k, i})
		}
	}
	slices.SortFunc(after, func(a, b keyed) int { return order(a.key, b.key) })
	if len(after) > p.Limit {
		after = after[:p.Limit]
		next = after[p.Limit-1].key
	}
	page = make([]T, len(after))
	for i, one := range after {
		page[i] = list[one.at]
	}
	return page, next
}
