package service

import (
	"context"
	"errors"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// Caller is who asks for a use case, as whom, and where it calls from: a person with a session, or a program with an
// access token.
type Caller struct {
	Identity         store.Identity // a person's; zero for a program
	Session          model.ID       // a person's; zero for a program
	Name             string         // as records call the caller
	Organisation     model.ID       // where it works; zero for a keeper
	OrganisationName string
	Principal        model.ID // as whom it acts there
	Kind             model.PrincipalKind
	Token            credential.Token
	Factor           settings.Factor   // by which the session began
	Wanted           []settings.Factor // one of these comes before anything else; none when nothing does. Kept by whoever admits the caller
	SignedInAt       time.Time         // of a person
	ProvedAt         time.Time         // when the person last gave a password or passkey in this session; zero for never
	Key              model.ID          // of a program: the API key it showed
	TokenID          model.ID          // of a program: its access token
	MayGovern        bool              // a program whose key was made for governing
	KeyUntil         time.Time         // when the key of a program ends; zero for never
	Audience         string            // whom the access token is for, when that is not Arbora itself
	EndsAt           time.Time         // when the session ends unless it is used again, or the access token
	From             string            // network address
	// Served is whom a platform service acts for; zero for itself. ServedFrom is where that one is, as the service says; empty when
	// it does not.
	Served     model.ID
	ServedFrom string
	// ViewsAs is whom the caller looks as, who is then the principal; empty for oneself.
	ViewsAs string
	// Confirmed is the confirmation of the impact that the caller saw of the change now asked for; empty for none.
	Confirmed string
	// Once stands for the key under which a request is carried out once: see [Service.Once]. Zero for none.
	Once [32]byte
}

// isTame reports whether the caller is a program of the organisation whose key was not made for governing.
func (c Caller) isTame() bool {
	return c.Identity.ID.IsZero() && !c.MayGovern && c.Kind != model.PlatformService
}

// IsEmpty reports whether nobody has set the service up yet.
func (s *Service) IsEmpty(ctx context.Context) (bool, error) {
	if s.setUp.Load() {
		return false, nil
	}
	keepers, err := s.records.Keepers(ctx)
	if err != nil {
		return false, err
	}
	if keepers > 0 {
		s.setUp.Store(true)
	}
	return keepers == 0, nil
}

// HowToSetUp says what to do about an empty service.
const HowToSetUp = "run \"arbora init\" on the host that keeps its records"

func (s *Service) refuseEmpty(ctx context.Context) error {
	empty, err := s.IsEmpty(ctx)
	if err == nil && empty {
		err = &Problem{Kind: Empty, Detail: "nobody has set this service up yet", Next: HowToSetUp}
	}
	return err
}

// Caller finds who a token stands for: a session's, or an access token made with an API key.
func (s *Service) Caller(ctx context.Context, token credential.Token, from string) (Caller, error) {
	if isAccessToken(token) {
		c, shown, err := s.tokenCaller(ctx, token, from)
		if c.Audience != "" {
			from = shown.From // where the person is, not the one to whom the token was shown
		}
		if err == nil {
			err = s.admits(ctx, c, from)
		}
		return c, err
	}
	c, err := s.sessionCaller(ctx, token, from, func() (store.Session, error) {
		if token == "" {
			return store.Session{}, store.ErrNotFound
		}
		return s.records.SessionFor(ctx, token)
	})
	if err == nil {
		err = s.admits(ctx, c, from)
	}
	return c, err
}

// sessionCaller finds who a session stands for, if it lasts.
func (s *Service) sessionCaller(ctx context.Context, token credential.Token, from string, find func() (store.Session, error)) (Caller, error) {
	session, err := find()
	if errors.Is(err, store.ErrNotFound) {
		if err := s.refuseEmpty(ctx); err != nil {
			return Caller{}, err
		}
		if token == "" {
			return Caller{}, &Problem{Kind: NotSignedIn, Detail: "you are not signed in", Next: "sign in first"}
		}
		return Caller{}, &Problem{Kind: Foreign, Detail: "this service does not know your session", Next: "sign in again, at this service"}
	} else if err != nil {
		return Caller{}, err
	}
	ended := &Problem{Kind: Revoked, Detail: "your session was ended", Next: "sign in again"}
	if !session.EndedAt.IsZero() {
		return Caller{}, ended
	}
	now := s.moment()
	c := callerWith(session, token, from)
	if in, err := s.isIn(ctx, &c); err != nil || !in {
		return Caller{}, errors.Join(err, orNil(!in, ended))
	}
	demands, err := s.demandsOf(ctx, c)
	if err != nil {
		return Caller{}, err
	}
	if !now.Before(sessionEnd(demands, session.SignedInAt, session.LastUsedAt)) {
		return Caller{}, &Problem{Kind: Expired, Detail: "your session has expired", Next: "sign in again"}
	}
	// Written once a minute at most: the end of an idle session need not be more exact.
	if token != "" && now.Sub(session.LastUsedAt) > time.Minute {
		if err := s.records.TouchSession(ctx, token, now); err != nil {
			return Caller{}, err
		}
		session.LastUsedAt = now
	}
	c.EndsAt = sessionEnd(demands, session.SignedInAt, session.LastUsedAt)
	return c, nil
}

func callerWith(session store.Session, token credential.Token, from string) Caller {
	return Caller{
		Identity: session.Identity, Session: session.ID, Name: session.Identity.SignIn().String(), Token: token, From: from, Factor: session.Factor, ProvedAt: session.ProvedAt,
		Organisation: session.Organisation, OrganisationName: session.OrganisationName, Principal: session.Principal, SignedInAt: session.SignedInAt,
	}
}

// isIn reports whether a caller is in a state to act: in use where it works, and at home.
func (s *Service) isIn(ctx context.Context, c *Caller) (bool, error) {
	if c.Identity.Keeper {
		return true, nil
	}
	now, err := s.now(ctx, s.house(c.Organisation))
	if err != nil {
		return false, err
	}
	p, ok := now.Principal(c.Principal)
	if c.Kind = p.Kind; !ok || p.Inactive {
		return false, nil
	}
	if home := c.Identity.Organisation; !home.IsZero() && home != c.Organisation {
		if now, err = s.now(ctx, s.house(home)); err != nil {
			return false, err
		}
		p, ok = now.Principal(c.Identity.ID)
		return ok && !p.Inactive, nil
	}
	return true, nil
}

func orNil(is bool, p *Problem) error {
	if is {
		return p
	}
	return nil
}
