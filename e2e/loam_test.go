package e2e

import (
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/standin/loam"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
)

func act(t *testing.T, as *loamclient.Client, at, operation string, in loamapi.Input) (loamapi.Description, error) {
	return loamclient.Act[loamapi.Description](t.Context(), as, at, operation, in)
}

// revokeAll takes every grant back that somebody holds directly at a scope.
func revokeAll(t *testing.T, as *client.Client, at, name string) {
	list, err := as.ListGrants(t.Context(), at, nil)
	require.NoError(t, err)
	for _, g := range list.Grants {
		if g.Principal.Name == name && !g.Inherited {
			require.NoError(t, client.Done(as.RevokeGrant(t.Context(), g.Id, nil)))
		}
	}
}

// TestAMachineActsAsItsServiceAccount sees that attaching an account takes permission on it, and that what runs on a machine
// holds what the account holds: neither what its maker holds nor what whoever entered holds.
func TestAMachineActsAsItsServiceAccount(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	rowan, piotr := b.As(t, "rowan@lindenmere"), b.As(t, "piotr@lindenmere")
	require.NoError(t, client.Done(rowan.CreateServiceAccount(t.Context(), digitising, api.AccountNew{Name: "label-indexer"})))
	b.Grant(t, "builder", "user", "piotr", digitising)
	b.Grant(t, "machine-visitor", "user", "piotr", digitising)
	b.Grant(t, "content-writer", "user", "piotr", scans)
	b.Grant(t, "content-reader", "service-account", digitising+"/label-indexer", scans)

	wanted := loamapi.Input{At: digitising, Type: "machine", Name: "indexing", Network: digitising + "/digitising-lan.network", RunsAs: digitising + "/label-indexer"}
	_, err := loamclient.Through(piotr).Create(t.Context(), wanted)
	p := testbed.Problem(t, http.StatusForbidden, err)
	require.Equal(t, "attach service-account", p.Permission)
	require.Contains(t, p.Detail, digitising+"/label-indexer")
	require.Contains(t, p.Next, `please let user piotr attach service-account at`)

	wanted.RunsAs = digitising + "/label-indexre"
	_, err = loamclient.Through(piotr).Create(t.Context(), wanted)
	testbed.Problem(t, http.StatusNotFound, err)

	wanted.RunsAs = ""
	made, err := loamclient.Through(piotr).Create(t.Context(), wanted)
	require.NoError(t, err)
	require.Equal(t, "stopped", made.State)
	_, err = act(t, loamclient.Through(piotr), made.Address, "edit", loamapi.Input{RunsAs: digitising + "/label-indexer"})
	testbed.Problem(t, http.StatusForbidden, err)
	_, err = act(t, loamclient.Through(piotr), made.Address, "start", loamapi.Input{})
	require.NoError(t, err)
	_, err = loamclient.Act[loamapi.Ran](t.Context(), loamclient.Through(piotr), made.Address, "enter", loamapi.Input{Program: []string{"list " + scans}})
	require.Contains(t, testbed.Problem(t, http.StatusConflict, err).Detail, "no service account is attached")

	_, err = act(t, loamclient.Through(rowan), made.Address, "edit", loamapi.Input{RunsAs: digitising + "/label-indexer"})
	require.NoError(t, err)
	_, err = loamclient.Through(piotr).Put(t.Context(), scans+"/a.txt", "text/plain", strings.NewReader("acorn"))
	require.NoError(t, err)
	program := []string{"fetch " + scans + "/a.txt", "put " + scans + "/b.txt beech", "fetch " + alpine + "/sensor-log.bucket/x", "dance"}
	ran, err := loamclient.Act[loamapi.Ran](t.Context(), loamclient.Through(piotr), made.Address, "enter", loamapi.Input{Program: program})
	require.NoError(t, err)
	require.Equal(t, "service account "+digitising+"/label-indexer", ran.As)
	require.Equal(t, "acorn", ran.Steps[0].Output, "the account reads")
	require.Contains(t, ran.Steps[1].Refused, `"put object"`, "and writes nothing, though piotr may")
	require.Contains(t, ran.Steps[2].Refused, "there is no scope", "what the account does not see is not there")
	require.Contains(t, ran.Steps[3].Refused, "a program cannot do")

	require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", "service-account", digitising+"/label-indexer", nil, api.StateChange{State: api.StateSuspended})))
	ran, err = loamclient.Act[loamapi.Ran](t.Context(), loamclient.Through(piotr), made.Address, "enter", loamapi.Input{Program: program[:1]})
	require.NoError(t, err)
	require.NotEmpty(t, ran.Steps[0].Refused, "an account that is out of use does nothing")
}

// TestALabActsAsItself sees that a lab needs the labs service to be let, that the reason is clear until then, and that a
// notebook does what the service may, whoever runs it.
func TestALabActsAsItself(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	rowan, piotr := b.As(t, "rowan@lindenmere"), b.As(t, "piotr@lindenmere")
	b.Grant(t, "builder", "user", "piotr", digitising)
	b.Grant(t, "lab-writer", "user", "piotr", digitising)
	b.Grant(t, "content-reader", "user", "piotr", scans)
	wanted := loamapi.Input{At: digitising, Type: "lab", Name: "leaves", Network: digitising + "/digitising-lan.network"}
	says := []string{
		"service labs may create machine", "service labs may attach network", "service labs may start machine", "service labs may fetch object",
	}
	written, err := rowan.CreatePolicyAt(t.Context(), digitising, api.PolicyNew{Name: "labs", Text: "service labs may observe network\n"})
	require.NoError(t, err)
	let := func(n int) {
		text := strings.Join(says[:n], "\n")
		require.NoError(t, client.Done(rowan.EditPolicyText(t.Context(), written.Policy.Id, nil, api.PolicyEdit{Text: &text})))
	}
	for n, missing := range []string{"create machine", "attach network"} {
		_, err := loamclient.Through(piotr).Create(t.Context(), wanted)
		p := testbed.Problem(t, http.StatusForbidden, err)
		require.Contains(t, p.Detail, "the labs service acts as itself and is not let yet")
		require.Contains(t, p.Next, "service labs may "+missing)
		let(n + 1)
	}
	lab, err := loamclient.Through(piotr).Create(t.Context(), wanted)
	require.NoError(t, err)
	_, err = act(t, loamclient.Through(piotr), lab.Address, "start", loamapi.Input{})
	require.Contains(t, testbed.Problem(t, http.StatusForbidden, err).Next, "service labs may start machine")
	let(3)
	_, err = act(t, loamclient.Through(piotr), lab.Address, "start", loamapi.Input{})
	require.NoError(t, err)
	told, err := act(t, loamclient.Through(piotr), digitising+"/leaves-lab.machine", "describe", loamapi.Input{})
	require.NoError(t, err)
	require.Equal(t, "running", told.State, "the lab's machine runs with it")

	b.Grant(t, "content-writer", "user", "rowan", scans)
	_, err = loamclient.Through(rowan).Put(t.Context(), scans+"/a.txt", "text/plain", strings.NewReader("acorn"))
	require.NoError(t, err)
	_, err = loamclient.Act[loamapi.Notebook](t.Context(), loamclient.Through(piotr), lab.Address, "write", loamapi.Input{Text: ptr("# leaves\nfetch " + scans + "/a.txt\n")})
	require.NoError(t, err)
	run := func() loamapi.Step {
		ran, err := loamclient.Act[loamapi.Ran](t.Context(), loamclient.Through(piotr), lab.Address, "run", loamapi.Input{})
		require.NoError(t, err)
		require.Len(t, ran.Steps, 1)
		return ran.Steps[0]
	}
	require.NotEmpty(t, run().Refused, "piotr may fetch it; the labs service may not")
	let(4)
	require.Equal(t, "acorn", run().Output)
	revokeAll(t, rowan, scans, "piotr")
	require.Equal(t, "acorn", run().Output, "whoever runs it does not matter")
}

// TestDatabasesTakeAConnection sees that a connection is short-lived, of one database, and asked about with every query.
func TestDatabasesTakeAConnection(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	rowan, sefa := b.As(t, "rowan@lindenmere"), b.As(t, "sefa@lindenmere")
	const ticketing = "lindenmere/visitors/ticketing"
	b.Grant(t, "record-writer", "user", "sefa", ticketing)
	connect := func() *loamclient.Client {
		made, err := loamclient.Act[loamapi.Connection](t.Context(), loamclient.Through(sefa), ticketing+"/sales.database", "connect", loamapi.Input{})
		require.NoError(t, err)
		require.WithinDuration(t, b.Clock.Now().Add(5*time.Minute), made.EndsAt, time.Minute)
		return loamclient.Through(sefa).Connected(made)
	}
	sales := connect()
	query := func(by *loamclient.Client) ([]loamapi.Entry, error) {
		return loamclient.Act[[]loamapi.Entry](t.Context(), by, ticketing+"/sales.database", "query", loamapi.Input{Prefix: "2026"})
	}
	_, err := query(loamclient.Through(sefa))
	require.Contains(t, testbed.Problem(t, http.StatusUnauthorized, err).Detail, "needs a connection")
	for _, day := range []string{"2026-11-24", "2025-01-01", "2026-11-23"} {
		_, err := loamclient.Act[loamapi.Entry](t.Context(), sales, ticketing+"/sales.database", "amend", loamapi.Input{Key: day, Value: "96 visitors"})
		require.NoError(t, err)
	}
	rows, err := query(sales)
	require.NoError(t, err)
	require.Equal(t, []loamapi.Entry{{Name: "2026-11-23", Value: "96 visitors"}, {Name: "2026-11-24", Value: "96 visitors"}}, rows)
	_, err = loamclient.Act[loamapi.Entry](t.Context(), sales, ticketing+"/sales.database", "purge", loamapi.Input{Key: "2026-11-24"})
	require.Equal(t, "purge database", testbed.Problem(t, http.StatusForbidden, err).Permission)
	_, err = act(t, sales, ticketing+"/till.machine", "start", loamapi.Input{})
	testbed.Problem(t, http.StatusForbidden, err)

	revokeAll(t, rowan, ticketing, "sefa")
	_, err = query(sales)
	testbed.Problem(t, http.StatusNotFound, err)
	b.Grant(t, "record-writer", "user", "sefa", ticketing)
	_, err = query(sales)
	require.NoError(t, err)
	b.Clock.Forward(6 * time.Minute)
	_, err = query(sales)
	require.Equal(t, "urn:arbora:problem:expired", testbed.Problem(t, http.StatusUnauthorized, err).Type)
	sales = connect()
	require.NoError(t, client.Done(rowan.SetState(t.Context(), "lindenmere", "user", "sefa", nil, api.StateChange{State: api.StateSuspended})))
	_, err = query(sales)
	require.Error(t, err, "a leaver's connection opens nothing")
}

// TestRefusedListingShowsWhatOneHolds sees that whoever may not list a place still finds what they hold in it, and that
// nothing else is told.
func TestRefusedListingShowsWhatOneHolds(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	b.Grant(t, "operator", "user", "yuki", alpine+"/vent-controller.machine")
	yuki := loamclient.Through(b.As(t, "yuki@lindenmere"))
	here, err := yuki.Here(t.Context(), alpine)
	require.NoError(t, err)
	require.Len(t, here.Resources, 1)
	require.Equal(t, "vent-controller.machine", here.Resources[0].Name)
	require.Contains(t, here.Unlisted, loamapi.Act{
		Operation: "list", Type: "machine", Permission: "list machine",
		Reason: `user yuki may not do that: it needs the permission "list machine" at ` + alpine, Ask: `ask an administrator there: "please let user yuki list machine at ` + alpine + `"`,
	})
	on := map[string]bool{}
	for _, a := range here.Resources[0].Acts {
		on[a.Operation] = a.On
		require.Equal(t, a.On, a.Reason == "", "what is off says why")
	}
	require.Equal(t, map[string]bool{"describe": true, "start": true, "resize": false, "edit": false, "enter": false, "retire": false}, on)
	for _, a := range here.Creatable {
		require.False(t, a.On)
	}
	_, err = yuki.Here(t.Context(), "lindenmere/science")
	testbed.Problem(t, http.StatusNotFound, err)
	_, err = act(t, yuki, alpine+"/house-lan.network", "describe", loamapi.Input{})
	hidden := testbed.Problem(t, http.StatusNotFound, err)
	_, err = act(t, yuki, alpine+"/house-lam.network", "describe", loamapi.Input{})
	missing := testbed.Problem(t, http.StatusNotFound, err)
	require.Equal(t, strings.ReplaceAll(missing.Detail, "house-lam", "house-lan"), hidden.Detail, "what is hidden is answered like what is not there")

	// Attaching what one does not see tells nothing either.
	b.Grant(t, "builder", "user", "yuki", "lindenmere/shared-services")
	_, err = yuki.Create(t.Context(), loamapi.Input{At: "lindenmere/shared-services", Type: "machine", Name: "relay", Network: alpine + "/house-lan.network"})
	require.Contains(t, testbed.Problem(t, http.StatusNotFound, err).Detail, alpine+"/house-lan.network")
}

// TestPublicObjectsNeedNoSignIn sees that an object is there for anybody exactly while a grant to public says so, with the
// bytes and the media type it was put with, and kept from acting on whoever opens it.
func TestPublicObjectsNeedNoSignIn(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	const media = "lindenmere/visitors/trail-guide/guide-media.bucket"
	b.Grant(t, "content-keeper", "user", "sefa", media)
	sefa := loamclient.Through(b.As(t, "sefa@lindenmere"))
	body := "<script>alert(1)</script>"
	_, err := sefa.Put(t.Context(), media+"/maps/a map.html", "text/html", strings.NewReader(body))
	require.NoError(t, err)
	anybody, err := loamclient.At(b.Loam, "")
	require.NoError(t, err)
	_, _, err = anybody.Fetch(t.Context(), media+"/maps/a map.html")
	hidden := testbed.Problem(t, http.StatusNotFound, err)
	nowhere := strings.Replace(media, "lindenmere", "fernhill", 1)
	_, _, err = anybody.Fetch(t.Context(), nowhere+"/maps/a map.html")
	require.Equal(t, strings.Replace(hidden.Detail, media, nowhere, 1), testbed.Problem(t, http.StatusNotFound, err).Detail, "no organisation is told from what is hidden")

	rowan := b.As(t, "rowan@lindenmere")
	wanted := api.GrantNew{Principal: api.PrincipalRef{Kind: api.SetKind, Name: "public"}, Role: "content-reader"}
	written, err := rowan.PreviewCreateGrant(t.Context(), media, wanted)
	require.NoError(t, err)
	confirming, err := rowan.With(client.Confirmed(written.Impact.Confirmation))
	require.NoError(t, err)
	made, err := confirming.CreateGrant(t.Context(), media, wanted)
	require.NoError(t, err)
	for _, root := range []string{b.Loam + "/v1", b.Address + "/loam/v1"} {
		response, err := http.Get(root + "/objects/" + media + "/maps/a%20map.html")
		require.NoError(t, err)
		text, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		require.Equal(t, body, string(text))
		require.Equal(t, "text/html", response.Header.Get("Content-Type"))
		require.Contains(t, response.Header.Get("Content-Security-Policy"), "sandbox")
		require.Contains(t, response.Header.Get("Content-Disposition"), "attachment")
	}
	require.Equal(t, http.StatusForbidden, statusOf(t, anybody.Erase(t.Context(), media+"/maps/a map.html")), "public reads, and nothing else")
	juno, err := demo.SignIn(t.Context(), b.Address, "juno@quaywater", demo.Passphrase)
	require.NoError(t, err)
	objects, err := loamclient.Through(juno).Objects(t.Context(), media, "")
	require.NoError(t, err, "somebody of another organisation comes under public too")
	require.Len(t, objects, 1)

	require.NoError(t, client.Done(rowan.RevokeGrant(t.Context(), made.Grant.Id, nil)))
	_, _, err = anybody.Fetch(t.Context(), media+"/maps/a map.html")
	testbed.Problem(t, http.StatusNotFound, err)
	require.NoError(t, sefa.Erase(t.Context(), media+"/maps/a map.html"))
	_, _, err = sefa.Fetch(t.Context(), media+"/maps/a map.html")
	testbed.Problem(t, http.StatusNotFound, err)
}

// TestLookingAsSomebodyElseInLoam sees that Loam shows what the other would see, and changes nothing.
func TestLookingAsSomebodyElseInLoam(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	b.Grant(t, "builder", "user", "piotr", digitising)
	rowan := b.As(t, "rowan@lindenmere")
	as, err := rowan.With(client.ViewingAs(api.UserKind, "piotr"))
	require.NoError(t, err)
	mine, err := loamclient.Through(rowan).Here(t.Context(), "lindenmere/science")
	require.NoError(t, err)
	require.Len(t, mine.Containers, 2)
	his, err := loamclient.Through(as).Here(t.Context(), "lindenmere/science")
	require.NoError(t, err)
	require.Len(t, his.Containers, 1, "piotr sees the herbarium only")
	_, err = loamclient.Through(as).Here(t.Context(), alpine)
	testbed.Problem(t, http.StatusNotFound, err)
	_, err = act(t, loamclient.Through(as), digitising+"/label-reader.machine", "start", loamapi.Input{})
	require.Contains(t, testbed.Problem(t, http.StatusForbidden, err).Detail, "you look as user piotr")
	piotr, err := b.As(t, "piotr@lindenmere").With(client.ViewingAs(api.UserKind, "rowan"))
	require.NoError(t, err)
	_, err = loamclient.Through(piotr).Here(t.Context(), digitising)
	require.GreaterOrEqual(t, statusOf(t, err), 400, "looking needs the permission to")
}

// TestLoamFailsClosed sees that Loam refuses everything, and says why, while Arbora does not answer.
func TestLoamFailsClosed(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	var down atomic.Bool
	keys, err := demo.LoamKeys(t.Context(), b.Address)
	require.NoError(t, err)
	front := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if down.Load() {
			panic(http.ErrAbortHandler) // the connection breaks off
		}
		forward(b.Address).ServeHTTP(w, r)
	}))
	defer front.Close()
	cloud, err := loam.Open(t.Context(), loam.Options{Arbora: front.URL, Keys: keys, Database: testbed.DSN(t), Clock: b.Clock.Now, Log: quiet()})
	require.NoError(t, err)
	defer cloud.Close()
	handler, err := cloud.Handler()
	require.NoError(t, err)
	server := httptest.NewServer(handler)
	defer server.Close()
	token := b.Token(t, "rowan@lindenmere")
	rowan, err := loamclient.At(server.URL, token)
	require.NoError(t, err)
	_, err = act(t, rowan, alpine+"/vent-controller.machine", "start", loamapi.Input{})
	require.NoError(t, err)
	down.Store(true)
	_, err = act(t, rowan, alpine+"/vent-controller.machine", "stop", loamapi.Input{})
	require.Contains(t, testbed.Problem(t, http.StatusServiceUnavailable, err).Detail, "so Loam refuses")
	_, err = rowan.Here(t.Context(), alpine)
	testbed.Problem(t, http.StatusServiceUnavailable, err)
	require.Error(t, cloud.Healthy(t.Context()))
	down.Store(false)
	told, err := act(t, rowan, alpine+"/vent-controller.machine", "describe", loamapi.Input{})
	require.NoError(t, err)
	require.Equal(t, "running", told.State, "nothing was done meanwhile")
	require.NoError(t, cloud.Healthy(t.Context()))
}

// TestRevocationReachesEveryClient has 16 clients work in Loam while access is given and taken: once a revocation is
// answered, no request that begins after it succeeds.
func TestRevocationReachesEveryClient(t *testing.T) {
	const clients, rounds = 16, 6
	b := testbed.StartDemoWithLoam(t)
	rowan := b.As(t, "rowan@lindenmere")
	b.Grant(t, "content-keeper", "user", "rowan", scans)
	_, err := loamclient.Through(rowan).Put(t.Context(), scans+"/a.txt", "text/plain", strings.NewReader("acorn"))
	require.NoError(t, err)
	workers := make([]*loamclient.Client, clients)
	for i := range workers {
		workers[i] = loamclient.Through(b.As(t, []string{"tomas", "sefa"}[i%2]+"@lindenmere"))
	}
	for _, name := range []string{"tomas", "sefa"} {
		require.NoError(t, client.Done(rowan.AddMember(t.Context(), "lindenmere", "curators", nil, api.PrincipalRef{Kind: api.UserKind, Name: name})))
	}
	for range rounds {
		var revoked atomic.Bool
		var let, late atomic.Int64
		id := b.Grant(t, "content-keeper", "group", "curators", scans)
		var going sync.WaitGroup
		for _, w := range workers {
			going.Go(func() {
				for after := 0; after < 3; {
					wasRevoked := revoked.Load()
					body, _, err := w.Fetch(t.Context(), scans+"/a.txt")
					if err == nil {
						assert.NoError(t, body.Close())
						assert.False(t, wasRevoked, "a request that began after the revocation was answered succeeded")
						let.Add(1)
					} else {
						assert.Equal(t, http.StatusNotFound, statusOf(t, err), err)
						late.Add(1)
					}
					if wasRevoked {
						after++
					}
				}
			})
		}
		require.Eventually(t, func() bool { return let.Load() > clients }, time.Minute, time.Millisecond)
		require.NoError(t, client.Done(rowan.RevokeGrant(t.Context(), id, nil)))
		revoked.Store(true)
		going.Wait()
		require.GreaterOrEqual(t, late.Load(), int64(clients*3))
	}
}

// forward passes requests on to an address.
func forward(address string) http.Handler {
	target, err := url.Parse(address)
	if err != nil {
		panic(err)
	}
	return &httputil.ReverseProxy{Rewrite: func(r *httputil.ProxyRequest) { r.SetURL(target) }}
}

func quiet() *slog.Logger { return slog.New(slog.DiscardHandler) }
