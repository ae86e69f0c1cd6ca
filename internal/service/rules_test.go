package service_test

import (
	"bytes"
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

// TestPolicies writes, reads, searches, rewrites and takes away policies, as those who may and those who may not.
func TestPolicies(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan, yuki := b.As(t, "rowan@lindenmere"), b.As(t, "yuki@lindenmere")
	may := func(permission, at string) bool {
		answer, err := rowan.Check(ctx, at, api.Question{Permission: permission, Principal: ptr(user("yuki"))})
		require.NoError(t, err)
		return answer.Allowed
	}
	const text = "under digitising: network-team may observe, operate, modify networking # theirs"
	wanted := api.PolicyNew{Name: "networks", Text: text, Description: "their networks"}
	preview, err := rowan.PreviewCreatePolicyAt(ctx, herbarium, wanted)
	require.NoError(t, err)
	require.Equal(t, "1 person would gain access.", preview.Impact.Words)
	require.Equal(t, digitising, preview.Impact.Effects[0].Scope.Address)
	require.False(t, may("create network", digitising))

	made, err := rowan.CreatePolicyAt(ctx, herbarium, wanted)
	require.NoError(t, err)
	require.Equal(t, "under digitising:\n    network-team may observe, operate, modify networking  # theirs\n", made.Policy.Text)
	require.True(t, may("create network", digitising))
	require.False(t, may("create network", herbarium))
	require.False(t, may("create bucket", digitising))

	p := testbed.Problem(t, 409, client.Done(rowan.CreatePolicyAt(ctx, herbarium, wanted)))
	require.Contains(t, p.Detail, "already has a policy called networks")
	p = testbed.Problem(t, 400, client.Done(rowan.CreatePolicyAt(ctx, herbarium, api.PolicyNew{Name: "slips", Text: "netwrk-team may observe anything\nstaff may observe tree\nstaff may obsrve tree"})))
	require.Len(t, p.Faults, 2)
	require.Equal(t, "network-team", p.Faults[0].Nearest)
	require.Equal(t, 3, p.Faults[1].Line)
	testbed.Problem(t, 404, client.Done(yuki.ShowPolicy(ctx, made.Policy.Id)))
	testbed.Problem(t, 403, client.Done(yuki.CreatePolicyAt(ctx, digitising, wanted)))

	// What cuts names itself in the answer, with what would turn it.
	care, err := rowan.CreatePolicyAt(ctx, "lindenmere/science", api.PolicyNew{Name: "care", Text: "everyone except vault-keepers may never destroy anything"})
	require.NoError(t, err)
	answer, err := rowan.Check(ctx, digitising, api.Question{Permission: "retire compartment"})
	require.NoError(t, err)
	require.Equal(t, api.AnswerReasonCut, answer.Reason)
	require.Contains(t, answer.Words, `“everyone except vault-keepers may never destroy anything” in policy care at lindenmere/science cuts it off`)
	require.Equal(t, care.Policy.Id, answer.Steps[0].Policy.Id)

	// The search finds statements by words wherever they stand; what somebody may not see is counted.
	found, err := rowan.SearchStatements(ctx, "lindenmere", &api.SearchStatementsParams{Find: "destroy vault-keepers"})
	require.NoError(t, err)
	require.Len(t, found.Statements, 1)
	found, err = yuki.SearchStatements(ctx, "lindenmere", &api.SearchStatementsParams{Find: "may"})
	require.NoError(t, err)
	require.Empty(t, found.Statements)
	require.True(t, found.Hidden)

	// What was read is to be what is written over.
	stale := testbed.Problem(t, 412, client.Done(rowan.EditPolicyText(ctx, made.Policy.Id, nil, api.PolicyEdit{Text: ptr("network-team may observe networking"), Was: &api.AsRead{Text: ptr("staff may observe tree\n")}})))
	require.Contains(t, stale.Detail, "somebody changed the text of policy networks since you read it")
	testbed.Problem(t, 412, client.Done(rowan.EditPolicyText(ctx, made.Policy.Id, &api.EditPolicyTextParams{Preview: true}, api.PolicyEdit{Name: ptr("x"), Was: &api.AsRead{Name: ptr("")}})))
	require.NoError(t, client.Done(rowan.EditPolicyText(ctx, made.Policy.Id, nil, api.PolicyEdit{Description: ptr("theirs"), Was: &api.AsRead{Text: &made.Policy.Text}})))

	// Another text, all of it or nothing; then none.
	_, err = rowan.EditPolicyText(ctx, made.Policy.Id, nil, api.PolicyEdit{Text: ptr("under digitising:\n    network-team may observe networking\n    nobody may")})
	testbed.Problem(t, 400, err)
	require.True(t, may("create network", digitising))
	require.NoError(t, client.Done(rowan.EditPolicyText(ctx, made.Policy.Id, nil, api.PolicyEdit{Text: ptr("network-team may observe networking"), Name: ptr("looking")})))
	require.False(t, may("create network", digitising))
	list, err := rowan.ListPolicies(ctx, digitising, nil)
	require.NoError(t, err)
	require.Len(t, list.Policies, 2)
	require.Equal(t, "looking", list.Policies[0].Name)
	require.True(t, list.Policies[0].Inherited)
	require.NoError(t, client.Done(rowan.RemovePolicy(ctx, made.Policy.Id, nil)))
	require.False(t, may("list network", digitising))

	// A policy that would lock everybody out is refused.
	p = testbed.Problem(t, 422, client.Done(rowan.CreatePolicyAt(ctx, "lindenmere", api.PolicyNew{Name: "shut", Text: "everyone may never do anything"})))
	require.Equal(t, "lock-out", p.Rule)
}

// TestSuspendedPolicies has policies decide nothing for a while: their impact is told before, answers name them, and nobody gains by
// what is written into one meanwhile, nor by its resumption.
func TestSuspendedPolicies(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan, yuki := b.As(t, "rowan@lindenmere"), b.As(t, "yuki@lindenmere")
	b.Grant(t, "access-manager", "user", "yuki", herbarium)
	made, err := rowan.CreatePolicyAt(ctx, herbarium, api.PolicyNew{Name: "networks", Text: "user piotr may create network\nuser piotr may never destroy anything"})
	require.NoError(t, err)
	key := made.Policy.Id
	may := func() bool {
		answer, err := rowan.Check(ctx, digitising, api.Question{Permission: "create network", Principal: &api.PrincipalRef{Kind: api.UserKind, Name: "piotr"}})
		require.NoError(t, err)
		return answer.Allowed
	}
	set := func(as *client.Client, preview bool, state api.PolicyStateChangeState) (api.Written, error) {
		return as.SetPolicyState(ctx, key, &api.SetPolicyStateParams{Preview: preview}, api.PolicyStateChange{State: state})
	}
	require.True(t, may())
	told, err := set(rowan, true, api.SuspendedPolicy)
	require.NoError(t, err)
	require.Equal(t, "1 person would lose access.", told.Impact.Words)
	require.NoError(t, client.Done(set(rowan, false, api.SuspendedPolicy)))
	require.False(t, may())
	shown, err := rowan.ShowPolicy(ctx, key)
	require.NoError(t, err)
	require.True(t, shown.Suspended)
	require.True(t, shown.Statements[0].Suspended)
	versions, err := rowan.ListPolicyVersions(ctx, key, nil)
	require.NoError(t, err)
	require.Len(t, versions.Versions, 1, "its text is the same")
	why, err := rowan.Check(ctx, digitising, api.Question{Permission: "create network", Principal: &api.PrincipalRef{Kind: api.UserKind, Name: "piotr"}})
	require.NoError(t, err)
	require.Contains(t, fmt.Sprintf("%+v", why), "decides nothing: its policy is suspended")
	p := testbed.Problem(t, 422, client.Done(set(rowan, false, api.SuspendedPolicy)))
	require.Contains(t, p.Detail, "policy networks is suspended already")

	// What she may not give she may not write into it either, for it may be resumed.
	text := "user piotr may act as steward"
	p = testbed.Problem(t, 403, client.Done(yuki.EditPolicyText(ctx, key, nil, api.PolicyEdit{Text: &text})))
	require.Contains(t, p.Detail, "which you do not hold there yourself")
	require.NoError(t, client.Done(rowan.EditPolicyText(ctx, key, nil, api.PolicyEdit{Text: &text})))
	require.False(t, may(), "it stays suspended")
	p = testbed.Problem(t, 403, client.Done(set(yuki, false, api.ActivePolicy)))
	require.Contains(t, p.Detail, "which you do not hold there yourself", "nor resume what she may not give")
	require.NoError(t, client.Done(set(rowan, false, api.ActivePolicy)))
	require.True(t, may())
}

// TestNobodyWritesBeyondTheirOwn has a steward of one project try to give by statement what she does not hold.
func TestNobodyWritesBeyondTheirOwn(t *testing.T) {
	b := testbed.InMemory(t)
	b.Grant(t, "access-manager", "user", "tomas", trial)
	tomas := b.As(t, "tomas@lindenmere")
	write := func(text string) error {
		return client.Done(tomas.CreatePolicyAt(t.Context(), trial, api.PolicyNew{Name: "p", Text: text}))
	}
	p := testbed.Problem(t, 403, write("seed-curators may act as steward"))
	require.Contains(t, p.Detail, "which you do not hold there yourself")
	p = testbed.Problem(t, 403, write("contractors may act as people-manager until 2030-01-01"))
	require.Contains(t, p.Detail, "group contractors would gain", "a group with nobody in it counts, and so does a period")
	for _, whenever := range []string{
		fmt.Sprintf("if context.hour is %d", (b.Clock.Now().UTC().Hour()+12)%24), `if context.weekday is not "` + strings.ToLower(b.Clock.Now().UTC().Weekday().String()) + `"`,
		"if context.time after 2090-01-01", "from 2090-01-01", `if context.ip within "10.9.0.0/16"`, `if context.location is "north"`, `if claim.team is "seeds"`,
	} {
		p = testbed.Problem(t, 403, write("user tomas may act as steward "+whenever))
		require.Contains(t, p.Detail, "user tomas would gain", "what does not hold here and now may do so elsewhere and later: %s", whenever)
	}
	require.NoError(t, write("seed-curators may act as content-reader if context.location is \"north\""), "an access manager gives beyond what he holds, but for permissions to govern")
}

// TestGrantsOnTerms grants under a condition and for a period, and asks under several circumstances.
func TestGrantsOnTerms(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan := b.As(t, "rowan@lindenmere")
	until, err := rowan.CreateGrant(ctx, digitising, api.GrantNew{
		Principal: user("piotr"), Role: "content-reader", Condition: `context.location is "north"`, Until: b.Clock.Now().AddDate(1, 0, 0),
	})
	require.NoError(t, err)
	require.Equal(t, `context.location is "north"`, until.Grant.Condition)
	ask := func(told api.QuestionContext) api.Answer {
		answer, err := rowan.Check(ctx, digitising, api.Question{Permission: "fetch object", Principal: ptr(user("piotr")), Context: &told})
		require.NoError(t, err)
		return answer
	}
	require.True(t, ask(api.QuestionContext{Location: "north"}).Allowed)
	require.Contains(t, ask(api.QuestionContext{Location: "south"}).Words, `content-reader, granted at `+digitising+`, does not apply: its condition is not met (context.location is "north")`)
	require.Contains(t, ask(api.QuestionContext{}).Words, "it is not known whether")
	require.False(t, ask(api.QuestionContext{Location: "north", Time: b.Clock.Now().AddDate(2, 0, 0)}).Allowed)
	holders, err := rowan.ListHolders(ctx, digitising, nil, api.HoldersQuestion{Permission: "fetch object"})
	require.NoError(t, err)
	require.Len(t, holders.Holders, 1)
	require.True(t, holders.Holders[0].Conditional)
	p := testbed.Problem(t, 400, client.Done(rowan.CreateGrant(ctx, digitising, api.GrantNew{Principal: user("piotr"), Role: "observer", Condition: "request.locaton is x"})))
	require.Equal(t, "context.location", p.Nearest)
	testbed.Problem(t, 422, client.Done(rowan.CreateGrant(ctx, digitising, api.GrantNew{Principal: user("piotr"), Role: "observer", From: b.Clock.Now().AddDate(2, 0, 0), Until: b.Clock.Now().AddDate(1, 0, 0)})))
	past := testbed.Problem(t, 400, client.Done(rowan.CreateGrant(ctx, digitising, api.GrantNew{Principal: user("piotr"), Role: "observer", Until: b.Clock.Now().AddDate(-1, 0, 0)})))
	require.Equal(t, "until", past.Field)

	covered, err := rowan.PreviewCreateGrant(ctx, digitising, api.GrantNew{Principal: user("maeve"), Role: "builder"})
	require.NoError(t, err)
	require.Equal(t, "Nothing changes: steward for user maeve at lindenmere already gives it.", covered.Impact.Words)

	public, err := rowan.PreviewCreateGrant(ctx, digitising+"/scans.bucket",
		api.GrantNew{Principal: api.PrincipalRef{Kind: api.SetKind, Name: "public"}, Role: "content-reader"})
	require.NoError(t, err)
	require.Equal(t, []string{"Anybody at all gets what it gives at " + digitising + "/scans.bucket, known to the organisation or not."}, public.Impact.Warnings)
}

// TestCustomRoles defines a role, grants it, edits it with its impact shown, and removes it with its grants.
func TestCustomRoles(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan := b.As(t, "rowan@lindenmere")
	storage, data := []string{"storage"}, []string{"data"}
	_, err := rowan.CreateRole(ctx, herbarium, api.RoleNew{Name: "scanner", Include: []api.RoleFilter{{Services: storage, Planes: data, Classes: []string{"observe"}}}})
	require.NoError(t, err)
	p := testbed.Problem(t, 422, client.Done(rowan.CreateGrant(ctx, trial, api.GrantNew{Principal: user("piotr"), Role: "scanner"})))
	require.Contains(t, p.Detail, "scanner may be granted under "+herbarium+" only")
	testbed.Problem(t, 409, client.Done(rowan.CreateRole(ctx, herbarium, api.RoleNew{Name: "observer", Include: []api.RoleFilter{{Services: storage}}})))
	p = testbed.Problem(t, 422, client.Done(rowan.CreateRole(ctx, herbarium, api.RoleNew{Name: "x", Include: []api.RoleFilter{{Services: []string{"storge"}}}})))
	require.Equal(t, "storage", p.Nearest)
	b.Grant(t, "scanner", "user", "piotr", digitising)

	edit := api.RoleEdit{Include: []api.RoleFilter{{Services: storage, Planes: data}}}
	written, err := rowan.EditRole(ctx, herbarium, "scanner", &api.EditRoleParams{Preview: true}, edit)
	require.NoError(t, err)
	require.Equal(t, []string{"put object", "erase object"}, written.Impact.Effects[0].Gains)
	require.NoError(t, client.Done(rowan.EditRole(ctx, herbarium, "scanner", nil, edit)))
	answer, err := rowan.Check(ctx, digitising, api.Question{Permission: "erase object", Principal: ptr(user("piotr"))})
	require.NoError(t, err)
	require.True(t, answer.Allowed)

	here, err := rowan.ListRoles(ctx, herbarium, nil)
	require.NoError(t, err)
	elsewhere, err := rowan.ListRoles(ctx, trial, nil)
	require.NoError(t, err)
	require.Len(t, here.Roles, len(elsewhere.Roles)+1)
	details, err := rowan.ShowRole(ctx, herbarium, "scanner")
	require.NoError(t, err)
	require.Len(t, details.Grants, 1)
	require.Equal(t, []string{"edit role", "retire role"}, details.May)

	p = testbed.Problem(t, 422, client.Done(rowan.RemoveRole(ctx, herbarium, "scanner", nil)))
	require.Contains(t, p.Detail, "scanner is used by 1 grant and 0 statements")
	testbed.Problem(t, 422, client.Done(rowan.RemoveRole(ctx, herbarium, "observer", nil)))
	require.NoError(t, client.Done(rowan.RemoveRole(ctx, herbarium, "scanner", &api.RemoveRoleParams{Grants: true})))
	testbed.Problem(t, 404, client.Done(rowan.ShowRole(ctx, herbarium, "scanner")))
}

// TestAuthZEN asks as a platform service does: one evaluation, many, and the three searches.
func TestAuthZEN(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	token := b.Token(t, "rowan@lindenmere")
	ask := func(token, path, body string) (int, string) {
		r, err := http.NewRequestWithContext(t.Context(), "POST", b.Address+path, strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("X-Request-ID", "abc")
		if token != "" {
			r.Header.Set("Authorization", "Bearer "+token)
		}
		response, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer response.Body.Close()
		text, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		require.Equal(t, "abc", response.Header.Get("X-Request-ID"))
		return response.StatusCode, string(bytes.TrimSpace(text))
	}
	const scans = digitising + "/scans.bucket"
	for _, c := range []struct{ path, body, says string }{
		{"evaluation", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"fetch"},"resource":{"type":"object","id":"` + scans + `/sheet-1.png"}}`, `{"decision":true,"context":{"reason":"granted"`},
		{"evaluation", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"erase"},"resource":{"type":"object","id":"` + scans + `"}}`, `{"decision":false,"context":{"reason":"not-granted"`},
		{"evaluation", `{"subject":{"type":"user","id":"nobody"},"action":{"name":"erase"},"resource":{"type":"object","id":"` + scans + `"}}`, `"reason":"unknown"`},
		{"evaluation", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"put"},"resource":{"type":"object","id":"` + scans + `"},"context":{"location":"north"}}`, `{"decision":true`},
		{"evaluation", `{"subject":{"type":"user","id":"maeve"},"action":{"name":"create"},"resource":{"type":"machine","id":"` + digitising + `"},"context":{"refers":["` + digitising + `/digitising-lan.network"]}}`, `{"decision":true`},
		{"evaluation", `{"subject":{"type":"user","id":"maeve"},"action":{"name":"create"},"resource":{"type":"machine","id":"` + digitising + `"},"context":{"refers":["` + scans + `"]}}`, `"reason":"lacking"`},
		{"evaluations", `{"subject":{"type":"user","id":"piotr"},"resource":{"type":"object","id":"` + scans + `"},"evaluations":[{"action":{"name":"fetch"}},{"action":{"name":"erase"}},{"action":{"name":"list"}}]}`, `"decision":false`},
		{"search/subject", `{"subject":{"type":"user"},"action":{"name":"edit"},"resource":{"type":"bucket","id":"` + scans + `"}}`, `{"type":"user","id":"maeve"},{"type":"user","id":"piotr"},{"type":"user","id":"rowan"}`},
		{"search/action", `{"subject":{"type":"user","id":"piotr"},"resource":{"type":"object","id":"` + scans + `"}}`, `{"name":"fetch"},{"name":"list"}`},
		{"search/resource", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"edit"},"resource":{"type":"bucket"}}`, `"results":[{"type":"bucket","id":"` + scans + `"}]`},
		{"search/resource", `{"subject":{"type":"user","id":"rowan"},"action":{"name":"edit"},"resource":{"type":"bucket"},"page":{"limit":2}}`, `"page":{"count":2,"next_token":"`},
		// Creation is asked about where it happens, and what is no scope where it lies.
		{"search/resource", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"create"},"resource":{"type":"machine"}}`, `"results":[{"type":"machine","id":"` + digitising + `"}]`},
		{"search/resource", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"fetch"},"resource":{"type":"object"}}`, `{"type":"object","id":"` + scans + `"}`},
		{"search/subject", `{"subject":{"type":"group"},"action":{"name":"edit"},"resource":{"type":"bucket","id":"` + scans + `"}}`, `{"type":"group","id":"herbarium-digitisers"}`},
		// A fault of a question belongs into its own answer.
		{"evaluation", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"ferch"},"resource":{"type":"object","id":"x"}}`, `did you mean fetch?`},
		{"evaluation", `{"subject":{"type":"robot","id":"piotr"},"action":{"name":"fetch"},"resource":{"type":"object","id":"x"}}`, `is not a kind of principal`},
		{"evaluations", `{"subject":{"type":"user","id":"piotr"},"resource":{"type":"object","id":"` + scans + `"},"evaluations":[{"action":{"name":"fetch"}},{"action":{"name":"ferch"}},{"action":{"name":"list"},"context":{"time":"soon"}},{"resource":{"type":"object"}}]}`,
			`"evaluations":[{"decision":true,`},
		// Context is free in form.
		{"evaluation", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"put"},"resource":{"type":"object","id":"` + scans + `"},"context":{"location":"north","time":"2026-10-26T01:22-07:00","claims":{"level":3,"team":"seeds","gone":null},"weather":["wet"]}}`, `{"decision":true`},
	} {
		t.Run(c.path, func(t *testing.T) {
			status, text := ask(token, "/access/v1/"+c.path, c.body)
			require.Equal(t, 200, status, text)
			require.Contains(t, text, c.says, c.body)
		})
	}
	status, text := ask(token, "/access/v1/evaluations", `{"subject":{"type":"user","id":"piotr"},"resource":{"type":"object","id":"`+scans+`"},"options":{"evaluations_semantic":"deny_on_first_deny"},"evaluations":[{"action":{"name":"erase"}},{"action":{"name":"list"}}]}`)
	require.Equal(t, 200, status)
	require.Equal(t, 1, strings.Count(text, "decision"))
	for body, says := range map[string]string{
		`{`: "is not the JSON", `{"subject":{"type":"user"}}`: "the subject is missing",
		`{"subject":{"type":"user","id":"piotr"},"action":{"name":"fetch"},"resource":{"type":"object","id":"x"}} more`: "text after the JSON value",
	} {
		t.Run(body, func(t *testing.T) {
			status, text := ask(token, "/access/v1/evaluation", body)
			require.Contains(t, []int{400, 422}, status, text)
			require.Contains(t, text, says)
		})
	}
	for _, path := range []string{"evaluation", "evaluations", "search/subject", "search/action", "search/resource"} {
		status, _ := ask("", "/access/v1/"+path, `{}`)
		require.Equal(t, 401, status, "without a session nothing is answered")
	}
	// Of others only those may ask who may list the grants; what is not theirs to ask is like what is not there.
	yuki := b.Token(t, "yuki@lindenmere")
	_, text = ask(yuki, "/access/v1/evaluation", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"fetch"},"resource":{"type":"object","id":"`+scans+`"}}`)
	require.Contains(t, text, `{"decision":false,"context":{"reason":"unknown"`)
	_, text = ask(yuki, "/access/v1/search/resource", `{"subject":{"type":"user","id":"piotr"},"action":{"name":"edit"},"resource":{"type":"bucket"}}`)
	require.Contains(t, text, `"results":[]`)
	response, err := http.Get(b.Address + "/.well-known/authzen-configuration")
	require.NoError(t, err)
	defer response.Body.Close()
	var found map[string]string
	require.NoError(t, json.NewDecoder(response.Body).Decode(&found))
	require.Equal(t, b.Address+"/access/v1/evaluation", found["access_evaluation_endpoint"])
}

// TestWhatCostsItsMakerTheSightIsAnswered has somebody write what takes their own sight away: they hear that it is written, for it is.
func TestWhatCostsItsMakerTheSightIsAnswered(t *testing.T) {
	b := testbed.InMemory(t)
	rowan, nils, ctx := b.As(t, "rowan@lindenmere"), b.Newcomer(t, "nils"), t.Context()
	b.Grant(t, "steward", "user", "nils", digitising)
	made, err := nils.CreatePolicyAt(ctx, digitising, api.PolicyNew{Name: "mine", Text: "user nils may never erase object"})
	require.NoError(t, err)
	written, err := nils.EditPolicyText(ctx, made.Policy.Id, nil, api.PolicyEdit{Text: ptr("user nils may only do anything to service-account")})
	require.NoError(t, err)
	require.Equal(t, made.Revision+1, written.Revision)
	testbed.Problem(t, 404, client.Done(nils.ShowPolicy(ctx, made.Policy.Id)))
	require.NoError(t, client.Done(rowan.RemovePolicy(ctx, made.Policy.Id, nil)))

	// What is given to one by a group is gone once one leaves it.
	require.NoError(t, client.Done(rowan.CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "keys"})))
	require.NoError(t, client.Done(rowan.AddMember(ctx, "lindenmere", "keys", nil, user("nils"))))
	b.Grant(t, "people-manager", "group", "keys", "lindenmere")
	require.NoError(t, client.Done(nils.EditPrincipal(ctx, "lindenmere", api.GroupKind, "keys", nil, api.PrincipalEdit{Title: ptr("Keys")})))
	require.NoError(t, client.Done(nils.RemoveMember(ctx, "lindenmere", "keys", api.UserKind, "nils", nil)))
	testbed.Problem(t, 403, client.Done(nils.EditPrincipal(ctx, "lindenmere", api.GroupKind, "keys", nil, api.PrincipalEdit{Title: ptr("Mine")})))
}
