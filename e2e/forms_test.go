package e2e

import (
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// reading are the commands that read, each on the demo data.
var reading = []string{
	"tree", "tree lindenmere/science --depth 2",
	"scope list lindenmere/gardens", "scope show " + vault, "scope show " + vault + "/vault-scans.bucket", "scope search scans", "scope search --tag care=high", "scope search --kind project --state active",
	"scope matrix " + digitising, "scope matrix " + digitising + " --against children --groups",
	"user list", "user show ines", "user show rowan", "guest list", "guest show juno@quaywater", "group list", "group show curators", "group show seed-curators",
	"service-account list", "service-account show " + digitising + "/label-indexer",
	"role list", "role list --all", "role show content-keeper", "role compare builder operator", "role find fetch object",
	"grant list lindenmere", "grant list " + vault, "grant list " + sensorLog,
	"policy list " + vault, "policy show vault-care --at lindenmere/science", "policy history vault-care --at lindenmere/science", "policy search destroy", "pattern list",
	"catalogue", "catalogue bucket", "holders erase object --at " + vault, "reach --user ines", "reach --group vault-keepers",
	"check describe bucket --at " + sensorLog, "explain edit bucket --user rowan --at " + sensorLog,
	"key list --service-account " + digitising + "/label-indexer", "session list", "session list --user rowan", "settings show", "second-factor show", "whoami", "sign-ins", "switch", "audit", "audit --event change",
}

// previewing are changes whose impact is read and that change nothing.
var previewing = []string{
	"grant create builder --group network-team --at " + alpine, "grant create observer --user rowan --at " + alpine,
	"group add network-team --user ines", "group remove internal-audit --user oona", "scope move " + alpine + " --to lindenmere/science",
	"scope retire lindenmere/visitors/ticketing", "user suspend piotr", "user retire ines", "policy delete vault-care --at lindenmere/science",
}

// TestEveryReadingInEveryForm reads each command's answer as a table, as JSON, as YAML and as CSV: all four are well formed and
// tell of the same, and a preview leaves everything as it was.
func TestEveryReadingInEveryForm(t *testing.T) {
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	before := c.must("-o json tree")
	lines := reading
	for _, line := range previewing {
		lines = append(lines, line+" --preview")
	}
	for _, line := range lines {
		read := func(form string) string {
			_, out, errs := c.run("", append([]string{"-o", form}, strings.Fields(line)...)...)
			assert.Empty(t, errs, "%s -o %s", line, form)
			assert.NotEmpty(t, strings.TrimSpace(out), "%s -o %s", line, form)
			return out
		}
		if table := read("table"); strings.Contains(table, "%!") || strings.Contains(table, "<nil>") || strings.Contains(table, "0x") {
			t.Errorf("%s prints %s", line, table)
		}
		var fromJSON, fromYAML any
		if !assert.NoError(t, json.Unmarshal([]byte(read("json")), &fromJSON), line) {
			continue
		}
		if assert.NoError(t, yaml.Unmarshal([]byte(read("yaml")), &fromYAML), line) {
			assert.ElementsMatch(t, keysOf(fromJSON), keysOf(fromYAML), "%s: the same names in JSON and YAML", line)
		}
		if status, _, errs := c.run("", append([]string{"-o", "csv"}, strings.Fields(line)...)...); status == 2 && strings.Contains(errs, "there is nothing to list as csv here: use json or yaml") {
			continue
		}
		rows, err := csv.NewReader(strings.NewReader(read("csv"))).ReadAll() // each row as long as the first
		assert.NoError(t, err, line)
		if list, ok := fromJSON.([]any); ok && len(rows) > 0 && strings.Contains(line, " list") {
			assert.Len(t, rows, 1+len(list), "%s: a heading and a row for each", line)
		}
	}
	require.Equal(t, before, c.must("-o json tree"))
}

// keysOf names every key of a document, each once, with the way to it.
func keysOf(document any) []string {
	found := map[string]bool{}
	var walk func(at string, value any)
	walk = func(at string, value any) {
		switch v := value.(type) {
		case map[string]any:
			for key, inner := range v {
				found[at+"."+key] = true
				walk(at+"."+key, inner)
			}
		case []any:
			for _, inner := range v {
				walk(at+"[]", inner)
			}
		}
	}
	walk("", document)
	keys := make([]string, 0, len(found))
	for key := range found {
		keys = append(keys, key)
	}
	return keys
}
