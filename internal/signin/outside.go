package signin

import (
	"context"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/outside"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// People of an identity provider sign in there: their browser is sent to the provider with a question, and comes back with an answer. What is
// kept meanwhile is found by a token that only that browser has, so that nobody can have another's browser bring an answer of their own.

// outsideFor is how long somebody may take to sign in at their provider.
const outsideFor = 10 * time.Minute

// ClaimsLast is for how long what a provider said may be used, unless the organisation says otherwise.
const ClaimsLast = 8 * time.Hour

// organisationCalled returns an organisation by its name, as it is now, to somebody who has not signed in. One that is not there gives missing.
func (s *SignIns) organisationCalled(ctx context.Context, name string, missing error) (id model.ID, now *access.Snapshot, err error) {
	id, err = s.Records.OrganisationNamed(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		return id, nil, missing
	} else if err != nil {
		return id, nil, err
	}
	now, err = s.Current(ctx, s.Tenant(id))
	return id, now, err
}

// Way is a provider by which people of an organisation sign in.
type Way struct{ Provider, Title string }

// Ways returns the providers by which people sign in to an organisation. Of one that is not there it tells what it tells of one without.
func (s *SignIns) Ways(ctx context.Context, organisation, from string) ([]Way, error) {
	if wait := s.guesses.wait(comingBy, from); wait > 0 {
		return nil, problem.Wait("too many attempts from your network address", wait)
	}
	at, now, err := s.organisationCalled(ctx, organisation, nil)
	if err != nil || now == nil {
		return nil, err
	}
	trusts, err := s.Records.Trusts(ctx, at)
	if err != nil {
		return nil, err
	}
	var ids []model.ID
	for _, t := range trusts {
		if p, ok := now.Principal(t.Provider); ok && !p.Inactive && t.State == store.TrustInUse && !slices.Contains(ids, p.ID) {
			ids = append(ids, p.ID)
		}
	}
	details, err := s.Records.PrincipalDetails(ctx, at, ids)
	if err != nil {
		return nil, err
	}
	ways := make([]Way, len(ids))
	for i, id := range ids {
		p, _ := now.Principal(id)
		ways[i] = Way{p.Name, details[id].Title}
	}
	slices.SortFunc(ways, func(a, b Way) int { return strings.Compare(a.Title, b.Title) })
	return ways, nil
}

// Errand is what a browser goes to a provider for.
type Errand struct {
	Trial   bool     `json:"trial,omitempty"`   // an administrator tries a trust: nobody comes in
	By      string   `json:"by,omitempty"`      // that administrator
	Session model.ID `json:"session,omitempty"` // whose person is to prove that they are there
	Back    string   `json:"back,omitempty"`    // the page of the console to go on with
}

// away is what is kept while a browser is at a provider.
type away struct {
	Trust model.ID      `json:"trust"`
	Asked outside.Asked `json:"asked"`
	Errand
}

// Sent is a browser sent to a provider.
type Sent struct {
	Address string
	Token   credential.Token // for the browser to come back with
	State   string           // what finds that token again
}

// SendOutside sends a browser to the provider by which somebody signs in to an organisation.
func (s *SignIns) SendOutside(ctx context.Context, organisation, provider, from string, errand Errand) (Sent, error) {
	if wait := s.guesses.wait(comingBy, from); wait > 0 {
		return Sent{}, problem.Wait("too many attempts from your network address", wait)
	}
	unknown := &problem.Problem{Kind: problem.NotThere, Detail: fmt.Sprintf("nobody signs in to %s by %s", organisation, provider), Next: "begin at the sign-in page, or ask an administrator"}
	at, now, err := s.organisationCalled(ctx, organisation, unknown)
	if err != nil {
		return Sent{}, err
	}
	p, ok := now.PrincipalNamed(model.Provider, provider)
	if !ok || p.Inactive {
		return Sent{}, unknown
	}
	trusts, err := s.Records.Trusts(ctx, at)
	if err != nil {
		return Sent{}, err
	}
	for _, t := range trusts {
		if t.Provider == p.ID && t.State == store.TrustInUse {
			return s.send(ctx, t, errand)
		}
	}
	return Sent{}, unknown
}

// send sends a browser to the provider of a trust.
func (s *SignIns) send(ctx context.Context, t store.Trust, errand Errand) (Sent, error) {
	issuer, err := s.issuer(ctx, t)
	if err != nil {
		return Sent{}, s.asDown(err, t)
	}
	address, asked := issuer.Ask(!errand.Session.IsZero())
	body, err := json.Marshal(away{Trust: t.ID, Asked: asked, Errand: errand})
	if err != nil {
		return Sent{}, err
	}
	sent, now := Sent{Address: address, Token: credential.NewToken(), State: asked.State}, s.Moment()
	return sent, s.Records.PutCeremony(ctx, sent.Token, body, now.Add(outsideFor), now)
}

// issuersKept bounds how many discovered providers are kept, and issuerFor for how long.
const (
	issuersKept = 1000
	issuerFor   = time.Hour
)

func newIssuers() *expirable.LRU[[sha256.Size]byte, *outside.Issuer] {
	return expirable.NewLRU[[sha256.Size]byte, *outside.Issuer](issuersKept, nil, issuerFor)
}

// issuer returns the provider of a trust, as it was discovered within the last hour.
func (s *SignIns) issuer(ctx context.Context, t store.Trust) (*outside.Issuer, error) {
	key := sha256.Sum256(fmt.Appendf(nil, "%s %s %s %x %t", t.ID, t.Issuer, t.ClientID, t.Sealed, t.OwnKey))
	if found, ok := s.issuers.Get(key); ok {
		return found, nil
	}
	var secret []byte
	if t.Sealed != nil {
		var err error
		if secret, err = s.sealer.Open(t.Sealed, sealedTrust+t.ID.String()); err != nil {
			return nil, err
		}
	}
	trust := outside.OIDC{Issuer: t.Issuer, ClientID: t.ClientID, Secret: string(secret), Return: s.ReturnAddress(t.ID), Scopes: t.Scopes}
	if t.OwnKey {
		trust.Assert = func(ctx context.Context, endpoint string) (string, error) {
			return s.assertion(ctx, t.ClientID, endpoint)
		}
	}
	found, err := s.fetch.Discover(ctx, trust, s.Now)
	if err == nil {
		s.issuers.Add(key, found)
	}
	return found, err
}

// assertion signs that Arbora is a client, for an endpoint of a provider.
func (s *SignIns) assertion(ctx context.Context, client, endpoint string) (string, error) {
	now := s.Now()
	key, err := s.signingKey(ctx, now)
	if err != nil {
		return "", err
	}
	return key.Assert(client, endpoint, now)
}

// What secrets of trusts, and tokens of providers, are sealed for.
const (
	sealedTrust = "trust"
	sealedToken = "outside token"
)

// ReturnAddress is where the provider of a trust sends browsers back to: the redirect URI to tell it.
func (s *SignIns) ReturnAddress(trust model.ID) string {
	return s.Address() + "/sign-in/return/" + trust.String()
}

// EndedAddress is where the provider of a trust tells which of its sessions have ended: its back-channel logout URI.
func (s *SignIns) EndedAddress(trust model.ID) string {
	return s.Address() + "/sign-in/ended/" + trust.String()
}

// asDown says that a provider cannot be asked, and logs why; other errors stay as they are.
func (s *SignIns) asDown(err error, t store.Trust) error {
	var down *outside.DownError
	if !errors.As(err, &down) {
		return err
	}
	s.Log.Warn("an identity provider cannot be asked", "issuer", t.Issuer, "error", down.Cause)
	return &problem.Problem{
		Kind: problem.Unreachable, Detail: "the identity provider at " + t.Issuer + " cannot be asked: " + down.Error(),
		Next: "look at its address, or try again later; people who sign in otherwise are not affected",
	}
}

// Home is what came of a browser's errand.
type Home struct {
	Caller       tenant.Caller // who came in; zero where nobody did
	Organisation string
	Provider     string
	Errand
}

// ReturnOutside takes what a browser brought back from a provider.
func (s *SignIns) ReturnOutside(ctx context.Context, trust model.ID, token credential.Token, state string, back outside.Returned, from, agent string) (Home, error) {
	expired := &problem.Problem{Kind: problem.Expired, Detail: "this browser did not begin to sign in there, or too long ago", Next: "begin once more"}
	body, err := s.Records.TakeCeremony(ctx, token, s.Moment())
	if errors.Is(err, store.ErrNotFound) {
		return Home{}, expired
	} else if err != nil {
		return Home{}, err
	}
	var kept away
	if err := json.Unmarshal(body, &kept); err != nil || kept.Trust != trust || subtle.ConstantTimeCompare([]byte(kept.Asked.State), []byte(state)) != 1 {
		return Home{}, expired
	}
	t, err := s.Records.Trust(ctx, trust)
	if errors.Is(err, store.ErrNotFound) {
		return Home{}, expired
	} else if err != nil {
		return Home{}, err
	}
	now, err := s.Current(ctx, s.Tenant(t.Organisation))
	if err != nil {
		return Home{}, err
	}
	top, _ := now.Top()
	provider, ok := now.Principal(t.Provider)
	home := Home{Organisation: top.Name, Provider: provider.Name, Errand: kept.Errand}
	if !ok || provider.Inactive || t.State != store.TrustInUse && !kept.Trial {
		return home, expired
	}
	issuer, err := s.issuer(ctx, t)
	if err != nil {
		return home, s.asDown(err, t)
	}
	a := coming{trust: t, provider: provider, organisation: top.Name, from: from, agent: agent, errand: kept.Errand}
	if a.said, err = issuer.Answer(ctx, kept.Asked, back); err != nil {
		if down := s.asDown(err, t); down != err {
			return home, down
		}
		return home, s.turnAway(ctx, a, outside.Person{}, "its answer does not hold: "+err.Error())
	}
	home.Caller, err = s.arrive(ctx, a)
	return home, err
}

// coming is somebody who comes from a provider.
type coming struct {
	trust        store.Trust
	provider     access.Principal
	organisation string
	said         outside.Said
	from, agent  string
	errand       Errand
	claimMap     outside.Map // by which it is read
}

// arrive reads what was said of somebody, and lets them in if the entry rule does.
func (s *SignIns) arrive(ctx context.Context, a coming) (tenant.Caller, error) {
	claimMap, entry, err := s.EntryOf(ctx, a.provider.ID)
	if err != nil {
		return tenant.Caller{}, err
	}
	a.claimMap = claimMap
	person, err := claimMap.Read(a.said.Claims)
	if err != nil {
		return tenant.Caller{}, s.turnAway(ctx, a, person, "what it says cannot be used: "+err.Error())
	}
	rule, err := statement.ParseEntryRule(entry.Rule)
	if err != nil {
		return tenant.Caller{}, err
	}
	if admitted, stops := access.Admits(rule, person.Claims); !admitted {
		return tenant.Caller{}, s.turnAway(ctx, a, person, "the entry rule asks that "+stops)
	}
	switch {
	case a.errand.Trial:
		if err := s.Records.Tried(ctx, a.trust.ID, s.Moment()); err != nil {
			return tenant.Caller{}, err
		}
		return tenant.Caller{}, s.noteArrival(ctx, a, person, "", "")
	case !a.errand.Session.IsZero():
		return tenant.Caller{}, s.proveOutside(ctx, a, person)
	}
	return s.comeIn(ctx, a, person, entry.ClaimsLast)
}

// EntryOf returns what is made of what a provider says, and whom it lets in.
func (s *SignIns) EntryOf(ctx context.Context, provider model.ID) (outside.Map, store.Entry, error) {
	entry, err := s.Records.Entry(ctx, provider)
	if errors.Is(err, store.ErrNotFound) {
		return outside.DefaultMap(), store.Entry{Provider: provider, ClaimsLast: ClaimsLast}, nil
	} else if err != nil {
		return outside.Map{}, entry, err
	}
	var claimMap outside.Map
	return claimMap, entry, json.Unmarshal(entry.Map, &claimMap)
}

// TagsSaid returns the tags that a provider gives its people: by what it says when they sign in, and by its directory.
func (s *SignIns) TagsSaid(ctx context.Context, provider model.ID) ([]string, error) {
	claimMap, _, err := s.EntryOf(ctx, provider)
	if err != nil {
		return nil, err
	}
	tags := slices.Collect(maps.Keys(claimMap.Tags))
	is, err := s.Records.Directory(ctx, provider)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	set, err := DirectorySettings(is)
	return slices.AppendSeq(tags, maps.Keys(set.Map.Tags)), err
}

// turnAway records that somebody was not let in, and tells them why.
func (s *SignIns) turnAway(ctx context.Context, a coming, person outside.Person, why string) error {
	if err := s.noteArrival(ctx, a, person, "", why); err != nil {
		return err
	}
	return &problem.Problem{Kind: problem.Refused, Detail: fmt.Sprintf("%s does not let you in by %s: %s", a.organisation, a.provider.Name, why), Next: "ask an administrator of " + a.organisation}
}

// noteArrival keeps that somebody came, or was refused. Names are those of outside people; refusals are in the audit log, too.
func (s *SignIns) noteArrival(ctx context.Context, a coming, person outside.Person, name, refused string) error {
	claims, err := json.Marshal(a.said.Claims)
	if err != nil {
		return err
	}
	subject := person.Subject
	if subject == "" {
		subject, _ = a.said.Claims["sub"].(string)
	}
	arrival := store.Arrival{
		ID: tenant.NewID(), Organisation: a.trust.Organisation, Provider: a.provider.ID, Trust: a.trust.ID, At: s.Moment(), Trial: a.errand.Trial,
		Refused: short(refused, 500), Subject: short(subject, access.MaxSubject), Name: name, Claims: claims, From: a.from,
	}
	var record store.AuditRecord
	if refused != "" && !a.errand.Trial {
		who := arrival.Subject
		if who == "" {
			who = "somebody"
		}
		record = store.AuditRecord{
			Organisation: a.organisation, Author: store.Author{Name: "nobody", From: a.from, At: arrival.At}, Event: "sign-in-failed",
			Detail: fmt.Sprintf("%s of %s was not let in: %s", who, a.provider.Name, refused),
		}
	}
	return s.Records.AddArrival(context.WithoutCancel(ctx), arrival, record)
}

// short returns the beginning of a text, of whole characters.
func short(text string, most int) string {
	if len(text) <= most {
		return text
	}
	return strings.ToValidUTF8(text[:most], "")
}

// proveOutside takes a new sign-in at the provider as a fresh proof of somebody who is in.
func (s *SignIns) proveOutside(ctx context.Context, a coming, person outside.Person) error {
	session, err := s.Records.SessionOf(ctx, a.errand.Session)
	if errors.Is(err, store.ErrNotFound) {
		return &problem.Problem{Kind: problem.Expired, Detail: "your session has ended", Next: "sign in again"}
	} else if err != nil {
		return err
	}
	now, err := s.Current(ctx, s.Tenant(a.trust.Organisation))
	if err != nil {
		return err
	}
	if p, ok := now.OutsidePersonBy(a.provider.ID, person.Subject); !ok || p.ID != session.Identity.ID {
		return &problem.Problem{Kind: problem.WrongSignIn, Detail: "somebody else signed in there than who is signed in here", Next: "sign in there as yourself"}
	}
	return s.Records.ProveSession(ctx, session.ID, settings.Factor(""), s.Moment())
}
