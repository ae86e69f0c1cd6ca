package e2e

import (
	"net"
	"net/http"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/authzen"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/follower"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
)

// TestLoamAsksFollowers has followers decide for two services of Loam's: what was made through Loam is there at once, what was revoked is
// refused and recorded, and without the followers Arbora is asked.
func TestLoamAsksFollowers(t *testing.T) {
	var asked atomic.Int64
	var stop []func() error
	b := testbed.StartDemoWithFollowers(t, func(b *testbed.Bed) map[string]string {
		addresses := map[string]string{}
		for _, service := range []string{"storage", "networking"} {
			key, err := b.As(t, "warden").CreateServiceKey(t.Context(), service, api.KeyNew{Label: "follows", Follows: true})
			require.NoError(t, err)
			f, err := follower.Open(t.Context(), follower.Options{
				Service: b.Address, Key: authzen.Key{ID: key.Key.Id, Secret: key.Secret}, Organisations: []string{"lindenmere", "quaywater"}, Clock: b.Clock.Now,
			})
			require.NoError(t, err)
			t.Cleanup(func() { require.NoError(t, f.Close()) })
			socket := filepath.Join(t.TempDir(), service)
			listener, err := net.Listen("unix", socket)
			require.NoError(t, err)
			server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				asked.Add(1)
				f.Handler("http://localhost").ServeHTTP(w, r)
			})}
			go server.Serve(listener)
			stop = append(stop, server.Close)
			addresses[service] = "unix:" + socket
		}
		return addresses
	})
	rowan, piotr := b.As(t, "rowan@lindenmere"), b.As(t, "piotr@lindenmere")
	grant := b.Grant(t, "builder", "user", "piotr", digitising)
	b.Grant(t, "content-writer", "user", "piotr", digitising)
	for _, name := range []string{"one", "two", "three"} {
		_, err := loamclient.Through(piotr).Create(t.Context(), loamapi.Input{At: digitising, Type: "bucket", Name: name})
		require.NoError(t, err)
		require.NoError(t, put(t, piotr, digitising+"/"+name+".bucket/sheet.txt", "a sheet"), "what was made is there at once")
	}
	require.Greater(t, asked.Load(), int64(5))

	require.NoError(t, client.Done(rowan.RevokeGrant(t.Context(), grant, nil)))
	require.Eventually(t, func() bool {
		_, err := loamclient.Through(piotr).Create(t.Context(), loamapi.Input{At: digitising, Type: "bucket", Name: "four"})
		return err != nil
	}, time.Minute, time.Millisecond)
	require.Eventually(t, func() bool {
		list, err := rowan.ListAuditRecords(t.Context(), "lindenmere", &api.ListAuditRecordsParams{Event: "refused"})
		return err == nil && len(list.Records) > 0
	}, time.Minute, time.Millisecond)

	for _, end := range stop {
		require.NoError(t, end())
	}
	before := asked.Load()
	require.NoError(t, put(t, piotr, digitising+"/one.bucket/other.txt", "a sheet"), "Arbora is asked in place of a follower that is not there")
	require.Equal(t, before, asked.Load())
}

// put writes an object through Loam.
func put(t *testing.T, as *client.Client, object, text string) error {
	return client.Done(loamclient.Through(as).Put(t.Context(), object, "text/plain", strings.NewReader(text)))
}
