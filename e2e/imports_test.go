package e2e

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func depsOf(t *testing.T, pkg string) []string {
	out, err := exec.Command("go", "list", "-deps", "arbora.example/"+pkg).Output()
	require.NoError(t, err)
	return strings.Fields(string(out))
}

// TestTheCoreIsPure sees that the core imports nothing of the project and nothing of HTTP, SQL or logging.
func TestTheCoreIsPure(t *testing.T) {
	for _, dep := range depsOf(t, "access") {
		require.False(t, strings.HasPrefix(dep, "arbora.example/") && dep != "arbora.example/access", dep)
		for _, foreign := range []string{"net", "net/http", "database/sql", "database/sql/driver", "log", "log/slog"} {
			require.NotEqual(t, foreign, dep)
		}
	}
}

// TestImportsRunOneWay holds the direction of imports: each package may use only what is listed for it.
func TestImportsRunOneWay(t *testing.T) {
	allowed := map[string]string{
		"access":                  "",
		"people":                  "access",
		"store":                   "access people store/prepared",
		"child":                   "",
		"store/mariadbd":          "child",
		"service":                 "access people store store/prepared",
		"loopback":                "",
		"mail":                    "access loopback people",
		"standin/mailsink":        "loopback",
		"store/prepared":          "",
		"store/snapshots":         "access",
		"standin/loam":            "access api client standin/loam/loamapi store/prepared",
		"standin/loam/loamclient": "api client standin/loam/loamapi",
		"standin/loam/loamcmd":    "access api cli client loopback standin/loam/loamapi standin/loam/loamclient",
		"standin/loam/loamapi":    "api",
		"api":                     "",
		"server/contract":         "api",
		"server/authzen":          "access people service store store/prepared",
		"server/oauth":            "access people service store store/prepared",
		"server":                  "access api loopback people server/authzen server/contract server/oauth service store store/prepared",
		"client":                  "api",
		"cli":                     "access api client loopback",
		"console":                 "",
		"demo":                    "access api client standin/loam/loamapi standin/loam/loamclient",
	}
	for pkg, uses := range allowed {
		for _, dep := range depsOf(t, pkg) {
			name, ours := strings.CutPrefix(dep, "arbora.example/")
			if ours && name != pkg {
				require.Contains(t, strings.Fields(uses), name, "package %s must not import %s", pkg, name)
			}
		}
	}
}

// TestTheProductCarriesNoStandIn sees that the program that is shipped has nothing of the demo in it.
func TestTheProductCarriesNoStandIn(t *testing.T) {
	for _, dep := range depsOf(t, "cmd/arbora") {
		require.False(t, strings.HasPrefix(dep, "arbora.example/internal/standin") || strings.HasPrefix(dep, "arbora.example/internal/demo"), dep)
	}
}
