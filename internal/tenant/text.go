package tenant

import (
	"fmt"
	"net/mail"
	"strings"
	"unicode"
	"unicode/utf8"

	"arbora.example/internal/problem"
)

// CheckLine refuses text that is not one clean line: it may hold no control characters, nor any that turn the direction of
// what stands beside it, for they have a title read as another.
func CheckLine(field, what, text string) error {
	if !utf8.ValidString(text) || strings.ContainsFunc(text, func(r rune) bool {
		return unicode.IsControl(r) || unicode.In(r, unicode.Bidi_Control, unicode.Zl, unicode.Zp)
	}) {
		return &problem.Problem{Kind: problem.Invalid, Detail: what + " holds characters that are not printed", Next: "write it as one line of text", Field: field}
	}
	return nil
}

// CheckEmail refuses what is no bare email address (RFC 5322). None at all is allowed.
func CheckEmail(email string) error {
	if email == "" {
		return nil
	}
	if parsed, err := mail.ParseAddress(email); err != nil || parsed.Address != email {
		return &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("%q is not a valid email address", email), Next: "write one such as bram@lindenmere.example, or none", Field: "email"}
	}
	return nil
}
