package server

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/internal/tenant"
)

// TestEventsAreWrittenAsTheContractSays writes news of all kinds as package encoding/json writes the contract's type.
func TestEventsAreWrittenAsTheContractSays(t *testing.T) {
	for _, texts := range [][]string{nil, {"scope"}, {"grant", `"<odd>"`, "Ångström"}} {
		for flags := range 4 {
			n := tenant.News{Revision: uint64(flags) * 1000, Kinds: texts, Places: texts, Beyond: flags&1 != 0, Mine: flags&2 != 0}
			data, err := json.Marshal(api.News{Revision: int64(n.Revision), Kinds: n.Kinds, Places: n.Places, Beyond: n.Beyond, Mine: n.Mine})
			require.NoError(t, err)
			require.Equal(t, fmt.Sprintf("id: %d\nevent: revision\ndata: %s\n\n", n.Revision, data), string(appendEvent(nil, &n)))
		}
	}
}

// TestStreamsTellInTurn has few streams tell at once and many spread out, each at moments of its own.
func TestStreamsTellInTurn(t *testing.T) {
	now := time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	require.Zero(t, untilOwnMoment(now, 0, 0.5))
	for _, c := range []struct {
		streams int
		most    time.Duration
	}{{1, 50 * time.Microsecond}, {100, 5 * time.Millisecond}, {5000, 250 * time.Millisecond}, {1_000_000, gatherMost}} {
		for _, own := range []float64{0, 0.3, 0.999} {
			wait := untilOwnMoment(now, c.streams, own)
			require.GreaterOrEqual(t, wait, time.Duration(0))
			require.Less(t, wait, c.most)
			next := untilOwnMoment(now.Add(wait+time.Nanosecond), c.streams, own)
			require.InDelta(t, c.most, next+time.Nanosecond, 2, "a period later")
		}
	}
}
