package outside

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"
)

// OIDC is what a provider is trusted by over OpenID Connect Core 1.0: its issuer, and what Arbora is to it.
type OIDC struct {
	Issuer   string
	ClientID string
	Secret   string
	// Assert, when it is not nil, signs for an endpoint in place of a secret (private_key_jwt; OpenID Connect Core 1.0, section 9).
	Assert func(ctx context.Context, endpoint string) (string, error)
	Return string // the redirect URI, which is this trust's alone
	Scopes []string
}

// Issuer is a provider that was discovered (OpenID Connect Discovery 1.0). Its keys are fetched again when a token is signed by one that is not
// known. It is safe for concurrent use.
type Issuer struct {
	trust  OIDC
	client *http.Client
	found  *oidc.Provider
	more   metadata
	now    func() time.Time
	check  *oidc.IDTokenVerifier
}

// metadata is what the library does not read of the discovered document.
type metadata struct {
	Issuer     string `json:"issuer"`
	TellsIssue bool   `json:"authorization_response_iss_parameter_supported"` // RFC 9207
	EndSession string `json:"end_session_endpoint"`                           // OpenID Connect RP-Initiated Logout 1.0
}

// plain leaves out of an error what was asked for, which whoever reads it knows.
func plain(err error) error {
	var asked *url.Error
	if errors.As(err, &asked) {
		return asked.Err
	}
	return err
}

// signed are the algorithms that tokens may be signed by: with a key pair, never with a shared secret, never with none (RFC 8725, section 3.1).
var signed = []string{oidc.RS256, oidc.RS384, oidc.RS512, oidc.PS256, oidc.PS384, oidc.PS512, oidc.ES256, oidc.ES384, oidc.ES512, oidc.EdDSA}

// Skew is by how much a provider's clock may differ.
const Skew = time.Minute

// DownError says that a provider could not be asked.
type DownError struct{ Cause error }

func (e *DownError) Error() string { return e.Cause.Error() }
func (e *DownError) Unwrap() error { return e.Cause }

// Discover reads what a provider says of itself. The error is a [*DownError].
func (f Fetcher) Discover(ctx context.Context, trust OIDC, now func() time.Time) (*Issuer, error) {
	address, err := CheckAddress(trust.Issuer)
	if err != nil {
		return nil, &DownError{err}
	}
	i := &Issuer{trust: trust, client: f.client(address), now: now}
	// What is fetched later is fetched with this client, and not ended with this request.
	i.found, err = oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), i.client), trust.Issuer)
	if err == nil {
		err = i.found.Claims(&i.more)
	}
	if err != nil {
		return nil, &DownError{plain(err)}
	}
	for _, endpoint := range []string{i.found.Endpoint().AuthURL, i.found.Endpoint().TokenURL} {
		if _, err := CheckAddress(endpoint); err != nil {
			return nil, &DownError{err}
		}
	}
	i.check = i.found.Verifier(&oidc.Config{ClientID: trust.ClientID, SupportedSigningAlgs: signed, Now: now})
	return i, nil
}

func (i *Issuer) party() oauth2.Config {
	return oauth2.Config{ClientID: i.trust.ClientID, ClientSecret: i.trust.Secret, Endpoint: i.found.Endpoint(), RedirectURL: i.trust.Return, Scopes: append([]string{oidc.ScopeOpenID}, i.trust.Scopes...)}
}

// Asked is what is kept while a person is at the provider, to hold what comes back against.
type Asked struct {
	State    string    `json:"state"`
	Nonce    string    `json:"nonce"`
	Verifier string    `json:"verifier"` // PKCE (RFC 7636)
	Fresh    bool      `json:"fresh"`    // the person is to sign in anew
	At       time.Time `json:"at"`
}

// Ask returns where a browser is sent to sign in, and what is to be kept meanwhile. Fresh demands that they sign in there now, whatever they did
// before.
func (i *Issuer) Ask(fresh bool) (address string, asked Asked) {
	asked = Asked{State: rand.Text(), Nonce: rand.Text(), Verifier: oauth2.GenerateVerifier(), Fresh: fresh, At: i.now()}
	options := []oauth2.AuthCodeOption{oidc.Nonce(asked.Nonce), oauth2.S256ChallengeOption(asked.Verifier)}
	if fresh {
		options = append(options, oauth2.SetAuthURLParam("max_age", "0"), oauth2.SetAuthURLParam("prompt", "login"))
	}
	config := i.party()
	return config.AuthCodeURL(asked.State, options...), asked
}

// Returned is what a browser brings back from the provider.
type Returned struct {
	Code, Issuer string // Issuer as the answer tells it (RFC 9207); empty for not told
	Error        string // why the provider lets nobody in; empty for a code
	Description  string
}

// Said is what a provider says of a person who signed in.
type Said struct {
	Claims  map[string]any
	Session string // the provider's own name for its session; empty for none
	Token   string // the ID token, to end the session there with
}

// Answer takes what a browser brought back for what the provider says of the person. A [*DownError] says that the provider could not be
// asked; another error, what was wrong with its answer.
func (i *Issuer) Answer(ctx context.Context, asked Asked, back Returned) (Said, error) {
	switch {
	case back.Issuer != "" && back.Issuer != i.more.Issuer, back.Issuer == "" && i.more.TellsIssue:
		return Said{}, errors.New("the answer is not from the issuer that was asked (RFC 9207)")
	case back.Error != "":
		return Said{}, fmt.Errorf("it says %s", english(back))
	case back.Code == "":
		return Said{}, errors.New("the answer has no code")
	}
	ctx = oidc.ClientContext(ctx, i.client)
	config := i.party()
	options := []oauth2.AuthCodeOption{oauth2.VerifierOption(asked.Verifier)}
	if i.trust.Assert != nil {
		assertion, err := i.trust.Assert(ctx, config.Endpoint.TokenURL)
		if err != nil {
			return Said{}, err
		}
		config.Endpoint.AuthStyle = oauth2.AuthStyleInParams
		options = append(options, oauth2.SetAuthURLParam("client_assertion_type", "urn:ietf:params:oauth:client-assertion-type:jwt-bearer"), oauth2.SetAuthURLParam("client_assertion", assertion))
	}
	tokens, err := config.Exchange(ctx, back.Code, options...)
	var refused *oauth2.RetrieveError
	switch {
	case errors.As(err, &refused) && refused.Response != nil && refused.Response.StatusCode < http.StatusInternalServerError:
		return Said{}, fmt.Errorf("it refused the code: %s", english(Returned{Error: refused.ErrorCode, Description: refused.ErrorDescription}))
	case err != nil:
		return Said{}, &DownError{plain(err)}
	}
	raw, _ := tokens.Extra("id_token").(string)
	token, err := i.verify(ctx, raw)
	if err != nil {
		return Said{}, err
	}
	if token.Nonce != asked.Nonce {
		return Said{}, errors.New("the token is an answer to another question: its nonce is not the one that was sent")
	}
	said := Said{Token: raw}
	if said.Claims, err = claimsOf(token); err != nil {
		return Said{}, err
	}
	if asked.Fresh {
		if when, ok := moment(said.Claims["auth_time"]); !ok || when.Before(asked.At.Add(-Skew)) {
			return Said{}, errors.New("it does not say that the person signed in just now (auth_time)")
		}
	}
	said.Session, _ = said.Claims["sid"].(string)
	if err := i.addInformation(ctx, tokens, token.Subject, said.Claims); err != nil {
		return Said{}, err
	}
	return said, nil
}

// verify checks a token's signature, issuer, audience and times (OpenID Connect Core 1.0, section 3.1.3.7).
func (i *Issuer) verify(ctx context.Context, raw string) (*oidc.IDToken, error) {
	if raw == "" {
		return nil, errors.New("the answer has no ID token")
	}
	token, err := i.check.Verify(ctx, raw)
	if err != nil {
		return nil, fmt.Errorf("the ID token does not hold: %w", err)
	}
	var times struct {
		Party     string      `json:"azp"`
		NotBefore json.Number `json:"nbf"`
	}
	if err := token.Claims(&times); err != nil {
		return nil, fmt.Errorf("the ID token cannot be read: %w", err)
	}
	from, _ := moment(times.NotBefore)
	soon := i.now().Add(Skew)
	switch {
	case times.Party != "" && times.Party != i.trust.ClientID, times.Party == "" && len(token.Audience) > 1:
		return nil, errors.New("the ID token was made for another party")
	case token.IssuedAt.After(soon) || from.After(soon):
		return nil, errors.New("the ID token is from the future: the provider's clock is ahead")
	}
	return token, nil
}

// Program is what an issuer says of a program by a token that it signed.
type Program struct {
	Subject string
	Claims  map[string]any
	ID      string // the token's own; empty for none
	Until   time.Time
}

// ReadProgram checks a token that an issuer signed for a program, made for the audience that the issuer was discovered with.
func (i *Issuer) ReadProgram(ctx context.Context, raw string) (Program, error) {
	token, err := i.check.Verify(oidc.ClientContext(ctx, i.client), raw)
	if err != nil {
		return Program{}, fmt.Errorf("the token does not hold: %w", err)
	}
	p := Program{Subject: token.Subject, Until: token.Expiry}
	if p.Claims, err = claimsOf(token); err != nil {
		return Program{}, err
	}
	from, _ := moment(p.Claims["nbf"])
	if soon := i.now().Add(Skew); token.IssuedAt.After(soon) || from.After(soon) {
		return Program{}, errors.New("the token is from the future: the issuer's clock is ahead")
	}
	p.ID, _ = p.Claims["jti"].(string)
	return p, nil
}

// IssuerOf reads which issuer a token says that it is from. Nothing of it is checked.
func IssuerOf(raw string) string {
	parts := strings.Split(raw, ".")
	if len(parts) != 3 {
		return ""
	}
	text, err := base64.RawURLEncoding.DecodeString(parts[1])
	if err != nil {
		return ""
	}
	var claims struct {
		Issuer string `json:"iss"`
	}
	if json.Unmarshal(text, &claims) != nil {
		return ""
	}
	return claims.Issuer
}

// addInformation asks for what the token does not say of the person (section 5.3).
func (i *Issuer) addInformation(ctx context.Context, tokens *oauth2.Token, subject string, claims map[string]any) error {
	if i.found.UserInfoEndpoint() == "" || tokens.AccessToken == "" {
		return nil
	}
	information, err := i.found.UserInfo(ctx, oauth2.StaticTokenSource(tokens))
	if err != nil {
		return &DownError{plain(err)}
	}
	if information.Subject != subject {
		return errors.New("its user information is of another person") // section 5.3.2
	}
	more, err := claimsOf(information)
	if err != nil {
		return err
	}
	maps.DeleteFunc(more, func(name string, _ any) bool { _, said := claims[name]; return said })
	maps.Copy(claims, more)
	return nil
}

// claimsOf returns all that a token says, with numbers as they were written.
func claimsOf(token interface{ Claims(any) error }) (map[string]any, error) {
	var raw json.RawMessage
	if err := token.Claims(&raw); err != nil {
		return nil, err
	}
	return Decode(raw)
}

// Decode reads claims, with numbers as they were written.
func Decode(raw []byte) (claims map[string]any, err error) {
	d := json.NewDecoder(bytes.NewReader(raw))
	d.UseNumber()
	return claims, d.Decode(&claims)
}

func moment(value any) (time.Time, bool) {
	number, ok := value.(json.Number)
	if !ok {
		return time.Time{}, false
	}
	seconds, err := number.Float64()
	return time.Unix(int64(seconds), 0), err == nil
}

// english says what went wrong there, as far as the provider says it.
func english(r Returned) string {
	if r.Description == "" {
		return cut(r.Error, 100)
	}
	return cut(r.Error+" ("+r.Description+")", 300)
}

// EndAddress returns where a browser is sent to end the provider's session, too (OpenID Connect RP-Initiated Logout 1.0); empty where it offers
// no such place.
func (i *Issuer) EndAddress(token, back string) string {
	u, err := CheckAddress(i.more.EndSession)
	if err != nil {
		return ""
	}
	q := u.Query()
	q.Set("client_id", i.trust.ClientID)
	q.Set("post_logout_redirect_uri", back)
	if token != "" {
		q.Set("id_token_hint", token)
	}
	u.RawQuery = q.Encode()
	return u.String()
}

// Ended is what a provider says has ended: one of its sessions, or all of a person.
type Ended struct {
	Subject, Session string
	Token            string // its id
	Until            time.Time
}

// ReadLogout checks a logout token (OpenID Connect Back-Channel Logout 1.0, section 2.6).
func (i *Issuer) ReadLogout(ctx context.Context, raw string) (Ended, error) {
	token, err := i.check.VerifyLogout(oidc.ClientContext(ctx, i.client), raw)
	if err != nil {
		return Ended{}, fmt.Errorf("the logout token does not hold: %w", err)
	}
	if token.IssuedAt.After(i.now().Add(Skew)) {
		return Ended{}, errors.New("the logout token is from the future")
	}
	return Ended{Subject: token.Subject, Session: token.SessionID, Token: token.TokenID, Until: token.Expiry.Add(Skew)}, nil
}
