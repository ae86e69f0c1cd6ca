package credential_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
)

func TestSignInNames(t *testing.T) {
	for text, want := range map[string]credential.SignIn{
		"rowan@lindenmere":                    {Name: "rowan", Organisation: "lindenmere"},
		" bram@quaywater ":                    {Name: "bram", Organisation: "quaywater"},
		"warden":                              {Name: "warden"},
		"ilka.varga@quaywater-sso@lindenmere": {Name: "ilka.varga@quaywater-sso", Organisation: "lindenmere"},
	} {
		t.Run(text, func(t *testing.T) {
			got, err := credential.ParseSignIn(text)
			require.NoError(t, err)
			require.Equal(t, want, got)
			require.Equal(t, strings.TrimSpace(text), got.String())
		})
	}
	outside, err := credential.ParseSignIn("Juno.May@Quaywater.example")
	require.NoError(t, err)
	require.Equal(t, credential.SignIn{Name: "juno.may@quaywater.example"}, outside, "a guest from outside, by mail address")
	for _, bad := range []string{"juno", "juno@quaywater", "ju no@quaywater.example", "juno@quaywater.", "juno@.example", "<juno@quaywater.example>"} {
		_, err := credential.ParseAddress(bad)
		require.ErrorContains(t, err, "is not a mail address", bad)
	}
	for _, bad := range []string{"", "@lindenmere", "rowan@", "Rowan@lindenmere", "rowan@linden mere", "a@b@c@d", "a@b@"} {
		_, err := credential.ParseSignIn(bad)
		require.ErrorContains(t, err, "write NAME@ORGANISATION", bad)
	}
}

func TestPasswordRules(t *testing.T) {
	for password, says := range map[string]string{
		"short":                       "use at least 15",
		strings.Repeat("long", 100):   "use at most 256",
		strings.Repeat("a", 20):       "common, or repeats itself",
		"passwordpassword":            "common, or repeats itself",
		"qwertyuiopasdfgh":            "common, or repeats itself",
		"bram-de-wolff-lindenmere":    "little more than your own names",
		"BramBramBramBramBram":        "little more than your own names",
		"nine-quiet-greenhouse-\xff-": "not valid UTF-8",
	} {
		t.Run(password, func(t *testing.T) {
			require.ErrorContains(t, credential.CheckPassword(password, "bram", "Bram de Wolff", "lindenmere"), says, password)
		})
	}
	for _, good := range []string{"nine quiet greenhouse mice", "påfågel-över-tjärnen"} {
		require.NoError(t, credential.CheckPassword(good, "bram", "Bram de Wolff"))
	}
}

func TestGeneratedPasswordsAreGoodAndDiffer(t *testing.T) {
	seen := map[string]bool{}
	for range 100 {
		p := credential.GeneratePassword()
		require.NoError(t, credential.CheckPassword(p))
		require.Regexp(t, `^([0-9a-hjkmnp-tv-z]{4}-){4}[0-9a-hjkmnp-tv-z]{4}$`, p)
		require.False(t, seen[p])
		seen[p] = true
	}
}

func TestHashesMatchTheirPasswordOnly(t *testing.T) {
	hash, err := credential.HashPassword(t.Context(), "nine-quiet-greenhouse-mice")
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(hash, "$argon2id$"))
	for password, want := range map[string]bool{"nine-quiet-greenhouse-mice": true, "nine-quiet-greenhouse-mouse": false, "": false} {
		t.Run(password, func(t *testing.T) {
			got, err := credential.PasswordMatches(t.Context(), password, hash, "192.0.2.0/24")
			require.NoError(t, err)
			require.Equal(t, want, got)
		})
	}
	got, err := credential.PasswordMatches(t.Context(), "", "", "192.0.2.0/24")
	require.NoError(t, err)
	require.False(t, got, "nobody has an empty password")
}

func TestSessions(t *testing.T) {
	start := time.Date(2026, 11, 25, 8, 0, 0, 0, time.UTC)
	var usual settings.Demands
	require.Equal(t, start.Add(credential.SessionIdle), usual.SessionEnd(start, start))
	late := start.Add(credential.SessionLifetime - time.Minute)
	require.Equal(t, start.Add(credential.SessionLifetime), usual.SessionEnd(start, late), "work does not prolong a session for ever")
	short := settings.Demands{Life: 30}
	require.Equal(t, start.Add(30*time.Minute), short.SessionEnd(start, start), "an idle one lasts no longer")
	require.Equal(t, start.Add(40*time.Minute), settings.Demands{Idle: 10}.SessionEnd(start, start.Add(30*time.Minute)))
	require.Equal(t, start.Add(48*time.Hour), settings.Demands{Idle: 1440, Life: 2880}.SessionEnd(start, start.Add(47*time.Hour)))

	token := credential.NewToken()
	require.NotEqual(t, token, credential.NewToken())
	require.Equal(t, token.CSRF(), token.CSRF())
	require.NotContains(t, token.CSRF(), string(token))
}

func TestStates(t *testing.T) {
	allowed := map[credential.State][]credential.State{
		credential.Pending: {credential.Retired}, credential.Active: {credential.Suspended, credential.Retired},
		credential.Suspended: {credential.Active, credential.Retired}, credential.Retired: {credential.Active},
	}
	states := []credential.State{credential.Pending, credential.Active, credential.Suspended, credential.Retired}
	for _, from := range states {
		for _, to := range states {
			require.Equal(t, slices.Contains(allowed[from], to), credential.CheckStep(from, to) == nil, "%s to %s", from, to)
		}
	}
}

func TestGuessingIsSlowedDown(t *testing.T) {
	require.Zero(t, credential.Delay(4))
	for n := 5; n < credential.LockAfter; n++ {
		require.Greater(t, credential.Delay(n), credential.Delay(n-1))
	}
	require.Equal(t, credential.LockFor, credential.Delay(credential.LockAfter))
	require.Equal(t, credential.LockFor, credential.Delay(1000))
}
