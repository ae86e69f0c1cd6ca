package service

import (
	"context"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/letters"
	"arbora.example/internal/store"
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

func (s *Maker) mail(ctx context.Context, l letters.Letter) Mailed {
	m := Mailed{To: l.To}
	switch {
	case l.To == "":
		m.Why = "there is no mail address to send it to"
	case s.post == nil:
		m.Why = "this installation sends no mail: arbora serve --mail says where it would go"
	default:
		if err := s.post.Send(ctx, l); err != nil {
			s.log.Warn("a letter could not be sent", "subject", l.Subject, "error", err)
			m.Why = "the letter could not be sent: " + err.Error()
			return m
		}
		m.Sent = true
	}
	return m
}

// notice is what somebody is told by mail.
type notice struct {
	to   store.Identity
	what string
}

// notice tells the owner of an account, at the mail address it has now, of what is about to be done with it: as their own doing
// or as the caller's. Programs read no mail.
func (d desk) notice(ctx context.Context, c Caller, p access.Principal, own, byAnother string) ([]notice, error) {
	if p.Kind != model.User {
		return nil, nil
	}
	details, err := d.detailsOf(ctx, p)
	if err != nil {
		return nil, err
	}
	top, _ := d.Top()
	to := store.Identity{ID: p.ID, Name: p.Name, Email: details.Email, OrganisationName: top.Name}
	if p.ID == c.Principal {
		return []notice{{to, own}}, nil
	}
	return []notice{{to, c.Name + " " + byAnother}}, nil
}

// notify tells somebody by mail what was done with how they sign in. Nobody waits for it: without an address, or without mail,
// the audit log alone tells.
func (s *Maker) notify(ctx context.Context, i store.Identity, what string) {
	if i.Email == "" || s.post == nil {
		return
	}
	organisation := i.OrganisationName
	if organisation == "" {
		organisation = "Arbora"
	}
	s.mail(ctx, letters.Notice(i.Email, letters.Occasion{Organisation: organisation, SignIn: i.SignIn().String(), Address: s.address}, what))
}
