package signin

import (
	"context"

	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/tenant"
)

// A fresh proof is a password or passkey given in the last minutes: an unwatched screen, or a stolen session, is not enough for
// what gives lasting access away.

// Prove takes the caller's password as a fresh proof.
func (s *SignIns) Prove(ctx context.Context, c tenant.Caller, password string) error {
	if err := s.testOwnPassword(ctx, c, password, "password"); err != nil {
		return err
	}
	return s.Records.ProveSession(ctx, c.Session, "", s.Moment())
}

// ProveByPasskey takes one of the caller's passkeys as a fresh proof. The session then counts as begun by it.
func (s *SignIns) ProveByPasskey(ctx context.Context, c tenant.Caller, token credential.Token, answer []byte) error {
	identity, err := s.readPasskey(ctx, token, answer, c.From)
	if err != nil {
		return err
	}
	if identity.ID != c.Identity.ID {
		return &problem.Problem{Kind: problem.WrongSignIn, Detail: "this passkey is somebody else's", Next: "use one of your own"}
	}
	return s.Records.ProveSession(ctx, c.Session, settings.PasskeyFactor, s.Moment())
}
