package ask

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/evaluation"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// noteAttempts records what a platform service refuses to those it serves: the questions about what they were doing that were
// answered with no. What is not there was refused to nobody.
func (s *Answers) noteAttempts(ctx context.Context, c tenant.Caller, e *evaluation.Evaluator, asked []evaluation.Question, answers []evaluation.Answer) error {
	var records []store.AuditRecord
	for i, answer := range answers {
		if !asked[i].Attempted || answer.Allowed || answer.Scope.IsZero() {
			continue
		}
		id, _, err := e.Subject(asked[i].Subject)
		if err != nil {
			return err
		}
		p, _ := e.Principal(id)
		lacked, at := asked[i].Action+" "+asked[i].Resource.Type, answer.Scope
		if answer.Lacks != "" {
			lacked, at = answer.Lacks, answer.On
		}
		told := fmt.Sprintf("lacked the permission %q at %s", lacked, addressOf(e.Snapshot, at))
		by := tenant.Caller{Principal: p.ID, Name: p.Name, Organisation: c.Organisation}
		if !s.IsNew(p.ID.String()+" "+told) || s.Bound(by) != nil {
			continue
		}
		author := s.Author(c)
		author.Name += fmt.Sprintf(" for %s %s", p.Kind, called(e.Snapshot, p))
		if asked[i].Context.IP != "" {
			author.From = asked[i].Context.IP
		}
		records = append(records, store.AuditRecord{Organisation: c.OrganisationName, Author: author, Event: "refused", Detail: told})
	}
	return s.Records.Audit(context.WithoutCancel(ctx), records...)
}

// called returns the name by which records call a principal: a service account is called by where it lives.
func called(now *access.Snapshot, p access.Principal) string {
	if p.Kind == model.ServiceAccount {
		return now.Address(p.Home) + "/" + p.Name
	}
	return p.Name
}

// addressOf returns the address of a scope, or of a service account.
func addressOf(now *access.Snapshot, id model.ID) string {
	if p, ok := now.Principal(id); ok {
		return called(now, p)
	}
	return now.Address(id)
}
