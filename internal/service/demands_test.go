package service_test

import (
	"errors"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestSessionsLastAsTheOrganisationDecides has sessions end earlier than by themselves, and those of people who govern earlier still.
func TestSessionsLastAsTheOrganisationDecides(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan, tomas, juno := b.As(t, "rowan@lindenmere"), b.As(t, "tomas@lindenmere"), b.As(t, "juno@quaywater")
	p := testbed.Problem(t, 400, demand(t, rowan, api.Demands{Idle: 3}, api.Demands{}))
	require.Contains(t, p.Detail, "idle sessions may last from 5 minutes")
	require.NoError(t, demand(t, rowan, api.Demands{Idle: 30}, api.Demands{Life: 50}))
	asks := func(c *client.Client) string {
		if err := client.Done(c.GetSession(ctx)); err != nil {
			return kind(t, err)
		}
		return ""
	}
	idle := b.As(t, "tomas@lindenmere")
	sessions := func() int {
		list, err := tomas.ListSessions(ctx)
		require.NoError(t, err)
		return len(list.Sessions)
	}
	require.Equal(t, 2, sessions())
	b.Clock.Forward(20 * time.Minute)
	require.Empty(t, asks(rowan))
	require.Empty(t, asks(tomas))
	b.Clock.Forward(20 * time.Minute)
	require.Equal(t, "expired", asks(idle), "nobody used it for half an hour")
	require.Empty(t, asks(tomas))
	require.Equal(t, 1, sessions(), "nor is it listed")
	require.Empty(t, asks(rowan))
	b.Clock.Forward(11 * time.Minute)
	require.Equal(t, "expired", asks(rowan), "who governs signs in again after 50 minutes")
	require.Empty(t, asks(tomas), "who does not goes on")
	require.Empty(t, asks(juno), "and elsewhere nothing was decided")
	me, err := b.As(t, "rowan@lindenmere").GetSession(ctx)
	require.NoError(t, err)
	require.Equal(t, 30*time.Minute, me.EndsAt.Sub(b.Clock.Now()).Round(time.Minute))
}

// TestPeopleWorkFromTheNetworksOfTheOrganisation tries to come in from elsewhere by all that people come in with.
func TestPeopleWorkFromTheNetworksOfTheOrganisation(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan := b.As(t, "rowan@lindenmere")
	for networks, wrong := range map[string]string{"192.0.2.0/24": "your address 127.0.0.1 is in none of these networks", "192.0.2.7/24": "write 192.0.2.0/24"} {
		t.Run(networks, func(t *testing.T) {
			require.ErrorContains(t, demand(t, rowan, api.Demands{}, api.Demands{Networks: []string{networks}}), wrong)
		})
	}
	require.NoError(t, client.Done(rowan.CreateServiceAccount(ctx, digitising, api.AccountNew{Name: "onboarding"})))
	keyOf := func(kind api.PrincipalKind, name string) api.KeyMade {
		made, err := rowan.CreateKey(ctx, "lindenmere", kind, name, api.KeyNew{})
		require.NoError(t, err)
		return made
	}
	both := api.ByBoth
	require.NoError(t, client.Done(rowan.CreateUser(ctx, "lindenmere", api.UserNew{Name: "wren", SignInBy: both, Password: demo.Passphrase})))
	program, person := keyOf(api.ServiceAccountKind, digitising+"/onboarding"), keyOf(api.UserKind, "wren")
	token := b.Token(t, "tomas@lindenmere")
	require.NoError(t, demand(t, rowan, api.Demands{Networks: []string{"127.0.0.0/29"}}, api.Demands{Networks: []string{"127.0.0.1/32"}}))

	// at gives how a request is answered that comes from an address of this machine.
	at := func(address string, ask func(*client.Client) (api.Session, error), token string) int {
		c, err := client.Open(b.Address, token, client.WithHTTPClient(caller(address)))
		require.NoError(t, err)
		_, err = ask(c)
		var problem *client.Error
		if errors.As(err, &problem) {
			return problem.Status
		}
		require.NoError(t, err)
		return 200
	}
	signIn := func(name, address string) int {
		return at(address, func(c *client.Client) (api.Session, error) {
			return c.SignIn(ctx, api.SignIn{Name: name, Password: demo.Passphrase, Token: true})
		}, "")
	}
	show := func(key api.KeyMade, address string) int {
		r, err := http.NewRequestWithContext(ctx, http.MethodPost, b.Address+"/oauth/token", strings.NewReader("grant_type=client_credentials"))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.SetBasicAuth(key.Key.Id, key.Secret)
		response, err := caller(address).Do(r)
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		return response.StatusCode
	}
	require.Equal(t, 200, signIn("tomas@lindenmere", "127.0.0.2"))
	require.Equal(t, 401, signIn("tomas@lindenmere", "127.0.0.9"))
	require.Equal(t, 401, signIn("rowan@lindenmere", "127.0.0.2"), "who governs works from fewer")
	require.Equal(t, 200, signIn("juno@quaywater", "127.0.0.9"), "elsewhere nothing was decided")
	for address, status := range map[string]int{"127.0.0.2": 200, "127.0.0.9": 401} {
		t.Run(address, func(t *testing.T) {
			require.Equal(t, status, at(address, func(c *client.Client) (api.Session, error) { return c.GetSession(ctx) }, token), "a session taken along to %s", address)
			require.Equal(t, status, show(person, address), "a person's key at %s", address)
			require.Equal(t, 200, show(program, address), "programs run where they run")
		})
	}
}

// TestASecondFactorIsDemandedOf tells before who will have to set one up.
func TestASecondFactorIsDemandedOf(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	maeve := demandSecondFactor(t, b)
	wanted := api.SettingsEdit{Settings: api.Settings{KeysEach: 3, Everybody: api.Demands{Factors: anyFactor}}}
	written, err := maeve.ChangeSettings(ctx, "lindenmere", &api.ChangeSettingsParams{Preview: true}, wanted)
	require.NoError(t, err)
	require.Contains(t, written.Impact.Warnings, "6 people have neither a second factor nor a passkey and can do nothing before they set one up: ines, oona, piotr, sefa, tomas, yuki.")
	waits := func() bool {
		me, err := b.As(t, "tomas@lindenmere").GetSession(ctx)
		require.NoError(t, err)
		return len(me.WantedFactors) > 0
	}
	require.False(t, waits(), "it was a preview")
	require.NoError(t, client.Done(maeve.ChangeSettings(ctx, "lindenmere", nil, wanted)))
	require.True(t, waits())
}
