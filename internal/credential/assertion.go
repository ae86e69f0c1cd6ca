package credential

import (
	"crypto"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/rsa"
	"crypto/sha256"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// A program may hold the private half of a key pair in place of a secret: it signs an assertion each time it wants an access token,
// and nothing that it sends can be used again (private_key_jwt, RFC 7523).

// AssertionType says in a token request that an assertion takes the place of a secret (RFC 7523, section 2.2).
const AssertionType = "urn:ietf:params:oauth:client-assertion-type:jwt-bearer"

// AssertionLifetime is the longest that an assertion may be good for, and assertionSkew how far clocks may differ.
const (
	AssertionLifetime = 10 * time.Minute
	assertionSkew     = time.Minute
)

// PublicKey is the public half of a key pair whose private half a program holds; the zero value is none.
type PublicKey struct{ key jose.JSONWebKey }

// IsZero reports whether there is none.
func (k PublicKey) IsZero() bool { return k.key.Key == nil }

// ParsePublicKey reads a public key in PEM (PKIX) or as a JWK (RFC 7517): RSA of 2048 bits and more, P-256, P-384 or Ed25519.
func ParsePublicKey(text string) (PublicKey, error) {
	var key jose.JSONWebKey
	if block, _ := pem.Decode([]byte(text)); block != nil {
		if block.Type != "PUBLIC KEY" {
			return PublicKey{}, fmt.Errorf("the file holds a %s: give the public half of the pair, which begins with BEGIN PUBLIC KEY", block.Type)
		}
		parsed, err := x509.ParsePKIXPublicKey(block.Bytes)
		if err != nil {
			return PublicKey{}, fmt.Errorf("the public key cannot be read: %w", err)
		}
		key.Key = parsed
	} else if err := json.Unmarshal([]byte(text), &key); err != nil {
		return PublicKey{}, errors.New("this is neither a public key in PEM nor a JWK")
	}
	if !key.IsPublic() {
		return PublicKey{}, errors.New("this is a private key, which stays with the program: give the public half of the pair")
	}
	found := PublicKey{jose.JSONWebKey{Key: key.Key}}
	if _, err := found.algorithms(); err != nil {
		return PublicKey{}, err
	}
	return found, nil
}

// Marshal returns the key as a JWK.
func (k PublicKey) Marshal() (string, error) {
	if k.IsZero() {
		return "", nil
	}
	text, err := k.key.MarshalJSON()
	return string(text), err
}

// Thumbprint tells the key apart from others (RFC 7638); empty for none.
func (k PublicKey) Thumbprint() string {
	if k.IsZero() {
		return ""
	}
	sum, err := k.key.Thumbprint(crypto.SHA256)
	if err != nil {
		return "" // of keys that ParsePublicKey would have refused
	}
	return base64.RawURLEncoding.EncodeToString(sum)
}

// algorithms are those by which a signature of the pair can be made.
func (k PublicKey) algorithms() ([]jose.SignatureAlgorithm, error) {
	switch key := k.key.Key.(type) {
	case *rsa.PublicKey:
		if key.N.BitLen() < 2048 {
			return nil, fmt.Errorf("the RSA key has %d bits: use 2048 or more", key.N.BitLen())
		}
		return []jose.SignatureAlgorithm{jose.RS256, jose.PS256}, nil
	case *ecdsa.PublicKey:
		switch key.Curve.Params().BitSize {
		case 256:
			return []jose.SignatureAlgorithm{jose.ES256}, nil
		case 384:
			return []jose.SignatureAlgorithm{jose.ES384}, nil
		}
	case ed25519.PublicKey:
		return []jose.SignatureAlgorithm{jose.EdDSA}, nil
	}
	return nil, errors.New("keys of this kind are not used here: make one with RSA (2048 bits or more), P-256, P-384 or Ed25519")
}

// Assertion is what a program asserts, not yet held against its key.
type Assertion struct {
	Key    string // the API key it names as its subject
	signed *jwt.JSONWebToken
}

// ReadAssertion reads an assertion, and believes nothing of it.
func ReadAssertion(text string) (Assertion, error) {
	signed, err := jwt.ParseSigned(text, []jose.SignatureAlgorithm{jose.RS256, jose.PS256, jose.ES256, jose.ES384, jose.EdDSA})
	if err != nil {
		return Assertion{}, errors.New("the assertion is not a signed JWT, or is signed by an algorithm that is not used here")
	}
	var claims jwt.Claims
	if err := signed.UnsafeClaimsWithoutVerification(&claims); err != nil {
		return Assertion{}, errors.New("the claims of the assertion cannot be read")
	}
	return Assertion{Key: claims.Subject, signed: signed}, nil
}

// Holds checks an assertion at a moment against the key of the program that it names (RFC 7523, section 3). It is meant for one of
// the audiences. Once gives what must not have been seen before, and until when.
func (a Assertion) Holds(key PublicKey, audiences []string, now time.Time) (once [32]byte, until time.Time, err error) {
	algorithms, err := key.algorithms()
	if err != nil {
		return once, until, err
	}
	if !slices.Contains(algorithms, jose.SignatureAlgorithm(a.signed.Headers[0].Algorithm)) {
		return once, until, errors.New("the assertion is signed by an algorithm that its key is not for")
	}
	var claims jwt.Claims
	if err := a.signed.Claims(key.key.Key, &claims); err != nil {
		return once, until, errors.New("the signature of the assertion is wrong")
	}
	switch {
	case claims.Issuer != claims.Subject:
		return once, until, errors.New("the assertion's iss and sub are not both the id of the API key")
	case claims.Expiry == nil:
		return once, until, errors.New("the assertion has no exp")
	case claims.Expiry.Time().After(now.Add(AssertionLifetime + assertionSkew)):
		return once, until, fmt.Errorf("the assertion is good for too long: let it end within %d minutes", int(AssertionLifetime.Minutes()))
	case claims.ID == "":
		return once, until, errors.New("the assertion has no jti")
	}
	if err := claims.ValidateWithLeeway(jwt.Expected{AnyAudience: audiences, Time: now}, assertionSkew); err != nil {
		return once, until, fmt.Errorf("the assertion is not valid: %w", err)
	}
	return sha256.Sum256([]byte(claims.Subject + " " + claims.ID)), claims.Expiry.Time().Add(assertionSkew), nil
}
