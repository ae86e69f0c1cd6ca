package signin

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/outside"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// comeIn has somebody whom their provider let in be there as an outside person, with what it says of them, and begins a session. No account is
// ever found by a mail address: whom the provider and the subject do not name is somebody new.
func (s *SignIns) comeIn(ctx context.Context, a coming, person outside.Person, claimsLast time.Duration) (tenant.Caller, error) {
	id, name, err := s.knowOutside(ctx, a, person)
	if err != nil {
		var refused *problem.Problem
		if errors.As(err, &refused) {
			return tenant.Caller{}, errors.Join(err, s.noteArrival(ctx, a, person, name, refused.Detail))
		}
		return tenant.Caller{}, err
	}
	identity, err := s.Records.Identity(ctx, id)
	if err != nil {
		return tenant.Caller{}, err
	}
	session := store.Session{
		ID: tenant.NewID(), Identity: identity, Agent: a.agent, Provider: a.provider.ID,
		Outside: store.Outside{
			Trust: a.trust.ID, Session: short(a.said.Session, 255), Sealed: s.sealer.Seal([]byte(a.said.Token), sealedToken), Until: s.Moment().Add(claimsLast),
		},
	}
	if at, ok := signedInThere(a.said.Claims); ok && !at.After(s.Moment()) {
		session.ProvedAt = at.UTC()
	}
	if err := s.seat(ctx, &session, ""); err != nil {
		return tenant.Caller{}, err
	}
	out := &problem.Problem{Kind: problem.Refused, Detail: name + " is out of use here", Next: "ask an administrator of " + a.organisation}
	c, err := s.begin(ctx, session, a.from, out)
	if err != nil {
		var refused *problem.Problem
		if errors.As(err, &refused) {
			return tenant.Caller{}, errors.Join(err, s.noteArrival(ctx, a, person, name, refused.Detail))
		}
		return tenant.Caller{}, err
	}
	return c, s.noteArrival(ctx, a, person, name, "")
}

// outsideOf returns what a session hangs on that somebody begins from another of theirs: it ends when what their provider said is too old, and with
// the provider's session, as the first does.
func (s *SignIns) outsideOf(ctx context.Context, i store.Identity, first model.ID) (o store.Outside, err error) {
	if i.By != credential.ByProvider {
		return o, nil
	}
	session, err := s.Records.SessionOf(ctx, first)
	if err == nil && session.EndedAt.IsZero() && s.Moment().Before(session.Outside.Until) {
		if o, err = s.Records.EndsOutside(ctx, first); err == nil {
			o.Until = session.Outside.Until
			return o, nil
		}
	}
	if err == nil || errors.Is(err, store.ErrNotFound) {
		err = ErrDeviceRefused // the session that let it in has ended
	}
	return o, err
}

// needsProvider refuses to let somebody in, or be given something to come in by, who comes by their provider alone: it would open when they
// have left there.
func needsProvider(i store.Identity) error {
	if i.By != credential.ByProvider {
		return nil
	}
	return &problem.Problem{Kind: problem.Refused, Detail: "you sign in at your identity provider, and by nothing else", Next: "set up there what you want to sign in with"}
}

// signedInThere returns when somebody gave their credentials to their provider, if it says so.
func signedInThere(said map[string]any) (time.Time, bool) {
	number, ok := said["auth_time"].(json.Number)
	if !ok {
		return time.Time{}, false
	}
	seconds, err := number.Int64()
	return time.Unix(seconds, 0), err == nil
}

// knowOutside brings what is kept of somebody level with what their provider says. Where that is so already, nothing is written.
func (s *SignIns) knowOutside(ctx context.Context, a coming, person outside.Person) (id model.ID, name string, err error) {
	learn := func(now *access.Snapshot, details tenant.Details) (p tenant.Plan, err error) {
		known, there := now.OutsidePersonBy(a.provider.ID, person.Subject)
		if !there {
			if p, err = s.newcomer(ctx, now, details, a, person); err == nil {
				made := p.Changes[0].(access.CreatePrincipal).Principal
				id, name = made.ID, made.Name
			}
			return p, err
		}
		id, name = known.ID, known.Name
		if known.Inactive {
			return p, &problem.Problem{Kind: problem.Refused, Detail: known.Name + " is out of use here", Next: "ask an administrator of " + a.organisation}
		}
		return s.better(ctx, now, details, known, person, a)
	}
	by := tenant.Caller{Name: a.provider.Name, From: a.from, Organisation: a.trust.Organisation, OrganisationName: a.organisation, Principal: a.provider.ID, Kind: model.Provider}
	err = s.WriteUnlessSame(ctx, by, a.trust.Organisation, learn)
	return id, name, err
}

// newcomer makes somebody who was not there, under a name that nobody has.
func (s *SignIns) newcomer(ctx context.Context, now *access.Snapshot, details tenant.Details, a coming, person outside.Person) (p tenant.Plan, err error) {
	made := access.Principal{
		ID: tenant.NewID(), Kind: model.OutsidePerson, Name: FreeName(now, person.Name, a.provider.Name), Tags: person.Tags,
		Provider: a.provider.ID, Subject: person.Subject, Claims: person.Claims,
	}
	groups, err := GroupsSaid(ctx, plan.NewGrouping(now, a.provider), details, a.claimMap, made.ID, person)
	if err != nil {
		return p, err
	}
	p.Changes = append([]access.Change{access.CreatePrincipal{Principal: made}}, groups...)
	p.Final = true // it is what the provider says
	title := person.Title
	if title == "" {
		title = person.Name
	}
	p.Describe(made.ID, store.PrincipalDetails{Title: title, State: credential.Active, CreatedAt: s.Moment(), Identity: made.ID, Email: person.Email})
	p.Beside = func(tx tenant.Tx) error { return tx.CreateIdentity(IdentityOf(made, title, person.Email)) }
	p.What = "let in " + made.Name + ", who came for the first time"
	return p, nil
}

// GroupsSaid returns the changes by which somebody is in the outside groups that their provider names. A claim map that picks no groups says
// nothing of them; nor do claims of people of whom the provider's own system tells.
func GroupsSaid(ctx context.Context, grouping *plan.Grouping, details tenant.Details, m outside.Map, who model.ID, person outside.Person) ([]access.Change, error) {
	if m.Groups.Path == "" {
		return nil, nil
	}
	provisioned, _, err := details.ProvisionedBy(ctx, grouping.Provider().ID, store.ProvisionedQuery{Kind: store.ProvisionedUser, Principals: []model.ID{who}, Limit: 2})
	if err != nil || len(provisioned) > 0 {
		return nil, err
	}
	return grouping.Put(who, person.Groups), nil
}

// IdentityOf is the identity of somebody who signs in at their provider.
func IdentityOf(p access.Principal, title, email string) store.Identity {
	return store.Identity{ID: p.ID, Name: p.Name, Title: title, Email: email, By: credential.ByProvider}
}

// FreeName returns the name of somebody who comes by a provider, with a number where others have it.
func FreeName(now *access.Snapshot, name, provider string) string {
	free := name + "@" + provider
	for n := 2; ; n++ {
		if _, taken := now.PrincipalNamed(model.OutsidePerson, free); !taken {
			return free
		}
		free = name + "-" + strconv.Itoa(n) + "@" + provider
	}
}

// isRead reports whether somebody is in the directory of their provider.
func (s *SignIns) isRead(ctx context.Context, details tenant.Details, who access.Principal) (bool, error) {
	_, err := s.Records.Directory(ctx, who.Provider)
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	} else if err != nil {
		return false, err
	}
	_, n, err := details.ProvisionedBy(ctx, who.Provider, store.ProvisionedQuery{Kind: store.ProvisionedUser, Principals: []model.ID{who.ID}, Limit: 2})
	return n > 0, err
}

// better brings what is kept of somebody who was there level with what is said. Tags that the claim map does not speak of stay.
func (s *SignIns) better(ctx context.Context, now *access.Snapshot, details tenant.Details, known access.Principal, person outside.Person, a coming) (p tenant.Plan, err error) {
	read, err := s.isRead(ctx, details, known)
	if err != nil {
		return p, err
	}
	if read { // what the directory says of them counts
		person.Claims, person.Tags = known.Claims, known.Tags
	}
	if known.Claims == nil || !maps.EqualFunc(known.Claims, person.Claims, slices.Equal) {
		p.Changes = append(p.Changes, access.SetClaims{ID: known.ID, Claims: person.Claims})
	}
	if tags := outside.Tagged(known.Tags, person.Tags, a.claimMap); !maps.Equal(tags, known.Tags) {
		p.Changes = append(p.Changes, access.TagPrincipal{ID: known.ID, Tags: tags})
	}
	groups, err := GroupsSaid(ctx, plan.NewGrouping(now, a.provider), details, a.claimMap, known.ID, person)
	if err != nil {
		return p, err
	}
	p.Changes = append(p.Changes, groups...)
	p.Final = true // it is what the provider says
	all, err := details.PrincipalDetails(ctx, a.trust.Organisation, []model.ID{known.ID})
	if err != nil {
		return p, err
	}
	is := all[known.ID]
	was := is
	if is.Title == "" || person.Title != "" {
		is.Title = person.Title
	}
	if person.Email != "" {
		is.Email = person.Email
	}
	if is.Identity.IsZero() {
		is.Identity = known.ID
		p.Beside = func(tx tenant.Tx) error { return tx.CreateIdentity(IdentityOf(known, is.Title, is.Email)) }
	}
	if is.Title != was.Title || !strings.EqualFold(is.Email, was.Email) || is.Identity != was.Identity {
		p.Describe(known.ID, is)
	}
	p.What = "noted what " + a.provider.Name + " says of " + known.Name
	return p, nil
}
