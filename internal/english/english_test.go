package english

import (
	"testing"

	"github.com/test-go/testify/require"
)

func TestNearest(t *testing.T) {
	known := []string{"observer", "operator", "builder", "app"}
	for word, want := range map[string]string{
		"obsever": "observer", "observre": "observer", "bilder": "builder", "ap": "app", "xyz": "", "steward": "", "": "",
	} {
		t.Run(word, func(t *testing.T) {
			require.Equal(t, want, Nearest(word, known), word)
		})
	}
}
