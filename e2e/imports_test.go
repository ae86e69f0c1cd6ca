package e2e

import (
	"flag"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

var redraw = flag.Bool("redraw", false, "draw the picture of the imports in docs/architecture.md anew")

// arrows say which package imports which. A package imports what its arrows lead to, at once or by way of others; where there is no way
// there is no import. It is the picture that docs/architecture.md shows.
const arrows = `
cmd/arbora-demo → internal/demo/command
cmd/arbora → internal/cli internal/host
internal/demo/command → internal/demo internal/host internal/standin/loam internal/standin/loam/loamcmd internal/standin/mailsink
internal/standin/identity → internal/loopback internal/standin/webpage
internal/host → client console follower internal/mail internal/server internal/store/mariadbd internal/store/snapshots
internal/server → internal/loopback internal/server/authzen internal/server/contract internal/server/oauth internal/server/scim internal/service
internal/server/scim → internal/provision
internal/service → internal/provision
internal/provision → internal/change
internal/change → internal/ask internal/signin
internal/server/oauth → internal/signin
internal/server/authzen → internal/evaluation internal/tenant
internal/signin → internal/directory internal/plan
internal/directory → access internal/outside
internal/ask → internal/evaluation internal/tenant
follower → internal/evaluation internal/feed internal/wholefile
internal/evaluation → access authzen internal/problem
internal/plan → internal/letters internal/tenant
internal/tenant/memory → internal/tenant
internal/tenant → internal/feed internal/known internal/problem internal/store
internal/feed → access
internal/known → access/model
authzen → internal/plainjson
internal/standin/loam/loamcmd → internal/cli internal/standin/loam/loamclient
internal/store → access internal/settings internal/store/prepared
internal/store/snapshots → access internal/wholefile
access → access/internal/persist access/statement
internal/cli → access/statement client docs internal/loopback internal/wholefile
internal/problem → access/statement
access/statement → access/catalogue
internal/demo → access/model internal/standin/identity internal/standin/loam/loamclient internal/standin/slapd
internal/standin/slapd → api internal/process internal/standin/webpage
internal/settings → internal/credential
access/catalogue → access/model
access/internal/persist → access/model
internal/credential → access/model
internal/standin/loam → access/model authzen client internal/standin/loam/loamapi internal/store/prepared
internal/standin/loam/loamclient → client internal/standin/loam/loamapi
access/model → internal/english
client → api
internal/mail → internal/letters internal/loopback
internal/server/contract → api
internal/standin/loam/loamapi → api
internal/standin/mailsink → internal/loopback internal/standin/webpage
internal/store/mariadbd → internal/process
`

// importsOf returns what each package of the product imports of it.
func importsOf(t *testing.T) map[string][]string {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "arbora.example/...").Output()
	require.NoError(t, err)
	imports := map[string][]string{}
	for line := range strings.Lines(string(out)) {
		words := strings.Fields(line)
		name := strings.TrimPrefix(words[0], "arbora.example/")
		if name == "bench" || strings.HasPrefix(name, "e2e") {
			continue // they serve tests and measures
		}
		imports[name] = nil
		for _, word := range words[1:] {
			if other, ours := strings.CutPrefix(word, "arbora.example/"); ours {
				imports[name] = append(imports[name], other)
			}
		}
	}
	return imports
}

// reaches reports whether arrows lead from one package to another by at least so many steps.
func reaches(drawn map[string][]string, from, to string, steps int) bool {
	for _, next := range drawn[from] {
		if next == to && steps <= 1 || reaches(drawn, next, to, steps-1) {
			return true
		}
	}
	return false
}

// TestImportsRunOneWay holds the imports of all packages to the arrows, the arrows to the imports, and the picture to both.
func TestImportsRunOneWay(t *testing.T) {
	imports, drawn := importsOf(t), map[string][]string{}
	picture := "```mermaid\ngraph TD\n"
	for line := range strings.Lines(strings.TrimSpace(arrows) + "\n") {
		from, to, _ := strings.Cut(strings.TrimSpace(line), " → ")
		for _, other := range strings.Fields(to) {
			drawn[from] = append(drawn[from], other)
			picture += "    " + from + " --> " + other + "\n"
		}
	}
	picture += "```\n"
	for name, uses := range imports {
		for _, other := range uses {
			require.True(t, reaches(drawn, name, other, 1), "package %s must not import %s", name, other)
		}
	}
	for name, others := range drawn {
		for _, other := range others {
			require.Contains(t, imports[name], other, "package %s does not import %s: the arrow goes", name, other)
			require.False(t, reaches(drawn, name, other, 2), "the arrow from %s to %s goes: others lead there", name, other)
		}
	}

	const page, begins, ends = "../docs/architecture.md", "<!-- imports: drawn by e2e/imports_test.go -->\n", "<!-- end of imports -->\n"
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	before, rest, found := strings.Cut(string(text), begins)
	require.True(t, found)
	shown, after, found := strings.Cut(rest, ends)
	require.True(t, found)
	if *redraw {
		require.NoError(t, os.WriteFile(page, []byte(before+begins+picture+ends+after), 0o644))
		return
	}
	require.Equal(t, picture, shown, "draw it anew by: go test ./e2e -run TestImportsRunOneWay -redraw")
}

// TestTheCoreIsPure sees that the core knows nothing of HTTP, SQL or logs.
func TestTheCoreIsPure(t *testing.T) {
	for _, dep := range depsOf(t, "access") {
		require.NotContains(t, []string{"net", "net/http", "database/sql", "database/sql/driver", "log", "log/slog"}, dep)
	}
}

// TestTheProductCarriesNoStandIn sees that the program that is shipped has nothing of the demo in it.
func TestTheProductCarriesNoStandIn(t *testing.T) {
	for _, dep := range depsOf(t, "cmd/arbora") {
		require.False(t, strings.HasPrefix(dep, "arbora.example/internal/standin") || strings.HasPrefix(dep, "arbora.example/internal/demo"), dep)
	}
}

// depsOf lists what a package imports, at once or by way of others.
func depsOf(t *testing.T, pkg string) []string {
	out, err := exec.Command("go", "list", "-deps", "arbora.example/"+pkg).Output()
	require.NoError(t, err)
	return strings.Fields(string(out))
}
