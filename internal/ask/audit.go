package ask

import (
	"context"

	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// ListAudit lists the audit records of the caller's organisation, newest first; next is the number to go on before, 0 at the
// end. It takes "list audit-record" at the organisation: the log tells of all its scopes and people.
func (s *Answers) ListAudit(ctx context.Context, c tenant.Caller, organisation string, f store.AuditFilter) (entries []store.AuditEntry, next uint64, err error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return nil, 0, err
	}
	if _, err := d.NeedAtTop("list audit-record", organisation); err != nil {
		return nil, 0, err
	}
	return s.listAudit(ctx, c.Organisation, f)
}

// ListInstallationAudit lists the audit records that belong to no organisation, for keepers: keepers' sign-ins, keys of platform
// services, what was shown that opens nothing.
func (s *Answers) ListInstallationAudit(ctx context.Context, c tenant.Caller, f store.AuditFilter) (entries []store.AuditEntry, next uint64, err error) {
	if err := tenant.NeedKeeper(c, "read the log of the installation"); err != nil {
		return nil, 0, err
	}
	return s.listAudit(ctx, model.ID{}, f)
}

func (s *Answers) listAudit(ctx context.Context, organisation model.ID, f store.AuditFilter) ([]store.AuditEntry, uint64, error) {
	if !f.From.IsZero() && !f.Until.IsZero() && !f.From.Before(f.Until) {
		return nil, 0, &problem.Problem{Kind: problem.Invalid, Field: "until", Detail: "the end is before the beginning", Next: "give a later moment"}
	}
	return s.Records.AuditRecords(ctx, organisation, f)
}
