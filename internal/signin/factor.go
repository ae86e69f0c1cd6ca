package signin

import (
	"context"
	"errors"
	"slices"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// FactorView is what somebody may know of their own second factor.
type FactorView struct {
	InUse    bool
	Codes    int  // recovery codes left
	Required bool // the organisation demands this, or lets it stand for what it demands
}

const sealedFactor = "second factor"

// factorsDemanded returns the factors of which the caller needs one to sign in; none when a password alone will do.
func (s *SignIns) factorsDemanded(ctx context.Context, c tenant.Caller) ([]settings.Factor, error) {
	if c.Identity.ID.IsZero() || c.Identity.By == credential.ByProvider {
		return nil, nil // how strongly their people sign in is for providers to see to
	}
	demands, err := s.demandsOf(ctx, c)
	return settings.FactorsIn(demands...), err
}

// WantedFactors returns the factors of which the caller has to sign in with one before anything else; none when they need none, or
// signed in with one.
func (s *SignIns) WantedFactors(ctx context.Context, c tenant.Caller) ([]settings.Factor, error) {
	demanded, err := s.factorsDemanded(ctx, c)
	if slices.Contains(demanded, c.Factor) {
		return nil, err
	}
	return demanded, err
}

// mayEnrol refuses to let somebody who has to sign in with a factor set another one up, when they have one already and showed none:
// a password alone would otherwise be as good as what is demanded beside it.
func mayEnrol(c tenant.Caller, passkeys int) error {
	switch {
	case len(c.Wanted) == 0 || c.Factor == settings.PasskeyFactor:
		return nil
	case c.Identity.Factor && c.Factor == "":
		return &problem.Problem{Kind: problem.Conflict, Detail: "you have a second factor already", Next: "sign out, and sign in with your password and a code; if you lost the device, ask an administrator to remove it"}
	case passkeys == 0:
		return nil
	}
	return &problem.Problem{Kind: problem.Conflict, Detail: "you have a passkey already", Next: "sign in with it; if you lost it, ask an administrator to remove it"}
}

// Factor tells the caller about their second factor.
func (s *SignIns) Factor(ctx context.Context, c tenant.Caller) (FactorView, error) {
	demanded, err := s.factorsDemanded(ctx, c)
	if err != nil {
		return FactorView{}, err
	}
	required := slices.Contains(demanded, settings.CodeFactor)
	f, err := s.Records.Factor(ctx, c.Identity.ID)
	if errors.Is(err, store.ErrNotFound) {
		return FactorView{Required: required}, nil
	}
	return FactorView{InUse: f.Confirmed, Codes: f.Codes, Required: required}, err
}

// BeginFactor returns a seed for a device of the caller, as an address for QR codes and as it is typed. It counts once a first
// code is given.
func (s *SignIns) BeginFactor(ctx context.Context, c tenant.Caller) (uri, seed string, err error) {
	switch {
	case c.Identity.ID.IsZero():
		return "", "", &problem.Problem{Kind: problem.Refused, Detail: "only people can have a second factor", Next: "sign in as a person"}
	case c.Identity.Factor:
		return "", "", &problem.Problem{Kind: problem.Conflict, Detail: "you have a second factor already", Next: "remove it first to set up another device"}
	}
	if err := needsProvider(c.Identity); err != nil {
		return "", "", err
	}
	if err := s.NeedProof(c, "set up a second factor"); err != nil {
		return "", "", err
	}
	if passkeys, err := s.Records.Passkeys(ctx, c.Identity.ID); err != nil {
		return "", "", err
	} else if err := mayEnrol(c, len(passkeys)); err != nil {
		return "", "", err
	}
	if uri, seed, err = credential.FactorSeed(c.Name); err != nil {
		return "", "", err
	}
	return uri, seed, s.Records.BeginFactor(ctx, c.Identity.ID, s.sealer.Seal([]byte(seed), sealedFactor+c.Identity.ID.String()))
}

func (s *SignIns) seed(f store.Factor, identity model.ID) (string, error) {
	seed, err := s.sealer.Open(f.Sealed, sealedFactor+identity.String())
	return string(seed), err
}

func wrongCode() *problem.Problem {
	return &problem.Problem{Kind: problem.Invalid, Detail: "the code is wrong or was used already", Next: "wait for the next code of your device; its clock must be right", Field: "code"}
}

// ConfirmFactor puts the caller's second factor into use by a first code, and gives recovery codes, told this once.
func (s *SignIns) ConfirmFactor(ctx context.Context, c tenant.Caller, code string) ([]string, error) {
	f, err := s.Records.Factor(ctx, c.Identity.ID)
	if errors.Is(err, store.ErrNotFound) || err == nil && f.Confirmed {
		return nil, &problem.Problem{Kind: problem.Conflict, Detail: "there is no second factor to confirm", Next: "begin to set one up"}
	} else if err != nil {
		return nil, err
	}
	seed, err := s.seed(f, c.Identity.ID)
	if err != nil {
		return nil, err
	}
	step, ok, err := credential.CodeStep(seed, code, s.Moment())
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, wrongCode()
	}
	codes := credential.NewRecoveryCodes()
	if err := s.Records.ConfirmFactor(ctx, c.Identity, c.Session, step, codes, s.Author(c)); err != nil {
		return nil, err
	}
	s.Notify(ctx, c.Identity, "A second factor was set up.")
	return codes, nil
}

// DropFactor takes the caller's second factor away. It takes their password, so that an unwatched screen is not enough, and a code,
// so that the password is not either.
func (s *SignIns) DropFactor(ctx context.Context, c tenant.Caller, password, code string) error {
	if err := s.testOwnPassword(ctx, c, password, "password"); err != nil {
		return err
	}
	var wrong *problem.Problem
	if _, err := s.testFactor(ctx, c.Identity, code, c.From); errors.As(err, &wrong) && wrong.Kind == problem.WrongSignIn {
		return wrongCode() // the session is as good as it was
	} else if err != nil {
		return err
	}
	record := store.AuditRecord{Organisation: c.OrganisationName, Author: s.Author(c), Event: "second-factor-dropped", Detail: c.Name + " removed their second factor"}
	if err := s.Records.DropFactor(ctx, c.Identity, record); err != nil {
		return err
	}
	s.Notify(ctx, c.Identity, "Your second factor was removed.")
	return nil
}

// ResetFactor takes away the second factor of a user who lost the device and the recovery codes.
func (s *SignIns) ResetFactor(ctx context.Context, c tenant.Caller, organisation, name string) error {
	d, err := s.Open(ctx, c)
	if err != nil {
		return err
	}
	p, err := d.Governed(organisation, tenant.PrincipalRef{Kind: "user", Name: name}, "reset")
	if err != nil {
		return err
	}
	if err := plan.MayActAs(d, p); err != nil {
		return err
	}
	if err := s.NeedProof(c, "remove somebody's second factor"); err != nil {
		return err
	}
	identity, err := s.Records.Identity(ctx, p.ID)
	if err != nil {
		return err
	}
	if !identity.Factor {
		return &problem.Problem{Kind: problem.Conflict, Detail: name + " has no second factor", Next: "there is nothing to do"}
	}
	record := store.AuditRecord{Organisation: c.OrganisationName, Author: s.Author(c), Event: "second-factor-dropped", Detail: c.Name + " removed the second factor of " + identity.SignIn().String()}
	if err := s.Records.DropFactor(ctx, identity, record); err != nil {
		return err
	}
	s.Notify(ctx, identity, c.Name+" removed your second factor.")
	return nil
}

// errNoCode says that a code is needed in addition to the password.
var errNoCode = &problem.Problem{Kind: problem.CodeNeeded, Detail: "a code is needed in addition to the password", Next: "give the one that your device shows, or a recovery code", Field: "code"}

// testFactor refuses a sign-in without the code of the identity's second factor. It gives what the sign-in counts as begun by.
func (s *SignIns) testFactor(ctx context.Context, i store.Identity, code, from string) (settings.Factor, error) {
	f, err := s.Records.Factor(ctx, i.ID)
	if errors.Is(err, store.ErrNotFound) || err == nil && !f.Confirmed {
		return "", nil
	} else if err != nil {
		return "", err
	}
	if code == "" {
		return "", errNoCode
	}
	guess := store.Guess{Name: i.SignIn(), What: credential.CodeFromAnywhere}
	failures, wait, err := s.Records.CountGuess(ctx, guess, s.Moment(), credential.Delay)
	if err != nil {
		return "", err
	} else if wait > 0 {
		return "", problem.Wait("too many wrong codes", wait)
	}
	seed, err := s.seed(f, i.ID)
	if err != nil {
		return "", err
	}
	step, ok, err := credential.CodeStep(seed, code, s.Moment())
	if err != nil {
		return "", err
	}
	if ok {
		ok, err = s.Records.TakeStep(ctx, i.ID, step)
	} else {
		author := store.Author{Name: i.SignIn().String(), From: from, At: s.Moment()}
		ok, err = s.Records.TakeRecoveryCode(ctx, i, code, author)
	}
	if err != nil {
		return "", err
	} else if ok {
		return settings.CodeFactor, s.Records.UncountGuess(ctx, guess)
	}
	answer := wrongCode()
	answer.Kind = problem.WrongSignIn
	return "", s.failed(ctx, i, i.SignIn(), from, failures, "wrong codes", answer)
}
