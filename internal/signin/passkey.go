package signin

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"net"
	"net/netip"
	"net/url"
	"time"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Passkeys: a browser makes a key pair on the person's device, and later signs in with it (WebAuthn, W3C). The device
// checks who uses it, so a passkey counts for two factors.

// ceremonyFor is how long a browser has to answer.
const ceremonyFor = 5 * time.Minute

// Ceremony is what a browser is asked to do: options for its own interface, and the token to answer with.
type Ceremony struct {
	Token   credential.Token
	Options any // as the WebAuthn interface of browsers takes them
}

// passkeyUser is an identity as the library sees it.
type passkeyUser struct {
	identity store.Identity
	keys     []webauthn.Credential
}

func (u passkeyUser) WebAuthnID() []byte                         { return u.identity.ID[:] }
func (u passkeyUser) WebAuthnName() string                       { return u.identity.SignIn().String() }
func (u passkeyUser) WebAuthnDisplayName() string                { return u.identity.Title }
func (u passkeyUser) WebAuthnCredentials() []webauthn.Credential { return u.keys }

func (s *SignIns) passkeys() (*webauthn.WebAuthn, error) {
	address, err := url.Parse(s.Address())
	if err != nil {
		return nil, err
	}
	// A network address cannot own passkeys (WebAuthn, section 5.1.2): on this machine they belong to localhost.
	if ip, err := netip.ParseAddr(address.Hostname()); err == nil && ip.IsLoopback() {
		address.Host = net.JoinHostPort("localhost", address.Port())
	}
	return webauthn.New(&webauthn.Config{RPID: address.Hostname(), RPDisplayName: "Arbora", RPOrigins: []string{address.Scheme + "://" + address.Host}})
}

func (s *SignIns) passkeyUser(ctx context.Context, i store.Identity) (passkeyUser, error) {
	u := passkeyUser{identity: i}
	kept, err := s.Records.Passkeys(ctx, i.ID)
	if err != nil {
		return u, err
	}
	for _, k := range kept {
		var credential webauthn.Credential
		if err := json.Unmarshal(k.Credential, &credential); err != nil {
			return u, err
		}
		u.keys = append(u.keys, credential)
	}
	return u, nil
}

func (s *SignIns) keepCeremony(ctx context.Context, session *webauthn.SessionData, options any) (Ceremony, error) {
	body, err := json.Marshal(session)
	if err != nil {
		return Ceremony{}, err
	}
	c := Ceremony{Token: credential.NewToken(), Options: options}
	now := s.Moment()
	return c, s.Records.PutCeremony(ctx, c.Token, body, now.Add(ceremonyFor), now)
}

func (s *SignIns) takeCeremony(ctx context.Context, token credential.Token) (session webauthn.SessionData, err error) {
	body, err := s.Records.TakeCeremony(ctx, token, s.Moment())
	if errors.Is(err, store.ErrNotFound) {
		return session, &problem.Problem{Kind: problem.Expired, Detail: "the browser was not asked for this, or too long ago", Next: "begin once more"}
	} else if err != nil {
		return session, err
	}
	return session, json.Unmarshal(body, &session)
}

// BeginPasskey asks the caller's browser for a new passkey.
func (s *SignIns) BeginPasskey(ctx context.Context, c tenant.Caller) (Ceremony, error) {
	if c.Identity.ID.IsZero() {
		return Ceremony{}, &problem.Problem{Kind: problem.Refused, Detail: "only people can have passkeys", Next: "sign in as a person"}
	}
	if err := needsProvider(c.Identity); err != nil {
		return Ceremony{}, err
	}
	if err := s.NeedProof(c, "add a passkey"); err != nil {
		return Ceremony{}, err
	}
	lib, err := s.passkeys()
	if err != nil {
		return Ceremony{}, err
	}
	user, err := s.passkeyUser(ctx, c.Identity)
	if err != nil {
		return Ceremony{}, err
	}
	if err := mayEnrol(c, len(user.keys)); err != nil {
		return Ceremony{}, err
	}
	var known []protocol.CredentialDescriptor
	for _, key := range user.keys {
		known = append(known, key.Descriptor())
	}
	options, session, err := lib.BeginRegistration(user,
		webauthn.WithExclusions(known),
		webauthn.WithAuthenticatorSelection(protocol.AuthenticatorSelection{
			ResidentKey: protocol.ResidentKeyRequirementRequired, UserVerification: protocol.VerificationRequired,
		}))
	if err != nil {
		return Ceremony{}, err
	}
	return s.keepCeremony(ctx, session, options)
}

// AddPasskey keeps the passkey that the caller's browser made.
func (s *SignIns) AddPasskey(ctx context.Context, c tenant.Caller, token credential.Token, label string, answer []byte) error {
	if err := tenant.CheckLine("label", "the label", label); err != nil {
		return err
	}
	session, err := s.takeCeremony(ctx, token)
	if err != nil {
		return err
	}
	lib, err := s.passkeys()
	if err != nil {
		return err
	}
	user, err := s.passkeyUser(ctx, c.Identity)
	if err != nil {
		return err
	}
	if err := mayEnrol(c, len(user.keys)); err != nil {
		return err
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(answer)
	if err != nil {
		return badPasskey(err)
	}
	credential, err := lib.CreateCredential(user, session, parsed)
	if err != nil {
		return badPasskey(err)
	}
	body, err := json.Marshal(credential)
	if err != nil {
		return err
	}
	if err := s.Records.AddPasskey(ctx, c.Identity, c.Session, store.Passkey{ID: tenant.NewID(), CredentialID: credential.ID, Credential: body, Label: label}, s.Author(c)); err != nil {
		return err
	}
	s.Notify(ctx, c.Identity, "A passkey was added, called "+label+".")
	return nil
}

func badPasskey(err error) error {
	detail := err.Error()
	var e *protocol.Error
	if errors.As(err, &e) && e.Details != "" {
		detail = e.Details
	}
	return &problem.Problem{Kind: problem.Invalid, Detail: "the browser's answer is not valid: " + detail, Next: "begin once more"}
}

// Passkeys lists the caller's own passkeys.
func (s *SignIns) Passkeys(ctx context.Context, c tenant.Caller) ([]store.Passkey, error) {
	return s.Records.Passkeys(ctx, c.Identity.ID)
}

// PasskeysOf lists the passkeys of a user.
func (s *SignIns) PasskeysOf(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef) ([]store.Passkey, error) {
	_, p, err := s.Described(ctx, c, organisation, who)
	if err != nil {
		return nil, err
	}
	if p.Kind != model.User {
		return nil, nil // those of guests belong to their home
	}
	return s.Records.Passkeys(ctx, p.ID)
}

// RemovePasskeyOf removes a passkey of a user, for whoever may reset their credentials.
func (s *SignIns) RemovePasskeyOf(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef, key string) error {
	d, err := s.Open(ctx, c)
	if err != nil {
		return err
	}
	p, err := d.Governed(organisation, who, "reset")
	if err != nil {
		return err
	}
	if err := plan.MayActAs(d, p); err != nil {
		return err
	}
	if err := s.NeedProof(c, "remove a passkey"); err != nil {
		return err
	}
	id, err := model.ParseID(key)
	if err != nil || p.Kind != model.User {
		return problem.Missing("passkey", key, "")
	}
	identity, err := s.Records.Identity(ctx, p.ID)
	if err != nil {
		return err
	}
	if err := s.Records.RemovePasskey(ctx, identity, id, s.Author(c)); errors.Is(err, store.ErrNotFound) {
		return problem.Missing("passkey", key, "")
	} else if err != nil {
		return err
	}
	s.Notify(ctx, identity, c.Name+" removed one of your passkeys.")
	return nil
}

// RemovePasskey takes one of the caller's own passkeys away.
func (s *SignIns) RemovePasskey(ctx context.Context, c tenant.Caller, key string) error {
	if err := s.NeedProof(c, "remove a passkey"); err != nil {
		return err
	}
	id, err := model.ParseID(key)
	if err == nil {
		if err = s.Records.RemovePasskey(ctx, c.Identity, id, s.Author(c)); err == nil {
			s.Notify(ctx, c.Identity, "A passkey was removed.")
		}
	}
	if err == nil || !errors.Is(err, store.ErrNotFound) && !id.IsZero() {
		return err
	}
	return problem.Missing("passkey", key, "")
}

// BeginPasskeySignIn asks a browser to sign in with whichever passkey its owner chooses.
func (s *SignIns) BeginPasskeySignIn(ctx context.Context, from string) (Ceremony, error) {
	if err := s.refuseEmpty(ctx); err != nil {
		return Ceremony{}, err
	}
	if wait := s.guesses.wait(usingPasskey, from); wait > 0 {
		return Ceremony{}, problem.Wait("too many attempts from your network address", wait)
	}
	lib, err := s.passkeys()
	if err != nil {
		return Ceremony{}, err
	}
	options, session, err := lib.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return Ceremony{}, err
	}
	return s.keepCeremony(ctx, session, options)
}

// SignInByPasskey starts a session for whoever's passkey signed what the browser was asked to sign.
func (s *SignIns) SignInByPasskey(ctx context.Context, token credential.Token, answer []byte, a SignInRequest) (tenant.Caller, error) {
	identity, err := s.readPasskey(ctx, token, answer, a.From)
	if err != nil {
		return tenant.Caller{}, err
	}
	begun := store.Session{ID: tenant.NewID(), Identity: identity, Agent: a.Agent, Factor: settings.PasskeyFactor, ProvedAt: s.Moment()}
	if err := s.seat(ctx, &begun, a.Organisation); err != nil {
		return tenant.Caller{}, err
	}
	return s.begin(ctx, begun, a.From, wrongPasskey())
}

func wrongPasskey() *problem.Problem {
	return &problem.Problem{Kind: problem.WrongSignIn, Detail: "this passkey is not known here", Next: "sign in with your password, or with another passkey"}
}

// readPasskey finds whose passkey signed what a browser was asked to sign. What is wrong is recorded.
func (s *SignIns) readPasskey(ctx context.Context, token credential.Token, answer []byte, from string) (store.Identity, error) {
	session, err := s.takeCeremony(ctx, token)
	if err != nil {
		return store.Identity{}, err
	}
	lib, err := s.passkeys()
	if err != nil {
		return store.Identity{}, err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(answer)
	if err != nil {
		return store.Identity{}, badPasskey(err)
	}
	wrong := wrongPasskey()
	var user passkeyUser
	var fault error // of the records, which the library would hide
	find := func(_, handle []byte) (webauthn.User, error) {
		var id model.ID
		if copy(id[:], handle) != len(id) || len(handle) != len(id) {
			return nil, wrong
		}
		identity, err := s.Records.Identity(ctx, id)
		if err == nil {
			user, err = s.passkeyUser(ctx, identity)
		}
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			fault = err
		}
		return user, err
	}
	_, credential, err := lib.ValidatePasskeyLogin(find, session, parsed)
	if fault != nil {
		return store.Identity{}, fault
	}
	// A counter that went backwards means that somebody copied the key (WebAuthn, section 6.1.1).
	if err != nil || credential.Authenticator.CloneWarning {
		return store.Identity{}, errors.Join(wrong, s.NoteFailure(ctx, user.identity.OrganisationName, from, "passkey-failed", "an unknown passkey was used"))
	}
	body, err := json.Marshal(credential)
	if err != nil {
		return store.Identity{}, err
	}
	return user.identity, s.Records.UsePasskey(ctx, bytes.Clone(credential.ID), body, s.Moment())
}
