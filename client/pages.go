package client

// Pages reads a list page by page until it ends, or until there are so many items; 0 reads all of it. Read gives a page and
// the cursor of the one after, zero at the end; its own cursor is zero for the first page. More says that there are others.
func Pages[T any, C comparable](most int, read func(after C) (items []T, next C, err error)) (all []T, more bool, err error) {
	all = []T{}
	var none, after C
	for {
		items, next, err := read(after)
		if err != nil {
			return nil, false, err
		}
		all = append(all, items...)
		if most > 0 && len(all) >= most {
			return all[:most], len(all) > most || next != none, nil
		}
		if after = next; next == none {
			return all, false, nil
		}
	}
}
