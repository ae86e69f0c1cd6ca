package service

import (
	"context"

	"arbora.example/internal/credential"
)

// checkPassword turns the rules for passwords into a problem.
func checkPassword(password, field string, ownNames ...string) error {
	if err := credential.CheckPassword(password, ownNames...); err != nil {
		return &Problem{Kind: WeakPassword, Detail: err.Error(), Field: field}
	}
	return nil
}

// newPassword hashes the password given, or a generated one that it also returns.
func (s *SignIns) newPassword(ctx context.Context, given, field string, ownNames ...string) (hash, generated string, err error) {
	if given == "" {
		generated = credential.GeneratePassword()
		given = generated
	} else if err := checkPassword(given, field, ownNames...); err != nil {
		return "", "", err
	}
	hash, err = s.hash(ctx, given)
	return hash, generated, err
}
