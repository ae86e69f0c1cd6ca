package tenant

import (
	"context"
	"strings"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"

	"arbora.example/internal/problem"
	"arbora.example/internal/store"
)

// What is refused is recorded: permissions that somebody lacks, here and at platform services, and what is shown that opens nothing.
// Refusals count as changes of whoever is refused, so that nobody fills the log.

// refusalRecord tells of a refusal as others read it.
func refusalRecord(p *problem.Problem) string {
	if p.Permission == "" {
		return p.Detail
	}
	told := strings.TrimSuffix(p.Detail, ", which you do not hold")
	return strings.Replace(told, "this needs the permission", "lacked the permission", 1)
}

// NoteRefusal records that a caller was refused something. Who was refused too much in the last minute is told so.
func (s *Tenants) NoteRefusal(ctx context.Context, c Caller, p *problem.Problem) error {
	if err := s.Bound(c); err != nil {
		return err
	}
	// Going away does not keep an attempt out of the log.
	return s.Records.Audit(context.WithoutCancel(ctx), store.AuditRecord{
		Organisation: c.OrganisationName, Author: s.Author(c), Event: "refused", Detail: refusalRecord(p),
	})
}

// NoteFailure records that something was shown that opens nothing.
func (s *Tenants) NoteFailure(ctx context.Context, organisation, from, event, detail string) error {
	return s.Records.Audit(context.WithoutCancel(ctx), store.AuditRecord{
		Organisation: organisation, Author: store.Author{Name: "nobody", From: from, At: s.Moment()}, Event: event, Detail: detail,
	})
}

// recent is what was recorded within the last minute, and is not recorded again: programs try again and again.
type recent = expirable.LRU[string, struct{}]

const recentKept = 10_000

func newRecent() *recent { return expirable.NewLRU[string, struct{}](recentKept, nil, time.Minute) }

// IsNew notes something, and reports whether it was not noted within the last minute.
func (s *Tenants) IsNew(what string) bool {
	if _, known := s.refused.Get(what); known {
		return false
	}
	s.refused.Add(what, struct{}{})
	return true
}

// Bound counts what a caller had refused among their changes: there are only so many a minute.
func (s *Tenants) Bound(c Caller) error { return s.busy.write(c, s.Tenant(c.Organisation)) }

// NoteToken records what became of a token that was shown: that it stands for nobody, or was taken back; once a minute for each
// network address.
func (s *Tenants) NoteToken(ctx context.Context, from string, became *problem.Problem) error {
	if became.Kind != problem.Foreign && became.Kind != problem.Revoked || !s.IsNew("token "+from) {
		return nil
	}
	return s.NoteFailure(ctx, "", from, "token-failed", "an unknown token was used: "+became.Detail)
}
