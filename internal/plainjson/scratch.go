package plainjson

import "sync"

// Scratch is memory to read or write a body in, which later bodies use again.
type Scratch struct{ Bytes []byte }

var scratches = sync.Pool{New: func() any { return &Scratch{} }}

// Borrow returns some, with no bytes in it.
func Borrow() *Scratch { return scratches.Get().(*Scratch) }

// mostScratch is how much is kept of one, in bytes.
const mostScratch = 1 << 20

// Return gives it back. Nothing may use its bytes after that.
func (s *Scratch) Return() {
	if cap(s.Bytes) <= mostScratch {
		s.Bytes = s.Bytes[:0]
		scratches.Put(s)
	}
}
