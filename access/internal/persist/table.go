package persist

// Owner marks what a draft has made itself and may therefore alter in place; everything else is shared with other
// snapshots and is copied first. It has a size, so that no two owners have the same address.
type Owner struct{ _ byte }

const (
	leafBits   = 6
	branchBits = 7
	leafSize   = 1 << leafBits
	branchSize = 1 << branchBits
)

// Table is a persistent array: items by number, in leaves that snapshots share. Reading takes three steps, two of which
// stay in the processor's cache; replacing an item copies one leaf and the two levels above it, whatever the size.
type Table[T any] struct {
	length int
	owner  *Owner // who may alter root in place
	root   []*tableBranch[T]
}

type tableBranch[T any] struct {
	owner  *Owner
	leaves [branchSize]*tableLeaf[T]
}

type tableLeaf[T any] struct {
	items [leafSize]T // first, so that items stand at the beginning of a cache line
	owner *Owner
}

// Len returns how many items there are.
func (t *Table[T]) Len() int { return t.length }

// Get returns an item, which is not to be altered.
func (t *Table[T]) Get(n uint32) *T {
	return &t.root[n>>(leafBits+branchBits)].leaves[n>>leafBits&(branchSize-1)].items[n&(leafSize-1)]
}

// Edit returns an item that the owner may alter until its draft is done.
func (t *Table[T]) Edit(by *Owner, n uint32) *T {
	return &t.leaf(by, n).items[n&(leafSize-1)]
}

// Append adds an item and gives it for the owner to fill in.
func (t *Table[T]) Append(by *Owner) *T {
	n := uint32(t.length)
	t.length++
	return t.Edit(by, n)
}

func (t *Table[T]) leaf(by *Owner, n uint32) *tableLeaf[T] {
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
