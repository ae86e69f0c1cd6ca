package service

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/people"
	"arbora.example/store"
)

// Links let somebody in who has no credentials yet: they work once and for a while.

// LinkMade is a link just made and what became of the letter with it.
type LinkMade struct {
	URL    string
	Until  time.Time
	Mailed Mailed
}

// newLink is a link worked out and not yet written.
type newLink struct {
	token people.Token
	store.Link
}

func (s *Service) newLink(c Caller, purpose people.Purpose, principal access.ID) newLink {
	now := s.moment()
	return newLink{token: people.NewToken(), Link: store.Link{Purpose: purpose, Principal: principal, MadeAt: now, MadeBy: c.Name, Until: now.Add(purpose.Lifetime())}}
}

func (l newLink) write(tx *store.Tx) error { return tx.PutLink(l.token, l.Link) }

// url has the token in its fragment, which browsers send to nobody: it gets into no log.
func (s *Service) url(l newLink) string { return s.address + "/#/link/" + string(l.token) }

// sendLink mails a link that was written.
func (s *Service) sendLink(ctx context.Context, c Caller, l newLink, to, signIn string) LinkMade {
	made := LinkMade{URL: s.url(l), Until: l.Until}
	o := s.occasion(ctx, c, signIn)
	o.Link, o.Until = made.URL, l.Until
	write := people.PasswordLink
	if l.Purpose == people.ToAccept {
		write = people.Invitation
	}
	made.Mailed = s.mail(ctx, write(to, o))
	return made
}

// occasion tells letters of the caller and of where they work.
func (s *Service) occasion(ctx context.Context, c Caller, signIn string) people.Occasion {
	o := people.Occasion{Organisation: c.OrganisationName, SignIn: signIn, Address: s.address, From: c.Name}
	if c.Identity.Title != "" {
		o.From = c.Identity.Title
	}
	if details, err := s.records.ScopeDetails(ctx, []access.ID{c.Organisation}); err == nil && details[c.Organisation].Title != "" {
		o.Organisation = details[c.Organisation].Title
	}
	return o
}

// MailPasswordLink sends a user a link to choose a password. What they have now stays until they use it.
func (s *Service) MailPasswordLink(ctx context.Context, c Caller, organisation, name string) (LinkMade, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return LinkMade{}, err
	}
	who := Somebody{Kind: "user", Name: name}
	p, err := d.governed(organisation, who, "reset")
	if err != nil {
		return LinkMade{}, err
	}
	identity, err := s.records.Identity(ctx, p.ID)
	if err != nil {
		return LinkMade{}, err
	}
	if !identity.By.TakesPassword() {
		return LinkMade{}, &Problem{Kind: Conflict, Detail: name + " signs in without a password", Next: "issue a key, or alter how they sign in"}
	}
	if identity.Email == "" {
		return LinkMade{}, &Problem{Kind: Conflict, Detail: name + " has no mail address to send a link to", Next: "give one first, or reset the password"}
	}
	link := s.newLink(c, people.ToPassword, p.ID)
	if _, err = s.made(ctx, c, func(d desk) (plan, error) {
		p, err := d.governed(organisation, who, "reset")
		if err == nil {
			err = d.mayActAs(p)
		}
		return plan{rows: link.write, what: "made a link for user " + name + " to choose a password"}, err
	}); err != nil {
		return LinkMade{}, err
	}
	return s.sendLink(ctx, c, link, identity.Email, identity.SignIn().String()), nil
}

// Invitation is a guest whom somebody wants to invite, with what is prepared: it counts once the guest has accepted.
type Invitation struct {
	Email, Title, Description string
	Tags                      map[string]string
	Groups                    []string
	Grants                    []NewGrant
}

// Invited is a guest just invited.
type Invited struct {
	Guest    UserView
	Link     LinkMade
	Revision uint64
}

// Invite makes a guest who is pending and mails a link to accept.
func (s *Service) Invite(ctx context.Context, c Caller, organisation string, wanted Invitation) (Invited, error) {
	p, guest, err := s.planInvitation(c, organisation, wanted)
	if err != nil {
		return Invited{}, err
	}
	revision, err := s.made(ctx, c, p)
	if err != nil {
		return Invited{}, err
	}
	return Invited{
		Guest: UserView{Principal: guest.principal, PrincipalDetails: guest.details}, Revision: revision,
		Link: s.sendLink(ctx, c, guest.link, guest.principal.Name, guest.principal.Name),
	}, nil
}

// PreviewInvitation gives the impact that an invitation would have once it is accepted, and invites nobody.
func (s *Service) PreviewInvitation(ctx context.Context, c Caller, organisation string, wanted Invitation) (Impact, error) {
	p, _, err := s.planInvitation(c, organisation, wanted)
	if err != nil {
		return Impact{}, err
	}
	return s.preview(ctx, c, p)
}

type invitee struct {
	principal access.Principal
	details   store.PrincipalDetails
	link      newLink
}

func (s *Service) planInvitation(c Caller, organisation string, wanted Invitation) (planner, *invitee, error) {
	address, err := people.ParseAddress(wanted.Email)
	if err != nil {
		return nil, nil, &Problem{Kind: Invalid, Detail: err.Error(), Field: "email"}
	}
	if wanted.Title == "" {
		wanted.Title = address
	}
	if err := checkLine("title", "the display name", wanted.Title); err != nil {
		return nil, nil, err
	}
	id := newID()
	guest := &invitee{
		principal: access.Principal{ID: id, Kind: access.Guest, Name: address, Tags: wanted.Tags, Inactive: true},
		details:   store.PrincipalDetails{Title: wanted.Title, Description: wanted.Description, State: people.Pending, CreatedAt: s.moment()},
		link:      s.newLink(c, people.ToAccept, id),
	}
	return func(d desk) (plan, error) {
		if _, err := d.needAtTop("create user", organisation); err != nil {
			return plan{}, err
		}
		p, rows, err := d.planStart(organisation, id, wanted.Groups, wanted.Grants)
		if err != nil {
			return plan{}, err
		}
		p.changes = append([]access.Change{access.CreatePrincipal{Principal: guest.principal}}, p.changes...)
		accepted := guest.principal
		accepted.Inactive = false
		p.imagined = append([]access.Change{access.CreatePrincipal{Principal: accepted}}, p.changes[1:]...)
		p.rows = func(tx *store.Tx) error {
			return errors.Join(tx.CreatePrincipal(guest.principal, guest.details), rows(tx), guest.link.write(tx))
		}
		p.what = "invited " + address + p.what
		return p, nil
	}, guest, nil
}

// Reinvite mails a pending guest another link in place of the first, and invites one anew who was withdrawn before.
func (s *Service) Reinvite(ctx context.Context, c Caller, organisation string, who Somebody) (LinkMade, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return LinkMade{}, err
	}
	guest, err := d.governed(organisation, who, "create")
	if err != nil {
		return LinkMade{}, err
	}
	name := guest.Name
	if guest.Kind != access.Guest {
		return LinkMade{}, &Problem{Kind: Invalid, Detail: "only guests are invited", Next: "name a guest", Field: "kind"}
	}
	details, err := s.detailsOf(ctx, c, guest)
	if err != nil {
		return LinkMade{}, err
	}
	if !details.Identity.IsZero() {
		return LinkMade{}, &Problem{Kind: Conflict, Detail: name + " has accepted already", Next: "restore a retired guest with their state"}
	}
	link := s.newLink(c, people.ToAccept, guest.ID)
	if _, err := s.made(ctx, c, func(d desk) (plan, error) {
		_, err := d.governed(organisation, who, "create")
		return plan{what: "invited " + name + " once more", rows: func(tx *store.Tx) error {
			if details.State == people.Retired {
				if err := tx.Reinvite(guest); err != nil {
					return err
				}
			}
			return link.write(tx)
		}}, err
	}); err != nil {
		return LinkMade{}, err
	}
	return s.sendLink(ctx, c, link, guest.Name, guest.Name), nil
}

// LinkView is what a link says to whoever holds it.
type LinkView struct {
	store.Link
	OrganisationName  string
	OrganisationTitle string
	SignIn            string // the name its holder signs in by, or will
	Title             string
	Known             bool // for an invitation: the address signs in already
}

// ReadLink says what a link is for.
func (s *Service) ReadLink(ctx context.Context, token people.Token, from string) (LinkView, error) {
	if wait := s.guesses.wait(from); wait > 0 {
		return LinkView{}, tooOften("too many attempts from your network address", wait)
	}
	link, err := s.records.Link(ctx, token)
	if errors.Is(err, store.ErrNotFound) {
		return LinkView{}, &Problem{Kind: Revoked, Detail: "this link works no more: it was used, replaced or withdrawn", Next: "ask whoever sent it for another"}
	} else if err != nil {
		return LinkView{}, err
	}
	if !s.moment().Before(link.Until) {
		return LinkView{}, &Problem{Kind: Expired, Detail: "this link has expired", Next: "ask whoever sent it for another"}
	}
	now, err := s.now(ctx, s.house(link.Organisation))
	if err != nil {
		return LinkView{}, err
	}
	top, _ := now.Top()
	p, _ := now.Principal(link.Principal)
	v := LinkView{Link: link, OrganisationName: top.Name, SignIn: p.Name}
	scopes, err := s.records.ScopeDetails(ctx, []access.ID{top.ID})
	if err != nil {
		return LinkView{}, err
	}
	details, err := s.records.PrincipalDetails(ctx, link.Organisation, []access.ID{p.ID})
	if err != nil {
		return LinkView{}, err
	}
	v.OrganisationTitle, v.Title = scopes[top.ID].Title, details[p.ID].Title
	if link.Purpose == people.ToPassword {
		v.SignIn = people.SignIn{Name: p.Name, Organisation: top.Name}.String()
		return v, nil
	}
	_, err = s.records.IdentityNamed(ctx, people.SignIn{Name: p.Name})
	v.Known = err == nil
	if errors.Is(err, store.ErrNotFound) {
		err = nil
	}
	return v, err
}

// UseLink chooses a password by a link: of the user it was sent to, or of a guest who comes in by it.
func (s *Service) UseLink(ctx context.Context, token people.Token, password, title, from string) (LinkView, error) {
	v, err := s.ReadLink(ctx, token, from)
	if err != nil {
		return v, err
	}
	if v.Known {
		return v, &Problem{Kind: Conflict, Detail: v.SignIn + " has a password already", Next: "sign in, and accept the invitation there"}
	}
	if title = strings.TrimSpace(title); title == "" {
		title = v.Title
	}
	if err := checkLine("title", "the display name", title); err != nil {
		return v, err
	}
	if err := checkPassword(password, "password", v.SignIn, title, v.OrganisationName); err != nil {
		return v, err
	}
	hash, err := people.HashPassword(password)
	if err != nil {
		return v, err
	}
	c := Caller{Name: v.SignIn, From: from, Organisation: v.Organisation, OrganisationName: v.OrganisationName}
	if v.Purpose == people.ToAccept {
		outsider := store.Identity{ID: newID(), Name: v.SignIn, Email: v.SignIn, Title: title, PasswordHash: hash}
		return v, s.accept(ctx, c, v, token, outsider, func(tx *store.Tx) error { return tx.CreateOutsider(outsider) })
	}
	identity, err := s.records.Identity(ctx, v.Principal)
	if err != nil {
		return v, err
	}
	_, err = s.write(ctx, c, v.Organisation, func(*access.Snapshot) (plan, error) {
		return plan{what: "chose a password by a link", rows: func(tx *store.Tx) error {
			if err := tx.UseLink(token); err != nil {
				return err
			}
			return tx.SetPassword(identity, hash)
		}}, nil
	})
	if err == nil {
		err = s.records.ForgetGuesses(ctx, identity.SignIn())
	}
	return v, usedMeanwhile(err)
}

// AcceptInvitation lets the caller in as a guest, as who they are signed in.
func (s *Service) AcceptInvitation(ctx context.Context, c Caller, token people.Token) (LinkView, error) {
	v, err := s.ReadLink(ctx, token, c.From)
	if err != nil {
		return v, err
	}
	i := c.Identity
	switch {
	case v.Purpose != people.ToAccept:
		return v, &Problem{Kind: Invalid, Detail: "this link is no invitation", Next: "open it in a browser"}
	case i.ID.IsZero() || i.Keeper:
		return v, &Problem{Kind: Refused, Detail: "only people accept invitations", Next: "sign in as a person"}
	case i.Organisation == v.Organisation:
		return v, &Problem{Kind: Conflict, Detail: "you belong to " + v.OrganisationName + " already", Next: "nothing more needs doing"}
	case i.SignIn().String() != v.SignIn && !strings.EqualFold(i.Email, v.SignIn):
		// A link that got astray lets nobody in under another name than it was sent to.
		return v, &Problem{Kind: Refused, Detail: fmt.Sprintf("the invitation was sent to %s, which is not your mail address", v.SignIn), Next: "sign in as who was invited, or mend the address in your profile"}
	}
	seats, err := s.records.Seats(ctx, i.ID)
	if err != nil {
		return v, err
	}
	for _, seat := range seats {
		if seat.Organisation == v.Organisation {
			return v, &Problem{Kind: Conflict, Detail: "you are a guest of " + v.OrganisationName + " already", Next: "nothing more needs doing"}
		}
	}
	at := Caller{Name: c.Name, From: c.From, Organisation: v.Organisation, OrganisationName: v.OrganisationName}
	return v, s.accept(ctx, at, v, token, i, func(*store.Tx) error { return nil })
}

// accept lets a pending guest in as an identity.
func (s *Service) accept(ctx context.Context, c Caller, v LinkView, token people.Token, i store.Identity, more func(*store.Tx) error) error {
	name := i.SignIn().String()
	_, err := s.write(ctx, c, v.Organisation, func(now *access.Snapshot) (plan, error) {
		guest, ok := now.Principal(v.Principal)
		if !ok {
			return plan{}, notThere("guest", v.SignIn, "")
		}
		p := plan{what: name + " accepted the invitation", changes: []access.Change{access.SetInactive{ID: guest.ID}}, rows: func(tx *store.Tx) error {
			if err := tx.UseLink(token); err != nil {
				return err
			}
			if err := more(tx); err != nil {
				return err
			}
			return tx.Accept(guest, name, i.Title, i.ID)
		}}
		if guest.Name != name {
			p.changes = append(p.changes, access.RenamePrincipal{ID: guest.ID, Name: name})
		}
		return p, nil
	})
	return usedMeanwhile(err)
}

func usedMeanwhile(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return &Problem{Kind: Revoked, Detail: "this link works no more: it was used just now", Next: "ask whoever sent it for another"}
	}
	return err
}

// ListGuests lists guests by name, those too who have not accepted yet, a page at a time.
func (s *Service) ListGuests(ctx context.Context, c Caller, organisation, after string, limit int) (guests []UserView, next string, err error) {
	_, page, next, err := s.listPrincipals(ctx, c, organisation, access.Guest, after, limit)
	if err != nil {
		return nil, "", err
	}
	details, err := s.records.PrincipalDetails(ctx, c.Organisation, idsOf(page))
	if err != nil {
		return nil, "", err
	}
	for _, p := range page {
		guests = append(guests, UserView{Principal: p, PrincipalDetails: details[p.ID]})
	}
	return guests, next, nil
}
