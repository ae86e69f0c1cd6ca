package e2e

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// asker asks as one person and looks for what they do not see.
type asker struct {
	t      *testing.T
	bed    *testbed.Bed
	name   string
	token  string
	hidden map[string]*regexp.Regexp // addresses of scopes that they do not see, by address
	ids    map[string]string         // and their ids
	// accounts takes service accounts out of a text: whoever may read who holds what is told who that is.
	accounts *strings.Replacer
}

// ask sends a request and sees that its answer names nothing that is hidden, but for what was asked about.
func (a *asker) ask(method, path, body, about string) {
	a.t.Helper()
	request, err := http.NewRequestWithContext(a.t.Context(), method, a.bed.Address+path, strings.NewReader(body))
	require.NoError(a.t, err)
	request.Header.Set("Authorization", "Bearer "+a.token)
	if body != "" {
		request.Header.Set("Content-Type", "application/json")
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(a.t, err)
	defer response.Body.Close()
	answer, err := io.ReadAll(response.Body)
	require.NoError(a.t, err)
	require.Less(a.t, response.StatusCode, 500, path)
	text := a.accounts.Replace(string(answer))
	for address, named := range a.hidden {
		if strings.HasPrefix(about, address) || strings.Contains(body, `"`+address+`"`) {
			continue
		}
		if named.MatchString(text) {
			a.t.Errorf("%s is told of %s by %s %s %s: %s", a.name, address, method, path, body, around(text, named.FindStringIndex(text)[0]))
		}
		if strings.Contains(text, a.ids[address]) {
			a.t.Errorf("%s is told the id of %s by %s %s %s: %s", a.name, address, method, path, body, around(text, strings.Index(text, a.ids[address])))
		}
	}
}

// around returns the part of a text about a place in it.
func around(text string, at int) string { return text[max(0, at-200):min(len(text), at+150)] }

// TestNothingUnseenIsTold has each person of the scenario read everything there is to read, about everything there is: nothing
// that they do not see is ever named to them.
func TestNothingUnseenIsTold(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	// Changes and rules at places that some see name places that they do not.
	away := "lindenmere/science"
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{trailGuide}, To: away}))
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{guideMoved}, To: "lindenmere/visitors"}))
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{trial, vault, alpine}, Tags: api.Tags{"count": "one"}}))
	policyMade(t, rowan, "lindenmere", "wide", "under science/seedbank/seedbank-trial:\n    curators may observe networking\nunder gardens:\n    network-team may observe networking\n")
	require.NoError(t, client.Done(rowan.CreateRole(ctx, "lindenmere/science", api.RoleNew{Name: "seed-looker", Include: []api.RoleFilter{{Services: []string{"storage"}}}, Under: []string{trial, "lindenmere/science/herbarium"}})))

	// Yuki audits all but the vault.
	b.Grant(t, "auditor", "user", "yuki", "lindenmere")
	policyMade(t, rowan, vault, "unseen", "user yuki may never do anything")

	scope, err := rowan.ShowScope(ctx, "lindenmere")
	require.NoError(t, err)
	top, err := model.ParseID(scope.Id)
	require.NoError(t, err)
	now, err := b.Service.Snapshot(ctx, top)
	require.NoError(t, err)
	var scopes []model.Scope
	for found := []model.Scope{must(now.Scope(top))}; len(found) > 0; found = found[1:] {
		scopes = append(scopes, found[0])
		found = slices.AppendSeq(found, now.Children(found[0].ID, ""))
	}
	paths := readingPaths(t, now, scopes)
	var accounts []string
	for p := range now.Principals(model.ServiceAccount) {
		accounts = append(accounts, now.Address(p.Home)+"/"+p.Name, "an account")
	}
	require.NotEmpty(t, accounts)
	audits := now.Catalogue().MustPermission("list audit-record")
	for _, name := range []string{"bram", "ines", "maeve", "oona", "piotr", "sefa", "tomas", "yuki"} {
		t.Run(name, func(t *testing.T) {
			who, ok := now.PrincipalNamed(model.User, name)
			require.True(t, ok)
			view := now.View(who.ID, &access.Context{Time: b.Service.Now()})
			a := &asker{t: t, bed: b, name: name, token: b.Token(t, name+"@lindenmere"), hidden: map[string]*regexp.Regexp{}, ids: map[string]string{}, accounts: strings.NewReplacer(accounts...)}
			for _, s := range scopes {
				if address := now.Address(s.ID); !view.Sees(s.ID) {
					a.hidden[address] = regexp.MustCompile(regexp.QuoteMeta(address) + `([^a-z0-9-]|$)`)
					a.ids[address] = s.ID.String()
				}
			}
			for _, p := range paths {
				if strings.Contains(p.path, "/audit-records") && view.May(audits, top) {
					continue // the log is read whole by whoever may read the organisation's
				}
				a.ask(p.method, p.path, p.body, p.about)
			}
		})
	}
}

// TestWhatIsUnseenStays has somebody edit a policy and a role of which they see a part: the rest is not told, and stays.
func TestWhatIsUnseenStays(t *testing.T) {
	b := testbed.InMemory(t)
	rowan, yuki := b.As(t, "rowan@lindenmere"), b.As(t, "yuki@lindenmere")
	ctx := t.Context()
	const scans = vault + "/vault-scans.bucket"
	writing := []api.RoleFilter{{Types: []string{"policy", "role"}}}
	require.NoError(t, client.Done(rowan.CreateRole(ctx, "lindenmere", api.RoleNew{Name: "rule-writer", Include: writing})))
	b.Grant(t, "rule-writer", "user", "yuki", "lindenmere")
	b.Grant(t, "networking-observer", "user", "yuki", "lindenmere")
	const both = "network-team may observe networking\nunder vault-scans.bucket:\n    user yuki may never do anything\n"
	care := policyMade(t, rowan, vault, "care", both)
	watching := []api.RoleFilter{{Services: []string{"networking"}, Classes: []string{"observe"}}}
	require.NoError(t, client.Done(rowan.CreateRole(ctx, "lindenmere", api.RoleNew{Name: "cable-watcher", Include: watching, Under: []string{scans, alpine}})))

	testbed.Problem(t, 404, client.Done(yuki.ShowScope(ctx, scans)))
	read, err := yuki.ShowPolicy(ctx, care)
	require.NoError(t, err)
	require.Equal(t, "network-team may observe networking\n", read.Text)
	require.True(t, read.Hidden)
	require.Len(t, read.Statements, 1)
	list, err := yuki.ListPolicies(ctx, vault, nil)
	require.NoError(t, err)
	require.True(t, list.Policies[0].Hidden)
	versions, err := yuki.ListPolicyVersions(ctx, care, nil)
	require.NoError(t, err)
	require.Equal(t, read.Text, versions.Versions[0].Text)
	found, err := yuki.SearchStatements(ctx, "lindenmere", nil)
	require.NoError(t, err)
	require.True(t, found.Hidden)

	require.NoError(t, client.Done(yuki.EditPolicyText(ctx, care, nil, api.PolicyEdit{Text: ptr("# cables\nnetwork-team may observe networking\n"), Was: &api.AsRead{Text: &read.Text}})))
	whole, err := rowan.ShowPolicy(ctx, care)
	require.NoError(t, err)
	require.Equal(t, "# cables\n"+both, whole.Text)
	require.False(t, whole.Hidden)

	role, err := yuki.ShowRole(ctx, "lindenmere", "cable-watcher")
	require.NoError(t, err)
	require.True(t, role.Role.Hidden)
	require.Equal(t, alpine, role.Role.Under[0].Address)
	was := api.RoleAsRead{Title: role.Role.Title, Include: role.Include, Under: []string{alpine}}
	require.NoError(t, client.Done(yuki.EditRole(ctx, "lindenmere", "cable-watcher", nil, api.RoleEdit{Title: "Watches cables", Include: watching, Under: []string{"lindenmere/gardens"}, Was: &was})))
	role, err = rowan.ShowRole(ctx, "lindenmere", "cable-watcher")
	require.NoError(t, err)
	var under []string
	for _, at := range role.Role.Under {
		under = append(under, at.Address)
	}
	require.ElementsMatch(t, []string{"lindenmere/gardens", scans}, under)
	require.Zero(t, role.Role.Hidden)

	// A role defined where somebody sees nothing is not there for them, and is not suggested either.
	require.NoError(t, client.Done(rowan.CreateRole(ctx, vault, api.RoleNew{Name: "vault-watcher", Include: watching})))
	b.Grant(t, "observer", "user", "tomas", alpine)
	b.Grant(t, "access-manager", "user", "tomas", alpine)
	tomas := b.As(t, "tomas@lindenmere")
	p := testbed.Problem(t, 404, client.Done(tomas.ShowRole(ctx, alpine, "vault-watcher")))
	require.Equal(t, "there is no role vault-watcher, or you may not see it", p.Detail)
	p = testbed.Problem(t, 404, client.Done(tomas.ShowRole(ctx, alpine, "vault-watche")))
	require.Zero(t, p.Nearest)
	require.NoError(t, client.Done(yuki.ShowRole(ctx, "lindenmere", "vault-watcher")))
}

func must[T any](value T, _ bool) T { return value }

// question is something to read, and the address of what it is about.
type question struct{ method, path, body, about string }

// readingPaths returns every reading operation of the contract, about every scope, principal, role and policy there is.
func readingPaths(t *testing.T, now *access.Snapshot, scopes []model.Scope) (all []question) {
	spec, err := openapi3.NewLoader().LoadFromData(api.Contract)
	require.NoError(t, err)
	names := map[string][]string{"organisation": {"lindenmere"}, "role": {"steward", "content-reader", "observer", "seed-looker"}, "pattern": {"audit-everything"}}
	for kind := range map[model.PrincipalKind]bool{model.User: true, model.Group: true, model.Guest: true} {
		for p := range now.Principals(kind) {
			names["named "+kind.String()] = append(names["named "+kind.String()], p.Name)
		}
	}
	names["named set"] = []string{"public", "staff"}
	for _, p := range now.Policies() {
		names["policy"] = append(names["policy"], p.ID.String())
	}
	add := func(method, path, body, about string) {
		all = append(all, question{method, "/api/v1" + path, body, about})
	}
	fill := func(path, name string, with func(path, about string)) {
		if !strings.Contains(path, "{"+name+"}") {
			with(path, "")
			return
		}
		for _, value := range names[name] {
			with(strings.ReplaceAll(path, "{"+name+"}", url.PathEscape(value)), "")
		}
	}
	for path, item := range spec.Paths.Map() {
		if item.Get == nil || item.Get.OperationID == "streamChanges" || strings.Contains(path, "{service}") {
			continue
		}
		fill(path, "organisation", func(path, _ string) {
			fill(path, "policy", func(path, _ string) {
				fill(path, "role", func(path, _ string) {
					if strings.Contains(path, "{principal}") {
						for key, list := range names {
							kind, ok := strings.CutPrefix(key, "named ")
							for _, name := range list {
								if ok {
									add("GET", strings.NewReplacer("{kind}", kind, "{principal}", url.PathEscape(name)).Replace(path), "", "")
								}
							}
						}
						return
					}
					if !strings.Contains(path, "{scope}") {
						add("GET", path, "", "")
						return
					}
					for _, s := range scopes {
						add("GET", strings.ReplaceAll(path, "{scope}", s.ID.String()), "", now.Address(s.ID))
					}
				})
			})
		})
	}
	for _, name := range names["named user"] {
		all = append(all, question{"POST", "/access/v1/search/resource", fmt.Sprintf(`{"subject":{"type":"user","id":%q},"action":{"name":"describe"},"resource":{"type":"bucket"}}`, name), ""})
	}
	for _, words := range []string{"seed", "gardens", "care=high", "lindenmere/visitors", "bucket"} {
		add("GET", "/organisations/lindenmere/search?text="+url.QueryEscape(words), "", "")
		add("GET", "/organisations/lindenmere/statements?words="+url.QueryEscape(words), "", "")
		add("GET", "/organisations/lindenmere/audit-records?text="+url.QueryEscape(words), "", "")
	}
	// What changes would do, and why they cannot be made.
	preview := func(method, path, body, about string) { add(method, path+"?preview=true", body, about) }
	for _, group := range names["named group"] {
		preview("POST", "/organisations/lindenmere/groups/"+group+"/members", `{"kind":"user","name":"bram"}`, "")
	}
	for _, name := range names["named user"] {
		preview("PUT", "/organisations/lindenmere/principals/user/"+name+"/state", `{"state":"suspended"}`, "")
		preview("POST", "/organisations/lindenmere/principals/user/"+name+"/hand-over", `{"kind":"user","name":"ines"}`, "")
	}
	for _, s := range scopes {
		at := now.Address(s.ID)
		for _, role := range []string{"observer", "steward", "content-reader"} {
			preview("POST", "/scopes/"+s.ID.String()+"/grants", fmt.Sprintf(`{"principal":{"kind":"group","name":"curators"},"role":%q}`, role), at)
		}
		for _, change := range []string{`"state":"retired"`, `"tags":{"care":"high"}`, `"to":"lindenmere/science"`, `"to":"lindenmere/visitors"`, `"name":"seedbank"`} {
			preview("PATCH", "/organisations/lindenmere/scopes", fmt.Sprintf(`{"scopes":[%q],%s}`, s.ID, change), at)
		}
		all = append(all,
			question{"GET", "/loam/v1/here/" + s.ID.String(), "", at},
			question{"GET", "/loam/v1/here/" + url.PathEscape(at), "", at},
			question{"POST", "/access/v1/search/subject", fmt.Sprintf(`{"subject":{"type":"user"},"action":{"name":"describe"},"resource":{"type":"bucket","id":%q}}`, s.ID), at},
			question{"POST", "/access/v1/search/action", fmt.Sprintf(`{"subject":{"type":"user","id":"ines"},"resource":{"type":"bucket","id":%q}}`, s.ID), at})
		preview("PUT", "/scopes/"+s.ID.String()+"/services", `{"services":["storage"]}`, at)
		preview("POST", "/scopes/"+s.ID.String()+"/policies", `{"name":"x","text":"everyone may never observe storage"}`, at)
		add("GET", "/scopes/"+url.PathEscape(at)+"/matrix?against=children", "", at)
		add("POST", "/scopes/"+url.PathEscape(at)+"/policies/reading", `{"text":"under vault-scans.bucket:\n    staff may observe storage\nunder seedbank:\n    staff may observe storage\nservice account label-indexer may observe storage"}`, at)
		for _, permission := range []string{"describe bucket", "fetch object", "create grant"} {
			add("POST", "/scopes/"+url.PathEscape(at)+"/holders", fmt.Sprintf(`{"permission":%q}`, permission), at)
			for _, who := range []string{"ines", "bram"} {
				add("POST", "/scopes/"+url.PathEscape(at)+"/check", fmt.Sprintf(`{"permission":%q,"principal":{"kind":"user","name":%q},"explain":true}`, permission, who), at)
			}
		}
	}
	return all
}
