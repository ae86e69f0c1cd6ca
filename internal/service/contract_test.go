package service_test

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestAnswersFitTheContract holds answers, good and bad, against the contract's schemas.
func TestAnswersFitTheContract(t *testing.T) {
	b := testbed.InMemory(t)
	token := b.Token(t, "rowan@lindenmere")
	keeper := b.Token(t, "warden")
	spec, err := openapi3.NewLoader().LoadFromData(api.Contract)
	require.NoError(t, err)
	require.NoError(t, spec.Validate(t.Context()))
	spec.Servers = openapi3.Servers{{URL: b.Address + "/api/v1"}}
	router, err := gorillamux.NewRouter(spec)
	require.NoError(t, err)
	provider, there := "/organisations/lindenmere/providers/quaywater-sso", testbed.Identity(t)
	house := "/scopes/" + strings.ReplaceAll(alpine, "/", "%2F")
	covered := map[string]bool{}
	following := testbed.KeyFollowing(t, b, "storage", "lindenmere")
	for _, c := range []struct{ method, path, body, token string }{
		{"GET", "/status", "", ""},
		{"GET", "/session", "", token},
		{"GET", "/session", "", "nonsense"},
		{"POST", "/session", `{"name":"rowan@lindenmere","password":"a wrong guess at it"}`, ""},
		{"PATCH", "/profile", `{"title":"Rowan A."}`, token},
		{"PUT", "/profile/password", `{"current":"wrong","new":"wrong"}`, token},
		{"GET", "/organisations", "", keeper},
		{"POST", "/organisations", `{"name":"fernhill","steward":{"name":"asa"}}`, keeper},
		{"POST", "/organisations", `{"name":"fernhill","steward":{"name":"asa"}}`, keeper},
		{"GET", "/organisations/lindenmere/catalogue", "", token},
		{"GET", "/organisations/lindenmere/people?limit=2&sort=lastSignIn&descending=true", "", token},
		{"POST", "/organisations/lindenmere/users", `{"name":"bram","temporary":true}`, token},
		{"GET", "/organisations/lindenmere/principals/user/ines", "", token},
		{"GET", "/organisations/lindenmere/principals/user/nobody", "", token},
		{"POST", "/organisations/lindenmere/providers", `{"name":"quaywater-sso"}`, token},
		{"GET", "/organisations/lindenmere/providers", "", token},
		{"GET", "/sign-in/ways?organisation=lindenmere", "", ""},
		{"POST", "/sign-in/told", `{"token":"x"}`, ""},
		{"GET", "/session/provider", "", token},
		{"POST", provider + "/trusts", fmt.Sprintf(`{"issuer":%q,"clientId":"arbora","secret":"x"}`, there.Issuer()), token},
		{"POST", provider + "/trusts", `{"issuer":"http://id.quaywater.example","clientId":"arbora"}`, token},
		{"GET", provider + "/entry", "", token},
		{"PATCH", provider + "/entry", `{"entryRule":"claim.role is \"consultant\"","claimsLast":60}`, token},
		{"PATCH", provider + "/entry?preview=true", `{"entryRule":"subject.name is \"x\""}`, token},
		{"POST", provider + "/entry/tries", `{"claims":{"sub":"q-1","preferred_username":"x","role":"consultant"}}`, token},
		{"GET", provider + "/arrivals", "", token},
		{"POST", provider + "/provisioning-tokens", `{"label":"people system"}`, token},
		{"GET", provider + "/provisioning-tokens", "", token},
		{"DELETE", provider + "/provisioning-tokens/" + testbed.NoSuchID, "", token},
		{"GET", provider + "/directory", "", token},
		{"PUT", provider + "/directory", `{"settings":{"address":"nonsense"}}`, token},
		{"POST", provider + "/directory/readings", `{"preview":true}`, token},
		{"GET", provider + "/directory/readings", "", token},
		{"DELETE", provider + "/directory", "", token},
		{"POST", provider + "/links", `{"outsideGroup":"label-{house}","group":"contractors"}`, token},
		{"GET", "/organisations/lindenmere/outside-groups", "", token},
		{"DELETE", provider + "/links/contractors/label-%7Bhouse%7D", "", token},
		{"PUT", provider + "/trusts/" + testbed.NoSuchID, `{"issuer":"https://id.quaywater.example","clientId":"arbora"}`, token},
		{"PUT", provider + "/trusts/" + testbed.NoSuchID + "/state", `{"state":"in-use"}`, token},
		{"POST", provider + "/trusts/" + testbed.NoSuchID + "/trials", "", token},
		{"DELETE", provider + "/trusts/" + testbed.NoSuchID, "", token},
		{"POST", "/organisations/lindenmere/outside-people", `{"provider":"quaywater-sso","subject":"q-4711","name":"ilka"}`, token},
		{"GET", "/organisations/lindenmere/principals/outside-person/ilka@quaywater-sso", "", token},
		{"GET", "/organisations/lindenmere/groups", "", token},
		{"POST", "/organisations/lindenmere/groups", `{"name":"weeders"}`, token},
		{"GET", "/organisations/lindenmere/principals/group/curators", "", token},
		{"POST", "/organisations/lindenmere/groups/weeders/members", `{"kind":"user","name":"bram"}`, token},
		{"DELETE", "/organisations/lindenmere/groups/weeders/members/user/bram", "", token},
		{"GET", house, "", token},
		{"GET", house + "/tree", "", token},
		{"GET", house + "/children?limit=1", "", token},
		{"POST", house + "/children", `{"kind":"resource","type":"bucket","name":"x","tags":{"a":"b"}}`, token},
		{"POST", house + "/children", `{"kind":"folder","name":"x"}`, token},
		{"GET", "/organisations/lindenmere/home", "", token},
		{"GET", "/organisations/lindenmere/trends", "", token},
		{"GET", "/organisations/lindenmere/audit-records?event=change&limit=2", "", token},
		{"GET", "/organisations/lindenmere/audit-records?from=yesterday", "", token},
		{"GET", "/organisations/lindenmere/audit-records/9", "", token},
		{"GET", "/organisations/lindenmere/audit-records/900000", "", token},
		{"GET", "/audit-records?limit=2", "", keeper},
		{"GET", "/audit-records", "", token},
		{"GET", "/organisations/lindenmere/principals/user/maeve/passkeys", "", token},
		{"DELETE", "/organisations/lindenmere/principals/user/maeve/passkeys/01a210ca-cc4e-79ac-b35b-d287b32ac74b", "", token},
		{"GET", "/organisations/quaywater/stream", "", token}, // one that is there does not end
		{"GET", house + "/contents", "", token},
		{"GET", house + "/changes?limit=1", "", token},
		{"GET", house + "/changes?before=0", "", token},
		{"GET", house + "/matrix?limit=1", "", token},
		{"GET", house + "/matrix?against=children&rows=groups", "", token},
		{"GET", "/organisations/lindenmere/search?text=house&limit=1", "", token},
		{"GET", "/organisations/lindenmere/search?kind=foldr", "", token},
		{"GET", house + "/grants", "", token},
		{"POST", house + "/grants", `{"principal":{"kind":"user","name":"bram"},"role":"observer"}`, token},
		{"GET", house + "/roles", "", token},
		{"GET", house + "/roles/steward", "", token},
		{"POST", house + "/check", `{"permission":"edit project","principal":{"kind":"user","name":"bram"}}`, token},
		{"POST", house + "/ranking", `{"permissions":["fetch object","list object"]}`, token},
		{"POST", house + "/ranking", `{"permissions":[]}`, token},
		{"POST", house + "/check", `{"permission":"edit project"}`, token},
		{"POST", house + "/holders", `{"permission":"edit project"}`, token},
		{"POST", "/scopes/lindenmere/holders/below?limit=2", `{"permission":"list grant"}`, token},
		{"POST", house + "/holders", `{"permission":"create user"}`, token},
		{"GET", "/organisations/lindenmere/principals/user/maeve/reach", "", token},
		{"GET", "/organisations/lindenmere/principals/group/internal-audit/reach", "", token},
		{"GET", "/organisations/lindenmere/principals/group/internal-audit/spread", "", token},
		{"DELETE", "/grants/01a210ca-cc4e-79ac-b35b-d287b32ac74b", "", token},
		{"GET", "/services", "", keeper},
		{"POST", "/services", `{"file":"{\"service\": \"weather\"}"}`, keeper},
		{"POST", "/services", testbed.WeatherFile, keeper},
		{"DELETE", "/services/storage", "", keeper},
		{"DELETE", "/services/weather", "", keeper},
		{"GET", "/organisations/lindenmere/statements?words=observe", "", token},
		{"GET", "/patterns?words=audit", "", token},
		{"POST", house + "/patterns/audit-everything", `{"values":{"who":"curators"}}`, token},
		{"POST", house + "/patterns/audit-everything", `{"values":{"hwo":"curators"}}`, token},
		{"GET", house + "/policies", "", token},
		{"POST", house + "/policies", `{"name":"look","text":"curators may observe anything if context.location is \"north\" until 2030-01-01"}`, token},
		{"POST", house + "/policies?preview=true", `{"name":"look-again","text":"curators may observe anything if context.location is \"north\" until 2030-01-01"}`, token},
		{"POST", house + "/policies", `{"name":"slip","text":"curators may obsrve anything\nnobody may"}`, token},
		{"POST", house + "/policies/reading", `{"text":"curators may obsrve anything"}`, token},
		{"POST", house + "/policies/reading", `{"text":"curators may observe anything"}`, token},
		{"POST", house + "/policies/writing", `{"statements":[{"who":["curators"],"modal":"may","acts":["observe"],"place":"sensor-log.bucket","notes":["why"]}],"notes":["the end"]}`, token},
		{"POST", house + "/policies/writing", `{"statements":[{"who":["nobody"],"modal":"may"}]}`, token},
		{"GET", "/policies/01a210ca-cc4e-79ac-b35b-d287b32ac74b", "", token},
		{"GET", "/policies/01a210ca-cc4e-79ac-b35b-d287b32ac74b/versions", "", token},
		{"PATCH", "/policies/01a210ca-cc4e-79ac-b35b-d287b32ac74b", `{"text":"staff may observe tree"}`, token},
		{"DELETE", "/policies/nonsense", "", token},
		{"PUT", "/policies/nonsense/state", `{"state":"suspended"}`, token},
		{"PUT", house + "/services", `{"services":["storage"]}`, token},
		{"PUT", house + "/services?preview=true", `{}`, token},
		{"POST", house + "/roles", `{"name":"scanner","include":[{"services":["storage"],"planes":["data"]}]}`, token},
		{"POST", house + "/roles/reading", `{"include":[{"services":["storage"]}],"exclude":[{"classes":["destroy"]}]}`, token},
		{"POST", house + "/roles/reading", `{"include":[{"services":["storge"]}]}`, token},
		{"PUT", house + "/roles/scanner", `{"include":[{"services":["storage"]}]}`, token},
		{"PUT", house + "/roles/scanner?preview=true", `{"include":[{"services":["storge"]}]}`, token},
		{"GET", house + "/roles/scanner", "", token},
		{"DELETE", house + "/roles/scanner", "", token},
		{"DELETE", house + "/roles/observer", "", token},
		{"PATCH", "/organisations/lindenmere/principals/user/bram", `{"title":"Bram de Wolff","tags":{"team":"glass"}}`, token},
		{"PATCH", "/organisations/lindenmere/principals/user/bram?preview=true", `{"name":"bram-w"}`, token},
		{"PATCH", "/organisations/lindenmere/principals/group/weeders", `{"owner":{"kind":"user","name":"bram"}}`, token},
		{"PATCH", "/organisations/lindenmere/principals/group/weeders", `{"gathers":"tag team is"}`, token},
		{"PUT", "/organisations/lindenmere/principals/user/bram/state", `{"state":"suspended"}`, token},
		{"PUT", "/organisations/lindenmere/principals/user/bram/state", `{"state":"suspended"}`, token},
		{"PUT", "/organisations/lindenmere/principals/user/bram/state?preview=true", `{"state":"active"}`, token},
		{"POST", "/organisations/lindenmere/principals/user/bram/hand-over", `{"kind":"user","name":"ines"}`, token},
		{"POST", "/organisations/lindenmere/principals/user/bram/hand-over", `{"kind":"user","name":"ines"}`, token},
		{"POST", "/organisations/lindenmere/principals/user/bram/password", "", token},
		{"GET", "/organisations/lindenmere/principals/user/bram/keys", "", token},
		{"POST", "/organisations/lindenmere/principals/user/bram/keys", `{}`, token},
		{"POST", house + "/service-accounts", `{"name":"feeder","title":"Feeder"}`, token},
		{"GET", house + "/service-accounts", "", token},
		{"POST", "/organisations/lindenmere/principals/service-account/" + strings.ReplaceAll(alpine, "/", "%2F") + "%2Ffeeder/keys", `{"label":"first"}`, token},
		{"GET", "/organisations/lindenmere/principals/service-account/" + strings.ReplaceAll(alpine, "/", "%2F") + "%2Ffeeder", "", token},
		{"DELETE", "/keys/" + noSuchID, "", token},
		{"GET", "/organisations/lindenmere/settings", "", token},
		{"PUT", "/organisations/lindenmere/settings", `{"keysEach":4,"forbidSignedIn":true,"forbidPublic":true}`, token},
		{"GET", "/services/storage/keys", "", keeper},
		{"POST", "/services/storage/keys", `{"label":"loam"}`, keeper},
		{"GET", "/profile/keys", "", token},
		{"POST", "/profile/keys", `{}`, token},
		{"GET", "/profile/organisations", "", token},
		{"PUT", "/session/organisation", `{"organisation":"quaywater"}`, token},
		{"GET", "/organisations/lindenmere/principals/user/ines/sessions", "", token},
		{"GET", "/organisations/lindenmere/principals/user/rowan/sessions", "", token},
		{"DELETE", "/organisations/lindenmere/principals/user/ines/sessions/" + noSuchID, "", token},
		{"GET", "/profile/sessions", "", token},
		{"DELETE", "/profile/sessions/" + noSuchID, "", token},
		{"GET", "/organisations/lindenmere/people?kind=guest&state=retired", "", token},
		{"POST", "/organisations/lindenmere/guests", `{"email":"juno@quaywater.example"}`, token},
		{"POST", "/organisations/lindenmere/guests", `{"email":"nowhere"}`, token},
		{"POST", "/organisations/lindenmere/guests?preview=true", `{"email":"pell@quaywater.example","grants":[{"scope":"lindenmere","role":"observer"}]}`, token},
		{"GET", "/organisations/lindenmere/principals/guest/juno@quaywater.example", "", token},
		{"POST", "/organisations/lindenmere/principals/guest/juno@quaywater.example/invitation", "", token},
		{"POST", "/organisations/lindenmere/principals/user/ines/password-link", "", token},
		{"DELETE", "/organisations/lindenmere/principals/user/ines/second-factor", "", token},
		{"POST", "/organisations/lindenmere/newcomers?preview=true", `{"file":"name\nlinnea\nX"}`, token},
		{"POST", "/organisations/lindenmere/newcomers?preview=true", `{"file":"name\nlinnea"}`, token},
		{"POST", "/organisations/lindenmere/newcomers", `{"file":"nme"}`, token},
		{"POST", "/links/reading", `{"token":"nonsense"}`, ""},
		{"POST", "/recovery", `{"address":"pell@quaywater.example"}`, ""},
		{"GET", "/organisations/lindenmere/quotas", "", token},
		{"PUT", "/organisations/lindenmere/quotas", `{"groups":500}`, token},
		{"PUT", "/organisations/lindenmere/quotas", `{"groups":500}`, b.Token(t, "warden")},
		{"POST", "/organisations/lindenmere/first-password", "", b.Token(t, "warden")},
		{"POST", "/organisations/lindenmere/changes", `{"changes":[{"revokeGrant":"nonsense"}]}`, token},
		{"POST", "/organisations/lindenmere/changes?preview=true", `{"changes":[{"createGrant":{"scope":"lindenmere","grant":{"principal":{"kind":"user","name":"ines"},"role":"observer"}}}]}`, token},
		{"PATCH", "/grants/" + noSuchID, `{"noUntil":true}`, token},
		{"GET", "/organisations/lindenmere/principals/user/rowan/issued-keys", "", token},
		{"GET", "/organisations/lindenmere/principals/user/rowan/could-hold", "", token},
		{"POST", "/keys/" + noSuchID + "/exchange", `{}`, token},
		{"POST", "/links/use", `{"token":"nonsense","password":"x"}`, ""},
		{"POST", "/session/invitation", `{"token":"nonsense"}`, token},
		{"POST", "/session/passkey/options", "", ""},
		{"POST", "/session/passkey", `{"token":"nonsense","answer":{}}`, ""},
		{"GET", "/profile/second-factor", "", token},
		{"POST", "/profile/second-factor", "", token},
		{"PUT", "/profile/second-factor", `{"code":"000000"}`, token},
		{"POST", "/profile/second-factor/removal", `{"password":"wrong","code":"000000"}`, token},
		{"POST", "/session/proof", `{"password":"wrong"}`, token},
		{"POST", "/session/proof", `{"password":"` + demo.Passphrase + `"}`, token},
		{"POST", "/profile/passkeys/options", "", token},
		{"GET", "/profile/passkeys", "", token},
		{"POST", "/profile/passkeys", `{"token":"nonsense","label":"x","answer":{}}`, token},
		{"DELETE", "/profile/passkeys/" + noSuchID, "", token},
		{"POST", "/device/reading", `{"code":"BCDF-GHJK"}`, token},
		{"POST", "/device", `{"code":"BCDF-GHJK","allow":true}`, token},
		{"PATCH", "/organisations/lindenmere/scopes", `{"scopes":["` + alpine + `"],"title":"Alpine","tags":{"climate":"cold"}}`, token},
		{"PATCH", "/organisations/lindenmere/scopes?preview=true", `{"scopes":["` + alpine + `"],"to":"lindenmere/science"}`, token},
		{"PATCH", "/organisations/lindenmere/scopes", `{"scopes":[],"to":"lindenmere/science"}`, token},
		{"POST", "/organisations/lindenmere/changes/last/undo?preview=true", "", token},
		{"POST", "/organisations/lindenmere/changes/last/undo", "", token},
		{"POST", "/organisations/lindenmere/changes/999999/undo", "", token},
		{"GET", "/organisations/lindenmere/following/snapshot", "", following},
		{"GET", "/organisations/lindenmere/following/changes?since=1&record=" + strings.Repeat("0", 64) + "&catalogue=" + strings.Repeat("0", 64), "", following},
		{"GET", "/organisations/lindenmere/following/changes?since=1&record=no&catalogue=no", "", following},
		{"POST", "/organisations/lindenmere/following/attempts", `{"evaluations":[]}`, following},
		{"DELETE", "/session", "", token},
	} {
		t.Run(c.method+" "+c.path, func(t *testing.T) {
			r, err := http.NewRequestWithContext(t.Context(), c.method, b.Address+"/api/v1"+c.path, strings.NewReader(c.body))
			require.NoError(t, err)
			r.Header.Set("Authorization", "Bearer "+c.token)
			if c.token == "" {
				r.Header.Del("Authorization")
			}
			if c.body != "" {
				r.Header.Set("Content-Type", "application/json")
			}
			found, parameters, err := router.FindRoute(r)
			require.NoError(t, err, c.path)
			covered[found.Operation.OperationID] = true
			response, err := http.DefaultClient.Do(r)
			require.NoError(t, err)
			text, err := io.ReadAll(response.Body)
			require.NoError(t, err)
			response.Body.Close()
			require.NoError(t, fits(t, r, found, parameters, response, text), "%s %s answered %s", c.method, c.path, text)
		})
	}
	for path, item := range spec.Paths.Map() {
		for method, operation := range item.Operations() {
			// A grant is revoked elsewhere; what it answers has the form of the memberships'.
			require.True(t, covered[operation.OperationID], "%s %s is not held against the contract", method, path)
		}
	}
}

func fits(t *testing.T, r *http.Request, route *routers.Route, parameters map[string]string, response *http.Response, text []byte) error {
	return openapi3filter.ValidateResponse(t.Context(), &openapi3filter.ResponseValidationInput{
		RequestValidationInput: &openapi3filter.RequestValidationInput{Request: r, PathParams: parameters, Route: route},
		Status:                 response.StatusCode, Header: response.Header, Body: io.NopCloser(bytes.NewReader(text)),
		Options: &openapi3filter.Options{IncludeResponseStatus: true},
	})
}
