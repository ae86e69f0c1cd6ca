package follower_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/api"
	"arbora.example/authzen"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/follower"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// wire carries requests to the service, as long as it is whole, and counts them by the last part of their path.
type wire struct {
	cut    atomic.Bool
	mu     sync.Mutex
	counts map[string]int
}

func (w *wire) RoundTrip(r *http.Request) (*http.Response, error) {
	w.mu.Lock()
	if w.counts == nil {
		w.counts = map[string]int{}
	}
	w.counts[r.URL.Path[strings.LastIndexByte(r.URL.Path, '/')+1:]]++
	w.mu.Unlock()
	if w.cut.Load() {
		return nil, errors.New("the wire is cut")
	}
	return http.DefaultTransport.RoundTrip(r)
}

func (w *wire) count(of string) int {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.counts[of]
}

// followed is a follower of lindenmere beside platform service storage, and the service that it follows.
type followed struct {
	*testing.T
	*testbed.Bed
	*follower.Follower
	wire  *wire
	key   api.KeyMade
	token string // of the platform service, at Arbora
}

func keyOf(t *testing.T, b *testbed.Bed, follows bool) api.KeyMade {
	key, err := b.As(t, "warden").CreateServiceKey(t.Context(), "storage", api.KeyNew{Label: "a test", Follows: follows})
	require.NoError(t, err)
	return key
}

func follow(t *testing.T, b *testbed.Bed, o follower.Options) *followed {
	f := &followed{T: t, Bed: b, wire: &wire{}, key: keyOf(t, b, true)}
	o.Service, o.Key, o.Organisations, o.Transport = b.Address, authzen.Key{ID: f.key.Key.Id, Secret: f.key.Secret}, []string{"lindenmere"}, f.wire
	o.Log = slog.New(slog.NewTextHandler(io.Discard, nil))
	var err error
	f.Follower, err = follower.Open(t.Context(), o)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, f.Close()) })
	f.token = testbed.ServiceToken(t, b, keyOf(t, b, false), "lindenmere")
	return f
}

func (f *followed) organisation() *follower.Organisation {
	o, ok := f.In("lindenmere")
	require.True(f.T, ok)
	return o
}

// level waits until the follower is as far as the service.
func (f *followed) level() {
	top, err := f.As(f.T, "rowan@lindenmere").ShowTree(f.Context(), "lindenmere", nil)
	require.NoError(f.T, err)
	require.NoError(f.T, f.organisation().AtLeast(f.Context(), uint64(top.Revision)))
}

func request(person, action, on, at string) authzen.Request {
	return authzen.Request{Subject: &authzen.Entity{Type: "user", ID: person}, Action: &authzen.Action{Name: action}, Resource: &authzen.Entity{Type: on, ID: at}}
}

// ask asks the follower one question.
func (f *followed) ask(r authzen.Request) bool {
	answers, err := f.organisation().Evaluate(f.Context(), []authzen.Request{r})
	require.NoError(f.T, err)
	return answers[0].Decision
}

var reads = request("sefa", "fetch", "object", testbed.Scans)

// TestAFollowerAnswersAsTheServiceDoes asks both the same, before and after changes of all kinds.
func TestAFollowerAnswersAsTheServiceDoes(t *testing.T) {
	b := testbed.InMemory(t)
	f := follow(t, b, follower.Options{})
	rowan, arbora := b.As(t, "rowan@lindenmere"), authzen.NewClient(b.Address, f.token)
	server := httptest.NewServer(f.Handler("http://follower.example"))
	defer server.Close()
	beside := authzen.NewClient(server.URL, "")
	var asked []authzen.Request
	for _, person := range []string{"rowan", "piotr", "ines", "sefa", "nobody"} {
		for _, at := range []string{testbed.Scans, testbed.Digitising, "lindenmere/gone.bucket"} {
			for _, action := range []string{"describe bucket", "edit bucket", "fetch object", "put object", "start machine", "fly kite"} {
				operation, on, _ := strings.Cut(action, " ")
				asked = append(asked, request(person, operation, on, at))
			}
		}
	}
	compare := func() {
		t.Helper()
		f.level()
		want, err := arbora.EvaluateAll(t.Context(), asked)
		require.NoError(t, err)
		got, err := beside.EvaluateAll(t.Context(), asked)
		require.NoError(t, err)
		for i := range want {
			require.Equal(t, want[i], got[i], "%s %s %s", asked[i].Subject.ID, asked[i].Action.Name, asked[i].Resource.ID)
		}
		single, err := beside.Evaluate(t.Context(), asked[0])
		require.NoError(t, err)
		require.Equal(t, want[0], single)
		for _, search := range []func(c *authzen.Client) (found []string){
			func(c *authzen.Client) (found []string) {
				for one, err := range c.SearchSubjects(t.Context(), reads) {
					require.NoError(t, err)
					found = append(found, one.ID)
				}
				return found
			},
			func(c *authzen.Client) (found []string) {
				for one, err := range c.SearchActions(t.Context(), request("piotr", "", "bucket", testbed.Scans)) {
					require.NoError(t, err)
					found = append(found, one.Name)
				}
				return found
			},
			func(c *authzen.Client) (found []string) {
				for one, err := range c.SearchResources(t.Context(), request("piotr", "describe", "bucket", "")) {
					require.NoError(t, err)
					found = append(found, one.ID)
				}
				return found
			},
		} {
			require.Equal(t, search(arbora), search(beside))
		}
	}
	compare()
	for _, change := range []func() error{
		func() error { b.Grant(t, "storage-operator", "user", "sefa", testbed.Digitising); return nil },
		func() error {
			return client.Done(rowan.CreatePolicyAt(t.Context(), testbed.Digitising, api.PolicyNew{Name: "reads", Text: "user sefa may fetch object if context.ip within \"10.0.0.0/8\""}))
		},
		func() error {
			return client.Done(rowan.CreatePolicyAt(t.Context(), testbed.Digitising, api.PolicyNew{Name: "no", Text: "user piotr may never put object"}))
		},
		func() error {
			return client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, "ines", nil, api.StateChange{State: "suspended"}))
		},
		func() error {
			return testbed.Reshape(t, rowan, api.Reshaping{Scopes: []string{testbed.Scans}, Tags: api.Tags{"care": "high"}})
		},
		func() error {
			file, err := os.ReadFile("../docs/services.md")
			require.NoError(t, err)
			_, text, _ := strings.Cut(string(file), "```json\n")
			text, _, _ = strings.Cut(text, "```")
			require.True(t, json.Valid([]byte(text)), "the example of a service")
			return client.Done(b.As(t, "warden").RegisterService(t.Context(), api.ServiceNew{File: text}))
		},
	} {
		require.NoError(t, change())
		compare()
	}
	require.Equal(t, 2, f.wire.count("snapshot"), "but for another catalogue, changes were followed step by step")
}

// TestAFollowerLosesItsLease cuts the wire: what is asked after the lease is answered by nobody, and answered again once the service is
// heard of.
func TestAFollowerLosesItsLease(t *testing.T) {
	b := testbed.InMemory(t)
	f := follow(t, b, follower.Options{Lease: time.Second})
	server := httptest.NewServer(f.Handler("http://follower.example"))
	defer server.Close()
	beside := authzen.NewClient(server.URL, "", authzen.Tries(1))
	answered := func() bool { _, err := beside.Evaluate(t.Context(), reads); return err == nil }
	require.Eventually(t, answered, time.Minute, time.Millisecond)
	f.wire.cut.Store(true)
	var behind *follower.Behind
	require.Eventually(t, func() bool {
		_, err := f.organisation().Decide(access.Question{})
		return errors.As(err, &behind) && behind.Reason != nil
	}, time.Minute, time.Millisecond)
	_, err := beside.Evaluate(t.Context(), reads)
	var refused *authzen.Error
	require.ErrorAs(t, err, &refused)
	require.Equal(t, 503, refused.Status)
	require.ErrorContains(t, err, "the wire is cut")
	require.Zero(t, f.organisation().Lease())
	require.NoError(t, client.Done(b.As(t, "rowan@lindenmere").CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "meanwhile"})))
	f.wire.cut.Store(false)
	f.level()
	require.Eventually(t, answered, time.Minute, time.Millisecond)
	require.Equal(t, 1, f.wire.count("snapshot"), "what led on from there was told step by step")
}

// TestARevokedKeyFollowsNoMore revokes the follower's key: it answers nothing from then on, though its lease goes on.
func TestARevokedKeyFollowsNoMore(t *testing.T) {
	b := testbed.InMemory(t)
	f := follow(t, b, follower.Options{Lease: 20 * time.Second})
	require.NoError(t, b.As(t, "warden").WithdrawKey(t.Context(), f.key.Key.Id))
	require.NoError(t, client.Done(b.As(t, "rowan@lindenmere").CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "later"})))
	begun := time.Now()
	require.Eventually(t, func() bool { _, err := f.organisation().Snapshot(); return err != nil }, 15*time.Second, time.Millisecond)
	_, err := f.organisation().Snapshot()
	require.ErrorContains(t, err, "revoked")
	require.Less(t, time.Since(begun), 15*time.Second)
	_, err = follower.Open(t.Context(), follower.Options{Service: b.Address, Key: authzen.Key{ID: f.key.Key.Id, Secret: f.key.Secret}, Organisations: []string{"lindenmere"}})
	require.ErrorContains(t, err, "organisation lindenmere cannot be followed: the API key was revoked")
}

// TestAKeyForFollowingOpensNothingElse tries what else there is.
func TestAKeyForFollowingOpensNothingElse(t *testing.T) {
	b := testbed.InMemory(t)
	following, acting := keyOf(t, b, true), keyOf(t, b, false)
	token := testbed.ServiceToken(t, b, following, "lindenmere")
	opened := testbed.With(t, b, token)
	for what, err := range map[string]error{
		"session":   client.Done(opened.GetSession(t.Context())),
		"tree":      client.Done(opened.ShowTree(t.Context(), "lindenmere", nil)),
		"scope":     client.Done(opened.ShowScope(t.Context(), "lindenmere")),
		"change":    client.Done(opened.CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "mine"})),
		"catalogue": client.Done(opened.ListServices(t.Context())),
	} {
		require.ErrorContains(t, err, "this access token is for followers alone", what)
	}
	_, err := authzen.NewClient(b.Address, token).Evaluate(t.Context(), reads)
	require.ErrorContains(t, err, "for followers alone")
	for _, other := range []string{b.Token(t, "rowan@lindenmere"), testbed.ServiceToken(t, b, acting, "lindenmere")} {
		for _, path := range []string{"snapshot", "changes?since=1&record=" + strings.Repeat("0", 64) + "&catalogue=" + strings.Repeat("0", 64)} {
			status, _, text := testbed.Call(t, "GET", b.Address+"/api/v1/organisations/lindenmere/following/"+path, other, "", "")
			require.Equal(t, 403, status, text)
			require.Contains(t, text, "this is for followers")
		}
	}
	status, _, text := testbed.Call(t, "GET", b.Address+"/api/v1/organisations/quaywater/following/snapshot", token, "", "")
	require.Equal(t, 404, status, text)
	testbed.Machine(t, b, "watcher")
	require.ErrorContains(t, client.Done(b.As(t, "rowan@lindenmere").CreateKey(t.Context(), "lindenmere", api.ServiceAccountKind, testbed.Digitising+"/watcher", api.KeyNew{Follows: true})), "only keys of platform services are for followers")
	require.ErrorContains(t, client.Done(b.As(t, "warden").CreateServiceKey(t.Context(), "storage", api.KeyNew{Follows: true, Governs: true})), "opens nothing that governs")
}

// TestAFollowerBeginsWithWhatItKept opens a follower again: it reads nothing whole, unless what it kept is torn, or of another database.
func TestAFollowerBeginsWithWhatItKept(t *testing.T) {
	b, directory := testbed.InMemory(t), filepath.Join(t.TempDir(), "kept")
	open := func(b *testbed.Bed, key api.KeyMade) (*follower.Follower, *wire) {
		w := &wire{}
		f, err := follower.Open(t.Context(), follower.Options{Service: b.Address, Key: authzen.Key{ID: key.Key.Id, Secret: key.Secret}, Organisations: []string{"lindenmere"}, Directory: directory, Transport: w})
		require.NoError(t, err)
		return f, w
	}
	key := keyOf(t, b, true)
	first, w := open(b, key)
	require.NoError(t, first.Close())
	require.Equal(t, 1, w.count("snapshot"))
	files, err := filepath.Glob(filepath.Join(directory, "*"))
	require.NoError(t, err)
	require.Len(t, files, 1)
	for path, mode := range map[string]fs.FileMode{directory: 0o700, files[0]: 0o600} {
		info, err := os.Stat(path)
		require.NoError(t, err)
		require.Equal(t, mode, info.Mode().Perm(), path)
	}
	// While it was away something changed.
	testbed.PolicyMade(t, b.As(t, "rowan@lindenmere"), testbed.Digitising, "reads", "user sefa may fetch object")
	second, w := open(b, key)
	o, _ := second.In("lindenmere")
	answers, err := o.Evaluate(t.Context(), []authzen.Request{reads})
	require.NoError(t, err)
	require.True(t, answers[0].Decision)
	require.Zero(t, w.count("snapshot"))
	require.NoError(t, second.Close())

	text, err := os.ReadFile(files[0])
	require.NoError(t, err)
	for name, damaged := range map[string][]byte{"torn": text[:len(text)/2], "empty": nil, "altered": append([]byte(nil), append(text[:len(text)-9:len(text)-9], "altered!!"...)...)} {
		require.NoError(t, os.WriteFile(files[0], damaged, 0o600))
		again, w := open(b, key)
		require.Equal(t, 1, w.count("snapshot"), name)
		require.NoError(t, again.Close())
	}
	// A database that came to the same revision by another way.
	other := testbed.OnMemory(t, b.Memory.Copy())
	revision := func(b *testbed.Bed) int64 {
		tree, err := b.As(t, "rowan@lindenmere").ShowTree(t.Context(), "lindenmere", nil)
		require.NoError(t, err)
		return tree.Revision
	}
	require.NoError(t, client.Done(b.As(t, "rowan@lindenmere").CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "here"})))
	third, _ := open(b, key)
	require.NoError(t, third.Close())
	require.NoError(t, client.Done(other.As(t, "rowan@lindenmere").CreateGroup(t.Context(), "lindenmere", api.GroupNew{Name: "there"})))
	require.Equal(t, revision(b), revision(other))
	fourth, w := open(other, key)
	require.Equal(t, 1, w.count("snapshot"))
	require.NoError(t, fourth.Close())
}

// TestRefusedAttemptsAreRecorded refuses somebody at the follower: the organisation's audit log tells it.
func TestRefusedAttemptsAreRecorded(t *testing.T) {
	b := testbed.InMemory(t)
	f := follow(t, b, follower.Options{})
	refused := reads
	refused.Context = &authzen.Context{Attempted: true, IP: "192.0.2.7"}
	require.False(t, f.ask(refused))
	recorded := func() (found []store.AuditRecord) {
		for _, one := range b.Audited(t) {
			if one.Event == "refused" && strings.Contains(one.Detail, "fetch object") {
				found = append(found, one)
			}
		}
		return found
	}
	require.Eventually(t, func() bool { return len(recorded()) == 1 }, time.Minute, time.Millisecond)
	require.Equal(t, "service storage for user sefa", recorded()[0].Author.Name)
	require.Equal(t, "192.0.2.7", recorded()[0].Author.From)
}

// TestAFollowerWaitsForARevision asks for an answer at a revision that the follower is not at yet, and at one that never comes.
func TestAFollowerWaitsForARevision(t *testing.T) {
	b := testbed.InMemory(t)
	f := follow(t, b, follower.Options{})
	server := httptest.NewServer(f.Handler("http://follower.example"))
	defer server.Close()
	beside, once := authzen.NewClient(server.URL, "", authzen.Tries(20)), authzen.NewClient(server.URL, "", authzen.Tries(1))
	made, err := b.As(t, "rowan@lindenmere").CreatePolicyAt(t.Context(), testbed.Digitising, api.PolicyNew{Name: "reads", Text: "user sefa may fetch object"})
	require.NoError(t, err)
	answer, err := beside.AtLeast(uint64(made.Revision)).Evaluate(t.Context(), reads)
	require.NoError(t, err)
	require.True(t, answer.Decision)
	require.GreaterOrEqual(t, answer.Context.Revision, uint64(made.Revision))
	_, err = once.AtLeast(uint64(made.Revision)+1000).Evaluate(t.Context(), reads)
	var refused *authzen.Error
	require.ErrorAs(t, err, &refused)
	require.Equal(t, 503, refused.Status)
	status, _, text := testbed.Call(t, "GET", server.URL+follower.StatusPath, "", "", "")
	require.Equal(t, 200, status)
	require.Contains(t, text, fmt.Sprintf(`"revision":%d`, made.Revision))
}

// TestWhatIsWrongIsSaid opens followers wrongly.
func TestWhatIsWrongIsSaid(t *testing.T) {
	b := testbed.InMemory(t)
	key := keyOf(t, b, true)
	right := follower.Options{Service: b.Address, Key: authzen.Key{ID: key.Key.Id, Secret: key.Secret}, Organisations: []string{"lindenmere"}}
	for want, alter := range map[string]func(*follower.Options){
		"no organisation is named":                                 func(o *follower.Options) { o.Organisations = nil },
		"a lease of 1ms is too short: give 200ms or more":          func(o *follower.Options) { o.Lease = time.Millisecond },
		"this service has no such API key, or the secret is wrong": func(o *follower.Options) { o.Key.Secret = "wrong" },
		"there is no organisation lindenmeer":                      func(o *follower.Options) { o.Organisations = []string{"lindenmeer"} },
	} {
		o := right
		alter(&o)
		_, err := follower.Open(t.Context(), o)
		require.ErrorContains(t, err, want)
	}
	o := right
	o.Service = "http://127.0.0.1:1" // where nobody answers
	ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	_, err := follower.Open(ctx, o)
	require.ErrorIs(t, err, context.DeadlineExceeded)
	require.Equal(t, "followers", tenant.Followers)
}
