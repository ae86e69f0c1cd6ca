package service_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
)

// TestGuests invites people from outside, who come in with an account of their own or with the one they have.
func TestGuests(t *testing.T) {
	b := testbed.InMemory(t)
	rowan, anybody := b.As(t, "rowan@lindenmere"), with(t, b, "")
	const wren, juno = "wren@meadowside.example", "juno@quaywater.example"
	wanted := api.GuestNew{Email: wren, Title: "Wren", Groups: []string{"contractors"}, Grants: []api.FirstGrant{{Scope: alpine, Role: "observer"}}}
	written, err := rowan.PreviewInviteGuest(t.Context(), "lindenmere", wanted)
	require.NoError(t, err)
	require.Equal(t, "1 person would gain access.", written.Impact.Words, "what it would be once accepted")
	made, err := rowan.InviteGuest(t.Context(), "lindenmere", wanted)
	require.NoError(t, err)
	require.Equal(t, api.StatePending, made.Guest.State)
	require.True(t, made.Link.Mailed.Sent)
	subject, text := letterTo(t, b, wren)
	require.Equal(t, "You are invited to Lindenmere Botanic Trust", subject)
	require.Contains(t, text, "Rowan Ashdown invites you")
	held := func(name string) api.Answer {
		answer, err := rowan.Check(t.Context(), alpine, api.Question{Permission: "describe project", Principal: &api.PrincipalRef{Kind: api.GuestKind, Name: name}})
		require.NoError(t, err)
		return answer
	}
	require.False(t, held(wren).Allowed, "prepared access counts only after acceptance")
	details, err := rowan.ShowPrincipal(t.Context(), "lindenmere", api.GuestKind, wren)
	require.NoError(t, err)
	require.Equal(t, made.Link.Until, details.InvitedUntil)

	first := linkTo(t, b, wren)
	require.NoError(t, client.Done(rowan.ResendInvitation(t.Context(), "lindenmere", api.GuestKind, wren, nil)))
	require.Equal(t, "revoked", kind(t, client.Done(anybody.ReadLink(t.Context(), api.LinkToken{Token: first}))), "a new link replaces the first")
	require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", api.GuestKind, wren, nil, api.StateChange{State: api.StateRetired})))
	withdrawn := linkTo(t, b, wren)
	require.Equal(t, "revoked", kind(t, client.Done(anybody.ReadLink(t.Context(), api.LinkToken{Token: withdrawn}))))
	p := testbed.Problem(t, 409, client.Done(rowan.SetState(t.Context(), "lindenmere", api.GuestKind, wren, nil, api.StateChange{State: api.StateActive})))
	require.Contains(t, p.Detail, "never accepted")
	require.NoError(t, client.Done(rowan.ResendInvitation(t.Context(), "lindenmere", api.GuestKind, wren, nil)))
	late := linkTo(t, b, wren)
	b.Clock.Forward(credential.InvitationFor)
	require.Equal(t, "expired", kind(t, client.Done(anybody.ReadLink(t.Context(), api.LinkToken{Token: late}))))

	rowan = b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.ResendInvitation(t.Context(), "lindenmere", api.GuestKind, wren, nil)))
	token := linkTo(t, b, wren)
	link, err := anybody.ReadLink(t.Context(), api.LinkToken{Token: token})
	require.NoError(t, err)
	require.Equal(t, wren, link.SignIn)
	testbed.Problem(t, 422, client.Done(anybody.UseLink(t.Context(), api.LinkUse{Token: token, Password: "short"})))
	require.NoError(t, client.Done(anybody.UseLink(t.Context(), api.LinkUse{Token: token, Password: "otters under the footbridge"})))
	require.Equal(t, "revoked", kind(t, client.Done(anybody.UseLink(t.Context(), api.LinkUse{Token: token, Password: "otters under the footbridge"}))), "a link works once")
	guest, err := demo.SignIn(t.Context(), b.Address, wren, "otters under the footbridge")
	require.NoError(t, err)
	require.NoError(t, client.Done(guest.ShowScope(t.Context(), alpine)))
	me, err := guest.GetSession(t.Context())
	require.NoError(t, err)
	require.Equal(t, "guest", me.Kind)
	require.Equal(t, "lindenmere", me.Organisation)
	require.True(t, held(wren).Allowed)

	// Somebody of another organisation accepts as who they are, and switches.
	require.NoError(t, client.Done(rowan.InviteGuest(t.Context(), "lindenmere", api.GuestNew{Email: juno, Grants: []api.FirstGrant{{Scope: alpine, Role: "observer"}}})))
	token = linkTo(t, b, juno)
	require.Contains(t, testbed.Problem(t, 403, client.Done(guest.AcceptInvitation(t.Context(), api.LinkToken{Token: token}))).Detail, "not your mail address")
	consultant := b.As(t, "juno@quaywater")
	testbed.Problem(t, 404, client.Done(consultant.SwitchOrganisation(t.Context(), api.OrganisationChoice{Organisation: "lindenmere"})))
	require.NoError(t, client.Done(consultant.AcceptInvitation(t.Context(), api.LinkToken{Token: token})))
	seats, err := consultant.ListSeats(t.Context())
	require.NoError(t, err)
	require.Len(t, seats.Seats, 2)
	testbed.Problem(t, 404, client.Done(consultant.ShowScope(t.Context(), alpine)))
	require.NoError(t, client.Done(consultant.SwitchOrganisation(t.Context(), api.OrganisationChoice{Organisation: "lindenmere"})))
	require.NoError(t, client.Done(consultant.ShowScope(t.Context(), alpine)))
	require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", api.GuestKind, "juno@quaywater", nil, api.StateChange{State: api.StateRetired})))
	require.Equal(t, "revoked", kind(t, client.Done(consultant.ShowScope(t.Context(), alpine))))
	home := b.As(t, "juno@quaywater")
	require.NoError(t, client.Done(home.ShowScope(t.Context(), "quaywater")), "at home nothing changed")
}

// TestOnePassCreation makes a person with everything, by mail, and many by a CSV text.
func TestOnePassCreation(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, anybody := b.As(t, "rowan@lindenmere"), with(t, b, "")
	both := api.ByBoth
	made, err := rowan.CreateUser(t.Context(), "lindenmere", api.UserNew{
		Name: "linnea", Title: "Linnea Berg", Email: "linnea@lindenmere.example", SignInBy: both, Link: true, Notify: true,
		Tags: api.Tags{"team": "seeds"}, Groups: []string{"seed-curators"}, Grants: []api.FirstGrant{{Scope: alpine, Role: "observer"}}, Key: &api.KeyNew{Label: "laptop"},
	})
	require.NoError(t, err)
	require.Zero(t, made.Password, "a link makes a password needless")
	require.Equal(t, b.Address, made.Address)
	require.True(t, made.Link.Mailed.Sent && made.Mailed.Sent)
	for _, l := range b.Mail.Letters() {
		require.NotContains(t, l.Text, made.Key.Secret)
	}
	_, err = demo.SignIn(t.Context(), b.Address, "linnea@lindenmere", "")
	require.Error(t, err)
	require.Zero(t, made.Link.Url, "what went by mail is told to nobody else")
	token := linkTo(t, b, "linnea@lindenmere.example")
	require.NoError(t, client.Done(anybody.UseLink(t.Context(), api.LinkUse{Token: token, Password: "moss on the northern wall"})))
	linnea, err := demo.SignIn(t.Context(), b.Address, "linnea@lindenmere", "moss on the northern wall")
	require.NoError(t, err)
	require.NoError(t, client.Done(linnea.ShowScope(t.Context(), alpine)))

	faulty := "name,groups,grants,tags\nana,seed-curators,observer at " + alpine + ",team=seeds\nBen,,,\ncleo,sed-curators,,\nana,,,\ndov,,steward,\n"
	reading, err := rowan.PreviewCreateNewcomers(t.Context(), "lindenmere", api.NewcomerFile{File: faulty})
	require.NoError(t, err)
	var lines []int
	for _, f := range reading.Faults {
		lines = append(lines, f.Line)
	}
	require.Equal(t, []int{3, 4, 5, 6}, lines, "%v", reading.Faults)
	p := testbed.Problem(t, 400, client.Done(rowan.CreateNewcomers(t.Context(), "lindenmere", api.NewcomerFile{File: faulty})))
	require.Len(t, p.Faults, 4)
	testbed.Problem(t, 404, client.Done(rowan.ShowPrincipal(t.Context(), "lindenmere", api.UserKind, "ana")))
	testbed.Problem(t, 403, client.Done(linnea.CreateNewcomers(t.Context(), "lindenmere", api.NewcomerFile{File: faulty})))
}

// TestStrangers gives something to the public, which takes a confirmation and may be forbidden.
func TestStrangers(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	wanted := api.GrantNew{Principal: api.PrincipalRef{Kind: api.SetKind, Name: "public"}, Role: "content-reader"}
	p := testbed.Problem(t, 428, client.Done(rowan.CreateGrant(t.Context(), sensorLog, wanted)))
	require.Contains(t, p.Impact.Warnings[0], "known to the organisation or not")
	testbed.Problem(t, 428, client.Done(rowan.CreatePolicyAt(t.Context(), alpine, api.PolicyNew{Name: "open", Text: "signed-in may observe tree"})))
	confirmed, err := client.Open(b.Address, b.Token(t, "rowan@lindenmere"), client.Confirmed(p.Impact.Confirmation))
	require.NoError(t, err)
	require.NoError(t, client.Done(confirmed.CreateGrant(t.Context(), sensorLog, wanted)))
	require.NoError(t, client.Done(rowan.ChangeSettings(t.Context(), "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 3, ForbidPublic: true}})))
	p = testbed.Problem(t, 422, client.Done(rowan.CreateGrant(t.Context(), alpine, wanted)))
	require.Contains(t, p.Detail, "opens something to public, which the settings of the organisation forbid")
}

// TestPlatformServices has a service act by its own key, in an organisation that lets it.
func TestPlatformServices(t *testing.T) {
	b := testbed.InMemory(t)
	keeper := b.As(t, demo.Keeper)
	testbed.Problem(t, 403, client.Done(b.As(t, "rowan@lindenmere").CreateServiceKey(t.Context(), "labs", api.KeyNew{})))
	key, err := keeper.CreateServiceKey(t.Context(), "labs", api.KeyNew{Label: "loam"})
	require.NoError(t, err)
	labs, err := client.OpenByKey(b.Address, client.APIKey{ID: key.Key.Id, Secret: key.Secret, Organisation: "lindenmere"})
	require.NoError(t, err)
	ask := func() bool {
		answer, err := labs.Check(t.Context(), digitising+"/digitising-lan.network", api.Question{Permission: "attach network"})
		return err == nil && answer.Allowed
	}
	require.False(t, ask())
	require.NoError(t, client.Done(b.As(t, "rowan@lindenmere").CreatePolicyAt(t.Context(), digitising, api.PolicyNew{Name: "labs", Text: "service labs may observe, attach network"})))
	require.True(t, ask())
	me, err := labs.GetSession(t.Context())
	require.NoError(t, err)
	require.Equal(t, "service labs", me.Name)
	require.NoError(t, keeper.WithdrawKey(t.Context(), key.Key.Id))
	require.False(t, ask())
}

// TestOwnersOfGroups has an owner change the members of a group without being an administrator, and sees a gathering group
// follow the tags.
func TestOwnersOfGroups(t *testing.T) {
	b := testbed.InMemory(t)
	rowan, sefa := b.As(t, "rowan@lindenmere"), b.As(t, "sefa@lindenmere")
	owner := user("sefa")
	require.NoError(t, client.Done(rowan.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "weeders", Owner: &owner})))
	require.NoError(t, client.Done(sefa.AddMember(t.Context(), "lindenmere", "weeders", nil, user("ines"))))
	testbed.Problem(t, 403, client.Done(sefa.AddMember(t.Context(), "lindenmere", "contractors", nil, user("ines"))))
	testbed.Problem(t, 403, client.Done(b.As(t, "ines@lindenmere").AddMember(t.Context(), "lindenmere", "weeders", nil, user("yuki"))))
	b.Grant(t, "observer", "group", "weeders", alpine)
	p := testbed.Problem(t, 403, client.Done(sefa.AddMember(t.Context(), "lindenmere", "weeders", nil, user("yuki"))))
	require.Contains(t, p.Detail, "by this user yuki would gain", "an owner gives no more than their own either")

	require.NoError(t, client.Done(rowan.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "seed-people", Gathers: `tag team is "seeds"`})))
	members := func() int {
		group, err := rowan.ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "seed-people")
		require.NoError(t, err)
		return len(group.Members)
	}
	require.Zero(t, members())
	require.NoError(t, client.Done(rowan.EditPrincipal(t.Context(), "lindenmere", api.UserKind, "yuki", nil, api.PrincipalEdit{Tags: &api.Tags{"team": "seeds"}})))
	require.Equal(t, 1, members())
	testbed.Problem(t, 422, client.Done(rowan.AddMember(t.Context(), "lindenmere", "seed-people", nil, user("ines"))))
	require.NoError(t, client.Done(rowan.EditPrincipal(t.Context(), "lindenmere", api.UserKind, "yuki", nil, api.PrincipalEdit{Tags: &api.Tags{}})))
	require.Zero(t, members())
}

// TestAtMost bounds newcomers as they are created: whatever they are given, then and later, they may do no more. What is not a bound
// is told with its field, and nobody is created.
func TestAtMost(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	builder := []api.FirstGrant{{Scope: alpine, Role: "builder"}}
	made, err := rowan.CreateUser(t.Context(), "lindenmere", api.UserNew{Name: "perrin", Password: demo.Passphrase, Grants: builder, AtMost: "observe anything"})
	require.NoError(t, err)
	require.Equal(t, "perrin", made.User.Name)
	may := func(kind api.PrincipalKind, name, permission string) bool {
		answer, err := rowan.Check(t.Context(), alpine, api.Question{Principal: &api.PrincipalRef{Kind: kind, Name: name}, Permission: permission})
		require.NoError(t, err)
		return answer.Allowed
	}
	require.True(t, may(api.UserKind, "perrin", "describe project"))
	require.False(t, may(api.UserKind, "perrin", "edit project"))
	b.Grant(t, "steward", "user", "perrin", alpine)
	require.False(t, may(api.UserKind, "perrin", "edit project"), "what is given later is bounded, too")
	list, err := rowan.SearchStatements(t.Context(), "lindenmere", &api.SearchStatementsParams{Find: "perrin"})
	require.NoError(t, err)
	require.Len(t, list.Statements, 1)
	require.Equal(t, "user perrin may only observe anything", list.Statements[0].Text)
	require.Equal(t, "at-most-perrin", list.Statements[0].Policy.Name)

	_, err = rowan.CreateUser(t.Context(), "lindenmere", api.UserNew{Name: "astrid", Password: demo.Passphrase, AtMost: "obseve anything"})
	p := testbed.Problem(t, 400, err)
	require.Equal(t, "atMost", p.Field)
	require.Equal(t, "there is no operation or class \"obseve\"", p.Detail)
	require.Equal(t, "observe", p.Nearest)
	testbed.Problem(t, 404, client.Done(rowan.ShowPrincipal(t.Context(), "lindenmere", api.UserKind, "astrid")))

	require.NoError(t, client.Done(rowan.InviteGuest(t.Context(), "lindenmere", api.GuestNew{Email: "wren@meadowside.example", Grants: builder, AtMost: "observe tree"})))
	list, err = rowan.SearchStatements(t.Context(), "lindenmere", &api.SearchStatementsParams{Find: "wren"})
	require.NoError(t, err)
	require.Equal(t, "user wren@meadowside.example may only observe tree", list.Statements[0].Text)
}
