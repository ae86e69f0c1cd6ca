package service

import (
	"context"
	"errors"
	"slices"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// FactorView is what somebody may know of their own second factor.
type FactorView struct {
	InUse    bool
	Codes    int  // recovery codes left
	Required bool // the organisation demands this, or lets it stand for what it demands
}

const sealedFactor = "second factor"

// factorsDemanded gives the factors of which the caller needs one to sign in; none when a password alone will do.
func (s *SignIns) factorsDemanded(ctx context.Context, c Caller) ([]settings.Factor, error) {
	if c.Identity.ID.IsZero() {
		return nil, nil
	}
	demands, err := s.demandsOf(ctx, c)
	return settings.FactorsIn(demands...), err
}

// WantedFactors gives the factors of which the caller has to sign in with one before anything else; none when they need none, or
// signed in with one.
func (s *SignIns) WantedFactors(ctx context.Context, c Caller) ([]settings.Factor, error) {
	demanded, err := s.factorsDemanded(ctx, c)
	if slices.Contains(demanded, c.Factor) {
		return nil, err
	}
	return demanded, err
}

// mayEnrol refuses to let somebody who has to sign in with a factor set another one up, when they have one already and showed none:
// a password alone would otherwise be as good as what is demanded beside it.
func (c Caller) mayEnrol(passkeys int) error {
	switch {
	case len(c.Wanted) == 0 || c.Factor == settings.PasskeyFactor:
		return nil
	case c.Identity.Factor && c.Factor == "":
		return &Problem{Kind: Conflict, Detail: "you have a second factor already", Next: "sign out, and sign in with your password and a code; if you lost the device, ask an administrator to remove it"}
	case passkeys == 0:
		return nil
	}
	return &Problem{Kind: Conflict, Detail: "you have a passkey already", Next: "sign in with it; if you lost it, ask an administrator to remove it"}
}

// Factor tells the caller about their second factor.
func (s *SignIns) Factor(ctx context.Context, c Caller) (FactorView, error) {
	demanded, err := s.factorsDemanded(ctx, c)
	if err != nil {
		return FactorView{}, err
	}
	required := slices.Contains(demanded, settings.CodeFactor)
	f, err := s.records.Factor(ctx, c.Identity.ID)
	if errors.Is(err, store.ErrNotFound) {
		return FactorView{Required: required}, nil
	}
	return FactorView{InUse: f.Confirmed, Codes: f.Codes, Required: required}, err
}

// BeginFactor gives the caller a seed for a device, as an address for QR codes and as it is typed. It counts once a first
// code is given.
func (s *SignIns) BeginFactor(ctx context.Context, c Caller) (uri, seed string, err error) {
	switch {
	case c.Identity.ID.IsZero():
		return "", "", &Problem{Kind: Refused, Detail: "only people have a second factor", Next: "sign in as a person"}
	case c.Identity.Factor:
		return "", "", &Problem{Kind: Conflict, Detail: "you have a second factor already", Next: "take it away first to set up another device"}
	}
	if err := s.needProof(c, "set up a second factor"); err != nil {
		return "", "", err
	}
	if passkeys, err := s.records.Passkeys(ctx, c.Identity.ID); err != nil {
		return "", "", err
	} else if err := c.mayEnrol(len(passkeys)); err != nil {
		return "", "", err
	}
	if uri, seed, err = credential.FactorSeed(c.Name); err != nil {
		return "", "", err
	}
	return uri, seed, s.records.BeginFactor(ctx, c.Identity.ID, s.sealer.Seal([]byte(seed), sealedFactor+c.Identity.ID.String()))
}

func (s *SignIns) seed(f store.Factor, identity model.ID) (string, error) {
	seed, err := s.sealer.Open(f.Sealed, sealedFactor+identity.String())
	return string(seed), err
}

func wrongCode() *Problem {
	return &Problem{Kind: Invalid, Detail: "the code is wrong or was used already", Next: "wait for the next code of your device; its clock must be right", Field: "code"}
}

// ConfirmFactor puts the caller's second factor into use by a first code, and gives recovery codes, told this once.
func (s *SignIns) ConfirmFactor(ctx context.Context, c Caller, code string) ([]string, error) {
	f, err := s.records.Factor(ctx, c.Identity.ID)
	if errors.Is(err, store.ErrNotFound) || err == nil && f.Confirmed {
		return nil, &Problem{Kind: Conflict, Detail: "there is no second factor to confirm", Next: "begin to set one up"}
	} else if err != nil {
		return nil, err
	}
	seed, err := s.seed(f, c.Identity.ID)
	if err != nil {
		return nil, err
	}
	step, ok, err := credential.CodeStep(seed, code, s.moment())
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, wrongCode()
	}
	codes := credential.NewRecoveryCodes()
	if err := s.records.ConfirmFactor(ctx, c.Identity, c.Session, step, codes, s.author(c)); err != nil {
		return nil, err
	}
	s.notify(ctx, c.Identity, "A second factor was set up.")
	return codes, nil
}

// DropFactor takes the caller's second factor away. It takes their password, so that an unwatched screen is not enough, and a code,
// so that the password is not either.
func (s *SignIns) DropFactor(ctx context.Context, c Caller, password, code string) error {
	if err := s.testOwnPassword(ctx, c, password, "password"); err != nil {
		return err
	}
	var problem *Problem
	if _, err := s.testFactor(ctx, c.Identity, code, c.From); errors.As(err, &problem) && problem.Kind == WrongSignIn {
		return wrongCode() // the session is as good as it was
	} else if err != nil {
		return err
	}
	record := store.AuditRecord{Organisation: c.OrganisationName, Author: s.author(c), Event: "second-factor-dropped", Detail: c.Name + " took away their second factor"}
	if err := s.records.DropFactor(ctx, c.Identity, record); err != nil {
		return err
	}
	s.notify(ctx, c.Identity, "Your second factor was taken away.")
	return nil
}

// ResetFactor takes away the second factor of a user who lost the device and the recovery codes.
func (s *SignIns) ResetFactor(ctx context.Context, c Caller, organisation, name string) error {
	d, err := s.open(ctx, c)
	if err != nil {
		return err
	}
	p, err := d.governed(organisation, Somebody{Kind: "user", Name: name}, "reset")
	if err != nil {
		return err
	}
	if err := d.mayActAs(p); err != nil {
		return err
	}
	if err := s.needProof(c, "take away somebody's second factor"); err != nil {
		return err
	}
	identity, err := s.records.Identity(ctx, p.ID)
	if err != nil {
		return err
	}
	if !identity.Factor {
		return &Problem{Kind: Conflict, Detail: name + " has no second factor", Next: "nothing needs doing"}
	}
	record := store.AuditRecord{Organisation: c.OrganisationName, Author: s.author(c), Event: "second-factor-dropped", Detail: c.Name + " took away the second factor of " + identity.SignIn().String()}
	if err := s.records.DropFactor(ctx, identity, record); err != nil {
		return err
	}
	s.notify(ctx, identity, c.Name+" took away your second factor.")
	return nil
}

// errNoCode says that a code is needed beside the password.
var errNoCode = &Problem{Kind: CodeNeeded, Detail: "a code is needed beside the password", Next: "give the one that your device shows, or a recovery code", Field: "code"}

// testFactor refuses a sign-in without the code of the identity's second factor. It gives what the sign-in counts as begun by.
func (s *SignIns) testFactor(ctx context.Context, i store.Identity, code, from string) (settings.Factor, error) {
	f, err := s.records.Factor(ctx, i.ID)
	if errors.Is(err, store.ErrNotFound) || err == nil && !f.Confirmed {
		return "", nil
	} else if err != nil {
		return "", err
	}
	if code == "" {
		return "", errNoCode
	}
	guess := store.Guess{Name: i.SignIn(), What: credential.CodeFromAnywhere}
	failures, wait, err := s.records.CountGuess(ctx, guess, s.moment(), credential.Delay)
	if err != nil {
		return "", err
	} else if wait > 0 {
		return "", tooOften("too many wrong codes", wait)
	}
	seed, err := s.seed(f, i.ID)
	if err != nil {
		return "", err
	}
	step, ok, err := credential.CodeStep(seed, code, s.moment())
	if err != nil {
		return "", err
	}
	if ok {
		ok, err = s.records.TakeStep(ctx, i.ID, step)
	} else {
		author := store.Author{Name: i.SignIn().String(), From: from, At: s.moment()}
		ok, err = s.records.TakeRecoveryCode(ctx, i, code, author)
	}
	if err != nil {
		return "", err
	} else if ok {
		return settings.CodeFactor, s.records.UncountGuess(ctx, guess)
	}
	answer := wrongCode()
	answer.Kind = WrongSignIn
	return "", s.failed(ctx, i, i.SignIn(), from, failures, "wrong codes", answer)
}
