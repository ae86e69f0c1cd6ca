package credential

import (
	"crypto"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"

	"arbora.example/access/model"
)

// SigningFor is how long a key signs new access tokens before another takes its place.
const SigningFor = 24 * time.Hour

// VerifyingFor is how long after it was made a key is still published and verifies what it signed.
const VerifyingFor = SigningFor + 2*TokenLifetime

// AccessToken is what an access token says (a JWT by RFC 9068).
type AccessToken struct {
	ID           model.ID
	Issuer       string
	Audience     string   // whom it is for: the issuer itself, or a platform service that it is shown to
	Key          model.ID // the API key it was made with; zero for one exchanged for a session
	Session      model.ID // the session it was exchanged for; zero for one made with a key
	From         string   // of an exchanged one: the network address it was asked for from
	Principal    model.ID
	Organisation model.ID // zero for a platform service that works in none at present
	IssuedAt     time.Time
	Until        time.Time
}

// claims are the token's claims as RFC 9068, section 2.2, names them.
type claims struct {
	Issuer       string           `json:"iss"`
	Audience     string           `json:"aud"`
	Subject      string           `json:"sub"`
	Client       string           `json:"client_id"`
	ID           string           `json:"jti"`
	IssuedAt     *jwt.NumericDate `json:"iat"`
	Until        *jwt.NumericDate `json:"exp"`
	Organisation string           `json:"organisation,omitempty"`
	Session      string           `json:"sid,omitempty"`  // OpenID Connect Front-Channel Logout 1.0, section 3
	From         string           `json:"from,omitempty"` // Arbora's own
}

// SigningKey signs access tokens and verifies them.
type SigningKey struct {
	ID      string // the thumbprint of its public part (RFC 7638)
	MadeAt  time.Time
	private *rsa.PrivateKey
}

// ExchangedFor is how long a token lasts that was exchanged for another credential.
const ExchangedFor = 5 * time.Minute

// tokenType is the header type of access tokens (RFC 9068, section 2.1).
const tokenType = "at+jwt"

// NewSigningKey makes a key for RS256, which every reader of access tokens must know (RFC 9068, section 2.1).
func NewSigningKey(at time.Time) (SigningKey, error) {
	private, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		return SigningKey{}, err
	}
	return signingKey(private, at)
}

func signingKey(private *rsa.PrivateKey, at time.Time) (SigningKey, error) {
	public := jose.JSONWebKey{Key: private.Public()}
	thumbprint, err := public.Thumbprint(crypto.SHA256)
	return SigningKey{ID: base64.RawURLEncoding.EncodeToString(thumbprint), MadeAt: at, private: private}, err
}

// Marshal returns the key as it is sealed (PKCS #8).
func (k SigningKey) Marshal() ([]byte, error) { return x509.MarshalPKCS8PrivateKey(k.private) }

// ParseSigningKey reads what Marshal gave.
func ParseSigningKey(text []byte, madeAt time.Time) (SigningKey, error) {
	parsed, err := x509.ParsePKCS8PrivateKey(text)
	if err != nil {
		return SigningKey{}, err
	}
	private, ok := parsed.(*rsa.PrivateKey)
	if !ok {
		return SigningKey{}, errors.New("a signing key is not an RSA key")
	}
	return signingKey(private, madeAt)
}

// Public returns the public part, to be published.
func (k SigningKey) Public() jose.JSONWebKey {
	return jose.JSONWebKey{Key: k.private.Public(), KeyID: k.ID, Algorithm: string(jose.RS256), Use: "sig"}
}

// Sign writes a token.
func (k SigningKey) Sign(t AccessToken) (string, error) {
	options := (&jose.SignerOptions{}).WithType(tokenType).WithHeader("kid", k.ID)
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: k.private}, options)
	if err != nil {
		return "", err
	}
	c := claims{
		Issuer: t.Issuer, Audience: t.Audience, Subject: t.Principal.String(), Client: t.Key.String(), ID: t.ID.String(),
		IssuedAt: jwt.NewNumericDate(t.IssuedAt), Until: jwt.NewNumericDate(t.Until), From: t.From,
	}
	if !t.Session.IsZero() {
		c.Session, c.Client = t.Session.String(), t.Audience
	}
	if !t.Organisation.IsZero() {
		c.Organisation = t.Organisation.String()
	}
	return jwt.Signed(signer).Claims(c).Serialize()
}

// assertingFor is how long an assertion holds.
const assertingFor = time.Minute

// Assert writes that whoever signs is a client of somebody else's, for one of their endpoints, once (RFC 7523, section 3).
func (k SigningKey) Assert(client, endpoint string, now time.Time) (string, error) {
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: k.private}, (&jose.SignerOptions{}).WithType("JWT").WithHeader("kid", k.ID))
	if err != nil {
		return "", err
	}
	return jwt.Signed(signer).Claims(jwt.Claims{
		Issuer: client, Subject: client, Audience: jwt.Audience{endpoint}, ID: rand.Text(), IssuedAt: jwt.NewNumericDate(now), Expiry: jwt.NewNumericDate(now.Add(assertingFor)),
	}).Serialize()
}

// ReadAccessToken reads a token that find's key signed; find gives the key of an id. Whether the token has ended is for
// the caller to see.
func ReadAccessToken(text string, find func(id string) (SigningKey, bool)) (AccessToken, error) {
	foreign := errors.New("the access token was not made here")
	signed, err := jose.ParseSignedCompact(text, []jose.SignatureAlgorithm{jose.RS256})
	if err != nil || len(signed.Signatures) != 1 {
		return AccessToken{}, foreign
	}
	header := signed.Signatures[0].Protected
	if header.ExtraHeaders[jose.HeaderType] != tokenType {
		return AccessToken{}, foreign
	}
	key, ok := find(header.KeyID)
	if !ok {
		return AccessToken{}, foreign
	}
	body, err := signed.Verify(key.private.Public())
	if err != nil {
		return AccessToken{}, foreign
	}
	var c claims
	if err := json.Unmarshal(body, &c); err != nil {
		return AccessToken{}, fmt.Errorf("the claims of an access token cannot be read: %w", err)
	}
	if c.Session != "" {
		c.Client = "" // it was made with no key
	}
	t := AccessToken{Issuer: c.Issuer, Audience: c.Audience, From: c.From, IssuedAt: c.IssuedAt.Time(), Until: c.Until.Time()}
	for _, id := range []struct {
		text string
		into *model.ID
	}{{c.ID, &t.ID}, {c.Client, &t.Key}, {c.Subject, &t.Principal}, {c.Organisation, &t.Organisation}, {c.Session, &t.Session}} {
		if id.text == "" {
			continue
		}
		if *id.into, err = model.ParseID(id.text); err != nil {
			return AccessToken{}, err
		}
	}
	return t, nil
}
