package loam

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/authzen"
	"arbora.example/internal/standin/loam/loamapi"
)

func questionOf(operation, typ, at string, refers ...string) *question {
	return &question{subject: Subject{Kind: "user", ID: "1", Name: "bram", Organisation: "lindenmere"}, operation: operation, typ: typ, at: at, refers: refers}
}

func verdictFor(reason string) *verdict {
	v := &verdict{}
	v.Context.Reason = reason
	return v
}

// TestRefusals sees that each no becomes an answer with a status, with what is missing and how to ask, and that what is
// hidden is answered like what is not there.
func TestRefusals(t *testing.T) {
	const at = "lindenmere/gardens/pump.machine"
	p := refusal(questionOf("start", "machine", at), verdictFor("not-granted"))
	require.Equal(t, http.StatusForbidden, p.Status)
	require.Equal(t, "start machine", p.Permission)
	require.Equal(t, `user bram may not do that: it needs the permission "start machine" at `+at, p.Detail)
	require.Equal(t, `ask an administrator there: "please let user bram start machine at `+at+`"`, p.Next)

	cut := refusal(questionOf("start", "machine", at), verdictFor("cut"))
	require.Contains(t, cut.Detail, "cuts it")
	require.Contains(t, cut.Next, "no role would help")

	require.Equal(t, http.StatusConflict, refusal(questionOf("start", "machine", at), verdictFor("retired")).Status)
	require.Equal(t, http.StatusUnprocessableEntity, refusal(questionOf("create", "machine", "lindenmere"), verdictFor("meaningless")).Status)
	require.Contains(t, refusal(questionOf("start", "machine", at), verdictFor("inactive")).Detail, "out of use")

	hidden := verdictFor("not-granted")
	hidden.Context.Hidden = true
	absent := refusal(questionOf("start", "machine", at), verdictFor("unknown"))
	require.Equal(t, absent, refusal(questionOf("start", "machine", at), hidden))
	require.Equal(t, http.StatusNotFound, absent.Status)

	lacking := verdictFor("lacking")
	lacking.Context.Refers, lacking.Context.On, lacking.Context.Lacks = []string{"n", "a"}, "a", "attach service-account"
	q := questionOf("create", "machine", "lindenmere/gardens", "lindenmere/gardens/lan.network", "lindenmere/gardens/feeder")
	p = refusal(q, lacking)
	require.Equal(t, "attach service-account", p.Permission)
	require.Contains(t, p.Detail, "at lindenmere/gardens/feeder")
	lacking.Context.Hidden = true
	require.Contains(t, refusal(q, lacking).Detail, "there is no scope lindenmere/gardens/feeder")
	lacking.Context.Hidden, lacking.Context.Lacks = false, ""
	require.Contains(t, refusal(q, lacking).Detail, "cannot refer to lindenmere/gardens/feeder")
}

// TestSubjectsInWords sees how a subject is named in a sentence.
func TestSubjectsInWords(t *testing.T) {
	for want, s := range map[string]Subject{
		"user bram":                        {Kind: "user", Name: "bram"},
		"service account lindenmere/x":     {Kind: serviceAccount, Name: "lindenmere/x"},
		"a visitor who is not signed in":   {Kind: builtInSet, ID: public, Organisation: "lindenmere"},
		"somebody whom quay does not know": {Kind: builtInSet, ID: signedIn, Organisation: "quay"},
	} {
		t.Run(want, func(t *testing.T) {
			require.Equal(t, want, s.words())
		})
	}
}

// TestObjectAddresses sees that the address of an object falls into its bucket and its name, whatever the name is.
func TestObjectAddresses(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		bucket := rapid.SampledFrom([]string{"lindenmere/science/scans.bucket", uuid.NewString()}).Draw(t, "bucket")
		name := rapid.StringMatching(`[a-z0-9 ._-]{1,8}(/[a-z0-9 .]{1,8}){0,2}`).Draw(t, "name")
		b, n, err := splitObject(bucket + "/" + name)
		require.NoError(t, err)
		require.Equal(t, []string{bucket, name}, []string{b, n})
	})
	b, n, err := splitObject("lindenmere/scans.bucket")
	require.NoError(t, err)
	require.Equal(t, []string{"lindenmere/scans.bucket", ""}, []string{b, n})
	_, _, err = splitObject("lindenmere/science/notes.txt")
	require.ErrorContains(t, err, "names no bucket")
}

// TestAttributesAreChecked sees what is refused of networks, subnets, sizes and pages.
func TestAttributesAreChecked(t *testing.T) {
	long := strings.Repeat("x", mostText+1)
	for _, c := range []struct {
		check func(*call) error
		in    loamapi.Input
		field string
	}{
		{checkNetwork, loamapi.Input{Range: "10.20.0.0/16", Rules: []string{"let in tcp 443 from 10.0.0.0/8", "let out udp 53 to 10.1.0.0/16"}}, ""},
		{checkNetwork, loamapi.Input{Range: "10.20.0.1/16"}, "range"},
		{checkNetwork, loamapi.Input{Range: "ten"}, "range"},
		{checkNetwork, loamapi.Input{Rules: []string{"let in tcp 443 to 10.0.0.0/8"}}, "rules"},
		{checkNetwork, loamapi.Input{Rules: []string{"open everything"}}, "rules"},
		{checkNetwork, loamapi.Input{Rules: []string{"let in tcp 443 from nowhere"}}, "range"},
		{checkSubnet, loamapi.Input{Range: "10.20.1.0/24"}, ""},
		{checkSize, loamapi.Input{Size: "medium"}, ""},
		{checkSize, loamapi.Input{Size: "huge"}, "size"},
		{checkPage, loamapi.Input{Text: &long}, "text"},
	} {
		t.Run(c.field, func(t *testing.T) {
			err := c.check(&call{in: c.in})
			if c.field == "" {
				require.NoError(t, err)
				return
			}
			var p *Problem
			require.ErrorAs(t, err, &p, "%+v", c.in)
			require.Equal(t, c.field, p.Field)
			require.NotEmpty(t, p.Next)
		})
	}
}

// TestWhatLoamOffers sees that everything offered is carried out by somebody, and that each type has a service.
func TestWhatLoamOffers(t *testing.T) {
	for typ, permissions := range Offers() {
		require.Contains(t, loamapi.Services, kinds[typ].service)
		for _, permission := range permissions {
			operation, of, _ := strings.Cut(permission, " ")
			if of != typ || operation == "list" || operation == "create" {
				continue // told by what is here, made apart, or an object
			}
			require.Contains(t, acts, permission)
		}
	}
}

// TestInput sees that what is sent is understood whole or refused.
func TestInput(t *testing.T) {
	var in loamapi.Input
	require.NoError(t, decodeInput(strings.NewReader(`{"type":"machine","name":"pump","runsAs":"x"}`), &in))
	require.Equal(t, "x", in.RunsAs)
	for _, text := range []string{`{"tpye":"machine"}`, `{"size":3}`, `[`, ``} {
		err := decodeInput(strings.NewReader(text), &in)
		require.ErrorContains(t, err, "the body is not the JSON that is needed", text)
	}
}

// TestArborasProblems sees that what Arbora refuses is passed on, and that whatever is no answer counts as none.
func TestArborasProblems(t *testing.T) {
	var told *Problem
	require.ErrorAs(t, heard(&authzen.Error{Status: 409, Type: "urn:arbora:problem:conflict", Detail: "that name is taken", Next: "choose another"}), &told)
	require.Equal(t, http.StatusConflict, told.Status)
	require.Equal(t, "that name is taken: choose another", told.Error())
	require.ErrorAs(t, heard(&authzen.Error{Status: 400, Code: "unauthorized_client", Detail: "user bram holds more", Next: "ask a steward"}), &told)
	require.Equal(t, http.StatusForbidden, told.Status)
	require.True(t, isUnavailable(heard(&authzen.Error{Status: 400, Code: "invalid_client", Detail: "the key was taken back"})), "that is Loam's own fault, not the asker's")
	require.True(t, isUnavailable(heard(&authzen.Error{Status: 404})), "something else answered")
	require.True(t, isUnavailable(answered(json.Unmarshal([]byte("{"), &struct{}{}))))
	_, err := newArbora("http://127.0.0.1:1", map[string]loamapi.Key{"compute": {ID: "1", Secret: "2"}}, nil)
	require.ErrorContains(t, err, "the key of service networking is missing")
}
