package access_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// TestServicesComeAndGo registers a service, uses it, and removes it when nothing uses it any more.
func TestServicesComeAndGo(t *testing.T) {
	wider, err := catalogue.Shipped().With([]byte(station(`"parents": ["project"], "control": {"observe": ["list", "describe"], "modify": ["create"]}`)))
	require.NoError(t, err)
	top, project, id := model.ID{1}, model.ID{2}, model.ID{3}
	now, err := access.New(catalogue.Shipped()).With(1,
		access.CreateScope{Scope: model.Scope{ID: top, Kind: model.Organisation, Name: "top"}},
		access.CreateScope{Scope: model.Scope{ID: project, Parent: top, Kind: model.Project, Name: "house"}})
	require.NoError(t, err)
	now, err = now.Under(wider)
	require.NoError(t, err)
	require.Equal(t, uint64(1), now.Revision())
	require.Empty(t, now.UsesService("weather"))
	with, err := now.With(2, access.CreateScope{Scope: model.Scope{ID: id, Parent: project, Kind: model.Resource, Name: "roof", Type: "station"}})
	require.NoError(t, err)
	require.Equal(t, "resource top/house/roof.station", with.UsesService("weather"))
	_, err = with.Under(catalogue.Shipped())
	require.ErrorContains(t, err, `there is no resource type "station"`)
	narrow, err := wider.Without("weather")
	require.NoError(t, err)
	_, err = now.Under(narrow)
	require.NoError(t, err)
	_, err = wider.Without("storage")
	require.ErrorContains(t, err, "storage came with Arbora")
	_, err = wider.Without("wether")
	require.ErrorContains(t, err, "did you mean weather?")
}

// TestWhatIsReferredToIsDecidedToo asks for an operation that needs permissions on other resources: all or none.
func TestWhatIsReferredToIsDecidedToo(t *testing.T) {
	c, err := catalogue.Shipped().With([]byte(station(`"parents": ["project"], "control": {"observe": ["list"], "modify": ["create"]}, "needs": {"create": ["attach network", "attach service-account"]}`)))
	require.NoError(t, err)
	top, project, net, bucket, account, bram := model.ID{1}, model.ID{2}, model.ID{3}, model.ID{4}, model.ID{5}, model.ID{6}
	now, err := access.New(c).With(1,
		access.CreateScope{Scope: model.Scope{ID: top, Kind: model.Organisation, Name: "top"}},
		access.CreateScope{Scope: model.Scope{ID: project, Parent: top, Kind: model.Project, Name: "house"}},
		access.CreateScope{Scope: model.Scope{ID: net, Parent: project, Kind: model.Resource, Name: "lan", Type: "network"}},
		access.CreateScope{Scope: model.Scope{ID: bucket, Parent: project, Kind: model.Resource, Name: "log", Type: "bucket"}},
		access.CreatePrincipal{Principal: access.Principal{ID: account, Kind: model.ServiceAccount, Name: "robot", Home: project}},
		access.CreatePrincipal{Principal: access.Principal{ID: bram, Kind: model.User, Name: "bram"}},
		access.CreateGrant{Grant: access.Grant{ID: model.ID{7}, Scope: project, Principal: bram, Role: "weather-builder"}})
	require.NoError(t, err)
	ask := func(refers ...model.ID) access.Decision {
		return now.Decide(access.Question{Principal: bram, Permission: c.MustPermission("create station"), Scope: project, Refers: refers})
	}
	require.True(t, ask().Allowed)
	require.Equal(t, access.Lack{Permission: c.MustPermission("attach network"), On: net}, ask(net).Lacks)
	require.Equal(t, access.Lacking, ask(bucket).Reason, "it is nothing the operation could refer to")
	now, err = now.With(2, access.CreateGrant{Grant: access.Grant{ID: model.ID{8}, Scope: net, Principal: bram, Role: "networking-operator"}})
	require.NoError(t, err)
	require.True(t, ask(net).Allowed)
	require.Equal(t, account, ask(net, account).Lacks.On)
}

// station is a service with one type.
func station(rest string) string {
	return "{\"service\": \"weather\", \"title\": \"Weather\",\n \"types\": [\n  {\"type\": \"station\", " + rest + "}]}"
}
