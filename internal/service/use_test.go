package service_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// searchAll goes through all pages of a search.
func searchAll(t *testing.T, as *client.Client, params api.SearchScopesParams) []api.ScopeNode {
	found, _, err := client.Pages(0, func(after string) ([]api.ScopeNode, string, error) {
		params.After = after
		page, err := as.SearchScopes(t.Context(), "lindenmere", &params)
		require.LessOrEqual(t, len(page.Scopes), params.Limit)
		return page.Scopes, page.Next, err
	})
	require.NoError(t, err)
	return found
}

// TestSearch compares searches, by several people and in pages of several sizes, with a look at each scope of the tree that
// they see.
func TestSearch(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan := b.As(t, "rowan@lindenmere")
	for i := range 30 {
		name := fmt.Sprintf("tray-%d-log", i)
		require.NoError(t, client.Done(rowan.CreateScope(t.Context(), trial, api.ScopeNew{Kind: "resource", Type: "bucket", Name: name, Tags: map[string]string{"shelf": fmt.Sprint("S", i%3)}})))
	}
	retire := api.ScopeRetired
	require.NoError(t, client.Done(rowan.ReshapeScopes(t.Context(), "lindenmere", nil, api.Reshaping{Scopes: []string{trial + "/tray-7-log.bucket"}, State: retire})))
	require.NoError(t, client.Done(rowan.ReshapeScopes(t.Context(), "lindenmere", nil, api.Reshaping{Scopes: []string{trial + "/tray-8-log.bucket"}, Name: ptr("basket-eight"), Tags: api.Tags{"shelf": "S9"}})))

	dice := rand.New(rand.NewPCG(3, 4))
	for _, who := range []string{"rowan", "ines", "bram", "oona", "piotr"} {
		as := b.As(t, who+"@lindenmere")
		tree, err := as.ShowTree(t.Context(), "lindenmere", nil)
		require.NoError(t, err)
		for _, q := range []api.SearchScopesParams{
			{Text: "tray"}, {Text: "t"}, {Text: "log"}, {Text: "S2"}, {Text: "shelf"}, {Text: "eight"}, {Text: "tray-8"},
			{Text: "bucket"}, {Text: "s", Kind: "project"}, {Text: "s", Type: "bucket"}, {Type: "network"},
			{Tag: "climate"}, {Tag: "shelf=S1"}, {Tag: "shelf", Text: "basket"}, {Kind: "folder"}, {State: "retired"},
			{State: "active", Type: "bucket"}, {Kind: "resource"}, {Text: "nothing-of-that-name"},
		} {
			q.Limit = 1 + dice.IntN(20)
			var got, want []string
			for _, n := range searchAll(t, as, q) {
				got = append(got, n.Address)
			}
			for _, n := range tree.Scopes {
				if fitsSearch(t, rowan, n, q) {
					want = append(want, n.Address)
				}
			}
			require.ElementsMatch(t, want, got, "%s looks for %+v, %d at a time", who, q, q.Limit)
		}
	}
	found := searchAll(t, rowan, api.SearchScopesParams{Text: alpine, Limit: 5})
	require.Equal(t, alpine, found[0].Address, "an address is found")
	require.Equal(t, "cool", found[0].Tags["climate"])
	require.Len(t, searchAll(t, rowan, api.SearchScopesParams{Text: found[0].Id, Limit: 5}), 1, "so is an id")
	require.Empty(t, searchAll(t, b.As(t, "ines@lindenmere"), api.SearchScopesParams{Text: found[0].Id, Limit: 5}), "but not for whom it is hidden")
	sefa := searchAll(t, b.As(t, "bram@lindenmere"), api.SearchScopesParams{Text: "staff-desk", Limit: 5})
	require.Len(t, sefa, 1)
	require.Empty(t, sefa[0].Title, "who may not describe it sees its name alone")

	for field, q := range map[string]api.SearchScopesParams{
		"text": {}, "kind": {Kind: "foldr"}, "state": {State: "gone"}, "after": {Text: "a", After: "!"},
	} {
		t.Run(field, func(t *testing.T) {
			_, err := rowan.SearchScopes(t.Context(), "lindenmere", &q)
			var problem *client.Error
			require.ErrorAs(t, err, &problem)
			require.Contains(t, []int{400, 422}, problem.Status)
			require.Equal(t, field, problem.Field)
		})
	}
}

// fitsSearch reports whether a scope is one that is looked for; its tags are read as rowan, who may.
func fitsSearch(t *testing.T, rowan *client.Client, n api.ScopeNode, q api.SearchScopesParams) bool {
	scope, err := rowan.ShowScope(t.Context(), n.Id)
	require.NoError(t, err)
	begins := func(prefix string) bool {
		words := []string{string(n.Kind)}
		if n.Type != "" {
			words = []string{n.Type}
		}
		for i := range n.Name {
			if i == 0 || n.Name[i-1] == '-' {
				words = append(words, n.Name[i:])
			}
		}
		for key, value := range scope.Tags {
			words = append(words, key+"="+strings.ToLower(value), strings.ToLower(value))
		}
		return slices.ContainsFunc(words, func(w string) bool { return strings.HasPrefix(w, strings.ToLower(prefix)) })
	}
	tagged := func(tag string) bool {
		key, value, both := strings.Cut(tag, "=")
		has, there := scope.Tags[key]
		return there && (!both || has == value)
	}
	typ := ""
	if n.Type != "" {
		typ = n.Type
	}
	return (q.Text == "" || begins(q.Text)) && (q.Tag == "" || tagged(q.Tag)) && (q.Kind == "" || string(n.Kind) == q.Kind) &&
		(q.Type == "" || typ == q.Type) && (q.State == "" || n.Retired == (q.State == "retired"))
}

// TestWhatAScopeTells sees that a scope tells its numbers, what is cut off of its grants and its last changes, each as far as
// its viewer may know.
func TestWhatAScopeTells(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, bram, oona := b.As(t, "rowan@lindenmere"), b.As(t, "bram@lindenmere"), b.As(t, "oona@lindenmere")
	count := func(as *client.Client, at string) api.Contents {
		in, err := as.CountContents(t.Context(), at)
		require.NoError(t, err)
		return in
	}
	require.Equal(t, api.Contents{Children: 2, Scopes: 7, Resources: 5}, count(rowan, glasshouses))
	require.Equal(t, api.Contents{Children: 2, Scopes: 7, Resources: 5}, count(bram, glasshouses))
	require.Equal(t, api.Contents{Children: 2, Scopes: 4, Resources: 2}, count(bram, "lindenmere/visitors"), "what he does not see is not counted")

	list, err := rowan.ListGrants(t.Context(), vault, nil)
	require.NoError(t, err)
	cut := map[string]int{}
	for _, g := range list.Grants {
		if g.Losses != nil {
			for _, loss := range g.Losses {
				require.Equal(t, "everyone except vault-keepers may never destroy anything", loss.Statement.Text)
				require.False(t, loss.All)
				cut[g.Principal.Name] += len(loss.Permissions)
				for _, permission := range loss.Permissions {
					answer, err := rowan.Check(t.Context(), vault, api.Question{Principal: &g.Principal, Permission: permission})
					require.NoError(t, err)
					require.Equal(t, "cut", string(answer.Reason), permission)
				}
			}
		}
	}
	require.Len(t, cut, 1, "maeve is a keeper, the curators hold nothing that destroys, and the auditors neither")
	require.Positive(t, cut["rowan"])

	changes := func(as *client.Client, at string, after string, most int) (api.ScopeChangeList, error) {
		return as.ListScopeChanges(t.Context(), at, &api.ListScopeChangesParams{After: after, Limit: most})
	}
	first, err := changes(oona, vault, "", 2)
	require.NoError(t, err)
	require.Len(t, first.Changes, 2)
	require.Equal(t, "rowan@lindenmere", first.Changes[0].By)
	require.Contains(t, first.Changes[0].What, "granted content-keeper to group vault-keepers")
	rest, err := changes(oona, vault, first.Next, 100)
	require.NoError(t, err)
	require.Zero(t, rest.Next)
	require.Less(t, rest.Changes[0].Revision, first.Changes[1].Revision)
	require.Contains(t, rest.Changes[len(rest.Changes)-1].What, "created project seedbank-vault")
	_, err = changes(b.As(t, "ines@lindenmere"), vault, "", 5)
	require.Equal(t, "list audit-record", testbed.Problem(t, http.StatusForbidden, err).Permission)

	// What touched a place that one does not see is told without words.
	require.NoError(t, client.Done(rowan.ReshapeScopes(t.Context(), "lindenmere", nil, api.Reshaping{Scopes: []string{"lindenmere/shared-services/core.network"}, To: alpine})))
	seen, err := changes(bram, alpine, "", 1)
	require.NoError(t, err)
	require.Empty(t, seen.Changes[0].What)
	told, err := changes(rowan, alpine, "", 1)
	require.NoError(t, err)
	require.Contains(t, told.Changes[0].What, "core.network")
}

// TestMatrix sees that the matrix of a scope says of everybody what a check says.
func TestMatrix(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan := b.As(t, "rowan@lindenmere")
	matrix := func(as *client.Client, at string, against api.ShowMatrixParamsAgainst, rows api.ShowMatrixParamsRows) (whole api.Matrix) {
		params := &api.ShowMatrixParams{Against: against, Rows: rows, Limit: 3}
		for {
			m, err := as.ShowMatrix(t.Context(), at, params)
			require.NoError(t, err)
			require.LessOrEqual(t, len(m.Rows), 3)
			m.Rows = append(whole.Rows, m.Rows...)
			whole = m
			if params.After = m.Next; m.Next == "" {
				return whole
			}
		}
	}
	m := matrix(rowan, scans, "types", "people")
	var names []string
	for _, row := range m.Rows {
		names = append(names, string(row.Principal.Kind)+" "+row.Principal.Name)
	}
	require.Equal(t, []string{"user ines", "user maeve", "user oona", "user piotr", "user rowan", "service-account " + digitising + "/label-indexer"}, names)
	checked := 0
	for _, row := range m.Rows {
		for i, column := range m.Columns {
			require.Len(t, row.Cells[i], len(column.Permissions))
			for j, sign := range row.Cells[i] {
				answer, err := rowan.Check(t.Context(), scans, api.Question{
					Principal: &row.Principal, Permission: column.Permissions[j].Operation + " " + column.Permissions[j].Type,
				})
				require.NoError(t, err)
				if sign == 'y' {
					require.True(t, answer.Allowed, "%s %s", row.Principal.Name, answer.Permission)
				} else {
					require.False(t, answer.Allowed, "%s %s", row.Principal.Name, answer.Permission)
				}
				checked++
			}
		}
	}
	require.Greater(t, checked, 100)
	piotr := m.Rows[3]
	at := slices.IndexFunc(m.Columns, func(c api.MatrixColumn) bool { return c.Name == "object" })
	require.Contains(t, piotr.Cells[at], "m", "he may put objects while he is in the north wing")

	children := matrix(rowan, "lindenmere/science", "children", "groups")
	require.Equal(t, []string{"herbarium", "seedbank"}, []string{children.Columns[0].Name, children.Columns[1].Name})
	require.Equal(t, "curators", children.Rows[0].Principal.Name)
	_, err := b.As(t, "ines@lindenmere").ShowMatrix(t.Context(), vault, nil)
	testbed.Problem(t, http.StatusForbidden, err)
}

// TestHoldersBelow tells who may do something by the scopes at which that changes, and agrees with asking at each.
func TestHoldersBelow(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, ctx := b.As(t, "rowan@lindenmere"), t.Context()
	asked := api.HoldersQuestion{Permission: "erase object"}
	names := func(places []api.HoldersThere) map[string][]string {
		at := map[string][]string{}
		for _, p := range places {
			at[p.Scope.Address] = []string{}
			for _, h := range p.Holders {
				at[p.Scope.Address] = append(at[p.Scope.Address], h.Principal.Name)
			}
		}
		return at
	}
	whole, err := rowan.ListHoldersBelow(ctx, "lindenmere", nil, asked)
	require.NoError(t, err)
	require.Greater(t, len(whole.Places), 2)
	var paged []api.HoldersThere
	for after := ""; ; {
		page, err := rowan.ListHoldersBelow(ctx, "lindenmere", &api.ListHoldersBelowParams{Limit: 1, After: after}, asked)
		require.NoError(t, err)
		paged = append(paged, page.Places...)
		if after = page.Next; after == "" {
			break
		}
	}
	require.Equal(t, names(whole.Places), names(paged))

	// At every scope the holders are those of the nearest place above it.
	at := names(whole.Places)
	tree, err := rowan.ShowTree(ctx, "lindenmere", nil)
	require.NoError(t, err)
	checked := 0
	for _, scope := range tree.Scopes {
		here, err := rowan.ListHolders(ctx, scope.Address, nil, asked)
		if err != nil {
			continue // it means nothing at such a type
		}
		want := []string{}
		for _, h := range here.Holders {
			want = append(want, h.Principal.Name)
		}
		nearest := scope.Address
		for {
			if _, told := at[nearest]; told {
				break
			}
			nearest = nearest[:strings.LastIndex(nearest, "/")]
		}
		require.ElementsMatch(t, want, at[nearest], scope.Address)
		checked++
	}
	require.Greater(t, checked, 10)
	_, err = b.As(t, "piotr@lindenmere").ListHoldersBelow(ctx, "lindenmere", nil, asked)
	testbed.Problem(t, 403, err)
}
