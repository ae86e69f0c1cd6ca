package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/browser"
	"arbora.example/internal/demo"
)

// TestConsoleDefinesARole picks a role together while what it holds is listed, grants it, rewrites it after its impact was
// read, and compares it with another; then it looks a type up in the catalogue.
func TestConsoleDefinesARole(t *testing.T) {
	t.Parallel()
	_, console := openStory(t)
	require.NoError(t, console.Do(
		browser.Press("Roles"),
		browser.Press("Create a role"),
		browser.Type(`input[name=role-name]`, "seed-scanner"),
		browser.Type(`input[name=role-title]`, "Seed scanner"),
		browser.Type(`input[name=role-at]`, "lindenmere/science"),
		browser.See(`[data-test=holds-now]`, "Write a line of permissions"),
		browser.Type(`input[name=include-services]`, "storage"),
		browser.See(`[data-test=holds-now]`, "13 permissions on 2 types"),
		browser.Type(`input[name=include-planes]`, "data"),
		browser.See(`[data-test=holds-now]`, "4 permissions on 1 type"),
		browser.Press("Leave something out"),
		browser.Type(`input[name=exclude-operations]`, "erase"),
		browser.See(`[data-test=holds-now]`, "3 permissions on 1 type"),
		browser.Click(`[data-test=save]`),
		browser.See(`h1`, "Seed scanner"),
		browser.See(`main`, "defined at lindenmere/science"),

		browser.Press("Grant it"),
		browser.Click(`dialog input[name=kind][value=group]`),
		browser.Type(`dialog input[name=who]`, "curators"),
		browser.Type(`dialog input[name=where]`, trial),
		browser.See(`[data-test=impact]`, "would gain access"),
		browser.Click(`[data-test=confirm-grant]`),
		browser.Closed(),
		browser.See(`[data-test=used] li`, "curators new"),

		browser.Press("Edit"),
		browser.See(`[data-test=holds-now]`, "3 permissions on 1 type"),
		browser.Click(`[data-test=exclude] button[aria-label="Remove erase"]`),
		browser.Type(`input[name=exclude-operations]`, "put"),
		browser.See(`[data-test=holds-now]`, "1 erase"),
		browser.See(`[data-test=holds-now]`, "2 put"),
		browser.Click(`[data-test=review]`),
		browser.See(`[data-test=impact]`, "would gain or lose access"),
		browser.Click(`[data-test=save]`),
		browser.See(`h1`, "Seed scanner"),
		browser.See(`[data-test=grid]`, "erase"),

		browser.Press("Compare"),
		browser.Type(`input[name=second-role]`, "content-keeper"),
		browser.See(`[data-test=compared]`, "3 permissions in both"),
		browser.See(`[data-test=compared]`, "content-keeper holds all that seed-scanner does."),
		browser.See(`[data-test=grid]`, "2 put"),

		console.Open("/catalogue"),
		browser.Type(`input[type=search]`, "attach network"),
		browser.See(`[data-test=service]`, "network"),
		browser.SeeNot(`[data-test=service]`, "bucket"),
		browser.SignOut(),
	))
	require.NoError(t, console.Do(
		console.SignIn("piotr@lindenmere", demo.Passphrase),
		console.Open("/roles/new"),
		browser.Type(`input[name=role-name]`, "mine"),
		browser.Type(`input[name=include-classes]`, "observe"),
		browser.See(`[data-test=problem]`, `"list role"`),
	))
}
