package credential

import (
	"crypto/rand"
	"strings"
	"time"
)

// A terminal that wants somebody let in waits for DeviceWaits, and asks no oftener than every DevicePause (RFC 8628).
const (
	DeviceWaits = 10 * time.Minute
	DevicePause = 2 * time.Second
)

// userCodeLetters cannot be misread for each other and spell no words (RFC 8628, section 6.1).
const userCodeLetters = "BCDFGHJKLMNPQRSTVWXZ"

// NewUserCode makes the code that a person types, such as WDJB-MJHT: about 35 bits, good for DeviceWaits.
func NewUserCode() string {
	var code strings.Builder
	for code.Len() < 9 {
		if code.Len() == 4 {
			code.WriteByte('-')
		}
		var b [1]byte
		rand.Read(b[:]) // never fails since Go 1.24
		if at := int(b[0] & 31); at < len(userCodeLetters) {
			code.WriteByte(userCodeLetters[at])
		}
	}
	return code.String()
}

// ParseUserCode reads a code as people type it, with or without the hyphen and in either case.
func ParseUserCode(text string) string {
	var letters strings.Builder
	for _, r := range strings.ToUpper(text) {
		if strings.ContainsRune(userCodeLetters, r) {
			letters.WriteRune(r)
		}
	}
	code := letters.String()
	if len(code) != 8 {
		return ""
	}
	return code[:4] + "-" + code[4:]
}
