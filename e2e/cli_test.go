package e2e

import (
	"bufio"
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// terminal runs the built arbora with a home of its own.
type terminal struct {
	t    *testing.T
	home string
}

func newTerminal(t *testing.T) terminal { return terminal{t, t.TempDir()} }

// ofDemo are the commands of arbora-demo that the tests run; all others are of arbora.
var ofDemo = []string{"loam", "serve-loam", "tour"}

func (c terminal) command(ctx context.Context, args ...string) *exec.Cmd {
	name := program
	if len(args) > 0 && slices.Contains(ofDemo, args[0]) {
		name = demoProgram
	}
	command := exec.CommandContext(ctx, name, args...)
	command.Env = append(os.Environ(), "XDG_CONFIG_HOME="+filepath.Join(c.home, "config"), "XDG_DATA_HOME="+filepath.Join(c.home, "data"))
	return command
}

// run returns the exit status and what was printed on standard output and standard error.
func (c terminal) run(input string, args ...string) (status int, out, errs string) {
	c.t.Helper()
	command := c.command(c.t.Context(), args...)
	var stdout, stderr bytes.Buffer
	command.Stdin, command.Stdout, command.Stderr = strings.NewReader(input), &stdout, &stderr
	err := command.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(c.t, err)
	}
	return command.ProcessState.ExitCode(), stdout.String(), stderr.String()
}

// must runs a command line that ends well.
func (c terminal) must(line string) string {
	c.t.Helper()
	status, out, errs := c.run("", strings.Fields(line)...)
	require.Zero(c.t, status, "arbora %s: %s%s", line, out, errs)
	return out
}

func (c terminal) signIn(name, address string) {
	c.t.Helper()
	status, out, errs := c.run(demo.Passphrase+"\n", "sign-in", name, "--server", address, "--password-from", "-")
	require.Zero(c.t, status, out+errs)
}

func TestSavedSignIns(t *testing.T) {
	b := testbed.StartDemo(t)
	c := newTerminal(t)
	status, _, errs := c.run("", "whoami")
	require.Equal(t, 4, status)
	require.Contains(t, errs, "you are not signed in: arbora sign-in NAME@ORGANISATION")
	c.signIn("rowan@lindenmere", b.Address)
	c.signIn("ines@lindenmere", b.Address)
	info, err := os.Stat(filepath.Join(c.home, "config", "arbora", "sign-ins.json"))
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	require.Contains(t, c.must("whoami"), "ines@lindenmere")
	require.Contains(t, c.must("--with rowan@lindenmere whoami"), "Rowan Ashdown")
	c.must("sign-ins --default rowan@lindenmere")
	require.Contains(t, c.must("whoami"), "rowan@lindenmere")
	status, _, errs = c.run("", "--with", "rowan@lindenmire", "whoami")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "did you mean rowan@lindenmere?")
	c.must("--with ines@lindenmere sign-out")
	require.NotContains(t, c.must("sign-ins"), "ines@lindenmere")

	status, _, errs = c.run("a wrong guess\n", "sign-in", "rowan@lindenmere", "--server", b.Address, "--password-from", "-")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "the name or the password is wrong")
	status, _, errs = c.run("", "sign-in", "rowan@lindenmere", "--server", "http://127.0.0.1:1", "--password-from", "-")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "cannot be reached")
}

func TestOutputForms(t *testing.T) {
	b := testbed.StartDemo(t)
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)

	var fromJSON, fromYAML api.GrantList
	var list []api.Grant
	require.NoError(t, json.Unmarshal([]byte(c.must("-o json grant list lindenmere/shared-services")), &list))
	require.Equal(t, "operator", list[0].Role)
	require.False(t, list[0].Inherited)
	require.True(t, list[1].Inherited)
	fromJSON.Grants = list
	require.NoError(t, yaml.Unmarshal([]byte(c.must("--output yaml grant list lindenmere/shared-services")), &fromYAML.Grants))
	require.Equal(t, fromJSON.Grants[0].Id, fromYAML.Grants[0].Id)
	rows, err := csv.NewReader(strings.NewReader(c.must("-o csv grant list lindenmere/shared-services"))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, []string{"Kind", "Who", "State", "Role", "Privileged", "At", "If", "From", "Until", "Ended", "Misplaced", "Reason", "Granted", "By", "Grant"}, rows[0])
	require.Len(t, rows, 1+len(list))

	rows, err = csv.NewReader(strings.NewReader(c.must("-o csv tree lindenmere/science"))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, "lindenmere/science", rows[1][0])
	for line, says := range map[string]string{
		"tree lindenmere/visitors":                  "├─ ticketing",
		"scope list lindenmere":                     "shared-services",
		"scope show " + vault:                       "care=high",
		"user list":                                 "tomas@lindenmere.example",
		"user show ines":                            "seed-curators (and through them curators)",
		"group list":                                "Herbarium digitisers",
		"group show curators":                       "group herbarium-digitisers, group seed-curators",
		"role list":                                 "content-keeper",
		"role show content-reader":                  "list, fetch",
		"check edit folder --at lindenmere/science": "Yes, rowan may edit folder",
		"grant create builder --group seed-curators --at " + trial + " --preview": "1 person would gain access. Nothing was changed.",
		"group remove internal-audit --user oona --preview":                       "1 person would lose access",
		"reach --group internal-audit":                                            "auditor for group internal-audit",
		"holders edit project --at " + trial:                                      "maeve",
		"role list --privileged --search access":                                  "access-manager",
		"role list --service storage --plane data":                                "content-writer",
		"role compare builder operator":                                           "only in builder",
		"role find fetch object, list object":                                     "content-reader   0",
		"role find fetch object, start machine":                                   "No single role holds all of it",
		"catalogue":                                                               "object",
		"catalogue bucket":                                                        "storage-builder",
		"completion bash":                                                         "arbora",
	} {
		t.Run(line, func(t *testing.T) {
			require.Contains(t, c.must(line), says, line)
		})
	}
	status, out, _ := c.run("", "-o", "json", "check", "edit", "bucket", "--user", "piotr", "--at", "lindenmere/science/herbarium/digitising/scans.bucket")
	require.Equal(t, 3, status, "the answer is no")
	var answer api.Answer
	require.NoError(t, json.Unmarshal([]byte(out), &answer))
	require.False(t, answer.Allowed)
}

// TestMistypedCommandLines reads what a wrong command line gets: exit status 2 when it cannot be run at all.
func TestMistypedCommandLines(t *testing.T) {
	b := testbed.StartDemo(t)
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	for _, m := range []struct {
		line   string
		status int
		says   string
	}{
		{"grnat list", 2, `arbora has no command "grnat": did you mean grant?`},
		{"grant lst", 2, `did you mean list?`},
		{"-o xml tree", 2, "--output xml is not known: use table, json, yaml or csv"},
		{"tree --dept 3", 2, "dept"},
		{"scope create lindenmere/x", 2, "say with --kind whether x is a folder, project or compartment"},
		{"scope create fernhill --kind organisation", 2, "write the address from the organisation down"},
		{"scope create lindenmere/x --kind foldr", 1, "use one of folder, project"},
		{"grant create observer --at lindenmere", 2, "say who with --user NAME, --group NAME"},
		{"grant create observer --user tomas --user bram --at lindenmere", 1, "change 2 of 2: there is no user bram"},
		{"grant revoke observer --user tomas --at lindenmere", 1, "user tomas does not hold observer at lindenmere"},
		{"check edit bucket --user rowan --group curators --at lindenmere", 2, "--user and --group cannot be used together"},
		{"reach --user tomas --user ines", 2, "--user is given 2 times, and arbora reach takes one"},
		{"group create crews --owner tomas --owner-group seed-curators", 2, "--owner and --owner-group cannot be used together"},
		{"key create --user rowan --service-account " + digitising + "/label-indexer", 2, "--user and --service-account cannot be used together"},
		{"session list --user tomas --guest x@y", 2, "cannot be used together"},
		{"user create nils --temporary --sign-in-by key", 2, "--temporary is about a password"},
		{"grant revoke 0192a1b2-0000-7000-8000-000000000000 --user tomas --at lindenmere", 2, "an id names one grant"},
		{"grant create observer --user tomas --at lindenmere --preview --confirm 1.x", 2, "--preview and --confirm cannot be used together"},
		{"grant create observer --user tomas", 2, "at"},
		{"grant revoke observer", 2, "take one from arbora grant list"},
		{"grant revoke steward --user rowan --at lindenmere/science", 1, "from lindenmere: revoke it there"},
		{"check describe --at lindenmere", 2, "arbora check takes OPERATION and TYPE"},
		{"holders erase --at lindenmere", 2, "arbora holders takes OPERATION and TYPE"},
		{"holders erase objct --at lindenmere", 1, "did you mean object?"},
		{"holders create user --at " + alpine, 1, "create user means nothing at " + alpine},
		{"role find", 2, "needs the permissions wanted"},
		{"role find fetch objct", 1, "did you mean object?"},
		{"role compare builder", 2, "takes ROLE and ROLE"},
		{"role compare builder opertor", 1, "did you mean operator?"},
		{"catalogue buckt", 1, "did you mean bucket?"},
		{"reach", 2, "say who with one of --user NAME, --group NAME"},
		{"user show", 2, "takes NAME"},
		{"user show inés", 1, "there is no user"},
		{"scope show lindenmere/sience", 1, "did you mean lindenmere/science?"},
		{"group add seed-curators --group curators", 1, "that would be a circle"},
		{"organisation list", 1, "only keepers may"},
		{"init", 2, "keeper"},
		{"init --keeper x --organisation y", 1, "give both --organisation and --steward"},
		{"serve --log loud", 1, "use debug, info, warn or error"},
		{"serve --config nowhere.toml", 1, "the configuration file cannot be read"},
	} {
		t.Run(m.says, func(t *testing.T) {
			status, out, errs := c.run("", strings.Fields(m.line)...)
			require.Equal(t, m.status, status, "%s: %s%s", m.line, out, errs)
			require.Contains(t, errs, m.says, m.line)
		})
	}

	// Several grants alike are told apart, and none goes without being named.
	for _, until := range []string{"2090-01-01", "2091-01-01"} {
		status, out, errs := c.run("", "grant", "create", "observer", "--user", "tomas", "--at", alpine, "--until", until)
		require.Zero(t, status, out+errs)
	}
	status, _, errs := c.run("", "grant", "revoke", "observer", "--user", "tomas", "--at", alpine)
	require.Equal(t, 1, status)
	require.Contains(t, errs, "by 2 grants: revoke each one by its id")
	require.Contains(t, errs, "until 2090-01-01")
	require.Contains(t, errs, "until 2091-01-01")
}

// startServing starts arbora serve and gives its address; what else it prints is left unread.
func startServing(t *testing.T, command *exec.Cmd) string {
	t.Helper()
	output, err := command.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, command.Start())
	first, err := bufio.NewReader(output).ReadString('\n')
	require.NoError(t, err)
	_, address, found := strings.Cut(strings.TrimSpace(first), "answers at ")
	require.True(t, found, first)
	return address
}

// serving starts arbora serve and gives its address and what stops it.
func (c terminal) serving(args ...string) (address string, stop func() string) {
	command := c.command(context.Background(), append([]string{"serve", "--listen", "127.0.0.1:0"}, args...)...)
	output, err := command.StdoutPipe()
	require.NoError(c.t, err)
	var errs bytes.Buffer
	command.Stderr = &errs
	require.NoError(c.t, command.Start())
	lines := bufio.NewReader(output)
	first, err := lines.ReadString('\n')
	require.NoError(c.t, err, errs.String())
	_, address, _ = strings.Cut(strings.TrimSpace(first), "answers at ")
	return address, func() string {
		require.NoError(c.t, command.Process.Signal(syscall.SIGTERM))
		rest, err := io.ReadAll(lines)
		require.NoError(c.t, err)
		require.NoError(c.t, command.Wait(), errs.String())
		return string(rest)
	}
}

// TestFromNothing sets up a service on a private database by command line, stops it and finds everything again.
func TestFromNothing(t *testing.T) {
	c := newTerminal(t)
	require.NoError(t, os.MkdirAll(filepath.Join(c.home, "config", "arbora"), 0o700))
	settings := filepath.Join(c.home, "config", "arbora", "arbora.toml")
	require.NoError(t, os.WriteFile(settings, []byte("data = \""+filepath.Join(c.home, "records")+"\"\nlog = \"warn\"\n"), 0o600))

	address, stop := c.serving()
	status, _, errs := c.run(demo.Passphrase+"\n", "sign-in", "rowan@lindenmere", "--server", address, "--password-from", "-")
	require.Equal(t, 1, status)
	require.Contains(t, errs, `run "arbora init" on the host`)

	status, out, errs := c.run(demo.Passphrase+"\n"+demo.Passphrase+"\n", "init", "--keeper", "warden", "--password-from", "-",
		"--organisation", "lindenmere", "--title", "Lindenmere Botanic Trust", "--steward", "rowan", "--steward-password-from", "-")
	require.Zero(t, status, out+errs)
	require.Contains(t, out, "its steward signs in as rowan@lindenmere")
	c.signIn("rowan@lindenmere", address)
	c.must("scope create lindenmere/gardens --kind folder")
	status, _, errs = c.run("", "init", "--keeper", "warden")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "there is already a keeper called warden")
	c.signIn("warden", address)
	require.Contains(t, c.must("organisation create quaywater --steward juno"), "Password, shown this once")
	require.Contains(t, c.must("organisation list"), "Lindenmere Botanic Trust")
	require.Contains(t, stop(), "Nobody has set it up yet")

	address, stop = c.serving()
	c.signIn("rowan@lindenmere", address)
	require.Contains(t, c.must("tree"), "gardens")
	stop()

	require.NoError(t, os.WriteFile(settings, []byte("listn = \"127.0.0.1:0\"\n"), 0o600))
	status, _, errs = c.run("", "serve")
	require.Equal(t, 1, status)
	require.Contains(t, errs, `line 1, column 1: there is no setting "listn"`)
	dsn := testbed.DSN(t)
	t.Setenv("ARBORA_DATABASE", dsn)
	require.NoError(t, os.Remove(settings))
	_, stop = c.serving()
	require.Contains(t, stop(), "Nobody has set it up yet", "the environment names another database")
}

// TestTour walks the story by command line.
func TestTour(t *testing.T) {
	status, out, errs := newTerminal(t).run("", "tour")
	require.Zero(t, status, out+errs)
	require.Contains(t, out, "The tour holds")
	for number := range 16 {
		require.Contains(t, out, fmt.Sprintf("\n%d. ", number+1), "a step of the story is missing")
	}
}

// TestQuickStart runs the commands of docs/quick-start.md, from an empty installation to the first grant that is tried.
func TestQuickStart(t *testing.T) {
	page, err := os.ReadFile("../docs/quick-start.md")
	require.NoError(t, err)
	var lines []string
	for line := range strings.Lines(string(page)) {
		if line = strings.TrimSpace(line); strings.HasPrefix(line, "arbora ") {
			lines = append(lines, strings.TrimPrefix(line, "arbora "))
		}
	}
	require.Len(t, lines, 10)
	c := newTerminal(t)
	records := filepath.Join(c.home, "records")
	require.True(t, strings.HasPrefix(lines[0], "init --data ./records "))
	status, out, errs := c.run(demo.Passphrase+"\n"+demo.Passphrase+"\n", append(strings.Fields(strings.Replace(lines[0], "./records", records, 1)), "--password-from", "-", "--steward-password-from", "-")...)
	require.Zero(t, status, out+errs)
	require.Equal(t, "serve --data ./records", lines[1])
	require.NoError(t, os.MkdirAll(filepath.Join(c.home, "config", "arbora"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(c.home, "config", "arbora", "arbora.toml"), []byte("data = \""+records+"\"\nlog = \"warn\"\n"), 0o600))
	address, stop := c.serving()
	defer stop()
	require.Equal(t, "sign-in rowan@lindenmere", lines[2])
	c.signIn("rowan@lindenmere", address)
	for _, line := range lines[3:9] {
		status, out, errs := c.run("", strings.Fields(strings.ReplaceAll(line, `"Tomas Lindqvist"`, "Tomas"))...)
		require.Zero(t, status, "%s: %s%s", line, out, errs)
	}
	require.Contains(t, c.must(lines[9]), "Yes, tomas may edit project")
}
