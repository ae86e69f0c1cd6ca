package access

import (
	"arbora.example/access/internal/persist"
	"arbora.example/access/model"
)

// scopeTable holds the scopes of a snapshot. Containers and resources are numbered apart, for containers are few and every
// decision reads several: kept together they stay in the processor's cache, however the millions of resources came
// between them.
type scopeTable struct {
	containers persist.Table[scopeNode]
	resources  persist.Table[scopeNode]
	ancestries persist.Table[ancestry] // of the containers, by their numbers
}

// resourceBit marks the numbers of resources.
const resourceBit number = 1 << 31

// ancestry is what a decision needs to know of a container and of all above it, side by side, so that it need not fetch them
// from memory one after the other: most name nobody who matters, and are then not looked at.
type ancestry struct {
	count    uint8                  // of the containers, itself counted
	retired  bool                   // one of them is
	ruled    uint16                 // which of them have rules whose names say whom they name, one bit each
	overflow uint16                 // which have rules that name more
	on       [model.MaxDepth]number // itself first, then upward
	names    [model.MaxDepth]nameMarks
	rules    [model.MaxDepth]*placeRules // of those that are ruled; where many rules are, they change often, and are not noted
}

// updateAncestry works out anew the ways of a container and of all beneath it.
func (d *draft) updateAncestry(n number) {
	node := d.scopes.containers.Get(n)
	w := d.scopes.ancestries.Edit(d.owner, n)
	*w = ancestry{count: 1, retired: node.retired}
	w.on[0] = n
	switch {
	case node.overflow:
		w.overflow = 1
	case node.rules != nil:
		w.ruled, w.names[0], w.rules[0] = 1, node.names, node.rules
	}
	if node.parent != n {
		above := d.scopes.ancestries.Get(node.parent)
		w.count += above.count
		w.retired = w.retired || above.retired
		w.ruled |= above.ruled << 1
		w.overflow |= above.overflow << 1
		copy(w.on[1:], above.on[:above.count])
		copy(w.names[1:], above.names[:above.count])
		copy(w.rules[1:], above.rules[:above.count])
	}
	if node.more != nil {
		node.more.containers.From("", d.scopeName, func(child number) bool {
			d.updateAncestry(child)
			return true
		})
	}
}

// refreshAncestries works out anew the ways that changes touched: those of some containers, and of all beneath them.
func (d *draft) refreshAncestries() {
	for n := range d.dirtyAncestry {
		beneathAnother := false
		for up := d.upward(n); up.next() && !beneathAnother; {
			_, dirty := d.dirtyAncestry[up.number]
			beneathAnother = dirty && up.number != n
		}
		if !beneathAnother {
			d.updateAncestry(n)
		}
	}
	d.dirtyAncestry = nil
}

// markAncestry marks a container whose way changed.
func (d *draft) markAncestry(n number) {
	if n&resourceBit != 0 {
		return
	}
	if d.dirtyAncestry == nil {
		d.dirtyAncestry = map[number]struct{}{}
	}
	d.dirtyAncestry[n] = struct{}{}
}

// get returns a scope, which is not to be altered.
func (t *scopeTable) get(n number) *scopeNode {
	if n&resourceBit != 0 {
		return t.resources.Get(n &^ resourceBit)
	}
	return t.containers.Get(n)
}

// edit returns a scope that the owner may alter until its draft is done.
func (t *scopeTable) edit(by *persist.Owner, n number) *scopeNode {
	if n&resourceBit != 0 {
		return t.resources.Edit(by, n&^resourceBit)
	}
	return t.containers.Edit(by, n)
}

// append adds a scope and gives its number.
func (t *scopeTable) append(by *persist.Owner, container bool) (number, *scopeNode) {
	if container {
		n := number(t.containers.Len())
		t.ancestries.Append(by)
		return n, t.containers.Append(by)
	}
	n := number(t.resources.Len())
	return n | resourceBit, t.resources.Append(by)
}

// has reports whether a number is one of the table's.
func (t *scopeTable) has(n number) bool {
	if n&resourceBit != 0 {
		return int(n&^resourceBit) < t.resources.Len()
	}
	return int(n) < t.containers.Len()
}

func (t *scopeTable) len() int { return t.containers.Len() + t.resources.Len() }

// each calls fn with every number, until it returns false.
func (t *scopeTable) each(fn func(number) bool) {
	for n := range number(t.containers.Len()) {
		if !fn(n) {
			return
		}
	}
	for n := range number(t.resources.Len()) {
		if !fn(n | resourceBit) {
			return
		}
	}
}
