package service

import (
	"context"

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

// Invite makes a guest who is pending and mails a link to accept. A preview gives the impact that the invitation has once it is
// accepted.
func (s *Changes) Invite(organisation string, wanted Invitation) Change[Invited] {
	var guest *invitee
	return Change[Invited]{
		of: s.Maker,
		plan: func(_ context.Context, c Caller) planner {
			var err error
			var p planner
			if p, guest, err = s.planInvitation(c, organisation, wanted); err != nil {
				return refusing(err)
			}
			return p
		},
		tell: func(ctx context.Context, c Caller, next *access.Snapshot) (Invited, error) {
			return Invited{
				Guest: UserView{Principal: guest.principal, PrincipalDetails: guest.details}, Revision: next.Revision(),
				Link: s.sendLink(ctx, c, guest.link, guest.principal.Name, guest.principal.Name),
			}, nil
		},
	}
}

type invitee struct {
	principal access.Principal
	details   store.PrincipalDetails
	link      newLink
}

func (s *Changes) planInvitation(c Caller, organisation string, wanted Invitation) (planner, *invitee, error) {
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
func (s *Changes) Reinvite(ctx context.Context, c Caller, organisation string, who Somebody, reveal bool) (LinkMade, error) {
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
