package e2e

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/demo"
	"arbora.example/e2e/testbed"
)

// dump tells everything that decisions go by, one fact a line.
func dump(s *access.Snapshot) string {
	var lines []string
	top, _ := s.Top()
	var walk func(access.Scope)
	walk = func(scope access.Scope) {
		lines = append(lines, fmt.Sprintln("scope", s.Address(scope.ID), scope.ID, scope.Kind, scope.Retired))
		for _, g := range s.GrantsAt(scope.ID) {
			p, _ := s.Principal(g.Principal)
			lines = append(lines, fmt.Sprintln("grant", g.ID, g.Role, p.Kind, p.Name, s.Address(scope.ID)))
		}
		for child := range s.Children(scope.ID, "") {
			walk(child)
		}
	}
	walk(top)
	for _, kind := range []access.PrincipalKind{access.User, access.Group} {
		for p := range s.Principals(kind) {
			lines = append(lines, fmt.Sprintln("principal", p, s.Members(p.ID), s.Groups(p.ID), s.Within(p.ID)))
		}
	}
	slices.Sort(lines)
	return strings.Join(lines, "")
}

// TestMemoryAndRecordsAgree makes random changes through the API and holds, after each run, what the service decides by
// against what a second service reads from the same database; and it sees the change records tell each change.
func TestMemoryAndRecordsAgree(t *testing.T) {
	dsn := testbed.DSN(t)
	b := testbed.Start(t, testbed.OpenRecords(t, dsn))
	_, _, err := b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), b.Address))
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	users := []string{"ines", "tomas", "yuki", "sefa"}
	groups := []string{"seed-curators", "curators", "network-team", "contractors"}
	scopes := []string{"lindenmere", glasshouses, alpine, sensorLog, trial, vault}
	roles := []string{"observer", "builder", "content-reader", "steward", "networking-operator"}
	made := 0
	rapid.Check(t, func(r *rapid.T) {
		pick := func(from []string, what string) string { return rapid.SampledFrom(from).Draw(r, what) }
		anyone := func() api.PrincipalRef {
			if rapid.Bool().Draw(r, "group") {
				return api.PrincipalRef{Kind: "group", Name: pick(groups, "who")}
			}
			return user(pick(users, "who"))
		}
		for range rapid.IntRange(1, 4).Draw(r, "changes") {
			made++
			var err error
			switch rapid.IntRange(0, 5).Draw(r, "change") {
			case 0, 1:
				err = client.Done(rowan.CreateGrant(ctx, pick(scopes, "at"), nil, api.GrantNew{Principal: anyone(), Role: pick(roles, "role")}))
			case 2:
				list, listErr := client.Read[api.GrantList](rowan.ListGrants(ctx, pick(scopes, "at")))
				require.NoError(r, listErr)
				g := rapid.SampledFrom(list.Grants).Draw(r, "grant")
				if g.Principal == user("rowan") {
					continue // he makes the changes
				}
				err = client.Done(rowan.RevokeGrant(ctx, g.Id, nil))
			case 3:
				err = client.Done(rowan.AddMember(ctx, "lindenmere", pick(groups, "into"), nil, anyone()))
			case 4:
				who := anyone()
				err = client.Done(rowan.RemoveMember(ctx, "lindenmere", pick(groups, "from"), who.Kind, who.Name, nil))
			case 5:
				err = client.Done(rowan.CreateScope(ctx, alpine, nil, api.ScopeNew{Kind: "resource", Type: ptr("bucket"), Name: fmt.Sprint("made-", made)}))
			}
			var problem *client.Error
			if err != nil {
				require.ErrorAs(r, err, &problem)
				require.Contains(r, []int{409, 422}, problem.Status, problem.Detail) // a rule, such as a circle or a double
			}
		}
	})
	other := testbed.OpenRecords(t, dsn)
	revisions, err := other.Revisions(ctx)
	require.NoError(t, err)
	tree, err := client.Read[api.Tree](rowan.ShowTree(ctx, "lindenmere", nil))
	require.NoError(t, err)
	top, err := access.ParseID(tree.Scopes[0].Id)
	require.NoError(t, err)
	require.EqualValues(t, tree.Revision, revisions[top], "every change raises the revision by one, a refused one does not")

	building := access.New(access.Shipped()).Builder()
	revision, err := other.Load(ctx, top, building.Apply)
	require.NoError(t, err)
	rebuilt, err := building.Done(revision)
	require.NoError(t, err)
	inMemory, err := b.Service.Snapshot(ctx, top)
	require.NoError(t, err)
	require.Equal(t, dump(rebuilt), dump(inMemory))
	require.NoError(t, other.CheckAudit(ctx))
	checkRecords(t, dsn, tree.Revision)
}

// checkRecords reads the change records: one a revision, each with what changed; and looks for secrets in every table.
func checkRecords(t *testing.T, dsn string, revision int64) {
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	rows, err := db.QueryContext(t.Context(), "SELECT c.revision, c.made_by, c.what, c.changed FROM change_record c JOIN scope s ON s.id = c.organisation_id WHERE s.name = 'lindenmere' ORDER BY c.revision")
	require.NoError(t, err)
	defer rows.Close()
	next := int64(1)
	for rows.Next() {
		var at int64
		var by, what string
		var changed []byte
		require.NoError(t, rows.Scan(&at, &by, &what, &changed))
		require.Equal(t, next, at)
		require.NotEmpty(t, by)
		require.NotEmpty(t, what)
		var list []struct {
			Table         string
			Before, After map[string]any
		}
		require.NoError(t, json.Unmarshal(changed, &list))
		require.NotEmpty(t, list, what)
		for _, row := range list {
			require.True(t, row.Before != nil || row.After != nil, what)
		}
		next++
	}
	require.NoError(t, rows.Err())
	require.Equal(t, revision, next-1)

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
