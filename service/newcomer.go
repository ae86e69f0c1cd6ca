package service

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"arbora.example/access"
	"arbora.example/people"
	"arbora.example/store"
)

// NewUser is a user that somebody wants, with all that the person gets: made in one pass, whole or not at all.
type NewUser struct {
	Name, Title, Email, Description string
	Tags                            map[string]string
	By                              people.SignInBy // empty for by password
	Password                        string          // generated when it is empty and one is needed
	Temporary                       bool            // another must be chosen at the first sign-in, within people.TemporaryFor
	Groups                          []string
	Grants                          []NewGrant // for the person; who is left empty
	Key                             *NewKey
}

// UserMade is a user just created, with the secrets, told this once.
type UserMade struct {
	User     UserView
	SignIn   people.SignIn
	Password string // when it was generated
	Key      *KeyMade
	Revision uint64
}

// CreateUser makes a user with groups, grants and a key.
func (s *Service) CreateUser(ctx context.Context, c Caller, organisation string, wanted NewUser) (UserMade, error) {
	p, user, err := s.planUser(ctx, c, organisation, wanted)
	if err != nil {
		return UserMade{}, err
	}
	next, err := s.make(ctx, c, p)
	if err != nil {
		return UserMade{}, err
	}
	return UserMade{
		User:   UserView{Principal: user.principal, PrincipalDetails: user.details},
		SignIn: people.SignIn{Name: wanted.Name, Organisation: organisation}, Password: user.password, Key: user.key, Revision: next.Revision(),
	}, nil
}

// PreviewUser gives the impact of making a user and makes none.
func (s *Service) PreviewUser(ctx context.Context, c Caller, organisation string, wanted NewUser) (Impact, error) {
	p, _, err := s.planUser(ctx, c, organisation, wanted)
	if err != nil {
		return Impact{}, err
	}
	return s.preview(ctx, c, p)
}

// newcomer is a user worked out and not yet written.
type newcomer struct {
	principal access.Principal
	details   store.PrincipalDetails
	identity  store.Identity
	password  string // generated
	key       *KeyMade
}

func (s *Service) planUser(ctx context.Context, c Caller, organisation string, wanted NewUser) (planner, *newcomer, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return nil, nil, err
	}
	// Hashing a password is work that only those may cause who may make a user.
	if _, err := d.needAtTop("create user", organisation); err != nil {
		return nil, nil, err
	}
	user, err := s.newcomer(wanted, organisation)
	if err != nil {
		return nil, nil, err
	}
	if wanted.Key != nil {
		made, err := s.newKey(c, user.principal.ID, *wanted.Key)
		if err != nil {
			return nil, nil, err
		}
		user.key = &made
	}
	return func(d desk) (plan, error) { return d.planNewcomer(organisation, user, wanted) }, user, nil
}

func (d desk) planNewcomer(organisation string, user *newcomer, wanted NewUser) (plan, error) {
	if _, err := d.needAtTop("create user", organisation); err != nil {
		return plan{}, err
	}
	p := plan{changes: []access.Change{access.CreatePrincipal{Principal: user.principal}}, what: "created user " + wanted.Name}
	more := []func(*store.Tx) error{user.write}
	for _, name := range wanted.Groups {
		// The member is not there yet: planned as for the caller, and made for the newcomer.
		change := MemberChange{Organisation: organisation, Group: name}
		group, err := change.group(d)
		if err != nil {
			return plan{}, inField(err, "groups")
		}
		m := access.Membership{Group: group.ID, Member: user.principal.ID}
		p.changes = append(p.changes, access.AddMember{Membership: m})
		more = append(more, func(tx *store.Tx) error { return tx.AddMember(m) })
	}
	for _, grant := range wanted.Grants {
		made, err := d.newGrant(grant, user.principal.ID)
		if err != nil {
			return plan{}, inField(err, "grants")
		}
		p.changes = append(p.changes, access.CreateGrant{Grant: made})
		more = append(more, func(tx *store.Tx) error { return tx.CreateGrant(made, grant.Description) })
	}
	if n := len(wanted.Groups); n > 0 {
		p.what += " in " + strings.Join(wanted.Groups, ", ")
	}
	if n := len(wanted.Grants); n > 0 {
		p.what += fmt.Sprintf(" with %d grants", n)
	}
	p.rows = func(tx *store.Tx) error {
		for _, write := range more {
			if err := write(tx); err != nil {
				return err
			}
		}
		return nil
	}
	return p, nil
}

// inField says which field a problem of a part of the request is about.
func inField(err error, field string) error {
	var p *Problem
	if errors.As(err, &p) {
		p.Field = field
	}
	return err
}

func (u *newcomer) write(tx *store.Tx) error {
	if err := tx.CreateIdentity(u.identity); err != nil {
		return err
	}
	if err := tx.CreatePrincipal(u.principal, u.details); err != nil || u.key == nil {
		return err
	}
	return tx.CreateKey(u.key.Key)
}

func (s *Service) newcomer(wanted NewUser, organisation string) (*newcomer, error) {
	if err := access.CheckName(wanted.Name); err != nil {
		return nil, broken(err, "name")
	}
	if wanted.Title == "" {
		wanted.Title = wanted.Name
	}
	if err := checkLine("title", "the display name", wanted.Title); err != nil {
		return nil, err
	}
	if err := checkEmail(wanted.Email); err != nil {
		return nil, err
	}
	if wanted.By == "" {
		wanted.By = people.ByPassword
	}
	switch {
	case wanted.Password != "" && !wanted.By.TakesPassword():
		return nil, &Problem{Kind: Invalid, Detail: fmt.Sprintf("who signs in by %s has no password", wanted.By), Next: "leave the password out, or have them sign in by both", Field: "password"}
	case wanted.Key != nil && !wanted.By.TakesKeys():
		return nil, &Problem{Kind: Invalid, Detail: fmt.Sprintf("who signs in by %s has no API key", wanted.By), Next: "have them sign in by key, or by both", Field: "key"}
	}
	id := newID()
	user := &newcomer{
		principal: access.Principal{ID: id, Kind: access.User, Name: wanted.Name, Tags: wanted.Tags},
		details: store.PrincipalDetails{
			Title: wanted.Title, Email: wanted.Email, Description: wanted.Description, State: people.Active, Identity: id, CreatedAt: s.moment(),
		},
		identity: store.Identity{ID: id, Name: wanted.Name, Email: wanted.Email, By: wanted.By},
	}
	if !wanted.By.TakesPassword() {
		return user, nil
	}
	var err error
	if user.identity.PasswordHash, user.password, err = s.newPassword(wanted.Password, "password", wanted.Name, wanted.Title, organisation); err != nil {
		return nil, err
	}
	if user.identity.Temporary = wanted.Temporary; wanted.Temporary {
		user.identity.TemporaryUntil = s.moment().Add(people.TemporaryFor)
	}
	return user, nil
}

// newPassword hashes the password given, or a generated one that it also returns.
func (s *Service) newPassword(given, field string, ownNames ...string) (hash, generated string, err error) {
	if given == "" {
		generated = people.GeneratePassword()
		given = generated
	} else if err := checkPassword(given, field, ownNames...); err != nil {
		return "", "", err
	}
	hash, err = people.HashPassword(given)
	return hash, generated, err
}
