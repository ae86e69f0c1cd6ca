package access

import (
	"slices"
	"sort"
)

const runSize = 128

// siblings is a persistent list of scopes in the order of their full names, kept as runs that snapshots share. It holds
// numbers only; the names are read from the scopes.
type siblings struct {
	owner *owner
	runs  []*run
}

type run struct {
	owner   *owner
	numbers []number // at most runSize
}

// namer gives the full name of a scope.
type namer func(number) string

// place finds where a name is or belongs: the run, and the place in it.
func (l *siblings) place(name string, nameOf namer) (at, within int, found bool) {
	if len(l.runs) == 0 {
		return 0, 0, false
	}
	at = sort.Search(len(l.runs), func(i int) bool { return nameOf(l.runs[i].numbers[0]) > name }) - 1
	at = max(at, 0)
	numbers := l.runs[at].numbers
	within = sort.Search(len(numbers), func(i int) bool { return nameOf(numbers[i]) >= name })
	return at, within, within < len(numbers) && nameOf(numbers[within]) == name
}

// length gives how many there are; a nil list has none.
func (l *siblings) length() (n int) {
	if l == nil {
		return 0
	}
	for _, r := range l.runs {
		n += len(r.numbers)
	}
	return n
}

func (l *siblings) find(name string, nameOf namer) (number, bool) {
	at, within, found := l.place(name, nameOf)
	if !found {
		return 0, false
	}
	return l.runs[at].numbers[within], true
}

// add gives the list with a scope more; added is false when its name is in it already, and the list then is as before.
func (l *siblings) add(by *owner, n number, nameOf namer) (list *siblings, added bool) {
	l = l.own(by)
	name := nameOf(n)
	if len(l.runs) == 0 {
		l.runs = append(l.runs, &run{owner: by, numbers: append(make([]number, 0, 4), n)})
		return l, true
	}
	at, within := len(l.runs)-1, 0
	// Names mostly come in order, when a snapshot is built from its records.
	if last := l.runs[at].numbers; nameOf(last[len(last)-1]) < name {
		within = len(last)
	} else {
		var taken bool
		if at, within, taken = l.place(name, nameOf); taken {
			return l, false
		}
	}
	r := l.ownRun(by, at)
	if len(r.numbers) == runSize {
		keep := runSize / 2
		if within == runSize {
			keep = runSize // at the end: full runs, when names come in order
		}
		rest := &run{owner: by, numbers: append(make([]number, 0, runSize), r.numbers[keep:]...)}
		r.numbers = r.numbers[:keep]
		l.runs = slices.Insert(l.runs, at+1, rest)
		if within > keep || keep == runSize {
			r, within = rest, within-keep
		}
	}
	r.numbers = slices.Insert(r.numbers, within, n)
	return l, true
}

// remove gives the list without a scope that is in it.
func (l *siblings) remove(by *owner, n number, nameOf namer) *siblings {
	l = l.own(by)
	at, within, _ := l.place(nameOf(n), nameOf)
	if len(l.runs[at].numbers) == 1 {
		l.runs = slices.Delete(l.runs, at, at+1)
		return l
	}
	r := l.ownRun(by, at)
	r.numbers = slices.Delete(r.numbers, within, within+1)
	return l
}

func (l *siblings) own(by *owner) *siblings {
	if l == nil {
		return &siblings{owner: by}
	}
	if l.owner == by {
		return l
	}
	return &siblings{owner: by, runs: slices.Clone(l.runs)}
}

func (l *siblings) ownRun(by *owner, at int) *run {
	r := l.runs[at]
	if r.owner != by {
		r = &run{owner: by, numbers: append(make([]number, 0, len(r.numbers)+1), r.numbers...)}
		l.runs[at] = r
	}
	return r
}

func (l *siblings) len() int {
	if l == nil {
		return 0
	}
	count := 0
	for _, r := range l.runs {
		count += len(r.numbers)
	}
	return count
}

// from yields the scopes in order, beginning after a name ("" for all).
func (l *siblings) from(after string, nameOf namer, yield func(number) bool) bool {
	if l == nil || len(l.runs) == 0 {
		return true
	}
	at, within := 0, 0
	if after != "" {
		var found bool
		if at, within, found = l.place(after, nameOf); found {
			within++
		}
	}
	for ; at < len(l.runs); at++ {
		for _, n := range l.runs[at].numbers[within:] {
			if !yield(n) {
				return false
			}
		}
		within = 0
	}
	return true
}
