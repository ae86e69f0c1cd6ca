package catalogue

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
)

// packed is a catalogue as it is handed on: the files that it was made of.
type packed struct {
	General  []byte   `json:"general"`
	Services [][]byte `json:"services"`
	Shipped  int      `json:"shipped"`
}

// Pack returns the catalogue in a form from which [Unpack] makes it again, in another program or version.
func (c *Catalogue) Pack() []byte {
	text, err := json.Marshal(packed{c.general, c.files, c.shipped})
	if err != nil {
		panic(err) // bytes and numbers can always be written
	}
	return text
}

// Unpack makes the catalogue that [Catalogue.Pack] gave.
func Unpack(text []byte) (*Catalogue, error) {
	var p packed
	if err := json.Unmarshal(text, &p); err != nil {
		return nil, fmt.Errorf("a packed catalogue: %w", err)
	}
	if p.Shipped < 0 || p.Shipped > len(p.Services) {
		return nil, fmt.Errorf("a packed catalogue: %d of %d services were shipped", p.Shipped, len(p.Services))
	}
	return load(p.General, p.Shipped, p.Services)
}

// Digest tells the catalogue from others: it is that of what it was made of.
func (c *Catalogue) Digest() [sha256.Size]byte {
	c.digesting.Do(func() { c.digest = sha256.Sum256(c.Pack()) })
	return c.digest
}
