package e2e

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/testbed"
)

// TestConfirmedChanges makes a change by the impact that was looked at, after others changed something else, and then
// something that matters.
func TestConfirmedChanges(t *testing.T) {
	b := testbed.StartDemo(t)
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	const grant = "grant create auditor --group seed-curators --at " + trial
	code := func(out string) string {
		return regexp.MustCompile(`--confirm ([0-9]+\.[0-9a-f]+)`).FindStringSubmatch(out)[1]
	}

	seen := code(c.must(grant + " --preview"))
	c.must("grant create auditor --group network-team --at lindenmere/visitors") // touches none of it
	c.must("grant create auditor --group internal-audit --at " + trial + " --confirm " + code(c.must("grant create auditor --group internal-audit --at "+trial+" --preview")))

	c.must("group add seed-curators --user sefa") // one more would gain
	status, _, errs := c.run("", "--confirm", seen, "grant", "create", "auditor", "--group", "seed-curators", "--at", trial)
	require.Equal(t, 1, status)
	require.Contains(t, errs, "others changed the organisation since revision")
	require.Contains(t, errs, "2 people would gain access.")
	require.NotContains(t, c.must("grant list "+trial+" -o csv"), "auditor,group,seed-curators")
	c.must(grant + " --confirm " + code(errs))

	seen = code(c.must("group remove seed-curators --user sefa --preview"))
	c.must("group add glasshouse-engineers --user sefa") // sefa holds more, and loses the same
	c.must("group remove seed-curators --user sefa --confirm " + seen)

	status, _, errs = c.run("", "--confirm", "yes", "group", "remove", "seed-curators", "--user", "ines")
	require.Equal(t, 1, status)
	require.Contains(t, errs, "send the confirmation that the preview of the change gave")
}
