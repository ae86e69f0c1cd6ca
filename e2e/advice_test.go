package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/testbed"
)

// TestAdvice grants what could be granted better, and reads what is said of it.
func TestAdvice(t *testing.T) {
	b := testbed.StartDemo(t)
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	preview := func(line string) string { return c.must("grant create " + line + " --preview") }
	const scans = trial + "/trial-scans.bucket"

	// A narrower role, as far as it gives the same of what is there.
	require.Contains(t, preview("steward --user piotr --at "+scans), "Better: Only storage is in use there: storage-builder gives the same of it, and less of access.\n")
	require.Contains(t, preview("steward --group seed-curators --at "+trial), "Better: Only databases and storage are in use there: builder gives the same of them, and less of access and people.\n")
	require.NotContains(t, preview("storage-builder --user piotr --at "+scans), "Better", "it is the narrowest")
	require.NotContains(t, preview("networking-builder --user piotr --at "+trial), "Better", "nothing that it gives is there yet, so it is for what is to come")
	status, _, errs := c.run("", "role", "create", "bucket-names", "--title", "Names", "--at", trial, "--include", "type=bucket operation=list")
	require.Zero(t, status, errs)
	require.NotContains(t, preview("pathfinder --user piotr --at "+trial), "Better", "databases are in use too")
	require.Contains(t, preview("storage-observer --user yuki --at "+scans), "would gain access")
	require.NotContains(t, preview("storage-observer --user yuki --at "+scans), "Better", "the narrower one does not hold all of it")

	// What is wide is warned of.
	require.Contains(t, preview("observer --group network-team --at lindenmere"), "! It holds in the whole organisation, for all that is there and all that comes.\n")
	require.Contains(t, preview("observer --set staff --at "+trial), "! It reaches every member of staff, present and future.\n")
	for _, narrow := range []string{"observer --group network-team --at " + trial, "observer --user rowan --at lindenmere"} {
		require.NotContains(t, preview(narrow), "present and future")
		require.NotContains(t, preview(narrow), "whole organisation")
	}
	policy := func(text string) string {
		status, out, errs := c.run("", "policy", "create", "wide", "--at", "lindenmere", "--text", text, "--preview")
		require.Zero(t, status, errs)
		return out
	}
	require.Contains(t, policy("everyone may act as observer"), "! It reaches every member of everyone")
	taken := policy("everyone may never destroy networking")
	require.NotContains(t, taken, "present and future", "what is taken away is not given widely")
	require.Contains(t, taken, "! You yourself would lose access.\n")
	require.Contains(t, policy("user rowan may never destroy networking"), "! You yourself would lose access.\n")
	require.NotContains(t, policy("user ines may never destroy networking"), "You yourself")

	// A group, once three hold the same one by one.
	for n, name := range []string{"sefa", "oona", "yuki"} {
		require.NotContains(t, preview("operator --user piotr --at "+trial), "one by one", "%d so far", n)
		c.must("grant create operator --user " + name + " --at " + trial)
	}
	require.Contains(t, preview("operator --user piotr --at "+trial), "Better: oona, sefa and yuki hold operator there one by one: grant it to a group of them instead, and a change of people is one change of its members.\n")
	for _, other := range []string{"auditor --user piotr --at " + trial, "operator --user piotr --at lindenmere/science", "operator --group internal-audit --at " + trial, "operator --user piotr --at " + trial + " --until 2030-01-01T00:00:00Z"} {
		require.NotContains(t, preview(other), "one by one")
	}
	c.must("grant create operator --group internal-audit --at " + trial)
	require.Contains(t, preview("operator --user piotr --at "+trial), "Better: Group internal-audit holds operator there already: add piotr to it, and it ends with the membership.\n")
}
