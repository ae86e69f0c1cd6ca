package service_test

import (
	"flag"
	"fmt"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
)

// life is what a naive reading of the rules says about one person's credentials.
type life struct {
	name     string
	password string
	state    api.State
	sessions []*opened
	keys     []*opened
	tokens   []*opened
}

// opened is a credential: it works while its holder is in use, it was not ended, and what it was made of works.
type opened struct {
	secret string
	key    api.KeyMade
	of     *opened // the key of an access token
	until  time.Time
	ended  bool
}

func (l *life) works(c *opened, now time.Time) bool {
	return l.state == api.StateActive && !c.ended && (c.of == nil || !c.of.ended) && (c.until.IsZero() || now.Before(c.until))
}

// TestCredentialsFollowTheRules does things to people and their credentials at random, and after each holds every
// credential there is against a naive model.
func TestCredentialsFollowTheRules(t *testing.T) {
	before := flag.Lookup("rapid.checks").Value.String()
	require.NoError(t, flag.Set("rapid.checks", "25")) // each is a life over HTTP
	t.Cleanup(func() { require.NoError(t, flag.Set("rapid.checks", before)) })
	b := testbed.InMemory(t)
	born := 0
	rapid.Check(t, func(r *rapid.T) {
		born++
		l := &life{name: fmt.Sprint("somebody-", born), password: demo.Passphrase, state: api.StateActive}
		rowan := b.As(t, "rowan@lindenmere")
		both := api.ByBoth
		require.NoError(t, client.Done(rowan.CreateUser(t.Context(), "lindenmere", api.UserNew{Name: l.name, Password: l.password, SignInBy: both})))
		for range rapid.IntRange(3, 14).Draw(r, "steps") {
			l.step(t, r, b, rowan)
			l.compare(t, b)
		}
	})
}

// prove returns a fresh proof, which issuing and taking back keys takes.
func prove(t *testing.T, who *client.Client) {
	t.Helper()
	require.NoError(t, who.ProveSession(t.Context(), api.Proof{Password: demo.Passphrase}))
}

// endKeys has all keys end for good.
func (l *life) endKeys() {
	for _, k := range l.keys {
		k.ended = true
	}
}

func (l *life) step(t *testing.T, r *rapid.T, b *testbed.Bed, rowan *client.Client) {
	draw := func(of []*opened, what string) *opened {
		if len(of) == 0 {
			return nil
		}
		return of[rapid.IntRange(0, len(of)-1).Draw(r, what)]
	}
	switch rapid.SampledFrom([]string{"sign in", "sign in", "issue", "issue", "turn", "turn", "withdraw", "revoke", "end", "reset", "state", "state", "wait"}).Draw(r, "do") {
	case "sign in":
		if l.state != api.StateActive {
			return // each try would count as a guess
		}
		s, err := with(t, b, "").SignIn(t.Context(), api.SignIn{Name: l.name + "@lindenmere", Password: l.password, Token: true})
		require.NoError(t, err)
		if !s.ChoosePassword {
			l.sessions = append(l.sessions, &opened{secret: s.Token})
		}
	case "issue":
		prove(t, rowan)
		alive := 0
		for _, k := range l.keys {
			if !k.ended {
				alive++
			}
		}
		made, err := rowan.CreateKey(t.Context(), "lindenmere", api.UserKind, l.name, api.KeyNew{})
		require.Equal(t, alive < 3, err == nil, "three keys at a time")
		if err == nil {
			l.keys = append(l.keys, &opened{key: made})
		}
	case "turn":
		if k := draw(l.keys, "key"); k != nil && l.works(k, b.Clock.Now()) {
			l.tokens = append(l.tokens, &opened{secret: accessToken(t, b, k.key), of: k, until: b.Clock.Now().Add(credential.TokenLifetime)})
		}
	case "withdraw":
		if k := draw(l.keys, "key"); k != nil && !k.ended {
			prove(t, rowan)
			require.NoError(t, rowan.WithdrawKey(t.Context(), k.key.Key.Id))
			k.ended = true
		}
	case "revoke":
		// A revocation that was answered counts, even of somebody who is out of use for now.
		if token := draw(l.tokens, "token"); token != nil && !token.of.ended {
			status, _ := form(t, b.Address+"/oauth/revocation", &token.of.key, url.Values{"token": {token.secret}})
			require.Equal(t, 200, status)
			token.ended = true
		}
	case "end":
		if s := draw(l.sessions, "session"); s != nil && l.works(s, b.Clock.Now()) {
			require.NoError(t, with(t, b, s.secret).SignOut(t.Context()))
			s.ended = true
		}
	case "reset":
		made, err := rowan.ResetPassword(t.Context(), "lindenmere", api.UserKind, l.name, nil)
		require.NoError(t, err)
		l.password = made.Password
		l.endSessions()
		l.endKeys()
	case "state":
		to := rapid.SampledFrom([]api.State{api.StateActive, api.StateSuspended, api.StateRetired}).Draw(r, "state")
		err := client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, l.name, nil, api.StateChange{State: to}))
		require.Equal(t, credential.CheckStep(credential.State(l.state), credential.State(to)) == nil, err == nil, "%s to %s", l.state, to)
		if err == nil {
			if l.state = to; to != api.StateActive {
				l.endSessions()
			}
			if to == api.StateRetired {
				l.endKeys()
			}
		}
	case "wait":
		b.Clock.Forward(credential.TokenLifetime / 2)
	}
}

func (l *life) endSessions() {
	for _, s := range l.sessions {
		s.ended = true
	}
}

// compare tries every credential.
func (l *life) compare(t *testing.T, b *testbed.Bed) {
	t.Helper()
	now := b.Clock.Now()
	for what, list := range map[string][]*opened{"session": l.sessions, "access token": l.tokens} {
		for i, c := range list {
			if !c.until.IsZero() && now.Sub(c.until).Abs() < time.Minute {
				continue // about to end: the service may see another moment
			}
			err := client.Done(with(t, b, c.secret).GetSession(t.Context()))
			require.Equal(t, l.works(c, now), err == nil, "%s %d of %s, who is %s: %v", what, i, l.name, l.state, err)
		}
	}
	for i, k := range l.keys {
		status, answer := form(t, b.Address+"/oauth/token", &k.key, url.Values{"grant_type": {"client_credentials"}})
		require.Equal(t, l.works(k, now), status == 200, "key %d of %s, who is %s: %v", i, l.name, l.state, answer)
	}
}
