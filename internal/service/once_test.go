package service_test

import (
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
)

// under returns a client that sends a request under a key.
func under(t *testing.T, c *client.Client, key string) *client.Client {
	other, err := c.With(client.Once(key))
	require.NoError(t, err)
	return other
}

// TestARequestUnderAKeyIsCarriedOutOnce sends requests again whose answers were lost, at once and later, and asks under keys that were
// used before.
func TestARequestUnderAKeyIsCarriedOutOnce(t *testing.T) {
	b := testbed.InMemory(t)
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	first, err := under(t, rowan, "one").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "weeders"})
	require.NoError(t, err)
	again, err := under(t, rowan, "one").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "weeders"})
	require.NoError(t, err)
	require.Equal(t, first, again)
	p := testbed.Problem(t, 400, client.Done(under(t, rowan, "one").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "waterers"})))
	require.Equal(t, "Idempotency-Key", p.Field)
	testbed.Problem(t, 409, client.Done(under(t, rowan, "two").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "weeders"})))
	testbed.Problem(t, 400, client.Done(under(t, rowan, "not a key").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "x"})))

	// A refusal is forgotten: once the reason is gone the same request is carried out.
	require.NoError(t, client.Done(under(t, rowan, "two").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "waterers"})))
	// What others ask under the same key is theirs.
	maeve := b.As(t, "maeve@lindenmere")
	other, err := under(t, maeve, "one").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "diggers"})
	require.NoError(t, err)
	require.Equal(t, "diggers", other.Group.Name)

	// Secrets are shown once all the same.
	both := api.ByBoth
	wim := api.UserNew{Name: "wim", SignInBy: both, Key: &api.KeyNew{}}
	made, err := under(t, rowan, "wim").CreateUser(ctx, "lindenmere", wim)
	require.NoError(t, err)
	require.NotEmpty(t, made.Password)
	require.NotEmpty(t, made.Key.Secret)
	told, err := under(t, rowan, "wim").CreateUser(ctx, "lindenmere", wim)
	require.NoError(t, err)
	require.Zero(t, told.Password)
	require.Empty(t, told.Key.Secret)
	require.Equal(t, made.User.Id, told.User.Id)
	require.Equal(t, made.Revision, told.Revision)

	// Of many at once one is carried out; the others hear that, or what it answered.
	var at sync.WaitGroup
	ids := make([]string, 8)
	for i := range ids {
		at.Go(func() {
			made, err := under(t, rowan, "at-once").CreateScope(ctx, "lindenmere", api.ScopeNew{Kind: "folder", Name: "orchards"})
			if err == nil {
				ids[i] = made.Scope.Id
			} else {
				t.Log(err)
			}
		})
	}
	at.Wait()
	known := map[string]bool{}
	for _, id := range ids {
		known[id] = true
	}
	delete(known, "")
	require.Len(t, known, 1)

	// A service that ended before it answered leaves behind what it did, and whether it did.
	b.Memory.Unanswered(true)
	p = testbed.Problem(t, 409, client.Done(under(t, rowan, "one").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "weeders"})))
	require.Contains(t, p.Detail, "was carried out, and led to revision")
	b.Memory.Unanswered(false)
	p = testbed.Problem(t, 409, client.Done(under(t, rowan, "two").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "waterers"})))
	require.Contains(t, p.Detail, "is being carried out")
	b.Clock.Forward(5 * time.Minute)
	p = testbed.Problem(t, 409, client.Done(under(t, rowan, "two").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "waterers"})))
	require.Contains(t, p.Detail, "already a group called waterers", "one that led to nothing is made anew")
	b.Clock.Forward(25 * time.Hour)
	require.NoError(t, client.Done(under(t, b.As(t, "rowan@lindenmere"), "one").CreateGroup(ctx, "lindenmere", api.GroupNew{Name: "pruners"})), "a key is forgotten after a day")
}
