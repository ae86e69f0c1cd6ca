package service

import (
	"fmt"

	"arbora.example/internal/credential"
)

// needProof refuses what takes a fresh proof from a caller who gave none of late. Programs give none: they may by a key that was
// made for governing.
func (s *Maker) needProof(c Caller, what string) error {
	if c.Identity.ID.IsZero() {
		if c.MayGovern {
			return nil
		}
		return &Problem{Kind: Refused, Detail: "a program may " + what + " only by an API key that was made for governing", Next: "use such a key, or do it as a person"}
	}
	if s.moment().Sub(c.ProvedAt) < credential.ProofFor {
		return nil
	}
	return &Problem{
		Kind: ProofNeeded, Detail: fmt.Sprintf("to %s, give your password or passkey again: you gave it more than %d minutes ago", what, int(credential.ProofFor.Minutes())),
		Next: "in a terminal, run arbora prove",
	}
}
