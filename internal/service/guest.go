package service

import (
	"context"
	"fmt"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/letters"
	"arbora.example/internal/store"
)

// Guests are people from outside: invited by mail, pending until they accept, and then known under the name they sign in by.

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
	address, err := credential.ParseAddress(wanted.Email)
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
		principal: access.Principal{ID: id, Kind: model.Guest, Name: address, Tags: wanted.Tags, Inactive: true},
		details:   store.PrincipalDetails{Title: wanted.Title, Description: wanted.Description, State: credential.Pending, CreatedAt: s.moment()},
		link:      s.newLink(c, credential.ToAccept, id, address),
	}
	return func(d desk) (plan, error) {
		if _, err := d.needAtTop("create user", organisation); err != nil {
			return plan{}, err
		}
		p, err := d.planStart(organisation, id, wanted.Groups, wanted.Grants)
		if err != nil {
			return plan{}, err
		}
		p.changes = append([]access.Change{access.CreatePrincipal{Principal: guest.principal}}, p.changes...)
		accepted := guest.principal
		accepted.Inactive = false
		p.imagined = append([]access.Change{access.CreatePrincipal{Principal: accepted}}, p.changes[1:]...)
		p.describe(id, guest.details)
		p.beside = guest.link.write
		if guest.link.revealed {
			p.actsAs = []model.ID{id}
		}
		p.what = "invited " + address + p.what
		return p, nil
	}, guest, nil
}

// Reinvite mails a pending guest another link in place of the first, and invites one anew who was withdrawn before: that gives
// back all that is prepared for them, which the caller must be able to give. Who may act as the guest, whatever is prepared
// counted, may have the link revealed once: that is recorded, and the guest is told.
func (s *Service) Reinvite(ctx context.Context, c Caller, organisation string, who Somebody, reveal bool) (LinkMade, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return LinkMade{}, err
	}
	guest, err := d.governed(organisation, who, "create")
	if err != nil {
		return LinkMade{}, err
	}
	if guest.Kind != model.Guest {
		return LinkMade{}, &Problem{Kind: Invalid, Detail: "only guests are invited", Next: "name a guest", Field: "kind"}
	}
	if reveal {
		if err := s.needProof(c, "have a link revealed"); err != nil {
			return LinkMade{}, err
		}
	}
	link := s.newLink(c, credential.ToAccept, guest.ID, guest.Name)
	link.revealed = link.revealed || reveal
	if _, err := s.made(ctx, c, planReinvitation(ctx, organisation, who, link)); err != nil {
		return LinkMade{}, err
	}
	made := s.sendLink(ctx, c, link, guest.Name, guest.Name)
	if reveal && made.Mailed.Sent {
		o := s.occasion(ctx, c, guest.Name)
		s.mail(ctx, letters.Notice(guest.Name, o, o.From+" had the link of your invitation shown to them, to pass it on."))
	}
	return made, nil
}

func planReinvitation(ctx context.Context, organisation string, who Somebody, link newLink) planner {
	return func(d desk) (plan, error) {
		guest, err := d.governed(organisation, who, "create")
		if err != nil {
			return plan{}, err
		}
		details, err := d.detailsOf(ctx, guest)
		if err != nil {
			return plan{}, err
		}
		if !details.Identity.IsZero() {
			return plan{}, &Problem{Kind: Conflict, Detail: guest.Name + " has accepted already", Next: "restore a retired guest with their state"}
		}
		withdrawn := details.State == credential.Retired
		if withdrawn || link.revealed {
			if err := d.mayActAs(guest); err != nil {
				return plan{}, err
			}
		}
		p := plan{what: "invited " + guest.Name + " once more"}
		if link.revealed {
			p.what += ", and had the link shown"
		}
		p.beside = link.write
		if withdrawn {
			details.State = credential.Pending
			p.describe(guest.ID, details)
		}
		return p, nil
	}
}

// AcceptInvitation lets the caller in as a guest, as who they are signed in.
func (s *Service) AcceptInvitation(ctx context.Context, c Caller, token credential.Token) (LinkView, error) {
	v, err := s.ReadLink(ctx, token, c.From)
	if err != nil {
		return v, err
	}
	i := c.Identity
	switch {
	case v.Purpose != credential.ToAccept:
		return v, &Problem{Kind: Invalid, Detail: "this link is no invitation", Next: "open it in a browser"}
	case i.ID.IsZero() || i.Keeper:
		return v, &Problem{Kind: Refused, Detail: "only people accept invitations", Next: "sign in as a person"}
	case i.Organisation == v.Organisation:
		return v, &Problem{Kind: Conflict, Detail: "you belong to " + v.OrganisationName + " already", Next: "nothing more needs doing"}
	case i.SignIn().String() != v.SignIn && !(strings.EqualFold(i.Email, v.SignIn) && (v.MailedTo != "" || i.Proved(v.SignIn))):
		// A link that got astray lets nobody in under another name than it was sent to. An address that an administrator wrote, and
		// no letter has proved, is nobody's yet.
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
	return v, s.accept(ctx, at, v, token, i, func(Tx) error { return nil })
}

// accept lets a pending guest in as an identity.
func (s *Service) accept(ctx context.Context, c Caller, v LinkView, token credential.Token, i store.Identity, more func(Tx) error) error {
	name := i.SignIn().String()
	_, err := s.write(ctx, c, v.Organisation, func(now *access.Snapshot, details Details) (plan, error) {
		guest, ok := now.Principal(v.Principal)
		if !ok {
			return plan{}, notThere("guest", v.SignIn, "")
		}
		// What was prepared for the guest was judged when it was prepared, as if they were in use. What their name brings besides
		// was not.
		if guest.Name != name {
			if err := judgeName(now, guest, name, s.moment()); err != nil {
				return plan{}, err
			}
		}
		p := plan{what: name + " accepted the invitation", final: true, changes: []access.Change{access.SetInactive{ID: guest.ID}}, beside: func(tx Tx) error {
			if err := tx.UseLink(token); err != nil {
				return err
			}
			if err := more(tx); err != nil {
				return err
			}
			if v.MailedTo != "" {
				if err := tx.ProveAddress(i.ID, v.MailedTo); err != nil {
					return err
				}
			}
			return nil
		}}
		known, err := details.PrincipalDetails(ctx, v.Organisation, []model.ID{guest.ID})
		if err != nil {
			return plan{}, err
		}
		is := known[guest.ID]
		is.Title, is.State, is.Identity = i.Title, credential.Active, i.ID
		p.describe(guest.ID, is)
		if guest.Name != name {
			p.changes = append(p.changes, access.RenamePrincipal{ID: guest.ID, Name: name})
		}
		return p, nil
	})
	return usedMeanwhile(err)
}

// judgeName refuses to let a guest in under a name by which they would gain something: a condition may ask for it.
func judgeName(now *access.Snapshot, guest access.Principal, name string, at time.Time) error {
	used, err := now.With(now.Revision(), access.SetInactive{ID: guest.ID})
	if err != nil {
		return broken(err, "")
	}
	_, found, err := used.Exceeds(access.Maker{ID: guest.ID, Now: &access.Context{Time: at, Local: true}}, access.RenamePrincipal{ID: guest.ID, Name: name})
	if err != nil {
		return broken(err, "")
	}
	if !found {
		return nil
	}
	return &Problem{
		Kind: Refused, Detail: "a rule of the organisation gives something to whoever is called " + name + ", which nobody meant to give by this invitation",
		Next: "ask whoever invited you to invite " + name,
	}
}

// ListGuests lists guests by name, those too who have not accepted yet, a page at a time.
func (s *Service) ListGuests(ctx context.Context, c Caller, organisation, after string, limit int) (guests []UserView, next string, err error) {
	d, page, next, err := s.listPrincipals(ctx, c, organisation, model.Guest, after, limit)
	if err != nil {
		return nil, "", err
	}
	details, err := s.records.PrincipalDetails(ctx, c.Organisation, idsOf(page))
	if err != nil {
		return nil, "", err
	}
	describes := d.may("describe user", d.organisationID())
	for _, p := range page {
		g := UserView{Principal: p, PrincipalDetails: details[p.ID]}
		if !describes {
			g.PrincipalDetails = store.PrincipalDetails{Title: g.Title, State: g.State, CreatedAt: g.CreatedAt}
			g.Principal.Tags = nil
		}
		guests = append(guests, g)
	}
	return guests, next, nil
}
