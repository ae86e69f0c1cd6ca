package e2e

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
)

// killable is a process of the program that can be ended at once and started again.
type killable struct {
	t     *testing.T
	args  []string
	alive *exec.Cmd
}

func (k *killable) start() {
	k.alive = newTerminal(k.t).command(context.Background(), k.args...)
	startServing(k.t, k.alive)
}

func (k *killable) kill() {
	require.NoError(k.t, k.alive.Process.Kill())
	require.Error(k.t, k.alive.Wait(), "it was killed")
}

func freeAddress(t *testing.T) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

// ledger is what Loam has acknowledged.
type ledger struct {
	sync.Mutex
	made    map[string]string // address by id
	retired map[string]bool   // ids
	asked   map[string]bool   // ids whose retirement was asked for
}

// TestLoamAndArboraAgreeAfterKills kills Arbora and Loam at random while resources are made and retired. Afterwards nothing
// acknowledged is lost, and the two agree on what there is.
func TestLoamAndArboraAgreeAfterKills(t *testing.T) {
	dsn, cloudDSN, home := testbed.DSN(t), testbed.DSN(t), t.TempDir()
	arboraAt, loamAt := freeAddress(t), freeAddress(t)
	c := newTerminal(t)
	status, out, errs := c.run(demo.Passphrase+"\n"+demo.Passphrase+"\n", "init", "--database", dsn, "--sealing-key", filepath.Join(home, "key"), "--keeper", demo.Keeper,
		"--password-from", "-", "--organisation", "lindenmere", "--steward", "rowan", "--steward-password-from", "-")
	require.Zero(t, status, out+errs)
	arbora := &killable{t: t, args: []string{"serve", "--database", dsn, "--sealing-key", filepath.Join(home, "key"), "--listen", arboraAt, "--log", "error"}}
	arbora.start()
	keys, err := demo.LoamKeys(t.Context(), "http://"+arboraAt)
	require.NoError(t, err)
	text, err := json.Marshal(keys)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(home, "keys.json"), text, 0o600))
	cloud := &killable{t: t, args: []string{"serve-loam", "--database", cloudDSN, "--arbora", "http://" + arboraAt, "--keys", filepath.Join(home, "keys.json"), "--listen", loamAt, "--log", "error"}}
	cloud.start()
	rowan, err := demo.SignIn(t.Context(), "http://"+arboraAt, "rowan@lindenmere", demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, client.Done(rowan.CreateScope(t.Context(), "lindenmere", api.ScopeNew{Kind: "project", Name: "shed"})))
	token := (&testbed.Bed{Address: "http://" + arboraAt}).Token(t, "rowan@lindenmere")

	kept := &ledger{made: map[string]string{}, retired: map[string]bool{}, asked: map[string]bool{}}
	var stop atomic.Bool
	var working sync.WaitGroup
	for i := range 4 {
		worker, err := loamclient.At("http://"+loamAt, token)
		require.NoError(t, err)
		working.Go(func() { kept.work(t, worker, fmt.Sprint("w", i), &stop) })
	}
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed) // told when the test fails
	dice := rand.New(rand.NewPCG(1, seed))
	for range 8 {
		victim := []*killable{arbora, cloud}[dice.IntN(2)]
		kept.grow(t, 2+dice.IntN(6))
		victim.kill()
		victim.start()
	}
	kept.grow(t, 4)
	stop.Store(true)
	working.Wait()
	// What was left half done is settled when Loam starts.
	cloud.kill()
	cloud.start()
	kept.check(t, dsn, cloudDSN)
	arbora.kill()
	cloud.kill()
}

// work makes resources and retires some of them, until told to stop. Whatever is not acknowledged may be there or not.
func (l *ledger) work(t *testing.T, worker *loamclient.Client, name string, stop *atomic.Bool) {
	for n := 0; !stop.Load(); n++ {
		made, err := worker.Create(context.Background(), loamapi.Input{At: "lindenmere/shed", Type: []string{"bucket", "network", "machine"}[n%3], Name: fmt.Sprintf("%s-%d", name, n)})
		if err != nil {
			continue
		}
		l.Lock()
		l.made[made.ID.String()] = made.Address
		l.Unlock()
		if n%3 != 0 {
			continue
		}
		l.Lock()
		l.asked[made.ID.String()] = true
		l.Unlock()
		if _, err := loamclient.Act[loamapi.Description](context.Background(), worker, made.Address, "retire", loamapi.Input{}); err == nil {
			l.Lock()
			l.retired[made.ID.String()] = true
			l.Unlock()
		}
	}
	assert.True(t, stop.Load())
}

// grow waits until so many more resources are acknowledged.
func (l *ledger) grow(t *testing.T, more int) {
	count := func() int {
		l.Lock()
		defer l.Unlock()
		return len(l.made)
	}
	wanted := count() + more
	require.Eventually(t, func() bool { return count() >= wanted }, 2*time.Minute, 2*time.Millisecond)
}

// check compares both databases with each other and with what was acknowledged.
func (l *ledger) check(t *testing.T, dsn, cloudDSN string) {
	open := func(dsn string) *sql.DB {
		db, err := sql.Open("mysql", dsn)
		require.NoError(t, err)
		t.Cleanup(func() { db.Close() })
		return db
	}
	arbora, cloud := open(dsn), open(cloudDSN)
	require.Eventually(t, func() bool {
		var open int
		require.NoError(t, cloud.QueryRow("SELECT COUNT(*) FROM resource WHERE NOT settled").Scan(&open))
		return open == 0
	}, time.Minute, 10*time.Millisecond)
	ids := func(db *sql.DB, query string) map[string]bool {
		rows, err := db.QueryContext(t.Context(), query)
		require.NoError(t, err)
		defer rows.Close()
		found := map[string]bool{}
		for rows.Next() {
			var id uuid.UUID
			var retired bool
			require.NoError(t, rows.Scan(&id, &retired))
			found[id.String()] = retired
		}
		require.NoError(t, rows.Err())
		return found
	}
	registered := ids(arbora, "SELECT id, retired FROM scope WHERE kind = 'resource'")
	recorded := ids(cloud, "SELECT id, FALSE FROM resource")
	require.Len(t, recorded, len(registered))
	for id := range registered {
		require.Contains(t, recorded, id, "Loam has lost what Arbora has")
	}
	for id, address := range l.made {
		retired, there := registered[id]
		require.True(t, there, "%s was acknowledged and is lost", address)
		if l.retired[id] {
			require.True(t, retired, "%s was acknowledged as retired", address)
		}
		if !l.asked[id] {
			require.False(t, retired, "%s was never retired", address)
		}
	}
	require.NotEmpty(t, l.retired)
}
