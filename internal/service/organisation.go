package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// NewOrganisation is an organisation that a keeper wants, with its first steward.
type NewOrganisation struct {
	Name, Title, Description string
	Steward                  NewUser
}

// OrganisationMade is what came of it. Password is the steward's when it was generated.
type OrganisationMade struct {
	Organisation OrganisationView
	Steward      UserView
	Password     string
	Revision     uint64
}

// MakeKeeper makes a keeper. It is called on the host alone, by whoever can reach the records there. The password is
// returned when it was generated.
func (s *Changes) MakeKeeper(ctx context.Context, name, password string) (keeper Caller, generated string, err error) {
	if err := model.CheckName(name); err != nil {
		return Caller{}, "", broken(err, "keeper")
	}
	hash, generated, err := s.newPassword(ctx, password, "password", name)
	if err != nil {
		return Caller{}, "", err
	}
	identity := store.Identity{ID: newID(), Keeper: true, Name: name, PasswordHash: hash, By: credential.ByPassword}
	if _, err := s.records.IdentityNamed(ctx, credential.SignIn{Name: name}); err == nil {
		return Caller{}, "", &Problem{Kind: Conflict, Detail: "there is already a keeper called " + name, Next: "sign in as that keeper, or choose another name"}
	}
	if err := s.records.AddKeeper(ctx, identity, store.Author{Name: "host", From: "host", At: s.moment()}); err != nil {
		return Caller{}, "", err
	}
	return Caller{Identity: identity, Name: name, From: "host"}, generated, nil
}

// CreateOrganisation makes an organisation with its first steward, for keepers.
func (s *Changes) CreateOrganisation(ctx context.Context, c Caller, wanted NewOrganisation) (OrganisationMade, error) {
	if err := needKeeper(c, "create organisations"); err != nil {
		return OrganisationMade{}, err
	}
	if err := checkLine("title", "the title", wanted.Title); err != nil {
		return OrganisationMade{}, err
	}
	made := OrganisationMade{Organisation: OrganisationView{
		Scope:        model.Scope{ID: newID(), Kind: model.Organisation, Name: wanted.Name},
		ScopeDetails: store.ScopeDetails{Title: wanted.Title, Description: wanted.Description, CreatedAt: s.moment()},
	}}
	if err := model.CheckName(wanted.Name); err != nil {
		return OrganisationMade{}, broken(err, "name")
	}
	steward, err := s.newcomer(wanted.Steward, wanted.Name)
	if err != nil {
		return OrganisationMade{}, err
	}
	if err := s.hashOf(ctx, steward); err != nil {
		return OrganisationMade{}, err
	}
	made.Password = steward.password
	top := made.Organisation.Scope
	grant := access.Grant{ID: newID(), Scope: top.ID, Principal: steward.principal.ID, Role: "steward"}
	catalogue, err := s.catalogueNow(ctx)
	if err != nil {
		return OrganisationMade{}, err
	}
	changes := []access.Change{access.CreateScope{Scope: top}, access.CreatePrincipal{Principal: steward.principal}, access.CreateGrant{Grant: grant}}
	p := plan{changes: changes, what: fmt.Sprintf("created organisation %s with steward %s", top.Name, steward.principal.Name), beside: steward.write, final: true}
	p.described.Scopes = map[model.ID]store.ScopeDetails{top.ID: made.Organisation.ScopeDetails}
	p.describe(steward.principal.ID, steward.details)
	p.describeGrant(grant.ID, "first steward")
	if err := p.propose(access.New(catalogue)); err != nil {
		return OrganisationMade{}, err
	}
	if err := nameFree(ctx, s.records, top); err != nil {
		return OrganisationMade{}, err
	}
	_, err = s.records.Create(context.WithoutCancel(ctx), top.ID, s.author(c), func(tx Tx, _ uint64) (string, error) {
		if c.Once != ([32]byte{}) {
			tx.Once(c.Once)
		}
		return p.words(), p.writeTo(tx)
	})
	if errors.Is(err, store.ErrTaken) {
		err = cmp.Or(nameFree(ctx, s.records, top), err)
	}
	if err != nil {
		return OrganisationMade{}, err
	}
	set := settings.DefaultSettings()
	s.house(top.ID).settings.Store(&set)
	s.house(top.ID).quotas.Store(&settings.Quotas{})
	s.house(top.ID).publish(p.proposal.After, nil)
	made.Steward = UserView{Principal: steward.principal, PrincipalDetails: steward.details}
	made.Revision = p.proposal.After.Revision()
	return made, nil
}

// nameFree refuses a name for an organisation that another has, or has had: what is recorded of that stands under it.
func nameFree(ctx context.Context, records Details, top model.Scope) error {
	other, err := records.OrganisationNamed(ctx, top.Name)
	switch {
	case errors.Is(err, store.ErrNotFound) || err == nil && other == top.ID:
		return nil
	case err != nil:
		return err
	}
	return &Problem{Kind: Conflict, Detail: "there is already an organisation called " + top.Name + ", or was one", Next: "choose another name", Field: "name", Rule: model.RuleTaken}
}
