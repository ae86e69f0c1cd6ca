package signin

import (
	"context"
	"fmt"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// AcceptInvitation lets the caller in as a guest, as who they are signed in.
func (s *SignIns) AcceptInvitation(ctx context.Context, c tenant.Caller, token credential.Token) (LinkView, error) {
	v, err := s.ReadLink(ctx, token, c.From)
	if err != nil {
		return v, err
	}
	i := c.Identity
	switch {
	case v.Purpose != credential.ToAccept:
		return v, &problem.Problem{Kind: problem.Invalid, Detail: "this link is not an invitation", Next: "open it in a browser"}
	case i.ID.IsZero() || i.Keeper:
		return v, &problem.Problem{Kind: problem.Refused, Detail: "only people can accept invitations", Next: "sign in as a person"}
	case i.By == credential.ByProvider:
		return v, &problem.Problem{Kind: problem.Refused, Detail: "people who come by an identity provider are no guests elsewhere: their mail address is what it says", Next: "accept with an account of your own"}
	case i.Organisation == v.Organisation:
		return v, &problem.Problem{Kind: problem.Conflict, Detail: "you belong to " + v.OrganisationName + " already", Next: "there is nothing to do"}
	case i.SignIn().String() != v.SignIn && !(strings.EqualFold(i.Email, v.SignIn) && (v.MailedTo != "" || i.Proved(v.SignIn))):
		// A link that got astray lets nobody in under another name than it was sent to. An address that an administrator wrote, and
		// no letter has proved, is nobody's yet.
		return v, &problem.Problem{Kind: problem.Refused, Detail: fmt.Sprintf("the invitation was sent to %s, which is not your mail address", v.SignIn), Next: "sign in as the invited person, or correct the address in your profile"}
	}
	seats, err := s.Records.Seats(ctx, i.ID)
	if err != nil {
		return v, err
	}
	for _, seat := range seats {
		if seat.Organisation == v.Organisation {
			return v, &problem.Problem{Kind: problem.Conflict, Detail: "you are a guest of " + v.OrganisationName + " already", Next: "there is nothing to do"}
		}
	}
	at := tenant.Caller{Name: c.Name, From: c.From, Organisation: v.Organisation, OrganisationName: v.OrganisationName}
	return v, s.accept(ctx, at, v, token, i, func(tenant.Tx) error { return nil })
}

// accept lets a pending guest in as an identity.
func (s *SignIns) accept(ctx context.Context, c tenant.Caller, v LinkView, token credential.Token, i store.Identity, more func(tenant.Tx) error) error {
	name := i.SignIn().String()
	_, err := s.Write(ctx, c, v.Organisation, func(now *access.Snapshot, details tenant.Details) (tenant.Plan, error) {
		guest, ok := now.Principal(v.Principal)
		if !ok {
			return tenant.Plan{}, problem.Missing("guest", v.SignIn, "")
		}
		// What was prepared for the guest was judged when it was prepared, as if they were in use. What their name brings besides
		// was not.
		if guest.Name != name {
			if err := judgeName(now, guest, name, s.Moment()); err != nil {
				return tenant.Plan{}, err
			}
		}
		p := tenant.Plan{What: name + " accepted the invitation", Final: true, Changes: []access.Change{access.SetInactive{ID: guest.ID}}, Beside: func(tx tenant.Tx) error {
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
			return tenant.Plan{}, err
		}
		is := known[guest.ID]
		is.Title, is.State, is.Identity = i.Title, credential.Active, i.ID
		p.Describe(guest.ID, is)
		if guest.Name != name {
			p.Changes = append(p.Changes, access.RenamePrincipal{ID: guest.ID, Name: name})
		}
		return p, nil
	})
	return usedMeanwhile(err)
}

// judgeName refuses to let a guest in under a name by which they would gain something: a condition may ask for it.
func judgeName(now *access.Snapshot, guest access.Principal, name string, at time.Time) error {
	used, err := now.With(now.Revision(), access.SetInactive{ID: guest.ID})
	if err != nil {
		return problem.Of(err, "")
	}
	_, found, err := used.Exceeds(access.Maker{ID: guest.ID, Now: &access.Context{Time: at}}, access.RenamePrincipal{ID: guest.ID, Name: name})
	if err != nil {
		return problem.Of(err, "")
	}
	if !found {
		return nil
	}
	return &problem.Problem{
		Kind: problem.Refused, Detail: "a rule of the organisation gives access to people called " + name + ", which this invitation was not meant to give",
		Next: "ask the person who invited you to invite " + name,
	}
}
