package signin

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/outside"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// A program elsewhere shows a token that its own issuer signed, and gets an access token of a service account that has a key for such tokens
// (RFC 8693). No secret is kept at either side.

// OutsideProgram is a program that shows a token of its issuer.
type OutsideProgram struct {
	Token   string
	Account string // the address of the service account to become
	Key     string // or the id of its key
	From    string
}

// ExchangeOutside turns a token of somebody else's issuer into an access token.
func (s *SignIns) ExchangeOutside(ctx context.Context, p OutsideProgram) (text string, token credential.AccessToken, err error) {
	if wait := s.guesses.left(showingKeys, p.From); wait > 0 {
		return "", token, problem.Wait("too many wrong keys from your network address", wait)
	}
	k, shown, err := s.outsideKey(ctx, p)
	var refused *problem.Problem
	if errors.As(err, &refused) && refused.Kind != problem.Unreachable {
		s.guesses.wait(showingKeys, p.From)
		who := p.Account
		if who == "" {
			who = "key " + p.Key
		}
		note := "a token of " + short(outside.IssuerOf(p.Token), 200) + " was shown for " + short(who, 200) + ": " + refused.Detail
		err = errors.Join(err, s.NoteFailure(ctx, s.NameOf(k.Organisation), p.From, "key-failed", note))
	}
	if err != nil {
		return "", token, err
	}
	return s.tokenFor(ctx, k, Program{From: p.From}, fmt.Sprintf("came by key %s with a token of %s for %s", k.ID, k.Tokens.Issuer, short(shown.Subject, 200)), shown.Until.UTC())
}

// outsideKey finds the key that a token takes the place of the secret of, and checks the token.
func (s *SignIns) outsideKey(ctx context.Context, p OutsideProgram) (k store.Key, shown outside.Program, err error) {
	keys, err := s.outsideKeys(ctx, p)
	if err != nil {
		return k, shown, err
	}
	from := outside.IssuerOf(p.Token)
	foreign := &problem.Problem{Kind: problem.Foreign, Detail: "no key takes tokens of this issuer for it, or the token cannot be read", Next: "look at the account's keys, and at iss in the token"}
	for _, one := range keys {
		if one.Tokens == nil || one.Tokens.Issuer != from {
			continue
		}
		k = one
		if err = s.keyWorks(one); err == nil {
			shown, err = s.readProgram(ctx, one, p.Token)
		}
		if err == nil {
			return k, shown, nil
		}
		foreign = nil
	}
	if foreign != nil {
		err = foreign
	}
	return k, shown, err
}

// outsideKeys returns the keys that a program may mean: one that it names, or those of an account.
func (s *SignIns) outsideKeys(ctx context.Context, p OutsideProgram) ([]store.Key, error) {
	unknown := &problem.Problem{Kind: problem.Foreign, Detail: "this service has no such key or service account", Next: "send account, the address of a service account, or client_id, the id of its key"}
	if p.Account == "" {
		id, err := model.ParseID(p.Key)
		if err != nil {
			return nil, unknown
		}
		k, err := s.Records.Key(ctx, id)
		if errors.Is(err, store.ErrNotFound) {
			err = unknown
		}
		return []store.Key{k}, err
	}
	home, name := model.SplitAddress(p.Account)
	organisation, _, _ := strings.Cut(home, "/")
	at, now, err := s.organisationCalled(ctx, organisation, unknown)
	if err != nil {
		return nil, err
	}
	place, err := now.Resolve(home, nil)
	if err != nil || place.Rest != "" {
		return nil, unknown
	}
	account, ok := now.ServiceAccountAt(place.Scope.ID, name)
	if !ok {
		return nil, unknown
	}
	return s.Records.Keys(ctx, at, account.ID)
}

// readProgram checks a token against what a key asks of it.
func (s *SignIns) readProgram(ctx context.Context, k store.Key, raw string) (outside.Program, error) {
	issuer, err := s.tokenIssuer(ctx, *k.Tokens)
	if err != nil {
		return outside.Program{}, err
	}
	foreign := func(why string) error {
		return &problem.Problem{Kind: problem.Foreign, Detail: why, Next: "get another token from " + k.Tokens.Issuer + ", made for " + k.Tokens.Audience}
	}
	shown, err := issuer.ReadProgram(ctx, raw)
	if err != nil {
		return shown, foreign(err.Error())
	}
	claims, err := outside.Claims(shown.Claims)
	if err != nil {
		return shown, foreign(err.Error())
	}
	claims["sub"] = []string{shown.Subject}
	rule, err := statement.ParseEntryRule(k.Tokens.Rule)
	if err != nil {
		return shown, err
	}
	if admitted, stops := access.Admits(rule, claims); !admitted {
		return shown, &problem.Problem{Kind: problem.Refused, Detail: "the key asks that " + stops, Next: "show a token for which that holds"}
	}
	if !k.Tokens.Once {
		return shown, nil
	}
	if shown.ID == "" {
		return shown, foreign("the token has no jti, and the key takes each token once")
	}
	fresh, err := s.Records.TakeAssertion(ctx, sha256.Sum256(fmt.Appendf(nil, "token %s %s %s", k.ID, k.Tokens.Issuer, shown.ID)), shown.Until.Add(outside.Skew), s.Moment())
	if err == nil && !fresh {
		err = foreign("the token was used before")
	}
	return shown, err
}

// tokenIssuer returns the issuer whose tokens a key takes.
func (s *SignIns) tokenIssuer(ctx context.Context, t store.OutsideTokens) (*outside.Issuer, error) {
	key := sha256.Sum256(fmt.Appendf(nil, "tokens %s %s", t.Issuer, t.Audience))
	if found, ok := s.issuers.Get(key); ok {
		return found, nil
	}
	found, err := s.fetch.Discover(ctx, outside.OIDC{Issuer: t.Issuer, ClientID: t.Audience}, s.Now)
	if err != nil {
		return nil, s.asDown(err, store.Trust{Issuer: t.Issuer})
	}
	s.issuers.Add(key, found)
	return found, nil
}

// checkTokens refuses a key for tokens that nobody could check.
func checkTokens(wanted NewKey) error {
	t := wanted.Tokens
	if t == nil {
		return nil
	}
	if wanted.PublicKey != "" || wanted.Follows {
		return &problem.Problem{Kind: problem.Invalid, Detail: "a key for tokens of an issuer has no key pair, and is for no follower", Next: "make two keys", Field: "tokens"}
	}
	if _, err := outside.CheckAddress(t.Issuer); err != nil {
		return &problem.Problem{Kind: problem.Invalid, Detail: "the issuer: " + err.Error(), Next: "write it as iss in its tokens", Field: "tokens.issuer"}
	}
	if err := tenant.CheckLine("tokens.audience", "the audience", t.Audience); err != nil {
		return err
	}
	if t.Rule == "" {
		return &problem.Problem{Kind: problem.Invalid, Detail: "without a condition every program of the issuer could become the account", Next: `name which, as in claim.sub is "label-job"`, Field: "tokens.rule"}
	}
	rule, err := statement.ParseEntryRule(t.Rule)
	if err != nil {
		return &problem.Problem{Kind: problem.Invalid, Detail: "the condition cannot be read: " + err.Error(), Next: `write it as claim.sub is "label-job"`, Field: "tokens.rule"}
	}
	t.Rule = rule.String()
	return nil
}
