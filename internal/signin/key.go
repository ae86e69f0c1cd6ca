package signin

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/english"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// NewKey is an API key that somebody wants.
type NewKey struct {
	Label   string
	Until   time.Time // zero for one that does not end
	Governs bool      // programs that show it may use permissions to govern
	Follows bool      // of a platform service: for followers, and for nothing else
	// PublicKey is given by a program that signs in place of showing a secret: PEM or a JWK. Empty for one that shows a secret.
	PublicKey string
	// Tokens has the signed tokens of an issuer take the place of a secret; nil for one that has a secret.
	Tokens *store.OutsideTokens
}

// KeyMade is a key just issued; its secret is told this once. A key by which a program signs has none.
type KeyMade struct {
	Key    store.Key
	Secret credential.Secret
}

// Keys lists the keys of a user or service account, and how many there may be.
func (s *SignIns) Keys(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef) (keys []store.Key, most int, err error) {
	d, p, err := s.Described(ctx, c, organisation, who)
	if err != nil {
		return nil, 0, err
	}
	keys, err = s.Records.Keys(ctx, c.Organisation, p.ID)
	return keys, d.Settings.KeysEach, err
}

// OwnKeys lists the caller's own keys.
func (s *SignIns) OwnKeys(ctx context.Context, c tenant.Caller) (keys []store.Key, most int, err error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return nil, 0, err
	}
	keys, err = s.Records.Keys(ctx, c.Organisation, c.Principal)
	return keys, d.Settings.KeysEach, err
}

// CreateKey issues a key for a user or service account.
func (s *SignIns) CreateKey(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef, wanted NewKey) (KeyMade, error) {
	return s.issue(ctx, c, wanted, func(d tenant.Viewer) (access.Principal, error) {
		p, err := d.Governed(organisation, who, "reset")
		if err == nil {
			err = plan.MayActAs(d, p)
		}
		return p, err
	})
}

// CreateOwnKey issues a key for the caller.
func (s *SignIns) CreateOwnKey(ctx context.Context, c tenant.Caller, wanted NewKey) (KeyMade, error) {
	if c.Identity.ID.IsZero() {
		return KeyMade{}, &problem.Problem{Kind: problem.Refused, Detail: "a program cannot issue a key for itself: its short token would last for ever", Next: "have a person issue another key for it"}
	}
	return s.issue(ctx, c, wanted, func(d tenant.Viewer) (access.Principal, error) {
		p, _ := d.Principal(c.Principal)
		return p, nil
	})
}

func (s *SignIns) issue(ctx context.Context, c tenant.Caller, wanted NewKey, find func(tenant.Viewer) (access.Principal, error)) (KeyMade, error) {
	if err := s.NeedProof(c, "issue an API key"); err != nil {
		return KeyMade{}, err
	}
	d, err := s.Open(ctx, c)
	if err != nil {
		return KeyMade{}, err
	}
	p, err := find(d)
	if err != nil {
		return KeyMade{}, err
	}
	if err := s.mayHaveKeys(ctx, p); err != nil {
		return KeyMade{}, err
	}
	made, err := s.NewKey(c, p.ID, wanted)
	if err != nil {
		return KeyMade{}, err
	}
	if wanted.Tokens != nil {
		if p.Kind != model.ServiceAccount {
			return KeyMade{}, TokensNeedAccount()
		}
		if _, err := s.tokenIssuer(ctx, *wanted.Tokens); err != nil {
			return KeyMade{}, err
		}
	}
	_, err = s.Make(ctx, c, func(d tenant.Viewer) (tenant.Plan, error) {
		if _, err := find(d); err != nil {
			return tenant.Plan{}, err
		}
		// Counted while the organisation is locked, so that two at once do not make one too many.
		keys, err := s.Records.Keys(ctx, c.Organisation, p.ID)
		if err != nil {
			return tenant.Plan{}, err
		}
		keys = slices.DeleteFunc(keys, func(k store.Key) bool { return s.keyWorks(k) != nil })
		if len(keys) >= d.Settings.KeysEach {
			return tenant.Plan{}, &problem.Problem{
				Kind: problem.Conflict, Detail: fmt.Sprintf("%s %s has %d API keys already, as many as the organisation allows", p.Kind.Words(), p.Name, len(keys)),
				Next: "revoke one that is no longer used",
			}
		}
		notices, err := plan.Notice(d, ctx, c, p, "An API key of yours was issued.", "issued an API key that opens your account.")
		return tenant.Plan{
			Beside:  func(tx tenant.Tx) error { return tx.CreateKey(made.Key) },
			What:    fmt.Sprintf("issued key %s for %s %s", made.Key.ID, p.Kind.Words(), p.Name),
			Notices: notices,
		}, err
	})
	return made, err
}

// TokensNeedAccount says that only service accounts have keys for tokens of an issuer.
func TokensNeedAccount() *problem.Problem {
	return &problem.Problem{Kind: problem.Conflict, Detail: "tokens of an issuer stand for a program", Next: "make a service account for it", Field: "tokens"}
}

// mayHaveKeys refuses keys for those who do not sign in by them.
func (s *SignIns) mayHaveKeys(ctx context.Context, p access.Principal) error {
	if p.Kind == model.ServiceAccount {
		return nil
	}
	if p.Kind == model.User {
		identity, err := s.Records.Identity(ctx, p.ID)
		if err != nil || identity.By.TakesKeys() {
			return err
		}
	}
	return &problem.Problem{
		Kind: problem.Conflict, Detail: fmt.Sprintf("%s %s does not sign in by API keys", p.Kind.Words(), p.Name),
		Next: "make a service account for a program, or a user who signs in by keys",
	}
}

// NewKey makes an API key of a principal that is still to be written.
func (s *SignIns) NewKey(c tenant.Caller, principal model.ID, wanted NewKey) (KeyMade, error) {
	now := s.Moment()
	if wanted.Follows && !c.Identity.Keeper {
		return KeyMade{}, &problem.Problem{Kind: problem.Invalid, Detail: "only keys of platform services are for followers", Next: "ask a keeper for one", Field: "follows"}
	}
	if wanted.Follows && wanted.Governs {
		return KeyMade{}, &problem.Problem{Kind: problem.Invalid, Detail: "a key for followers opens nothing that governs", Next: "make two keys", Field: "follows"}
	}
	if err := tenant.CheckLine("label", "the label", wanted.Label); err != nil {
		return KeyMade{}, err
	}
	if !wanted.Until.IsZero() && !wanted.Until.After(now) {
		return KeyMade{}, &problem.Problem{Kind: problem.Invalid, Detail: "the end of the key is in the past", Next: "give a moment to come, or none", Field: "until"}
	}
	if !c.KeyUntil.IsZero() && (wanted.Until.IsZero() || wanted.Until.After(c.KeyUntil)) {
		return KeyMade{}, &problem.Problem{Kind: problem.Refused, Detail: "the key would outlast the one you act by", Next: "have it end before " + c.KeyUntil.Format(time.RFC3339), Field: "until"}
	}
	if err := checkTokens(wanted); err != nil {
		return KeyMade{}, err
	}
	public := credential.PublicKey{}
	if wanted.PublicKey != "" {
		var err error
		if public, err = credential.ParsePublicKey(wanted.PublicKey); err != nil {
			return KeyMade{}, &problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Next: "make a pair, and give its public half", Field: "publicKey"}
		}
	}
	kept, err := public.Marshal()
	if err != nil {
		return KeyMade{}, err
	}
	secret := credential.NewSecret()
	made := KeyMade{Secret: secret, Key: store.Key{
		ID: tenant.NewID(), Organisation: c.Organisation, Principal: principal, SecretHash: secret.Hash(), Label: wanted.Label,
		CreatedAt: now, CreatedBy: c.Name, Issuer: c.Principal, Until: wanted.Until, Governs: wanted.Governs, Follows: wanted.Follows, PublicKey: kept, Tokens: wanted.Tokens,
	}}
	if kept != "" || wanted.Tokens != nil {
		made.Secret = "" // nobody learns it, and what is kept of it opens nothing
	}
	return made, nil
}

// WithdrawKey takes a key back: one of the caller's own, or of somebody whose keys they may issue. Tokens made with it
// end at once.
func (s *SignIns) WithdrawKey(ctx context.Context, c tenant.Caller, key string) error {
	id, err := model.ParseID(key)
	if err != nil {
		return problem.Missing("key", key, "")
	}
	k, err := s.Records.Key(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return problem.Missing("key", key, "")
	} else if err != nil {
		return err
	}
	if k.Organisation.IsZero() {
		if err := tenant.NeedKeeper(c, "revoke the keys of services"); err != nil {
			return err
		}
		if err := s.Records.WithdrawServiceKey(ctx, k, s.Author(c)); err != nil {
			return err
		}
		return s.tellEverywhere(ctx, c, "service-key-withdrawn", fmt.Sprintf("keeper %s revoked key %s of a platform service", c.Name, k.ID))
	}
	if k.Organisation != c.Organisation {
		return problem.Missing("key", key, "")
	}
	if c.Identity.ID.IsZero() && k.Principal == c.Principal {
		// A program may always take back its own.
	} else if err := s.NeedProof(c, "revoke an API key"); err != nil {
		return err
	}
	_, err = s.Make(ctx, c, func(d tenant.Viewer) (tenant.Plan, error) {
		p, _ := d.Principal(k.Principal)
		if p.ID != c.Principal {
			if !d.May("reset "+tenant.TypeOf(p.Kind), WhereGoverned(d, p)) {
				return tenant.Plan{}, problem.Missing("key", key, "")
			}
		}
		notices, err := plan.Notice(d, ctx, c, p, "An API key of yours was revoked.", "revoked one of your API keys.")
		return tenant.Plan{
			Beside:  func(tx tenant.Tx) error { return tx.WithdrawKey(k) },
			What:    fmt.Sprintf("revoked key %s of %s %s", k.ID, p.Kind.Words(), p.Name),
			Notices: notices,
		}, err
	})
	return err
}

// ServiceKeys lists the keys of a platform service, for keepers.
func (s *SignIns) ServiceKeys(ctx context.Context, c tenant.Caller, service string) ([]store.Key, error) {
	if err := s.keptService(ctx, c, service); err != nil {
		return nil, err
	}
	return s.Records.Keys(ctx, model.ID{}, model.PlatformServiceID(service))
}

// CreateServiceKey issues a key for a platform service, which acts by it in every organisation, for keepers.
func (s *SignIns) CreateServiceKey(ctx context.Context, c tenant.Caller, service string, wanted NewKey) (KeyMade, error) {
	if err := s.keptService(ctx, c, service); err != nil {
		return KeyMade{}, err
	}
	if wanted.Tokens != nil {
		return KeyMade{}, TokensNeedAccount()
	}
	keys, err := s.Records.Keys(ctx, model.ID{}, model.PlatformServiceID(service))
	if err != nil {
		return KeyMade{}, err
	}
	if most := settings.DefaultSettings().KeysEach; len(keys) >= most {
		return KeyMade{}, &problem.Problem{Kind: problem.Conflict, Detail: fmt.Sprintf("service %s has %d API keys already", service, len(keys)), Next: "revoke one that is no longer used"}
	}
	made, err := s.NewKey(c, model.PlatformServiceID(service), wanted)
	if err != nil {
		return KeyMade{}, err
	}
	if err := s.Records.CreateServiceKey(ctx, made.Key, service, s.Author(c)); err != nil {
		return made, err
	}
	return made, s.tellEverywhere(ctx, c, "service-key-issued", fmt.Sprintf("keeper %s issued key %s, by which %s", c.Name, made.Key.ID, usedFor(made.Key, service)))
}

// usedFor says what a key of a platform service is used for.
func usedFor(k store.Key, service string) string {
	if k.Follows {
		return "followers of service " + service + " read what decisions are made by"
	}
	return "service " + service + " acts"
}

// tellEverywhere records in every organisation what concerns them all.
func (s *SignIns) tellEverywhere(ctx context.Context, c tenant.Caller, event, detail string) error {
	revisions, err := s.Records.Revisions(ctx)
	if err != nil {
		return err
	}
	for id := range revisions {
		now, err := s.Current(ctx, s.Tenant(id))
		if err != nil {
			return err
		}
		top, _ := now.Top()
		if err := s.Records.Audit(ctx, store.AuditRecord{Organisation: top.Name, Author: s.Author(c), Event: event, Detail: detail}); err != nil {
			return err
		}
	}
	return nil
}

func (s *SignIns) keptService(ctx context.Context, c tenant.Caller, name string) error {
	if err := tenant.NeedKeeper(c, "manage the keys of services"); err != nil {
		return err
	}
	catalogue, err := s.CatalogueNow(ctx)
	if err != nil {
		return err
	}
	var known []string
	for _, service := range catalogue.Services() {
		if service.Name == name && service.Own() {
			return &problem.Problem{Kind: problem.Refused, Detail: name + " is Arbora itself: no program can act as it", Next: "name a service of the cloud"}
		} else if service.Name == name {
			return nil
		}
		known = append(known, service.Name)
	}
	return problem.Missing("service", name, english.Nearest(name, known))
}

// WhereGoverned returns the scope at which a permission on a principal counts: where a service account lives, else the organisation.
func WhereGoverned(d tenant.Viewer, p access.Principal) model.ID {
	if p.Kind == model.ServiceAccount {
		return p.Home
	}
	return d.OrganisationID()
}
