package service_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestHome sees that everybody finds what they may use, that whoever looks after others finds what needs attention, and that
// nobody finds there what they may not see elsewhere.
func TestHome(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan := b.As(t, "rowan@lindenmere")
	soon := b.Clock.Now().Add(5 * 24 * time.Hour)
	require.NoError(t, client.Done(rowan.CreateGrant(t.Context(), trial, api.GrantNew{Principal: user("yuki"), Role: "observer", Until: soon})))
	require.NoError(t, client.Done(rowan.InviteGuest(t.Context(), "lindenmere", api.GuestNew{Email: "wren@meadowside.example"})))
	home := func(as *client.Client) api.Home {
		h, err := as.ShowHome(t.Context(), "lindenmere")
		require.NoError(t, err)
		return h
	}
	his := home(rowan)
	require.Equal(t, "lindenmere", his.Mine[0].Scope.Address)
	require.Contains(t, his.Mine[0].Holds, api.HeldClass{Class: "govern", Plane: "control"})
	require.Len(t, his.Ending, 1)
	require.Equal(t, "yuki", his.Ending[0].Principal.Name)
	require.Len(t, his.Pending, 1)
	require.Equal(t, "wren@meadowside.example", his.Pending[0].Guest.Name)
	var strangers, privileged, refused []string
	for _, r := range his.Strangers {
		strangers = append(strangers, r.Words)
	}
	require.Equal(t, []string{"content-reader for public"}, strangers)
	for _, p := range his.Privileged {
		privileged = append(privileged, p.Who.Name)
	}
	require.Equal(t, []string{"ines", "maeve", "rowan"}, privileged)
	for _, r := range his.Refused {
		refused = append(refused, r.Who)
	}
	require.Equal(t, []string{"ines@lindenmere"}, refused)
	require.Equal(t, 2, his.Refused[0].Times)
	require.Empty(t, his.Keys)
	b.Clock.Forward(91 * 24 * time.Hour)
	rowan = b.As(t, "rowan@lindenmere")
	his = home(rowan)
	require.Len(t, his.Keys, 1, "a key that nobody used for long")
	require.True(t, his.Keys[0].Unused)
	require.Empty(t, his.Ending, "it has ended")
	require.Empty(t, his.Refused, "that is long ago")

	brams := home(b.As(t, "bram@lindenmere"))
	require.NotEmpty(t, brams.Mine)
	require.Empty(t, brams.Pending)
	require.Empty(t, brams.Keys)
	require.Empty(t, brams.Refused)
	for _, p := range brams.Privileged {
		for _, at := range p.At {
			require.NotContains(t, at.Address, "science", "of what he does not see nothing is told")
		}
	}
	var places []string
	for _, m := range brams.Mine {
		places = append(places, m.Scope.Address)
		require.NotEmpty(t, m.Holds)
	}
	require.Contains(t, places, glasshouses)
	b.Newcomer(t, "nobody")
	require.Len(t, home(b.As(t, "nobody@lindenmere")).Mine, 2, "what the staff and the public may use")
}

// TestAuditLogIsRead reads the log by event, by who, by text and by time, in pages, as those who may and those who may not.
func TestAuditLogIsRead(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	oona := b.As(t, "oona@lindenmere")
	read := func(q api.ListAuditRecordsParams) (all []api.AuditRecord) {
		q.Limit = 3
		for {
			list, err := oona.ListAuditRecords(t.Context(), "lindenmere", &q)
			require.NoError(t, err)
			require.LessOrEqual(t, len(list.Records), 3)
			all = append(all, list.Records...)
			if q.After = list.Next; list.Next == "" {
				return all
			}
		}
	}
	everything := read(api.ListAuditRecordsParams{})
	require.Greater(t, len(everything), 60)
	for i := range everything[1:] {
		require.Greater(t, everything[i].Number, everything[i+1].Number)
	}
	matching := func(fits func(api.AuditRecord) bool) (some []api.AuditRecord) {
		for _, r := range everything {
			if fits(r) {
				some = append(some, r)
			}
		}
		require.NotEmpty(t, some)
		return some
	}
	require.Equal(t, matching(func(r api.AuditRecord) bool { return r.Event == "refused" }), read(api.ListAuditRecordsParams{Event: "refused"}))
	require.Equal(t, matching(func(r api.AuditRecord) bool { return r.By == "ines@lindenmere" }), read(api.ListAuditRecordsParams{Who: "ines@lindenmere"}))
	require.Equal(t, matching(func(r api.AuditRecord) bool { return strings.Contains(r.Detail, "vault-scans.bucket") }), read(api.ListAuditRecordsParams{Text: "vault-scans.bucket"}))
	require.Empty(t, read(api.ListAuditRecordsParams{Text: "vault_scans%"}), "a text means itself")
	middle := everything[len(everything)/2].At
	require.Equal(t, matching(func(r api.AuditRecord) bool { return !r.At.Before(middle) }), read(api.ListAuditRecordsParams{From: middle}))
	require.Equal(t, matching(func(r api.AuditRecord) bool { return r.At.Before(middle) }), read(api.ListAuditRecordsParams{Until: middle}))
	_, err := oona.ListAuditRecords(t.Context(), "lindenmere", &api.ListAuditRecordsParams{From: middle, Until: middle})
	require.Equal(t, "until", testbed.Problem(t, http.StatusBadRequest, err).Field)
	_, err = b.As(t, "ines@lindenmere").ListAuditRecords(t.Context(), "lindenmere", nil)
	require.Equal(t, "list audit-record", testbed.Problem(t, http.StatusForbidden, err).Permission)
}

// TestChangesAreStreamed sees that the revision comes at once and with every change, and that a stream ends with the session.
func TestChangesAreStreamed(t *testing.T) {
	b := testbed.InMemory(t)
	token := b.Token(t, "tomas@lindenmere")
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, b.Address+"/api/v1/organisations/lindenmere/stream", nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+token)
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	require.Equal(t, "text/event-stream", response.Header.Get("Content-Type"))
	lines := bufio.NewScanner(response.Body)
	next := func() (data string) {
		for lines.Scan() {
			if text, found := strings.CutPrefix(lines.Text(), "data: "); found {
				return text
			}
		}
		return ""
	}
	first := next()
	require.Regexp(t, `^\{"revision":[0-9]+\}$`, first)
	rowan := b.As(t, "rowan@lindenmere")
	seen := first
	for _, name := range []string{"weeders", "waterers"} {
		require.Error(t, client.Done(rowan.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "network-team"})), "what is refused is no change")
		require.NoError(t, client.Done(rowan.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: name})))
		now := next()
		require.NotEqual(t, seen, now)
		seen = now
	}
	// What changed is told as far as its reader sees it.
	var news api.News
	told := func() string {
		text := next()
		news = api.News{}
		require.NoError(t, json.Unmarshal([]byte(text), &news), text)
		news.Revision = 0
		text = fmt.Sprint(news)
		return text
	}
	b.Grant(t, "content-reader", "user", "tomas", alpine)
	told()
	require.True(t, news.Mine, "it is tomas who may do more now")
	b.Grant(t, "content-reader", "user", "yuki", alpine)
	require.Equal(t, fmt.Sprint(api.News{Beyond: true}), told(), "he may not list the grants there")
	leaflets := api.ScopeNew{Kind: "resource", Type: "bucket", Name: "leaflets"}
	require.NoError(t, client.Done(rowan.CreateScope(t.Context(), alpine, leaflets)))
	require.Equal(t, fmt.Sprint(api.News{Kinds: []string{"scope"}, Places: []string{alpine, alpine + "/leaflets.bucket"}}), told())
	require.NoError(t, client.Done(rowan.CreateScope(t.Context(), trial, leaflets)))
	require.Equal(t, fmt.Sprint(api.News{Beyond: true}), told(), "he does not see that place")
	title := "Alpine"
	require.NoError(t, client.Done(rowan.ReshapeScopes(t.Context(), "lindenmere", nil, api.Reshaping{Scopes: []string{alpine}, Title: &title})))
	require.Equal(t, fmt.Sprint(api.News{Kinds: []string{"scope"}, Places: []string{alpine}}), told())
	require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, "tomas", nil, api.StateChange{State: api.StateSuspended})))
	require.Empty(t, next(), "a leaver is told nothing more")
	request.Header.Set("Authorization", "Bearer "+b.Token(t, "juno@quaywater"))
	foreign, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer foreign.Body.Close()
	require.Equal(t, http.StatusNotFound, foreign.StatusCode)
}

// TestSpread sees that the picture of somebody's access says of each scope what a check says, and of those whose grants the
// viewer may not list nothing.
func TestSpread(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, oona, piotr := b.As(t, "rowan@lindenmere"), b.As(t, "oona@lindenmere"), b.As(t, "piotr@lindenmere")
	spread := func(as *client.Client, kind api.PrincipalKind, name string) map[string]api.SpreadNode {
		s, err := as.ShowSpread(t.Context(), "lindenmere", kind, name, &api.ShowSpreadParams{Each: true})
		require.NoError(t, err)
		byAddress := map[string]api.SpreadNode{}
		for _, n := range s.Nodes {
			if n.Scope.Address != "lindenmere" {
				require.Contains(t, byAddress, n.Scope.Address[:strings.LastIndex(n.Scope.Address, "/")], "each after the one it is in")
			}
			byAddress[n.Scope.Address] = n
		}
		return byAddress
	}
	of := func(n api.SpreadNode) (words []string) {
		for _, h := range n.Holds {
			word := string(h.Class)
			if h.Plane == "data" {
				word += " data"
			}
			if h.Conditional {
				word += " perhaps"
			}
			words = append(words, word)
		}
		return words
	}
	piotrs := spread(rowan, api.UserKind, "piotr")
	tree, err := rowan.ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	require.Len(t, piotrs, len(tree.Scopes))
	require.Empty(t, piotrs[vault].Holds)
	require.Equal(t, []string{"observe"}, of(piotrs[herbarium]))
	require.Equal(t, []string{"observe", "modify", "destroy", "observe data", "modify data perhaps"}, of(piotrs[scans]), "what hangs on where he is comes beside")
	require.Equal(t, []string{"observe", "operate", "modify", "destroy", "operate data"}, of(spread(oona, api.GroupKind, "glasshouse-engineers")[alpine+"/vent-controller.machine"]))
	own := spread(piotr, api.UserKind, "piotr")
	require.NotContains(t, own, vault, "his own, as far as he sees")
	require.Equal(t, of(piotrs[scans]), of(own[scans]))
	_, err = piotr.ShowSpread(t.Context(), "lindenmere", api.UserKind, "rowan", nil)
	require.GreaterOrEqual(t, statusOf(t, err), 400)
}

// TestSpreadFolds holds the spread in which what is alike is one against folding, plainly, the one that lists each scope.
func TestSpreadFolds(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan := b.As(t, "rowan@lindenmere")
	smaller := 0
	for _, who := range []api.PrincipalRef{user("rowan"), user("piotr"), user("bram"), {Kind: api.GroupKind, Name: "glasshouse-engineers"}, {Kind: api.GroupKind, Name: "contractors"}} {
		for _, at := range []string{"lindenmere", "lindenmere/gardens", alpine} {
			spread := func(each bool) []api.SpreadNode {
				s, err := rowan.ShowSpread(t.Context(), "lindenmere", who.Kind, who.Name, &api.ShowSpreadParams{At: at, Each: each})
				require.NoError(t, err)
				return s.Nodes
			}
			all := spread(true)
			below := func(address string) (found []api.SpreadNode) {
				for _, n := range all {
					if strings.HasPrefix(n.Scope.Address, address+"/") {
						found = append(found, n)
					}
				}
				return found
			}
			alike := func(n api.SpreadNode) bool {
				return !slices.ContainsFunc(below(n.Scope.Address), func(m api.SpreadNode) bool {
					return m.Visible != n.Visible || fmt.Sprint(lookOf(m)) != fmt.Sprint(lookOf(n))
				})
			}
			want := map[string]int{}
			for _, n := range all {
				hidden := slices.ContainsFunc(all, func(above api.SpreadNode) bool {
					return above.Scope.Address != at && strings.HasPrefix(n.Scope.Address, above.Scope.Address+"/") && alike(above)
				})
				if !hidden {
					want[n.Scope.Address] = 0
					if n.Scope.Address != at && alike(n) {
						want[n.Scope.Address] = len(below(n.Scope.Address))
					}
				}
			}
			got := map[string]int{}
			for _, n := range spread(false) {
				got[n.Scope.Address] = n.Alike
			}
			require.Equal(t, want, got, "%s at %s", who.Name, at)
			if len(got) < len(all) {
				smaller++
			}
		}
	}
	require.Positive(t, smaller, "something was folded")
}

// TestHomeNamesAPlaceOnce holds something at a scope alone and something beneath it, which is one line.
func TestHomeNamesAPlaceOnce(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	yuki := b.As(t, "yuki@lindenmere")
	testbed.PolicyMade(t, rowan, "lindenmere", "split", "at gardens:\n    user yuki may modify tree\nunder gardens:\n    user yuki may observe storage\n")
	home, err := yuki.ShowHome(t.Context(), "lindenmere")
	require.NoError(t, err)
	seen := map[string]int{}
	for _, m := range home.Mine {
		seen[m.Scope.Address]++
		require.Equal(t, 1, seen[m.Scope.Address], m.Scope.Address)
	}
	require.Contains(t, seen, "lindenmere/gardens")
}

// TestTrends makes a privileged grant and revokes it, is refused, and reads so by day, in either kind of records. Who may not see the
// parts is told none.
func TestTrends(t *testing.T) {
	for name, start := range map[string]func(testing.TB) *testbed.Bed{"in memory": testbed.InMemory, "in MariaDB": testbed.StartDemo} {
		t.Run(name, func(t *testing.T) {
			b := start(t)
			rowan := b.As(t, "rowan@lindenmere")
			trends := func(as *client.Client) api.Trends {
				told, err := as.ShowTrends(t.Context(), "lindenmere")
				require.NoError(t, err)
				require.Len(t, told.Days, 30)
				return told
			}
			was := trends(rowan).Privileged[29]
			grant := b.Grant(t, "steward", "user", "piotr", alpine)
			require.NoError(t, client.Done(rowan.CreateGrant(t.Context(), alpine, api.GrantNew{Principal: user("sefa"), Role: "observer"})))
			b.Clock.Forward(48 * time.Hour)
			rowan = b.As(t, "rowan@lindenmere")
			require.NoError(t, client.Done(rowan.RevokeGrant(t.Context(), grant, nil)))
			yuki := b.As(t, "yuki@lindenmere")
			testbed.Problem(t, 403, client.Done(yuki.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "mine"})))
			told := trends(rowan)
			require.Equal(t, []int{was + 1, was + 1, was}, told.Privileged[27:])
			require.Zero(t, told.Privileged[0], "there was no organisation yet")
			require.Equal(t, 1, told.Refused[29])
			counts := map[api.Ago]int{}
			for _, p := range told.People {
				counts[p.Ago] = p.Count
			}
			require.Equal(t, 2, counts[api.Week], "rowan and yuki")
			require.Positive(t, counts[api.Never])

			b.Grant(t, "observer", "user", "yuki", alpine)
			hers := trends(yuki)
			require.Nil(t, hers.People)
			require.Nil(t, hers.Privileged)
			require.Nil(t, hers.Refused)
		})
	}
}

// lookOf is what is seen of a scope of a spread from afar: the strongest class, whether data is among it, whether there is more under a
// condition.
func lookOf(n api.SpreadNode) (strongest int, data, conditional bool) {
	for _, h := range n.Holds {
		if h.Conditional {
			conditional = true
			continue
		}
		data = data || h.Plane == "data"
		strongest = max(strongest, 1+slices.Index([]string{"observe", "operate", "modify", "destroy", "govern"}, string(h.Class)))
	}
	return strongest, data, conditional
}
