package credential

import (
	"crypto/rand"
	"crypto/sha256"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
)

// A second factor is a one-time code by time (RFC 6238) from a program on the person's own device, or a recovery code for
// the day that device is lost.

// codePeriod is how long a code is shown, in seconds, and codeSkew how many codes before and after it are taken too, for
// clocks that differ (RFC 6238, section 5.2).
const (
	codePeriod = 30
	codeSkew   = 1
)

// FactorSeed makes the seed that a device and the service share, as an address for QR codes (otpauth://) that holds it.
func FactorSeed(signIn string) (uri, seed string, err error) {
	key, err := totp.Generate(totp.GenerateOpts{Issuer: "Arbora", AccountName: signIn, Period: codePeriod, SecretSize: 20})
	if err != nil {
		return "", "", err
	}
	return key.URL(), key.Secret(), nil
}

// CodeStep returns the time step of a code, if it is one of the seed's at a moment. A step that was taken is not to be taken
// again (RFC 6238, section 5.2).
func CodeStep(seed, code string, at time.Time) (step int64, ok bool, err error) {
	code = strings.ReplaceAll(strings.TrimSpace(code), " ", "")
	options := totp.ValidateOpts{Period: codePeriod, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1}
	for shift := int64(-codeSkew); shift <= codeSkew; shift++ {
		moment := at.Add(time.Duration(shift) * codePeriod * time.Second)
		valid, err := totp.ValidateCustom(code, seed, moment, options)
		if err == otp.ErrValidateInputInvalidLength {
			return 0, false, nil
		}
		if err != nil {
			return 0, false, err
		}
		if valid {
			return moment.Unix() / codePeriod, true, nil
		}
	}
	return 0, false, nil
}

// recoveryCodes is how many recovery codes somebody gets at a time.
const recoveryCodes = 10

// NewRecoveryCodes makes recovery codes of 120 bits, each to be used once. They are that long because a hash without salt or
// cost is kept of each: whoever steals the records cannot try them all.
func NewRecoveryCodes() []string {
	codes := make([]string, recoveryCodes)
	for i := range codes {
		var random [15]byte
		rand.Read(random[:]) // never fails since Go 1.24
		text := strings.ToLower(readable.EncodeToString(random[:]))
		codes[i] = strings.Join([]string{text[:6], text[6:12], text[12:18], text[18:]}, "-")
	}
	return codes
}

// RecoveryHash returns what is kept of a recovery code, however it was typed.
func RecoveryHash(code string) [32]byte {
	return sha256.Sum256([]byte(strings.ToLower(strings.ReplaceAll(strings.TrimSpace(code), "-", ""))))
}
