package e2e

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestServicesAreRegistered registers a service while the service runs, uses it, and removes it when nothing does.
func TestServicesAreRegistered(t *testing.T) {
	dsn := testbed.DSN(t)
	b := testbed.Start(t, testbed.OpenRecords(t, dsn))
	_, _, err := b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), b.Address))
	ctx := t.Context()
	keeper, rowan := b.As(t, demo.Keeper), b.As(t, "rowan@lindenmere")
	var file api.ServiceNew
	require.NoError(t, json.Unmarshal([]byte(testbed.WeatherFile), &file))
	station := api.ScopeNew{Kind: "resource", Name: "roof", Type: "station"}
	testbed.Problem(t, 422, client.Done(rowan.CreateScope(ctx, alpine, station)))
	p := testbed.Problem(t, 400, client.Done(keeper.RegisterService(ctx, api.ServiceNew{File: strings.Replace(file.File, "project", "projct", 1)})))
	require.Equal(t, 1, p.Faults[0].Line)
	require.Contains(t, p.Detail, "did you mean project?")
	testbed.Problem(t, 403, client.Done(rowan.RegisterService(ctx, file)))
	require.NoError(t, client.Done(keeper.RegisterService(ctx, file)))
	require.NoError(t, client.Done(rowan.CreateScope(ctx, alpine, station)))
	b.Grant(t, "weather-observer", "user", "tomas", alpine)

	// A second program on the same records reads the catalogue and decides by it.
	other := testbed.Start(t, testbed.OpenRecords(t, dsn))
	answer, err := other.As(t, "rowan@lindenmere").Check(ctx, alpine+"/roof.station", api.Question{Permission: "describe station", Principal: ptr(user("tomas"))})
	require.NoError(t, err)
	require.True(t, answer.Allowed)

	p = testbed.Problem(t, 409, keeper.RemoveService(ctx, "weather"))
	require.Contains(t, p.Detail, "still used in organisation lindenmere")
	p = testbed.Problem(t, 422, keeper.RemoveService(ctx, "storage"))
	require.Contains(t, p.Detail, "storage came with Arbora")
	testbed.Problem(t, 404, keeper.RemoveService(ctx, "wether"))

	// Only what is offered beneath a container can be made there, and only its roles are shown.
	require.NoError(t, client.Done(rowan.OfferServices(ctx, "lindenmere/visitors", nil, api.Offer{Services: ptr([]string{"apps", "compute", "databases", "storage"})})))
	p = testbed.Problem(t, 422, client.Done(rowan.CreateScope(ctx, "lindenmere/visitors/ticketing", api.ScopeNew{Kind: "resource", Name: "lan", Type: "network"})))
	require.Contains(t, p.Detail, "network is of networking, which is not offered in lindenmere/visitors/ticketing")
	roles, err := rowan.ListRoles(ctx, "lindenmere/visitors", nil)
	require.NoError(t, err)
	for _, role := range roles.Roles {
		require.NotEqual(t, "networking-builder", role.Name)
	}
	p = testbed.Problem(t, 422, client.Done(rowan.OfferServices(ctx, "lindenmere/visitors/ticketing", nil, api.Offer{Services: ptr([]string{"networking"})})))
	require.Contains(t, p.Detail, "scopes below can offer fewer services, never more")
	p = testbed.Problem(t, 422, client.Done(rowan.OfferServices(ctx, "lindenmere/visitors", nil, api.Offer{Services: ptr([]string{"apps"})})))
	require.Contains(t, p.Detail, "below lindenmere/visitors: offer")
}
