package ask

import (
	"context"
	"errors"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/evaluation"
	"arbora.example/internal/tenant"
)

// Evaluate answers evaluations on one snapshot: see [evaluation.Evaluator.AnswerAll]. What a platform service refuses to those it serves
// is recorded.
func (s *Answers) Evaluate(ctx context.Context, c tenant.Caller, asked []evaluation.Question) (answers []evaluation.Answer, revision uint64, err error) {
	now, err := s.snapshotFor(ctx, c)
	if err != nil {
		return nil, 0, err
	}
	e := s.evaluatorOf(now, c)
	if answers, err = e.AnswerAll(asked); err != nil {
		return nil, 0, err
	}
	if c.Kind == model.PlatformService {
		if err := s.noteAttempts(ctx, c, e, asked, answers); err != nil {
			return nil, 0, err
		}
	}
	return answers, now.Revision(), nil
}

// NoteAttempts records what a follower of a platform service refused to those it serves, where the service refuses it as well.
func (s *Answers) NoteAttempts(ctx context.Context, c tenant.Caller, organisation string, asked []evaluation.Question) error {
	now, err := s.Followed(ctx, c, organisation)
	if err != nil {
		return err
	}
	e := s.evaluatorOf(now, c)
	answers, err := e.AnswerAll(asked)
	if err != nil {
		return err
	}
	return s.noteAttempts(ctx, c, e, asked, answers)
}

// snapshotFor returns the snapshot of the caller's organisation, without the cost of a viewer.
func (s *Answers) snapshotFor(ctx context.Context, c tenant.Caller) (*access.Snapshot, error) {
	if c.Identity.Keeper {
		_, err := s.Open(ctx, c)
		return nil, err
	}
	if err := tenant.WorksSomewhere(c); err != nil {
		return nil, err
	}
	return s.Current(ctx, s.Tenant(c.Organisation))
}

func (s *Answers) evaluatorOf(now *access.Snapshot, c tenant.Caller) *evaluation.Evaluator {
	return evaluation.New(now, evaluation.Asker{Principal: c.Principal, Service: tenant.PlatformService(now, c), Context: s.ContextOf(c)})
}

// SearchSubjects is [evaluation.Evaluator.SearchSubjects] on the current snapshot.
func (s *Answers) SearchSubjects(ctx context.Context, c tenant.Caller, asked evaluation.Question) ([]evaluation.Entity, error) {
	e, err := s.searcher(ctx, c)
	if err != nil {
		return nil, err
	}
	return e.SearchSubjects(asked)
}

// SearchActions is [evaluation.Evaluator.SearchActions] on the current snapshot.
func (s *Answers) SearchActions(ctx context.Context, c tenant.Caller, asked evaluation.Question) ([]string, error) {
	e, err := s.searcher(ctx, c)
	if err != nil {
		return nil, err
	}
	return e.SearchActions(asked)
}

// SearchResources is [evaluation.Evaluator.SearchResources] on the current snapshot.
func (s *Answers) SearchResources(ctx context.Context, c tenant.Caller, asked evaluation.Question, after string, limit int) ([]evaluation.Entity, bool, error) {
	e, err := s.searcher(ctx, c)
	if err != nil {
		return nil, false, err
	}
	return e.SearchResources(asked, after, limit)
}

func (s *Answers) searcher(ctx context.Context, c tenant.Caller) (*evaluation.Evaluator, error) {
	now, err := s.snapshotFor(ctx, c)
	if err != nil {
		return nil, err
	}
	if _, ok := now.Principal(c.Principal); !ok {
		return nil, errors.New("service: a caller is missing from the snapshot")
	}
	return s.evaluatorOf(now, c), nil
}
