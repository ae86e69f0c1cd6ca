package signin

import (
	"context"
	"errors"
	"fmt"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// LongestKept is how long a key may work on beside the one it was exchanged for.
const LongestKept = 72 * time.Hour

// IssuedKey is a key that somebody issued for somebody else.
type IssuedKey struct {
	Key store.Key
	Of  access.Principal
}

// KeysIssuedBy lists the keys that a user issued for others and that were not taken back, as far as the caller sees whose they are.
// Hidden tells that there are others.
func (s *SignIns) KeysIssuedBy(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef) (keys []IssuedKey, hidden bool, err error) {
	d, p, err := s.Described(ctx, c, organisation, who)
	if err != nil {
		return nil, false, err
	}
	issued, err := s.Records.KeysIssuedBy(ctx, c.Organisation, p.ID)
	for _, k := range issued {
		if of, seen := HolderSeen(d, k); seen {
			keys = append(keys, IssuedKey{k, d.Called(of)})
		} else {
			hidden = true
		}
	}
	return keys, hidden, err
}

// HolderSeen returns whose key a key is, if the caller may describe them.
func HolderSeen(d tenant.Viewer, k store.Key) (of access.Principal, seen bool) {
	of, known := d.Principal(k.Principal)
	return of, known && d.May("describe "+tenant.TypeOf(of.Kind), WhereGoverned(d, of))
}

// ExchangeKey issues a key with all that another may, in its place. The other ends at once, or works on for a while, so that a
// program can be given its new secret meanwhile.
func (s *SignIns) ExchangeKey(ctx context.Context, c tenant.Caller, key string, keep time.Duration) (KeyMade, error) {
	if keep < 0 || keep > LongestKept {
		return KeyMade{}, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("a key works on for at most %d hours beside the new one", int(LongestKept.Hours())), Next: "give the program its new secret within that time", Field: "keepOldFor"}
	}
	id, err := model.ParseID(key)
	if err != nil {
		return KeyMade{}, problem.Missing("key", key, "")
	}
	old, err := s.Records.Key(ctx, id)
	if errors.Is(err, store.ErrNotFound) || err == nil && old.Organisation != c.Organisation {
		return KeyMade{}, problem.Missing("key", key, "")
	} else if err != nil {
		return KeyMade{}, err
	}
	if err := s.keyWorks(old); err != nil {
		return KeyMade{}, &problem.Problem{Kind: problem.Conflict, Detail: "this API key no longer works, so there is nothing to exchange", Next: "issue another one"}
	}
	if old.Tokens != nil {
		return KeyMade{}, &problem.Problem{Kind: problem.Conflict, Detail: "this key has no secret: tokens of " + old.Tokens.Issuer + " take its place", Next: "issue another key, and revoke this one"}
	}
	if old.PublicKey != "" {
		return KeyMade{}, &problem.Problem{Kind: problem.Conflict, Detail: "this key has no secret: its program signs with its own key pair", Next: "issue a key for another pair, and revoke this one"}
	}
	if old.Principal == c.Principal && c.Identity.ID.IsZero() {
		return KeyMade{}, &problem.Problem{Kind: problem.Refused, Detail: "a program cannot exchange its own key", Next: "have a person exchange the key"}
	}
	find := func(d tenant.Viewer) (access.Principal, error) {
		p, ok := d.Principal(old.Principal)
		if !ok || p.ID != c.Principal && !d.May("reset "+tenant.TypeOf(p.Kind), WhereGoverned(d, p)) {
			return p, problem.Missing("key", key, "")
		}
		if p.ID == c.Principal {
			return p, nil
		}
		return p, plan.MayActAs(d, p)
	}
	if err := s.NeedProof(c, "exchange an API key"); err != nil {
		return KeyMade{}, err
	}
	made, err := s.NewKey(c, old.Principal, NewKey{Label: old.Label, Until: old.Until, Governs: old.Governs, Follows: old.Follows})
	if err != nil {
		return KeyMade{}, err
	}
	_, err = s.Make(ctx, c, func(d tenant.Viewer) (tenant.Plan, error) {
		p, err := find(d)
		if err != nil {
			return tenant.Plan{}, err
		}
		end := func(tx tenant.Tx) error { return tx.WithdrawKey(old) }
		what := fmt.Sprintf("exchanged key %s of %s %s for key %s", old.ID, p.Kind.Words(), p.Name, made.Key.ID)
		if until := s.Moment().Add(keep); keep > 0 && (old.Until.IsZero() || until.Before(old.Until)) {
			end = func(tx tenant.Tx) error { return tx.EndKey(old, until) }
			what += ", which works beside it until " + until.UTC().Format(time.RFC3339)
		} else if keep > 0 {
			end = func(tenant.Tx) error { return nil } // it ends earlier by itself
		}
		notices, err := plan.Notice(d, ctx, c, p, "An API key of yours was exchanged for another.", "exchanged one of your API keys for another.")
		return tenant.Plan{Beside: func(tx tenant.Tx) error { return errors.Join(tx.CreateKey(made.Key), end(tx)) }, What: what, Notices: notices}, err
	})
	return made, err
}
