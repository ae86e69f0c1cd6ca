package credential

import (
	"cmp"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
)

// MinPassword and MaxPassword bound a password's length in characters (NIST SP 800-63B-4, section 3.1.1.2, for a
// password that is the only factor).
const (
	MinPassword = 15
	MaxPassword = 256
)

// TemporaryFor is how long a temporary password opens anything.
const TemporaryFor = 7 * 24 * time.Hour

// leastGuesses is how many guesses a password must withstand: beyond what a throttled attack gets through in years.
const leastGuesses = 1e10

// CheckPassword checks that somebody may choose a password: long enough, and neither common nor made of the person's own
// names, by the estimate of zxcvbn (D. L. Wheeler, USENIX Security 2016). There are no rules about which characters it has
// (NIST SP 800-63B-4).
func CheckPassword(password string, ownNames ...string) error {
	n := utf8.RuneCountInString(password)
	switch {
	case !utf8.ValidString(password):
		return errors.New("the password is not valid UTF-8 text")
	case n < MinPassword:
		return fmt.Errorf("the password has %d characters: use at least %d; four or five unrelated words do well", n, MinPassword)
	case n > MaxPassword:
		return fmt.Errorf("the password has %d characters: use at most %d", n, MaxPassword)
	}
	rest := strings.ToLower(password)
	for _, word := range namesLongestFirst(ownNames) {
		rest = strings.ReplaceAll(rest, word, "")
	}
	if utf8.RuneCountInString(rest) < MinPassword/2 {
		return errors.New("the password is little more than your own names: choose one that nobody would guess from them")
	}
	if zxcvbn.PasswordStrength(password, nil).Guesses >= leastGuesses {
		return nil
	}
	return errors.New("the password is common, or repeats itself: choose one that is harder to guess, such as four or five unrelated words")
}

func namesLongestFirst(names []string) []string {
	words := strings.FieldsFunc(strings.ToLower(strings.Join(names, " ")), func(r rune) bool { return !unicode.IsLetter(r) })
	slices.SortFunc(words, func(a, b string) int { return cmp.Or(len(b)-len(a), strings.Compare(a, b)) })
	return slices.DeleteFunc(words, func(word string) bool { return len(word) < 2 })
}

// GeneratePassword makes a random password of 100 bits in five groups, easy to read out and to type.
func GeneratePassword() string {
	var random [13]byte
	rand.Read(random[:]) // never fails since Go 1.24
	text := strings.ToLower(readable.EncodeToString(random[:]))
	return strings.Join([]string{text[0:4], text[4:8], text[8:12], text[12:16], text[16:20]}, "-")
}

// readable leaves out letters that look like digits.
var readable = base32.NewEncoding("ABCDEFGHJKMNPQRSTVWXYZ0123456789").WithPadding(base32.NoPadding)
