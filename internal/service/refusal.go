package service

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/store"
)

// What is refused is recorded: permissions that somebody lacks, here and at platform services, and what is shown that opens nothing.
// Refusals count as changes of whoever is refused, so that nobody fills the log.

// refusalRecord tells of a refusal as others read it.
func refusalRecord(p *Problem) string {
	if p.Permission == "" {
		return p.Detail
	}
	told := strings.TrimSuffix(p.Detail, ", which you do not hold")
	return strings.Replace(told, "this takes the permission", "lacked the permission", 1)
}

// NoteRefusal records that a caller was refused something. Who was refused too much in the last minute is told so.
func (s *Service) NoteRefusal(ctx context.Context, c Caller, p *Problem) error {
	if err := s.busy.write(c, s.house(c.Organisation)); err != nil {
		return err
	}
	// Going away does not keep an attempt out of the log.
	return s.records.Audit(context.WithoutCancel(ctx), store.AuditRecord{
		Organisation: c.OrganisationName, Author: s.author(c), Event: "refused", Detail: refusalRecord(p),
	})
}

// noteFailure records that something was shown that opens nothing.
func (s *Service) noteFailure(ctx context.Context, organisation, from, event, detail string) error {
	return s.records.Audit(context.WithoutCancel(ctx), store.AuditRecord{
		Organisation: organisation, Author: store.Author{Name: "nobody", From: from, At: s.moment()}, Event: event, Detail: detail,
	})
}

// recent is what was recorded within the last minute, and is not recorded again: programs try again and again.
type recent = expirable.LRU[string, struct{}]

const recentKept = 10_000

func newRecent() *recent { return expirable.NewLRU[string, struct{}](recentKept, nil, time.Minute) }

// isNew notes something, and reports whether it was not noted within the last minute.
func isNew(l *recent, what string) bool {
	if _, known := l.Get(what); known {
		return false
	}
	l.Add(what, struct{}{})
	return true
}

// NoteToken records what became of a token that was shown: that it stands for nobody, or was taken back; once a minute for each
// network address.
func (s *Service) NoteToken(ctx context.Context, from string, became *Problem) error {
	if became.Kind != Foreign && became.Kind != Revoked || !isNew(s.refused, "token "+from) {
		return nil
	}
	return s.noteFailure(ctx, "", from, "token-failed", "a token was shown that opens nothing: "+became.Detail)
}

// noteAttempts records what a platform service refuses to those it serves: the questions about what they were doing that were
// answered with no. What is not there was refused to nobody.
func (s *Service) noteAttempts(ctx context.Context, c Caller, e *evaluator, asked []Evaluation, answers []Evaluated) error {
	var records []store.AuditRecord
	for i, answer := range answers {
		if !asked[i].Attempted || answer.Allowed || answer.Scope.IsZero() {
			continue
		}
		id, _, err := e.principal(asked[i].Subject)
		if err != nil {
			return err
		}
		p, _ := e.Principal(id)
		lacked, at := asked[i].Action+" "+asked[i].Resource.Type, answer.Scope
		if answer.Lacks != "" {
			lacked, at = answer.Lacks, answer.On
		}
		told := fmt.Sprintf("lacked the permission %q at %s", lacked, e.addressOf(at))
		by := Caller{Principal: p.ID, Name: p.Name, Organisation: c.Organisation}
		if !isNew(s.refused, p.ID.String()+" "+told) || s.busy.write(by, s.house(c.Organisation)) != nil {
			continue
		}
		author := s.author(c)
		author.Name += fmt.Sprintf(" for %s %s", p.Kind, e.called(p))
		if asked[i].Told.IP != "" {
			author.From = asked[i].Told.IP
		}
		records = append(records, store.AuditRecord{Organisation: c.OrganisationName, Author: author, Event: "refused", Detail: told})
	}
	return s.records.Audit(context.WithoutCancel(ctx), records...)
}

// called gives the name by which records call a principal: a service account is called by where it lives.
func (e *evaluator) called(p access.Principal) string {
	if p.Kind == model.ServiceAccount {
		return e.Address(p.Home) + "/" + p.Name
	}
	return p.Name
}

// addressOf gives the address of a scope, or of a service account.
func (e *evaluator) addressOf(id model.ID) string {
	if p, ok := e.Principal(id); ok {
		return e.called(p)
	}
	return e.Address(id)
}
