package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/tenant"
)

// cluster is some instances of the program on one database.
type cluster struct {
	*testing.T
	processes []*killable
	addresses []string
	bed       *testbed.Bed // calls the first of them
}

// startCluster starts instances on the same records, which they reach by some DSNs.
func startCluster(t *testing.T, flags []string, dsns ...string) *cluster {
	c := &cluster{T: t}
	for _, dsn := range dsns {
		args := append([]string{"serve", "--listen", "127.0.0.1:0", "--address", "http://arbora.lindenmere.example"}, flags...)
		args[slices.Index(args, "--database")+1] = dsn
		k := &killable{t: t, args: args}
		k.alive = newTerminal(t).command(context.Background(), args...)
		var errs strings.Builder
		k.alive.Stderr = &errs
		t.Cleanup(func() { t.Log(errs.String()) })
		c.addresses = append(c.addresses, startServing(t, k.alive))
		t.Cleanup(k.kill)
		c.processes = append(c.processes, k)
	}
	c.bed = &testbed.Bed{Address: c.addresses[0]}
	return c
}

// asked is one question: when it was sent, where, and whether it was answered with yes.
type asked struct {
	at       time.Time
	instance int
	yes      bool
}

// asking sends questions to all instances for as long as it is let, one after the other at each.
type asking struct {
	*cluster
	token, body string
	mu          sync.Mutex
	sent        []asked
	wait        sync.WaitGroup
	over        atomic.Bool
}

// ask asks an instance once.
func (a *asking) ask(instance int) (yes bool, told string, err error) {
	r, err := http.NewRequest(http.MethodPost, a.addresses[instance]+"/access/v1/evaluation", bytes.NewReader([]byte(a.body)))
	if err != nil {
		return false, "", err
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Authorization", "Bearer "+a.token)
	response, err := http.DefaultClient.Do(r)
	if err != nil {
		return false, "", err
	}
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	if err != nil {
		return false, "", err
	}
	var answer struct{ Decision bool }
	err = json.Unmarshal(text, &answer)
	return response.StatusCode == http.StatusOK && answer.Decision, string(text), err
}

// begin asks at all instances, and returns when each has answered with yes.
func (a *asking) begin() {
	for i := range a.addresses {
		yes, told, err := a.ask(i)
		require.NoError(a.T, err)
		require.True(a.T, yes, "instance %d answered %s", i, told)
		a.wait.Go(func() {
			for !a.over.Load() {
				sent := time.Now()
				yes, _, err := a.ask(i)
				if !assert.NoError(a.T, err) {
					return
				}
				a.mu.Lock()
				a.sent = append(a.sent, asked{sent, i, yes})
				a.mu.Unlock()
			}
		})
	}
}

// refusedFrom sees that what was revoked at the first instance before a moment is answered with yes by no instance: at the first from that
// moment on, at others from the lease after it on.
func (a *asking) refusedFrom(revoked time.Time) {
	require.Eventually(a.T, func() bool { // until each was asked after the lease, and some times more
		a.mu.Lock()
		defer a.mu.Unlock()
		after := map[int]int{}
		for _, one := range a.sent {
			if one.at.After(revoked.Add(tenant.Lease)) {
				after[one.instance]++
			}
		}
		for i := range a.addresses {
			if after[i] < 3 {
				return false
			}
		}
		return true
	}, time.Minute, time.Millisecond)
	a.over.Store(true)
	a.wait.Wait()
	before := 0
	for _, one := range a.sent {
		deadline := revoked
		if one.instance != 0 {
			deadline = deadline.Add(tenant.Lease)
		}
		if one.at.Before(deadline) {
			before++
			continue
		}
		require.False(a.T, one.yes, "instance %d said yes to a question sent %v after the revocation", one.instance, one.at.Sub(revoked))
	}
	a.Logf("%d questions before, %d after", before, len(a.sent)-before)
}

// revocation takes away what opens the way for a subject.
type revocation struct {
	name, kind, subject string
	// prepare gives the token that the subject shows, and what revokes.
	prepare func(t *testing.T, b *testbed.Bed) (token string, revoke func() error)
}

const watcher = digitising + "/watcher"

// revocations are in an order in which each leaves what the next one needs.
var revocations = []revocation{
	{"own session", "user", "sefa", func(t *testing.T, b *testbed.Bed) (string, func() error) {
		token := b.Token(t, "sefa@lindenmere")
		return token, func() error { return testbed.With(t, b, token).SignOut(t.Context()) }
	}},
	{"session of another", "user", "sefa", func(t *testing.T, b *testbed.Bed) (string, func() error) {
		rowan, token := b.As(t, "rowan@lindenmere"), b.Token(t, "sefa@lindenmere")
		list, err := rowan.ListSessionsOf(t.Context(), "lindenmere", api.UserKind, "sefa")
		require.NoError(t, err)
		return token, func() error {
			return rowan.RevokeSessionOf(t.Context(), "lindenmere", api.UserKind, "sefa", list.Sessions[0].Id)
		}
	}},
	{"API key", "service-account", watcher, func(t *testing.T, b *testbed.Bed) (string, func() error) {
		rowan, key := b.As(t, "rowan@lindenmere"), testbed.Machine(t, b, "watcher")
		b.Grant(t, "observer", "service-account", watcher, digitising)
		return testbed.AccessToken(t, b, key), func() error { return rowan.WithdrawKey(t.Context(), key.Key.Id) }
	}},
	{"access token", "service-account", watcher, func(t *testing.T, b *testbed.Bed) (string, func() error) {
		key := testbed.KeyFor(t, b.As(t, "rowan@lindenmere"), api.ServiceAccountKind, watcher)
		token := testbed.AccessToken(t, b, key)
		return token, func() error {
			status, answer := testbed.Form(t, b.Address+"/oauth/revocation", &key, url.Values{"token": {token}})
			require.Equal(t, 200, status, answer)
			return nil
		}
	}},
	{"state of a service account", "service-account", watcher, func(t *testing.T, b *testbed.Bed) (string, func() error) {
		rowan := b.As(t, "rowan@lindenmere")
		key := testbed.KeyFor(t, rowan, api.ServiceAccountKind, watcher)
		return testbed.AccessToken(t, b, key), func() error {
			return client.Done(rowan.SetState(t.Context(), "lindenmere", api.ServiceAccountKind, watcher, nil, api.StateChange{State: "suspended"}))
		}
	}},
	{"password", "user", "sefa", func(t *testing.T, b *testbed.Bed) (string, func() error) {
		token, other := b.Token(t, "sefa@lindenmere"), b.As(t, "sefa@lindenmere")
		return token, func() error {
			return client.Done(other.ChoosePassword(t.Context(), api.PasswordChoice{Current: demo.Passphrase, New: "one-more-heron-by-the-pond"}))
		}
	}},
	{"grant", "user", "ines", func(t *testing.T, b *testbed.Bed) (string, func() error) {
		rowan, grant := b.As(t, "rowan@lindenmere"), b.Grant(t, "observer", "user", "ines", digitising)
		return b.Token(t, "ines@lindenmere"), func() error { return client.Done(rowan.RevokeGrant(t.Context(), grant, nil)) }
	}},
	{"state of a user", "user", "ines", func(t *testing.T, b *testbed.Bed) (string, func() error) {
		rowan := b.As(t, "rowan@lindenmere")
		b.Grant(t, "observer", "user", "ines", digitising)
		return b.Token(t, "ines@lindenmere"), func() error {
			return client.Done(rowan.SetState(t.Context(), "lindenmere", api.UserKind, "ines", nil, api.StateChange{State: "suspended"}))
		}
	}},
}

// begin has a subject ask, with what opens the way for it.
func (c *cluster) begin(r revocation) (a *asking, revoke func() error) {
	token, revoke := r.prepare(c.T, c.bed)
	a = &asking{cluster: c, token: token, body: fmt.Sprintf(
		`{"subject":{"type":%q,"id":%q},"action":{"name":"describe"},"resource":{"type":"compartment","id":%q}}`, r.kind, r.subject, digitising)}
	a.begin()
	return a, revoke
}

// TestRevocationsAreFeltEverywhere revokes everything that opens the way for somebody who asks all the while: at the instance that
// revokes the next question is refused, and from the lease on at every other, one of which reaches the database late.
func TestRevocationsAreFeltEverywhere(t *testing.T) {
	home := t.TempDir()
	flags := demoRecords(t, home)
	dsn := flags[slices.Index(flags, "--database")+1]
	slow, late := testbed.Slow(t, dsn)
	c := startCluster(t, flags, dsn, dsn, slow)
	c.bed.Grant(t, "observer", "user", "sefa", digitising)
	for i, r := range revocations {
		t.Run(r.name, func(t *testing.T) {
			c := &cluster{t, c.processes, c.addresses, c.bed}
			a, revoke := c.begin(r)
			late([]time.Duration{20 * time.Millisecond, 120 * time.Millisecond}[i%2])
			require.NoError(t, revoke())
			a.refusedFrom(time.Now())
			late(0)
		})
	}
}

// TestAStoppedInstanceFeelsRevocations stops an instance, as a machine that is put to sleep is: what was revoked meanwhile is refused by
// it when it goes on, and so is everything while it cannot reach the database.
func TestAStoppedInstanceFeelsRevocations(t *testing.T) {
	home := t.TempDir()
	flags := demoRecords(t, home)
	dsn := flags[slices.Index(flags, "--database")+1]
	slow, late := testbed.Slow(t, dsn)
	c := startCluster(t, flags, dsn, slow)
	c.bed.Grant(t, "observer", "user", "sefa", digitising)
	a, revoke := c.begin(revocations[1])
	a.over.Store(true)
	a.wait.Wait()
	stopped := c.processes[1].alive.Process
	require.NoError(t, stopped.Signal(syscall.SIGSTOP))
	require.NoError(t, revoke())
	revoked := time.Now()
	answers := make(chan bool, 1)
	<-time.After(time.Until(revoked.Add(tenant.Lease))) // the bound itself is what is tried
	go func() {
		yes, _, err := a.ask(1)
		answers <- yes || err != nil
	}()
	require.NoError(t, stopped.Signal(syscall.SIGCONT))
	require.False(t, <-answers, "it was revoked while the instance was stopped")

	// Who is in is not answered from memory either once the database is out of reach.
	a.token = c.bed.Token(t, "sefa@lindenmere")
	yes, _, err := a.ask(1)
	require.NoError(t, err)
	require.True(t, yes)
	late(time.Hour)
	<-time.After(2 * tenant.Lease) // likewise
	yes, _, err = a.ask(1)
	require.NoError(t, err)
	require.False(t, yes, "nothing is answered from memory for longer than the lease")
}
