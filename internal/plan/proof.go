package plan

import (
	"fmt"

	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// NeedProof refuses what takes a fresh proof from a caller who gave none of late. Programs give none: they may by a key that was
// made for governing.
func (s *Maker) NeedProof(c tenant.Caller, what string) error {
	if c.Identity.ID.IsZero() {
		if c.MayGovern {
			return nil
		}
		return &problem.Problem{Kind: problem.Refused, Detail: "a program may " + what + " only by an API key that was made for governing", Next: "use such a key, or do it as a person"}
	}
	if s.Moment().Sub(c.ProvedAt) < credential.ProofFor {
		return nil
	}
	if c.Identity.By == credential.ByProvider {
		return &problem.Problem{
			Kind: problem.ProofNeeded, Detail: fmt.Sprintf("to %s, sign in at your identity provider again: you did so more than %d minutes ago", what, int(credential.ProofFor.Minutes())),
			Next: "do it in the console, which takes you there",
		}
	}
	return &problem.Problem{
		Kind: problem.ProofNeeded, Detail: fmt.Sprintf("to %s, give your password or passkey again: you gave it more than %d minutes ago", what, int(credential.ProofFor.Minutes())),
		Next: "in a terminal, run arbora prove",
	}
}
