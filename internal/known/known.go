// Package known keeps what was read of things elsewhere until it is told that one of them is no longer what it was.
//
// What is kept depends on things by their ids. Reading takes time, and a thing may be changed meanwhile: so a reader takes a
// [Mark] first, and what was forgotten after that mark is not kept, however late it arrives.
package known

import (
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"arbora.example/access/model"
)

// Changes are which things were changed, and when. They are safe for concurrent use; the zero value knows of none.
type Changes struct {
	mu    sync.RWMutex
	now   Mark
	since Mark              // what was read before this counts for nothing
	last  map[model.ID]Mark // when each thing was changed after that
}

// Mark is a moment among changes.
type Mark uint64

// mostChanged bounds how many changed things are told apart. Beyond it all that was read before is forgotten.
const mostChanged = 100_000

// Mark returns the present moment, to be taken before something is read.
func (c *Changes) Mark() Mark {
	c.mu.RLock()
	defer c.mu.RUnlock()
	return c.now
}

// Forget says that things are no longer what they were; nil is said of all.
func (c *Changes) Forget(ids []model.ID) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.now++
	if ids == nil || len(c.last)+len(ids) > mostChanged {
		c.since, c.last = c.now, nil
		return
	}
	if c.last == nil {
		c.last = map[model.ID]Mark{}
	}
	for _, id := range ids {
		c.last[id] = c.now
	}
}

// sameSince reports whether nothing of some things has changed since a mark.
func (c *Changes) sameSince(m Mark, ids []model.ID) bool {
	c.mu.RLock()
	defer c.mu.RUnlock()
	if m < c.since {
		return false
	}
	for _, id := range ids {
		if c.last[id] > m {
			return false
		}
	}
	return true
}

// Values are values by keys, each with the things that it depends on. They are safe for concurrent use.
type Values[K comparable, V any] struct {
	changes *Changes
	kept    *lru.Cache[K, value[V]]
}

type value[V any] struct {
	is  V
	of  []model.ID
	was Mark
}

// NewValues makes room for a number of values, of which those used last are kept.
func NewValues[K comparable, V any](changes *Changes, most int) *Values[K, V] {
	kept, err := lru.New[K, value[V]](most)
	if err != nil {
		panic(err) // most is a constant above zero
	}
	return &Values[K, V]{changes: changes, kept: kept}
}

// Get returns the value of a key, if nothing that it depends on was changed since it was read.
func (v *Values[K, V]) Get(key K) (is V, ok bool) {
	one, ok := v.kept.Get(key)
	if !ok || !v.changes.sameSince(one.was, one.of) {
		return is, false
	}
	return one.is, true
}

// Put keeps a value that was read after a mark.
func (v *Values[K, V]) Put(key K, is V, was Mark, of ...model.ID) {
	v.kept.Add(key, value[V]{is: is, of: of, was: was})
}

// Drop forgets the value of a key.
func (v *Values[K, V]) Drop(key K) { v.kept.Remove(key) }
