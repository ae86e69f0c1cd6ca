package signin

import (
	"context"
	"errors"
	"fmt"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// A person at a terminal without a browser signs in by the device grant (RFC 8628): the terminal shows a code, the person
// types it in the console and lets the terminal in as themselves.

// Why a terminal is not let in, or not yet.
var (
	ErrDeviceWaits   = errors.New("nobody has confirmed this terminal yet")
	ErrDeviceHasty   = errors.New("this terminal asks too often")
	ErrDeviceRefused = errors.New("this terminal was refused")
	ErrDeviceLate    = errors.New("the code of this terminal has expired: sign in again")
)

// DeviceCodes are the codes of a terminal that waits: its own secret, and what a person types.
type DeviceCodes struct {
	Device credential.Token
	User   string
}

// AskForDevice has a terminal wait to be let in. The agent is what it calls itself.
func (s *SignIns) AskForDevice(ctx context.Context, agent, from string) (DeviceCodes, error) {
	if err := s.refuseEmpty(ctx); err != nil {
		return DeviceCodes{}, err
	}
	if wait := s.guesses.wait(askingIn, from); wait > 0 {
		return DeviceCodes{}, problem.Wait("too many attempts from your network address", wait)
	}
	if agent == "" {
		return DeviceCodes{}, &problem.Problem{Kind: problem.Invalid, Detail: "client_id is missing", Next: "say what the program calls itself", Field: "client_id"}
	}
	if err := tenant.CheckLine("client_id", "the name of the program", agent); err != nil {
		return DeviceCodes{}, err
	}
	now := s.Moment()
	codes := DeviceCodes{Device: credential.NewToken(), User: credential.NewUserCode()}
	return codes, s.Records.AddDeviceRequest(ctx, store.DeviceRequest{
		Code: codes.Device, UserCode: codes.User, Agent: agent, From: from, MadeAt: now, Until: now.Add(credential.DeviceWaits),
	})
}

// Device shows the terminal that waits with a code, so that a person sees whom they let in.
func (s *SignIns) Device(ctx context.Context, c tenant.Caller, code string) (store.DeviceRequest, error) {
	if wait := s.guesses.wait(askingIn, c.From); wait > 0 {
		return store.DeviceRequest{}, problem.Wait("too many attempts from your network address", wait)
	}
	unknown := &problem.Problem{Kind: problem.NotThere, Detail: "no terminal waits with this code", Next: "check the code; it lasts ten minutes and works once", Field: "code"}
	r, err := s.Records.DeviceRequest(ctx, credential.ParseUserCode(code))
	if errors.Is(err, store.ErrNotFound) || err == nil && (r.Refused || !r.Identity.IsZero() || !s.Moment().Before(r.Until)) {
		return r, unknown
	}
	return r, err
}

// DecideDevice lets the terminal in as the caller, where they work at present, or refuses it.
func (s *SignIns) DecideDevice(ctx context.Context, c tenant.Caller, code string, allow bool) error {
	if c.Identity.ID.IsZero() {
		return &problem.Problem{Kind: problem.Refused, Detail: "only people can let terminals in", Next: "sign in as a person"}
	}
	r, err := s.Device(ctx, c, code)
	if err != nil {
		return err
	}
	if allow {
		if err := s.NeedProof(c, "let a terminal in"); err != nil {
			return err
		}
	}
	var who, where model.ID
	did := "refused"
	if allow {
		who, where, did = c.Identity.ID, c.Organisation, "let in"
	}
	record := store.AuditRecord{Organisation: c.OrganisationName, Author: s.Author(c), Event: "terminal-decided", Detail: fmt.Sprintf("%s %s a terminal at %s", c.Name, did, r.From)}
	err = s.Records.DecideDevice(ctx, r.UserCode, who, where, c.Session, c.Factor, record)
	if err == nil && allow {
		s.Notify(ctx, c.Identity, "You let a terminal in, which asked from "+r.From+".")
	}
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	return &problem.Problem{Kind: problem.Conflict, Detail: "this terminal was answered already", Next: "there is nothing to do"}
}

// DeviceToken returns the session of a terminal once somebody has let it in.
func (s *SignIns) DeviceToken(ctx context.Context, code, from string) (tenant.Caller, error) {
	now := s.Moment()
	token := credential.Token(code)
	r, err := s.Records.PollDevice(ctx, token, now)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return tenant.Caller{}, ErrDeviceLate
	case err != nil:
		return tenant.Caller{}, err
	case r.Refused:
		return tenant.Caller{}, ErrDeviceRefused
	case !now.Before(r.Until):
		return tenant.Caller{}, ErrDeviceLate
	case r.Identity.IsZero() && !r.PolledAt.IsZero() && now.Sub(r.PolledAt) < credential.DevicePause/2:
		return tenant.Caller{}, ErrDeviceHasty
	case r.Identity.IsZero():
		return tenant.Caller{}, ErrDeviceWaits
	}
	if err := s.Records.TakeDevice(ctx, token); errors.Is(err, store.ErrNotFound) {
		return tenant.Caller{}, ErrDeviceLate
	} else if err != nil {
		return tenant.Caller{}, err
	}
	identity, err := s.Records.Identity(ctx, r.Identity)
	if err != nil {
		return tenant.Caller{}, err
	}
	session := store.Session{ID: tenant.NewID(), Identity: identity, Agent: r.Agent, Factor: r.Factor}
	if session.Outside, err = s.outsideOf(ctx, identity, r.Session); err != nil {
		return tenant.Caller{}, err
	}
	if !r.Organisation.IsZero() {
		now, err := s.Current(ctx, s.Tenant(r.Organisation))
		if err != nil {
			return tenant.Caller{}, err
		}
		top, _ := now.Top()
		if err := s.seat(ctx, &session, top.Name); err != nil {
			return tenant.Caller{}, err
		}
	}
	return s.begin(ctx, session, from, ErrDeviceRefused)
}
