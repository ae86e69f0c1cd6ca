package service_test

import (
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
)

// TestWhatTakesAFreshProof tries all that gives lasting access away in a session that was left open: nothing works until the
// password is given once more. What is everyday work goes on.
func TestWhatTakesAFreshProof(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, ctx := b.As(t, "rowan@lindenmere"), t.Context()
	key := machine(t, b, "label-printer")
	maeve := demandSecondFactor(t, b)
	require.NoError(t, client.Done(maeve.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 3}})))
	require.NoError(t, client.Done(rowan.CreateRole(ctx, alpine, api.RoleNew{Name: "watcher", Include: []api.RoleFilter{{Classes: []string{"observe"}}}})))
	require.NoError(t, client.Done(rowan.CreateGrant(ctx, alpine, api.GrantNew{Principal: user("sefa"), Role: "watcher"})))
	require.NoError(t, client.Done(rowan.CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "hirers"})))
	require.NoError(t, client.Done(rowan.CreateGrant(ctx, alpine, api.GrantNew{Principal: api.PrincipalRef{Kind: api.GroupKind, Name: "hirers"}, Role: "access-manager"})))
	_, asked := form(t, b.Address+"/oauth/device", nil, url.Values{"client_id": {"a test"}})
	tries := []struct {
		name string
		try  func() error
	}{
		{"a privileged role", func() error {
			return client.Done(rowan.CreateGrant(ctx, alpine, api.GrantNew{Principal: user("bram"), Role: "access-manager"}))
		}},
		{"a role that somebody holds", func() error {
			return client.Done(rowan.EditRole(ctx, alpine, "watcher", nil, api.RoleEdit{Include: []api.RoleFilter{{Classes: []string{"govern"}}}}))
		}},
		{"a seat in a group that governs", func() error {
			return client.Done(rowan.AddMember(ctx, "lindenmere", "hirers", nil, user("ines")))
		}},
		{"settings", func() error {
			return client.Done(rowan.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 4}}))
		}},
		{"a passkey", func() error { return client.Done(rowan.BeginPasskey(ctx)) }},
		{"a second factor", func() error { return client.Done(rowan.BeginSecondFactor(ctx)) }},
		{"somebody's second factor", func() error {
			return rowan.ResetSecondFactor(ctx, "lindenmere", api.UserKind, "maeve")
		}},
		{"an API key", func() error {
			return client.Done(rowan.CreateKey(ctx, "lindenmere", api.ServiceAccountKind, digitising+"/label-printer", api.KeyNew{Label: "another"}))
		}},
		{"somebody's key taken back", func() error { return rowan.WithdrawKey(ctx, key.Key.Id) }},
		{"a mail address", func() error {
			return client.Done(rowan.EditProfile(ctx, api.ProfileEdit{Email: ptr("rowan@quaywater.example")}))
		}},
		{"somebody's mail address", func() error {
			return client.Done(rowan.EditPrincipal(ctx, "lindenmere", api.UserKind, "bram", nil, api.PrincipalEdit{Email: ptr("bram@quaywater.example")}))
		}},
		{"a terminal", func() error {
			return rowan.DecideDevice(ctx, api.DeviceDecision{Code: asked["user_code"].(string), Allow: true})
		}},
		{"a place beneath one where others govern", func() error {
			return reshape(t, rowan, api.Reshaping{Scopes: []string{digitising}, To: alpine})
		}},
		{"a statement that governs", func() error {
			return client.Done(rowan.CreatePolicyAt(ctx, alpine, api.PolicyNew{Name: "hirers", Text: "user bram may govern anything"}))
		}},
	}
	b.Clock.Forward(credential.ProofFor)
	letters := len(b.Mail.Letters())
	for _, c := range tries {
		require.Equal(t, "proof-needed", kind(t, c.try()), c.name)
	}
	require.Len(t, b.Mail.Letters(), letters, "nobody hears of what was not done")
	require.NoError(t, client.Done(rowan.ShowTree(ctx, "lindenmere", nil)))
	require.NoError(t, client.Done(rowan.CreateGrant(ctx, alpine, api.GrantNew{Principal: user("bram"), Role: "observer"})))
	require.NoError(t, client.Done(rowan.CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "night-watch"})))

	require.Equal(t, "invalid", kind(t, rowan.ProveSession(ctx, api.Proof{Password: "not it at all, sorry"})))
	require.NoError(t, rowan.ProveSession(ctx, api.Proof{Password: demo.Passphrase}))
	for _, c := range tries {
		require.NoError(t, c.try(), c.name)
	}
	heard(t, b, "maeve@lindenmere.example", "rowan@lindenmere removed your second factor.")
	heard(t, b, "rowan@lindenmere.example", "Your mail address was changed to rowan@quaywater.example.")
	heard(t, b, "bram@lindenmere.example", "rowan@lindenmere changed your mail address to bram@quaywater.example.")
	heard(t, b, "rowan@quaywater.example", "You let a terminal in, which asked from 127.0.0.1.")
}

// heard requires that a letter which says so has come to an address.
func heard(t *testing.T, b *testbed.Bed, to, says string) {
	t.Helper()
	var said []string
	for _, l := range b.Mail.Letters() {
		if l.To[0] == to {
			said = append(said, l.Text)
		}
	}
	require.Contains(t, strings.Join(said, "\n"), says)
}

// TestOwnersHearOfTheirCredentials changes what a user signs in with, and reads the letters to them.
func TestOwnersHearOfTheirCredentials(t *testing.T) {
	b := testbed.InMemory(t)
	rowan, ctx := b.As(t, "rowan@lindenmere"), t.Context()
	both := api.ByBoth
	made, err := rowan.CreateUser(ctx, "lindenmere", api.UserNew{Name: "wren", Email: "wren@lindenmere.example", SignInBy: both, Password: demo.Passphrase})
	require.NoError(t, err)
	require.Zero(t, made.Password)
	issued, err := rowan.CreateKey(ctx, "lindenmere", api.UserKind, "wren", api.KeyNew{})
	require.NoError(t, err)
	heard(t, b, "wren@lindenmere.example", "rowan@lindenmere issued an API key that opens your account.")
	require.NoError(t, rowan.WithdrawKey(ctx, issued.Key.Id))
	heard(t, b, "wren@lindenmere.example", "rowan@lindenmere revoked one of your API keys.")

	wren := b.As(t, "wren@lindenmere")
	require.NoError(t, client.Done(wren.ChoosePassword(ctx, api.PasswordChoice{Current: demo.Passphrase, New: "lichen on the sundial"})))
	heard(t, b, "wren@lindenmere.example", "You chose another password.")
	own, err := wren.CreateOwnKey(ctx, api.KeyNew{})
	require.NoError(t, err)
	heard(t, b, "wren@lindenmere.example", "An API key of yours was issued.")
	require.NoError(t, wren.WithdrawKey(ctx, own.Key.Id))
	heard(t, b, "wren@lindenmere.example", "An API key of yours was revoked.")

	require.NoError(t, client.Done(rowan.ResetPassword(ctx, "lindenmere", api.UserKind, "wren", nil)))
	heard(t, b, "wren@lindenmere.example", "rowan@lindenmere reset your password.")
	require.NoError(t, client.Done(rowan.MailPasswordLink(ctx, "lindenmere", api.UserKind, "wren")))
	require.NoError(t, client.Done(wren.UseLink(ctx, api.LinkUse{Token: linkTo(t, b, "wren@lindenmere.example"), Password: "another one, and longer"})))
	heard(t, b, "wren@lindenmere.example", "A password was chosen by a link that was mailed to you.")
}

// TestWhatKeysMayGovern has programs try what takes a fresh proof of people: a key that was made for governing may, another may
// not, and none makes further keys.
func TestWhatKeysMayGovern(t *testing.T) {
	b := testbed.InMemory(t)
	rowan, ctx := b.As(t, "rowan@lindenmere"), t.Context()
	const name = digitising + "/onboarding"
	require.NoError(t, client.Done(rowan.CreateServiceAccount(ctx, digitising, api.AccountNew{Name: "onboarding"})))
	b.Grant(t, "steward", "service-account", name, alpine)
	program := func(wanted api.KeyNew) *client.Client {
		made, err := rowan.CreateKey(ctx, "lindenmere", api.ServiceAccountKind, name, wanted)
		require.NoError(t, err)
		c, err := client.OpenByKey(b.Address, client.APIKey{ID: made.Key.Id, Secret: made.Secret})
		require.NoError(t, err)
		return c
	}
	grant := api.GrantNew{Principal: user("sefa"), Role: "access-manager"}
	everyday := program(api.KeyNew{Label: "everyday"})
	p := testbed.Problem(t, 403, client.Done(everyday.CreateGrant(ctx, alpine, grant)))
	require.Contains(t, p.Detail, "this API key was not made for governing")
	require.NoError(t, client.Done(everyday.ShowScope(ctx, alpine)))

	governing := program(api.KeyNew{Label: "governing", Governs: true})
	require.NoError(t, client.Done(governing.CreateGrant(ctx, alpine, grant)))
	for _, c := range []*client.Client{everyday, governing} {
		testbed.Problem(t, 403, client.Done(c.CreateOwnKey(ctx, api.KeyNew{Label: "another"})))
	}

	// A key that ends makes none that go on.
	ends := b.Clock.Now().Add(time.Hour).UTC().Truncate(time.Second)
	require.NoError(t, client.Done(rowan.CreateServiceAccount(ctx, alpine, api.AccountNew{Name: "printer"})))
	passing := program(api.KeyNew{Label: "passing", Governs: true, Until: ends})
	issue := func(until time.Time) error {
		return client.Done(passing.CreateKey(ctx, "lindenmere", api.ServiceAccountKind, alpine+"/printer", api.KeyNew{Until: until}))
	}
	for _, until := range []time.Time{{}, ends.Add(time.Minute)} {
		require.Contains(t, testbed.Problem(t, 403, issue(until)).Detail, "the key would outlast the one you act by")
	}
	require.NoError(t, issue(ends))
}

// TestWhoSeesTheLinkOfAnInvitation has somebody who may create users, and holds nothing that a guest is to get, ask for the link.
func TestWhoSeesTheLinkOfAnInvitation(t *testing.T) {
	b := testbed.InMemory(t)
	b.Grant(t, "people-manager", "user", "yuki", "lindenmere")
	rowan, yuki, ctx := b.As(t, "rowan@lindenmere"), b.As(t, "yuki@lindenmere"), t.Context()
	const wren = "wren@meadowside.example"
	made, err := rowan.InviteGuest(ctx, "lindenmere", api.GuestNew{Email: wren, Grants: []api.FirstGrant{{Scope: alpine, Role: "steward"}}})
	require.NoError(t, err)
	require.Zero(t, made.Link.Url, "a link goes to whom it is for")
	again := func(who *client.Client, reveal bool) (api.LinkMade, error) {
		return who.ResendInvitation(ctx, "lindenmere", api.GuestKind, wren, &api.ResendInvitationParams{Reveal: reveal})
	}
	_, err = again(yuki, true)
	require.Contains(t, testbed.Problem(t, 403, err).Detail, "guest "+wren+" holds")
	link, err := again(yuki, false)
	require.NoError(t, err, "a letter to the guest tells yuki nothing")
	require.Zero(t, link.Url)
	link, err = again(rowan, false)
	require.NoError(t, err)
	require.Zero(t, link.Url)
	link, err = again(rowan, true)
	require.NoError(t, err)
	require.Contains(t, link.Url, "/#/link/")
	b.Clock.Forward(credential.ProofFor)
	_, err = again(rowan, true)
	require.Equal(t, "proof-needed", kind(t, err))

	// Withdrawn stays withdrawn for who may not give it.
	require.NoError(t, client.Done(rowan.SetState(ctx, "lindenmere", api.GuestKind, wren, nil, api.StateChange{State: api.StateRetired})))
	_, err = again(yuki, false)
	testbed.Problem(t, 403, err)
}
