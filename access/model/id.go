package model

import (
	"bytes"
	"encoding/hex"
	"errors"
)

// ID identifies a scope, principal or grant for ever, whatever it is called and wherever it is moved. Arbora fills it
// with UUIDv7 values (RFC 9562); the core asks only that no two are equal.
type ID [16]byte

// ErrBadID is returned by [ParseID] for text that is not an id.
var ErrBadID = errors.New("an id has 32 hexadecimal digits in five groups, such as 0190b3a2-7c1e-7f00-8000-0123456789ab")

// IsZero reports whether the id was never set.
func (id ID) IsZero() bool { return id == ID{} }

// Compare puts ids in the order of their bytes, as [bytes.Compare] does.
func (id ID) Compare(other ID) int { return bytes.Compare(id[:], other[:]) }

// String returns the id in the text form of RFC 9562, section 4.
func (id ID) String() string {
	var room [36]byte
	return string(id.Append(room[:0]))
}

// Append adds the text form to bytes.
func (id ID) Append(b []byte) []byte {
	var text [36]byte
	hex.Encode(text[0:8], id[0:4])
	hex.Encode(text[9:13], id[4:6])
	hex.Encode(text[14:18], id[6:8])
	hex.Encode(text[19:23], id[8:10])
	hex.Encode(text[24:36], id[10:16])
	text[8], text[13], text[18], text[23] = '-', '-', '-', '-'
	return append(b, text[:]...)
}

// ParseID reads the text form of RFC 9562, section 4. It returns [ErrBadID] for anything else.
func ParseID(text string) (ID, error) {
	var id ID
	if len(text) != 36 || text[8] != '-' || text[13] != '-' || text[18] != '-' || text[23] != '-' {
		return ID{}, ErrBadID
	}
	digits := text[0:8] + text[9:13] + text[14:18] + text[19:23] + text[24:36]
	if _, err := hex.Decode(id[:], []byte(digits)); err != nil {
		return ID{}, ErrBadID
	}
	return id, nil
}

// MarshalText returns the id as [ID.String] does.
func (id ID) MarshalText() ([]byte, error) { return []byte(id.String()), nil }

// UnmarshalText reads an id as [ParseID] does.
func (id *ID) UnmarshalText(text []byte) (err error) {
	*id, err = ParseID(string(text))
	return err
}
