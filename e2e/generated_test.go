package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestGeneratedFilesAreFresh generates everything from the contract anew and compares.
func TestGeneratedFilesAreFresh(t *testing.T) {
	for config, file := range map[string]string{
		"types.config.yaml":  "../api/types.gen.go",
		"server.config.yaml": "../internal/server/contract/contract.gen.go",
		"client.config.yaml": "../client/client.gen.go",
	} {
		t.Run(config, func(t *testing.T) {
			fresh := filepath.Join(t.TempDir(), filepath.Base(file))
			generate := exec.Command("go", "tool", "oapi-codegen", "-config", config, "-o", fresh, "openapi.yaml")
			generate.Dir = "../api"
			out, err := generate.CombinedOutput()
			require.NoError(t, err, string(out))
			same(t, fresh, file)
		})
	}
	fresh := filepath.Join(t.TempDir(), "api.gen.ts")
	generate := exec.Command("node_modules/.bin/openapi-typescript", "../api/openapi.yaml", "-o", fresh)
	generate.Dir = "../console"
	out, err := generate.CombinedOutput()
	require.NoError(t, err, string(out))
	same(t, fresh, "../console/src/lib/api.gen.ts")
}

func same(t *testing.T, fresh, kept string) {
	want, err := os.ReadFile(fresh)
	require.NoError(t, err)
	got, err := os.ReadFile(kept)
	require.NoError(t, err)
	require.True(t, string(want) == string(got), "%s is stale: run make generate", kept)
}
