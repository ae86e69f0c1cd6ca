package service_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestReshapingTheTree moves, renames, tags, retires and restores, by those who may at both ends, whole or not at all.
func TestReshapingTheTree(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, sefa := b.As(t, "rowan@lindenmere"), b.As(t, "sefa@lindenmere")
	science := "lindenmere/science"
	written, err := rowan.ReshapeScopes(t.Context(), "lindenmere", &api.ReshapeScopesParams{Preview: true}, api.Reshaping{Scopes: []string{trailGuide}, To: science})
	require.NoError(t, err)
	require.Contains(t, written.Impact.Words, "lose access")
	require.Contains(t, written.Impact.Warnings, trailGuide+" moves with 2 scopes below it.")
	require.NoError(t, client.Done(sefa.ShowScope(t.Context(), trailGuide)))

	b.Grant(t, "builder", "user", "sefa", "lindenmere/science/seedbank")
	p := testbed.Problem(t, 404, reshape(t, sefa, api.Reshaping{Scopes: []string{trailGuide}, To: "lindenmere/gardens"}))
	require.Contains(t, p.Detail, "lindenmere/gardens")
	p = testbed.Problem(t, 403, reshape(t, b.As(t, "ines@lindenmere"), api.Reshaping{Scopes: []string{trial}, To: "lindenmere/science"}))
	require.Contains(t, p.Detail, "create project", "who may move it may not put it there")
	for to, says := range map[string]string{
		"lindenmere/visitors": "is in lindenmere/visitors already", trailGuide: "that is in it", alpine: "cannot be in a project", "lindenmere/nowhere": "there is no scope",
	} {
		t.Run(to, func(t *testing.T) {
			err := reshape(t, rowan, api.Reshaping{Scopes: []string{trailGuide}, To: to})
			var problem *client.Error
			require.ErrorAs(t, err, &problem)
			require.Contains(t, problem.Detail, says, to)
		})
	}
	require.NoError(t, client.Done(rowan.CreateScope(t.Context(), science, api.ScopeNew{Kind: "project", Name: "trail-guide"})))
	testbed.Problem(t, 409, reshape(t, rowan, api.Reshaping{Scopes: []string{trailGuide}, To: science}))
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{guideMoved}, Name: ptr("old-trails"), Title: ptr("Old trails"), Tags: api.Tags{"care": "low"}}))

	media, err := rowan.ShowScope(t.Context(), trailGuide+"/guide-media.bucket")
	require.NoError(t, err)
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{trailGuide}, To: science}))
	moved, err := rowan.ShowScope(t.Context(), media.Id)
	require.NoError(t, err)
	require.Equal(t, guideMoved+"/guide-media.bucket", moved.Address, "what is beneath goes along, under the same id")
	way, err := sefa.ShowScope(t.Context(), guideMoved)
	require.NoError(t, err)
	require.False(t, way.Described, "it is but the way to what is public in it")
	old, err := rowan.ShowScope(t.Context(), "lindenmere/science/old-trails")
	require.NoError(t, err)
	require.Equal(t, "Old trails", old.Title)
	require.Equal(t, map[string]string{"care": "low"}, old.Tags)

	// Many at once: all of them, or none.
	many := []string{"lindenmere/visitors/ticketing", guideMoved}
	require.Error(t, reshape(t, rowan, api.Reshaping{Scopes: append(many, "lindenmere/nowhere"), Tags: api.Tags{"season": "summer"}}))
	testbed.Problem(t, 400, reshape(t, rowan, api.Reshaping{Scopes: many, Name: ptr("x")}))
	testbed.Problem(t, 400, reshape(t, rowan, api.Reshaping{Scopes: many}))
	testbed.Problem(t, 400, reshape(t, rowan, api.Reshaping{Scopes: many, Tags: api.Tags{"Bad Key": "x"}}))
	ticketing, err := rowan.ShowScope(t.Context(), many[0])
	require.NoError(t, err)
	require.Empty(t, ticketing.Tags)
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: many, Tags: api.Tags{"season": "summer", "care": "low"}}))
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: many, Untag: []string{"care"}}))
	ticketing, err = rowan.ShowScope(t.Context(), many[0])
	require.NoError(t, err)
	require.Equal(t, map[string]string{"season": "summer"}, ticketing.Tags)

	// Retired scopes deny at once, and restore to exactly what was.
	piotr := b.As(t, "piotr@lindenmere")
	may := func() bool {
		answer, err := piotr.Check(t.Context(), digitising+"/scans.bucket", api.Question{Permission: "edit bucket"})
		return err == nil && answer.Allowed
	}
	before, err := rowan.ListGrants(t.Context(), digitising, nil)
	require.NoError(t, err)
	token := accessToken(t, b, keyFor(t, rowan, api.ServiceAccountKind, digitising+"/label-indexer"))
	require.NoError(t, client.Done(with(t, b, token).ShowScope(t.Context(), digitising)))
	require.True(t, may())
	retired, active := api.ScopeRetired, api.ScopeActive
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{herbarium}, State: retired}))
	require.False(t, may())
	require.Equal(t, "revoked", kind(t, client.Done(with(t, b, token).ShowScope(t.Context(), digitising))), "a service account goes with the scope it lives at")
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{herbarium}, State: active}))
	require.True(t, may())
	require.NoError(t, client.Done(with(t, b, token).ShowScope(t.Context(), digitising)))
	after, err := rowan.ListGrants(t.Context(), digitising, nil)
	require.NoError(t, err)
	require.Equal(t, before.Grants, after.Grants)
	testbed.Problem(t, 422, reshape(t, rowan, api.Reshaping{Scopes: []string{"lindenmere"}, To: science}))

	// Another instance on the same records sees the same tree.
	again := testbed.OnMemory(t, b.Memory)
	tree, err := again.As(t, "rowan@lindenmere").ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	here, err := rowan.ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	require.Equal(t, here.Scopes, tree.Scopes)
}

// TestStatementsFollowAMove sees a statement go dormant with a move, be told of before, and wake up again.
func TestStatementsFollowAMove(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan := b.As(t, "rowan@lindenmere")
	vaultMoved := "lindenmere/gardens/seedbank-vault"
	preview := func(from, to string) []string {
		written, err := rowan.ReshapeScopes(t.Context(), "lindenmere", &api.ReshapeScopesParams{Preview: true}, api.Reshaping{Scopes: []string{from}, To: to})
		require.NoError(t, err)
		return written.Impact.Warnings
	}
	require.Contains(t, preview(vault, "lindenmere/gardens"), "1 statement goes dormant: its place leaves the scope of its policy.")
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{vault}, To: "lindenmere/gardens"}))
	require.Contains(t, preview(vaultMoved, "lindenmere/science/seedbank"), "1 statement that was dormant decides again.")
	require.NoError(t, reshape(t, rowan, api.Reshaping{Scopes: []string{vaultMoved}, To: "lindenmere/science/seedbank"}))
	written, err := rowan.ReshapeScopes(t.Context(), "lindenmere", &api.ReshapeScopesParams{Preview: true}, api.Reshaping{Scopes: []string{vault}, Name: ptr("strongroom")})
	require.NoError(t, err)
	require.Contains(t, written.Impact.Warnings, "1 statement names it by name; from then on they are written with the new name.")
}
