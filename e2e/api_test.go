package e2e

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
)

const (
	glasshouses = "lindenmere/gardens/glasshouses"
	alpine      = glasshouses + "/alpine-house"
	sensorLog   = alpine + "/sensor-log.bucket"
	trial       = "lindenmere/science/seedbank/seedbank-trial"
	vault       = "lindenmere/science/seedbank/seedbank-vault"
)

func user(name string) api.PrincipalRef {
	return api.PrincipalRef{Kind: api.UserKind, Name: name}
}

// call sends a request as it is and gives the answer's status, header and body.
func call(t *testing.T, method, address, token, contentType, body string) (int, http.Header, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, address, strings.NewReader(body))
	require.NoError(t, err)
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	if contentType != "" {
		r.Header.Set("Content-Type", contentType)
	}
	response, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, response.Header, string(text)
}

// noSuchID is a well-formed id of nothing.
const noSuchID = "01a210ca-cc4e-79ac-b35b-d287b32ac74b"

// TestEveryRouteRefusesWhoHoldsNothing walks the contract as somebody without access: only what concerns themselves
// opens. Without a session nothing does but signing in. A route that declares no need fails the walk.
func TestEveryRouteRefusesWhoHoldsNothing(t *testing.T) {
	b := testbed.StartDemo(t)
	b.Newcomer(t, "bram")
	token, keeper := b.Token(t, "bram@lindenmere"), b.Token(t, demo.Keeper)
	grant := b.Grant(t, "observer", "group", "network-team", alpine)
	made, err := b.As(t, "rowan@lindenmere").CreatePolicyAt(t.Context(), alpine, api.PolicyNew{Name: "look", Text: "network-team may observe tree"})
	require.NoError(t, err)
	policy := made.Policy.Id
	spec, err := openapi3.NewLoader().LoadFromData(api.Contract)
	require.NoError(t, err)
	values, bodies := pathValues(grant, policy), goodBodies()
	walked := 0
	for path, item := range spec.Paths.Map() {
		for method, operation := range item.Operations() {
			needs, _ := operation.Extensions["x-needs"].(string)
			require.NotEmpty(t, needs, "%s %s declares no need", method, path)
			for name, value := range values {
				path = strings.ReplaceAll(path, "{"+name+"}", value)
			}
			require.NotContains(t, path, "{", "the walk has no value for a parameter")
			body, contentType := bodies[operation.OperationID], ""
			if operation.RequestBody != nil {
				require.NotEmpty(t, body, "the walk has no body for %s", operation.OperationID)
				contentType = "application/json"
			}
			if needs != "nothing" {
				status, _, text := call(t, method, b.Address+"/api/v1"+path, "", contentType, body)
				require.Equal(t, 401, status, "%s %s without a session: %s", method, path, text)
			}
			if needs == "nothing" || needs == "session" {
				continue
			}
			status, header, text := call(t, method, b.Address+"/api/v1"+path, token, contentType, body)
			require.Contains(t, []int{403, 404}, status, "%s %s as somebody who holds nothing: %s", method, path, text)
			require.Equal(t, "application/problem+json", header.Get("Content-Type"))
			walked++
			if needs != "keeper" {
				status, _, text = call(t, method, b.Address+"/api/v1"+path, keeper, contentType, body)
				require.Equal(t, 403, status, "%s %s as a keeper, who holds nothing inside: %s", method, path, text)
			}
		}
	}
	require.Greater(t, walked, 15)
	require.NoError(t, b.Records.CheckAudit(t.Context()))
}

// TestBadInput sends what is wrong and reads the problem each gets; afterwards nothing has changed.
func TestBadInput(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan := b.Token(t, "rowan@lindenmere")
	before, err := b.As(t, "rowan@lindenmere").ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	children := "/scopes/" + url.PathEscape(alpine) + "/children"
	grants := "/scopes/" + url.PathEscape(alpine) + "/grants"
	users, members := "/organisations/lindenmere/users", "/organisations/lindenmere/groups/seed-curators/members"
	for _, c := range []struct {
		method, path, kind, body string
		status                   int
		says                     string
	}{
		{"POST", children, "application/json", `{"kind":"resource","name":"x"`, 400, "not well-formed JSON"},
		{"POST", children, "application/json", `[]`, 400, "wrong type"},
		{"POST", children, "application/json", ``, 400, "a body is needed"},
		{"POST", children, "text/plain", `{"kind":"folder","name":"x"}`, 400, `content type \"text/plain\" is not understood`},
		{"POST", children, "", `{"kind":"folder","name":"x"}`, 400, "send application/json"},
		{"POST", children, "application/json", `{"kind":"resource","nmae":"x","name":"y"}`, 400, "did you mean name?"},
		{"POST", children, "application/json", `{"kind":"resource"}`, 400, "name is missing"},
		{"POST", children, "application/json", `{"kind":"foldr","name":"x"}`, 400, `"nearest":"folder"`},
		{"POST", children, "application/json", `{"kind":"resource","name":7,"type":"bucket"}`, 400, `"field":"name"`},
		{"POST", children, "application/json", `{"kind":"resource","name":"x"}`, 400, "a resource needs a type"},
		{"POST", children, "application/json", `{"kind":"resource","name":"x","type":"buckt"}`, 422, `"nearest":"bucket"`},
		{"POST", children, "application/json", `{"kind":"folder","name":"x"}`, 422, "a folder cannot sit in a project"},
		{"POST", children, "application/json", `{"kind":"resource","name":"X","type":"bucket"}`, 400, "is not a valid name"},
		{"POST", children, "application/json", `{"kind":"resource","name":"sensor-log","type":"bucket"}`, 409, "already has something called sensor-log.bucket"},
		{"POST", children, "application/json", `{"kind":"resource","name":"x","type":"bucket","tags":{"Bad Key":"v"}}`, 400, "is not a valid name"},
		{"POST", children, "application/json", `{"kind":"resource","name":"x","type":"bucket","title":"` + strings.Repeat("a", 201) + `"}`, 400, "longer than 200"},
		{"POST", children, "application/json", `{"kind":"resource","name":"` + strings.Repeat("a", 2<<20) + `"}`, 413, "larger than 1 MiB"},
		{"POST", grants, "application/json", `{"principal":{"kind":"group","name":"glashouse-engineers"},"role":"observer"}`, 404, "did you mean glasshouse-engineers?"},
		{"POST", grants, "application/json", `{"principal":{"kind":"group","name":"network-team"},"role":"obsever"}`, 422, "did you mean observer?"},
		{"POST", grants, "application/json", `{"principal":{"kind":"robot","name":"x"},"role":"observer"}`, 400, "use one of user, guest, group"},
		{"POST", grants, "application/json", `{"role":"observer"}`, 400, "principal is missing"},
		{"DELETE", "/grants/nonsense", "", "", 400, "is not a valid id of a grant"},
		{"DELETE", "/grants/01a210ca-cc4e-79ac-b35b-d287b32ac74b", "", "", 404, "there is no grant"},
		{"POST", members, "application/json", `{"kind":"group","name":"curators"}`, 422, "that would be a circle, seed-curators in curators in seed-curators"},
		{"POST", members, "application/json", `{"kind":"user","name":"ines"}`, 409, "is already in seed-curators"},
		{"POST", members, "application/json", `{"kind":"user","name":"inez"}`, 404, "did you mean ines?"},
		{"DELETE", members + "/user/rowan", "", "", 422, "is not a direct member"},
		{"POST", users, "application/json", `{"name":"tomas"}`, 409, "there is already a user called tomas"},
		{"POST", users, "application/json", `{"name":"linnea","password":"short"}`, 422, "use at least 15"},
		{"POST", users, "application/json", `{"name":"linnea","email":"nowhere"}`, 400, "is not a valid email address"},
		{"POST", "/organisations/quaywater/users", "application/json", `{"name":"linnea"}`, 404, "there is no organisation quaywater"},
		{"GET", "/scopes/" + url.PathEscape("lindenmere/gardens/glashouses"), "", "", 404, "did you mean lindenmere/gardens/glasshouses?"},
		{"GET", "/scopes/" + url.PathEscape("gardens"), "", "", 404, "did you mean lindenmere/gardens?"},
		{"GET", "/scopes/lindenmere/tree?depth=99", "", "", 400, "depth"},
		{"GET", "/scopes/lindenmere/children?limit=many", "", "", 400, "limit"},
		{"POST", "/scopes/lindenmere/check", "application/json", `{"permission":"descirbe project"}`, 422, "did you mean describe?"},
		{"POST", "/organisations", "application/json", `{"name":"x","steward":{"name":"y"}}`, 403, "only keepers may"},
		{"GET", "/nowhere", "", "", 404, "there is no /api/v1/nowhere"},
		{"PUT", "/session", "", "", 405, "is not possible here"},
	} {
		status, header, text := call(t, c.method, b.Address+"/api/v1"+c.path, rowan, c.kind, c.body)
		require.Equal(t, c.status, status, "%s %s %.80s: %s", c.method, c.path, c.body, text)
		require.Contains(t, text, c.says, "%s %s %.80s", c.method, c.path, c.body)
		require.Equal(t, "application/problem+json", header.Get("Content-Type"))
		var p api.Problem
		require.NoError(t, json.Unmarshal([]byte(text), &p))
		require.Equal(t, c.status, p.Status)
	}
	after, err := b.As(t, "rowan@lindenmere").ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	require.Equal(t, before, after)
}

func TestWhatIsNotSeenLooksLikeWhatIsNotThere(t *testing.T) {
	b := testbed.StartDemo(t)
	bram := b.Newcomer(t, "bram")
	b.Grant(t, "observer", "user", "bram", alpine)
	_, hidden := bram.ShowScope(t.Context(), vault)
	_, absent := bram.ShowScope(t.Context(), "lindenmere/science/seedbank/seedbank-vaunt")
	p, q := testbed.Problem(t, 404, hidden), testbed.Problem(t, 404, absent)
	q.Detail = strings.ReplaceAll(q.Detail, "seedbank-vaunt", "seedbank-vault")
	require.Equal(t, p, q)

	tree, err := bram.ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	var seen []string
	for _, n := range tree.Scopes {
		seen = append(seen, n.Name)
	}
	require.Equal(t, []string{"lindenmere", "gardens", "glasshouses", "alpine-house", "house-lan.network", "sensor-log.bucket", "vent-controller.machine"}, seen)
	way, err := bram.ShowScope(t.Context(), glasshouses)
	require.NoError(t, err)
	require.False(t, way.Described)
	require.Empty(t, way.Title+way.Description, "the way shows names only")
	testbed.Problem(t, 403, client.Done(bram.ListGrants(t.Context(), alpine)))
	testbed.Problem(t, 403, client.Done(bram.Check(t.Context(), alpine, api.Question{Permission: "describe project", Principal: &api.PrincipalRef{Kind: "user", Name: "rowan"}})))
	answer, err := bram.Check(t.Context(), sensorLog+"/2026/november.csv", api.Question{Permission: "fetch object"})
	require.NoError(t, err, "an object need not be registered: its bucket decides")
	require.False(t, answer.Allowed)
	require.Equal(t, sensorLog, answer.Scope.Address)
}

// TestNobodyGivesWhatTheyDoNotHold tries to pass on more than one holds, by grant and by membership.
func TestNobodyGivesWhatTheyDoNotHold(t *testing.T) {
	b := testbed.StartDemo(t)
	b.Grant(t, "steward", "user", "ines", trial)
	b.Grant(t, "access-manager", "user", "tomas", "lindenmere")
	b.Grant(t, "people-manager", "user", "yuki", "lindenmere")
	b.Grant(t, "builder", "group", "visitor-apps", "lindenmere/visitors")
	give := func(who, role, at string) error {
		return client.Done(b.As(t, who+"@lindenmere").CreateGrant(t.Context(), at, api.GrantNew{Principal: user("piotr"), Role: role}))
	}
	require.NoError(t, give("ines", "builder", trial), "ines grants in the trial herself")
	testbed.Problem(t, 404, give("ines", "builder", vault))
	require.NoError(t, give("tomas", "content-keeper", vault), "an access manager may grant beyond what he holds")
	p := testbed.Problem(t, 403, give("tomas", "steward", vault))
	require.Contains(t, p.Detail, "which you do not hold there yourself", "but for permissions to govern")
	enrol := func(who, into string) error {
		return client.Done(b.As(t, who+"@lindenmere").AddMember(t.Context(), "lindenmere", into, nil, user("yuki")))
	}
	p = testbed.Problem(t, 403, enrol("yuki", "visitor-apps"))
	require.Contains(t, p.Detail, "by this user yuki would gain")
	require.NoError(t, enrol("yuki", "contractors"), "a group that holds nothing gives nothing")
	testbed.Problem(t, 403, enrol("ines", "contractors"))

	users, err := b.As(t, "ines@lindenmere").ListUsers(t.Context(), "lindenmere", nil)
	require.NoError(t, err, "who may grant anywhere may look up names")
	require.NotEmpty(t, users.Users)
	require.Empty(t, users.Users[0].Email, "and nothing more")
}

// TestTheLastStewardStays tries to take away the last access that could repair access, in each way there is.
func TestTheLastStewardStays(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	list, err := rowan.ListGrants(t.Context(), "lindenmere")
	require.NoError(t, err)
	byWho := map[string]string{}
	for _, g := range list.Grants {
		byWho[g.Principal.Name] = g.Id
	}
	b.Grant(t, "steward", "group", "platform-team", "lindenmere")
	require.NoError(t, client.Done(rowan.RevokeGrant(t.Context(), byWho["maeve"], nil)))
	require.NoError(t, client.Done(rowan.RevokeGrant(t.Context(), byWho["rowan"], nil)), "the platform team is left")
	p := testbed.Problem(t, 422, client.Done(rowan.RemoveMember(t.Context(), "lindenmere", "platform-team", "user", "rowan", nil)))
	require.Contains(t, p.Detail, "nobody active who can create grant at lindenmere")
	require.Equal(t, "lock-out", *p.Rule)
	require.NoError(t, client.Done(rowan.AddMember(t.Context(), "lindenmere", "platform-team", nil, user("yuki"))))
	require.NoError(t, client.Done(rowan.RemoveMember(t.Context(), "lindenmere", "platform-team", "user", "rowan", nil)))
	testbed.Problem(t, 403, client.Done(rowan.ShowTree(t.Context(), "lindenmere", nil)))
}

// TestHoldersAndReach asks who may do something and what somebody may do, as the auditor and as others.
func TestHoldersAndReach(t *testing.T) {
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	oona := b.As(t, "oona@lindenmere")
	holders, err := oona.ListHolders(t.Context(), sensorLog, api.HoldersQuestion{Permission: "edit bucket"})
	require.NoError(t, err)
	var names []string
	for _, h := range holders.Holders {
		names = append(names, h.Principal.Name)
		require.NotEmpty(t, h.By)
		require.NotEmpty(t, h.Title)
	}
	require.Equal(t, []string{"bram", "maeve", "rowan", "tomas"}, names)
	require.Equal(t, []string{"glasshouse-engineers"}, holders.Holders[0].By[0].Through)
	require.Empty(t, holders.CouldHold)
	testbed.Problem(t, 404, client.Done(b.As(t, "sefa@lindenmere").ListHolders(t.Context(), sensorLog, api.HoldersQuestion{Permission: "edit bucket"})))

	reach, err := oona.ShowReach(t.Context(), "lindenmere", api.UserKind, "bram")
	require.NoError(t, err)
	require.Len(t, reach.Reached, 6, "one of them is open to the public, one to the staff")
	require.Equal(t, glasshouses, reach.Reached[0].Scope.Address)
	require.Equal(t, 7, reach.Reached[0].Beneath)
	require.Contains(t, reach.Reached[0].Adds, "retire machine")
	require.Equal(t, []string{"enter machine"}, reach.Reached[1].Adds)
	require.Empty(t, reach.Reached[2].Adds, "observer on the bucket adds nothing to builder above")
	testbed.Problem(t, 403, client.Done(b.As(t, "ines@lindenmere").ShowReach(t.Context(), "lindenmere", api.UserKind, "bram")))

	check := func(who *client.Client) api.Answer {
		answer, err := who.Check(t.Context(), trial, api.Question{Permission: "edit project", Principal: ptr(user("ines"))})
		require.NoError(t, err)
		return answer
	}
	require.True(t, check(oona).Allowed)
	answer, err := b.As(t, "rowan@lindenmere").Check(t.Context(), vault, api.Question{Permission: "edit project", Principal: ptr(user("ines"))})
	require.NoError(t, err)
	require.NotEmpty(t, answer.Steps)
	require.Equal(t, "grant builder to ines at "+vault, answer.Steps[0].Words)
	answer, err = oona.Check(t.Context(), vault, api.Question{Permission: "edit project", Principal: ptr(user("ines"))})
	require.NoError(t, err)
	require.Empty(t, answer.Steps, "who could not make a change is not told of it")
}

// TestPreviewsWriteNothing previews each change that can be, and finds everything as it was.
func TestPreviewsWriteNothing(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	id := b.Grant(t, "builder", "group", "glasshouse-engineers", glasshouses)
	before, err := rowan.ListGrants(t.Context(), alpine)
	require.NoError(t, err)
	yes := ptr(true)
	impact := func(written api.Written, err error) api.Impact {
		require.NoError(t, err)
		require.Equal(t, before.Revision, written.Revision)
		return *written.Impact
	}
	wanted := api.GrantNew{Principal: api.PrincipalRef{Kind: "group", Name: "seed-curators"}, Role: "steward"}
	gain := impact(rowan.PreviewCreateGrant(t.Context(), alpine, wanted))
	require.Equal(t, "1 person would gain access.", gain.Words)
	require.True(t, gain.Effects[0].Privileged)
	require.Equal(t, []api.PrincipalRef{user("ines")}, gain.Effects[0].Principals)
	require.Equal(t, 3, gain.Effects[0].Beneath)
	loss := impact(rowan.RevokeGrant(t.Context(), id, &api.RevokeGrantParams{Preview: yes}))
	require.Equal(t, glasshouses, loss.Effects[0].Scope.Address)
	require.Contains(t, loss.Effects[0].Loses, "edit project")
	joined := impact(rowan.AddMember(t.Context(), "lindenmere", "glasshouse-engineers", &api.AddMemberParams{Preview: yes}, user("sefa")))
	require.Equal(t, []api.PrincipalRef{user("sefa")}, joined.Effects[0].Principals)
	left := impact(rowan.RemoveMember(t.Context(), "lindenmere", "glasshouse-engineers", "user", "tomas", &api.RemoveMemberParams{Preview: yes}))
	require.NotEmpty(t, left.Effects[0].Loses)
	wanted.Role, wanted.Principal = "observer", user("maeve")
	none := impact(rowan.PreviewCreateGrant(t.Context(), alpine, wanted))
	require.Empty(t, none.Effects)
	require.Contains(t, none.Words, "Nobody would gain or lose anything")
	testbed.Problem(t, 403, client.Done(b.As(t, "oona@lindenmere").RevokeGrant(t.Context(), id, &api.RevokeGrantParams{Preview: yes})))

	after, err := rowan.ListGrants(t.Context(), alpine)
	require.NoError(t, err)
	require.Equal(t, before, after)
}

func TestKeepersHoldNothingInside(t *testing.T) {
	b := testbed.StartDemo(t)
	warden := b.As(t, demo.Keeper)
	list, err := warden.ListOrganisations(t.Context())
	require.NoError(t, err)
	require.Len(t, list.Organisations, 2)
	testbed.Problem(t, 403, client.Done(warden.ShowScope(t.Context(), "lindenmere")))
	testbed.Problem(t, 403, client.Done(warden.ListUsers(t.Context(), "lindenmere", nil)))
	p := testbed.Problem(t, 409, client.Done(warden.CreateOrganisation(t.Context(), api.OrganisationNew{Name: "quaywater", Steward: api.UserNew{Name: "x"}})))
	require.Contains(t, p.Detail, "already an organisation called quaywater")
	var at sync.WaitGroup
	statuses := make([]int, 12)
	for i := range statuses {
		at.Go(func() {
			_, err := warden.CreateOrganisation(t.Context(), api.OrganisationNew{Name: "mossbank", Steward: api.UserNew{Name: "asa"}})
			var problem *client.Error
			switch {
			case err == nil:
				statuses[i] = 201
			case assert.ErrorAs(t, err, &problem):
				statuses[i] = problem.Status
			}
		})
	}
	at.Wait()
	slices.Sort(statuses)
	require.Equal(t, append([]int{201}, slices.Repeat([]int{409}, 11)...), statuses, "of many at once one makes it, and the others hear that it is there")
	made, err := warden.CreateOrganisation(t.Context(), api.OrganisationNew{Name: "fernhill", Steward: api.UserNew{Name: "asa"}})
	require.NoError(t, err)
	asa, err := demo.SignIn(t.Context(), b.Address, "asa@fernhill", *made.Password)
	require.NoError(t, err)
	require.NoError(t, client.Done(asa.CreateScope(t.Context(), "fernhill", api.ScopeNew{Kind: "folder", Name: "woods"})))
	testbed.Problem(t, 404, client.Done(asa.ShowScope(t.Context(), "lindenmere")))
	testbed.Problem(t, 404, client.Done(b.As(t, "rowan@lindenmere").ShowScope(t.Context(), "fernhill/woods")))
}

func TestSessions(t *testing.T) {
	b := testbed.StartDemo(t)
	tomas := b.As(t, "tomas@lindenmere")
	b.Clock.Forward(90 * time.Minute)
	require.NoError(t, client.Done(tomas.GetSession(t.Context())), "still used within two hours")
	b.Clock.Forward(121 * time.Minute)
	testbed.Problem(t, 401, client.Done(tomas.GetSession(t.Context())))

	tomas, other := b.As(t, "tomas@lindenmere"), b.As(t, "tomas@lindenmere")
	require.NoError(t, client.Done(tomas.ChoosePassword(t.Context(), api.PasswordChoice{Current: demo.Passphrase, New: "six slow tortoises asleep"})))
	require.NoError(t, client.Done(tomas.GetSession(t.Context())))
	testbed.Problem(t, 401, client.Done(other.GetSession(t.Context())))
	_, err := demo.SignIn(t.Context(), b.Address, "tomas@lindenmere", demo.Passphrase)
	require.Error(t, err)
	title := "Tomas L."
	session, err := tomas.EditProfile(t.Context(), api.ProfileEdit{Title: &title})
	require.NoError(t, err)
	require.Equal(t, title, session.Title)
	require.NoError(t, tomas.SignOut(t.Context()))
	testbed.Problem(t, 401, client.Done(tomas.GetSession(t.Context())))
	require.NoError(t, b.Records.CheckAudit(t.Context()))
	for _, secret := range []string{demo.Passphrase, "six slow tortoises asleep"} {
		require.NotContains(t, b.Log.String(), secret)
	}
}

func TestGuessingIsSlowedDown(t *testing.T) {
	b := testbed.StartDemo(t)
	guess := func(name string) error {
		_, err := demo.SignIn(t.Context(), b.Address, name, "a wrong guess at it")
		return err
	}
	unknown, known := testbed.Problem(t, 401, guess("nobody@lindenmere")), testbed.Problem(t, 401, guess("oona@lindenmere"))
	require.Equal(t, unknown, known, "a wrong name and a wrong password look alike")
	for range 4 {
		testbed.Problem(t, 401, guess("nobody@lindenmere"))
		testbed.Problem(t, 401, guess("oona@lindenmere"))
	}
	p := testbed.Problem(t, 429, guess("oona@lindenmere"))
	require.Contains(t, p.Detail, "too many wrong passwords")
	require.Equal(t, p, testbed.Problem(t, 429, guess("nobody@lindenmere")), "and are slowed down alike")
	for n := 5; n < credential.LockAfter; n++ {
		b.Clock.Forward(credential.Delay(n))
		testbed.Problem(t, 401, guess("oona@lindenmere"))
	}
	_, err := demo.SignIn(t.Context(), b.Address, "oona@lindenmere", demo.Passphrase)
	p = testbed.Problem(t, 429, err)
	require.Contains(t, p.Detail, "oona@lindenmere is locked for your network after 10 wrong passwords")
	locked := 0
	require.NoError(t, b.Records.EachAudit(t.Context(), func(r store.AuditRecord) error {
		if r.Event == "sign-in-locked" {
			require.Contains(t, r.Detail, "oona@lindenmere is locked for 15m")
			locked++
		}
		return nil
	}))
	require.Equal(t, 1, locked)
	b.Clock.Forward(credential.LockFor)
	b.As(t, "oona@lindenmere")
	b.As(t, "maeve@lindenmere") // others are not held up
}

// TestWhatIsRecordedAsRefused asks for what bram may not have: as a page does by itself, and as a person or a program.
func TestWhatIsRecordedAsRefused(t *testing.T) {
	b := testbed.StartDemo(t)
	b.Newcomer(t, "nils")
	b.Grant(t, "observer", "user", "nils", alpine)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	browser := &http.Client{Jar: jar}
	csrf := ""
	send := func(method, path, token, body string) int {
		r, err := http.NewRequestWithContext(t.Context(), method, b.Address+"/api/v1"+path, bytes.NewReader([]byte(body)))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("X-CSRF-Token", csrf)
		if token != "" {
			r.Header.Set("Authorization", "Bearer "+token)
		}
		response, err := browser.Do(r)
		require.NoError(t, err)
		defer response.Body.Close()
		var s api.Session
		if path == "/session" {
			require.NoError(t, json.NewDecoder(response.Body).Decode(&s))
			csrf = s.Csrf
		}
		return response.StatusCode
	}
	recorded := func() (count int) {
		require.NoError(t, b.Records.EachAudit(t.Context(), func(r store.AuditRecord) error {
			if r.Event == "refused" {
				count++
			}
			return nil
		}))
		return count
	}
	before := recorded()
	require.Equal(t, 200, send("POST", "/session", "", fmt.Sprintf(`{"name":"nils@lindenmere","password":%q}`, demo.Passphrase)))
	grant := `{"principal":{"kind":"user","name":"nils"},"role":"steward"}`
	grants := "/scopes/" + url.PathEscape(alpine) + "/grants"
	require.Equal(t, 403, send("GET", "/organisations/lindenmere/audit-records", "", ""))
	require.Equal(t, 403, send("POST", grants+"?preview=true", "", grant))
	require.Equal(t, before, recorded(), "a page asked by itself")
	require.Equal(t, 403, send("POST", grants, "", grant))
	require.Equal(t, 403, send("POST", "/organisations/lindenmere/principals/user/bram/keys?preview=true", "", `{}`))
	require.Equal(t, before+2, recorded(), "issuing a key has no preview")
	token := b.Token(t, "nils@lindenmere")
	require.Equal(t, 403, send("GET", "/organisations/lindenmere/audit-records", token, ""))
	require.Equal(t, 403, send("POST", grants+"?preview=true", token, grant))
	require.Equal(t, before+4, recorded(), "a program asked because it was told to")
}

// TestCookies signs in as a browser does: the cookie is out of scripts' reach, and a write needs the CSRF token.
func TestCookies(t *testing.T) {
	b := testbed.StartDemo(t)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	browser := &http.Client{Jar: jar}
	send := func(method, path, csrf, body string) (*http.Response, api.Session) {
		r, err := http.NewRequestWithContext(t.Context(), method, b.Address+"/api/v1"+path, bytes.NewReader([]byte(body)))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		if csrf != "" {
			r.Header.Set("X-CSRF-Token", csrf)
		}
		response, err := browser.Do(r)
		require.NoError(t, err)
		defer response.Body.Close()
		var s api.Session
		if response.StatusCode == 200 {
			require.NoError(t, json.NewDecoder(response.Body).Decode(&s))
		}
		return response, s
	}
	response, session := send("POST", "/session", "", fmt.Sprintf(`{"name":"rowan@lindenmere","password":%q}`, demo.Passphrase))
	require.Equal(t, 200, response.StatusCode)
	cookie := response.Header.Get("Set-Cookie")
	require.Contains(t, cookie, "HttpOnly")
	require.Contains(t, cookie, "SameSite=Strict")
	require.Nil(t, session.Token)
	response, _ = send("GET", "/session", "", "")
	require.Equal(t, 200, response.StatusCode)
	for _, wrong := range []string{"", "wrong"} {
		response, _ = send("POST", "/organisations/lindenmere/groups", wrong, `{"name":"forged"}`)
		require.Equal(t, 403, response.StatusCode)
	}
	response, _ = send("POST", "/organisations/lindenmere/groups", session.Csrf, `{"name":"meant"}`)
	require.Equal(t, 201, response.StatusCode)

	page, err := browser.Get(b.Address + "/")
	require.NoError(t, err)
	page.Body.Close()
	require.Contains(t, page.Header.Get("Content-Security-Policy"), "default-src 'none'")
}

// TestAnswersAreAtOnce sees a revocation reach the next request, with many at work at the same time.
func TestAnswersAreAtOnce(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan, sefa := b.As(t, "rowan@lindenmere"), b.As(t, "sefa@lindenmere")
	var others sync.WaitGroup
	ctx, stop := context.WithCancel(t.Context())
	defer others.Wait()
	defer stop()
	for i := range 4 {
		others.Add(1)
		go func() {
			defer others.Done()
			for n := 0; ctx.Err() == nil; n++ {
				err := client.Done(rowan.CreateScope(ctx, alpine, api.ScopeNew{Kind: "resource", Type: ptr("bucket"), Name: fmt.Sprintf("b-%d-%d", i, n)}))
				if err != nil && ctx.Err() == nil {
					t.Error(err)
				}
			}
		}()
	}
	for range 15 {
		id := b.Grant(t, "observer", "user", "sefa", "lindenmere/visitors")
		require.NoError(t, client.Done(sefa.ShowScope(t.Context(), "lindenmere/visitors/ticketing")))
		require.NoError(t, client.Done(rowan.RevokeGrant(t.Context(), id, nil)))
		testbed.Problem(t, 404, client.Done(sefa.ShowScope(t.Context(), "lindenmere/visitors/ticketing")))
	}
}

func ptr[T any](value T) *T { return &value }

// TestInstancesFollowEachOther runs two services on one database.
func TestInstancesFollowEachOther(t *testing.T) {
	dsn := testbed.DSN(t)
	first, second := testbed.Start(t, testbed.OpenRecords(t, dsn)), testbed.Start(t, testbed.OpenRecords(t, dsn))
	_, _, err := first.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), first.Address))
	there := second.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "from-second"})))
	here := first.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(here.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "from-first"})), "a write is made on the newest state")
	testbed.Problem(t, 409, client.Done(there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "from-first"})))

	require.Zero(t, first.Whole.Load(), "it made the organisation")
	require.EqualValues(t, 1, second.Whole.Load())
	require.NoError(t, client.Done(there.ChangeSettings(t.Context(), "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 7}})))

	// Without following: whoever was told a revision may ask for it, or a later one.
	told, err := there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "told"})
	require.NoError(t, err)
	testbed.Problem(t, 404, client.Done(here.ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "told")))
	asks := func(revision int64) *client.Client {
		c, err := client.Open(first.Address, first.Token(t, "rowan@lindenmere"), client.AtLeast(revision))
		require.NoError(t, err)
		return c
	}
	require.Contains(t, testbed.Problem(t, 409, client.Done(asks(told.Revision+1).ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "told"))).Detail, "not yet at")
	require.NoError(t, client.Done(asks(told.Revision).ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "told")))

	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	go first.Service.Follow(ctx, 10*time.Millisecond)
	require.NoError(t, client.Done(there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "followed"})))
	require.Eventually(t, func() bool {
		return client.Done(here.ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "followed")) == nil
	}, time.Minute, 10*time.Millisecond)
	settings, err := here.ShowSettings(t.Context(), "lindenmere")
	require.NoError(t, err)
	require.Equal(t, 7, settings.KeysEach, "settings are followed, too")
	require.Zero(t, first.Whole.Load(), "what was followed was not read whole")

	// Records of earlier versions do not tell the changes: then it is.
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	stop()
	require.NoError(t, client.Done(there.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "of-old"})))
	_, err = db.ExecContext(t.Context(), "UPDATE change_record SET changes = NULL WHERE changes LIKE '%of-old%'")
	require.NoError(t, err)
	require.NoError(t, client.Done(here.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "of-late"})))
	require.NoError(t, client.Done(here.ShowPrincipal(t.Context(), "lindenmere", api.GroupKind, "of-old")))
	require.EqualValues(t, 1, first.Whole.Load())
}

// TestDatabaseGone takes the database away for a while: requests get a 503 that says so, the service goes on by itself,
// and every acknowledged write is there.
func TestDatabaseGone(t *testing.T) {
	directory := t.TempDir()
	server, err := mariadbd.Start(t.Context(), directory)
	require.NoError(t, err)
	t.Cleanup(func() { server.Stop() })
	require.NoError(t, server.Create(t.Context(), "records"))
	b := testbed.Start(t, testbed.OpenRecords(t, server.DSN("records")))
	_, _, err = b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), b.Address))
	rowan := b.As(t, "rowan@lindenmere")

	var acknowledged []string
	killed := make(chan struct{})
	go func() {
		defer close(killed)
		assert.NoError(t, server.Kill())
	}()
	for n := 0; n < 10_000; n++ {
		name := fmt.Sprint("written-", n)
		err := client.Done(rowan.CreateScope(t.Context(), alpine, api.ScopeNew{Kind: "resource", Type: ptr("bucket"), Name: name}))
		if err != nil {
			p := testbed.Problem(t, 503, err)
			require.Contains(t, p.Detail, "the database cannot be reached")
			break
		}
		acknowledged = append(acknowledged, name+".bucket")
	}
	<-killed
	testbed.Problem(t, 503, client.Done(rowan.ShowTree(t.Context(), "lindenmere", nil)))
	status, header, _ := call(t, "GET", b.Address+"/api/v1/status", "", "", "")
	require.Equal(t, 503, status)
	require.NotEmpty(t, header.Get("Retry-After"))

	require.NoError(t, server.Restart(t.Context()))
	tree, err := rowan.ShowTree(t.Context(), alpine, nil)
	require.NoError(t, err)
	var there []string
	for _, n := range tree.Scopes {
		there = append(there, n.Name)
	}
	for _, name := range acknowledged {
		require.True(t, slices.Contains(there, name), "%s was acknowledged and is lost", name)
	}
	require.NoError(t, client.Done(rowan.CreateScope(t.Context(), alpine, api.ScopeNew{Kind: "resource", Type: ptr("bucket"), Name: "afterwards"})))
	require.NoError(t, b.Records.CheckAudit(t.Context()))
}

func TestEmptyServiceSaysSo(t *testing.T) {
	b := testbed.Start(t, testbed.Records(t))
	status, _, text := call(t, "GET", b.Address+"/api/v1/status", "", "", "")
	require.Equal(t, 200, status)
	require.Contains(t, text, `"empty":true`)
	require.Contains(t, text, "arbora init")
	for _, path := range []string{"/session", "/organisations", "/scopes/lindenmere"} {
		status, _, text = call(t, "GET", b.Address+"/api/v1"+path, "", "", "")
		require.Equal(t, 409, status)
		require.Contains(t, text, "nobody has set this service up yet")
	}
	_, err := demo.SignIn(t.Context(), b.Address, "rowan@lindenmere", demo.Passphrase)
	require.ErrorContains(t, err, "arbora init")
}

func TestPagesOfLists(t *testing.T) {
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	var names []string
	params := &api.ListChildrenParams{Limit: ptr(3)}
	for {
		page, err := rowan.ListChildren(t.Context(), "lindenmere", params)
		require.NoError(t, err)
		for _, s := range page.Scopes {
			names = append(names, s.Name)
		}
		if params.After = page.Next; page.Next == nil {
			break
		}
	}
	require.Equal(t, []string{"gardens", "science", "shared-services", "visitors"}, names)
	first, err := rowan.ListUsers(t.Context(), "lindenmere", &api.ListUsersParams{Limit: ptr(5)})
	require.NoError(t, err)
	rest, err := rowan.ListUsers(t.Context(), "lindenmere", &api.ListUsersParams{Limit: ptr(5), After: first.Next})
	require.NoError(t, err)
	require.Len(t, append(first.Users, rest.Users...), 8)
	cut, err := rowan.ShowTree(t.Context(), "lindenmere", &api.ShowTreeParams{Depth: ptr(1)})
	require.NoError(t, err)
	require.Len(t, cut.Scopes, 5)
	require.True(t, cut.Scopes[1].More)
}
