package ask

import "arbora.example/internal/tenant"

// Answers answers what is asked of organisations, and changes nothing.
type Answers struct{ *tenant.Tenants }

// NewAnswers makes one.
func NewAnswers(t *tenant.Tenants) *Answers { return &Answers{t} }
