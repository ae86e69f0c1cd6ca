package signin

import (
	"context"
	"fmt"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// demandsOf returns what is demanded of a person where they work: of everybody there and, if they hold permissions to govern, of
// those.
func (s *SignIns) demandsOf(ctx context.Context, c tenant.Caller) ([]settings.Demands, error) {
	if c.Identity.ID.IsZero() && c.Kind != model.User || c.Identity.Keeper || c.Organisation.IsZero() {
		return nil, nil
	}
	h := s.Tenant(c.Organisation)
	now, err := s.Current(ctx, h)
	if err != nil {
		return nil, err
	}
	if set := h.Decided(); set.Everybody.IsZero() && set.Governing.IsZero() {
		return nil, nil // every request asks
	}
	d := s.ViewerOf(now, c)
	demands := []settings.Demands{d.Settings.Everybody}
	if !d.Settings.Governing.IsZero() && d.Governs() {
		demands = append(demands, d.Settings.Governing)
	}
	return demands, nil
}

// sessionEnd returns the moment at which a session ends by all that is demanded.
func sessionEnd(demands []settings.Demands, signedIn, lastUsed time.Time) time.Time {
	end := settings.Demands{}.SessionEnd(signedIn, lastUsed)
	for i, d := range demands {
		if by := d.SessionEnd(signedIn, lastUsed); i == 0 || by.Before(end) {
			end = by
		}
	}
	return end
}

// endOf returns the moment at which a session ends that was last used at another: by what is demanded, and with what a provider said.
func endOf(session store.Session, demands []settings.Demands, lastUsed time.Time) time.Time {
	end := sessionEnd(demands, session.SignedInAt, lastUsed)
	if until := session.Outside.Until; !until.IsZero() && until.Before(end) {
		return until
	}
	return end
}

// lasting leaves out sessions that have ended by what is demanded of whose they are, where they work. Of other organisations than
// the caller's only what they demand of everybody counts: as whom the person works there is not asked.
func (s *SignIns) lasting(ctx context.Context, c tenant.Caller, sessions []store.Session) ([]store.Session, error) {
	here, err := s.demandsOf(ctx, c)
	if err != nil {
		return nil, err
	}
	now := s.Moment()
	var lasting []store.Session
	for _, session := range sessions {
		demands := here
		if session.Organisation != c.Organisation && !session.Organisation.IsZero() {
			h := s.Tenant(session.Organisation)
			if _, err := s.Current(ctx, h); err != nil {
				return nil, err
			}
			demands = []settings.Demands{h.Decided().Everybody}
		}
		if now.Before(sessionEnd(demands, session.SignedInAt, session.LastUsedAt)) {
			lasting = append(lasting, session)
		}
	}
	return lasting, nil
}

// admits refuses a person at a network address that they may not work from.
func (s *SignIns) admits(ctx context.Context, c tenant.Caller, from string) error {
	demands, err := s.demandsOf(ctx, c)
	if err != nil {
		return err
	}
	for _, d := range demands {
		if !d.Admits(from) {
			return &problem.Problem{
				Kind: problem.NotSignedIn, Detail: fmt.Sprintf("%s lets you work from its own networks alone, and %s is in none of them", c.OrganisationName, from),
				Next: "connect from one of them, or ask an administrator which they are",
			}
		}
	}
	return nil
}
