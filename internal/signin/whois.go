package signin

import (
	"context"
	"errors"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// IsEmpty reports whether nobody has set the service up yet.
func (s *SignIns) IsEmpty(ctx context.Context) (bool, error) {
	if s.setUp.Load() {
		return false, nil
	}
	keepers, err := s.Records.Keepers(ctx)
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

func (s *SignIns) refuseEmpty(ctx context.Context) error {
	empty, err := s.IsEmpty(ctx)
	if err == nil && empty {
		err = &problem.Problem{Kind: problem.Empty, Detail: "nobody has set this service up yet", Next: HowToSetUp}
	}
	return err
}

// Caller finds who a token stands for: a session's, or an access token made with an API key.
func (s *SignIns) Caller(ctx context.Context, token credential.Token, from string) (tenant.Caller, error) {
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
	var c tenant.Caller
	if token == "" {
		return c, s.noSession(ctx, token)
	}
	err := s.withSession(ctx, token, func(session store.Session, err error) error {
		c, err = s.sessionCaller(ctx, session, err, token, from)
		return err
	})
	if err == nil {
		err = s.admits(ctx, c, from)
	}
	return c, err
}

// noSession says that a token stands for no session.
func (s *SignIns) noSession(ctx context.Context, token credential.Token) error {
	if err := s.refuseEmpty(ctx); err != nil {
		return err
	}
	if token == "" {
		return &problem.Problem{Kind: problem.NotSignedIn, Detail: "you are not signed in", Next: "sign in first"}
	}
	return &problem.Problem{Kind: problem.Foreign, Detail: "this service does not know your session", Next: "sign in again, at this service"}
}

// sessionCaller finds who a session stands for, if it was found and lasts. Token is empty where it was not shown by its own.
func (s *SignIns) sessionCaller(ctx context.Context, session store.Session, found error, token credential.Token, from string) (tenant.Caller, error) {
	if errors.Is(found, store.ErrNotFound) {
		return tenant.Caller{}, s.noSession(ctx, token)
	} else if found != nil {
		return tenant.Caller{}, found
	}
	ended := &problem.Problem{Kind: problem.Revoked, Detail: "your session was revoked", Next: "sign in again"}
	if !session.EndedAt.IsZero() {
		return tenant.Caller{}, ended
	}
	now := s.Moment()
	c := callerWith(session, token, from)
	if in, err := s.isIn(ctx, &c); err != nil || !in {
		return tenant.Caller{}, errors.Join(err, problem.OrNil(!in, ended))
	}
	demands, err := s.demandsOf(ctx, c)
	if err != nil {
		return tenant.Caller{}, err
	}
	if !now.Before(endOf(session, demands, session.LastUsedAt)) {
		return tenant.Caller{}, &problem.Problem{Kind: problem.Expired, Detail: "your session has expired", Next: "sign in again"}
	}
	// Written once a minute at most: the end of an idle session need not be more exact.
	if token != "" && now.Sub(session.LastUsedAt) > time.Minute {
		if err := s.Records.TouchSession(ctx, token, now); err != nil {
			return tenant.Caller{}, err
		}
		s.usedNow(token, session.ID)
		session.LastUsedAt = now
	}
	c.EndsAt = endOf(session, demands, session.LastUsedAt)
	return c, nil
}

func callerWith(session store.Session, token credential.Token, from string) tenant.Caller {
	return tenant.Caller{
		Identity: session.Identity, Session: session.ID, Name: session.Identity.SignIn().String(), Token: token, From: from, Factor: session.Factor, ProvedAt: session.ProvedAt,
		Organisation: session.Organisation, OrganisationName: session.OrganisationName, Principal: session.Principal, SignedInAt: session.SignedInAt,
	}
}

// isIn reports whether a caller is in a state to act: in use where it works, and at home.
func (s *SignIns) isIn(ctx context.Context, c *tenant.Caller) (bool, error) {
	if c.Identity.Keeper {
		return true, nil
	}
	now, err := s.Current(ctx, s.Tenant(c.Organisation))
	if err != nil {
		return false, err
	}
	p, ok := now.Principal(c.Principal)
	if c.Kind = p.Kind; !ok || p.Inactive {
		return false, nil
	}
	if p.Kind == model.OutsidePerson {
		provider, there := now.Principal(p.Provider)
		return there && !provider.Inactive, nil
	}
	if home := c.Identity.Organisation; !home.IsZero() && home != c.Organisation {
		if now, err = s.Current(ctx, s.Tenant(home)); err != nil {
			return false, err
		}
		p, ok = now.Principal(c.Identity.ID)
		return ok && !p.Inactive, nil
	}
	return true, nil
}
