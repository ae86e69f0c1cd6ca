package service

import (
	"context"
	"errors"
	"fmt"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/store"
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
func (s *SignIns) KeysIssuedBy(ctx context.Context, c Caller, organisation string, who Somebody) (keys []IssuedKey, hidden bool, err error) {
	d, p, err := s.described(ctx, c, organisation, who)
	if err != nil {
		return nil, false, err
	}
	issued, err := s.records.KeysIssuedBy(ctx, c.Organisation, p.ID)
	for _, k := range issued {
		if of, seen := d.holderSeen(k); seen {
			keys = append(keys, IssuedKey{k, d.called(of)})
		} else {
			hidden = true
		}
	}
	return keys, hidden, err
}

// holderSeen gives whose key a key is, if the caller may describe them.
func (d desk) holderSeen(k store.Key) (of access.Principal, seen bool) {
	of, known := d.Principal(k.Principal)
	return of, known && d.may("describe "+typeOf(of.Kind), d.whereGoverned(of))
}

// whereGoverned gives the scope at which a permission on a principal counts: where a service account lives, else the organisation.
func (d desk) whereGoverned(p access.Principal) model.ID {
	if p.Kind == model.ServiceAccount {
		return p.Home
	}
	return d.organisationID()
}

// ExchangeKey issues a key with all that another may, in its place. The other ends at once, or works on for a while, so that a
// program can be given its new secret meanwhile.
func (s *SignIns) ExchangeKey(ctx context.Context, c Caller, key string, keep time.Duration) (KeyMade, error) {
	if keep < 0 || keep > LongestKept {
		return KeyMade{}, &Problem{Kind: Invalid, Detail: fmt.Sprintf("a key works on for at most %d hours beside the new one", int(LongestKept.Hours())), Next: "give the program its new secret within that time", Field: "keepOldFor"}
	}
	id, err := model.ParseID(key)
	if err != nil {
		return KeyMade{}, notThere("key", key, "")
	}
	old, err := s.records.Key(ctx, id)
	if errors.Is(err, store.ErrNotFound) || err == nil && old.Organisation != c.Organisation {
		return KeyMade{}, notThere("key", key, "")
	} else if err != nil {
		return KeyMade{}, err
	}
	if err := s.keyWorks(old); err != nil {
		return KeyMade{}, &Problem{Kind: Conflict, Detail: "this API key no longer works, so there is nothing to exchange", Next: "issue another one"}
	}
	if old.PublicKey != "" {
		return KeyMade{}, &Problem{Kind: Conflict, Detail: "nobody was shown a secret of this key: its program signs by a key pair of its own", Next: "issue a key for another pair, and take this one back"}
	}
	if old.Principal == c.Principal && c.Identity.ID.IsZero() {
		return KeyMade{}, &Problem{Kind: Refused, Detail: "a program issues no keys for itself", Next: "have a person exchange the key"}
	}
	find := func(d desk) (access.Principal, error) {
		p, ok := d.Principal(old.Principal)
		if !ok || p.ID != c.Principal && !d.may("reset "+typeOf(p.Kind), d.whereGoverned(p)) {
			return p, notThere("key", key, "")
		}
		if p.ID == c.Principal {
			return p, nil
		}
		return p, d.mayActAs(p)
	}
	if err := s.needProof(c, "exchange an API key"); err != nil {
		return KeyMade{}, err
	}
	made, err := s.newKey(c, old.Principal, NewKey{Label: old.Label, Until: old.Until, Governs: old.Governs})
	if err != nil {
		return KeyMade{}, err
	}
	_, err = s.make(ctx, c, func(d desk) (plan, error) {
		p, err := find(d)
		if err != nil {
			return plan{}, err
		}
		end := func(tx Tx) error { return tx.WithdrawKey(old) }
		what := fmt.Sprintf("exchanged key %s of %s %s for key %s", old.ID, p.Kind.Words(), p.Name, made.Key.ID)
		if until := s.moment().Add(keep); keep > 0 && (old.Until.IsZero() || until.Before(old.Until)) {
			end = func(tx Tx) error { return tx.EndKey(old, until) }
			what += ", which works beside it until " + until.UTC().Format(time.RFC3339)
		} else if keep > 0 {
			end = func(Tx) error { return nil } // it ends earlier by itself
		}
		notices, err := d.notice(ctx, c, p, "An API key of yours was exchanged for another.", "exchanged one of your API keys for another.")
		return plan{beside: func(tx Tx) error { return errors.Join(tx.CreateKey(made.Key), end(tx)) }, what: what, notices: notices}, err
	})
	return made, err
}
