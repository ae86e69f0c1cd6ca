package signin

import (
	"context"

	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
)

// CheckPassword turns the rules for passwords into a problem.
func CheckPassword(password, field string, ownNames ...string) error {
	if err := credential.CheckPassword(password, ownNames...); err != nil {
		return &problem.Problem{Kind: problem.WeakPassword, Detail: err.Error(), Field: field}
	}
	return nil
}

// NewPassword hashes the password given, or a generated one that it also returns.
func (s *SignIns) NewPassword(ctx context.Context, given, field string, ownNames ...string) (hash, generated string, err error) {
	if given == "" {
		generated = credential.GeneratePassword()
		given = generated
	} else if err := CheckPassword(given, field, ownNames...); err != nil {
		return "", "", err
	}
	hash, err = s.Hash(ctx, given)
	return hash, generated, err
}
