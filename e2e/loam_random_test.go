package e2e

import (
	"context"
	"fmt"
	"net/http"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
)

// tries are what somebody may try in Loam, by permission, and where.
var tries = map[string]func(ctx context.Context, as *loamclient.Client, at string) error{
	"describe machine": func(ctx context.Context, as *loamclient.Client, at string) error {
		return acted(ctx, as, at, "describe")
	},
	"start machine": func(ctx context.Context, as *loamclient.Client, at string) error { return acted(ctx, as, at, "start") },
	"stop machine":  func(ctx context.Context, as *loamclient.Client, at string) error { return acted(ctx, as, at, "stop") },
	"resize machine": func(ctx context.Context, as *loamclient.Client, at string) error {
		_, err := loamclient.Act[any](ctx, as, at, "resize", loamapi.Input{Size: "medium"})
		return err
	},
	"edit bucket": func(ctx context.Context, as *loamclient.Client, at string) error { return acted(ctx, as, at, "edit") },
	"describe bucket": func(ctx context.Context, as *loamclient.Client, at string) error {
		return acted(ctx, as, at, "describe")
	},
	"list object": func(ctx context.Context, as *loamclient.Client, at string) error {
		_, err := as.Objects(ctx, at, "")
		return err
	},
	"fetch object": func(ctx context.Context, as *loamclient.Client, at string) error {
		body, _, err := as.Fetch(ctx, at+"/kept.txt")
		if err == nil {
			err = body.Close()
		}
		return err
	},
	"put object": func(ctx context.Context, as *loamclient.Client, at string) error {
		_, err := as.Put(ctx, at+"/kept.txt", "text/plain", strings.NewReader("kept"))
		return err
	},
	"create bucket": func(ctx context.Context, as *loamclient.Client, at string) error {
		_, err := as.Create(ctx, loamapi.Input{At: at, Type: "bucket", Name: "one-name"})
		return err
	},
}

func acted(ctx context.Context, as *loamclient.Client, at, operation string) error {
	_, err := loamclient.Act[any](ctx, as, at, operation, loamapi.Input{})
	return err
}

// TestLoamDoesWhatIsDecided changes rules at random and has people try things in Loam: what the core allows is done, what it
// denies is refused, and denied as not there where they do not see it.
func TestLoamDoesWhatIsDecided(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	rowan := b.As(t, "rowan@lindenmere")
	ctx := t.Context()
	b.Grant(t, "content-keeper", "user", "rowan", "lindenmere")
	const machine, other = alpine + "/vent-controller.machine", trial + "/trial-scans.bucket"
	places := map[string][]string{"machine": {machine}, "bucket": {sensorLog, other}, "object": {sensorLog, other}, "create": {alpine, trial}}
	for _, bucket := range places["object"] {
		require.NoError(t, tries["put object"](ctx, loamclient.Through(rowan), bucket))
	}
	people := []string{"ines", "tomas", "yuki", "sefa"}
	clients := map[string]*loamclient.Client{}
	for _, name := range people {
		clients[name] = loamclient.Through(b.As(t, name+"@lindenmere"))
	}
	scope, err := rowan.ShowScope(ctx, "lindenmere")
	require.NoError(t, err)
	top, err := model.ParseID(scope.Id)
	require.NoError(t, err)
	done, refused, unseen, made := 0, 0, 0, 0
	var permissions []string
	for permission := range tries {
		permissions = append(permissions, permission)
	}
	rapid.Check(t, func(r *rapid.T) {
		pick := func(from ...string) string { return rapid.SampledFrom(from).Draw(r, "pick") }
		made++
		at := pick("lindenmere", glasshouses, alpine, trial, vault)
		who := api.PrincipalRef{Kind: "user", Name: pick(people...)}
		switch rapid.IntRange(0, 3).Draw(r, "rule") {
		case 0, 1:
			err = client.Done(rowan.CreateGrant(ctx, at, api.GrantNew{Principal: who, Role: pick("observer", "operator", "storage-builder", "compute-builder", "content-reader", "content-writer")}))
		case 2:
			cut := fmt.Sprintf(pick("user %s may never modify anything", "user %s may never observe data of storage", "user %s may only observe anything", "user %s may never do anything"), who.Name)
			err = client.Done(rowan.CreatePolicyAt(ctx, at, api.PolicyNew{Name: fmt.Sprint("cut-", made), Text: cut}))
		default:
			var list api.GrantList
			if list, err = rowan.ListGrants(ctx, at, nil); err == nil {
				for _, g := range list.Grants {
					if g.Principal == who && !g.Inherited {
						require.NoError(r, client.Done(rowan.RevokeGrant(ctx, g.Id, nil)))
					}
				}
			}
		}
		var problem *client.Error
		if err != nil {
			require.ErrorAs(r, err, &problem)
			require.Equal(r, http.StatusConflict, problem.Status, problem.Detail) // the very same grant is there
		}
		for range 6 {
			name, permission := pick(people...), pick(permissions...)
			operation, typ, _ := strings.Cut(permission, " ")
			if operation == "create" {
				typ = operation
			}
			place := pick(places[typ]...)
			now, err := b.Service.Snapshot(ctx, top)
			require.NoError(r, err)
			subject, _ := now.PrincipalNamed(model.User, name)
			found, err := now.Resolve(place, nil)
			require.NoError(r, err)
			context := &access.Context{Time: b.Service.Now(), IP: netip.MustParseAddr("127.0.0.1")}
			allowed := now.Decide(access.Question{Principal: subject.ID, Permission: now.Catalogue().MustPermission(permission), Scope: found.Scope.ID, Context: context}).Allowed
			sees := now.View(subject.ID, context).Sees(found.Scope.ID)

			err = tries[permission](ctx, clients[name], place)
			status := http.StatusOK
			if err != nil {
				require.ErrorAs(r, err, &problem)
				status = problem.Status
			}
			switch {
			case allowed:
				done++
				require.Contains(r, []int{http.StatusOK, http.StatusConflict}, status, "%s may %s at %s: %v", name, permission, place, err)
			case sees:
				refused++
				require.Equal(r, http.StatusForbidden, status, "%s may not %s at %s: %v", name, permission, place, err)
			default:
				unseen++
				require.Equal(r, http.StatusNotFound, status, "%s does not see %s: %v", name, place, err)
			}
		}
	})
	require.Positive(t, done)
	require.Positive(t, refused)
	require.Positive(t, unseen)
}
