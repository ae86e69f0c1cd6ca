package e2e

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/testbed"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/standin/loam/loamclient"
)

// TestWhatPlatformServicesRefuseIsRecorded tries in Loam what one may not: what was tried is recorded, what a page shows is not.
func TestWhatPlatformServicesRefuseIsRecorded(t *testing.T) {
	b := testbed.StartDemoWithLoam(t)
	nils := loamclient.Through(b.Newcomer(t, "nils"))
	b.Grant(t, "observer", "user", "nils", digitising)
	_, err := nils.Here(t.Context(), digitising)
	require.NoError(t, err)
	require.Empty(t, recorded(t, b, "refused"), "looking is not trying")
	for range 3 {
		_, err = act(t, nils, scans, "retire", loamapi.Input{})
		testbed.Problem(t, http.StatusForbidden, err)
	}
	require.Equal(t, []string{`lindenmere service storage for user nils: lacked the permission "retire bucket" at ` + scans}, recorded(t, b, "refused"))
	_, err = act(t, nils, digitising+"/nowhere.bucket", "retire", loamapi.Input{})
	require.Error(t, err)
	require.Len(t, recorded(t, b, "refused"), 1, "what is not there was refused to nobody")
}
