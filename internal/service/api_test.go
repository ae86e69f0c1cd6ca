package service_test

import (
	"context"
	"encoding/json"
	"fmt"
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
)

// TestEveryRouteRefusesWhoHoldsNothing walks the contract as somebody without access: only what concerns themselves
// opens. Without a session nothing does but signing in. A route that declares no need fails the walk.
func TestEveryRouteRefusesWhoHoldsNothing(t *testing.T) {
	b := testbed.InMemory(t)
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
			if needs == "nothing" || needs == "session" || needs == "following" { // what followers read is tried in package follower
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
}

// TestBadInput sends what is wrong and reads the problem each gets; afterwards nothing has changed.
func TestBadInput(t *testing.T) {
	b := testbed.InMemory(t)
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
		{"POST", children, "text/plain", `{"kind":"folder","name":"x"}`, 400, `content type \"text/plain\" is not supported`},
		{"POST", children, "", `{"kind":"folder","name":"x"}`, 400, "send application/json"},
		{"POST", children, "application/json", `{"kind":"resource","nmae":"x","name":"y"}`, 400, "did you mean name?"},
		{"POST", children, "application/json", `{"kind":"resource"}`, 400, "name is missing"},
		{"POST", children, "application/json", `{"kind":"foldr","name":"x"}`, 400, `"nearest":"folder"`},
		{"POST", children, "application/json", `{"kind":"resource","name":7,"type":"bucket"}`, 400, `"field":"name"`},
		{"POST", children, "application/json", `{"kind":"resource","name":"x"}`, 400, "a resource needs a type"},
		{"POST", children, "application/json", `{"kind":"resource","name":"x","type":"buckt"}`, 422, `"nearest":"bucket"`},
		{"POST", children, "application/json", `{"kind":"folder","name":"x"}`, 422, "a folder cannot be in a project"},
		{"POST", children, "application/json", `{"kind":"resource","name":"X","type":"bucket"}`, 400, "is not a valid name"},
		{"POST", children, "application/json", `{"kind":"resource","name":"sensor-log","type":"bucket"}`, 409, "already has something called sensor-log.bucket"},
		{"POST", children, "application/json", `{"kind":"resource","name":"x","type":"bucket","tags":{"Bad Key":"v"}}`, 400, "is not a valid name"},
		{"POST", children, "application/json", `{"kind":"resource","name":"x","type":"bucket","title":"` + strings.Repeat("a", 201) + `"}`, 400, "longer than 200"},
		{"POST", children, "application/json", `{"kind":"resource","name":"` + strings.Repeat("a", 2<<20) + `"}`, 413, "larger than 1 MiB"},
		{"POST", grants, "application/json", `{"principal":{"kind":"group","name":"glashouse-engineers"},"role":"observer"}`, 404, "did you mean glasshouse-engineers?"},
		{"POST", grants, "application/json", `{"principal":{"kind":"group","name":"network-team"},"role":"obsever"}`, 422, "did you mean observer?"},
		{"POST", grants, "application/json", `{"principal":{"kind":"robot","name":"x"},"role":"observer"}`, 400, "use one of user, guest, outside-person, group"},
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
		{"PUT", "/session", "", "", 405, "is not allowed here"},
	} {
		t.Run(c.path, func(t *testing.T) {
			status, header, text := call(t, c.method, b.Address+"/api/v1"+c.path, rowan, c.kind, c.body)
			require.Equal(t, c.status, status, "%s %s %.80s: %s", c.method, c.path, c.body, text)
			require.Contains(t, text, c.says, "%s %s %.80s", c.method, c.path, c.body)
			require.Equal(t, "application/problem+json", header.Get("Content-Type"))
			var p api.Problem
			require.NoError(t, json.Unmarshal([]byte(text), &p))
			require.Equal(t, c.status, p.Status)
		})
	}
	after, err := b.As(t, "rowan@lindenmere").ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	require.Equal(t, before, after)
}

func TestWhatIsNotSeenLooksLikeWhatIsNotThere(t *testing.T) {
	b := testbed.InMemory(t)
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
	testbed.Problem(t, 403, client.Done(bram.ListGrants(t.Context(), alpine, nil)))
	testbed.Problem(t, 403, client.Done(bram.Check(t.Context(), alpine, api.Question{Permission: "describe project", Principal: &api.PrincipalRef{Kind: "user", Name: "rowan"}})))
	answer, err := bram.Check(t.Context(), sensorLog+"/2026/november.csv", api.Question{Permission: "fetch object"})
	require.NoError(t, err, "an object need not be registered: its bucket decides")
	require.False(t, answer.Allowed)
	require.Equal(t, sensorLog, answer.Scope.Address)
}

// TestNobodyGivesWhatTheyDoNotHold tries to pass on more than one holds, by grant and by membership.
func TestNobodyGivesWhatTheyDoNotHold(t *testing.T) {
	b := testbed.InMemory(t)
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

	users, err := b.As(t, "ines@lindenmere").ListPeople(t.Context(), "lindenmere", nil)
	require.NoError(t, err, "who may grant anywhere may look up names")
	require.NotEmpty(t, users.People)
	require.Empty(t, users.People[0].Email, "and nothing more")
}

// TestTheLastStewardStays tries to take away the last access that could repair access, in each way there is.
func TestTheLastStewardStays(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	list, err := rowan.ListGrants(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	byWho := map[string]string{}
	for _, g := range list.Grants {
		byWho[g.Principal.Name] = g.Id
	}
	b.Grant(t, "steward", "group", "platform-team", "lindenmere")
	require.NoError(t, client.Done(rowan.RevokeGrant(t.Context(), byWho["maeve"], nil)))
	require.NoError(t, client.Done(rowan.RevokeGrant(t.Context(), byWho["rowan"], nil)), "the platform team is left")
	p := testbed.Problem(t, 422, client.Done(rowan.RemoveMember(t.Context(), "lindenmere", "platform-team", "user", "rowan", nil)))
	require.Contains(t, p.Detail, "nobody would be left with \"create grant\" at lindenmere")
	require.Equal(t, "lock-out", p.Rule)
	require.NoError(t, client.Done(rowan.AddMember(t.Context(), "lindenmere", "platform-team", nil, user("yuki"))))
	require.NoError(t, client.Done(rowan.RemoveMember(t.Context(), "lindenmere", "platform-team", "user", "rowan", nil)))
	testbed.Problem(t, 403, client.Done(rowan.ShowTree(t.Context(), "lindenmere", nil)))
}

// TestHoldersAndReach asks who may do something and what somebody may do, as the auditor and as others.
func TestHoldersAndReach(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	oona := b.As(t, "oona@lindenmere")
	holders, err := oona.ListHolders(t.Context(), sensorLog, nil, api.HoldersQuestion{Permission: "edit bucket"})
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
	testbed.Problem(t, 404, client.Done(b.As(t, "sefa@lindenmere").ListHolders(t.Context(), sensorLog, nil, api.HoldersQuestion{Permission: "edit bucket"})))

	reach, err := oona.ShowReach(t.Context(), "lindenmere", api.UserKind, "bram", nil)
	require.NoError(t, err)
	require.Len(t, reach.Reached, 6, "one of them is open to the public, one to the staff")
	require.Equal(t, glasshouses, reach.Reached[0].Scope.Address)
	require.Equal(t, 7, reach.Reached[0].Beneath)
	require.Contains(t, reach.Reached[0].Adds, "retire machine")
	require.Equal(t, []string{"enter machine"}, reach.Reached[1].Adds)
	require.Empty(t, reach.Reached[2].Adds, "observer on the bucket adds nothing to builder above")
	testbed.Problem(t, 403, client.Done(b.As(t, "ines@lindenmere").ShowReach(t.Context(), "lindenmere", api.UserKind, "bram", nil)))

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
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	id := b.Grant(t, "builder", "group", "glasshouse-engineers", glasshouses)
	before, err := rowan.ListGrants(t.Context(), alpine, nil)
	require.NoError(t, err)
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
	loss := impact(rowan.RevokeGrant(t.Context(), id, &api.RevokeGrantParams{Preview: true}))
	require.Equal(t, glasshouses, loss.Effects[0].Scope.Address)
	require.Contains(t, loss.Effects[0].Loses, "edit project")
	joined := impact(rowan.AddMember(t.Context(), "lindenmere", "glasshouse-engineers", &api.AddMemberParams{Preview: true}, user("sefa")))
	require.Equal(t, []api.PrincipalRef{user("sefa")}, joined.Effects[0].Principals)
	left := impact(rowan.RemoveMember(t.Context(), "lindenmere", "glasshouse-engineers", "user", "tomas", &api.RemoveMemberParams{Preview: true}))
	require.NotEmpty(t, left.Effects[0].Loses)
	wanted.Role, wanted.Principal = "observer", user("maeve")
	none := impact(rowan.PreviewCreateGrant(t.Context(), alpine, wanted))
	require.Empty(t, none.Effects)
	require.Contains(t, none.Words, "Nothing changes")
	testbed.Problem(t, 403, client.Done(b.As(t, "oona@lindenmere").RevokeGrant(t.Context(), id, &api.RevokeGrantParams{Preview: true})))

	after, err := rowan.ListGrants(t.Context(), alpine, nil)
	require.NoError(t, err)
	require.Equal(t, before, after)
}

func TestKeepersHoldNothingInside(t *testing.T) {
	b := testbed.InMemory(t)
	warden := b.As(t, demo.Keeper)
	list, err := warden.ListOrganisations(t.Context(), nil)
	require.NoError(t, err)
	require.Len(t, list.Organisations, 2)
	testbed.Problem(t, 403, client.Done(warden.ShowScope(t.Context(), "lindenmere")))
	testbed.Problem(t, 403, client.Done(warden.ListPeople(t.Context(), "lindenmere", nil)))
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
	asa, err := demo.SignIn(t.Context(), b.Address, "asa@fernhill", made.Password)
	require.NoError(t, err)
	require.NoError(t, client.Done(asa.CreateScope(t.Context(), "fernhill", api.ScopeNew{Kind: "folder", Name: "woods"})))
	testbed.Problem(t, 404, client.Done(asa.ShowScope(t.Context(), "lindenmere")))
	testbed.Problem(t, 404, client.Done(b.As(t, "rowan@lindenmere").ShowScope(t.Context(), "fernhill/woods")))
}

func TestSessions(t *testing.T) {
	b := testbed.InMemory(t)
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
	for _, secret := range []string{demo.Passphrase, "six slow tortoises asleep"} {
		require.NotContains(t, b.Log.String(), secret)
	}
}

func TestGuessingIsSlowedDown(t *testing.T) {
	b := testbed.InMemory(t)
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
	locked := recorded(t, b, "sign-in-locked")
	require.Len(t, locked, 1)
	require.Contains(t, locked[0], "oona@lindenmere is locked for 15m")
	b.Clock.Forward(credential.LockFor)
	b.As(t, "oona@lindenmere")
	b.As(t, "maeve@lindenmere") // others are not held up
}

// TestAnswersAreAtOnce sees a revocation reach the next request, with many at work at the same time.
func TestAnswersAreAtOnce(t *testing.T) {
	b := testbed.InMemory(t)
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
				err := client.Done(rowan.CreateScope(ctx, alpine, api.ScopeNew{Kind: "resource", Type: "bucket", Name: fmt.Sprintf("b-%d-%d", i, n)}))
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

func TestPagesOfLists(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	var names []string
	params := &api.ListChildrenParams{Limit: 3}
	for {
		page, err := rowan.ListChildren(t.Context(), "lindenmere", params)
		require.NoError(t, err)
		for _, s := range page.Scopes {
			names = append(names, s.Name)
		}
		if params.After = page.Next; page.Next == "" {
			break
		}
	}
	require.Equal(t, []string{"gardens", "science", "shared-services", "visitors"}, names)
	first, err := rowan.ListPeople(t.Context(), "lindenmere", &api.ListPeopleParams{Kind: api.ListPeopleParamsKindUser, Limit: 5})
	require.NoError(t, err)
	rest, err := rowan.ListPeople(t.Context(), "lindenmere", &api.ListPeopleParams{Kind: api.ListPeopleParamsKindUser, Limit: 5, After: first.Next})
	require.NoError(t, err)
	require.Len(t, append(first.People, rest.People...), 8)
	cut, err := rowan.ShowTree(t.Context(), "lindenmere", &api.ShowTreeParams{Depth: 1})
	require.NoError(t, err)
	require.Len(t, cut.Scopes, 5)
	require.True(t, cut.Scopes[1].More)
}
