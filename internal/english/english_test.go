package english

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestNearest(t *testing.T) {
	known := []string{"observer", "operator", "builder", "app", "restore", "destroy"}
	for word, want := range map[string]string{
		"obsever": "observer", "destory": "destroy", "restroe": "restore", "observre": "observer", "bilder": "builder", "ap": "app", "xyz": "", "steward": "", "": "",
	} {
		t.Run(word, func(t *testing.T) {
			require.Equal(t, want, Nearest(word, known), word)
		})
	}
}
