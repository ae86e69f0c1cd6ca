package service_test

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/api"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// oddTexts are what nobody should send and somebody will.
var oddTexts = []string{
	"", " ", ".", "..", "../../etc/passwd", "%", "%2F", "a/b", "a//b", "/", "\u0000", "\u202e", "\ufeff", "null", "-1", "0", "1e400", "9223372036854775808",
	"Ünïcödé", "\xff\xfe", "'; DROP TABLE scope; --", "<script>alert(1)</script>", "${x}", "{{x}}", "a\nb", "a\tb", "*", "me", "lindenmere/", "lindenmere/nowhere",
	"lindenmere/gardens/glasshouses", "LINDENMERE", "user rowan", "2026-13-45", "true", strings.Repeat("a", 300), strings.Repeat("/a", 600),
}

// oddValues are JSON values in places where another was wanted.
var oddValues = []any{nil, true, false, 0, -1, 1.5, 1e300, []any{}, []any{nil}, map[string]any{}, map[string]any{"kind": nil}, []any{map[string]any{}}}

// oddBodies are not JSON, or not the JSON that any operation takes.
var oddBodies = []string{
	"", "{", "nonsense", "[]", "null", "0", `"text"`, `{"a":1}{"b":2}`, "{\"name\":\"\xff\"}", strings.Repeat("[", 2000), `{"name":"a","name":"b"}`,
	`{"name":` + strings.Repeat(" ", 3000) + `"a"}`, "name: yaml", "<name>xml</name>",
}

// TestWhateverIsSentIsAnswered sends, for every operation, what its contract does not foresee: paths, parameters and bodies
// that are wrong in a way drawn at random. Whatever comes, the answer fits the contract, is no fault of the service, and the
// chain of the audit log holds.
func TestWhateverIsSentIsAnswered(t *testing.T) {
	b := testbed.InMemory(t)
	b.Newcomer(t, "bram")
	tokens := map[bool]string{false: b.Token(t, "rowan@lindenmere"), true: b.Token(t, demo.Keeper)}
	spec, err := openapi3.NewLoader().LoadFromData(api.Contract)
	require.NoError(t, err)
	spec.Servers = openapi3.Servers{{URL: b.Address + "/api/v1"}}
	router, err := gorillamux.NewRouter(spec)
	require.NoError(t, err)
	type offer struct {
		method, path string
		*openapi3.Operation
	}
	var offers []offer
	for path, item := range spec.Paths.Map() {
		for method, operation := range item.Operations() {
			if !slices.Contains([]string{"signOut", "streamChanges"}, operation.OperationID) { // the one ends what sends, the other does not end
				offers = append(offers, offer{method, path, operation})
			}
		}
	}
	slices.SortFunc(offers, func(a, b offer) int { return strings.Compare(a.OperationID, b.OperationID) })
	values, bodies := pathValues(noSuchID, noSuchID), goodBodies()
	values["principal"] = "bram" // not rowan: he sends
	rapid.Check(t, func(r *rapid.T) {
		for range 8 {
			o := rapid.SampledFrom(offers).Draw(r, "operation")
			draw := func(one string) bool { return rapid.IntRange(0, 2).Draw(r, one) == 0 }
			text := func() string { return rapid.SampledFrom(oddTexts).Draw(r, "text") }
			path := o.path
			for name, value := range values {
				if strings.Contains(path, "{"+name+"}") && draw("odd "+name) {
					value = url.PathEscape(text())
				}
				path = strings.ReplaceAll(path, "{"+name+"}", value)
			}
			query := url.Values{}
			for _, parameter := range o.Parameters {
				if parameter.Value.In == "query" && draw(parameter.Value.Name) {
					query.Set(parameter.Value.Name, text())
				}
			}
			body, contentType := bodies[o.OperationID], "application/json"
			switch {
			case body == "" && draw("a body nobody wants"), draw("no body for it"):
				body = rapid.SampledFrom(oddBodies).Draw(r, "body")
			case body != "":
				body = bend(r, body)
			}
			if draw("odd type") && draw("odder") {
				contentType = text()
			}
			request, err := http.NewRequestWithContext(t.Context(), o.method, b.Address+"/api/v1"+path+"?"+query.Encode(), strings.NewReader(body))
			if err != nil {
				continue // no client can send it
			}
			request.Header.Set("Authorization", "Bearer "+tokens[o.Extensions["x-needs"] == "keeper"])
			if !strings.ContainsAny(contentType, "\x00\n") {
				request.Header.Set("Content-Type", contentType)
			}
			response, err := http.DefaultClient.Do(request)
			require.NoError(r, err)
			answer, err := io.ReadAll(response.Body)
			require.NoError(r, err)
			response.Body.Close()
			require.Less(r, response.StatusCode, 500, "%s %s with %q answered %s", o.method, path, body, answer)
			if response.StatusCode >= 400 {
				require.Equal(r, "application/problem+json", response.Header.Get("Content-Type"), "%s %s with %q answered %s", o.method, path, body, answer)
			}
			if found, parameters, err := router.FindRoute(request); err == nil { // an odd path may lead to no operation
				require.NoError(r, fits(t, request, found, parameters, response, answer), "%s %s with %q answered %s", o.method, path, body, answer)
			}
		}
	})
	require.NotContains(t, b.Log.String(), "panic")
}

// bend puts something odd into a body that was good: in place of one of its values, or beside them.
func bend(r *rapid.T, good string) string {
	var document map[string]any
	require.NoError(r, json.Unmarshal([]byte(good), &document))
	var odd any
	if rapid.Bool().Draw(r, "a text") {
		odd = rapid.SampledFrom(oddTexts).Draw(r, "text")
	} else {
		odd = rapid.SampledFrom(oddValues).Draw(r, "value")
	}
	keys := []string{"surplus"}
	for key := range document {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	switch key := rapid.SampledFrom(keys).Draw(r, "key"); inner := document[key].(type) {
	case []any:
		document[key] = append(inner, odd)
	case map[string]any:
		inner[rapid.SampledFrom([]string{"kind", "name", "surplus"}).Draw(r, "inner key")] = odd
	default:
		document[key] = odd
	}
	if rapid.IntRange(0, 5).Draw(r, "drop") == 0 {
		delete(document, rapid.SampledFrom(keys).Draw(r, "dropped"))
	}
	bent, err := json.Marshal(document)
	require.NoError(r, err)
	return string(bent)
}

// pathValues returns each parameter of the contract's paths a value that is there, or could be.
func pathValues(grant, policy string) map[string]string {
	return map[string]string{
		"organisation": "lindenmere", "scope": url.PathEscape(alpine), "principal": "rowan", "group": "network-team",
		"session": noSuchID, "key": noSuchID, "passkey": noSuchID, "kind": "user", "member": "yuki", "role": "observer", "grant": grant,
		"policy": policy, "pattern": "audit-everything", "revision": "1", "number": "1", "service": "weather", "provider": "quaywater-sso", "trust": noSuchID, "token": noSuchID, "outsideGroup": "x",
	}
}

// goodBodies returns each operation that takes a body one that it understands.
func goodBodies() map[string]string {
	return map[string]string{
		"createOrganisation": `{"name":"x","steward":{"name":"y"}}`, "createUser": `{"name":"x"}`, "createGroup": `{"name":"x"}`,
		"addMember": `{"kind":"user","name":"bram"}`, "createScope": `{"kind":"resource","type":"bucket","name":"x"}`,
		"makeChanges": `{"changes":[{"revokeGrant":"01a210ca-cc4e-79ac-b35b-d287b32ac74b"}]}`, "editGrant": `{"noUntil":true}`,
		"createGrant": `{"principal":{"kind":"user","name":"bram"},"role":"observer"}`, "check": `{"permission":"describe project"}`, "rankRoles": `{"permissions":["fetch object"]}`, "listHolders": `{"permission":"describe project"}`, "listHoldersBelow": `{"permission":"describe project"}`,
		"createPolicyAt": `{"name":"x","text":"staff may observe tree"}`, "editPolicyText": `{"text":"staff may observe tree"}`, "setPolicyState": `{"state":"suspended"}`, "readStatements": `{"text":"staff may observe tree"}`, "joinStatements": `{"statements":[{"who":["staff"],"modal":"may"}]}`,
		"fillPattern": `{"values":{"who":"staff"}}`, "offerServices": `{"services":["storage"]}`, "registerService": `{"file":"{}"}`,
		"readRole": `{"include":[{"services":["storage"]}]}`, "createRole": `{"name":"x","include":[{"services":["storage"]}]}`, "editRole": `{"include":[{"services":["storage"]}]}`,
		"inviteGuest": `{"email":"a@b.example"}`, "createProvider": `{"name":"x-sso"}`, "setEntry": `{"entryRule":"claim.role is \"consultant\""}`, "tryClaims": `{"claims":{"sub":"q-1"}}`, "createTrust": `{"issuer":"https://id.quaywater.example","clientId":"arbora"}`, "editTrust": `{"issuer":"https://id.quaywater.example","clientId":"arbora"}`, "setTrustState": `{"state":"in-use"}`, "readSignInOutcome": `{"token":"x"}`,
		"setDirectory":            `{"settings":{"address":"ldap://localhost:1","bindName":"","authorities":"","people":{"base":"dc=x","filter":"(a=*)"},"groups":{"base":"","filter":""},"key":"a","memberBy":"member","attributes":["a"],"claimMap":{"subject":{"path":""},"name":{"path":"$.a"},"title":{"path":""},"email":{"path":""},"groups":{"path":""}},"every":0,"mostLeaving":1,"retireAfter":0}}`,
		"readDirectory":           `{"preview":true}`,
		"createProvisioningToken": `{"label":"x"}`, "createLink": `{"outsideGroup":"x","group":"x"}`, "createOutsidePerson": `{"provider":"x-sso","subject":"1","name":"x"}`, "createNewcomers": `{"file":"name\nx"}`, "readLink": `{"token":"x"}`, "exchangeKey": `{}`, "setQuotas": `{}`, "askRecovery": `{"address":"x@quaywater.example"}`, "useLink": `{"token":"x","password":"y"}`,
		"acceptInvitation": `{"token":"x"}`, "signInByPasskey": `{"token":"x","answer":{}}`, "addPasskey": `{"token":"x","label":"y","answer":{}}`,
		"confirmSecondFactor": `{"code":"x"}`, "removeSecondFactor": `{"password":"x"}`, "showDevice": `{"code":"x"}`, "decideDevice": `{"code":"x","allow":false}`,
		"reshapeScopes": `{"scopes":["` + alpine + `"],"title":"x"}`, "editPrincipal": `{"title":"x"}`, "setState": `{"state":"suspended"}`, "handOver": `{"kind":"user","name":"bram"}`, "createKey": `{}`,
		"createServiceKey": `{}`, "noteAttempts": `{"evaluations":[]}`, "createOwnKey": `{}`, "createServiceAccount": `{"name":"x"}`, "switchOrganisation": `{"organisation":"x"}`,
		"changeSettings": `{"settings":{"keysEach":3,"forbidSignedIn":false,"forbidPublic":false}}`,
		"signIn":         `{"name":"a@b","password":"c"}`, "editProfile": `{}`, "proveSession": `{"password":"a"}`, "choosePassword": `{"current":"a","new":"b"}`,
	}
}
