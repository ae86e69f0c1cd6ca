package e2e

import (
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/store"
)

// changer makes random changes through the API.
type changer struct {
	*rapid.T
	rowan  *client.Client
	scopes []string // ids of what is there from the start
	made   *int
}

func (c changer) pick(from ...string) string { return rapid.SampledFrom(from).Draw(c.T, "pick") }

func (c changer) number() string { return fmt.Sprint("number ", *c.made) }

func (c changer) user() string { return c.pick("ines", "tomas", "yuki", "sefa") }
func (c changer) group() string {
	return c.pick("seed-curators", "curators", "network-team", "contractors")
}
func (c changer) role() string {
	return c.pick("observer", "builder", "content-reader", "steward", "networking-operator", "one", "two", "three")
}
func (c changer) at() string { return c.pick(c.scopes...) }

func (c changer) anyone() api.PrincipalRef {
	if rapid.Bool().Draw(c.T, "group") {
		return api.PrincipalRef{Kind: "group", Name: c.group()}
	}
	return user(c.user())
}

func (c changer) text() string {
	return c.pick("curators may act as storage-builder", "user ines may observe data of storage until 2027-03-31",
		"network-team may never destroy anything", `network-team may observe networking if context.location is "north"`, "# a remark\ncontractors may only observe anything")
}

func (c changer) policy() string {
	found, err := c.rowan.SearchStatements(context.Background(), "lindenmere", nil)
	require.NoError(c, err)
	if len(found.Statements) == 0 {
		return uuid.NewString()
	}
	return rapid.SampledFrom(found.Statements).Draw(c.T, "statement").Policy.Id
}

func (c changer) filter() []api.RoleFilter {
	return []api.RoleFilter{{Services: []string{c.pick("storage", "compute", "labs")}, Classes: []string{c.pick("observe", "operate", "modify")}}}
}

func (c changer) reshape(r api.Reshaping) error {
	return client.Done(c.rowan.ReshapeScopes(context.Background(), "lindenmere", nil, r))
}

// changes are all kinds of change there are to the tree, its people and its rules.
var changes = map[string]func(context.Context, changer) error{
	"grant": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.CreateGrant(ctx, c.at(), api.GrantNew{Principal: c.anyone(), Role: c.role()}))
	},
	"revoke": func(ctx context.Context, c changer) error {
		list, err := c.rowan.ListGrants(ctx, c.at(), nil)
		if err != nil {
			return err
		}
		g := rapid.SampledFrom(list.Grants).Draw(c.T, "grant")
		if g.Principal == user("rowan") {
			return nil // he makes the changes
		}
		return client.Done(c.rowan.RevokeGrant(ctx, g.Id, nil))
	},
	"edit a grant": func(ctx context.Context, c changer) error {
		list, err := c.rowan.ListGrants(ctx, "lindenmere", &api.ListGrantsParams{Below: true})
		if err != nil {
			return err
		}
		g := rapid.SampledFrom(list.Grants).Draw(c.T, "grant")
		if g.Principal == user("rowan") {
			return nil // he makes the changes
		}
		condition, reason := rapid.SampledFrom([]string{"", `context.location is "north"`}).Draw(c.T, "condition"), c.number()
		return client.Done(c.rowan.EditGrant(ctx, g.Id, nil, api.GrantEdit{Condition: &condition, Description: &reason}))
	},
	"put in": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.AddMember(ctx, "lindenmere", c.group(), nil, c.anyone()))
	},
	"take out": func(ctx context.Context, c changer) error {
		group, err := c.rowan.ShowPrincipal(ctx, "lindenmere", "group", c.group())
		if err != nil || len(group.Members) == 0 {
			return err
		}
		who := rapid.SampledFrom(group.Members).Draw(c.T, "member")
		return client.Done(c.rowan.RemoveMember(ctx, "lindenmere", group.Name, who.Kind, who.Name, nil))
	},
	"create": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.CreateScope(ctx, c.at(), api.ScopeNew{Kind: "resource", Type: "bucket", Name: fmt.Sprint("made-", *c.made), Tags: map[string]string{"care": c.number()}}))
	},
	"create a folder for a project": func(ctx context.Context, c changer) error {
		name := fmt.Sprint("folder-", *c.made)
		if err := client.Done(c.rowan.CreateScope(ctx, "lindenmere", api.ScopeNew{Kind: "folder", Name: name})); err != nil {
			return err
		}
		return c.reshape(api.Reshaping{Scopes: c.scopes[2:3], To: "lindenmere/" + name}) // the project is older than where it goes
	},
	"create a service account": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.CreateServiceAccount(ctx, c.at(), api.AccountNew{Name: fmt.Sprint("account-", *c.made)}))
	},
	"gather": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.EditPrincipal(ctx, "lindenmere", "group", "gathered", nil, api.PrincipalEdit{Gathers: ptr(`tag team is "` + c.pick("seeds", "labels") + `"`)}))
	},
	"describe": func(_ context.Context, c changer) error {
		return c.reshape(api.Reshaping{Scopes: []string{c.at()}, Title: ptr(c.number()), Description: ptr("About " + c.number())})
	},
	"tag": func(_ context.Context, c changer) error {
		wanted := api.Reshaping{Scopes: []string{c.at(), c.at()}, Tags: api.Tags{c.pick("care", "climate"): c.number()}}
		if rapid.Bool().Draw(c.T, "untag") { // refused where there is none
			wanted.Untag = []string{c.pick("care", "floor")}
		}
		return c.reshape(wanted)
	},
	"rename": func(_ context.Context, c changer) error {
		return c.reshape(api.Reshaping{Scopes: []string{c.pick(c.scopes[1:]...)}, Name: ptr(fmt.Sprint("named-", *c.made))})
	},
	"move": func(_ context.Context, c changer) error {
		if rapid.Bool().Draw(c.T, "a project") {
			return c.reshape(api.Reshaping{Scopes: c.scopes[2:3], To: c.pick(c.scopes[:2]...)})
		}
		return c.reshape(api.Reshaping{Scopes: c.scopes[3:4], To: c.pick(c.scopes[2], c.scopes[4])})
	},
	"retire": func(_ context.Context, c changer) error {
		return c.reshape(api.Reshaping{Scopes: []string{c.pick(c.scopes[3:5]...)}, State: api.ScopeRetired})
	},
	"restore": func(_ context.Context, c changer) error {
		return c.reshape(api.Reshaping{Scopes: []string{c.pick(c.scopes[3:5]...)}, State: api.ScopeActive})
	},
	"offer": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.OfferServices(ctx, c.pick(c.scopes[1:3]...), nil, api.Offer{Services: &[]string{"storage", "compute", "networking", c.pick("labs", "apps")}}))
	},
	"edit a person": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.EditPrincipal(ctx, "lindenmere", "user", c.user(), nil, api.PrincipalEdit{Title: ptr(c.number()), Email: ptr(fmt.Sprintf("u%d@lindenmere.example", *c.made)), Tags: &api.Tags{"team": c.pick("seeds", "labels")}}))
	},
	"edit a group": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.EditPrincipal(ctx, "lindenmere", "group", c.group(), nil, api.PrincipalEdit{Description: ptr(c.number()), Owner: ptr(user(c.user()))}))
	},
	"suspend": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.SetState(ctx, "lindenmere", "user", c.user(), nil, api.StateChange{State: api.StateSuspended}))
	},
	"bring back": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.SetState(ctx, "lindenmere", "user", c.user(), nil, api.StateChange{State: api.StateActive}))
	},
	"write a policy": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.CreatePolicyAt(ctx, c.at(), api.PolicyNew{Name: fmt.Sprint("policy-", *c.made), Text: c.text(), Description: c.number()}))
	},
	"rewrite a policy": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.EditPolicyText(ctx, c.policy(), nil, api.PolicyEdit{Text: ptr(c.text()), Description: ptr(c.number())}))
	},
	"take a policy away": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.RemovePolicy(ctx, c.policy(), nil))
	},
	"define a role": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.CreateRole(ctx, "lindenmere", api.RoleNew{Name: c.pick("one", "two", "three"), Include: c.filter(), Under: []string{c.at()}}))
	},
	"redefine a role": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.EditRole(ctx, "lindenmere", c.pick("one", "two", "three"), nil, api.RoleEdit{Include: c.filter(), Title: c.number(), Under: []string{c.at(), c.at()}}))
	},
	"remove a role": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.RemoveRole(ctx, "lindenmere", c.pick("one", "two", "three"), nil))
	},
	"decide a setting": func(ctx context.Context, c changer) error {
		return client.Done(c.rowan.ChangeSettings(ctx, "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 1 + *c.made%9}}))
	},
}

// TestMemoryAndRecordsAgree makes random changes of all kinds through the API and holds what the service decides by against
// what a second service reads from the same database; and it sees the change records tell each change, one after another.
func TestMemoryAndRecordsAgree(t *testing.T) {
	dsn := testbed.DSN(t)
	b := testbed.Start(t, testbed.OpenRecords(t, dsn))
	_, _, err := b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), b.Address))
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	// Another instance on the same records follows, and makes changes in turn.
	second := testbed.Start(t, testbed.OpenRecords(t, dsn))
	there := second.As(t, "rowan@lindenmere")
	go second.Service.Follow(ctx, 10*time.Millisecond)
	whole := []int64{b.Whole.Load(), second.Whole.Load()}
	var scopes []string
	for _, address := range []string{"lindenmere", glasshouses, alpine, sensorLog, trial, vault} {
		scope, err := rowan.ShowScope(ctx, address)
		require.NoError(t, err)
		scopes = append(scopes, scope.Id)
	}
	require.NoError(t, client.Done(rowan.CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "gathered", Gathers: `tag team is "none"`})))
	kinds := slices.Sorted(maps.Keys(changes))
	done, refused, made := map[string]int{}, map[string]string{}, 0
	rapid.Check(t, func(r *rapid.T) {
		for range rapid.IntRange(4, 12).Draw(r, "changes") {
			made++
			kind := rapid.SampledFrom(kinds).Draw(r, "change")
			by := rowan
			if rapid.Bool().Draw(r, "by the other instance") {
				by = there
			}
			err := changes[kind](ctx, changer{r, by, scopes, &made})
			var problem *client.Error
			if err == nil {
				done[kind]++
				continue
			}
			require.ErrorAs(r, err, &problem, kind)
			refused[kind] = problem.Detail
			if problem.Status == 400 && strings.Contains(problem.Detail, "role") {
				continue // a statement names a role that is not defined by now
			}
			require.Contains(r, []int{403, 404, 409, 422}, problem.Status, "%s: %s", kind, problem.Detail) // a rule, such as a circle, a double, or what is retired
		}
	})
	for _, kind := range kinds {
		require.Positive(t, done[kind], "%s never came to be: %s", kind, refused[kind])
	}
	last, err := rowan.EditPrincipal(ctx, "lindenmere", api.UserKind, "rowan", nil, api.PrincipalEdit{Description: ptr("the last change")})
	require.NoError(t, err)
	top, err := model.ParseID(scopes[0])
	require.NoError(t, err)
	follows := func(b *testbed.Bed) string {
		now, err := b.Service.Snapshot(ctx, top)
		require.NoError(t, err)
		if now.Revision() < uint64(last.Revision) {
			return ""
		}
		return madeOf(t, now)
	}
	require.Eventually(t, func() bool { return follows(second) != "" }, time.Minute, 10*time.Millisecond)
	require.Equal(t, follows(b), follows(second), "who follows holds the same")
	require.Equal(t, whole, []int64{b.Whole.Load(), second.Whole.Load()}, "and neither read the organisation whole again")
	other := testbed.OpenRecords(t, dsn)
	revisions, err := other.Revisions(ctx)
	require.NoError(t, err)
	tree, err := rowan.ShowTree(ctx, "lindenmere", nil)
	require.NoError(t, err)
	require.EqualValues(t, tree.Revision, revisions[top], "every change raises the revision by one, a refused one does not")

	building := access.New(catalogue.Shipped()).Builder()
	revision, err := other.Load(ctx, top, building.Apply)
	require.NoError(t, err)
	rebuilt, err := building.Done(revision)
	require.NoError(t, err)
	inMemory, err := b.Service.Snapshot(ctx, top)
	require.NoError(t, err)
	require.Equal(t, madeOf(t, rebuilt), madeOf(t, inMemory))
	require.NoError(t, other.CheckAudit(ctx))
	checkRecords(t, other, top, inMemory)
	checkSecrets(t, dsn)
}

// checkRecords makes an organisation anew by its change records alone, one a revision: it is as the service has it in memory, each
// record tells what takes it back, and what it says was known before is what those before it said.
func checkRecords(t *testing.T, records *store.Store, top model.ID, inMemory *access.Snapshot) {
	now := access.New(catalogue.Shipped())
	known := map[model.ID]any{}
	follow := func(what string, before, after store.Descriptions) {
		for id, was := range before.Scopes {
			require.Equal(t, known[id], was, what)
		}
		for id, was := range before.Principals {
			require.Equal(t, known[id], was, what)
		}
		for id, was := range before.Grants {
			require.Equal(t, known[id], was, what)
		}
		for id, is := range after.Scopes {
			known[id] = is
		}
		for id, is := range after.Principals {
			known[id] = is
		}
		for id, is := range after.Grants {
			known[id] = is
		}
	}
	for revision := uint64(1); revision <= inMemory.Revision(); revision++ {
		steps, untold, err := records.ChangesSince(t.Context(), top, revision-1, revision)
		require.NoError(t, err)
		require.NoError(t, untold)
		p, err := now.Propose(steps[0].Changes...)
		require.NoError(t, err)
		now = p.After
		record, err := records.Change(t.Context(), top, revision)
		require.NoError(t, err)
		require.NotEmpty(t, record.Author.Name)
		require.NotEmpty(t, record.What)
		require.Equal(t, testbed.Encoded(t, steps[0].Changes), testbed.Encoded(t, record.Changes))
		if !record.Final {
			require.Equal(t, testbed.Encoded(t, p.Back), testbed.Encoded(t, record.Back), record.What)
		}
		follow(record.What, record.Before, record.After)
	}
	require.Equal(t, inMemory.Revision(), now.Revision())
	require.Equal(t, madeOf(t, inMemory), madeOf(t, now))
}

// checkSecrets looks for secrets in every table.
func checkSecrets(t *testing.T, dsn string) {
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	tables, err := db.QueryContext(t.Context(), "SELECT table_name, GROUP_CONCAT(column_name) FROM information_schema.columns WHERE table_schema = DATABASE() GROUP BY table_name")
	require.NoError(t, err)
	defer tables.Close()
	for tables.Next() {
		var table, columns string
		require.NoError(t, tables.Scan(&table, &columns))
		var found int
		query := "SELECT COUNT(*) FROM `" + table + "` WHERE CONCAT_WS('|', `" + strings.ReplaceAll(columns, ",", "`, `") + "`) LIKE ?"
		require.NoError(t, db.QueryRowContext(t.Context(), query, "%"+demo.Passphrase+"%").Scan(&found))
		require.Zero(t, found, "the password stands in table %s", table)
	}
}

// TestWhatCannotBeAppliedShutsNobodyOut damages a record: all else works, the operator's log and the console tell of it, and whoever
// may not read the audit log hears nothing.
func TestWhatCannotBeAppliedShutsNobodyOut(t *testing.T) {
	dsn := testbed.DSN(t)
	first := testbed.Start(t, testbed.OpenRecords(t, dsn))
	_, _, err := first.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), first.Address))
	first.Grant(t, "observer", "user", "sefa", alpine)
	damaged := first.Grant(t, "content-reader", "user", "sefa", alpine)
	id, err := model.ParseID(damaged)
	require.NoError(t, err)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.ExecContext(t.Context(), "UPDATE role_grant SET role = 'no-such-role' WHERE id = ?", id[:])
	require.NoError(t, err)

	again := testbed.Start(t, testbed.OpenRecords(t, dsn))
	home, err := again.As(t, "rowan@lindenmere").ShowHome(t.Context(), "lindenmere")
	require.NoError(t, err)
	require.Len(t, home.Skipped, 1)
	require.Contains(t, home.Skipped[0], "no-such-role")
	require.Contains(t, again.Log.String(), "a record of an organisation cannot be applied, and is left out")
	sefa := again.As(t, "sefa@lindenmere")
	require.NoError(t, client.Done(sefa.ShowScope(t.Context(), alpine)), "what is in order counts")
	home, err = sefa.ShowHome(t.Context(), "lindenmere")
	require.NoError(t, err)
	require.Empty(t, home.Skipped)
}
