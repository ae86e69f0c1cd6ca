package change

import (
	"context"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/credential"
	"arbora.example/internal/letters"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Guests are people from outside: invited by mail, pending until they accept, and then known under the name they sign in by.

// Invitation is a guest whom somebody wants to invite, with what is prepared: it counts once the guest has accepted.
type Invitation struct {
	Email, Title, Description string
	Tags                      map[string]string
	Groups                    []string
	Grants                    []NewGrant
	AtMost                    string // the most they may ever do; empty for no bound
}

// Invited is a guest just invited.
type Invited struct {
	Guest    ask.UserView
	Link     signin.LinkMade
	Revision uint64
}

// Invite makes a guest who is pending and mails a link to accept. A preview gives the impact that the invitation has once it is
// accepted.
func (s *Changes) Invite(organisation string, wanted Invitation) plan.Change[Invited] {
	var guest *invitee
	return plan.Change[Invited]{
		Of: s.Maker,
		Plan: func(ctx context.Context, c tenant.Caller) plan.Planner {
			var err error
			var p plan.Planner
			if p, guest, err = s.planInvitation(ctx, c, organisation, wanted); err != nil {
				return plan.Refusing(err)
			}
			return p
		},
		Tell: func(ctx context.Context, c tenant.Caller, next *access.Snapshot) (Invited, error) {
			return Invited{
				Guest: ask.UserView{Principal: guest.principal, PrincipalDetails: guest.details}, Revision: next.Revision(),
				Link: s.SendLink(ctx, c, guest.link, guest.principal.Name, guest.principal.Name),
			}, nil
		},
	}
}

type invitee struct {
	principal access.Principal
	details   store.PrincipalDetails
	link      signin.NewLink
}

func (s *Changes) planInvitation(ctx context.Context, c tenant.Caller, organisation string, wanted Invitation) (plan.Planner, *invitee, error) {
	address, err := credential.ParseAddress(wanted.Email)
	if err != nil {
		return nil, nil, &problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Field: "email"}
	}
	if wanted.Title == "" {
		wanted.Title = address
	}
	if err := tenant.CheckLine("title", "the display name", wanted.Title); err != nil {
		return nil, nil, err
	}
	id := tenant.NewID()
	guest := &invitee{
		principal: access.Principal{ID: id, Kind: model.Guest, Name: address, Tags: wanted.Tags, Inactive: true},
		details:   store.PrincipalDetails{Title: wanted.Title, Description: wanted.Description, State: credential.Pending, CreatedAt: s.Moment()},
		link:      s.NewLink(c, credential.ToAccept, id, address),
	}
	return func(d tenant.Viewer) (tenant.Plan, error) {
		if _, err := d.NeedAtTop("create user", organisation); err != nil {
			return tenant.Plan{}, err
		}
		p, err := planStart(d, organisation, guest.principal, wanted.Groups, wanted.Grants, wanted.AtMost)
		if err != nil {
			return tenant.Plan{}, err
		}
		p.Changes = append([]access.Change{access.CreatePrincipal{Principal: guest.principal}}, p.Changes...)
		accepted := guest.principal
		accepted.Inactive = false
		p.Imagined = append([]access.Change{access.CreatePrincipal{Principal: accepted}}, p.Changes[1:]...)
		p.Describe(id, guest.details)
		p.Beside = guest.link.Write
		if guest.link.Revealed {
			p.ActsAs = []model.ID{id}
		}
		p.What = "invited " + address + p.What
		p.Warnings, err = sameEmail(ctx, d, p.Warnings, id, address)
		return p, err
	}, guest, nil
}

// Reinvite mails a pending guest another link in place of the first, and invites one anew who was withdrawn before: that gives
// back all that is prepared for them, which the caller must be able to give. Who may act as the guest, whatever is prepared
// counted, may have the link revealed once: that is recorded, and the guest is told.
func (s *Changes) Reinvite(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef, reveal bool) (signin.LinkMade, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return signin.LinkMade{}, err
	}
	guest, err := d.Governed(organisation, who, "create")
	if err != nil {
		return signin.LinkMade{}, err
	}
	if guest.Kind != model.Guest {
		return signin.LinkMade{}, &problem.Problem{Kind: problem.Invalid, Detail: "only guests can be invited", Next: "name a guest", Field: "kind"}
	}
	if reveal {
		if err := s.NeedProof(c, "have a link revealed"); err != nil {
			return signin.LinkMade{}, err
		}
	}
	link := s.NewLink(c, credential.ToAccept, guest.ID, guest.Name)
	link.Revealed = link.Revealed || reveal
	if _, err := s.Made(ctx, c, planReinvitation(ctx, organisation, who, link)); err != nil {
		return signin.LinkMade{}, err
	}
	made := s.SendLink(ctx, c, link, guest.Name, guest.Name)
	if reveal && made.Mailed.Sent {
		o := s.Occasion(ctx, c, guest.Name)
		s.Mail(ctx, letters.Notice(guest.Name, o, o.From+" had the link of your invitation shown to them, to pass it on."))
	}
	return made, nil
}

func planReinvitation(ctx context.Context, organisation string, who tenant.PrincipalRef, link signin.NewLink) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		guest, err := d.Governed(organisation, who, "create")
		if err != nil {
			return tenant.Plan{}, err
		}
		details, err := d.DetailsOf(ctx, guest)
		if err != nil {
			return tenant.Plan{}, err
		}
		if !details.Identity.IsZero() {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Conflict, Detail: guest.Name + " has accepted already", Next: "restore a retired guest with their state"}
		}
		withdrawn := details.State == credential.Retired
		if withdrawn || link.Revealed {
			if err := plan.MayActAs(d, guest); err != nil {
				return tenant.Plan{}, err
			}
		}
		p := tenant.Plan{What: "invited " + guest.Name + " once more"}
		if link.Revealed {
			p.What += ", and had the link shown"
		}
		p.Beside = link.Write
		if withdrawn {
			details.State = credential.Pending
			p.Describe(guest.ID, details)
		}
		return p, nil
	}
}
