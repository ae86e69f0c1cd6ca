package service

import (
	"context"
	"fmt"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/letters"
	"arbora.example/internal/store"
)

// NewUser is a user that somebody wants, with all that the person gets: made in one pass, whole or not at all.
type NewUser struct {
	Name, Title, Email, Description string
	Tags                            map[string]string
	By                              credential.SignInBy // empty for by password
	Password                        string              // generated when it is empty and one is needed
	Temporary                       bool                // another must be chosen at the first sign-in, within people.TemporaryFor
	Groups                          []string
	Grants                          []NewGrant // for the person; who is left empty
	Key                             *NewKey
	Link                            bool // mail a link to choose a password, which is not made then
	Notify                          bool // mail how to sign in
}

// UserMade is a user just created, with the secrets, told this once.
type UserMade struct {
	User     UserView
	SignIn   credential.SignIn
	Password string // when it was generated
	Key      *KeyMade
	Address  string    // of the console
	Link     *LinkMade // when one was wanted
	Mailed   *Mailed   // when instructions were wanted
	Revision uint64
}

// CreateUser makes a user with groups, grants and a key.
func (s *Changes) CreateUser(organisation string, wanted NewUser) Change[UserMade] {
	var user *newcomer
	return Change[UserMade]{
		of: s.Maker,
		plan: func(ctx context.Context, c Caller) planner {
			var err error
			var p planner
			if p, user, err = s.planUser(ctx, c, organisation, wanted); err != nil {
				return refusing(err)
			}
			return p
		},
		ready: func(ctx context.Context) error { return s.hashOf(ctx, user) }, // hashing is work on purpose
		tell: func(ctx context.Context, c Caller, next *access.Snapshot) (UserMade, error) {
			return s.userMade(ctx, c, wanted, organisation, user, next.Revision()), nil
		},
	}
}

// userMade tells of a user who was written, and sends the letters that were wanted.
func (s *Changes) userMade(ctx context.Context, c Caller, wanted NewUser, organisation string, user *newcomer, revision uint64) UserMade {
	made := UserMade{
		User:   UserView{Principal: user.principal, PrincipalDetails: user.details},
		SignIn: credential.SignIn{Name: wanted.Name, Organisation: organisation}, Password: user.password, Key: user.key, Address: s.address, Revision: revision,
	}
	if user.link != nil {
		link := s.sendLink(ctx, c, *user.link, wanted.Email, made.SignIn.String())
		made.Link = &link
	}
	if wanted.Notify {
		mailed := s.mail(ctx, letters.Instructions(wanted.Email, s.occasion(ctx, c, made.SignIn.String())))
		made.Mailed = &mailed
	}
	return made
}

// newcomer is a user worked out and not yet written.
type newcomer struct {
	principal access.Principal
	details   store.PrincipalDetails
	identity  store.Identity
	plain     string // the password to be hashed; empty for none
	password  string // generated
	key       *KeyMade
	link      *newLink
}

func (s *Changes) planUser(ctx context.Context, c Caller, organisation string, wanted NewUser) (planner, *newcomer, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return nil, nil, err
	}
	if _, err := d.needAtTop("create user", organisation); err != nil {
		return nil, nil, err
	}
	user, err := s.newcomer(wanted, organisation)
	if err != nil {
		return nil, nil, err
	}
	if wanted.Link {
		link := s.newLink(c, credential.ToPassword, user.principal.ID, wanted.Email)
		user.link = &link
	}
	if wanted.Key != nil {
		if err := s.needProof(c, "issue an API key"); err != nil {
			return nil, nil, err
		}
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
	p, err := d.planStart(organisation, user.principal.ID, wanted.Groups, wanted.Grants)
	if err != nil {
		return plan{}, err
	}
	p.changes = append([]access.Change{access.CreatePrincipal{Principal: user.principal}}, p.changes...)
	p.what = "created user " + wanted.Name + p.what
	if user.plain != "" || user.key != nil || user.link != nil && user.link.revealed {
		p.actsAs = []model.ID{user.principal.ID}
	}
	p.describe(user.principal.ID, user.details)
	p.beside = user.write
	return p, nil
}

// planStart plans what somebody who is not there yet gets: memberships and grants. Its words go on after who they are.
func (d desk) planStart(organisation string, who model.ID, groups []string, grants []NewGrant) (p plan, err error) {
	for _, name := range groups {
		group, err := MemberChange{Organisation: organisation, Group: name}.group(d)
		if err != nil {
			return plan{}, inField(err, "groups")
		}
		p.changes = append(p.changes, access.AddMember{Membership: access.Membership{Group: group.ID, Member: who}})
	}
	for _, grant := range grants {
		made, err := d.newGrant(grant, who)
		if err != nil {
			return plan{}, inField(err, "grants")
		}
		p.changes = append(p.changes, access.CreateGrant{Grant: made})
		p.describeGrant(made.ID, grant.Description)
	}
	if len(groups) > 0 {
		p.what += " in " + strings.Join(groups, ", ")
	}
	var given []string
	for _, grant := range grants {
		given = append(given, grant.Role+" at "+grant.Scope)
	}
	if len(given) > 0 {
		p.what += " with " + strings.Join(given, ", ")
	}
	return p, nil
}

// write writes by what the newcomer signs in.
func (u *newcomer) write(tx Tx) error {
	if err := tx.CreateIdentity(u.identity); err != nil {
		return err
	}
	if u.link != nil {
		if err := u.link.write(tx); err != nil {
			return err
		}
	}
	if u.key != nil {
		return tx.CreateKey(u.key.Key)
	}
	return nil
}

func (s *Changes) newcomer(wanted NewUser, organisation string) (*newcomer, error) {
	if err := model.CheckName(wanted.Name); err != nil {
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
		wanted.By = credential.ByPassword
	}
	switch {
	case wanted.Password != "" && !wanted.By.TakesPassword():
		return nil, &Problem{Kind: Invalid, Detail: fmt.Sprintf("who signs in by %s has no password", wanted.By), Next: "leave the password out, or have them sign in by both", Field: "password"}
	case wanted.Key != nil && !wanted.By.TakesKeys():
		return nil, &Problem{Kind: Invalid, Detail: fmt.Sprintf("who signs in by %s has no API key", wanted.By), Next: "have them sign in by key, or by both", Field: "key"}
	}
	if wanted.Link && (!wanted.By.TakesPassword() || wanted.Password != "") {
		return nil, &Problem{Kind: Invalid, Detail: "a link to choose a password is for who signs in by one that is not given", Next: "leave out the link, or the password", Field: "link"}
	}
	if (wanted.Link || wanted.Notify) && wanted.Email == "" {
		return nil, &Problem{Kind: Invalid, Detail: "there is no mail address to write to", Next: "give the person's email", Field: "email"}
	}
	id := newID()
	user := &newcomer{
		principal: access.Principal{ID: id, Kind: model.User, Name: wanted.Name, Tags: wanted.Tags},
		details: store.PrincipalDetails{
			Title: wanted.Title, Email: wanted.Email, Description: wanted.Description, State: credential.Active, Identity: id, CreatedAt: s.moment(),
		},
		identity: store.Identity{ID: id, Name: wanted.Name, Email: wanted.Email, By: wanted.By},
	}
	if !wanted.By.TakesPassword() || wanted.Link {
		return user, nil
	}
	if user.plain = wanted.Password; user.plain == "" {
		user.password = credential.GeneratePassword()
		user.plain = user.password
	} else if err := checkPassword(user.plain, "password", wanted.Name, wanted.Title, organisation); err != nil {
		return nil, err
	}
	if user.identity.Temporary = wanted.Temporary; wanted.Temporary {
		user.identity.TemporaryUntil = s.moment().Add(credential.TemporaryFor)
	}
	return user, nil
}

// hashOf turns the password of a newcomer into what is kept of it.
func (s *Changes) hashOf(ctx context.Context, u *newcomer) (err error) {
	if u.plain != "" {
		u.identity.PasswordHash, err = s.hash(ctx, u.plain)
	}
	return err
}
