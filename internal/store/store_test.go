package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/tenant"
	"arbora.example/internal/tenant/memory"
)

func TestMain(m *testing.M) { os.Exit(testbed.Run(m)) }

var (
	now = time.Date(2026, 11, 25, 9, 30, 0, 123456000, time.UTC)
	by  = store.Author{Name: "rowan@lindenmere", From: "127.0.0.1", At: now}

	top    = model.Scope{ID: model.ID{1}, Kind: model.Organisation, Name: "lindenmere"}
	house  = model.Scope{ID: model.ID{2}, Parent: top.ID, Kind: model.Project, Name: "house", Tags: map[string]string{"climate": "cool"}}
	bucket = model.Scope{ID: model.ID{3}, Parent: house.ID, Kind: model.Resource, Name: "log", Type: "bucket"}
	rowan  = access.Principal{ID: model.ID{4}, Kind: model.User, Name: "rowan"}
	team   = access.Principal{ID: model.ID{5}, Kind: model.Group, Name: "team"}
	member = access.Membership{Group: team.ID, Member: rowan.ID}
	given  = access.Grant{ID: model.ID{6}, Scope: top.ID, Principal: team.ID, Role: "steward"}
)

// onBoth runs a test on records in a database, and on those in memory, which stand in for them elsewhere.
func onBoth(t *testing.T, test func(t *testing.T, s tenant.Records)) {
	t.Run("database", func(t *testing.T) {
		s := testbed.Records(t)
		test(t, tenant.RecordsIn(s))
		require.NoError(t, s.CheckAudit(t.Context()))
	})
	t.Run("memory", func(t *testing.T) { test(t, memory.New()) })
}

// fill writes a small organisation.
func fill(t *testing.T, s tenant.Records) {
	t.Helper()
	details := store.ScopeDetails{Title: "Ångström’s “house” 🌿", Description: "a", CreatedAt: now}
	revision, err := s.Create(t.Context(), top.ID, by, func(tx tenant.Tx, _ uint64) (string, error) {
		p, err := access.New(catalogue.Shipped()).Propose(
			access.CreateScope{Scope: top}, access.CreateScope{Scope: house}, access.CreateScope{Scope: bucket},
			access.CreatePrincipal{Principal: rowan}, access.CreatePrincipal{Principal: team},
			access.AddMember{Membership: member}, access.CreateGrant{Grant: given})
		require.NoError(t, err)
		return "created lindenmere", errors.Join(
			tx.Apply(p, store.Descriptions{
				Scopes:     map[model.ID]store.ScopeDetails{house.ID: details, bucket.ID: details},
				Principals: map[model.ID]store.PrincipalDetails{rowan.ID: {Title: "Rowan Ashdown"}},
				Grants:     map[model.ID]string{given.ID: "first"},
			}),
			tx.CreateIdentity(store.Identity{ID: rowan.ID, Name: "rowan", Email: "rowan@lindenmere.example", PasswordHash: "hash", Temporary: true}))
	})
	require.NoError(t, err)
	require.EqualValues(t, 1, revision)
}

// commit makes changes in one write, with what is known besides of what they are about.
func commit(t *testing.T, s tenant.Records, what string, after store.Descriptions, changes ...access.Change) (revision uint64) {
	t.Helper()
	p, err := load(t, s).Propose(changes...)
	require.NoError(t, err)
	revision, err = s.Write(t.Context(), top.ID, by, func(tx tenant.Tx, _ uint64) (string, error) { return what, tx.Apply(p, after) })
	require.NoError(t, err)
	return revision
}

func load(t *testing.T, s tenant.Records) *access.Snapshot {
	t.Helper()
	building := access.New(catalogue.Shipped()).Builder()
	revision, err := s.Load(t.Context(), top.ID, building.Apply)
	require.NoError(t, err)
	snapshot, err := building.Done(revision)
	require.NoError(t, err)
	return snapshot
}

// TestOutsidePeopleAreRead writes somebody who comes by a provider, and what it says of them.
func TestOutsidePeopleAreRead(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		provider := access.Principal{ID: model.ID{40}, Kind: model.Provider, Name: "quaywater-sso"}
		ilka := access.Principal{ID: model.ID{39}, Kind: model.OutsidePerson, Name: "ilka@quaywater-sso", Provider: provider.ID, Subject: "Q 4711 ü"}
		commit(t, s, "created", store.Descriptions{}, access.CreatePrincipal{Principal: provider}, access.CreatePrincipal{Principal: ilka})
		read := func() map[string][]string {
			found, ok := load(t, s).OutsidePersonBy(provider.ID, ilka.Subject)
			require.True(t, ok)
			require.Equal(t, ilka.Name, found.Name)
			return found.Claims
		}
		require.Nil(t, read(), "it has said nothing")
		for _, said := range []map[string][]string{{}, {"urn:oid:2.5.4.11": {"seeds", "labels"}, "Team": {}}} {
			commit(t, s, "said", store.Descriptions{}, access.SetClaims{ID: ilka.ID, Claims: said})
			require.Equal(t, said, read())
		}
	})
}

func TestWhatIsWrittenIsRead(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		snapshot := load(t, s)
		require.Equal(t, "lindenmere/house/log.bucket", snapshot.Address(bucket.ID))
		require.Equal(t, []access.Principal{rowan}, snapshot.Members(team.ID))
		require.Equal(t, []access.Grant{given}, snapshot.GrantsAt(top.ID))

		scopes, err := s.ScopeDetails(t.Context(), []model.ID{house.ID, {99}})
		require.NoError(t, err)
		require.Len(t, scopes, 1)
		require.Equal(t, "Ångström’s “house” 🌿", scopes[house.ID].Title)
		kept, _ := snapshot.Scope(house.ID)
		require.Equal(t, house.Tags, kept.Tags)
		require.Equal(t, now, scopes[house.ID].CreatedAt)
		principals, err := s.PrincipalDetails(t.Context(), top.ID, []model.ID{rowan.ID})
		require.NoError(t, err)
		require.Equal(t, "rowan@lindenmere.example", principals[rowan.ID].Email)
		grants, err := s.GrantDetails(t.Context(), []model.ID{given.ID})
		require.NoError(t, err)
		require.Equal(t, store.GrantDetails{Description: "first", CreatedAt: now, CreatedBy: "rowan@lindenmere"}, grants[given.ID])

		other := access.Grant{ID: model.ID{7}, Scope: top.ID, Principal: rowan.ID, Role: "steward"}
		commit(t, s, "", store.Descriptions{}, access.CreateGrant{Grant: other})
		ending := given
		ending.Until = now.AddDate(1, 0, 0)
		edited := map[model.ID]string{given.ID: "for a year"}
		commit(t, s, "", store.Descriptions{Grants: edited}, access.EditGrant{Grant: ending})
		grants, err = s.GrantDetails(t.Context(), []model.ID{given.ID})
		require.NoError(t, err)
		require.Equal(t, "for a year", grants[given.ID].Description)
		snapshot = load(t, s)
		ends, _ := snapshot.Grant(given.ID)
		require.True(t, ending.Until.Equal(ends.Until))
		commit(t, s, "", store.Descriptions{Grants: map[model.ID]string{given.ID: "first"}}, access.EditGrant{Grant: given})
		require.EqualValues(t, 5, commit(t, s, "took back", store.Descriptions{}, access.RemoveMember{Membership: member}, access.RevokeGrant{ID: given.ID}))
		snapshot = load(t, s)
		require.Empty(t, snapshot.Members(team.ID))
		require.Equal(t, []access.Grant{other}, snapshot.GrantsAt(top.ID))

		record, err := s.Change(t.Context(), top.ID, 5)
		require.NoError(t, err)
		require.Equal(t, store.Recorded{
			Revision: 5, Author: by, What: "took back",
			Changes: []access.Change{access.RemoveMember{Membership: member}, access.RevokeGrant{ID: given.ID}},
			Back:    []access.Change{access.CreateGrant{Grant: given}, access.AddMember{Membership: member}},
			Before:  store.Descriptions{Grants: map[model.ID]string{given.ID: "first"}},
		}, record)
		_, err = s.Change(t.Context(), top.ID, 6)
		require.ErrorIs(t, err, store.ErrNotFound)
	})
}

func TestAFailedWriteLeavesNothing(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		guest := access.Principal{ID: model.ID{60}, Kind: model.Guest, Name: "wren@meadowside.example"}
		commit(t, s, "invited", store.Descriptions{}, access.CreatePrincipal{Principal: guest})
		broken := errors.New("changed my mind")
		_, err := s.Write(t.Context(), top.ID, by, func(tx tenant.Tx, _ uint64) (string, error) {
			p, err := load(t, s).Propose(access.AddMember{Membership: access.Membership{Group: team.ID, Member: guest.ID}})
			require.NoError(t, err)
			require.NoError(t, tx.Apply(p, store.Descriptions{}))
			return "", broken
		})
		require.ErrorIs(t, err, broken)
		require.Len(t, load(t, s).Members(team.ID), 1)
		require.EqualValues(t, 2, load(t, s).Revision())
		_, err = s.Write(t.Context(), model.ID{77}, by, nil)
		require.ErrorIs(t, err, store.ErrNotFound)
	})
}

func TestIdentitiesAndSessions(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		keeper := store.Identity{ID: model.ID{8}, Name: "rowan", PasswordHash: "other"}
		require.NoError(t, s.AddKeeper(t.Context(), keeper, by))
		found, err := s.IdentityNamed(t.Context(), credential.SignIn{Name: "rowan"})
		require.NoError(t, err)
		require.True(t, found.Keeper)
		found, err = s.IdentityNamed(t.Context(), credential.SignIn{Name: "rowan", Organisation: "lindenmere"})
		require.NoError(t, err)
		require.Equal(t, "rowan@lindenmere", found.SignIn().String())
		require.True(t, found.Temporary)
		for _, nobody := range []credential.SignIn{{Name: "bram", Organisation: "lindenmere"}, {Name: "rowan", Organisation: "house"}} {
			_, err = s.IdentityNamed(t.Context(), nobody)
			require.ErrorIs(t, err, store.ErrNotFound)
		}

		kept, other := credential.NewToken(), credential.NewToken()
		here := store.Session{ID: model.ID{21}, Identity: found, Organisation: found.Organisation, Agent: "a test"}
		require.NoError(t, s.StartSession(t.Context(), here, kept, by))
		elsewhere := here
		elsewhere.ID = model.ID{22}
		require.NoError(t, s.StartSession(t.Context(), elsewhere, other, by))
		list, err := s.Sessions(t.Context(), found.ID, now)
		require.NoError(t, err)
		require.Len(t, list, 2)
		later := now.Add(time.Hour)
		require.NoError(t, s.MoveSession(t.Context(), elsewhere.ID, found.Organisation, later))
		last, err := s.LastSignIns(t.Context(), found.Organisation)
		require.NoError(t, err)
		require.Equal(t, map[model.ID]time.Time{found.ID: later}, last, "the latest one stays")
		people, err := s.PersonDetails(t.Context(), found.Organisation, []model.ID{found.ID})
		require.NoError(t, err)
		require.Equal(t, later, people[found.ID].LastSignIn)
		require.Equal(t, "Rowan Ashdown", people[found.ID].Title)
		require.Empty(t, people[found.ID].Factors)
		many := make([]model.ID, 1000) // so many that all of the organisation are read
		many[0] = found.ID
		all, err := s.PersonDetails(t.Context(), found.Organisation, many)
		require.NoError(t, err)
		require.Equal(t, people[found.ID], all[found.ID])
		require.NoError(t, s.ChoosePassword(t.Context(), found, "new", kept, by))
		session, err := s.SessionFor(t.Context(), kept)
		require.NoError(t, err)
		require.False(t, session.Identity.Temporary)
		require.Equal(t, now, session.SignedInAt)
		ended, err := s.SessionFor(t.Context(), other)
		require.NoError(t, err)
		require.Equal(t, now, ended.EndedAt, "other sessions end with the old password, and are kept to tell so")
		require.NoError(t, s.RevokeSession(t.Context(), found, here.ID, by))
		require.ErrorIs(t, s.RevokeSession(t.Context(), found, here.ID, by), store.ErrNotFound)
		ended, err = s.SessionFor(t.Context(), kept)
		require.NoError(t, err)
		require.Equal(t, now, ended.EndedAt)
	})
}

func TestTamperingWithTheAuditLogShows(t *testing.T) {
	dsn := testbed.DSN(t)
	s := testbed.OpenRecords(t, dsn)
	fill(t, tenant.RecordsIn(s))
	for _, detail := range []string{"one", "two", "three"} {
		require.NoError(t, s.Audit(t.Context(), store.AuditRecord{Author: by, Event: "refused", Detail: detail}))
	}
	require.NoError(t, s.CheckAudit(t.Context()))
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	run := func(statement string) {
		_, err := db.ExecContext(t.Context(), statement)
		require.NoError(t, err)
	}
	run("UPDATE audit_record SET detail = 'zwei' WHERE number = 3")
	require.ErrorContains(t, s.CheckAudit(t.Context()), "audit record 3 was changed")
	run("UPDATE audit_record SET detail = 'two' WHERE number = 3")
	require.NoError(t, s.CheckAudit(t.Context()))
	run("DELETE FROM audit_record WHERE number = 4")
	require.ErrorContains(t, s.CheckAudit(t.Context()), "missing at the end")
}

// TestTheAuditLogIsChainedByAKey has somebody who can write in the database, and knows how the chain is made, write the log anew:
// without the key it does not hold, and with it the ends that were written down elsewhere tell.
func TestTheAuditLogIsChainedByAKey(t *testing.T) {
	dsn := testbed.DSN(t)
	s := testbed.OpenRecords(t, dsn)
	fill(t, tenant.RecordsIn(s))
	s.ChainBy([]byte("a key of the host's"))
	say := func(detail string) {
		require.NoError(t, s.Audit(t.Context(), store.AuditRecord{Author: by, Event: "refused", Detail: detail}))
	}
	say("one")
	say("two")
	end, err := s.AuditEnd(t.Context(), now)
	require.NoError(t, err)
	say("three")
	require.NoError(t, s.CheckAudit(t.Context(), end))

	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	run := func(statement string, values ...any) {
		_, err := db.ExecContext(t.Context(), statement, values...)
		require.NoError(t, err)
	}
	// The last two are taken away, and another is chained without the key.
	run("DELETE FROM audit_record WHERE number >= ?", end.Number)
	run("UPDATE audit_end SET number = ?, hash = (SELECT hash FROM audit_record ORDER BY number DESC LIMIT 1)", end.Number-1)
	require.NoError(t, s.CheckAudit(t.Context()), "who knows of no anchor cannot tell")
	require.ErrorContains(t, s.CheckAudit(t.Context(), end), "missing at the end")
	s.ChainBy(nil)
	say("another two")
	s.ChainBy([]byte("a key of the host's"))
	require.ErrorContains(t, s.CheckAudit(t.Context()), "was changed")
	run("UPDATE audit_record SET keyed = TRUE WHERE number = ?", end.Number)
	require.ErrorContains(t, s.CheckAudit(t.Context()), "was changed")
	run("DELETE FROM audit_record WHERE number = ?", end.Number)
	run("UPDATE audit_end SET number = ?, hash = (SELECT hash FROM audit_record ORDER BY number DESC LIMIT 1)", end.Number-1)
	say("another two")
	require.NoError(t, s.CheckAudit(t.Context()))
	require.ErrorContains(t, s.CheckAudit(t.Context(), end), "another than when it was anchored")
}

// TestTheAuditLogTakesAnyText: what the database chains is what the check chains, whatever a record says.
func TestTheAuditLogTakesAnyText(t *testing.T) {
	s := testbed.Records(t)
	fill(t, tenant.RecordsIn(s))
	odd := []string{"", `a "quoted" word, a \ and a /`, "Ångström 🌿 ひまわり", "<b>&amp;</b>", "two\nlines\tand\ttabs", "\u2028 \u0001 \x7f", `\u003c`, "100 % _ ' `"}
	var written []store.AuditRecord
	for i, text := range odd {
		who := store.Author{Name: "rowan@lindenmere", From: "127.0.0.1", At: now.Add(time.Duration(i) * time.Microsecond)}
		written = append(written, store.AuditRecord{Organisation: "lindenmere", Author: who, Event: "refused", Detail: text})
		require.NoError(t, s.Audit(t.Context(), written[i]))
	}
	var read []store.AuditRecord
	require.NoError(t, s.EachAudit(t.Context(), func(r store.AuditRecord) error {
		read = append(read, r)
		return nil
	}))
	require.Equal(t, "created lindenmere", read[0].Detail)
	require.Equal(t, written, read[1:])
}

func TestBadDSN(t *testing.T) {
	for dsn, says := range map[string]string{
		"nonsense":                     "write it as user:password@tcp(host:port)/database",
		"a:b@tcp(127.0.0.1:1)/":        "names no database",
		"a:b@tcp(127.0.0.1:1)/records": "cannot be reached",
	} {
		t.Run(dsn, func(t *testing.T) {
			_, err := store.Open(t.Context(), dsn)
			require.ErrorContains(t, err, says)
		})
	}
}

// TestPrivateServerKeepsItsData stops and kills a private server and finds acknowledged writes again.
func TestPrivateServerKeepsItsData(t *testing.T) {
	testbed.NeedMariaDB(t)
	directory := t.TempDir()
	start := func() *mariadbd.Server {
		server, err := mariadbd.Start(t.Context(), directory)
		require.NoError(t, err)
		require.NoError(t, server.Create(t.Context(), "records"))
		return server
	}
	server := start()
	s := testbed.OpenRecords(t, server.DSN("records"))
	fill(t, tenant.RecordsIn(s))

	second, err := mariadbd.Start(t.Context(), directory)
	require.NoError(t, err, "a second program on the host uses the server that runs")
	require.Equal(t, server.DSN("records"), second.DSN("records"))
	require.NoError(t, second.Stop())
	require.NoError(t, s.Ping(t.Context()), "and leaves it running")

	db, err := sql.Open("mysql", server.DSN(""))
	require.NoError(t, err)
	defer db.Close()
	var unread, local bool
	var socket string
	require.NoError(t, db.QueryRowContext(t.Context(), "SELECT LOAD_FILE(?) IS NULL, @@local_infile, @@socket", directory+"/password").Scan(&unread, &local, &socket))
	require.True(t, unread, "no statement reads a file of the machine")
	require.False(t, local)
	require.Equal(t, "socket", socket, "in the folder of the data")
	data, err := os.Stat(directory + "/data")
	require.NoError(t, err)
	require.Zero(t, data.Mode().Perm()&0o077, "which nobody else can enter")

	require.NoError(t, server.Stop())
	require.ErrorIs(t, s.Ping(t.Context()), store.ErrUnavailable)
	_, err = s.Load(t.Context(), top.ID, func(access.Change) error { return nil })
	require.ErrorIs(t, err, store.ErrUnavailable)

	server = start()
	s = testbed.OpenRecords(t, server.DSN("records"))
	require.EqualValues(t, 1, load(t, tenant.RecordsIn(s)).Revision())
	commit(t, tenant.RecordsIn(s), "left", store.Descriptions{}, access.CreateGrant{Grant: access.Grant{ID: model.ID{7}, Scope: top.ID, Principal: rowan.ID, Role: "steward"}}, access.RemoveMember{Membership: member})

	keeping, stop := context.WithCancel(t.Context())
	restarted := make(chan error, 1)
	go server.Keep(keeping, func(_ string, err error) { restarted <- err })
	server.Kill()
	require.NoError(t, <-restarted, "a server that was killed is started again where it was")
	require.Empty(t, load(t, tenant.RecordsIn(s)).Members(team.ID), "and an acknowledged write is there")
	require.EqualValues(t, 2, load(t, tenant.RecordsIn(s)).Revision())
	stop()
	require.NoError(t, server.Stop())
	text, err := os.ReadFile(directory + "/password")
	require.NoError(t, err)
	require.False(t, strings.Contains(server.DSN("records"), " ") || len(text) < 20)
}

// TestWritesWaitForEachOther writes on one organisation from many sides at once: each gets a revision of its own, and the
// change records have no gap.
func TestWritesWaitForEachOther(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		const writers, each = 8, 5
		before := load(t, s)
		revisions := make(chan uint64, writers*each)
		failed := make(chan error, writers)
		for w := range writers {
			go func() {
				for n := range each {
					id := model.ID{10, byte(w), byte(n)}
					revision, err := s.Write(context.Background(), top.ID, by, func(tx tenant.Tx, revision uint64) (string, error) {
						scope := model.Scope{ID: id, Parent: house.ID, Kind: model.Resource, Name: fmt.Sprintf("b-%d-%d", w, n), Type: "bucket"}
						p, err := before.Propose(access.CreateScope{Scope: scope})
						if err != nil {
							return "", err
						}
						return fmt.Sprint("after ", revision), tx.Apply(p, store.Descriptions{})
					})
					if err != nil {
						failed <- err
						return
					}
					revisions <- revision
				}
				failed <- nil
			}()
		}
		for range writers {
			require.NoError(t, nil, <-failed)
		}
		close(revisions)
		seen := map[uint64]bool{}
		for revision := range revisions {
			require.False(t, seen[revision])
			seen[revision] = true
		}
		require.EqualValues(t, 1+writers*each, load(t, s).Revision())
		require.Equal(t, 3+writers*each, load(t, s).Scopes())
	})
}

// TestManyDetails asks for more rows than go into one query.
func TestManyDetails(t *testing.T) {
	onBoth(t, func(t *testing.T, s tenant.Records) {
		fill(t, s)
		ids := []model.ID{house.ID}
		for n := range 2500 {
			ids = append(ids, model.ID{20, byte(n >> 8), byte(n)})
		}
		ids = append(ids, bucket.ID)
		details, err := s.ScopeDetails(t.Context(), ids)
		require.NoError(t, err)
		require.Len(t, details, 2, "the first and the last are there, those between are not")
		details, err = s.ScopeDetails(t.Context(), nil)
		require.NoError(t, err)
		require.Empty(t, details)
	})
}

// TestRetiredScopesLoad reads a tree in which something retired holds something: parents come first, and retired last.
func TestRetiredScopesLoad(t *testing.T) {
	dsn := testbed.DSN(t)
	s := testbed.OpenRecords(t, dsn)
	fill(t, tenant.RecordsIn(s))
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.ExecContext(t.Context(), "UPDATE scope SET retired = TRUE WHERE name = 'house'")
	require.NoError(t, err)
	snapshot := load(t, tenant.RecordsIn(s))
	scope, ok := snapshot.Scope(house.ID)
	require.True(t, ok)
	require.True(t, scope.Retired)
	require.Equal(t, "lindenmere/house/log.bucket", snapshot.Address(bucket.ID))
	edit := catalogue.Shipped().MustPermission("edit bucket")
	require.Equal(t, access.Retired, snapshot.Decide(access.Question{Principal: rowan.ID, Permission: edit, Scope: bucket.ID}).Reason)
}
