package service

import (
	"context"

	"arbora.example/people"
	"arbora.example/store"
)

// Post sends letters.
type Post interface {
	// Send returns once the letter is taken for delivery.
	Send(ctx context.Context, l people.Letter) error
}

// Mailed tells what became of a letter. A letter that could not be sent undoes nothing: its link can be passed on by hand.
type Mailed struct {
	To   string
	Sent bool
	Why  string // when it was not sent
}

func (s *Service) mail(ctx context.Context, l people.Letter) Mailed {
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

// notify tells somebody by mail what was done with how they sign in. Nobody waits for it: without an address, or without mail,
// the audit log alone tells.
func (s *Service) notify(ctx context.Context, i store.Identity, what string) {
	if i.Email == "" || s.post == nil {
		return
	}
	organisation := i.OrganisationName
	if organisation == "" {
		organisation = "Arbora"
	}
	s.mail(ctx, people.Notice(i.Email, people.Occasion{Organisation: organisation, SignIn: i.SignIn().String(), Address: s.address}, what))
}
