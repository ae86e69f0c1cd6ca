package signin

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"

	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// LogoutAddress returns where the caller's browser ends the session at their provider, too; empty where there is none to end.
func (s *SignIns) LogoutAddress(ctx context.Context, c tenant.Caller) (string, error) {
	ends, err := s.Records.EndsOutside(ctx, c.Session)
	if errors.Is(err, store.ErrNotFound) {
		return "", nil
	} else if err != nil {
		return "", err
	}
	t, err := s.Records.Trust(ctx, ends.Trust)
	if errors.Is(err, store.ErrNotFound) {
		return "", nil
	} else if err != nil {
		return "", err
	}
	issuer, err := s.issuer(ctx, t)
	if err != nil {
		return "", s.asDown(err, t)
	}
	token, err := s.sealer.Open(ends.Sealed, sealedToken)
	if err != nil {
		return "", err
	}
	return issuer.EndAddress(string(token), s.Address()+"/"), nil
}

// EndOutside ends the sessions that the provider of a trust says have ended, by a logout token (OpenID Connect Back-Channel Logout 1.0). A token
// counts once.
func (s *SignIns) EndOutside(ctx context.Context, trust model.ID, token, from string) error {
	// Only what is wrong counts: a provider may have many people leave at once.
	if wait := s.guesses.left(showingKeys, from); wait > 0 {
		return problem.Wait("too many attempts from your network address", wait)
	}
	t, err := s.Records.Trust(ctx, trust)
	if errors.Is(err, store.ErrNotFound) {
		s.guesses.wait(showingKeys, from)
		return &problem.Problem{Kind: problem.Invalid, Detail: "no provider is trusted here", Next: "look up the address again"}
	} else if err != nil {
		return err
	}
	issuer, err := s.issuer(ctx, t)
	if err != nil {
		return s.asDown(err, t)
	}
	ended, err := issuer.ReadLogout(ctx, token)
	if err != nil {
		s.guesses.wait(showingKeys, from)
		return errors.Join(&problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Next: "send a logout token of this provider, made for this client"},
			s.NoteFailure(ctx, s.NameOf(t.Organisation), from, "token-failed", "a logout token for "+t.Issuer+" does not hold"))
	}
	fresh, err := s.Records.TakeAssertion(ctx, sha256.Sum256(fmt.Appendf(nil, "logout %s %s", t.ID, ended.Token)), ended.Until, s.Moment())
	if err != nil {
		return err
	}
	if !fresh {
		return &problem.Problem{Kind: problem.Invalid, Detail: "this logout token was used before", Next: "send a new one"}
	}
	now, err := s.Current(ctx, s.Tenant(t.Organisation))
	if err != nil {
		return err
	}
	top, _ := now.Top()
	provider, _ := now.Principal(t.Provider)
	_, err = s.Records.EndOutside(ctx, t.ID, ended.Subject, ended.Session, store.AuditRecord{
		Organisation: top.Name, Author: store.Author{Name: provider.Name, From: from, At: s.Moment()}, Event: "session-ended", Detail: provider.Name + " ended sessions of its people",
	})
	return err
}
