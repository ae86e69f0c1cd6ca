package e2e

import (
	"encoding/json"
	"net/url"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestLoamRefusesWhatItCannotDo sends Loam what is wrong, as somebody who may do anything there: each gets an answer that says
// what is wrong and what to do, and afterwards nothing was made or altered.
func TestLoamRefusesWhatItCannotDo(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	require.NoError(t, demo.LoadLoam(t.Context(), b.Address))
	for _, role := range []string{"content-keeper", "record-keeper", "lab-writer", "machine-visitor"} {
		b.Grant(t, role, "user", "rowan", herbarium)
	}
	rowan, token := b.As(t, "rowan@lindenmere"), b.Token(t, "rowan@lindenmere")
	before, err := rowan.ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	const net, ledger = digitising + "/digitising-lan.network", herbarium + "/loans/loan-ledger.database"
	made := func(fields string) string { return `{"at":"` + digitising + `",` + fields + `}` }
	act := func(address, operation string) string {
		return "/resources/" + url.PathEscape(address) + "/" + operation
	}
	for _, c := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		// What cannot be read.
		{"POST", "/resources", ``, 400, "the scope to create it in is missing"},
		{"POST", "/resources", `{`, 400, "the body is not the JSON that is needed"},
		{"POST", "/resources", `[]`, 400, "the body is not the JSON that is needed"},
		{"POST", "/resources", made(`"type":"bucket","name":"x","colour":"red"`), 400, `unknown field "colour"`},
		{"POST", "/resources", made(`"type":"bucket","name":"x","largest":"many"`), 400, "the body is not the JSON that is needed"},

		// What cannot be made.
		{"POST", "/resources", made(`"type":"bucket","name":""`), 400, `"" is not a valid name`},
		{"POST", "/resources", made(`"type":"bucket","name":"No Name"`), 400, `"No Name" is not a valid name`},
		{"POST", "/resources", made(`"type":"bucket","name":"scans"`), 409, "already has something called scans.bucket"},
		{"POST", "/resources", made(`"type":"buckit","name":"x"`), 400, "did you mean bucket?"},
		{"POST", "/resources", made(`"type":"object","name":"x"`), 400, "the types are app, bucket, database"},
		{"POST", "/resources", `{"type":"project","name":"x","at":"lindenmere"}`, 400, `Loam has no resources of the type "project"`},
		{"POST", "/resources", `{"type":"bucket","name":"x","at":"lindenmere"}`, 422, "it belongs in a project or a compartment"},
		{"POST", "/resources", `{"type":"bucket","name":"x","at":"lindenmere/nowhere"}`, 404, "there is no scope lindenmere/nowhere"},
		{"POST", "/resources", made(`"type":"bucket","name":"x","largest":-1`), 400, "-1 bytes cannot be the largest"},
		{"POST", "/resources", made(`"type":"bucket","name":"x","largest":99999999`), 400, "99999999 bytes cannot be the largest"},
		{"POST", "/resources", made(`"type":"machine","name":"x","network":"` + scans + `"`), 400, `"create machine" cannot refer to ` + scans},
		{"POST", "/resources", made(`"type":"machine","name":"x","network":"` + digitising + `/no.network"`), 404, "there is no scope " + digitising + "/no.network"},
		{"POST", "/resources", made(`"type":"machine","name":"x","network":"` + net + `","size":"vast"`), 400, `there is no size "vast"`},
		{"POST", "/resources", made(`"type":"machine","name":"x","network":"` + net + `","runsAs":"nobody"`), 404, "there is no scope nobody"},
		{"POST", "/resources", made(`"type":"machine","name":"x","network":"` + net + `","runsAs":"` + net + `"`), 400, net + " is no service account: name a service account by its address"},
		{"POST", "/resources", made(`"type":"network","name":"x","range":"everywhere"`), 400, "write one in CIDR notation"},
		{"POST", "/resources", made(`"type":"network","name":"x","range":"10.1.2.3/8"`), 400, "is not a range of addresses"},
		{"POST", "/resources", made(`"type":"network","name":"x","range":"10.0.0.0/8","rules":["let everything in"]`), 400, `write it as "let in tcp 443 from 10.0.0.0/8"`},
		{"POST", "/resources", made(`"type":"subnet","name":"x","range":"10.0.0.0/8"`), 422, "it belongs in a network"},
		{"POST", "/resources", `{"type":"subnet","name":"x","at":"` + net + `","range":"192.0.2.0/24"}`, 409, "outside the network's range"},
		{"POST", "/resources", made(`"type":"database","name":"x","size":"tiny"`), 400, "use small, medium, large"},
		{"POST", "/resources", made(`"type":"lab","name":"x"`), 400, "a lab needs a network for its machine"},

		// What cannot be done to what is there.
		{"POST", act(digitising+"/label-reader.machine", "dance"), `{}`, 400, "it has describe, start, stop, resize"},
		{"POST", act(digitising+"/label-reader.machine", "put"), `{}`, 400, `Loam has no operation "put" for a machine`},
		{"POST", act(digitising+"/label-reader.machine", "resize"), `{}`, 400, "no size is given"},
		{"POST", act(digitising+"/label-reader.machine", "resize"), `{"size":"vast"}`, 400, `there is no size "vast"`},
		{"POST", act(digitising+"/label-reader.machine", "enter"), `{"program":["dance"]}`, 409, "start it first"},
		{"POST", act(digitising+"/no.machine", "start"), `{}`, 404, "there is no scope"},
		{"POST", act(scans, "start"), `{}`, 400, `Loam has no operation "start" for a bucket`},
		{"POST", act(scans, "restore"), `{}`, 409, "is not retired: there is nothing to restore"},
		{"POST", act(digitising, "start"), `{}`, 400, "the address names no resource"},
		{"POST", act(net, "edit"), `{"range":"all"}`, 400, `"all" is not a range of addresses`},
		{"POST", act(ledger, "amend"), `{"key":"","value":"x"}`, 401, "connect first"},

		// Objects, pages, and what is nowhere.
		{"GET", "/objects/" + scans + "/none.txt", ``, 404, `the bucket has no object "none.txt"`},
		{"DELETE", "/objects/" + scans + "/none.txt", ``, 404, `the bucket has no object "none.txt"`},
		{"PUT", "/objects/" + scans + "/", `x`, 400, "names no object"},
		{"GET", "/objects/" + digitising, ``, 400, "names no bucket"},
		{"GET", "/objects/" + digitising + "/no.bucket", ``, 404, "there is no scope"},
		{"GET", "/apps/" + url.PathEscape(scans), ``, 422, `"visit app" cannot be done at ` + scans},
		{"GET", "/here/" + url.PathEscape("lindenmere/nowhere"), ``, 404, "there is no scope lindenmere/nowhere"},
		{"GET", "/nowhere", ``, 404, "see docs/loam.md for what is"},
		{"DELETE", "/resources", ``, 404, "is not there"},
	} {
		t.Run(c.path, func(t *testing.T) {
			status, header, text := call(t, c.method, b.Address+"/loam/v1"+c.path, token, "application/json", c.body)
			require.Equal(t, c.status, status, "%s %s %s: %s", c.method, c.path, c.body, text)
			require.Equal(t, "application/problem+json", header.Get("Content-Type"), text)
			var p api.Problem
			require.NoError(t, json.Unmarshal([]byte(text), &p))
			said := p.Detail
			if p.Next != "" {
				said += ": " + p.Next
			}
			require.Contains(t, said, c.says, "%s %s %s", c.method, c.path, c.body)
		})
	}
	after, err := rowan.ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	require.Equal(t, before, after)
}
