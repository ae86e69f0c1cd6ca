package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/testbed"
)

// TestCommandLineMishaps does what once went wrong at the command line: each row is a mishap that somebody had. A word of a line that
// begins with @ is a file of the test's own.
func TestCommandLineMishaps(t *testing.T) {
	t.Parallel()
	b := testbed.StartDemo(t)
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	files := t.TempDir()
	for name, text := range map[string]string{
		"faulty.csv":   "name,groups,grants\nute,nobodies,observr at lindenmere\n",
		"few.csv":      "name;title;grants\nfinn;Finn;observer at " + alpine + " until 2090-01-31\n",
		"empty":        "\n",
		"strangers":    "signed-in may act as observer",
		"nobody":       "everyone may never do anything",
		"hours":        `seed-curators may observe tree if context.hour < 8`,
		"several":      "seed-curators and tomas may observe tree",
		"at-end":       "seed-curators may start machine in compartment bench",
		"foreign-deny": "deny seed-curators operate compute",
		"night":        `tag team is "seeds"`,
	} {
		require.NoError(t, os.WriteFile(filepath.Join(files, name), []byte(text), 0o600))
	}
	for _, m := range []struct {
		name, line string
		status     int
		says       string // in what is printed
		saysNot    string
	}{
		{"a cut locks the stewards out", "policy create shut --at lindenmere --file @nobody", 1, "nobody would be left with", ""},
		{"who governs from above cannot undo a cut", "policy create shut --at " + alpine + " --file @nobody", 0, "Created policy shut", ""},
		{"", "policy list " + alpine, 0, "shut", ""},
		{"", "policy delete shut --at " + alpine, 0, "shut", ""},
		{"several are named and the last alone counts", "group add contractors --user tomas --user sefa", 0, "tomas", ""},
		{"", "group show contractors", 0, "sefa", ""},
		{"strangers are let in unconfirmed", "policy create outsiders --at " + alpine + " --file @strangers", 1, "takes a confirmation", ""},
		{"the import misreads a grant for a time", "user import @few.csv --secrets-to @first-secrets", 0, "Created 1 user.", "1 users"},
		{"", "grant list " + alpine, 0, "until 2090-01-31", ""},
		{"an import is recorded without names", "audit --event imported", 0, "created user finn with observer at " + alpine, ""},
		{"the import tells one fault of a line, in column 1", "user import @faulty.csv --secrets-to @secrets", 1, "line 2, column 5: there is no group nobodies", ""},
		{"", "user import @faulty.csv --secrets-to @secrets", 1, `line 2, column 14: there is no role "observr": did you mean observer?` + "\n", ""},
		{"an import that failed keeps its file of secrets", "user import @few.csv --secrets-to @secrets", 1, "already", "file exists"},
		{"", "user import @few.csv --secrets-to @secrets", 1, "already", "file exists"},
		{"what is copied is told by id and without its end", "user create wren --like finn", 0, "Granted observer at " + alpine + " until 2090-01-31", ""},
		{"a grant is made that has ended", "grant create observer --user tomas --at " + alpine + " --until 2020-01-01", 1, "is in the past", ""},
		{"a gathering group has no members at first", "group create night-desk --gathers-file @night", 2, "there is no option --gathers-file", ""},
		{"an event that there is not reads as an empty log", "audit --event nosuch", 1, "use one of", ""},
		{"the log ends without a word", "audit --most 1", 0, "There are more", ""},
		{"a retired scope is refused as a lack of permission", "scope retire " + trailGuide, 0, "Retired", ""},
		{"", "scope edit " + trailGuide + " --name trails", 1, "is retired: nothing in it can be changed", "permission"},
		{"", "scope list " + strings.TrimSuffix(trailGuide, "/trail-guide"), 0, "retired", ""},
		{"", "scope create " + trailGuide + " --kind project", 1, "which is retired: restore it, or choose another name", ""},
		{"", "scope restore " + trailGuide, 0, "Restored", ""},
		{"a new name is not told", "scope edit " + trailGuide + " --name trails", 0, "/trails", ""},
		{"", "undo", 0, "Undid", ""},
		{"ornaments stand in CSV", "-o csv tree lindenmere --depth 1", 0, "lindenmere/gardens,folder,Gardens,active,true", "…"},
		{"", "-o csv grant list lindenmere", 0, "user,rowan,active,steward,true,lindenmere,", "(privileged)"},
		{"the service's own bounds are told in the library's words", "settings change --keys-each 0", 1, "--keys-each must be at least 1", "openapi"},
		{"", "tree --depth -3", 1, "--depth must be at least 0", "openapi"},
		{"a command that there is not has no help", "user bogus --help", 2, `arbora user has no command "bogus"`, "topic"},
		{"", "powershell --help", 2, `arbora has no command "powershell"`, "topic"},
		{"a habit of elsewhere is not answered", "user delete tomas", 2, "use retire", ""},
		{"the place at the end is not understood", "policy read --at lindenmere --file @at-end", 1, "put it below a heading", ""},
		{"", "policy read --at lindenmere --file @foreign-deny", 1, "a statement begins with who is meant, not with deny", ""},
		{"", "policy read --at lindenmere --file @several", 1, "write a comma in place of and", ""},
		{"a common word finds no role", "role list --search read-only", 0, "observer", ""},
		{"what is open to everybody cannot be asked", "reach --set public", 0, "public reaches nothing", ""},
		{"a sign-in does not say where it failed", "sign-in nobody@lindenmere --server " + b.Address + " --password-from @empty", 1, "at " + b.Address, ""},
		{"a question without a terminal does not name its option", "sign-in rowan@lindenmere --server " + b.Address, 2, "give --password-from FILE", ""},
		{"two slashes make a scope", "scope create lindenmere//x --kind folder", 1, "", "Created"},
		{"a tag that is not there is removed", "scope tag " + alpine + " --untag nosuch", 1, "nosuch", ""},
		{"a way to sign in cannot be changed", "user edit wren --sign-in-by both", 0, "wren", ""},
		{"somebody is created who cannot sign in", "user create ute --sign-in-by provider", 1, "", "Created"},
		{"the console's token is told", "-o json whoami", 0, `"csrf": ""`, ""},
		{"reading writes refusals into the log", "--as wren scope show " + alpine, 0, alpine, ""},
		{"", "audit --event refused --text audit-record", 0, "No matching records.", ""},
		{"a no ends as a failure", "check fetch object --user tomas --at " + vault, 3, "No, ", ""},
	} {
		t.Run(m.name+" "+m.line, func(t *testing.T) {
			words := strings.Fields(m.line)
			for i, word := range words {
				if name, ours := strings.CutPrefix(word, "@"); ours {
					words[i] = filepath.Join(files, name)
				}
			}
			status, out, errs := c.run("", words...)
			require.Equal(t, m.status, status, out+errs)
			require.Contains(t, out+errs, m.says)
			if m.saysNot != "" {
				require.NotContains(t, out+errs, m.saysNot)
			}
		})
	}
	_, err := os.Stat(filepath.Join(files, "secrets"))
	require.ErrorIs(t, err, os.ErrNotExist)
}
