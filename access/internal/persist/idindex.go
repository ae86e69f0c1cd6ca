package persist

import (
	"encoding/binary"
	"math/bits"

	"arbora.example/access/model"
)

const (
	spreadBits = 5
	spread     = 1 << spreadBits
	startSlots = 4
)

// IDIndex is a persistent hash index from ids to numbers. It stores no ids: a slot keeps a part of the hash, and the
// caller compares the id of what the number stands for. Adding one copies a bucket and two levels of pointers.
type IDIndex struct {
	root *indexRoot
}

type indexRoot struct {
	owner    *Owner
	branches [spread]*indexBranch
}

type indexBranch struct {
	buckets [spread]indexBucket
	owner   *Owner
}

// indexBucket is an open-addressed hash table, at most three quarters full.
type indexBucket struct {
	slots []indexSlot // a power of two
	count int
	owner *Owner // who may alter slots in place
}

type indexSlot struct {
	mark   uint32 // of the hash, never 0; 0 for a free slot
	Number uint32
	Home   uint32 // of a scope: the container it is, or is directly in; else homeless
}

// Homeless stands where a slot has no home, as that of a resource in a resource.
const Homeless = ^uint32(0)

// hashID mixes all of an id, for ids that are not random too.
func hashID(id model.ID) uint64 {
	high, low := binary.LittleEndian.Uint64(id[:8]), binary.LittleEndian.Uint64(id[8:])
	h, l := bits.Mul64(low^0x9e3779b97f4a7c15, high^low^0xd1b54a32d192ed03)
	return (h ^ l) * 0x9e3779b97f4a7c15
}

// search walks the numbers that an id may stand for: few beside the right one, since a part of the hash agrees.
type search struct {
	slots []indexSlot
	mark  uint32
	at    uint32
}

// Search begins to look for an id.
func (x *IDIndex) Search(id model.ID) search {
	if x.root == nil {
		return search{}
	}
	h := hashID(id)
	branch := x.root.branches[h>>(64-spreadBits)]
	if branch == nil {
		return search{}
	}
	mark := uint32(h) | 1
	return search{slots: branch.buckets[h>>(64-2*spreadBits)&(spread-1)].slots, mark: mark, at: mark >> 1}
}

// Next returns a number that the id may stand for; ok is false when there is no other.
func (s *search) Next() (n uint32, ok bool) {
	slot := s.Slot()
	if slot == nil {
		return 0, false
	}
	return slot.Number, true
}

// Slot is next with all that the slot holds.
func (s *search) Slot() *indexSlot {
	for len(s.slots) > 0 {
		slot := &s.slots[s.at&uint32(len(s.slots)-1)]
		if slot.mark == 0 {
			return nil
		}
		s.at++
		if slot.mark == s.mark {
			return slot
		}
	}
	return nil
}

// Add enters an id that is not there yet.
func (x *IDIndex) Add(by *Owner, id model.ID, n, home uint32) {
	h := hashID(id)
	x.bucket(by, h).add(by, h, n, home)
}

// IDIndexBuilder makes an index of many ids at once, whose buckets have their size from the beginning.
type IDIndexBuilder struct {
	index   IDIndex
	owner   *Owner
	entries []indexEntry
	counts  [spread * spread]uint32
}

type indexEntry struct {
	hash         uint64
	number, home uint32
}

// NewIDIndex begins an index of about size ids, which is made faster than by adding one after another.
func NewIDIndex(by *Owner, size int) *IDIndexBuilder {
	return &IDIndexBuilder{owner: by, entries: make([]indexEntry, 0, size)}
}

// Add enters an id that is not there yet.
func (x *IDIndexBuilder) Add(id model.ID, n, home uint32) {
	h := hashID(id)
	x.counts[h>>(64-2*spreadBits)]++
	x.entries = append(x.entries, indexEntry{h, n, home})
}

// Done returns the index of what was added. The builder is not used afterwards.
func (x *IDIndexBuilder) Done() IDIndex {
	for i, count := range x.counts {
		if count == 0 {
			continue
		}
		size := startSlots
		for int(count)*4 > size*3 {
			size *= 2
		}
		b := x.index.bucket(x.owner, uint64(i)<<(64-2*spreadBits))
		b.slots, b.owner = make([]indexSlot, size), x.owner
	}
	for _, e := range x.entries {
		x.index.bucket(x.owner, e.hash).add(x.owner, e.hash, e.number, e.home)
	}
	return x.index
}

// Rehome changes the home of an id that is there.
func (x *IDIndex) Rehome(by *Owner, id model.ID, n, home uint32) {
	b := x.bucket(by, hashID(id))
	b.own(by)
	for i := range b.slots {
		if b.slots[i].mark != 0 && b.slots[i].Number == n {
			b.slots[i].Home = home
		}
	}
}

// bucket returns the bucket of a hash, for altering.
func (x *IDIndex) bucket(by *Owner, h uint64) *indexBucket {
	switch {
	case x.root == nil:
		x.root = &indexRoot{owner: by}
	case x.root.owner != by:
		copied := *x.root
		copied.owner = by
		x.root = &copied
	}
	at := &x.root.branches[h>>(64-spreadBits)]
	switch branch := *at; {
	case branch == nil:
		*at = &indexBranch{owner: by}
	case branch.owner != by:
		copied := *branch
		copied.owner = by
		*at = &copied
	}
	return &(*at).buckets[h>>(64-2*spreadBits)&(spread-1)]
}

// own makes the slots the owner's own.
func (b *indexBucket) own(by *Owner) {
	if b.owner != by {
		b.slots, b.owner = append([]indexSlot(nil), b.slots...), by
	}
}

// add enters a slot, in slots of the owner's own.
func (b *indexBucket) add(by *Owner, h uint64, n, home uint32) {
	if (b.count+1)*4 > len(b.slots)*3 {
		grown := indexBucket{slots: make([]indexSlot, max(startSlots, 2*len(b.slots))), count: b.count, owner: by}
		for _, slot := range b.slots {
			if slot.mark != 0 {
				grown.put(slot)
			}
		}
		*b = grown
	}
	b.own(by)
	b.count++
	b.put(indexSlot{mark: uint32(h) | 1, Number: n, Home: home})
}

func (b *indexBucket) put(slot indexSlot) {
	last := uint32(len(b.slots) - 1)
	at := slot.mark >> 1
	for b.slots[at&last].mark != 0 {
		at++
	}
	b.slots[at&last] = slot
}
