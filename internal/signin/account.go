package signin

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// What everybody may always do: see and mend their own profile and credentials.

// SignOut ends the caller's session.
func (s *SignIns) SignOut(ctx context.Context, c tenant.Caller) error {
	return s.Records.RevokeSession(ctx, c.Identity, c.Session, s.Author(c))
}

// Sessions lists the caller's own sessions, the one used last first.
func (s *SignIns) Sessions(ctx context.Context, c tenant.Caller) ([]store.Session, error) {
	sessions, err := s.Records.Sessions(ctx, c.Identity.ID, s.Moment())
	if err != nil {
		return nil, err
	}
	return s.lasting(ctx, c, sessions)
}

// RevokeSession ends one of the caller's own sessions.
func (s *SignIns) RevokeSession(ctx context.Context, c tenant.Caller, session string) error {
	id, err := model.ParseID(session)
	if err == nil {
		err = s.Records.RevokeSession(ctx, c.Identity, id, s.Author(c))
	}
	if err == nil || !errors.Is(err, store.ErrNotFound) && !id.IsZero() {
		return err
	}
	return &problem.Problem{Kind: problem.NotThere, Detail: "you have no session " + session, Next: "list your sessions; it may have ended by itself"}
}

// SessionsOf lists the sessions of somebody that work in the caller's organisation, the one used last first.
func (s *SignIns) SessionsOf(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef) ([]store.Session, error) {
	_, p, err := s.Described(ctx, c, organisation, who)
	if err != nil {
		return nil, err
	}
	sessions, err := s.Records.SessionsOf(ctx, c.Organisation, p.ID, s.Moment())
	if err != nil {
		return nil, err
	}
	theirs := tenant.Caller{Identity: store.Identity{ID: p.ID}, Kind: p.Kind, Organisation: c.Organisation, Principal: p.ID, From: c.From}
	return s.lasting(ctx, theirs, sessions)
}

// RevokeSessionOf ends a session of somebody that works in the caller's organisation.
func (s *SignIns) RevokeSessionOf(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef, session string) error {
	d, err := s.Open(ctx, c)
	if err != nil {
		return err
	}
	p, err := d.Governed(organisation, who, "reset")
	if err != nil {
		return err
	}
	id, err := model.ParseID(session)
	if err == nil {
		err = s.Records.RevokeSessionOf(ctx, c.Organisation, p.ID, id, store.AuditRecord{
			Organisation: c.OrganisationName, Author: s.Author(c), Event: "session-ended", Detail: fmt.Sprintf("revoked a session of %s %s", p.Kind.Words(), p.Name),
		})
	}
	if err == nil || !errors.Is(err, store.ErrNotFound) && !id.IsZero() {
		return err
	}
	return &problem.Problem{Kind: problem.NotThere, Detail: fmt.Sprintf("%s has no session %s here", p.Name, session), Next: "list their sessions; it may have ended by itself"}
}

// Seats lists the organisations that know the caller.
func (s *SignIns) Seats(ctx context.Context, c tenant.Caller) ([]store.Seat, error) {
	return s.Records.Seats(ctx, c.Identity.ID)
}

// Elsewhere says where else a caller may look for what is not there; empty when no other organisation knows them.
func (s *SignIns) Elsewhere(ctx context.Context, c tenant.Caller) (string, error) {
	if c.Identity.ID.IsZero() || c.Identity.Keeper {
		return "", nil
	}
	seats, err := s.Records.Seats(ctx, c.Identity.ID)
	if err != nil {
		return "", err
	}
	var others []string
	for _, seat := range seats {
		if seat.Organisation != c.Organisation {
			others = append(others, seat.Name)
		}
	}
	if len(others) == 0 {
		return "", nil
	}
	return fmt.Sprintf("you work in %s at present; you are known in %s too: switch there to look", c.OrganisationName, strings.Join(others, ", ")), nil
}

// Switch has the caller's session work in another organisation that knows them.
func (s *SignIns) Switch(ctx context.Context, c tenant.Caller, organisation string) (tenant.Caller, error) {
	session := store.Session{Identity: c.Identity}
	if c.Identity.Keeper {
		return c, &problem.Problem{Kind: problem.Refused, Detail: "a keeper works in no organisation", Next: "sign in as somebody of it"}
	}
	if err := s.seat(ctx, &session, organisation); err != nil {
		return c, err
	}
	c.Organisation, c.OrganisationName, c.Principal = session.Organisation, session.OrganisationName, session.Principal
	if in, err := s.isIn(ctx, &c); err != nil || !in {
		return c, errors.Join(err, problem.OrNil(!in, problem.Missing("organisation", organisation, "")))
	}
	if err := s.admits(ctx, c, c.From); err != nil {
		return c, err
	}
	if err := s.Records.MoveSession(ctx, c.Session, c.Organisation, s.Moment()); err != nil {
		return c, err
	}
	return c, s.Records.Audit(ctx, store.AuditRecord{Organisation: c.OrganisationName, Author: s.Author(c), Event: "switched", Detail: c.Name + " came to work in " + c.OrganisationName})
}

// EditProfile changes the caller's own display name and email; nil leaves one as it is. What an administrator has changed since
// it was read is not written over.
func (s *SignIns) EditProfile(ctx context.Context, c tenant.Caller, title, email *string, was plan.AsRead) (tenant.Caller, error) {
	if c.Identity.Organisation != c.Organisation || c.Identity.ID.IsZero() || c.Identity.Keeper {
		return c, &problem.Problem{Kind: problem.Invalid, Detail: "a profile is edited at home: keepers, guests and programs have none here", Next: "switch to your own organisation"}
	}
	if err := needsProvider(c.Identity); err != nil {
		return c, err // which says what they are called, too
	}
	if title != nil {
		trimmed := strings.TrimSpace(*title)
		if title = &trimmed; trimmed == "" {
			return c, &problem.Problem{Kind: problem.Invalid, Detail: "the display name is empty", Next: "write how others know you", Field: "title"}
		}
	}
	if email != nil {
		if err := tenant.CheckEmail(*email); err != nil {
			return c, err
		}
	}
	if title == nil && email == nil {
		return c, plan.NothingToEdit()
	}
	if email != nil && *email != c.Identity.Email {
		if err := s.NeedProof(c, "change your mail address"); err != nil {
			return c, err
		}
	}
	had := c.Identity
	_, err := s.Write(ctx, c, c.Organisation, func(now *access.Snapshot, details tenant.Details) (tenant.Plan, error) {
		d := s.ViewerOf(now, c)
		d.Details = details
		p, ok := now.Principal(c.Principal)
		if !ok {
			return tenant.Plan{}, errors.New("service: a user is missing from the snapshot")
		}
		is, err := d.DetailsOf(ctx, p)
		if err != nil {
			return tenant.Plan{}, err
		}
		if err := was.OfPrincipal(d, p, is); err != nil {
			return tenant.Plan{}, err
		}
		if title != nil {
			is.Title = *title
		}
		if email != nil {
			is.Email = *email
		}
		c.Identity.Title, c.Identity.Email = is.Title, is.Email
		planned := tenant.Plan{What: "edited their own profile", Final: true}
		planned.Describe(p.ID, is)
		return planned, nil
	})
	if err == nil && c.Identity.Email != had.Email {
		s.Notify(ctx, had, "Your mail address was changed to "+c.Identity.Email+".")
	}
	return c, err
}

// ChoosePassword replaces the caller's password by one of their choice and ends all their other sessions.
func (s *SignIns) ChoosePassword(ctx context.Context, c tenant.Caller, current, chosen string) (tenant.Caller, error) {
	if c.Identity.ID.IsZero() || !c.Identity.By.TakesPassword() {
		return c, &problem.Problem{Kind: problem.Refused, Detail: "you sign in without a password", Next: "ask an administrator if you need one"}
	}
	if err := s.testOwnPassword(ctx, c, current, "current"); err != nil {
		return c, err
	}
	if chosen == current {
		return c, &problem.Problem{Kind: problem.WeakPassword, Detail: "the new password is the current one", Next: "choose another", Field: "new"}
	}
	if err := CheckPassword(chosen, "new", c.Identity.Name, c.Identity.Title, c.Identity.OrganisationName); err != nil {
		return c, err
	}
	hash, err := s.Hash(ctx, chosen)
	if err != nil {
		return c, err
	}
	if err := s.Records.ChoosePassword(ctx, c.Identity, hash, c.Token, s.Author(c)); err != nil {
		return c, err
	}
	s.Notify(ctx, c.Identity, "You chose another password. What you signed in with before opens nothing any more.")
	c.Identity.Temporary, c.Identity.PasswordHash = false, hash
	return c, nil
}

// testOwnPassword refuses what is not the caller's password, given in a field.
func (s *SignIns) testOwnPassword(ctx context.Context, c tenant.Caller, password, field string) error {
	err := s.testPassword(ctx, c.Identity.SignIn(), c.Identity, password, c.From)
	var p *problem.Problem
	if errors.As(err, &p) && p.Kind == problem.WrongSignIn {
		err = &problem.Problem{Kind: problem.Invalid, Detail: "the current password is wrong", Next: "write the one you signed in with", Field: field}
	}
	return err
}
