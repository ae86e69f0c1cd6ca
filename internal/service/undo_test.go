package service_test

import (
	"context"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

type undoing struct {
	*testing.T
	who *client.Client
	b   *testbed.Bed
	top model.ID
}

func (u undoing) undo(revision string) (api.Undone, error) {
	return u.who.UndoChange(u.Context(), "lindenmere", revision, nil)
}

// madeOf tells all that the organisation is made of.
func (u undoing) madeOf() string {
	now, err := u.b.Service.Snapshot(u.Context(), u.top)
	require.NoError(u, err)
	return madeOf(u.T, now)
}

func (u undoing) do(_ any, err error) { require.NoError(u, err) }

func startUndoing(t *testing.T) undoing {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan := b.As(t, "rowan@lindenmere")
	top, err := rowan.ShowScope(t.Context(), "lindenmere")
	require.NoError(t, err)
	id, err := model.ParseID(top.Id)
	require.NoError(t, err)
	return undoing{t, rowan, b, id}
}

// lastTold returns the fields that the newest record of a change tells of.
func (u undoing) lastTold(t *testing.T) (fields []api.FieldChanged) {
	list, err := u.who.ListAuditRecords(t.Context(), "lindenmere", &api.ListAuditRecordsParams{Event: "change", Limit: 1})
	require.NoError(t, err)
	told, err := u.who.DescribeAuditRecord(t.Context(), "lindenmere", list.Records[0].Number)
	require.NoError(t, err)
	require.Equal(t, list.Records[0], told.Record)
	for _, thing := range told.Things {
		require.NotEmpty(t, thing.What)
		fields = append(fields, thing.Fields...)
	}
	require.NotEmpty(t, fields)
	return fields
}

// TestUndoing makes one change of each kind through the API and undoes it: the organisation is made of just what it was made of
// before, and once more undone, of what it was made of after.
func TestUndoing(t *testing.T) {
	u := startUndoing(t)
	ctx := t.Context()
	written, err := u.who.CreatePolicyAt(ctx, "lindenmere", api.PolicyNew{Name: "tree-watch", Text: "curators may observe tree", Description: "who looks after it"})
	require.NoError(t, err)
	policy := written.Policy
	grant := u.b.Grant(t, "observer", "user", "sefa", alpine)
	given, err := u.who.CreateGrant(ctx, alpine, api.GrantNew{Role: "operator", Principal: api.PrincipalRef{Kind: "user", Name: "ines"}, Description: "until spring"})
	require.NoError(t, err)
	u.do(u.who.CreateRole(ctx, "lindenmere", api.RoleNew{Name: "label-writer", Include: []api.RoleFilter{{Types: []string{"bucket"}}}}))
	for what, change := range map[string]func() (any, error){
		"edited grant": func() (any, error) {
			return u.who.EditGrant(ctx, given.Grant.Id, nil, api.GrantEdit{Condition: ptr(`context.location is "north"`), Description: ptr("at the bench")})
		},
		"grant": func() (any, error) {
			return u.who.CreateGrant(ctx, alpine, api.GrantNew{Role: "builder", Principal: api.PrincipalRef{Kind: "user", Name: "sefa"}, Description: "for the summer"})
		},
		"revocation": func() (any, error) { return u.who.RevokeGrant(ctx, grant, nil) },
		"membership": func() (any, error) {
			return u.who.AddMember(ctx, "lindenmere", "curators", nil, api.PrincipalRef{Kind: "user", Name: "sefa"})
		},
		"suspension": func() (any, error) {
			return u.who.SetState(ctx, "lindenmere", "user", "sefa", nil, api.StateChange{State: "suspended"})
		},
		"person": func() (any, error) {
			return u.who.EditPrincipal(ctx, "lindenmere", "user", "sefa", nil, api.PrincipalEdit{Name: ptr("sefa-b"), Title: ptr("Sefa B."), Tags: &api.Tags{"desk": "two"}})
		},
		"scope": func() (any, error) {
			return u.who.ReshapeScopes(ctx, "lindenmere", nil, api.Reshaping{Scopes: []string{trailGuide}, Name: ptr("trails"), Title: ptr("Trails"), To: "lindenmere/science", Tags: api.Tags{"care": "low"}})
		},
		"retirement": func() (any, error) {
			return u.who.ReshapeScopes(ctx, "lindenmere", nil, api.Reshaping{Scopes: []string{trailGuide}, State: api.ScopeRetired})
		},
		"services": func() (any, error) {
			return u.who.OfferServices(ctx, alpine, nil, api.Offer{Services: &[]string{"storage", "compute", "networking"}})
		},
		"policy": func() (any, error) { return u.who.RemovePolicy(ctx, policy.Id, nil) },
		"policy out of use": func() (any, error) {
			return u.who.SetPolicyState(ctx, policy.Id, nil, api.PolicyStateChange{State: api.SuspendedPolicy})
		},
		"text": func() (any, error) {
			return u.who.EditPolicyText(ctx, policy.Id, nil, api.PolicyEdit{Text: ptr("staff may observe tree"), Description: ptr("all of it")})
		},
		"role": func() (any, error) {
			return u.who.RemoveRole(ctx, "lindenmere", "label-writer", nil)
		},
	} {
		t.Run(what, func(t *testing.T) {
			u := undoing{t, u.who, u.b, u.top}
			before := u.madeOf()
			u.do(change())
			after := u.madeOf()
			require.NotEqual(t, before, after)
			told := u.lastTold(t)
			first, err := u.undo("last")
			require.NoError(t, err)
			require.Equal(t, "rowan@lindenmere", first.Undid.By)
			require.Equal(t, first.Revision-1, first.Undid.Revision)
			require.Equal(t, before, u.madeOf(), first.Undid.What)
			back := u.lastTold(t)
			for i, f := range back {
				back[i].Before, back[i].After = f.After, f.Before
			}
			require.ElementsMatch(t, told, back, "the log tells each field before and after; undoing tells them the other way round")
			again, err := u.undo("last")
			require.NoError(t, err, "what undid it is undone like anything else")
			require.Contains(t, again.Undid.What, first.Undid.What)
			require.Equal(t, after, u.madeOf())
			_, err = u.undo("last")
			require.NoError(t, err)
			require.Equal(t, before, u.madeOf())
		})
	}
	grants, err := u.who.ListGrants(ctx, alpine, nil)
	require.NoError(t, err)
	for _, g := range grants.Grants {
		require.False(t, g.Id == grant && g.Scope.Address != alpine, "a grant comes back under its id")
	}
	person, err := u.who.ShowPrincipal(ctx, "lindenmere", "user", "sefa")
	require.NoError(t, err)
	require.NotEqual(t, "Sefa B.", person.Title, "what is said of things comes back, too")
	require.EqualValues(t, "active", person.State)
	for path, id := range map[string]string{"policies": policy.Id} {
		t.Run(path, func(t *testing.T) {
			kept, err := u.who.ShowPolicy(ctx, id)
			require.NoError(t, err, path)
			require.Equal(t, policy.Text, kept.Text)
			require.Equal(t, policy.Description, kept.Description)
		})
	}
}

// TestWhatIsNotUndone: what was changed again since, what only credentials changed, what is not the caller's to know of or to do.
func TestWhatIsNotUndone(t *testing.T) {
	u := startUndoing(t)
	ctx := t.Context()
	revision := func(title string) string {
		written, err := u.who.ReshapeScopes(ctx, "lindenmere", nil, api.Reshaping{Scopes: []string{trailGuide}, Title: &title})
		require.NoError(t, err)
		return decimal(written.Revision)
	}
	first, second := revision("One"), revision("Two")
	_, err := u.undo(first)
	require.Contains(t, testbed.Problem(t, 409, err).Detail, "has been changed again")
	_, err = u.undo(second)
	require.NoError(t, err)
	_, err = u.undo(first)
	require.NoError(t, err, "in the order in which they were made")
	for unknown, status := range map[string]int{"999999": 404, "0": 400, "-1": 400, "first": 400} {
		t.Run(unknown, func(t *testing.T) {
			_, err = u.undo(unknown)
			testbed.Problem(t, status, err)
		})
	}

	// Who did not make it, and may not read the audit log, does not learn that it was made; who may, needs the permissions that it takes.
	ines := undoing{t, u.b.As(t, "ines@lindenmere"), u.b, u.top}
	_, err = ines.undo(second)
	testbed.Problem(t, 404, err)
	_, err = ines.undo("last")
	require.Contains(t, testbed.Problem(t, 404, err).Detail, "you have changed nothing lately")
	u.b.Grant(t, "auditor", "user", "ines", "lindenmere")
	_, err = ines.undo(second)
	require.NotEmpty(t, testbed.Problem(t, 403, err).Permission)

	// Credentials are not undone: a key that was issued is taken back by its own command.
	u.do(u.who.ResetPassword(ctx, "lindenmere", "user", "sefa", nil))
	_, err = u.undo("last")
	require.Contains(t, testbed.Problem(t, 409, err).Detail, "cannot be undone by one command")

	// What was created goes out of use.
	u.do(u.who.CreateScope(ctx, trailGuide, api.ScopeNew{Kind: "resource", Type: "bucket", Name: "leaflets"}))
	_, err = u.undo("last")
	require.NoError(t, err)
	leaflets, err := u.who.ShowScope(ctx, trailGuide+"/leaflets.bucket")
	require.NoError(t, err)
	require.True(t, leaflets.Retired)
	u.do(u.who.CreateUser(ctx, "lindenmere", api.UserNew{Name: "wim", Groups: []string{"curators"}}))
	preview, err := u.who.UndoChange(ctx, "lindenmere", "last", &api.UndoChangeParams{Preview: true})
	require.NoError(t, err)
	require.NotEmpty(t, preview.Impact.Words)
	wim, err := u.who.ShowPrincipal(ctx, "lindenmere", "user", "wim")
	require.NoError(t, err)
	require.EqualValues(t, "active", wim.State, "a preview undoes nothing")
	_, err = u.undo("last")
	require.NoError(t, err)
	wim, err = u.who.ShowPrincipal(ctx, "lindenmere", "user", "wim")
	require.NoError(t, err)
	require.EqualValues(t, "retired", wim.State)

	// The rule on gains holds: what gives back is given by whoever undoes.
	grant := u.b.Grant(t, "steward", "user", "sefa", "lindenmere")
	u.do(u.who.RevokeGrant(ctx, grant, nil))
	now, err := u.who.ShowTree(context.Background(), "lindenmere", nil)
	require.NoError(t, err)
	u.b.Grant(t, "access-manager", "user", "ines", "lindenmere")
	_, err = ines.undo(decimal(now.Revision))
	testbed.Problem(t, 403, err)
}

func decimal(n int64) string { return strconv.FormatInt(n, 10) }
