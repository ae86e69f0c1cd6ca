package store_test

import (
	"bytes"
	"database/sql"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// TestAuditRecordsByFilter reads the audit log of an organisation, of two names in the course of time, by filters and page sizes drawn at random, against a look at every record.
func TestAuditRecordsByFilter(t *testing.T) {
	dsn := testbed.DSN(t)
	s := testbed.OpenRecords(t, dsn)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.ExecContext(t.Context(), "INSERT INTO organisation_name (name, organisation_id) VALUES ('lindenmere', ?), ('linden-trust', ?), ('quaywater', ?)", top.ID[:], top.ID[:], house.ID[:])
	require.NoError(t, err)
	events, actors := []string{"refused", "sign-in", "change"}, []string{"rowan@lindenmere", "yuki@lindenmere", "warden"}
	details := []string{"opened 100%_of it", "opened 100 of it", `a \ stroke`, "nothing"}
	var all []store.AuditRecord
	for n := range 60 {
		r := store.AuditRecord{
			Author:       store.Author{Name: actors[n%3], From: "127.0.0.1", At: now.Add(time.Duration(n/2) * time.Minute)},
			Organisation: []string{"lindenmere", "linden-trust", "quaywater"}[n%7/3], Event: events[n/7%3], Detail: details[n/3%4],
		}
		require.NoError(t, s.Audit(t.Context(), r))
		all = append(all, r)
	}
	rapid.Check(t, func(r *rapid.T) {
		f := store.AuditFilter{
			Event: rapid.SampledFrom(append(events, "", "", "nonsense")).Draw(r, "event"),
			Actor: rapid.SampledFrom(append(actors, "", "", "ROWAN", "maeve", "@")).Draw(r, "actor"),
			Text:  rapid.SampledFrom([]string{"", "", "100%", "%", "_", `\`, "opened", "NOTHING"}).Draw(r, "text"),
			Limit: rapid.IntRange(1, 20).Draw(r, "limit"),
		}
		moment := func(what string) (at time.Time) {
			if rapid.Bool().Draw(r, what) {
				at = now.Add(time.Duration(rapid.IntRange(-1, 31).Draw(r, "minutes")) * time.Minute)
			}
			return at
		}
		f.From, f.Until = moment("from"), moment("until")
		var want []string
		for n := len(all) - 1; n >= 0; n-- {
			a := all[n]
			if a.Organisation != "quaywater" && (f.Event == "" || f.Event == a.Event) && (f.Actor == a.Author.Name || !strings.Contains(f.Actor, "@") && strings.Contains(a.Author.Name, strings.ToLower(f.Actor))) && strings.Contains(strings.ToLower(a.Detail), strings.ToLower(f.Text)) &&
				!a.Author.At.Before(f.From) && (f.Until.IsZero() || a.Author.At.Before(f.Until)) {
				want = append(want, fmt.Sprint(n+1, a))
			}
		}
		var got []string
		for {
			page, next, err := s.AuditRecords(t.Context(), top.ID, f)
			require.NoError(r, err)
			require.LessOrEqual(r, len(page), f.Limit)
			for _, e := range page {
				got = append(got, fmt.Sprint(e.Number, e.AuditRecord))
			}
			if next == 0 {
				break
			}
			require.NotEmpty(r, page, "a page that is not the last holds something")
			f.Before = next
		}
		require.Equal(r, want, got)
	})
}

// TestScopesByTerm finds scopes by searches and page sizes drawn at random, against a look at every scope's terms.
func TestScopesByTerm(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		scopes := []model.Scope{top, house, bucket}
		names := []string{"palm-house", "house-of-palms", "palm", "scans", "trial-scans", "house"}
		var changes []access.Change
		for n, name := range names {
			for m, tags := range []map[string]string{nil, {"care": "high"}, {"care": "House", "team": "palm"}} {
				scope := model.Scope{ID: model.ID{50, byte(n), byte(m)}, Parent: house.ID, Kind: model.Resource, Type: []string{"bucket", "machine", "network"}[m], Name: name, Tags: tags}
				scopes = append(scopes, scope)
				changes = append(changes, access.CreateScope{Scope: scope})
			}
		}
		commit(t, s, "planted", store.Descriptions{}, changes...)
		for n := 4; n < len(scopes); n += 5 {
			scopes[n].Retired = true
			commit(t, s, "retired", store.Descriptions{}, access.RetireScope{ID: scopes[n].ID})
		}
		rapid.Check(t, func(r *rapid.T) {
			q := store.Search{
				Term: rapid.SampledFrom([]string{"", "palm", "house", "scans.bucket", "care=", "high", "care=high", "resource", "machine", "p", "nothing"}).Draw(r, "term"),
				Kind: rapid.SampledFrom([]string{"", "", "resource", "project"}).Draw(r, "kind"), Type: rapid.SampledFrom([]string{"", "", "bucket", "network"}).Draw(r, "type"),
				Tag: rapid.SampledFrom([]string{"", "", "care=", "care=high", "care=house", "team=palm"}).Draw(r, "tag"), Limit: rapid.IntRange(1, 9).Draw(r, "limit"),
			}
			q.Exact = q.Term != "" && rapid.Bool().Draw(r, "exact")
			if rapid.Bool().Draw(r, "by state") {
				retired := rapid.Bool().Draw(r, "retired")
				q.Retired = &retired
			}
			want := map[string]bool{}
			for _, scope := range scopes {
				if q.Kind != "" && scope.Kind.String() != q.Kind || q.Type != "" && scope.Type != q.Type || q.Retired != nil && scope.Retired != *q.Retired {
					continue
				}
				tagged := q.Tag == ""
				for _, term := range scope.Terms() {
					tagged = tagged || term == q.Tag || strings.HasSuffix(q.Tag, "=") && strings.HasPrefix(term, q.Tag)
				}
				if !tagged {
					continue
				}
				if q.Term == "" {
					want[fmt.Sprint("", scope.ID)] = true
				}
				for _, term := range scope.Terms() {
					if q.Term != "" && (term == q.Term || !q.Exact && strings.HasPrefix(term, q.Term)) {
						want[fmt.Sprint(term, scope.ID)] = true
					}
				}
			}
			got, last := map[string]bool{}, store.Found{}
			for {
				page, err := s.SearchScopes(t.Context(), top.ID, q)
				require.NoError(r, err)
				for _, f := range page {
					require.False(r, got[fmt.Sprint(f.Term, f.ID)], "found twice")
					require.True(r, last.Term < f.Term || last.Term == f.Term && bytes.Compare(last.ID[:], f.ID[:]) < 0, "%v after %v", f, last)
					got[fmt.Sprint(f.Term, f.ID)], last = true, f
				}
				if len(page) < q.Limit {
					break
				}
				q.After = last
			}
			require.Equal(r, want, got)
		})
	})
}

// TestScopeChangesByPage reads what was changed of a scope page by page.
func TestScopeChangesByPage(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		var want []string
		for n := range 7 {
			what := fmt.Sprint("renamed it for the time ", n)
			revision := commit(t, s, what, store.Descriptions{}, access.RenameScope{ID: house.ID, Name: fmt.Sprint("house-", n)})
			want = append([]string{fmt.Sprint(revision, what)}, want...)
		}
		want = append(want, "1created lindenmere")
		var got []string
		for before := uint64(1 << 62); ; {
			page, err := s.ScopeChanges(t.Context(), top.ID, house.ID, before, 3)
			require.NoError(t, err)
			if len(page) == 0 {
				break
			}
			for _, c := range page {
				require.Equal(t, by, c.Author)
				require.Contains(t, c.Scopes, house.ID)
				require.Contains(t, c.Scopes, top.ID, "the parent is touched as well")
				got = append(got, fmt.Sprint(c.Revision, c.What))
				before = c.Revision
			}
		}
		require.Equal(t, want, got)
		none, err := s.ScopeChanges(t.Context(), top.ID, model.ID{99}, 1<<62, 3)
		require.NoError(t, err)
		require.Empty(t, none)
	})
}
