package cli

import (
	"bytes"
	"context"
	"encoding/csv"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/urfave/cli/v3"
	"pgregory.net/rapid"

	"arbora.example/api"
	"arbora.example/client"
)

// hostile are texts that a person could choose as a title or description to steer a terminal or a spreadsheet.
var hostile = []string{"\x1b[2J", "\x1b]0;owned\x07", "\u009b31m", "a\rb", "\u202eevil", "\x00", "\x7f"}

// TestTextsDoNotSteerTheTerminal prints hostile texts in tables, sentences and errors.
func TestTextsDoNotSteerTheTerminal(t *testing.T) {
	for _, text := range hostile {
		var errs bytes.Buffer
		a := &app{Streams: Streams{Out: &bytes.Buffer{}, Err: &errs}}
		a.finish(&client.Error{Problem: api.Problem{Detail: "there is no " + text, Next: text}})
		table := a.render(listing{columns: []string{"Title"}, rows: [][]string{{text}}})
		var facts bytes.Buffer
		a.Out = &facts
		require.NoError(t, (&cli.Command{
			Flags:  []cli.Flag{&cli.StringFlag{Name: "output", Value: "table"}},
			Action: func(_ context.Context, c *cli.Command) error { return a.printFacts(c, nil, fact{"Title", text}) },
		}).Run(t.Context(), []string{"show"}))
		for _, shown := range []string{table, errs.String(), facts.String(), printable(text)} {
			require.NotContains(t, shown, text, "%q", text)
		}
	}
	rapid.Check(t, func(r *rapid.T) {
		for _, letter := range printable(rapid.String().Draw(r, "text")) {
			require.False(r, steers(letter), "%q", letter)
		}
	})
	require.Equal(t, "Gärten, 植物園 1\n\tnorth", printable("Gärten, 植物園 1\n\tnorth"), "what people write stays")
}

// TestSpreadsheetsTakeCellsForText writes cells that a spreadsheet would take for formulas.
func TestSpreadsheetsTakeCellsForText(t *testing.T) {
	for _, cell := range []string{"=1+1", "+1", "-1", "@sum", "\t=1", "\r=1"} {
		var text bytes.Buffer
		w := csv.NewWriter(&text)
		require.NoError(t, w.Write(inert([]string{cell, "plain"})))
		w.Flush()
		rows, err := csv.NewReader(&text).ReadAll()
		require.NoError(t, err)
		require.Equal(t, "'", rows[0][0][:1], "%q", cell)
		require.Equal(t, "plain", rows[0][1])
	}
}
