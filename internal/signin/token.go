package signin

import (
	"cmp"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/sync/singleflight"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/english"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Access tokens: an API key is turned into one, and it is read back, told about, and taken back.

// Programs show the same token many times: that its signature is right is worked out once.
const verifiedKept = 10_000

func newVerified() *expirable.LRU[[sha256.Size]byte, credential.AccessToken] {
	return expirable.NewLRU[[sha256.Size]byte, credential.AccessToken](verifiedKept, nil, credential.TokenLifetime)
}

// signing keeps the keys that access tokens are signed with.
type signing struct {
	keys    atomic.Pointer[[]credential.SigningKey] // newest first
	making  sync.Mutex
	reading singleflight.Group
}

func (s *signing) known() []credential.SigningKey {
	if keys := s.keys.Load(); keys != nil {
		return *keys
	}
	return nil
}

const sealedSigningKey = "signing key"

// signingKey returns the key that signs at a moment, making one when the newest has signed for long enough.
func (s *SignIns) signingKey(ctx context.Context, now time.Time) (credential.SigningKey, error) {
	fresh := func() (credential.SigningKey, bool) {
		keys := s.signing.known()
		if len(keys) == 0 || !now.Before(keys[0].MadeAt.Add(credential.SigningFor)) {
			return credential.SigningKey{}, false
		}
		return keys[0], true
	}
	if key, ok := fresh(); ok {
		return key, nil
	}
	s.signing.making.Lock()
	defer s.signing.making.Unlock()
	if _, err := s.loadSigningKeys(ctx, now); err != nil {
		return credential.SigningKey{}, err
	}
	if key, ok := fresh(); ok {
		return key, nil
	}
	key, err := credential.NewSigningKey(now)
	if err != nil {
		return key, err
	}
	text, err := key.Marshal()
	if err != nil {
		return key, err
	}
	if err := s.Records.AddSigningKey(ctx, store.SigningKey{ID: key.ID, Sealed: s.sealer.Seal(text, sealedSigningKey), CreatedAt: now}, now.Add(-credential.VerifyingFor)); err != nil {
		return key, err
	}
	keys := append([]credential.SigningKey{key}, s.signing.known()...)
	s.signing.keys.Store(&keys)
	return key, nil
}

// loadSigningKeys reads the keys that still verify. Callers at the same time wait for one reading: tokens that name keys which are
// not there, of which anybody can make as many as they like, cost one query at a time, and hold up nobody whose key is known. It
// reports whether several waited: the reading may then have begun before they asked.
func (s *SignIns) loadSigningKeys(ctx context.Context, now time.Time) (shared bool, err error) {
	_, err, shared = s.signing.reading.Do("", func() (any, error) {
		sealed, err := s.Records.SigningKeys(context.WithoutCancel(ctx), now.Add(-credential.VerifyingFor))
		if err != nil {
			return nil, err
		}
		keys := make([]credential.SigningKey, len(sealed))
		for i, k := range sealed {
			text, err := s.sealer.Open(k.Sealed, sealedSigningKey)
			if err != nil {
				return nil, err
			}
			if keys[i], err = credential.ParseSigningKey(text, k.CreatedAt); err != nil {
				return nil, err
			}
		}
		s.signing.keys.Store(&keys)
		return nil, nil
	})
	return shared, err
}

// verifyingKey finds a key by id; one that another instance made is read from the records.
func (s *SignIns) verifyingKey(ctx context.Context, id string) (key credential.SigningKey, found bool, err error) {
	for readings := 0; ; readings++ {
		keys := s.signing.known()
		if i := slices.IndexFunc(keys, func(k credential.SigningKey) bool { return k.ID == id }); i >= 0 {
			return keys[i], true, nil
		}
		if readings >= 2 {
			return key, false, nil
		}
		shared, err := s.loadSigningKeys(ctx, s.Moment())
		if err != nil {
			return key, false, err
		}
		if !shared {
			readings++
		}
	}
}

// PublicKeys returns what access tokens are verified with, newest first (RFC 7517).
func (s *SignIns) PublicKeys(ctx context.Context) (jose.JSONWebKeySet, error) {
	if _, err := s.signingKey(ctx, s.Moment()); err != nil {
		return jose.JSONWebKeySet{}, err
	}
	var set jose.JSONWebKeySet
	for _, k := range s.signing.known() {
		set.Keys = append(set.Keys, k.Public())
	}
	return set, nil
}

// Program is a program that shows its API key.
type Program struct {
	Key    string // the key's id
	Secret credential.Secret
	// Assertion takes the place of a secret: a JWT that the program signed (RFC 7523).
	Assertion string
	// Organisation is where a platform service wants to work; others work where they belong.
	Organisation string
	From         string
}

// asserts refuses an assertion that is not of the program of a key, or that was used before.
func (s *SignIns) asserts(ctx context.Context, asserted credential.Assertion, k store.Key) error {
	public, err := credential.ParsePublicKey(k.PublicKey)
	if err != nil {
		return err
	}
	now := s.Moment()
	once, until, err := asserted.Holds(public, []string{s.Address(), s.Address() + "/oauth/token"}, now)
	if err != nil {
		return notAsserted(err)
	}
	fresh, err := s.Records.TakeAssertion(ctx, once, until, now)
	if err == nil && !fresh {
		err = notAsserted(errors.New("the assertion was used before"))
	}
	return err
}

func notAsserted(why error) *problem.Problem {
	return &problem.Problem{Kind: problem.Foreign, Detail: why.Error(), Next: "sign another with the private half of the pair: iss and sub the key's id, aud this service's address, a jti of its own"}
}

// key finds the API key that a program shows, if it still works.
func (s *SignIns) key(ctx context.Context, p Program) (store.Key, error) {
	var asserted credential.Assertion
	if p.Assertion != "" {
		var err error
		if asserted, err = credential.ReadAssertion(p.Assertion); err != nil || p.Key != "" && p.Key != asserted.Key {
			s.guesses.wait(showingKeys, p.From)
			return store.Key{}, notAsserted(cmp.Or(err, errors.New("client_id and the assertion name different keys")))
		}
		p.Key = asserted.Key
	}
	if p.Key == "" {
		return store.Key{}, &problem.Problem{Kind: problem.NotSignedIn, Detail: "no API key was given", Next: "send its id and secret"}
	}
	unknown := &problem.Problem{Kind: problem.Foreign, Detail: "this service has no such API key, or the secret is wrong", Next: "check the id, the secret and the service's address"}
	// Only what is wrong counts: programs that show what they have are never slowed down.
	if wait := s.guesses.left(showingKeys, p.From); wait > 0 {
		return store.Key{}, problem.Wait("too many wrong keys from your network address", wait)
	}
	id, err := model.ParseID(p.Key)
	if err != nil {
		s.guesses.wait(showingKeys, p.From)
		return store.Key{}, unknown
	}
	var k store.Key
	asserting := false
	err = s.withKey(ctx, id, model.ID{}, func(found keyFound, err error) error {
		k, asserting = found.Key, p.Assertion != "" && found.PublicKey != ""
		switch {
		case err != nil:
			return err
		case asserting:
			return nil
		case k.PublicKey != "" || k.Tokens != nil || !p.Secret.Matches(k.SecretHash):
			return unknown
		}
		return s.keyWorks(k)
	})
	note := ""
	if errors.Is(err, store.ErrNotFound) || errors.Is(err, unknown) {
		err, note = unknown, "API key "+id.String()+" was shown with a wrong secret, or is not there"
		s.guesses.wait(showingKeys, p.From)
	} else if err == nil && asserting {
		if err = s.asserts(ctx, asserted, k); err != nil {
			note = "an assertion of API key " + id.String() + " does not hold"
			s.guesses.wait(showingKeys, p.From)
		} else {
			err = s.keyWorks(k)
		}
	}
	var refused *problem.Problem
	if errors.As(err, &refused) {
		note = cmp.Or(note, "API key "+id.String()+" was shown, which no longer works")
		return store.Key{}, errors.Join(err, s.NoteFailure(ctx, s.NameOf(k.Organisation), p.From, "key-failed", note))
	}
	return k, err
}

func (s *SignIns) keyWorks(k store.Key) error {
	switch {
	case !k.WithdrawnAt.IsZero():
		return &problem.Problem{Kind: problem.Revoked, Detail: "the API key was revoked", Next: "ask for another"}
	case !k.Until.IsZero() && !s.Moment().Before(k.Until):
		return &problem.Problem{Kind: problem.Expired, Detail: "the API key has expired", Next: "ask for another"}
	}
	return nil
}

// IssueToken turns an API key into an access token.
func (s *SignIns) IssueToken(ctx context.Context, p Program) (text string, token credential.AccessToken, err error) {
	k, err := s.key(ctx, p)
	if err != nil {
		return "", token, err
	}
	return s.tokenFor(ctx, k, p, fmt.Sprintf("turned key %s into an access token", k.ID), time.Time{})
}

// tokenFor makes an access token with a key that was shown, which ends at a moment at the latest; zero for no such moment. What says in the audit
// log what was done for it.
func (s *SignIns) tokenFor(ctx context.Context, k store.Key, p Program, what string, most time.Time) (text string, token credential.AccessToken, err error) {
	now := s.Moment()
	until := now.Add(credential.TokenLifetime)
	if !most.IsZero() && most.Before(until) {
		until = most
	}
	token = credential.AccessToken{
		ID: tenant.NewID(), Issuer: s.Address(), Audience: s.Address(), Key: k.ID, Principal: k.Principal, Organisation: k.Organisation, IssuedAt: now, Until: until,
	}
	if k.Organisation.IsZero() && p.Organisation != "" {
		if token.Organisation, err = s.Records.OrganisationNamed(ctx, p.Organisation); errors.Is(err, store.ErrNotFound) {
			err = problem.Missing("organisation", p.Organisation, "")
		}
		if err != nil {
			return "", token, err
		}
	}
	caller, err := s.programCaller(ctx, token, k, p.From)
	if err == nil {
		err = s.admits(ctx, caller, p.From)
	}
	if err != nil {
		return "", token, err
	}
	signer, err := s.signingKey(ctx, now)
	if err != nil {
		return "", token, err
	}
	if text, err = signer.Sign(token); err != nil {
		return "", token, err
	}
	record := store.AuditRecord{Organisation: caller.OrganisationName, Author: s.Author(caller), Event: "token-issued", Detail: caller.Name + " " + what}
	return text, token, s.Records.TouchKey(ctx, k.ID, now, p.From, record)
}

// isAccessToken tells access tokens, which have three parts, from sessions' tokens, which have one.
func isAccessToken(token credential.Token) bool { return strings.Count(string(token), ".") == 2 }

// readToken reads an access token that this service made and that has not ended. Whether its key still works is not asked.
func (s *SignIns) readToken(ctx context.Context, text credential.Token) (credential.AccessToken, error) {
	var fault, err error
	seal := sha256.Sum256([]byte(text))
	token, verified := s.verified.Get(seal)
	if !verified {
		token, err = credential.ReadAccessToken(string(text), func(id string) (credential.SigningKey, bool) {
			key, found, err := s.verifyingKey(ctx, id)
			fault = err
			return key, found
		})
		if fault == nil && err == nil {
			s.verified.Add(seal, token)
		}
	}
	switch {
	case fault != nil:
		return token, fault
	case err != nil || token.Issuer != s.Address():
		return token, &problem.Problem{Kind: problem.Foreign, Detail: "the access token was not made by this service", Next: "get one from " + s.Address()}
	case !s.Moment().Before(token.Until):
		return token, &problem.Problem{Kind: problem.Expired, Detail: "the access token has expired", Next: "get another with your API key"}
	}
	return token, nil
}

// tokenCaller finds who an access token stands for.
func (s *SignIns) tokenCaller(ctx context.Context, text credential.Token, from string) (tenant.Caller, credential.AccessToken, error) {
	token, err := s.readToken(ctx, text)
	if err != nil {
		return tenant.Caller{}, token, err
	}
	var c tenant.Caller
	if !token.Session.IsZero() {
		err = s.withSessionOf(ctx, token.Session, func(session store.Session, err error) error {
			c, err = s.sessionCaller(ctx, session, err, "", from)
			if err == nil && c.Organisation != token.Organisation {
				err = &problem.Problem{Kind: problem.Revoked, Detail: "the session works in another organisation by now", Next: "get another token"}
			}
			return err
		})
		c.Audience, c.ProvedAt = token.Audience, time.Time{}
		return c, token, err
	}
	err = s.withKey(ctx, token.Key, token.ID, func(k keyFound, err error) error {
		if errors.Is(err, store.ErrNotFound) || err == nil && k.tokenRevoked {
			return &problem.Problem{Kind: problem.Revoked, Detail: "the access token was revoked", Next: "get another with your API key"}
		} else if err != nil {
			return err
		}
		if err := s.keyWorks(k.Key); err != nil {
			return err
		}
		c, err = s.programCaller(ctx, token, k.Key, from)
		return err
	})
	if token.Audience != s.Address() {
		c.Audience = token.Audience
	}
	return c, token, err
}

// Cloud is the audience of the tokens that the cloud behind Arbora is shown.
const Cloud = "cloud"

// ExchangeToken exchanges a session's token, or an access token, for one of minutes that is good for one audience alone: the cloud,
// or a platform service.
func (s *SignIns) ExchangeToken(ctx context.Context, shown credential.Token, audience, from string) (credential.Token, error) {
	c, err := s.Caller(ctx, shown, from)
	if err != nil {
		return "", err
	}
	if c.Audience != "" || c.Identity.Keeper || c.Organisation.IsZero() {
		return "", &problem.Problem{Kind: problem.Refused, Detail: "this token cannot be exchanged for another", Next: "send the token of a session, or of an API key that belongs to an organisation"}
	}
	catalogue, err := s.CatalogueNow(ctx)
	if err != nil {
		return "", err
	}
	known := []string{Cloud}
	for _, service := range catalogue.Services() {
		if !service.Own() {
			known = append(known, service.Name)
		}
	}
	if !slices.Contains(known, audience) {
		return "", &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("there is no %q to send a token to", audience), Next: "name " + Cloud + " or a platform service", Nearest: english.Nearest(audience, known), Field: "audience"}
	}
	return s.Exchange(ctx, c, audience)
}

// Exchange returns a token of minutes for a caller, which is good for one audience alone, such as a platform service (RFC 8693). It ends
// with the session or key that it was exchanged for.
func (s *SignIns) Exchange(ctx context.Context, c tenant.Caller, audience string) (credential.Token, error) {
	now := s.Moment()
	kept := exchange{c.Session, c.TokenID, c.Organisation, audience, c.From}
	if made, ok := s.exchanged.Get(kept); ok && now.Add(credential.ExchangedFor/5).Before(made.until) {
		return made.token, nil
	}
	token := credential.AccessToken{
		ID: c.TokenID, Issuer: s.Address(), Audience: audience, Key: c.Key, Session: c.Session, Principal: c.Principal, Organisation: c.Organisation,
		From: c.From, IssuedAt: now, Until: now.Add(credential.ExchangedFor),
	}
	if token.ID.IsZero() {
		token.ID = tenant.NewID()
	}
	if c.EndsAt.Before(token.Until) {
		token.Until = c.EndsAt
	}
	signer, err := s.signingKey(ctx, now)
	if err != nil {
		return "", err
	}
	text, err := signer.Sign(token)
	if err == nil {
		s.exchanged.Add(kept, exchanged{credential.Token(text), token.Until})
	}
	return credential.Token(text), err
}

// exchange is what a token was exchanged for, and exchanged the token.
type (
	exchange struct {
		session, token, organisation model.ID
		audience, from               string
	}
	exchanged struct {
		token credential.Token
		until time.Time
	}
)

func newExchanged() *expirable.LRU[exchange, exchanged] {
	return expirable.NewLRU[exchange, exchanged](verifiedKept, nil, credential.ExchangedFor)
}

// programCaller returns the caller a token makes of a key, if it is in use.
func (s *SignIns) programCaller(ctx context.Context, token credential.AccessToken, k store.Key, from string) (tenant.Caller, error) {
	c := tenant.Caller{Organisation: token.Organisation, Principal: k.Principal, From: from, EndsAt: token.Until, Kind: model.PlatformService, MayGovern: k.Governs, KeyUntil: k.Until, Key: k.ID, TokenID: token.ID}
	if k.Follows {
		c.Audience = tenant.Followers
	}
	if token.Organisation.IsZero() {
		catalogue, err := s.CatalogueNow(ctx)
		if err != nil {
			return c, err
		}
		service, ok := catalogue.PlatformService(k.Principal)
		if !ok {
			return c, &problem.Problem{Kind: problem.Revoked, Detail: "the service of this API key is no longer registered", Next: "register it again"}
		}
		c.Name = "service " + service
		return c, nil
	}
	now, err := s.Current(ctx, s.Tenant(token.Organisation))
	if err != nil {
		return c, err
	}
	top, _ := now.Top()
	p, ok := now.Principal(k.Principal)
	c.OrganisationName = top.Name
	if !ok || p.Inactive {
		return c, &problem.Problem{Kind: problem.Revoked, Detail: "the owner of the API key is suspended or retired", Next: "ask an administrator"}
	}
	switch c.Kind = p.Kind; p.Kind {
	case model.ServiceAccount:
		if now.IsRetired(p.Home) {
			return c, &problem.Problem{Kind: problem.Revoked, Detail: "the scope of the service account is retired", Next: "ask an administrator"}
		}
		c.Name = now.Address(p.Home) + "/" + p.Name
	case model.PlatformService:
		c.Name = "service " + p.Name
		if set := s.Tenant(token.Organisation).Decided(); set.Services != nil && !slices.Contains(set.Services, p.Name) {
			return c, &problem.Problem{Kind: problem.Revoked, Detail: "the organisation does not let service " + p.Name + " act in it", Next: "ask its stewards"}
		}
	default:
		c.Name = p.Name + "@" + top.Name
	}
	return c, nil
}

// Introspection is what is told about a token (RFC 7662). A token that does not work is not active, and nothing else is
// told.
type Introspection struct {
	Active       bool
	Subject      model.ID
	Kind         model.PrincipalKind
	Name         string
	Organisation string
	Formerly     []string  // names that the organisation had before
	Key          model.ID  // zero for a session
	Token        model.ID  // zero for a session
	IssuedAt     time.Time // zero for a session
	Until        time.Time
	From         string // of an exchanged token: where it was asked for from
	// Looker is who looks as the subject, by name; empty unless the token was shown to be answered as somebody else.
	Looker string
}

// Introspect tells a platform service, or the program it was made for, about a token: an access token, or a session's.
// Whoever shows it may look as somebody else: then the subject is that other, if they may (see [service.Service.ViewAs]); the error
// is a [*problem.Problem] if they may not.
func (s *SignIns) Introspect(ctx context.Context, p Program, text credential.Token, viewAs *tenant.PrincipalRef) (Introspection, error) {
	k, err := s.key(ctx, p)
	if err != nil {
		return Introspection{}, err
	}
	var c tenant.Caller
	var token credential.AccessToken
	if isAccessToken(text) {
		if c, token, err = s.tokenCaller(ctx, text, p.From); err == nil && token.From != "" {
			err = s.admits(ctx, c, token.From)
		}
	} else {
		c, err = s.Caller(ctx, text, p.From)
	}
	var problem *problem.Problem
	if errors.As(err, &problem) {
		return Introspection{}, s.NoteToken(ctx, p.From, problem)
	} else if err != nil {
		return Introspection{}, err
	}
	if !k.Organisation.IsZero() && token.Key != k.ID || c.Identity.Keeper {
		return Introspection{}, nil
	}
	if c.Wanted, err = s.WantedFactors(ctx, c); err != nil {
		return Introspection{}, err
	} else if len(c.Wanted) > 0 || c.Identity.Temporary {
		return Introspection{}, nil // something comes before anything else
	}
	var formerly []string
	if !c.Organisation.IsZero() {
		now, err := s.Current(ctx, s.Tenant(c.Organisation))
		if err != nil {
			return Introspection{}, err
		}
		top, _ := now.Top()
		formerly = top.Formerly
	}
	looker := ""
	if viewAs != nil {
		looker = c.Name
		if c, err = s.ViewAs(ctx, c, *viewAs); err != nil {
			return Introspection{}, err
		}
		c.Name = c.ViewsAs
	}
	return Introspection{
		Active: true, Looker: looker, Subject: c.Principal, Kind: c.Kind, Name: c.Name, Organisation: c.OrganisationName, Formerly: formerly,
		Key: token.Key, Token: token.ID, IssuedAt: token.IssuedAt, Until: c.EndsAt, From: token.From,
	}, nil
}

// RevokeToken takes an access token back for the program it was made for. One that does not work anyway is as good as
// taken back (RFC 7009, section 2.2).
func (s *SignIns) RevokeToken(ctx context.Context, p Program, text credential.Token) error {
	k, err := s.key(ctx, p)
	if err != nil {
		return err
	}
	token, err := s.readToken(ctx, text)
	var wrong *problem.Problem
	if errors.As(err, &wrong) {
		return nil
	} else if err != nil {
		return err
	}
	if token.Key != k.ID {
		return &problem.Problem{Kind: problem.Refused, Detail: "the access token was made with another API key", Next: "use that one"}
	}
	// Whoever it belongs to may be out of use for now: it is taken back all the same, for when they are back.
	author := store.Author{Name: "key " + k.ID.String(), From: p.From, At: s.Moment()}
	return s.Records.RevokeToken(ctx, token.ID, token.Until, store.AuditRecord{Author: author, Event: "token-revoked", Detail: "an access token of key " + k.ID.String() + " was taken back"})
}
