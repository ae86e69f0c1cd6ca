package change

import (
	"cmp"
	"context"
	"errors"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/ask"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// NewOrganisation is an organisation that a keeper wants, with its first steward.
type NewOrganisation struct {
	Name, Title, Description string
	Steward                  NewUser
}

// OrganisationMade is what came of it. Password is the steward's when it was generated.
type OrganisationMade struct {
	Organisation ask.OrganisationView
	Steward      ask.UserView
	Password     string
	Revision     uint64
}

// MakeKeeper makes a keeper. It is called on the host alone, by whoever can reach the records there. The password is
// returned when it was generated.
func (s *Changes) MakeKeeper(ctx context.Context, name, password string) (keeper tenant.Caller, generated string, err error) {
	if err := model.CheckName(name); err != nil {
		return tenant.Caller{}, "", problem.Of(err, "keeper")
	}
	hash, generated, err := s.NewPassword(ctx, password, "password", name)
	if err != nil {
		return tenant.Caller{}, "", err
	}
	identity := store.Identity{ID: tenant.NewID(), Keeper: true, Name: name, PasswordHash: hash, By: credential.ByPassword}
	if _, err := s.Records.IdentityNamed(ctx, credential.SignIn{Name: name}); err == nil {
		return tenant.Caller{}, "", &problem.Problem{Kind: problem.Conflict, Detail: "there is already a keeper called " + name, Next: "sign in as that keeper, or choose another name"}
	}
	if err := s.Records.AddKeeper(ctx, identity, store.Author{Name: "host", From: "host", At: s.Moment()}); err != nil {
		return tenant.Caller{}, "", err
	}
	return tenant.Caller{Identity: identity, Name: name, From: "host"}, generated, nil
}

// CreateOrganisation makes an organisation with its first steward, for keepers.
func (s *Changes) CreateOrganisation(ctx context.Context, c tenant.Caller, wanted NewOrganisation) (OrganisationMade, error) {
	if err := tenant.NeedKeeper(c, "create organisations"); err != nil {
		return OrganisationMade{}, err
	}
	if err := tenant.CheckLine("title", "the title", wanted.Title); err != nil {
		return OrganisationMade{}, err
	}
	made := OrganisationMade{Organisation: ask.OrganisationView{
		Scope:        model.Scope{ID: tenant.NewID(), Kind: model.Organisation, Name: wanted.Name},
		ScopeDetails: store.ScopeDetails{Title: wanted.Title, Description: wanted.Description, CreatedAt: s.Moment()},
	}}
	if err := model.CheckName(wanted.Name); err != nil {
		return OrganisationMade{}, problem.Of(err, "name")
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
	grant := access.Grant{ID: tenant.NewID(), Scope: top.ID, Principal: steward.principal.ID, Role: "steward"}
	catalogue, err := s.CatalogueNow(ctx)
	if err != nil {
		return OrganisationMade{}, err
	}
	changes := []access.Change{access.CreateScope{Scope: top}, access.CreatePrincipal{Principal: steward.principal}, access.CreateGrant{Grant: grant}}
	p := tenant.Plan{Changes: changes, What: fmt.Sprintf("created organisation %s with steward %s", top.Name, steward.principal.Name), Beside: steward.write, Final: true}
	p.Described.Scopes = map[model.ID]store.ScopeDetails{top.ID: made.Organisation.ScopeDetails}
	p.Describe(steward.principal.ID, steward.details)
	p.DescribeGrant(grant.ID, "first steward")
	if err := p.Propose(access.New(catalogue)); err != nil {
		return OrganisationMade{}, err
	}
	if err := nameFree(ctx, s.Records, top); err != nil {
		return OrganisationMade{}, err
	}
	_, err = s.Records.Create(context.WithoutCancel(ctx), top.ID, s.Author(c), func(tx tenant.Tx, _ uint64) (string, error) {
		if c.Once != ([32]byte{}) {
			tx.Once(c.Once)
		}
		return p.Words(), p.WriteTo(tx)
	})
	if errors.Is(err, store.ErrTaken) {
		err = cmp.Or(nameFree(ctx, s.Records, top), err)
	}
	if err != nil {
		return OrganisationMade{}, err
	}
	s.Began(top.ID, p.Proposal.After)
	made.Steward = ask.UserView{Principal: steward.principal, PrincipalDetails: steward.details}
	made.Revision = p.Proposal.After.Revision()
	return made, nil
}

// nameFree refuses a name for an organisation that another has, or has had: what is recorded of that stands under it.
func nameFree(ctx context.Context, records tenant.Details, top model.Scope) error {
	other, err := records.OrganisationNamed(ctx, top.Name)
	switch {
	case errors.Is(err, store.ErrNotFound) || err == nil && other == top.ID:
		return nil
	case err != nil:
		return err
	}
	return &problem.Problem{Kind: problem.Conflict, Detail: "there is already an organisation called " + top.Name + ", or was one", Next: "choose another name", Field: "name", Rule: model.RuleTaken}
}
