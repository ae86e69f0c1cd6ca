package e2e

import (
	"bufio"
	"encoding/csv"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
)

// TestManyAtOnce makes people by a CSV file at the command line: a dry run with every fault, then all, their passwords in
// a file of their own.
func TestManyAtOnce(t *testing.T) {
	b := testbed.StartDemo(t)
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	file, secrets := filepath.Join(c.home, "newcomers.csv"), filepath.Join(c.home, "secrets.csv")
	write := func(text string) { require.NoError(t, os.WriteFile(file, []byte(text), 0o600)) }

	write("name,title,groups,temporary\nana,Ana,seed-curators,yes\nBen,Ben,,perhaps\ncleo,Cleo,sed-curators,\n")
	status, _, errs := c.run("", "user", "import", file, "--secrets-to", secrets)
	require.Equal(t, 1, status)
	for _, want := range []string{"line 3, column 1", "line 3, column 10", `"perhaps" is neither yes nor no`, "line 4", "did you mean seed-curators?", "nobody was created"} {
		require.Contains(t, errs, want)
	}
	require.NoFileExists(t, secrets)
	require.NotContains(t, c.must("user list"), "cleo")

	write("name,title,email,groups,grants,tags,temporary\nana,Ana Duarte,,seed-curators,observer at " + alpine + ",team=seeds,yes\ncleo,\"Cleo, the second\",cleo@lindenmere.example,seed-curators; contractors,,,\n")
	require.Contains(t, c.must("user import "+file+" --preview"), "2 users would be created")
	require.NotContains(t, c.must("user list"), "cleo")
	out := c.must("user import " + file + " --secrets-to " + secrets)
	require.Contains(t, out, "Created 2 users")
	info, err := os.Stat(secrets)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	text, err := os.ReadFile(secrets)
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, []string{"name", "sign-in", "address", "password"}, rows[0])
	require.NotContains(t, out, rows[1][3])
	ana, err := demo.SignIn(t.Context(), b.Address, rows[1][1], rows[1][3])
	require.NoError(t, err)
	me, err := ana.GetSession(t.Context())
	require.NoError(t, err)
	require.True(t, me.ChoosePassword)
	require.Contains(t, c.must("user show cleo"), "Cleo, the second")
	told := c.must("audit --event imported")
	require.Contains(t, told, "created user ana")
	require.Contains(t, told, "created user ana in seed-curators with observer at "+alpine)
	require.Contains(t, told, "created user cleo")
	status, _, errs = c.run("", "user", "import", file, "--secrets-to", secrets)
	require.Equal(t, 1, status)
	require.Contains(t, errs, "there is already a user called ana")
}

// TestSignInsOfPrograms signs in at the command line by an API key and by a browser, and reads the exit status of each
// credential that does not work.
func TestSignInsOfPrograms(t *testing.T) {
	b := testbed.StartDemo(t)
	key := machine(t, b, "label-indexer")
	b.Grant(t, "observer", "service-account", digitising+"/label-indexer", digitising)
	c := newTerminal(t)
	status, out, errs := c.run(key.Secret+"\n", "sign-in", "--key", key.Key.Id, "--secret-from", "-", "--save-as", "indexer", "--server", b.Address)
	require.Zero(t, status, out+errs)
	require.Contains(t, c.must("tree"), "digitising")
	require.Contains(t, c.must("check describe compartment --at "+digitising), "Yes")
	b.Clock.Forward(time.Hour)
	require.Contains(t, c.must("--with indexer whoami"), "service-account", "a token that ended is got anew")
	require.NoError(t, b.As(t, "rowan@lindenmere").WithdrawKey(t.Context(), key.Key.Id))
	status, _, errs = c.run("", "whoami")
	require.Equal(t, 6, status)
	require.Contains(t, errs, "the API key was revoked")

	waiting := c.command(t.Context(), "sign-in", "--server", b.Address)
	told, err := waiting.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, waiting.Start())
	lines := bufio.NewScanner(told)
	var code string
	for code == "" && lines.Scan() {
		code = regexp.MustCompile(`^\s+(\w{4}-\w{4})$`).FindString(lines.Text())
	}
	tomas := b.As(t, "tomas@lindenmere")
	require.NoError(t, tomas.DecideDevice(t.Context(), api.DeviceDecision{Code: code, Allow: true}))
	for lines.Scan() { // to the end, so that it is not kept from writing
	}
	require.NoError(t, waiting.Wait())
	require.Contains(t, c.must("--with tomas@lindenmere whoami"), "Tomas Lindqvist")
	b.Clock.Forward(credential.SessionIdle)
	status, _, errs = c.run("", "--with", "tomas@lindenmere", "whoami")
	require.Equal(t, 5, status)
	require.Contains(t, errs, "your session has expired")
	other := testbed.StartDemo(t)
	c.signIn("rowan@lindenmere", b.Address)
	saved := filepath.Join(c.home, "config", "arbora", "sign-ins.json")
	text, err := os.ReadFile(saved)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(saved, []byte(strings.ReplaceAll(string(text), b.Address, other.Address)), 0o600))
	status, _, errs = c.run("", "--with", "rowan@lindenmere", "whoami")
	require.Equal(t, 7, status)
	require.Contains(t, errs, "this service does not know your session")
}
