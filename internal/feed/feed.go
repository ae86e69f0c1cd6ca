// Package feed is how a follower of an organisation learns what decisions are made by: the whole once, and then each change. The service
// writes it, and package follower reads it.
package feed

import (
	"bytes"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"arbora.example/access"
	"arbora.example/access/catalogue"
)

// State is where an organisation stands. Two states are the same only if all of it is: a database that was restored may come to a
// revision by another way.
type State struct {
	Revision  uint64 `json:"revision"`
	Record    Digest `json:"record"`    // of the change that led there
	Catalogue Digest `json:"catalogue"` // of the installation
	Platform  string `json:"platform"`  // the platform service that follows, by name
}

// Digest is written in hexadecimal.
type Digest [32]byte

// MarshalText writes it.
func (d Digest) MarshalText() ([]byte, error) { return []byte(hex.EncodeToString(d[:])), nil }

// UnmarshalText reads it.
func (d *Digest) UnmarshalText(text []byte) error {
	if hex.DecodedLen(len(text)) != len(d) {
		return fmt.Errorf("%q is no digest", text)
	}
	_, err := hex.Decode(d[:], text)
	return err
}

// String is the text form.
func (d Digest) String() string { return hex.EncodeToString(d[:]) }

// Page is what led to a state from another.
type Page struct {
	State   State  `json:"state"`
	Changes []Step `json:"changes,omitempty"`
	// Reset says that the changes are not known one by one: the follower reads a snapshot anew.
	Reset bool `json:"reset,omitempty"`
}

// Step is what led to a revision from the one before, in the form of [access.EncodeChanges].
type Step struct {
	Revision uint64          `json:"revision"`
	Changes  json.RawMessage `json:"changes"`
}

// Follow returns the snapshot that a page leads to from another.
func (p Page) Follow(now *access.Snapshot) (*access.Snapshot, error) {
	for _, step := range p.Changes {
		if step.Revision != now.Revision()+1 {
			return nil, fmt.Errorf("a step to revision %d does not begin at %d", step.Revision, now.Revision())
		}
		changes, err := access.DecodeChanges(step.Changes)
		if err != nil {
			return nil, err
		}
		if now, err = now.With(step.Revision, changes...); err != nil {
			return nil, err
		}
	}
	if now.Revision() != p.State.Revision {
		return nil, fmt.Errorf("the steps lead to revision %d, not to %d", now.Revision(), p.State.Revision)
	}
	return now, nil
}

// mark begins a snapshot with its state; its last digit is the version of the form.
const mark = "arbora feed 1\n"

// Write writes a state with the catalogue and the snapshot that make it up.
func Write(w io.Writer, state State, s *access.Snapshot) error {
	head, err := json.Marshal(state)
	if err != nil {
		return err
	}
	pack := s.Catalogue().Pack()
	b := append(make([]byte, 0, len(mark)+8+len(head)+len(pack)), mark...)
	for _, part := range [][]byte{head, pack} {
		b = append(binary.BigEndian.AppendUint32(b, uint32(len(part))), part...)
	}
	if _, err := w.Write(b); err != nil {
		return err
	}
	return s.WriteFile(w)
}

// ErrTorn is returned for text that [Write] did not write, or that is cut off.
var ErrTorn = errors.New("it is not whole, or of another version")

// Read reads what [Write] wrote. It keeps no part of the text.
func Read(text []byte) (state State, s *access.Snapshot, err error) {
	rest, ok := bytes.CutPrefix(text, []byte(mark))
	if !ok {
		return state, nil, ErrTorn
	}
	var parts [2][]byte
	for i := range parts {
		if len(rest) < 4 || uint64(len(rest)-4) < uint64(binary.BigEndian.Uint32(rest)) {
			return state, nil, ErrTorn
		}
		size := binary.BigEndian.Uint32(rest)
		parts[i], rest = rest[4:4+size], rest[4+size:]
	}
	if err := json.Unmarshal(parts[0], &state); err != nil {
		return state, nil, fmt.Errorf("%w: %w", ErrTorn, err)
	}
	c, err := catalogue.Unpack(parts[1])
	if err != nil {
		return state, nil, err
	}
	if c.Digest() != state.Catalogue {
		return state, nil, ErrTorn
	}
	if s, err = access.ReadSnapshot(c, rest); err != nil {
		return state, nil, err
	}
	if s.Revision() != state.Revision {
		return state, nil, ErrTorn
	}
	return state, s, nil
}
