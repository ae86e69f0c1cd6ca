package service

import (
	"context"

	"arbora.example/store"
)

// ListAudit lists the audit records of the caller's organisation, newest first; next is the number to go on before, 0 at the
// end. It takes "list audit-record" at the organisation: the log tells of all its scopes and people.
func (s *Service) ListAudit(ctx context.Context, c Caller, organisation string, f store.AuditFilter) (entries []store.AuditEntry, next uint64, err error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return nil, 0, err
	}
	if _, err := d.needAtTop("list audit-record", organisation); err != nil {
		return nil, 0, err
	}
	if !f.From.IsZero() && !f.Until.IsZero() && !f.From.Before(f.Until) {
		return nil, 0, &Problem{Kind: Invalid, Field: "until", Detail: "the records would end before they begin", Next: "give a later moment"}
	}
	return s.records.AuditRecords(ctx, c.Organisation, f)
}
