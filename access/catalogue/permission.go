package catalogue

import "math/bits"

// Permission is one operation on one resource type, such as "fetch object", as its number in a [Catalogue]. Numbers
// are dense from 0 and hold for one catalogue only; in records and answers a permission is written out.
type Permission uint16

// Set is a set of permissions as a bitset. The zero value is empty. Sets of one catalogue may be combined.
type Set []uint64

// Has reports whether p is in the set.
func (s Set) Has(p Permission) bool {
	word := int(p / 64)
	return word < len(s) && s[word]&(1<<(p%64)) != 0
}

// Len counts the permissions in the set.
func (s Set) Len() int {
	n := 0
	for _, word := range s {
		n += bits.OnesCount64(word)
	}
	return n
}

// All yields the permissions of the set in the order of their numbers.
func (s Set) All(yield func(Permission) bool) {
	for i, word := range s {
		for ; word != 0; word &= word - 1 {
			if !yield(Permission(i*64 + bits.TrailingZeros64(word))) {
				return
			}
		}
	}
}

// Meets reports whether the two sets have a permission in common.
func (s Set) Meets(other Set) bool {
	for i := range min(len(s), len(other)) {
		if s[i]&other[i] != 0 {
			return true
		}
	}
	return false
}

// Minus returns a new set of what is in s and not in other.
func (s Set) Minus(other Set) Set {
	left := make(Set, len(s))
	for i, word := range s {
		if i < len(other) {
			word &^= other[i]
		}
		left[i] = word
	}
	return left
}

// And returns a new set of what is in both.
func (s Set) And(other Set) Set {
	both := make(Set, min(len(s), len(other)))
	for i := range both {
		both[i] = s[i] & other[i]
	}
	return both
}

// Or returns a new set of what is in either.
func (s Set) Or(other Set) Set {
	either := append(Set(nil), s...)
	either.AddAll(other)
	return either
}

// Add puts a permission into the set.
func (s *Set) Add(p Permission) {
	s.Grow(int(p/64) + 1)
	(*s)[p/64] |= 1 << (p % 64)
}

// AddAll puts all of another set into the set.
func (s *Set) AddAll(other Set) {
	s.Grow(len(other))
	for i, word := range other {
		(*s)[i] |= word
	}
}

// Take puts all of another set into the set, which has room for it.
func (s Set) Take(other Set) {
	for i, word := range other {
		s[i] |= word
	}
}

// Grow makes room for a number of 64-bit words.
func (s *Set) Grow(words int) {
	if words > len(*s) {
		*s = append(*s, make(Set, words-len(*s))...)
	}
}
