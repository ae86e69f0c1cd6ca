package service_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// authzen asks a question of the Authorization API.
func authzen(t *testing.T, b *testbed.Bed, token, path, body string) (int, map[string]any) {
	t.Helper()
	status, _, text := call(t, http.MethodPost, b.Address+"/access/v1/"+path, token, "application/json", body)
	var answer map[string]any
	require.NoError(t, json.Unmarshal([]byte(text), &answer), text)
	return status, answer
}

// TestAuthZENIsToldNothing asks without saying where the subject is, from where statements would let it in: who asks does not stand
// in for the subject, and all five ways to ask agree with the console's.
func TestAuthZENIsToldNothing(t *testing.T) {
	b := testbed.InMemory(t)
	rowan, ctx := b.As(t, "rowan@lindenmere"), t.Context()
	token := b.Token(t, "rowan@lindenmere")
	const scans = digitising + "/scans.bucket"
	b.Newcomer(t, "nils")
	require.NoError(t, client.Done(rowan.CreatePolicyAt(ctx, digitising, api.PolicyNew{Name: "here", Text: `user nils may describe bucket if context.ip within "127.0.0.0/8"`})))
	subject, resource := `"subject":{"type":"user","id":"nils"}`, `"resource":{"type":"bucket","id":"`+scans+`"}`
	for context, allowed := range map[string]bool{
		``: false, `,"context":{}`: false, `,"context":{"time":"2026-11-27T12:00:00Z"}`: false, `,"context":{"ip":"127.0.0.9"}`: true, `,"context":{"ip":"10.0.0.9"}`: false,
	} {
		t.Run(context, func(t *testing.T) {
			_, answer := authzen(t, b, token, "evaluation", `{`+subject+`,"action":{"name":"describe"},`+resource+context+`}`)
			require.Equal(t, allowed, answer["decision"], "evaluation %s: %v", context, answer)
			_, answer = authzen(t, b, token, "evaluations", `{`+subject+`,`+resource+context+`,"evaluations":[{"action":{"name":"describe"}}]}`)
			require.Equal(t, allowed, answer["evaluations"].([]any)[0].(map[string]any)["decision"], "evaluations %s", context)
			for path, body := range map[string]string{
				"search/action":   `{` + subject + `,` + resource + context + `}`,
				"search/subject":  `{"subject":{"type":"user"},"action":{"name":"describe"},` + resource + context + `}`,
				"search/resource": `{` + subject + `,"action":{"name":"describe"},"resource":{"type":"bucket"}` + context + `}`,
			} {
				wanted := map[string]string{"search/action": "describe", "search/subject": "nils", "search/resource": scans}[path]
				_, answer = authzen(t, b, token, path, body)
				require.Equal(t, allowed, strings.Contains(fmt.Sprint(answer["results"]), wanted), "%s %s: %v", path, context, answer)
			}
		})
	}

	// What cuts unless one is here, cuts whoever is nowhere.
	require.NoError(t, client.Done(rowan.CreatePolicyAt(ctx, digitising, api.PolicyNew{Name: "only-here", Text: `user piotr may never describe bucket if not context.ip within "127.0.0.0/8"`})))
	_, answer := authzen(t, b, token, "evaluation", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"describe"},`+resource+`}`)
	require.Equal(t, false, answer["decision"])
	require.Equal(t, "cut", answer["context"].(map[string]any)["reason"])

	// Of oneself anybody may ask, and learns nothing of what they do not see.
	nils := b.Token(t, "nils@lindenmere")
	var answers []map[string]any
	for _, id := range []string{vault, vault + "-not", vault + "/vault-scans.bucket"} {
		_, answer := authzen(t, b, nils, "evaluation", `{`+subject+`,"action":{"name":"describe"},"resource":{"type":"project","id":"`+id+`"}}`)
		answers = append(answers, answer)
	}
	require.Equal(t, answers[1], answers[0], "what is not seen looks like what is not there")
	require.Equal(t, answers[1], answers[2])
}

// TestPagesOfASearchGoOn reads a search page by page while what ends a page is renamed: nothing is missed, and a token of nobody's
// is told to be one.
func TestPagesOfASearchGoOn(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, token := b.As(t, "rowan@lindenmere"), b.Token(t, "rowan@lindenmere")
	const search = `{"subject":{"type":"user","id":"rowan"},"action":{"name":"describe"},"resource":{"type":"bucket"},"page":{"limit":%d,"token":%q}}`
	_, answer := authzen(t, b, token, "search/resource", fmt.Sprintf(search, 1000, ""))
	all := answer["results"].([]any)
	require.Greater(t, len(all), 3)
	found, next := 0, ""
	for page := 0; page == 0 || next != ""; page++ {
		status, answer := authzen(t, b, token, "search/resource", fmt.Sprintf(search, 2, next))
		require.Equal(t, 200, status, answer)
		results := answer["results"].([]any)
		found += len(results)
		next = answer["page"].(map[string]any)["next_token"].(string)
		if page == 0 {
			last := results[len(results)-1].(map[string]any)["id"].(string)
			require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{last}, Name: ptr("a-first-name")}))
		}
	}
	require.GreaterOrEqual(t, found, len(all))
	status, answer := authzen(t, b, token, "search/resource", fmt.Sprintf(search, 2, "bm9uc2Vuc2U"))
	require.Equal(t, 400, status, answer)
}

// TestWhereTheServiceSaysItIs asks for metadata by another of this machine's names: the service tells its own, to HEAD too, and
// says how to sign in to whoever did not. By a name of somebody else's nothing is told.
func TestWhereTheServiceSaysItIs(t *testing.T) {
	b := testbed.InMemory(t)
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		for _, path := range []string{"/.well-known/authzen-configuration", "/.well-known/oauth-authorization-server", "/oauth/keys"} {
			r, err := http.NewRequestWithContext(t.Context(), method, b.Address+path, nil)
			require.NoError(t, err)
			r.Host = "quaywater.localhost"
			response, err := http.DefaultClient.Do(r)
			require.NoError(t, err)
			text, err := io.ReadAll(response.Body)
			require.NoError(t, err)
			require.NoError(t, response.Body.Close())
			require.Equal(t, 200, response.StatusCode, "%s %s", method, path)
			require.NotContains(t, string(text), "quaywater")
			if method == http.MethodGet && path != "/oauth/keys" {
				require.Contains(t, string(text), b.Address)
			}
		}
	}
	for _, path := range []string{"/", "/api/v1/status", "/.well-known/authzen-configuration", "/access/v1/evaluation"} {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, b.Address+path, nil)
		require.NoError(t, err)
		r.Host = "quaywater.example"
		response, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		text, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		require.Equal(t, http.StatusMisdirectedRequest, response.StatusCode, path)
		require.Contains(t, string(text), "this service answers at "+b.Address)
	}
	for _, path := range []string{"/access/v1/evaluation", "/api/v1/organisations/lindenmere/groups"} {
		status, header, _ := call(t, http.MethodPost, b.Address+path, "", "application/json", `{}`)
		require.Equal(t, 401, status)
		require.Equal(t, `Bearer realm="Arbora"`, header.Get("WWW-Authenticate"))
	}
}
