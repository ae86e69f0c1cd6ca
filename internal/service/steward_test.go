package service_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestFirstStewardIsReset loses the first password of an organisation: a keeper has another made until the steward has
// chosen their own, and from then on only the host has.
func TestFirstStewardIsReset(t *testing.T) {
	t.Parallel()
	b := testbed.InMemory(t)
	keeper, err := demo.SignIn(t.Context(), b.Address, demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	temporary := true
	made, err := keeper.CreateOrganisation(t.Context(), api.OrganisationNew{Name: "meadowside", Steward: api.UserNew{Name: "ines", Temporary: &temporary}})
	require.NoError(t, err)

	reset, err := keeper.ResetFirstSteward(t.Context(), "meadowside")
	require.NoError(t, err)
	require.Equal(t, "ines@meadowside", reset.SignIn)
	require.NotEqual(t, made.Password, reset.Password)
	_, err = demo.SignIn(t.Context(), b.Address, "ines@meadowside", made.Password)
	require.Error(t, err, "the lost one opens nothing any more")
	ines, err := demo.SignIn(t.Context(), b.Address, "ines@meadowside", reset.Password)
	require.NoError(t, err)
	testbed.Problem(t, 403, client.Done(b.As(t, "rowan@lindenmere").ResetFirstSteward(t.Context(), "meadowside")))
	testbed.Problem(t, 404, client.Done(keeper.ResetFirstSteward(t.Context(), "nowhere")))

	require.NoError(t, client.Done(ines.ChoosePassword(t.Context(), api.PasswordChoice{Current: reset.Password, New: "wagtails by the weir"})))
	p := testbed.Problem(t, 409, client.Done(keeper.ResetFirstSteward(t.Context(), "meadowside")))
	require.Contains(t, p.Next, "arbora reset-steward")

	host, err := b.Service.ResetSteward(t.Context(), "meadowside", "ines")
	require.NoError(t, err)
	_, err = demo.SignIn(t.Context(), b.Address, "ines@meadowside", host.Password)
	require.NoError(t, err)
	_, err = b.Service.ResetSteward(t.Context(), "meadowside", "nobody")
	require.ErrorContains(t, err, "steward of meadowside")
	records, err := b.As(t, "rowan@lindenmere").ListAuditRecords(t.Context(), "lindenmere", &api.ListAuditRecordsParams{})
	require.NoError(t, err)
	for _, r := range records.Records {
		require.NotContains(t, r.Detail, "steward ines", "another organisation's log says nothing of it")
	}
}
