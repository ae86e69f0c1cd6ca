package signin

import (
	"context"
	"errors"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/letters"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Links let somebody in who has no credentials yet: they work once and for a while.

// LinkMade is a link just made and what became of the letter with it. Who has the link has the account, so it is told to
// whoever made it only where no letter carries it, or where they asked to see it and may: see [service.Service.Reinvite].
type LinkMade struct {
	URL    string // empty when it went by mail alone
	Until  time.Time
	Mailed plan.Mailed
}

// NewLink is a link worked out and not yet written.
type NewLink struct {
	token    credential.Token
	Revealed bool // it is told to whoever makes it, who has somebody's credentials by it
	store.Link
}

// NewLink makes a link that is to be mailed to an address.
func (s *SignIns) NewLink(c tenant.Caller, purpose credential.Purpose, principal model.ID, to string) NewLink {
	now := s.Moment()
	return NewLink{token: credential.NewToken(), Revealed: s.Post == nil, Link: store.Link{
		Purpose: purpose, Principal: principal, MadeAt: now, MadeBy: c.Name, Until: now.Add(purpose.Lifetime()), MailedTo: to,
	}}
}

// Write writes the link, in place of the one before.
func (l NewLink) Write(tx tenant.Tx) error {
	if l.Revealed {
		l.MailedTo = "" // whoever uses it proves nothing
	}
	return tx.PutLink(l.token, l.Link)
}

// url has the token in its fragment, which browsers send to nobody: it gets into no log.
func (s *SignIns) url(l NewLink) string { return s.Address() + "/#/link/" + string(l.token) }

// SendLink mails a link that was written.
func (s *SignIns) SendLink(ctx context.Context, c tenant.Caller, l NewLink, to, signIn string) LinkMade {
	made := LinkMade{Until: l.Until}
	if l.Revealed {
		made.URL = s.url(l)
	}
	o := s.Occasion(ctx, c, signIn)
	o.Link, o.Until = s.url(l), l.Until
	write := letters.PasswordLink
	if l.Purpose == credential.ToAccept {
		write = letters.Invitation
	}
	made.Mailed = s.Mail(ctx, write(to, o))
	return made
}

// Occasion tells letters of the caller and of where they work.
func (s *SignIns) Occasion(ctx context.Context, c tenant.Caller, signIn string) letters.Occasion {
	o := letters.Occasion{Organisation: c.OrganisationName, SignIn: signIn, Address: s.Address(), From: c.Name}
	if c.Identity.Title != "" {
		o.From = c.Identity.Title
	}
	if details, err := s.Records.ScopeDetails(ctx, []model.ID{c.Organisation}); err == nil && details[c.Organisation].Title != "" {
		o.Organisation = details[c.Organisation].Title
	}
	return o
}

// MailPasswordLink sends somebody a link to choose a password. What they have now stays until they use it.
func (s *SignIns) MailPasswordLink(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef) (LinkMade, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return LinkMade{}, err
	}
	name := who.Name
	p, err := d.Governed(organisation, who, "reset")
	if err != nil {
		return LinkMade{}, err
	}
	identity, err := s.Records.Identity(ctx, p.ID)
	if err != nil {
		return LinkMade{}, err
	}
	if !identity.By.TakesPassword() {
		return LinkMade{}, &problem.Problem{Kind: problem.Conflict, Detail: name + " signs in without a password", Next: "issue a key, or change how they sign in"}
	}
	if identity.Email == "" {
		return LinkMade{}, &problem.Problem{Kind: problem.Conflict, Detail: name + " has no mail address to send a link to", Next: "give one first, or reset the password"}
	}
	link := s.NewLink(c, credential.ToPassword, p.ID, identity.Email)
	if _, err = s.Made(ctx, c, func(d tenant.Viewer) (tenant.Plan, error) {
		p, err := d.Governed(organisation, who, "reset")
		if err == nil {
			err = plan.MayActAs(d, p)
		}
		return tenant.Plan{Beside: link.Write, What: "created a link for " + p.Kind.Words() + " " + name + " to choose a password"}, err
	}); err != nil {
		return LinkMade{}, err
	}
	return s.SendLink(ctx, c, link, identity.Email, identity.SignIn().String()), nil
}

// LinkView is what a link says to whoever holds it.
type LinkView struct {
	store.Link
	OrganisationName  string
	OrganisationTitle string
	SignIn            string // the name its holder signs in by, or will
	Title             string
	Known             bool           // for an invitation: the address signs in already
	account           store.Identity // of a guest from outside, if there is one
}

// ReadLink returns what a link is for.
func (s *SignIns) ReadLink(ctx context.Context, token credential.Token, from string) (LinkView, error) {
	if wait := s.guesses.wait(openingLinks, from); wait > 0 {
		return LinkView{}, problem.Wait("too many attempts from your network address", wait)
	}
	link, err := s.Records.Link(ctx, token)
	if errors.Is(err, store.ErrNotFound) {
		if v, err := s.readRecovery(ctx, token); !errors.Is(err, store.ErrNotFound) {
			return v, err
		}
		p := &problem.Problem{Kind: problem.Revoked, Detail: "this link no longer works: it was used, replaced or withdrawn", Next: "ask the sender for another"}
		return LinkView{}, errors.Join(p, s.NoteFailure(ctx, "", from, "link-failed", "a link was opened that is not there"))
	} else if err != nil {
		return LinkView{}, err
	}
	if !s.Moment().Before(link.Until) {
		return LinkView{}, &problem.Problem{Kind: problem.Expired, Detail: "this link has expired", Next: "ask the sender for another"}
	}
	now, err := s.Current(ctx, s.Tenant(link.Organisation))
	if err != nil {
		return LinkView{}, err
	}
	top, _ := now.Top()
	p, _ := now.Principal(link.Principal)
	v := LinkView{Link: link, OrganisationName: top.Name, SignIn: p.Name}
	scopes, err := s.Records.ScopeDetails(ctx, []model.ID{top.ID})
	if err != nil {
		return LinkView{}, err
	}
	details, err := s.Records.PrincipalDetails(ctx, link.Organisation, []model.ID{p.ID})
	if err != nil {
		return LinkView{}, err
	}
	v.OrganisationTitle, v.Title = scopes[top.ID].Title, details[p.ID].Title
	if link.Purpose == credential.ToPassword {
		v.SignIn = credential.SignIn{Name: p.Name, Organisation: top.Name}.String()
		return v, nil
	}
	v.account, err = s.Records.IdentityNamed(ctx, credential.SignIn{Name: p.Name})
	if errors.Is(err, store.ErrNotFound) {
		return v, nil
	}
	// Who gets the letter takes over an account under their address that nobody has proved to be theirs.
	v.Known = v.account.Proved(p.Name) || link.MailedTo == ""
	return v, err
}

// UseLink chooses a password by a link: of the user it was sent to, or of a guest who comes in by it.
func (s *SignIns) UseLink(ctx context.Context, token credential.Token, password, title, from string) (LinkView, error) {
	v, err := s.ReadLink(ctx, token, from)
	if err != nil {
		return v, err
	}
	if v.Purpose == credential.ToRecover {
		return v, s.recover(ctx, v, token, password, from)
	}
	if v.Known {
		return v, &problem.Problem{Kind: problem.Conflict, Detail: v.SignIn + " has a password already", Next: "sign in, and accept the invitation there"}
	}
	if title = strings.TrimSpace(title); title == "" {
		title = v.Title
	}
	if err := tenant.CheckLine("title", "the display name", title); err != nil {
		return v, err
	}
	if err := CheckPassword(password, "password", v.SignIn, title, v.OrganisationName); err != nil {
		return v, err
	}
	hash, err := s.Hash(ctx, password)
	if err != nil {
		return v, err
	}
	c := tenant.Caller{Name: v.SignIn, From: from, Organisation: v.Organisation, OrganisationName: v.OrganisationName}
	if v.Purpose == credential.ToAccept {
		if !v.account.ID.IsZero() {
			return v, s.accept(ctx, c, v, token, v.account, func(tx tenant.Tx) error { return tx.TakeOver(v.account, hash) })
		}
		outsider := store.Identity{ID: tenant.NewID(), Name: v.SignIn, Email: v.SignIn, Title: title, PasswordHash: hash}
		return v, s.accept(ctx, c, v, token, outsider, func(tx tenant.Tx) error { return tx.CreateOutsider(outsider) })
	}
	identity, err := s.Records.Identity(ctx, v.Principal)
	if err != nil {
		return v, err
	}
	_, err = s.Write(ctx, c, v.Organisation, func(*access.Snapshot, tenant.Details) (tenant.Plan, error) {
		return tenant.Plan{What: "chose a password by a link", Beside: func(tx tenant.Tx) error {
			if err := tx.UseLink(token); err != nil {
				return err
			}
			if v.MailedTo != "" {
				if err := tx.ProveAddress(identity.ID, v.MailedTo); err != nil {
					return err
				}
			}
			return tx.SetPassword(identity, hash)
		}}, nil
	})
	if err == nil {
		s.Notify(ctx, identity, "A password was chosen by a link that was mailed to you. What you signed in with before opens nothing any more.")
		err = s.Records.ForgetGuesses(ctx, identity.SignIn())
	}
	return v, usedMeanwhile(err)
}

func usedMeanwhile(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return &problem.Problem{Kind: problem.Revoked, Detail: "this link no longer works: it was used just now", Next: "ask the sender for another"}
	}
	return err
}
