package server

import (
	"encoding/json"
	"fmt"
	"testing"

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
