package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/standin/slapd"
)

// TestConsoleDirectory sets in the console how the organisation's own directory is read, looks at what a reading would do, reads it, and finds
// out who left. A reading by which too many would leave waits for a second thought.
func TestConsoleDirectory(t *testing.T) {
	there := testbed.Directory(t, slapd.Options{})
	_, console := openStory(t)
	require.NoError(t, console.Do(
		console.Open("/providers"),
		browser.Press("Create an identity provider"),
		browser.Type(`input[name=provider-name]`, "lindenmere-house"),
		browser.Click(`input[name=provider-own]`),
		browser.Click(`[data-test=confirm-provider]`),
		browser.See(`[data-test=facts]`, "staff"),
		browser.Click(`[data-test=set-directory]`),
		browser.Type(`input[name=directory-address]`, there.Address),
		browser.Type(`input[name=directory-bind]`, slapd.Reader),
		browser.Type(`input[name=directory-password]`, slapd.Password),
		browser.Type(`input[name=directory-people]`, "people"),
		browser.See(`dialog`, "is not a distinguished name"),
		browser.Type(`input[name=directory-people]`, slapd.People),
		browser.Type(`input[name=directory-groups]`, slapd.Groups),
		browser.Type(`input[name=directory-every]`, "0"),
		browser.See(`dialog [data-test=impact]`, "nobody's access"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=directory-facts]`, "when somebody asks"),
		browser.SeeNot(`main`, "Create a token for it"),

		browser.Click(`[data-test=read-directory]`),
		browser.See(`[data-test=reading-found]`, "4 people found: 4 come, 3 new groups."),
		browser.See(`[data-test=reading-steps]`, "Henrike Söll"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=readings]`, "4 come, 3 new groups"),
		browser.See(`[data-test=facts]`, "4"),
	))
	require.NoError(t, there.Leave("odette"))
	require.NoError(t, there.Leave("caspian"))
	require.NoError(t, console.Do(
		browser.Click(`[data-test=read-directory]`),
		browser.See(`[data-test=brake]`, "2 of 4 people would leave, and 10 percent may at once."),
		browser.Until(`document.querySelector("[data-test=confirm-change]").disabled`),
		browser.Click(`input[name=despite-brakes]`),
		browser.Until(`!document.querySelector("[data-test=confirm-change]").disabled`),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.See(`[data-test=readings]`, "2 leave"),
		browser.Click(`[data-test=readings] button`),
		browser.See(`[data-test=reading-steps]`, "odette@lindenmere-house"),

		browser.Click(`[data-test=remove-directory]`),
		browser.See(`dialog [data-test=impact]`, "Its people stay as they are"),
		browser.Click(`[data-test=confirm-change]`),
		browser.Closed(),
		browser.Visible(`[data-test=set-directory]`),
	))
	require.Empty(t, console.Complaints())
}
