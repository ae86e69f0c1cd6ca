package plan

import (
	"context"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/letters"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Post sends letters.
type Post interface {
	// Send returns once the letter is taken for delivery.
	Send(ctx context.Context, l letters.Letter) error
}

// Mailed tells what became of a letter. A letter that could not be sent undoes nothing: its link can be passed on by hand.
type Mailed struct {
	To   string
	Sent bool
	Why  string // when it was not sent
}

// Mail sends a letter, and tells what became of it.
func (s *Maker) Mail(ctx context.Context, l letters.Letter) Mailed {
	m := Mailed{To: l.To}
	switch {
	case l.To == "":
		m.Why = "there is no mail address to send it to"
	case s.Post == nil:
		m.Why = "this installation sends no mail: arbora serve --mail says where it would go"
	default:
		if err := s.Post.Send(ctx, l); err != nil {
			s.Log.Warn("a letter could not be sent", "subject", l.Subject, "error", err)
			m.Why = "the letter could not be sent: " + err.Error()
			return m
		}
		m.Sent = true
	}
	return m
}

// Notice tells the owner of an account, at the mail address it has now, of what is about to be done with it: as their own doing
// or as the caller's. Programs read no mail.
func Notice(d tenant.Viewer, ctx context.Context, c tenant.Caller, p access.Principal, own, byAnother string) ([]tenant.Notice, error) {
	if p.Kind != model.User {
		return nil, nil
	}
	details, err := d.DetailsOf(ctx, p)
	if err != nil {
		return nil, err
	}
	top, _ := d.Top()
	to := store.Identity{ID: p.ID, Name: p.Name, Email: details.Email, OrganisationName: top.Name}
	if p.ID == c.Principal {
		return []tenant.Notice{{To: to, What: own}}, nil
	}
	return []tenant.Notice{{To: to, What: c.Name + " " + byAnother}}, nil
}

// Notify tells somebody by mail what was done with how they sign in. Nobody waits for it: without an address, or without mail,
// the audit log alone tells.
func (s *Maker) Notify(ctx context.Context, i store.Identity, what string) {
	if i.Email == "" || s.Post == nil {
		return
	}
	organisation := i.OrganisationName
	if organisation == "" {
		organisation = "Arbora"
	}
	s.Mail(ctx, letters.Notice(i.Email, letters.Occasion{Organisation: organisation, SignIn: i.SignIn().String(), Address: s.Address()}, what))
}
