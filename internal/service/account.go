package service

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/store"
)

// What everybody may always do: see and mend their own profile and credentials.

// SignOut ends the caller's session.
func (s *SignIns) SignOut(ctx context.Context, c Caller) error {
	return s.records.EndSession(ctx, c.Identity, c.Session, s.author(c))
}

// Sessions lists the caller's own sessions, the one used last first.
func (s *SignIns) Sessions(ctx context.Context, c Caller) ([]store.Session, error) {
	sessions, err := s.records.Sessions(ctx, c.Identity.ID, s.moment())
	if err != nil {
		return nil, err
	}
	return s.lasting(ctx, c, sessions)
}

// EndSession ends one of the caller's own sessions.
func (s *SignIns) EndSession(ctx context.Context, c Caller, session string) error {
	id, err := model.ParseID(session)
	if err == nil {
		err = s.records.EndSession(ctx, c.Identity, id, s.author(c))
	}
	if err == nil || !errors.Is(err, store.ErrNotFound) && !id.IsZero() {
		return err
	}
	return &Problem{Kind: NotThere, Detail: "you have no session " + session, Next: "list your sessions; it may have ended by itself"}
}

// SessionsOf lists the sessions of somebody that work in the caller's organisation, the one used last first.
func (s *SignIns) SessionsOf(ctx context.Context, c Caller, organisation string, who Somebody) ([]store.Session, error) {
	_, p, err := s.described(ctx, c, organisation, who)
	if err != nil {
		return nil, err
	}
	sessions, err := s.records.SessionsOf(ctx, c.Organisation, p.ID, s.moment())
	if err != nil {
		return nil, err
	}
	theirs := Caller{Identity: store.Identity{ID: p.ID}, Kind: p.Kind, Organisation: c.Organisation, Principal: p.ID, From: c.From}
	return s.lasting(ctx, theirs, sessions)
}

// EndSessionOf ends a session of somebody that works in the caller's organisation.
func (s *SignIns) EndSessionOf(ctx context.Context, c Caller, organisation string, who Somebody, session string) error {
	d, err := s.open(ctx, c)
	if err != nil {
		return err
	}
	p, err := d.governed(organisation, who, "reset")
	if err != nil {
		return err
	}
	id, err := model.ParseID(session)
	if err == nil {
		err = s.records.EndSessionOf(ctx, c.Organisation, p.ID, id, store.AuditRecord{
			Organisation: c.OrganisationName, Author: s.author(c), Event: "session-ended", Detail: fmt.Sprintf("ended a session of %s %s", p.Kind.Words(), p.Name),
		})
	}
	if err == nil || !errors.Is(err, store.ErrNotFound) && !id.IsZero() {
		return err
	}
	return &Problem{Kind: NotThere, Detail: fmt.Sprintf("%s has no session %s here", p.Name, session), Next: "list their sessions; it may have ended by itself"}
}

// Seats lists the organisations that know the caller.
func (s *SignIns) Seats(ctx context.Context, c Caller) ([]store.Seat, error) {
	return s.records.Seats(ctx, c.Identity.ID)
}

// Elsewhere says where else a caller may look for what is not there; empty when no other organisation knows them.
func (s *SignIns) Elsewhere(ctx context.Context, c Caller) (string, error) {
	if c.Identity.ID.IsZero() || c.Identity.Keeper {
		return "", nil
	}
	seats, err := s.records.Seats(ctx, c.Identity.ID)
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
func (s *SignIns) Switch(ctx context.Context, c Caller, organisation string) (Caller, error) {
	session := store.Session{Identity: c.Identity}
	if c.Identity.Keeper {
		return c, &Problem{Kind: Refused, Detail: "a keeper works in no organisation", Next: "sign in as somebody of it"}
	}
	if err := s.seat(ctx, &session, organisation); err != nil {
		return c, err
	}
	c.Organisation, c.OrganisationName, c.Principal = session.Organisation, session.OrganisationName, session.Principal
	if in, err := s.isIn(ctx, &c); err != nil || !in {
		return c, errors.Join(err, orNil(!in, notThere("organisation", organisation, "")))
	}
	if err := s.admits(ctx, c, c.From); err != nil {
		return c, err
	}
	if err := s.records.MoveSession(ctx, c.Session, c.Organisation); err != nil {
		return c, err
	}
	return c, s.records.Audit(ctx, store.AuditRecord{Organisation: c.OrganisationName, Author: s.author(c), Event: "switched", Detail: c.Name + " came to work in " + c.OrganisationName})
}

// EditProfile changes the caller's own display name and email; nil leaves one as it is. What an administrator has altered since
// it was read is not written over.
func (s *SignIns) EditProfile(ctx context.Context, c Caller, title, email *string, was AsRead) (Caller, error) {
	if c.Identity.Organisation != c.Organisation || c.Identity.ID.IsZero() || c.Identity.Keeper {
		return c, &Problem{Kind: Invalid, Detail: "a profile is mended at home: keepers, guests and programs have none here", Next: "switch to your own organisation"}
	}
	if title != nil {
		trimmed := strings.TrimSpace(*title)
		if title = &trimmed; trimmed == "" {
			return c, &Problem{Kind: Invalid, Detail: "the display name is empty", Next: "write how others know you", Field: "title"}
		}
	}
	if email != nil {
		if err := checkEmail(*email); err != nil {
			return c, err
		}
	}
	if title == nil && email == nil {
		return c, nothingToEdit()
	}
	if email != nil && *email != c.Identity.Email {
		if err := s.needProof(c, "alter your mail address"); err != nil {
			return c, err
		}
	}
	had := c.Identity
	_, err := s.write(ctx, c, c.Organisation, func(now *access.Snapshot, details Details) (plan, error) {
		d := s.deskOf(now, c)
		d.details = details
		p, ok := now.Principal(c.Principal)
		if !ok {
			return plan{}, errors.New("service: a user is missing from the snapshot")
		}
		is, err := d.detailsOf(ctx, p)
		if err != nil {
			return plan{}, err
		}
		if err := was.ofPrincipal(d, p, is); err != nil {
			return plan{}, err
		}
		if title != nil {
			is.Title = *title
		}
		if email != nil {
			is.Email = *email
		}
		c.Identity.Title, c.Identity.Email = is.Title, is.Email
		planned := plan{what: "edited their own profile", final: true}
		planned.describe(p.ID, is)
		return planned, nil
	})
	if err == nil && c.Identity.Email != had.Email {
		s.notify(ctx, had, "Your mail address was changed to "+c.Identity.Email+".")
	}
	return c, err
}

// ChoosePassword replaces the caller's password by one of their choice and ends all their other sessions.
func (s *SignIns) ChoosePassword(ctx context.Context, c Caller, current, chosen string) (Caller, error) {
	if c.Identity.ID.IsZero() || !c.Identity.By.TakesPassword() {
		return c, &Problem{Kind: Refused, Detail: "you sign in without a password", Next: "ask an administrator if you need one"}
	}
	if err := s.testOwnPassword(ctx, c, current, "current"); err != nil {
		return c, err
	}
	if chosen == current {
		return c, &Problem{Kind: WeakPassword, Detail: "the new password is the current one", Next: "choose another", Field: "new"}
	}
	if err := checkPassword(chosen, "new", c.Identity.Name, c.Identity.Title, c.Identity.OrganisationName); err != nil {
		return c, err
	}
	hash, err := s.hash(ctx, chosen)
	if err != nil {
		return c, err
	}
	if err := s.records.ChoosePassword(ctx, c.Identity, hash, c.Token, s.author(c)); err != nil {
		return c, err
	}
	s.notify(ctx, c.Identity, "You chose another password. What you signed in with before opens nothing any more.")
	c.Identity.Temporary, c.Identity.PasswordHash = false, hash
	return c, nil
}

// testOwnPassword refuses what is not the caller's password, given in a field.
func (s *SignIns) testOwnPassword(ctx context.Context, c Caller, password, field string) error {
	err := s.testPassword(ctx, c.Identity.SignIn(), c.Identity, password, c.From)
	var p *Problem
	if errors.As(err, &p) && p.Kind == WrongSignIn {
		err = &Problem{Kind: Invalid, Detail: "the current password is wrong", Next: "write the one you signed in with", Field: field}
	}
	return err
}
