package tenant

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/problem"
)

// TestLinesOfText refuses what would break out of a line, or look like something else.
func TestLinesOfText(t *testing.T) {
	for _, fine := range []string{"", "Seed vault", "Öl und Wasser", "日本語", `quotes " and ' and \`, "<b>not markup</b>", "a\u00a0b", "emoji 🌱"} {
		require.NoError(t, CheckLine("title", "the title", fine), "%q", fine)
	}
	for name, wrong := range map[string]string{
		"a new line": "a\nb", "a return": "a\rb", "a tab": "a\tb", "a null": "a\x00b", "an escape": "a\x1b[31mb", "a delete": "a\x7fb", "a line separator": "a\u2028b", "a paragraph separator": "a\u2029b",
		"right to left": "a\u202eb", "an isolate": "a\u2066b", "a mark": "a\u200fb", "not UTF-8": "a\xffb",
	} {
		t.Run(name, func(t *testing.T) {
			err := CheckLine("title", "the title", wrong)
			require.Error(t, err, name)
			var p *problem.Problem
			require.ErrorAs(t, err, &p, name)
			require.Equal(t, "title", p.Field)
			require.NotEmpty(t, p.Next, name)
		})
	}
}
