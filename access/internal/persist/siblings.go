package persist

import (
	"slices"
	"sort"
)

const runSize = 128

// Siblings is a persistent list of scopes in the order of their full names, kept as runs that snapshots share. It holds
// numbers only; the names are read from the scopes.
type Siblings struct {
	owner *Owner
	runs  []*run
}

type run struct {
	owner   *Owner
	numbers []uint32 // at most runSize
}

// NewSiblings makes a list of numbers that stand in the order of their names; of none, nil.
func NewSiblings(by *Owner, sorted []uint32) *Siblings {
	if len(sorted) == 0 {
		return nil
	}
	list := &Siblings{owner: by, runs: make([]*run, 0, (len(sorted)+runSize-1)/runSize)}
	for numbers := range slices.Chunk(sorted, runSize) {
		list.runs = append(list.runs, &run{numbers: slices.Clip(numbers)}) // nobody's own: it is copied before it is altered
	}
	return list
}

// All yields the numbers in the order of their names; a nil list has none.
func (l *Siblings) All(yield func(uint32) bool) {
	if l == nil {
		return
	}
	for _, r := range l.runs {
		for _, n := range r.numbers {
			if !yield(n) {
				return
			}
		}
	}
}

// namer gives the full name of a scope.
type namer func(uint32) string

// place finds where a name is or belongs: the run, and the place in it.
func (l *Siblings) place(name string, nameOf namer) (at, within int, found bool) {
	if len(l.runs) == 0 {
		return 0, 0, false
	}
	at = sort.Search(len(l.runs), func(i int) bool { return nameOf(l.runs[i].numbers[0]) > name }) - 1
	at = max(at, 0)
	numbers := l.runs[at].numbers
	within = sort.Search(len(numbers), func(i int) bool { return nameOf(numbers[i]) >= name })
	return at, within, within < len(numbers) && nameOf(numbers[within]) == name
}

// Length returns how many there are; a nil list has none.
func (l *Siblings) Length() (n int) {
	if l == nil {
		return 0
	}
	for _, r := range l.runs {
		n += len(r.numbers)
	}
	return n
}

// Find returns the number of the scope of a name.
func (l *Siblings) Find(name string, nameOf namer) (uint32, bool) {
	at, within, found := l.place(name, nameOf)
	if !found {
		return 0, false
	}
	return l.runs[at].numbers[within], true
}

// Add returns the list with a scope more; added is false when its name is in it already, and the list then is as before.
func (l *Siblings) Add(by *Owner, n uint32, nameOf namer) (list *Siblings, added bool) {
	l = l.own(by)
	name := nameOf(n)
	if len(l.runs) == 0 {
		l.runs = append(l.runs, &run{owner: by, numbers: append(make([]uint32, 0, 4), n)})
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
		rest := &run{owner: by, numbers: append(make([]uint32, 0, runSize), r.numbers[keep:]...)}
		r.numbers = r.numbers[:keep]
		l.runs = slices.Insert(l.runs, at+1, rest)
		if within > keep || keep == runSize {
			r, within = rest, within-keep
		}
	}
	r.numbers = slices.Insert(r.numbers, within, n)
	return l, true
}

// Remove returns the list without a scope that is in it.
func (l *Siblings) Remove(by *Owner, n uint32, nameOf namer) *Siblings {
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

func (l *Siblings) own(by *Owner) *Siblings {
	if l == nil {
		return &Siblings{owner: by}
	}
	if l.owner == by {
		return l
	}
	return &Siblings{owner: by, runs: slices.Clone(l.runs)}
}

func (l *Siblings) ownRun(by *Owner, at int) *run {
	r := l.runs[at]
	if r.owner != by {
		r = &run{owner: by, numbers: append(make([]uint32, 0, len(r.numbers)+1), r.numbers...)}
		l.runs[at] = r
	}
	return r
}

// Len returns how many there are; a nil list has none.
func (l *Siblings) Len() int {
	if l == nil {
		return 0
	}
	count := 0
	for _, r := range l.runs {
		count += len(r.numbers)
	}
	return count
}

// From yields the scopes in order, beginning after a name ("" for all).
func (l *Siblings) From(after string, nameOf namer, yield func(uint32) bool) bool {
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
