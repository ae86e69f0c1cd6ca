package client

import (
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// assertionType says in a token request that an assertion takes the place of a secret (RFC 7523, section 2.2).
const assertionType = "urn:ietf:params:oauth:client-assertion-type:jwt-bearer"

// ParsePrivateKey reads a private key in PEM (PKCS #8), by which a program signs its assertions.
func ParsePrivateKey(text []byte) (any, error) {
	block, _ := pem.Decode(text)
	if block == nil || block.Type != "PRIVATE KEY" {
		return nil, errors.New("this is not a private key in PEM (PKCS #8), which begins with BEGIN PRIVATE KEY")
	}
	return x509.ParsePKCS8PrivateKey(block.Bytes)
}

// signAssertion makes an assertion for an audience, by the private half of the pair.
func signAssertion(private any, key, audience string, now time.Time) (string, error) {
	algorithm := jose.RS256
	switch private := private.(type) {
	case *ecdsa.PrivateKey:
		if algorithm = jose.ES256; private.Curve.Params().BitSize == 384 {
			algorithm = jose.ES384
		}
	case ed25519.PrivateKey:
		algorithm = jose.EdDSA
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: algorithm, Key: private}, nil)
	if err != nil {
		return "", err
	}
	return jwt.Signed(signer).Claims(jwt.Claims{
		Issuer: key, Subject: key, Audience: jwt.Audience{audience}, ID: rand.Text(), IssuedAt: jwt.NewNumericDate(now), Expiry: jwt.NewNumericDate(now.Add(time.Minute)),
	}).Serialize()
}
