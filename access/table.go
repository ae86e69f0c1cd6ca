package access

// owner marks what a draft has made itself and may therefore alter in place; everything else is shared with other
// snapshots and is copied first. It has a size, so that no two owners have the same address.
type owner struct{ _ byte }

const (
	leafBits   = 6
	branchBits = 7
	leafSize   = 1 << leafBits
	branchSize = 1 << branchBits
)

// table is a persistent array: items by number, in leaves that snapshots share. Reading takes three steps, two of which
// stay in the processor's cache; replacing an item copies one leaf and the two levels above it, whatever the size.
type table[T any] struct {
	length int
	owner  *owner // who may alter root in place
	root   []*tableBranch[T]
}

type tableBranch[T any] struct {
	owner  *owner
	leaves [branchSize]*tableLeaf[T]
}

type tableLeaf[T any] struct {
	items [leafSize]T // first, so that items stand at the beginning of a cache line
	owner *owner
}

// get gives an item, which is not to be altered.
func (t *table[T]) get(n number) *T {
	return &t.root[n>>(leafBits+branchBits)].leaves[n>>leafBits&(branchSize-1)].items[n&(leafSize-1)]
}

// edit gives an item that the owner may alter until its draft is done.
func (t *table[T]) edit(by *owner, n number) *T {
	return &t.leaf(by, n).items[n&(leafSize-1)]
}

// append adds an item and gives it for the owner to fill in.
func (t *table[T]) append(by *owner) *T {
	n := number(t.length)
	t.length++
	return t.edit(by, n)
}

func (t *table[T]) leaf(by *owner, n number) *tableLeaf[T] {
	at := int(n >> (leafBits + branchBits))
	if t.owner != by {
		t.root, t.owner = append(make([]*tableBranch[T], 0, len(t.root)+1), t.root...), by
	}
	if at == len(t.root) {
		t.root = append(t.root, &tableBranch[T]{owner: by})
	}
	branch := t.root[at]
	if branch.owner != by {
		copied := *branch
		copied.owner = by
		branch = &copied
		t.root[at] = branch
	}
	at = int(n >> leafBits & (branchSize - 1))
	leaf := branch.leaves[at]
	switch {
	case leaf == nil:
		leaf = &tableLeaf[T]{owner: by}
	case leaf.owner != by:
		copied := *leaf
		copied.owner = by
		leaf = &copied
	default:
		return leaf
	}
	branch.leaves[at] = leaf
	return leaf
}
