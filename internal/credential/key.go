package credential

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"time"
)

// TokenLifetime is how long an access token lasts.
const TokenLifetime = 15 * time.Minute

// Secret is the secret part of an API key: 256 random bits. Nobody guesses it, so a plain hash is enough to keep.
type Secret string

// NewSecret makes a secret.
func NewSecret() Secret {
	var random [32]byte
	rand.Read(random[:]) // never fails since Go 1.24
	return Secret(base64.RawURLEncoding.EncodeToString(random[:]))
}

// Hash returns what is kept of a secret.
func (s Secret) Hash() [32]byte { return sha256.Sum256([]byte(s)) }

// Matches reports, in constant time, whether a secret is the one that was hashed.
func (s Secret) Matches(hash [32]byte) bool {
	own := s.Hash()
	return subtle.ConstantTimeCompare(own[:], hash[:]) == 1
}

// Sealer seals what must be kept readable with a key that is kept elsewhere (AES-256-GCM, NIST SP 800-38D).
type Sealer struct {
	aead     cipher.AEAD
	auditKey []byte
}

// SealingKeySize is the size of a sealing key, in bytes.
const SealingKeySize = 32

// NewSealer makes a sealer of a key of [SealingKeySize] bytes.
func NewSealer(key []byte) (*Sealer, error) {
	if len(key) != SealingKeySize {
		return nil, errors.New("a sealing key has 32 bytes")
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	derived := hmac.New(sha256.New, key)
	derived.Write([]byte("audit log"))
	return &Sealer{aead: aead, auditKey: derived.Sum(nil)}, err
}

// AuditKey returns the key that chains the audit log. It follows from the sealing key, and tells nothing about it.
func (s *Sealer) AuditKey() []byte { return s.auditKey }

// Seal seals a text that belongs to a purpose.
func (s *Sealer) Seal(text []byte, purpose string) []byte {
	return s.aead.Seal(nil, nil, text, []byte(purpose))
}

// Open returns what was sealed for a purpose. It fails for another key, another purpose, or altered bytes.
func (s *Sealer) Open(sealed []byte, purpose string) ([]byte, error) {
	text, err := s.aead.Open(nil, nil, sealed, []byte(purpose))
	if err != nil {
		return nil, errors.New("what is sealed in the database cannot be opened: is the sealing key the one it was sealed with?")
	}
	return text, nil
}
