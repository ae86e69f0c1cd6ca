package signin

import (
	"context"

	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// ResetPassword sets a temporary password of a user and returns it, this once. Their sessions, links and terminals let in
// end, and what else is said to.
func (s *SignIns) ResetPassword(ctx context.Context, c tenant.Caller, organisation, name string, ends store.Reset) (password string, revision uint64, err error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return "", 0, err
	}
	who := tenant.PrincipalRef{Kind: "user", Name: name}
	p, err := d.Governed(organisation, who, "reset")
	if err != nil {
		return "", 0, err
	}
	identity, err := s.Records.Identity(ctx, p.ID)
	if err != nil {
		return "", 0, err
	}
	if !identity.By.TakesPassword() {
		return "", 0, &problem.Problem{Kind: problem.Conflict, Detail: name + " signs in without a password", Next: "issue a key, or change how they sign in"}
	}
	hash, password, err := s.NewPassword(ctx, "", "password")
	if err != nil {
		return "", 0, err
	}
	revision, err = s.Made(ctx, c, func(d tenant.Viewer) (tenant.Plan, error) {
		p, err := d.Governed(organisation, who, "reset")
		if err != nil {
			return tenant.Plan{}, err
		}
		if err := plan.MayActAs(d, p); err != nil {
			return tenant.Plan{}, err
		}
		return tenant.Plan{
			Beside: func(tx tenant.Tx) error {
				return tx.ResetPassword(identity, hash, s.Moment().Add(credential.TemporaryFor), ends)
			},
			What: "reset the password of user " + name,
		}, nil
	})
	if err != nil {
		return "", 0, err
	}
	s.Notify(ctx, identity, c.Name+" reset your password. What you signed in with before opens nothing any more.")
	return password, revision, s.Records.ForgetGuesses(ctx, identity.SignIn())
}
