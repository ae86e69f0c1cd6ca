package client

// Pages reads a list page by page until it ends, or until there are so many items; 0 reads all of it. Read gives a page and
// the cursor of the one after, nil at the end; its own cursor is nil for the first page. More says that there are others.
func Pages[T, C any](most int, read func(after *C) (items []T, next *C, err error)) (all []T, more bool, err error) {
	all = []T{}
	for after := (*C)(nil); ; {
		items, next, err := read(after)
		if err != nil {
			return nil, false, err
		}
		all = append(all, items...)
		if most > 0 && len(all) >= most {
			return all[:most], len(all) > most || next != nil, nil
		}
		if after = next; next == nil {
			return all, false, nil
		}
	}
}
