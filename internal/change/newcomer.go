package change

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/ask"
	"arbora.example/internal/credential"
	"arbora.example/internal/english"
	"arbora.example/internal/letters"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// NewUser is a user that somebody wants, with all that the person gets: made in one pass, whole or not at all.
type NewUser struct {
	Name, Title, Email, Description string
	Tags                            map[string]string
	By                              credential.SignInBy // empty for by password
	Password                        string              // generated when it is empty and one is needed
	Temporary                       bool                // another must be chosen at the first sign-in, within credential.TemporaryFor
	Groups                          []string
	Grants                          []NewGrant // for the person; who is left empty
	AtMost                          string     // the most they may ever do, such as observe anything; empty for no bound
	Key                             *signin.NewKey
	Link                            bool // mail a link to choose a password, which is not made then
	Notify                          bool // mail how to sign in
}

// UserMade is a user just created, with the secrets, told this once.
type UserMade struct {
	User     ask.UserView
	SignIn   credential.SignIn
	Password string // when it was generated
	Key      *signin.KeyMade
	Address  string           // of the console
	Link     *signin.LinkMade // when one was wanted
	Mailed   *plan.Mailed     // when instructions were wanted
	Revision uint64
}

// CreateUser makes a user with groups, grants and a key.
func (s *Changes) CreateUser(organisation string, wanted NewUser) plan.Change[UserMade] {
	var user *newcomer
	return plan.Change[UserMade]{
		Of: s.Maker,
		Plan: func(ctx context.Context, c tenant.Caller) plan.Planner {
			var err error
			var p plan.Planner
			if p, user, err = s.planUser(ctx, c, organisation, wanted); err != nil {
				return plan.Refusing(err)
			}
			return func(d tenant.Viewer) (tenant.Plan, error) {
				planned, err := p(d)
				if err == nil {
					planned.Warnings, err = sameEmail(ctx, d, planned.Warnings, user.principal.ID, wanted.Email)
				}
				return planned, err
			}
		},
		Ready: func(ctx context.Context) error { return s.hashOf(ctx, user) }, // hashing is work on purpose
		Tell: func(ctx context.Context, c tenant.Caller, next *access.Snapshot) (UserMade, error) {
			return s.userMade(ctx, c, wanted, organisation, user, next.Revision()), nil
		},
	}
}

// sameEmail warns of others in the organisation who have a mail address: letters that open an account go there.
func sameEmail(ctx context.Context, d tenant.Viewer, warnings []string, who model.ID, email string) ([]string, error) {
	if email == "" {
		return warnings, nil
	}
	ids, err := d.Details.WithEmail(ctx, d.OrganisationID(), email)
	if guest, there := d.PrincipalNamed(model.Guest, email); there {
		ids = append(ids, guest.ID)
	}
	var others []string
	for _, id := range ids {
		if p, ok := d.Principal(id); ok && id != who {
			others = append(others, p.Kind.Words()+" "+p.Name)
		}
	}
	if len(others) > 0 {
		warnings = append(warnings, fmt.Sprintf("The address %s is also that of %s.", email, english.Join(others)))
	}
	return warnings, err
}

// userMade tells of a user who was written, and sends the letters that were wanted.
func (s *Changes) userMade(ctx context.Context, c tenant.Caller, wanted NewUser, organisation string, user *newcomer, revision uint64) UserMade {
	made := UserMade{
		User:   ask.UserView{Principal: user.principal, PrincipalDetails: user.details},
		SignIn: credential.SignIn{Name: wanted.Name, Organisation: organisation}, Password: user.password, Key: user.key, Address: s.Address(), Revision: revision,
	}
	if user.link != nil {
		link := s.SendLink(ctx, c, *user.link, wanted.Email, made.SignIn.String())
		made.Link = &link
	}
	if wanted.Notify {
		mailed := s.Mail(ctx, letters.Instructions(wanted.Email, s.Occasion(ctx, c, made.SignIn.String())))
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
	key       *signin.KeyMade
	link      *signin.NewLink
}

func (s *Changes) planUser(ctx context.Context, c tenant.Caller, organisation string, wanted NewUser) (plan.Planner, *newcomer, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return nil, nil, err
	}
	if _, err := d.NeedAtTop("create user", organisation); err != nil {
		return nil, nil, err
	}
	user, err := s.newcomer(wanted, organisation)
	if err != nil {
		return nil, nil, err
	}
	if wanted.Link {
		link := s.NewLink(c, credential.ToPassword, user.principal.ID, wanted.Email)
		user.link = &link
	}
	if wanted.Key != nil {
		if err := s.NeedProof(c, "issue an API key"); err != nil {
			return nil, nil, err
		}
		if wanted.Key.Tokens != nil {
			return nil, nil, signin.TokensNeedAccount()
		}
		made, err := s.NewKey(c, user.principal.ID, *wanted.Key)
		if err != nil {
			return nil, nil, err
		}
		user.key = &made
	}
	return func(d tenant.Viewer) (tenant.Plan, error) { return planNewcomer(d, organisation, user, wanted) }, user, nil
}

func planNewcomer(d tenant.Viewer, organisation string, user *newcomer, wanted NewUser) (tenant.Plan, error) {
	if _, err := d.NeedAtTop("create user", organisation); err != nil {
		return tenant.Plan{}, err
	}
	p, err := planStart(d, organisation, user.principal, wanted.Groups, wanted.Grants, wanted.AtMost)
	if err != nil {
		return tenant.Plan{}, err
	}
	p.Changes = append([]access.Change{access.CreatePrincipal{Principal: user.principal}}, p.Changes...)
	p.What = "created user " + wanted.Name + p.What
	if user.plain != "" || user.key != nil || user.link != nil && user.link.Revealed {
		p.ActsAs = []model.ID{user.principal.ID}
	}
	p.Describe(user.principal.ID, user.details)
	p.Beside = user.write
	return p, nil
}

// planStart plans what somebody who is not there yet gets: memberships, grants and a bound. Its words go on after who they are.
func planStart(d tenant.Viewer, organisation string, newcomer access.Principal, groups []string, grants []NewGrant, atMost string) (p tenant.Plan, err error) {
	who := newcomer.ID
	for _, name := range groups {
		group, err := MemberChange{Organisation: organisation, Group: name}.group(d)
		if err != nil {
			return tenant.Plan{}, problem.InField(err, "groups")
		}
		p.Changes = append(p.Changes, access.AddMember{Membership: access.Membership{Group: group.ID, Member: who}})
	}
	for _, grant := range grants {
		made, err := newGrant(d, grant, who)
		if err != nil {
			return tenant.Plan{}, problem.InField(err, "grants")
		}
		p.Changes = append(p.Changes, access.CreateGrant{Grant: made})
		p.DescribeGrant(made.ID, grant.Description)
	}
	if len(groups) > 0 {
		p.What += " in " + strings.Join(groups, ", ")
	}
	var given []string
	for _, grant := range grants {
		given = append(given, grant.Role+" at "+grant.Scope)
	}
	if len(given) > 0 {
		p.What += " with " + strings.Join(given, ", ")
	}
	if atMost = strings.TrimSpace(atMost); atMost != "" {
		bound, err := planBound(d, organisation, newcomer, atMost)
		if err != nil {
			return tenant.Plan{}, err
		}
		p.Join(bound)
	}
	return p, nil
}

// planBound plans a policy by which somebody who is not there yet may do certain things at most. Its text is read as one about
// everyone, since nobody can be named before they are there.
func planBound(d tenant.Viewer, organisation string, newcomer access.Principal, atMost string) (tenant.Plan, error) {
	name := "at-most-" + strings.Trim(strings.NewReplacer("@", "-", ".", "-").Replace(newcomer.Name), "-")
	if len(name) > model.MaxName {
		name = strings.TrimRight(name[:model.MaxName], "-")
	}
	var made statement.Policy
	p, err := planPolicy(NewPolicy{Scope: organisation, Name: name, Text: "everyone may only " + atMost, Description: "The most that " + newcomer.Name + " may do, whatever they are given"}, &made)(d)
	var faulty *problem.Problem
	if errors.As(err, &faulty) && len(faulty.Faults) > 0 {
		fault := faulty.Faults[0]
		told := &problem.Problem{Kind: problem.Invalid, Detail: fault.Detail, Nearest: fault.Nearest, Next: "write what follows may only, such as: observe anything"}
		if fault.Nearest != "" {
			told.Next = "did you mean " + fault.Nearest + "?"
		}
		err = told
	}
	if err != nil {
		return tenant.Plan{}, problem.InField(err, "atMost")
	}
	for i := range made.Statements {
		made.Statements[i].Who = []statement.Subject{{Principal: newcomer.ID}}
	}
	p.What = "to do at most: " + atMost
	return p, nil
}

// write writes by what the newcomer signs in.
func (u *newcomer) write(tx tenant.Tx) error {
	if err := tx.CreateIdentity(u.identity); err != nil {
		return err
	}
	if u.link != nil {
		if err := u.link.Write(tx); err != nil {
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
		return nil, problem.Of(err, "name")
	}
	if wanted.Title == "" {
		wanted.Title = wanted.Name
	}
	if err := tenant.CheckLine("title", "the display name", wanted.Title); err != nil {
		return nil, err
	}
	if err := tenant.CheckEmail(wanted.Email); err != nil {
		return nil, err
	}
	if wanted.By == "" {
		wanted.By = credential.ByPassword
	}
	switch {
	case wanted.Password != "" && !wanted.By.TakesPassword():
		return nil, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("somebody who signs in by %s has no password", wanted.By), Next: "leave the password out, or have them sign in by both", Field: "password"}
	case wanted.Key != nil && !wanted.By.TakesKeys():
		return nil, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("users who sign in by %s cannot have API keys", wanted.By), Next: "have them sign in by key, or by both", Field: "key"}
	}
	if wanted.Link && (!wanted.By.TakesPassword() || wanted.Password != "") {
		return nil, &problem.Problem{Kind: problem.Invalid, Detail: "by a link somebody chooses the first password: none can be given with it", Next: "leave out the link or the password, and have them sign in by password", Field: "link"}
	}
	if (wanted.Link || wanted.Notify) && wanted.Email == "" {
		return nil, &problem.Problem{Kind: problem.Invalid, Detail: "there is no mail address to write to", Next: "give the person's email", Field: "email"}
	}
	id := tenant.NewID()
	user := &newcomer{
		principal: access.Principal{ID: id, Kind: model.User, Name: wanted.Name, Tags: wanted.Tags},
		details: store.PrincipalDetails{
			Title: wanted.Title, Email: wanted.Email, Description: wanted.Description, State: credential.Active, Identity: id, CreatedAt: s.Moment(),
		},
		identity: store.Identity{ID: id, Name: wanted.Name, Email: wanted.Email, By: wanted.By},
	}
	if !wanted.By.TakesPassword() || wanted.Link {
		return user, nil
	}
	if user.plain = wanted.Password; user.plain == "" {
		user.password = credential.GeneratePassword()
		user.plain = user.password
	} else if err := signin.CheckPassword(user.plain, "password", wanted.Name, wanted.Title, organisation); err != nil {
		return nil, err
	}
	if user.identity.Temporary = wanted.Temporary; wanted.Temporary {
		user.identity.TemporaryUntil = s.Moment().Add(credential.TemporaryFor)
	}
	return user, nil
}

// hashOf turns the password of a newcomer into what is kept of it.
func (s *Changes) hashOf(ctx context.Context, u *newcomer) (err error) {
	if u.plain != "" {
		u.identity.PasswordHash, err = s.Hash(ctx, u.plain)
	}
	return err
}
