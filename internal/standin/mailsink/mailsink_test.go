package mailsink

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestLinksInLetters sees that addresses in a letter can be followed, and that nothing else in it is taken for HTML.
func TestLinksInLetters(t *testing.T) {
	require.Equal(t, `Open <a href="http://localhost:8420/#/link/a&amp;b">http://localhost:8420/#/link/a&amp;b</a> now &lt;b&gt;`,
		string(linked("Open http://localhost:8420/#/link/a&b now <b>")))
	require.Equal(t, "none", string(linked("none")))
}
