package credential

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"time"
)

// ProofFor is how long a password or passkey, once given, is a fresh proof of who somebody is.
const ProofFor = 5 * time.Minute

// A session ends SessionLifetime after sign-in, and SessionIdle after it was last used, where the organisation has not decided
// otherwise.
const (
	SessionLifetime = 12 * time.Hour
	SessionIdle     = 2 * time.Hour
)

// Token is the secret that stands for a session. Only its hash is kept.
type Token string

// NewToken makes a random token of 256 bits.
func NewToken() Token {
	var random [32]byte
	rand.Read(random[:]) // never fails since Go 1.24
	return Token(base64.RawURLEncoding.EncodeToString(random[:]))
}

// Hash returns what is kept of a token.
func (t Token) Hash() [32]byte { return sha256.Sum256([]byte(t)) }

// CSRF returns the value a browser must send beside its cookie. It follows from the token, so nothing more is kept, and
// tells nothing about it.
func (t Token) CSRF() string {
	mac := hmac.New(sha256.New, []byte(t))
	mac.Write([]byte("csrf"))
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil))
}
