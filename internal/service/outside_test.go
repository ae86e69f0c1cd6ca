package service_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
)

// TestOutsidePeople lays out what people of a provider get, before any of them has come, and takes it away again.
func TestOutsidePeople(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan := b.As(t, "rowan@lindenmere")
	const org, sso, ilka = "lindenmere", "quaywater-sso", "ilka@quaywater-sso"
	p := testbed.Problem(t, 400, client.Done(rowan.CreatePolicyAt(ctx, trial, api.PolicyNew{Name: "seeds", Text: "people from quaywater-sso may observe tree"})))
	require.Contains(t, p.Detail, `there is no identity provider "quaywater-sso"`)

	provider, err := rowan.CreateProvider(ctx, org, api.ProviderNew{Name: sso, Title: "Quaywater Seed Exchange"})
	require.NoError(t, err)
	require.Equal(t, api.Provider{Id: provider.Provider.Id, Name: sso, Title: "Quaywater Seed Exchange", State: api.StateActive, CreatedAt: provider.Provider.CreatedAt}, provider.Provider)
	require.NoError(t, client.Done(rowan.CreatePolicyAt(ctx, trial, api.PolicyNew{Name: "seeds", Text: `people from quaywater-sso with department "seeds" may observe tree
people from quaywater-sso with subject "q-4711" may describe project`})))

	preview, err := rowan.PreviewCreateOutsidePerson(ctx, org, api.OutsidePersonNew{Provider: sso, Subject: "q-4711", Name: "ilka", Groups: []string{"contractors"}})
	require.NoError(t, err)
	require.NotNil(t, preview.Impact)
	made, err := rowan.CreateOutsidePerson(ctx, org, api.OutsidePersonNew{Provider: sso, Subject: "q-4711", Name: "ilka", Title: "Ilka Varga", Groups: []string{"contractors"}})
	require.NoError(t, err)
	require.Equal(t, ilka, made.Person.Name)
	for name, wanted := range map[string]api.OutsidePersonNew{
		"knows ilka@quaywater-sso by that subject already": {Provider: sso, Subject: "q-4711", Name: "ida"},
		"there is already an outside person called":        {Provider: sso, Subject: "q-4712", Name: "ilka"},
		"there is no provider nowhere-sso":                 {Provider: "nowhere-sso", Subject: "q-4712", Name: "ida"},
		`"Ida Voss" is not a valid name`:                   {Provider: sso, Subject: "q-4712", Name: "Ida Voss"},
	} {
		err := client.Done(rowan.CreateOutsidePerson(ctx, org, wanted))
		require.ErrorContains(t, err, name)
	}
	shown, err := rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, ilka)
	require.NoError(t, err)
	require.Equal(t, sso, shown.Provider)
	require.Equal(t, "q-4711", shown.Subject)
	require.Nil(t, shown.Claims, "the provider has said nothing yet")
	require.Equal(t, []string{"contractors"}, shown.Groups)
	listed, err := rowan.ListPeople(ctx, org, &api.ListPeopleParams{Provider: sso})
	require.NoError(t, err)
	require.Len(t, listed.People, 1)
	require.Equal(t, api.OutsidePersonKind, listed.People[0].Kind)
	providers, err := rowan.ListProviders(ctx, org, nil)
	require.NoError(t, err)
	require.Equal(t, 1, providers.Providers[0].People)

	check := func(kind api.PrincipalKind, name, permission string, claims map[string][]string) api.Answer {
		question := api.Question{Permission: permission, Principal: &api.PrincipalRef{Kind: kind, Name: name}}
		if claims != nil {
			question.Context = &api.QuestionContext{Claims: claims}
		}
		answer, err := rowan.Check(ctx, trial, question)
		require.NoError(t, err)
		return answer
	}
	seeds := map[string][]string{"department": {"seeds"}}
	require.True(t, check(api.OutsidePersonKind, ilka, "describe project", nil).Allowed, "her subject is known")
	require.False(t, check(api.OutsidePersonKind, ilka, "list project", nil).Allowed, "her claims are not")
	answer := check(api.OutsidePersonKind, ilka, "list project", seeds)
	require.True(t, answer.Allowed)
	require.True(t, answer.WhatIf)
	require.Contains(t, answer.Words, "with the claims of the question")
	require.True(t, check(api.ProviderKind, sso, "list project", seeds).Allowed, "so would be whoever comes with them")
	require.False(t, check(api.UserKind, "sefa", "list project", seeds).Allowed, "no provider vouches for a user")

	// A grant to the provider is for everybody who comes by it, and one to her for her alone.
	require.NoError(t, client.Done(rowan.CreateGrant(ctx, alpine, api.GrantNew{Principal: api.PrincipalRef{Kind: api.ProviderKind, Name: sso}, Role: "observer"})))
	asked := api.HoldersQuestion{Permission: "describe project", Context: &api.QuestionContext{Claims: map[string][]string{"department": {"seeds"}}}}
	claimed, err := rowan.ListHolders(ctx, alpine, nil, asked)
	require.NoError(t, err)
	require.True(t, claimed.WhatIf)
	below, err := rowan.ListHoldersBelow(ctx, alpine, nil, asked)
	require.NoError(t, err)
	require.True(t, below.WhatIf)
	holders, err := rowan.ListHolders(ctx, alpine, nil, api.HoldersQuestion{Permission: "describe project"})
	require.NoError(t, err)
	var names []string
	for _, h := range holders.Holders {
		if h.Principal.Kind == api.ProviderKind || h.Principal.Kind == api.OutsidePersonKind {
			names = append(names, h.Principal.Name)
		}
	}
	require.ElementsMatch(t, []string{sso, ilka}, names)
	require.ErrorContains(t, client.Done(rowan.AddMember(ctx, org, "contractors", nil, api.PrincipalRef{Kind: api.ProviderKind, Name: sso})), "is in no group")
	require.ErrorContains(t, client.Done(rowan.EditPrincipal(ctx, org, api.ProviderKind, sso, nil, api.PrincipalEdit{Name: ptr("other")})), "keeps its name")

	// Nobody gives people from outside what they do not hold themselves.
	require.NoError(t, client.Done(rowan.CreateGrant(ctx, trial, api.GrantNew{Principal: api.PrincipalRef{Kind: api.UserKind, Name: "tomas"}, Role: "access-manager"})))
	tomas := b.As(t, "tomas@lindenmere")
	p = testbed.Problem(t, 403, client.Done(tomas.CreatePolicyAt(ctx, trial, api.PolicyNew{Name: "govern", Text: `people from quaywater-sso with team "seeds" may act as steward`})))
	require.Contains(t, p.Detail, "provider quaywater-sso would gain")

	// Out of use, the provider is out for all of its people.
	written, err := rowan.SetState(ctx, org, api.ProviderKind, sso, &api.SetStateParams{Preview: true}, api.StateChange{State: api.StateSuspended})
	require.NoError(t, err)
	require.NotEmpty(t, written.Impact.Effects)
	require.NoError(t, client.Done(rowan.SetState(ctx, org, api.ProviderKind, sso, nil, api.StateChange{State: api.StateSuspended})))
	require.Contains(t, check(api.OutsidePersonKind, ilka, "describe project", nil).Words, "comes by quaywater-sso, which is suspended")
	require.NoError(t, client.Done(rowan.SetState(ctx, org, api.ProviderKind, sso, nil, api.StateChange{State: api.StateActive})))
	require.NoError(t, client.Done(rowan.SetState(ctx, org, api.OutsidePersonKind, ilka, nil, api.StateChange{State: api.StateRetired})))
	require.Contains(t, check(api.OutsidePersonKind, ilka, "describe project", nil).Words, "is retired")
}
