package change

import (
	"arbora.example/internal/ask"
	"arbora.example/internal/signin"
)

// Changes are the use cases that alter organisations.
type Changes struct {
	*signin.SignIns
	*ask.Answers
}

// NewChanges makes them.
func NewChanges(s *signin.SignIns, a *ask.Answers) *Changes { return &Changes{SignIns: s, Answers: a} }
