package service

import (
	"context"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
)

// A fresh proof is a password or passkey given in the last minutes: an unwatched screen, or a stolen session, is not enough for
// what gives lasting access away.

// Prove takes the caller's password as a fresh proof.
func (s *SignIns) Prove(ctx context.Context, c Caller, password string) error {
	if err := s.testOwnPassword(ctx, c, password, "password"); err != nil {
		return err
	}
	return s.records.ProveSession(ctx, c.Session, "", s.moment())
}

// ProveByPasskey takes one of the caller's passkeys as a fresh proof. The session then counts as begun by it.
func (s *SignIns) ProveByPasskey(ctx context.Context, c Caller, token credential.Token, answer []byte) error {
	identity, err := s.readPasskey(ctx, token, answer, c.From)
	if err != nil {
		return err
	}
	if identity.ID != c.Identity.ID {
		return &Problem{Kind: WrongSignIn, Detail: "this passkey is somebody else's", Next: "use one of your own"}
	}
	return s.records.ProveSession(ctx, c.Session, settings.PasskeyFactor, s.moment())
}

// nameOf gives the name of an organisation that is in use here; empty for none.
func (s *SignIns) nameOf(organisation model.ID) string {
	if now := s.house(organisation).snapshot.Load(); now != nil {
		top, _ := now.Top()
		return top.Name
	}
	return ""
}
