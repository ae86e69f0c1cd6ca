package provision

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/outside"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// User is what a system tells of a person.
type User struct {
	Name     string // by which the system finds them
	External string // the subject by which the provider knows them: it never changes
	Title    string
	Email    string
	Active   bool
	By       credential.SignInBy // if they come for the first time; empty for by the provider
	Body     json.RawMessage     // all that it told, as JSON
}

// Record is what was told of somebody or a group, as it stands.
type Record struct {
	store.Provisioned
	InUse   bool       // of a person: not suspended or retired, by the system or by an administrator
	Members []model.ID // of a group
	Groups  []Named    // of a person: those that were told of
}

// Named is a group as its members name it.
type Named struct {
	ID   model.ID
	Name string
}

// mostName is how many bytes a name has at most by which a system finds people.
const mostName = 255

// Users are the people of whom systems tell.
type Users struct{ *Provisioning }

// Create notes that somebody is there. Whom the provider knows by that subject already is the same person.
func (p Users) Create(ctx context.Context, sys System, u User) (Record, error) {
	var id model.ID
	at := p.Moment()
	fresh := tenant.NewID()
	choosing, err := p.choosesPassword(ctx, sys)
	if err != nil {
		return Record{}, err
	}
	link, mailing := p.NewLink(sys.caller, credential.ToPassword, fresh, u.Email), choosing && u.Email != "" && u.Active
	if choosing {
		u.By = credential.ByPassword
	}
	err = p.write(ctx, sys, func(now *access.Snapshot, details tenant.Details) (made tenant.Plan, err error) {
		if err := u.check(); err != nil {
			return made, err
		}
		if is, err := taken(ctx, details, sys, store.ProvisionedUser, folded(u.Name)); is || err != nil {
			return made, errors.Join(err, problem.OrNil(is, &problem.Problem{Kind: problem.Conflict, Detail: "there is a user " + u.Name + " already", Next: "change that one", Field: "userName"}))
		}
		known, there := now.OutsidePersonBy(sys.Provider.ID, u.External)
		before := store.Provisioned{Active: true}
		if there {
			id = known.ID
			if before, err = leftBefore(ctx, details, sys, known); err != nil {
				return made, err
			}
		} else {
			id = fresh
			name := outside.NameOf(u.Name)
			if name == "" {
				return made, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("%q is not a name that somebody could be called by", u.Name), Next: "use letters and digits", Field: "userName"}
			}
			known = access.Principal{ID: id, Kind: model.OutsidePerson, Name: signin.FreeName(now, name, sys.Provider.Name), Provider: sys.Provider.ID, Subject: u.External}
			made.Changes = append(made.Changes, access.CreatePrincipal{Principal: known})
			if mailing {
				made.Also(link.Write)
			}
		}
		after := store.Provisioned{
			ID: id, Provider: sys.Provider.ID, Principal: id, Kind: store.ProvisionedUser, Name: folded(u.Name), External: u.External, Active: u.Active, Body: u.Body, Version: 1, CreatedAt: at, ChangedAt: at,
		}
		was := store.PrincipalDetails{State: credential.Active, CreatedAt: at}
		if there {
			if was, err = detailsOf(ctx, details, sys, known.ID); err != nil {
				return made, err
			}
		}
		bring(known, was, before, after, u, &made)
		made.What = "provisioned " + known.Name
		return made, nil
	})
	if err != nil {
		return Record{}, err
	}
	if mailing && id == fresh {
		if err := p.welcome(ctx, sys, link, u.Email); err != nil {
			return Record{}, err
		}
	}
	return p.Get(ctx, sys, id.String())
}

// leftBefore returns what was told of somebody who is there: that they had left, or nothing.
func leftBefore(ctx context.Context, details tenant.Details, sys System, known access.Principal) (store.Provisioned, error) {
	for _, kind := range []store.ProvisionedKind{store.ProvisionedUser, store.ProvisionedLeft} {
		list, n, err := details.ProvisionedBy(ctx, sys.Provider.ID, store.ProvisionedQuery{Kind: kind, Principals: []model.ID{known.ID}, Limit: 1})
		if err != nil || n == 0 {
			if err != nil {
				return store.Provisioned{}, err
			}
			continue
		}
		if kind == store.ProvisionedUser {
			return store.Provisioned{}, &problem.Problem{Kind: problem.Conflict, Detail: "there is a user with that externalId already", Next: "change that one", Field: "externalId"}
		}
		return list[0], nil
	}
	return store.Provisioned{Active: true}, nil
}

// check refuses what cannot be told of a person.
func (u User) check() error {
	switch {
	case strings.TrimSpace(u.Name) == "" || len(u.Name) > mostName:
		return &problem.Problem{Kind: problem.Invalid, Detail: "userName is needed", Next: "send what they sign in by", Field: "userName"}
	case u.External == "" || len(u.External) > access.MaxSubject:
		return &problem.Problem{Kind: problem.Invalid, Detail: "externalId is needed: it is what the provider knows people by", Next: "send the value that their tokens have as the subject", Field: "externalId"}
	case strings.EqualFold(u.External, u.Email):
		return &problem.Problem{Kind: problem.Invalid, Detail: "externalId is the mail address, and that passes from one person to another", Next: "send a value that never changes", Field: "externalId"}
	}
	return nil
}

// bring has what is kept of a person be as it is told. What the system says anew of their being in use counts; what an administrator decided
// meanwhile stays.
func bring(who access.Principal, was store.PrincipalDetails, before, after store.Provisioned, u User, made *tenant.Plan) {
	is := u.described(was)
	switch {
	case before.Active && !u.Active && !who.Inactive:
		is.State = credential.Suspended
		made.Changes = append(made.Changes, access.SetInactive{ID: who.ID, Inactive: true})
	case !before.Active && u.Active && who.Inactive && was.State == credential.Suspended:
		is.State = credential.Active
		made.Changes = append(made.Changes, access.SetInactive{ID: who.ID})
	}
	newcomer := is.Identity.IsZero()
	is.Identity = who.ID
	if is != was {
		made.Describe(who.ID, is)
	}
	made.Also(func(tx tenant.Tx) error {
		if before.Kind == store.ProvisionedLeft {
			if err := tx.RemoveProvisioned(before); err != nil {
				return err
			}
			before = store.Provisioned{}
		}
		if newcomer {
			identity := signin.IdentityOf(who, is.Title, is.Email)
			identity.By = cmp.Or(u.By, identity.By)
			if err := tx.CreateIdentity(identity); err != nil {
				return err
			}
		}
		return tx.PutProvisioned(before, after)
	})
}

// described is what is known of a person from then on. What is not told stays.
func (u User) described(was store.PrincipalDetails) store.PrincipalDetails {
	is := was
	if u.Title != "" {
		is.Title = u.Title
	} else if is.Title == "" {
		is.Title = u.Name
	}
	if u.Email != "" {
		is.Email = u.Email
	}
	return is
}

// detailsOf returns what is known of somebody besides.
func detailsOf(ctx context.Context, details tenant.Details, sys System, who model.ID) (store.PrincipalDetails, error) {
	all, err := details.PrincipalDetails(ctx, sys.organisation, []model.ID{who})
	return all[who], err
}

// Editing alters what was told: fn is given what stands, and returns what is to stand. It may refuse.
type Editing[T any] func(Record) (T, error)

// Edit alters what was told of a person.
func (p Users) Edit(ctx context.Context, sys System, id string, edit Editing[User]) (Record, error) {
	err := p.write(ctx, sys, func(now *access.Snapshot, details tenant.Details) (made tenant.Plan, err error) {
		before, err := told(ctx, details, sys, store.ProvisionedUser, id)
		if err != nil {
			return made, err
		}
		who, _ := now.Principal(before.Principal)
		u, err := edit(p.record(now, before))
		if err == nil {
			err = u.check()
		}
		if err != nil {
			return made, err
		}
		if u.External != before.External {
			return made, &problem.Problem{Kind: problem.Conflict, Detail: "externalId never changes: it is what the provider knows " + who.Name + " by", Next: "create another user", Field: "externalId"}
		}
		if folded(u.Name) != before.Name {
			if is, err := taken(ctx, details, sys, store.ProvisionedUser, folded(u.Name)); is || err != nil {
				return made, errors.Join(err, problem.OrNil(is, &problem.Problem{Kind: problem.Conflict, Detail: "there is a user " + u.Name + " already", Next: "choose another name", Field: "userName"}))
			}
		}
		if bytes.Equal(u.Body, before.Body) && u.Active == before.Active {
			return made, nil
		}
		after := before
		after.Name, after.Active, after.Body, after.Version, after.ChangedAt = folded(u.Name), u.Active, u.Body, before.Version+1, p.Moment()
		was, err := detailsOf(ctx, details, sys, who.ID)
		if err != nil {
			return made, err
		}
		made.What = "provisioned " + who.Name
		bring(who, was, before, after, u, &made)
		return made, nil
	})
	if err != nil {
		return Record{}, err
	}
	return p.Get(ctx, sys, id)
}

// Remove notes that somebody has left: they are suspended, and in none of the provider's groups.
func (p Users) Remove(ctx context.Context, sys System, id string, match func(Record) error) error {
	return p.write(ctx, sys, func(now *access.Snapshot, details tenant.Details) (made tenant.Plan, err error) {
		before, err := told(ctx, details, sys, store.ProvisionedUser, id)
		if err != nil {
			return made, err
		}
		if err := match(p.record(now, before)); err != nil {
			return made, err
		}
		who, _ := now.Principal(before.Principal)
		was, err := detailsOf(ctx, details, sys, who.ID)
		if err != nil {
			return made, err
		}
		made.What = "suspended " + who.Name + ", who has left"
		leave(now, who, was, before, p.Moment(), &made)
		return made, nil
	})
}

// leave has somebody who has left be suspended, and in none of the provider's groups.
func leave(now *access.Snapshot, who access.Principal, is store.PrincipalDetails, before store.Provisioned, at time.Time, made *tenant.Plan) {
	for _, group := range now.OutsideGroupsOf(who.ID) {
		made.Changes = append(made.Changes, access.RemoveMember{Membership: access.Membership{Group: group.ID, Member: who.ID}})
	}
	left := before
	left.Kind, left.Name, left.Body, left.ChangedAt = store.ProvisionedLeft, before.External, json.RawMessage("{}"), at
	left.Active = before.Active && who.Inactive // whom an administrator suspended before stays so when they come back
	if !who.Inactive {
		is.State = credential.Suspended
		made.Describe(who.ID, is)
		made.Changes = append(made.Changes, access.SetInactive{ID: who.ID, Inactive: true})
	}
	made.Also(func(tx tenant.Tx) error { return tx.PutProvisioned(before, left) })
}

// Get returns what was told of a person.
func (p Users) Get(ctx context.Context, sys System, id string) (Record, error) {
	is, err := told(ctx, p.Records, sys, store.ProvisionedUser, id)
	if err != nil {
		return Record{}, err
	}
	list, err := p.records(ctx, sys, []store.Provisioned{is})
	if err != nil {
		return Record{}, err
	}
	return list[0], nil
}
