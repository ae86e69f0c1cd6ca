package service

import (
	"context"

	"arbora.example/internal/credential"
	"arbora.example/internal/store"
)

// ResetPassword gives a user a new temporary password, generated and told this once. Their sessions, links and terminals let in
// end, and what else is said to.
func (s *SignIns) ResetPassword(ctx context.Context, c Caller, organisation, name string, ends store.Reset) (password string, revision uint64, err error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return "", 0, err
	}
	who := Somebody{Kind: "user", Name: name}
	p, err := d.governed(organisation, who, "reset")
	if err != nil {
		return "", 0, err
	}
	identity, err := s.records.Identity(ctx, p.ID)
	if err != nil {
		return "", 0, err
	}
	if !identity.By.TakesPassword() {
		return "", 0, &Problem{Kind: Conflict, Detail: name + " signs in without a password", Next: "issue a key, or alter how they sign in"}
	}
	hash, password, err := s.newPassword(ctx, "", "password")
	if err != nil {
		return "", 0, err
	}
	revision, err = s.made(ctx, c, func(d desk) (plan, error) {
		p, err := d.governed(organisation, who, "reset")
		if err != nil {
			return plan{}, err
		}
		if err := d.mayActAs(p); err != nil {
			return plan{}, err
		}
		return plan{
			beside: func(tx Tx) error {
				return tx.ResetPassword(identity, hash, s.moment().Add(credential.TemporaryFor), ends)
			},
			what: "reset the password of user " + name,
		}, nil
	})
	if err != nil {
		return "", 0, err
	}
	s.notify(ctx, identity, c.Name+" reset your password. What you signed in with before opens nothing any more.")
	return password, revision, s.records.ForgetGuesses(ctx, identity.SignIn())
}
