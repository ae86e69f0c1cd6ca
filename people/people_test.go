package people_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/people"
)

func TestSignInNames(t *testing.T) {
	for text, want := range map[string]people.SignIn{
		"rowan@lindenmere": {Name: "rowan", Organisation: "lindenmere"},
		" bram@quaywater ": {Name: "bram", Organisation: "quaywater"},
		"warden":           {Name: "warden"},
	} {
		got, err := people.ParseSignIn(text)
		require.NoError(t, err)
		require.Equal(t, want, got)
		require.Equal(t, strings.TrimSpace(text), got.String())
	}
	outside, err := people.ParseSignIn("Juno.May@Quaywater.example")
	require.NoError(t, err)
	require.Equal(t, people.SignIn{Name: "juno.may@quaywater.example"}, outside, "a guest from outside, by mail address")
	for _, bad := range []string{"juno", "juno@quaywater", "ju no@quaywater.example", "juno@quaywater.", "juno@.example", "<juno@quaywater.example>"} {
		_, err := people.ParseAddress(bad)
		require.ErrorContains(t, err, "is not a mail address", bad)
	}
	for _, bad := range []string{"", "@lindenmere", "rowan@", "Rowan@lindenmere", "rowan@linden mere", "a@b@c"} {
		_, err := people.ParseSignIn(bad)
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
		require.ErrorContains(t, people.CheckPassword(password, "bram", "Bram de Wolff", "lindenmere"), says, password)
	}
	for _, good := range []string{"nine quiet greenhouse mice", "påfågel-över-tjärnen"} {
		require.NoError(t, people.CheckPassword(good, "bram", "Bram de Wolff"))
	}
}

func TestGeneratedPasswordsAreGoodAndDiffer(t *testing.T) {
	seen := map[string]bool{}
	for range 100 {
		p := people.GeneratePassword()
		require.NoError(t, people.CheckPassword(p))
		require.Regexp(t, `^([0-9a-hjkmnp-tv-z]{4}-){4}[0-9a-hjkmnp-tv-z]{4}$`, p)
		require.False(t, seen[p])
		seen[p] = true
	}
}

func TestHashesMatchTheirPasswordOnly(t *testing.T) {
	hash, err := people.HashPassword(t.Context(), "nine-quiet-greenhouse-mice")
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(hash, "$argon2id$"))
	for password, want := range map[string]bool{"nine-quiet-greenhouse-mice": true, "nine-quiet-greenhouse-mouse": false, "": false} {
		got, err := people.PasswordMatches(t.Context(), password, hash, "192.0.2.0/24")
		require.NoError(t, err)
		require.Equal(t, want, got)
	}
	got, err := people.PasswordMatches(t.Context(), "", "", "192.0.2.0/24")
	require.NoError(t, err)
	require.False(t, got, "nobody has an empty password")
}

func TestSessions(t *testing.T) {
	start := time.Date(2026, 11, 25, 8, 0, 0, 0, time.UTC)
	var usual people.Demands
	require.Equal(t, start.Add(people.SessionIdle), usual.SessionEnd(start, start))
	late := start.Add(people.SessionLifetime - time.Minute)
	require.Equal(t, start.Add(people.SessionLifetime), usual.SessionEnd(start, late), "work does not prolong a session for ever")
	short := people.Demands{Life: 30}
	require.Equal(t, start.Add(30*time.Minute), short.SessionEnd(start, start), "an idle one lasts no longer")
	require.Equal(t, start.Add(40*time.Minute), people.Demands{Idle: 10}.SessionEnd(start, start.Add(30*time.Minute)))
	require.Equal(t, start.Add(48*time.Hour), people.Demands{Idle: 1440, Life: 2880}.SessionEnd(start, start.Add(47*time.Hour)))

	token := people.NewToken()
	require.NotEqual(t, token, people.NewToken())
	require.Equal(t, token.CSRF(), token.CSRF())
	require.NotContains(t, token.CSRF(), string(token))
}

func TestStates(t *testing.T) {
	allowed := map[people.State][]people.State{
		people.Pending: {people.Retired}, people.Active: {people.Suspended, people.Retired},
		people.Suspended: {people.Active, people.Retired}, people.Retired: {people.Active},
	}
	states := []people.State{people.Pending, people.Active, people.Suspended, people.Retired}
	for _, from := range states {
		for _, to := range states {
			require.Equal(t, slices.Contains(allowed[from], to), people.CheckStep(from, to) == nil, "%s to %s", from, to)
		}
	}
}

func TestGuessingIsSlowedDown(t *testing.T) {
	require.Zero(t, people.Delay(4))
	for n := 5; n < people.LockAfter; n++ {
		require.Greater(t, people.Delay(n), people.Delay(n-1))
	}
	require.Equal(t, people.LockFor, people.Delay(people.LockAfter))
	require.Equal(t, people.LockFor, people.Delay(1000))
}

func TestDemands(t *testing.T) {
	for _, c := range []struct {
		demands people.Demands
		wrong   string // empty for what may be demanded
	}{
		{people.Demands{}, ""},
		{people.Demands{Idle: 5, Life: 10080, Networks: []string{"192.0.2.0/24", "2001:db8::/48", "198.51.100.7/32"}, Factors: people.AllFactors}, ""},
		{people.Demands{Factors: []people.Factor{"voice"}}, "name code, passkey or both"},
		{people.Demands{Idle: 4}, "idle sessions may last from 5 minutes to 1440"},
		{people.Demands{Idle: 1441}, "idle sessions may last from 5 minutes to 1440"},
		{people.Demands{Life: 4}, "sessions may last from 5 minutes to 10080"},
		{people.Demands{Life: -1}, "sessions may last"},
		{people.Demands{Networks: []string{"192.0.2.7"}}, `"192.0.2.7" is not a network`},
		{people.Demands{Networks: []string{"192.0.2.7/24"}}, "write 192.0.2.0/24"},
		{people.Demands{Networks: make([]string, 51)}, "50 networks at most"},
	} {
		if err := c.demands.Check(); c.wrong == "" {
			require.NoError(t, err)
		} else {
			require.ErrorContains(t, err, c.wrong)
		}
	}
	some := people.Demands{Networks: []string{"192.0.2.0/24", "2001:db8::/48"}}
	for address, admitted := range map[string]bool{
		"192.0.2.9": true, "::ffff:192.0.2.9": true, "192.0.3.9": false, "2001:db8::1": true, "2001:db8:1::1": false, "fe80::1%eth0": false, "": false, "nonsense": false,
	} {
		require.Equal(t, admitted, some.Admits(address), address)
		require.True(t, people.Demands{}.Admits(address))
	}
}
