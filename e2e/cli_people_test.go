package e2e

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestEveryListHasItsForms runs every command that shows something in each of its forms on the demo's data.
func TestEveryListHasItsForms(t *testing.T) {
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	for _, line := range []string{
		"tree", "scope list lindenmere", "scope show " + vault, "user list", "user show ines", "guest list", "guest show juno@quaywater", "group list",
		"group show seed-people", "service-account list lindenmere", "service-account show " + digitising + "/label-indexer",
		"key list --service-account " + digitising + "/label-indexer", "key list", "session list", "switch", "settings show", "second-factor show", "whoami", "sign-ins",
		"role list", "role show builder", "role find fetch object", "grant list " + vault, "policy list lindenmere/science/herbarium", "policy search network",
		"pattern list", "catalogue", "holders erase object --at " + vault, "reach --user ines", "reach --service-account " + digitising + "/label-indexer",
		"reach --guest juno@quaywater",
	} {
		table := c.must(line)
		require.NotEmpty(t, strings.TrimSpace(table), line)
		for _, trace := range []string{"map[", "0x", "<nil>", "%!", "0001-01-01"} {
			require.NotContains(t, table, trace, line)
		}
		var value any
		require.NoError(t, json.Unmarshal([]byte(c.must("-o json "+line)), &value), line)
		require.NoError(t, yaml.Unmarshal([]byte(c.must("-o yaml "+line)), &value), line)
		rows, err := csv.NewReader(strings.NewReader(c.must("-o csv " + line))).ReadAll()
		require.NoError(t, err, line)
		require.NotEmpty(t, rows, line)
	}
}

// TestALifeByCommandLine creates somebody like somebody else, and follows them to the end and back.
func TestALifeByCommandLine(t *testing.T) {
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	out := c.must("user create linnea --like ines --but steward --tag team=seeds --email linnea@lindenmere.example --sign-in-by both --key laptop --temporary")
	for _, want := range []string{"linnea@lindenmere", "Password, shown this once", "Secret, shown this once", "In group seed-curators"} {
		require.Contains(t, out, want)
	}
	require.Contains(t, out, "As ines has it:\n  group seed-curators\n")
	require.NotContains(t, out, "steward")
	require.NotContains(t, out, "seed-people", "who is gathered by tags is not put in")
	shown := c.must("user show linnea")
	require.Contains(t, shown, "seed-people")
	require.Contains(t, shown, "password and API key")
	require.Contains(t, c.must("user edit linnea --name linnea-b --title Linnea --untag team --preview"), "Nothing was changed")
	c.must("user edit linnea --name linnea-b --untag team")
	require.NotContains(t, c.must("user show linnea-b"), "seed-people")
	require.Contains(t, c.must("user mail-password-link linnea-b"), "Mailed to linnea@lindenmere.example")
	require.Contains(t, c.must("user reset-password linnea-b"), "Password, shown this once")
	c.must("grant create observer --user linnea-b --at " + alpine)
	for _, step := range []struct {
		line   string
		status int
		says   string
	}{
		{"user suspend linnea-b --preview", 0, "1 person would lose access"},
		{"user suspend linnea-b", 0, "is suspended now"},
		{"user suspend linnea-b", 1, "it is suspended already"},
		{"grant list " + alpine, 0, "! suspended: holds nothing"},
		{"check describe project --user linnea-b --at " + alpine, 3, "linnea-b is suspended"},
		{"user retire linnea-b", 0, "arbora user hand-over linnea-b --user NAME"},
		{"user suspend linnea-b", 1, "it is retired: restore it first"},
		{"user hand-over linnea-b --user linnea-b", 1, "cannot be handed over to their own holder"},
		{"user hand-over linnea-b --user sefa --preview", 0, "1 person would gain access"},
		{"user hand-over linnea-b --user sefa", 0, "sefa"},
		{"user hand-over linnea-b --user sefa", 1, "user linnea-b has no direct grants"},
		{"user restore linnea-b", 0, "is active now"},
		{"user retire rowan --preview", 0, "would lose access"},
		{"user create rowan", 1, "there is already a user called rowan"},
		{"user create wren --link", 1, "there is no mail address to write to"},
		{"user create wren --sign-in-by key --link --email w@meadowside.example", 1, "by a link somebody chooses the first password"},
		{"user create wren --sign-in-by magic", 1, "use one of password, key"},
		{"user create wren --grant observer", 2, `write ROLE at ADDRESS`},
		{"guest invite wren@meadowside.example --group contractors --preview", 0, "1 person would gain access"},
		{"guest invite nowhere", 1, "is not a mail address"},
		{"guest invite wren@meadowside.example", 0, "pending until they accept"},
		{"guest invite wren@meadowside.example", 1, "there is already a guest wren"},
		{"group show contractors", 0, "juno@quaywater"},
		{"group add contractors --guest wren@meadowside.example", 0, "is now in contractors"},
		{"group show contractors", 0, "wren@meadowside.example (! pending)"},
		{"guest resend wren@meadowside.example", 0, "The earlier link no longer works."},
		{"guest retire wren@meadowside.example", 0, "is retired now"},
		{"guest restore wren@meadowside.example", 1, "never accepted the invitation"},
		{"service-account create " + digitising + "/label-counter", 0, "It holds nothing yet"},
		{"service-account retire " + digitising + "/label-counter", 0, "is retired now"},
		{"key create --service-account " + digitising + "/label-counter --until 2001-01-01", 1, "the end of the key is in the past"},
		{"key create", 1, "does not sign in by API keys"},
		{"key revoke nonsense", 1, "there is no key nonsense"},
		{"group create weeders --owner ines --gathers team", 1, "line 1"},
		{"settings change --keys-each 5 --forbid-public", 0, "forbidden"},
		{"settings change --keys-each 99", 1, "--keys-each must be at most 20"},
		{"--confirm nonsense grant create observer --set public --at " + alpine, 1, "which the settings of the organisation forbid"},
		{"switch fernhill", 1, "you are known in lindenmere"},
		{"accept nonsense", 2, "is not a link from Arbora"},
		{"accept " + b.Address + "/#/link/nonsense", 6, "this link no longer works"},
	} {
		t.Run(step.says, func(t *testing.T) {
			status, out, errs := c.run("", strings.Fields(step.line)...)
			require.Equal(t, step.status, status, "%s: %s%s", step.line, out, errs)
			require.Contains(t, out+errs, step.says, step.line)
		})
	}
}

// TestSecondFactorByCommandLine sets one up and signs in by it.
func TestSecondFactorByCommandLine(t *testing.T) {
	b := testbed.StartDemo(t)
	c := newTerminal(t)
	c.signIn("tomas@lindenmere", b.Address)
	var seed string
	code := func() string {
		code, err := totp.GenerateCode(seed, b.Clock.Now())
		require.NoError(t, err)
		return code
	}
	// The seed is read as a device would, from a setting-up that is broken off.
	begun, err := b.As(t, "tomas@lindenmere").BeginSecondFactor(t.Context())
	require.NoError(t, err)
	require.Contains(t, c.must("second-factor show"), "no")
	status, _, errs := c.run("000000\n", "second-factor", "set-up", "--code-from", "-")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "█", "a picture for the device")
	require.NotContains(t, errs, begun.Seed, "another seed takes the place of the first")
	session := b.As(t, "tomas@lindenmere")
	fresh, err := session.BeginSecondFactor(t.Context())
	require.NoError(t, err)
	seed = fresh.Seed
	codes, err := session.ConfirmSecondFactor(t.Context(), api.FactorCode{Code: code()})
	require.NoError(t, err)
	require.Contains(t, c.must("second-factor show"), "10")

	signIn := func(code string) (int, string) {
		file := filepath.Join(c.home, "code")
		require.NoError(t, os.WriteFile(file, []byte(code+"\n"), 0o600))
		status, out, errs := c.run(demo.Passphrase+"\n", "sign-in", "tomas@lindenmere", "--server", b.Address, "--password-from", "-", "--code-from", file)
		return status, out + errs
	}
	status, _, errs = c.run(demo.Passphrase+"\n", "sign-in", "tomas@lindenmere", "--server", b.Address, "--password-from", "-")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "a code is needed in addition to the password")
	b.Clock.Forward(time.Minute)
	status, said := signIn(code())
	require.Zero(t, status, said)
	status, said = signIn(codes.Codes[0])
	require.Zero(t, status, said)
	status, said = signIn(codes.Codes[0])
	require.Equal(t, 1, status)
	require.Contains(t, said, "the code is wrong or was used already")
	status, shown := c.atATerminal([]answer{{"Password of tomas@lindenmere:", demo.Passphrase}, {"Code of your second factor:", codes.Codes[1]}}, "sign-in", "tomas@lindenmere", "--server", b.Address)
	require.Zero(t, status, shown)
	require.NotContains(t, shown, codes.Codes[1], "what is typed is not shown")
	status, _, errs = c.run(demo.Passphrase+"\n", "second-factor", "remove", "--password-from", "-")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "a code is needed in addition to the password", "a session and its password are not enough")
	file := filepath.Join(c.home, "code")
	require.NoError(t, os.WriteFile(file, []byte(codes.Codes[2]+"\n"), 0o600))
	status, out, errs := c.run(demo.Passphrase+"\n", "second-factor", "remove", "--password-from", "-", "--code-from", file)
	require.Zero(t, status, out+errs)
	c.signIn("tomas@lindenmere", b.Address)
}
