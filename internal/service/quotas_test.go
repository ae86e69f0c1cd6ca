package service_test

import (
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
)

// TestQuotas has a keeper bound an organisation to what it has, and tries to add one more of each.
func TestQuotas(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	warden, rowan := b.As(t, "warden"), b.As(t, "rowan@lindenmere")
	shown, err := rowan.ShowQuotas(ctx, "lindenmere")
	require.NoError(t, err)
	require.Equal(t, api.Quotas{}, shown.Set)
	require.Equal(t, 20_000, *shown.Most.Groups)
	testbed.Problem(t, 403, client.Done(rowan.SetQuotas(ctx, "lindenmere", api.Quotas{Groups: ptr(1_000_000)})))
	testbed.Problem(t, 403, client.Done(b.As(t, "yuki@lindenmere").ShowQuotas(ctx, "lindenmere")))
	testbed.Problem(t, 404, client.Done(rowan.ShowQuotas(ctx, "quaywater")))
	testbed.Problem(t, 404, client.Done(warden.ShowQuotas(ctx, "nowhere")))

	written, err := rowan.CreatePolicyAt(ctx, alpine, api.PolicyNew{Name: "care", Text: "staff may observe networking\nstaff may observe storage"})
	require.NoError(t, err)
	shown, err = warden.ShowQuotas(ctx, "lindenmere")
	require.NoError(t, err)
	require.NoError(t, client.Done(warden.SetQuotas(ctx, "lindenmere", shown.Has)))
	group := func(name string) error {
		return client.Done(rowan.CreateGroup(ctx, "lindenmere", api.GroupNew{Name: name}))
	}
	policy := func(text string) error {
		return client.Done(rowan.EditPolicyText(ctx, written.Policy.Id, nil, api.PolicyEdit{Text: &text}))
	}
	for what, try := range map[string]func() error{
		"scopes": func() error {
			return client.Done(rowan.CreateScope(ctx, alpine, api.ScopeNew{Kind: "resource", Type: "bucket", Name: "scree"}))
		},
		"users, guests and service accounts": func() error {
			return client.Done(rowan.CreateServiceAccount(ctx, digitising, api.AccountNew{Name: "another"}))
		},
		"groups": func() error { return group("another") },
		"grants": func() error {
			return client.Done(rowan.CreateGrant(ctx, alpine, api.GrantNew{Principal: user("tomas"), Role: "observer"}))
		},
		"statements": func() error {
			return policy("staff may observe networking\nstaff may observe storage\nstaff may observe labs")
		},
	} {
		t.Run(what, func(t *testing.T) {
			require.Contains(t, testbed.Problem(t, 409, try()).Detail, what+", and may have", what)
		})
	}
	require.NoError(t, policy("staff may observe networking\nstaff may observe labs"), "what does not add goes on")
	require.NoError(t, policy("staff may observe networking"))

	// Below what is there, nothing is taken away and nothing is added.
	require.NoError(t, client.Done(warden.SetQuotas(ctx, "lindenmere", api.Quotas{Groups: ptr(1)})))
	require.Error(t, group("another"))
	require.NoError(t, client.Done(rowan.EditPrincipal(ctx, "lindenmere", api.GroupKind, "curators", nil, api.PrincipalEdit{Title: ptr("Curators")})))
	require.NoError(t, client.Done(rowan.CreateServiceAccount(ctx, digitising, api.AccountNew{Name: "another"})), "back to the usual")
	b.Clock.Forward(credential.ProofFor)
	require.Equal(t, "proof-needed", kind(t, client.Done(warden.SetQuotas(ctx, "lindenmere", api.Quotas{}))))
}

// TestWritesAndStreamsAreBounded has one person write and follow more than they may; others go on.
func TestWritesAndStreamsAreBounded(t *testing.T) {
	b := testbed.InMemory(t)
	ctx := t.Context()
	rowan, maeve := b.As(t, "rowan@lindenmere"), b.As(t, "maeve@lindenmere")
	require.NoError(t, client.Done(b.As(t, "warden").SetQuotas(ctx, "lindenmere", api.Quotas{Writes: ptr(5), Streams: ptr(2)})))
	write := func(c *client.Client, n int) error {
		return client.Done(c.CreateGroup(ctx, "lindenmere", api.GroupNew{Name: fmt.Sprint("made-", n)}))
	}
	var err error
	made := 0
	for ; err == nil && made < 50; made++ {
		err = write(rowan, made)
	}
	p := testbed.Problem(t, 429, err)
	require.Equal(t, "rowan@lindenmere may make 5 changes a minute", p.Detail)
	require.Less(t, made, 10, "but for what a slow machine let pass")
	require.NoError(t, write(maeve, 100))

	follow := func(name string) (status int, end func()) {
		r, err := http.NewRequestWithContext(ctx, http.MethodGet, b.Address+"/api/v1/organisations/lindenmere/stream", nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+b.Token(t, name))
		response, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		return response.StatusCode, func() { response.Body.Close() }
	}
	first, endFirst := follow("rowan@lindenmere")
	second, endSecond := follow("rowan@lindenmere")
	third, endThird := follow("rowan@lindenmere")
	other, endOther := follow("maeve@lindenmere")
	require.Equal(t, []int{200, 200, 429, 200}, []int{first, second, third, other})
	for _, end := range []func(){endFirst, endSecond, endThird, endOther} {
		end()
	}
	require.Eventually(t, func() bool {
		status, end := follow("rowan@lindenmere")
		end()
		return status == 200
	}, time.Minute, 5*time.Millisecond, "a stream that ended leaves room")
}
