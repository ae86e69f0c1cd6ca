package service_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// people is a provider's system that speaks SCIM.
type people struct {
	t              *testing.T
	address, token string
}

// answer is what it is answered: an attribute at a path of names, parted by dots, is read from it.
type answer map[string]any

func (a answer) at(path string) any {
	var value any = map[string]any(a)
	for _, name := range strings.Split(path, "/") {
		if list, ok := value.([]any); ok && len(list) > 0 {
			value = list[0]
		}
		part, ok := value.(map[string]any)
		if !ok {
			return nil
		}
		value = part[name]
	}
	return value
}

func (p people) send(method, path, body string, headers ...string) (int, answer, http.Header) {
	p.t.Helper()
	r, err := http.NewRequestWithContext(p.t.Context(), method, p.address+path, strings.NewReader(body))
	require.NoError(p.t, err)
	r.Header.Set("Authorization", "Bearer "+p.token)
	r.Header.Set("Content-Type", "application/scim+json")
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	got, err := http.DefaultClient.Do(r)
	require.NoError(p.t, err)
	defer func() { require.NoError(p.t, got.Body.Close()) }()
	told := answer{}
	if got.StatusCode != http.StatusNoContent && got.StatusCode != http.StatusNotModified {
		require.NoError(p.t, json.NewDecoder(got.Body).Decode(&told))
	}
	return got.StatusCode, told, got.Header
}

// done sends what has to be answered with a status.
func (p people) done(status int, method, path, body string, headers ...string) answer {
	p.t.Helper()
	got, told, _ := p.send(method, path, body, headers...)
	require.Equal(p.t, status, got, "%s %s: %v", method, path, told)
	return told
}

// userNamed is a user as systems tell of one.
func userNamed(name, external string) string {
	return `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User","urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"],"userName":"` + name + `","externalId":"` + external +
		`","name":{"givenName":"Ilka","familyName":"Varga"},"emails":[{"value":"ilka@quaywater.example","type":"work","primary":true}],"password":"never kept",
		"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"department":"seeds"}}`
}

func patched(operations string) string {
	return `{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[` + operations + `]}`
}

func groupNamed(name, members string) string {
	return `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"` + name + `","members":[` + members + `]}`
}

// provisioned is an organisation with a provider whose system has come in.
func provisioned(t *testing.T, b *testbed.Bed, rowan *client.Client) people {
	made, err := rowan.CreateProvisioningToken(t.Context(), org, sso, api.ProvisioningTokenNew{Label: "people system"})
	require.NoError(t, err)
	require.Equal(t, b.Address+"/scim/lindenmere/quaywater-sso/v2", made.Address)
	return people{t, made.Address, made.Token}
}

// TestProvisionedUsers has a provider's system tell who is there, and who has left.
func TestProvisionedUsers(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	testbed.Trusted(t, b, rowan, there)
	system := provisioned(t, b, rowan)
	user := func(name string) api.PrincipalDetails {
		p, err := rowan.ShowPrincipal(ctx, org, api.OutsidePersonKind, name)
		require.NoError(t, err)
		return p
	}

	ilka := system.done(http.StatusCreated, "POST", "/Users", userNamed("Ilka.Varga@quaywater.example", "q-4711"))
	id := ilka.at("id").(string)
	require.Equal(t, "Ilka.Varga@quaywater.example", ilka.at("userName"))
	require.Equal(t, "seeds", ilka.at("urn:ietf:params:scim:schemas:extension:enterprise:2.0:User/department"))
	require.Equal(t, true, ilka.at("active"))
	require.Equal(t, system.address+"/Users/"+id, ilka.at("meta/location"))
	require.Nil(t, ilka.at("password"))
	shown := user("ilka.varga@quaywater-sso")
	require.Equal(t, "Ilka Varga", shown.Title)
	require.Equal(t, "ilka@quaywater.example", shown.Email)
	require.Equal(t, id, shown.Id)

	// It is she who signs in by the provider.
	browser := testbed.NewBrowser(t)
	testbed.Visit(t, browser, way(b), "q-4711")
	session, _ := testbed.SessionIn(t, b, browser)
	require.Equal(t, "ilka.varga@quaywater-sso@lindenmere", session.Name)

	// Twice is a conflict, by either name, whatever the letters' case.
	require.Equal(t, "uniqueness", system.done(http.StatusConflict, "POST", "/Users", userNamed("ILKA.VARGA@quaywater.example", "q-9")).at("scimType"))
	require.Equal(t, "uniqueness", system.done(http.StatusConflict, "POST", "/Users", userNamed("other", "q-4711")).at("scimType"))
	require.Contains(t, system.done(http.StatusBadRequest, "POST", "/Users", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"x"}`).at("detail"), "externalId is needed")
	system.done(http.StatusBadRequest, "POST", "/Users", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"externalId":"x"}`)
	system.done(http.StatusBadRequest, "POST", "/Users", `nonsense`)

	// Suspended there is out here, in the same call; what an administrator decided stays.
	system.done(http.StatusOK, "PATCH", "/Users/"+id, patched(`{"op":"Replace","path":"active","value":"False"}`))
	_, problem := testbed.SessionIn(t, b, browser)
	require.Contains(t, problem, "revoked")
	require.Equal(t, api.StateSuspended, user("ilka.varga@quaywater-sso").State)
	system.done(http.StatusOK, "PATCH", "/Users/"+id, patched(`{"op":"replace","value":{"active":true}}`))
	require.Equal(t, api.StateActive, user("ilka.varga@quaywater-sso").State)
	require.NoError(t, client.Done(rowan.SetState(ctx, org, api.OutsidePersonKind, "ilka.varga@quaywater-sso", nil, api.StateChange{State: api.StateSuspended})))
	again := system.done(http.StatusOK, "PATCH", "/Users/"+id, patched(`{"op":"replace","path":"active","value":true},{"op":"add","path":"nickName","value":"Il"}`))
	require.Equal(t, false, again.at("active"), "it is told how it stands")
	require.Equal(t, "Il", again.at("nickName"))
	require.Equal(t, api.StateSuspended, user("ilka.varga@quaywater-sso").State)
	require.NoError(t, client.Done(rowan.SetState(ctx, org, api.OutsidePersonKind, "ilka.varga@quaywater-sso", nil, api.StateChange{State: api.StateActive})))

	// Versions: what was changed meanwhile is not written over, and what is known is not sent again.
	_, now, header := system.send("GET", "/Users/"+id, "")
	require.Equal(t, header.Get("Etag"), now.at("meta/version"))
	system.done(http.StatusNotModified, "GET", "/Users/"+id, "", "If-None-Match", header.Get("Etag"))
	system.done(http.StatusPreconditionFailed, "PATCH", "/Users/"+id, patched(`{"op":"remove","path":"nickName"}`), "If-Match", `W/"1"`)
	system.done(http.StatusPreconditionFailed, "DELETE", "/Users/"+id, "", "If-Match", `W/"1"`)
	changed := system.done(http.StatusOK, "PATCH", "/Users/"+id, patched(`{"op":"replace","path":"emails[type eq \"work\"].value","value":"varga@quaywater.example"},{"op":"remove","path":"nickName"},
		{"op":"replace","path":"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:department","value":"labels"}`), "If-Match", header.Get("Etag"))
	require.Equal(t, "varga@quaywater.example", changed.at("emails/value"))
	require.Nil(t, changed.at("nickName"))
	require.Equal(t, "labels", changed.at("urn:ietf:params:scim:schemas:extension:enterprise:2.0:User/department"))
	require.Equal(t, "varga@quaywater.example", user("ilka.varga@quaywater-sso").Email)
	same := system.done(http.StatusOK, "PATCH", "/Users/"+id, patched(`{"op":"remove","path":"nickName"}`))
	require.Equal(t, changed.at("meta/version"), same.at("meta/version"), "what is so already is written nowhere anew")
	require.Equal(t, "uniqueness", system.done(http.StatusConflict, "PUT", "/Users/"+id, userNamed("ilka", "q-5")).at("scimType"), "an externalId never changes")
	require.Equal(t, "ilka", system.done(http.StatusOK, "PUT", "/Users/"+id, userNamed("ilka", "q-4711")).at("userName"))
	require.Equal(t, "ilka.varga@quaywater-sso", user("ilka.varga@quaywater-sso").Name, "what they are called here stays")

	// Who leaves is suspended, in no group, and the same person when they come back.
	system.done(http.StatusCreated, "POST", "/Groups", groupNamed("consultants", `{"value":"`+id+`"}`))
	system.done(http.StatusNoContent, "DELETE", "/Users/"+id, "")
	system.done(http.StatusNotFound, "GET", "/Users/"+id, "")
	require.Equal(t, api.StateSuspended, user("ilka.varga@quaywater-sso").State)
	require.Empty(t, user("ilka.varga@quaywater-sso").OutsideGroups)
	back := system.done(http.StatusCreated, "POST", "/Users", userNamed("ilka", "q-4711"))
	require.Equal(t, id, back.at("id"))
	require.Equal(t, true, back.at("active"))

	system.done(http.StatusNotFound, "GET", "/Users/nonsense", "")
	system.done(http.StatusNotFound, "GET", "/Nonsense", "")
}

// TestProvisionedGroups has a provider's system tell of groups, which put people into ours by their links.
func TestProvisionedGroups(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	testbed.Trusted(t, b, rowan, there)
	require.NoError(t, client.Done(rowan.CreateGroup(ctx, org, api.GroupNew{Name: "exchange"})))
	require.NoError(t, client.Done(rowan.CreateLink(ctx, org, sso, nil, api.GroupLink{OutsideGroup: "Seed Exchange", Group: "exchange"})))
	system := provisioned(t, b, rowan)
	members := func() (names []string) {
		p, err := rowan.ShowPrincipal(ctx, org, api.GroupKind, "exchange")
		require.NoError(t, err)
		for _, m := range p.EveryMember {
			names = append(names, m.Name)
		}
		return names
	}
	made := func(name, external string) string {
		return system.done(http.StatusCreated, "POST", "/Users", userNamed(name, external)).at("id").(string)
	}
	ilka, juno := made("ilka", "q-4711"), made("juno", "q-1001")

	group := system.done(http.StatusCreated, "POST", "/Groups", groupNamed("Seed Exchange", `{"value":"`+ilka+`"}`))
	id := group.at("id").(string)
	require.Equal(t, []string{"ilka@quaywater-sso"}, members())
	system.done(http.StatusOK, "PATCH", "/Groups/"+id, patched(`{"op":"add","path":"members","value":[{"value":"`+juno+`"}]}`))
	require.Equal(t, []string{"ilka@quaywater-sso", "juno@quaywater-sso"}, members())
	require.Equal(t, "Seed Exchange", system.done(http.StatusOK, "GET", "/Users/"+juno, "").at("groups/display"))
	system.done(http.StatusOK, "PATCH", "/Groups/"+id, patched(`{"op":"remove","path":"members[value eq \"`+ilka+`\"]"}`))
	require.Equal(t, []string{"juno@quaywater-sso"}, members())
	system.done(http.StatusOK, "PATCH", "/Groups/"+id, patched(`{"op":"remove","path":"members[value eq \"`+ilka+`\"]"}`))

	// Who signs in by the provider is in what its system says, not in what their claims do.
	testbed.Visit(t, testbed.NewBrowser(t), way(b), "q-1001")
	require.Equal(t, []string{"juno@quaywater-sso"}, members())

	// Under another name it is another group, which no link names.
	require.Equal(t, "seed exchange", system.done(http.StatusOK, "PATCH", "/Groups/"+id, patched(`{"op":"replace","path":"displayName","value":"seed exchange"}`)).at("displayName"))
	require.Empty(t, members())
	list, err := rowan.ListOutsideGroups(ctx, org, &api.ListOutsideGroupsParams{Links: api.Unseen})
	require.NoError(t, err)
	require.Equal(t, []string{"seed exchange"}, list.OutsideGroups[0].Near)
	system.done(http.StatusOK, "PUT", "/Groups/"+id, groupNamed("Seed Exchange", `{"value":"`+ilka+`"},{"value":"`+juno+`"}`))
	require.Len(t, members(), 2)

	require.Equal(t, "uniqueness", system.done(http.StatusConflict, "POST", "/Groups", groupNamed("Seed Exchange", "")).at("scimType"))
	require.Contains(t, system.done(http.StatusBadRequest, "PUT", "/Groups/"+id, groupNamed("Seed Exchange", `{"value":"`+id+`"}`)).at("detail"), "not among the users of quaywater-sso")
	require.Contains(t, system.done(http.StatusBadRequest, "PUT", "/Groups/"+id, groupNamed("Seed Exchange", `{"value":"`+id+`","type":"Group"}`)).at("detail"), "a member is a user")
	require.Len(t, members(), 2)
	system.done(http.StatusNoContent, "DELETE", "/Groups/"+id, "")
	require.Empty(t, members())
	system.done(http.StatusNotFound, "DELETE", "/Groups/"+id, "")
}

// TestProvisioningIsAsked finds, orders and parts what was told, and sends several requests at once.
func TestProvisioningIsAsked(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	rowan := b.As(t, "rowan@lindenmere")
	testbed.Trusted(t, b, rowan, there)
	system := provisioned(t, b, rowan)
	sent := system.done(http.StatusOK, "POST", "/Bulk", `{"schemas":["urn:ietf:params:scim:api:messages:2.0:BulkRequest"],"failOnErrors":2,"Operations":[
		{"method":"POST","path":"/Users","bulkId":"a","data":`+userNamed("ilka", "q-1")+`},
		{"method":"POST","path":"/Users","bulkId":"b","data":`+userNamed("Juno", "q-2")+`},
		{"method":"POST","path":"/Users","bulkId":"c","data":`+userNamed("juno", "q-3")+`},
		{"method":"POST","path":"/Groups","bulkId":"g","data":`+groupNamed("consultants", `{"value":"bulkId:a"},{"value":"bulkId:b"}`)+`},
		{"method":"PATCH","path":"/Users/bulkId:a","data":`+patched(`{"op":"add","path":"title","value":"Curator"}`)+`},
		{"method":"POST","path":"/Groups","bulkId":"h","data":`+groupNamed("x", `{"value":"bulkId:nobody"}`)+`},
		{"method":"POST","path":"/Users","bulkId":"d","data":`+userNamed("late", "q-9")+`}]}`)
	operations := sent["Operations"].([]any)
	var statuses []string
	for _, o := range operations {
		statuses = append(statuses, o.(map[string]any)["status"].(string))
	}
	require.Equal(t, []string{"201", "201", "409", "201", "200", "409"}, statuses, "the second fault ends it")
	system.done(http.StatusCreated, "POST", "/Users", userNamed("anselm", "q-0"))

	names := func(query string) (found []string) {
		for _, one := range system.done(http.StatusOK, "GET", "/Users?"+query, "")["Resources"].([]any) {
			found = append(found, one.(map[string]any)["userName"].(string))
		}
		return found
	}
	for query, want := range map[string][]string{
		"":                                   {"ilka", "Juno", "anselm"},
		"filter=userName%20eq%20%22JUNO%22":  {"Juno"},
		"filter=externalId%20eq%20%22q-1%22": {"ilka"},
		"filter=externalId%20eq%20%22Q-1%22": nil,
		"filter=title%20pr":                  {"ilka"},
		"filter=not%20(title%20pr)%20and%20userName%20sw%20%22a%22":                                                          {"anselm"},
		"filter=emails%5Btype%20eq%20%22work%22%5D%20and%20title%20co%20%22ura%22":                                           {"ilka"},
		"filter=emails.value%20ew%20%22quaywater.example%22":                                                                 {"ilka", "Juno", "anselm"},
		"filter=urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:department%20eq%20%22seeds%22%20and%20title%20pr": {"ilka"},
		"filter=active%20eq%20false": nil,
		"filter=active%20eq%20true":  {"ilka", "Juno", "anselm"},
		"filter=meta.created%20gt%20%222000-01-01T00:00:00Z%22%20and%20userName%20ne%20%22ilka%22": {"Juno", "anselm"},
		"sortBy=userName": {"anselm", "ilka", "Juno"},
		"sortBy=userName&sortOrder=descending&count=2":     {"Juno", "ilka"},
		"startIndex=2&count=1":                             {"Juno"},
		"startIndex=9":                                     nil,
		"sortBy=externalId&startIndex=2&count=5":           {"ilka", "Juno"},
		"filter=userName%20co%20%22n%22&sortBy=externalId": {"anselm", "Juno"},
	} {
		require.ElementsMatch(t, want, names(query), query)
		if strings.Contains(query, "sort") {
			require.Equal(t, want, names(query), query)
		}
	}
	page := system.done(http.StatusOK, "GET", "/Users?count=1&attributes=userName", "")
	require.EqualValues(t, 3, page["totalResults"])
	require.Nil(t, page.at("Resources/emails"))
	require.NotNil(t, page.at("Resources/id"))
	require.Nil(t, system.done(http.StatusOK, "GET", "/Groups?excludedAttributes=members", "").at("Resources/members"))
	require.Equal(t, "invalidFilter", system.done(http.StatusBadRequest, "GET", "/Users?filter=nonsense", "").at("scimType"))
	searched := system.done(http.StatusOK, "POST", "/Users/.search", `{"schemas":["urn:ietf:params:scim:api:messages:2.0:SearchRequest"],"filter":"title pr","attributes":["userName"]}`)
	require.Equal(t, "ilka", searched.at("Resources/userName"))

	config := system.done(http.StatusOK, "GET", "/ServiceProviderConfig", "")
	for _, able := range []string{"patch", "bulk", "filter", "sort", "etag"} {
		require.Equal(t, true, config.at(able+"/supported"), able)
	}
	require.EqualValues(t, 2, system.done(http.StatusOK, "GET", "/ResourceTypes", "")["totalResults"])
	require.Equal(t, "User", system.done(http.StatusOK, "GET", "/Schemas/urn:ietf:params:scim:schemas:core:2.0:User", "").at("name"))
}

// TestProvisioningTokens opens one provider's endpoint, and nothing else.
func TestProvisioningTokens(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan, tomas := t.Context(), b.As(t, "rowan@lindenmere"), b.As(t, "tomas@lindenmere")
	testbed.Trusted(t, b, rowan, there)
	system := provisioned(t, b, rowan)
	system.done(http.StatusCreated, "POST", "/Users", userNamed("ilka", "q-4711"))

	other := system
	other.address = strings.Replace(system.address, sso, "other-sso", 1)
	other.done(http.StatusUnauthorized, "GET", "/Users", "")
	wrong := system
	wrong.token = "nonsense"
	_, told, header := wrong.send("GET", "/Users", "")
	require.Equal(t, "401", told["status"])
	require.Equal(t, "Bearer", header.Get("WWW-Authenticate"))
	status, _, _ := testbed.Call(t, http.MethodGet, b.Address+"/api/v1/organisations/lindenmere/users", system.token, "", "")
	require.Contains(t, []int{http.StatusUnauthorized, http.StatusNotFound, http.StatusMethodNotAllowed}, status, "it is for this endpoint alone")

	// It takes what trusting the provider takes.
	_, err := tomas.CreateProvisioningToken(ctx, org, sso, api.ProvisioningTokenNew{Label: "mine"})
	require.ErrorContains(t, err, "edit provider")
	b.Grant(t, "steward", "outside-person", "ilka@quaywater-sso", alpine)
	b.Grant(t, "provider-manager", "user", "tomas", org)
	_, err = tomas.CreateProvisioningToken(ctx, org, sso, api.ProvisioningTokenNew{Label: "mine"})
	require.ErrorContains(t, err, "could come as any of its people")
	_, err = rowan.CreateProvisioningToken(ctx, org, sso, api.ProvisioningTokenNew{Label: "x", Until: b.Clock.Now().Add(400 * 24 * time.Hour)})
	require.ErrorContains(t, err, "366 days")

	// A service account comes in by its own access token. It reads as an administrator of the provider, and changes what it may give itself.
	require.NoError(t, client.Done(rowan.CreateServiceAccount(ctx, alpine, api.AccountNew{Name: "people-sync"})))
	made, err := rowan.CreateKey(ctx, org, api.ServiceAccountKind, alpine+"/people-sync", api.KeyNew{Label: "sync", Governs: true})
	require.NoError(t, err)
	account := system
	account.token = testbed.AccessToken(t, b, made)
	account.done(http.StatusForbidden, "GET", "/Users", "")
	b.Grant(t, "provider-manager", "service-account", alpine+"/people-sync", org)
	account.done(http.StatusOK, "GET", "/Users", "")
	require.Contains(t, account.done(http.StatusForbidden, "POST", "/Users", userNamed("juno", "q-1001"))["detail"], "could come as any of its people")
	b.Grant(t, "steward", "service-account", alpine+"/people-sync", alpine)
	account.done(http.StatusCreated, "POST", "/Users", userNamed("juno", "q-1001"))

	list, err := rowan.ListProvisioningTokens(ctx, org, sso)
	require.NoError(t, err)
	require.Len(t, list.Tokens, 1)
	require.False(t, list.Tokens[0].UsedAt.IsZero())
	require.NoError(t, client.Done(rowan.SetState(ctx, org, api.ProviderKind, sso, nil, api.StateChange{State: api.StateSuspended})))
	require.Contains(t, system.done(http.StatusForbidden, "GET", "/Users", "")["detail"], "out of use")
	require.NoError(t, client.Done(rowan.SetState(ctx, org, api.ProviderKind, sso, nil, api.StateChange{State: api.StateActive})))
	require.NoError(t, client.Done(rowan.RevokeProvisioningToken(ctx, org, sso, list.Tokens[0].Id, nil)))
	require.Contains(t, system.done(http.StatusUnauthorized, "GET", "/Users", "")["detail"], "revoked")
	fresh := provisioned(t, b, b.As(t, "rowan@lindenmere"))
	fresh.done(http.StatusOK, "GET", "/Users", "")
	b.Clock.Forward(181 * 24 * time.Hour)
	require.Contains(t, fresh.done(http.StatusUnauthorized, "GET", "/Users", "")["detail"], "ended")
}

// TestStandInPushes has the stand-in provider tell of all its people, twice, and of one who has left.
func TestStandInPushes(t *testing.T) {
	b, there := testbed.InMemory(t), testbed.Identity(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	testbed.Trusted(t, b, rowan, there)
	system := provisioned(t, b, rowan)
	for range 2 {
		told, err := there.Push(ctx, system.address, system.token)
		require.NoError(t, err)
		require.Equal(t, "Pushed: 3 people, 4 groups. Suspended, since they have left: 0.", told)
	}
	dorian := testbed.NewBrowser(t)
	testbed.Visit(t, dorian, way(b), "q-2040")
	_, problem := testbed.SessionIn(t, b, dorian)
	require.Empty(t, problem)
	list, err := rowan.ListOutsideGroups(ctx, org, &api.ListOutsideGroupsParams{Provider: sso})
	require.NoError(t, err)
	require.Equal(t, []string{"Seed-Curators", "consultants", "office", "seed-exchange"}, groupNames(list.OutsideGroups))
	require.Equal(t, 2, list.OutsideGroups[1].People)

	there.Gone("q-2040")
	told, err := there.Push(ctx, system.address, system.token)
	require.NoError(t, err)
	require.Equal(t, "Pushed: 2 people, 3 groups. Suspended, since they have left: 1.", told)
	_, problem = testbed.SessionIn(t, b, dorian)
	require.Contains(t, problem, "revoked", "they are out with the same push")
	list, err = rowan.ListOutsideGroups(ctx, org, &api.ListOutsideGroupsParams{Provider: sso})
	require.NoError(t, err)
	require.Zero(t, list.OutsideGroups[2].People, "the office is empty")
	_, err = there.Push(ctx, system.address, "nonsense")
	require.ErrorContains(t, err, "this token is not known here")
}

// TestOwnPeopleProvisioned has people of the organisation's own be staff, and choose a password by a letter where nothing else lets them in.
func TestOwnPeopleProvisioned(t *testing.T) {
	b := testbed.InMemory(t)
	ctx, rowan := t.Context(), b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateProvider(ctx, org, api.ProviderNew{Name: sso, Own: true})))
	system := provisioned(t, b, rowan)
	b.Grant(t, "pathfinder", "set", "staff", alpine)
	system.done(http.StatusCreated, "POST", "/Users", userNamed("ilka", "q-4711"))
	answer, err := rowan.Check(ctx, alpine, api.Question{Permission: "list project", Principal: &api.PrincipalRef{Kind: api.OutsidePersonKind, Name: "ilka@" + sso}})
	require.NoError(t, err)
	require.True(t, answer.Allowed, answer.Words)
	anybody, err := client.Open(b.Address, "")
	require.NoError(t, err)
	used, err := anybody.UseLink(ctx, api.LinkUse{Token: linkTo(t, b, "ilka@quaywater.example"), Password: "ten-quiet-seed-drawers"})
	require.NoError(t, err)
	ilka, err := demo.SignIn(ctx, b.Address, used.SignIn, "ten-quiet-seed-drawers")
	require.NoError(t, err)
	session, err := ilka.GetSession(ctx)
	require.NoError(t, err)
	require.Equal(t, "ilka@"+sso+"@lindenmere", session.Name)

	// Who is created as out of use gets no letter.
	system.done(http.StatusCreated, "POST", "/Users", strings.Replace(strings.Replace(userNamed("dorian", "q-2040"), `"userName"`, `"active":false,"userName"`, 1), "ilka@quaywater", "dorian@quaywater", 1))
	for _, l := range b.Mail.Letters() {
		require.NotContains(t, l.To, "dorian@quaywater.example")
	}
}
