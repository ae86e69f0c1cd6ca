package tenant_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/tenant"
)

// TestManyAreToldInTurn tells few at once and many spread out, each at moments of its own.
func TestManyAreToldInTurn(t *testing.T) {
	now := time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	require.Zero(t, tenant.Turn(0.5).Wait(now, 0))
	for _, c := range []struct {
		streams int
		most    time.Duration
	}{{1, 50 * time.Microsecond}, {100, 5 * time.Millisecond}, {5000, 250 * time.Millisecond}, {1_000_000, 250 * time.Millisecond}} {
		for _, own := range []tenant.Turn{0, 0.3, 0.999} {
			wait := own.Wait(now, c.streams)
			require.GreaterOrEqual(t, wait, time.Duration(0))
			require.Less(t, wait, c.most)
			next := own.Wait(now.Add(wait+time.Nanosecond), c.streams)
			require.InDelta(t, c.most, next+time.Nanosecond, 2, "a period later")
		}
	}
}
