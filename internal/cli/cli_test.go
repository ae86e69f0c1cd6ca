package cli

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/adrg/xdg"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/stretchr/testify/require"
	"github.com/urfave/cli/v3"
	"pgregory.net/rapid"

	"arbora.example/api"
)

// TestTablesFitTheirTerminal draws tables of any widths for terminals of any width: a table that fits is left as it is, one
// that does not is cut where it is widest, no column is made narrower than can be read, and no word is lost.
func TestTablesFitTheirTerminal(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		words := rapid.SliceOfN(rapid.StringMatching(`[a-zä]{1,30}`), 1, 8)
		columns := rapid.IntRange(1, 6).Draw(r, "columns")
		l := listing{}
		for range columns {
			l.columns = append(l.columns, rapid.StringMatching(`[A-Z][a-z]{0,11}`).Draw(r, "column"))
		}
		for range rapid.IntRange(1, 5).Draw(r, "rows") {
			row := make([]string, columns)
			for i := range row {
				row[i] = strings.Join(words.Draw(r, "cell"), " ")
			}
			l.rows = append(l.rows, row)
		}
		natural := make([]int, columns)
		total := 0
		for i := range natural {
			natural[i] = text.StringWidthWithoutEscSequences(l.columns[i])
			for _, row := range l.rows {
				natural[i] = max(natural[i], text.LongestLineLen(row[i]))
			}
			total += natural[i] + gap
		}
		require.Empty(r, narrowed(l, 0), "no terminal, no cutting")
		require.Empty(r, narrowed(l, total), "it fits")
		width := rapid.IntRange(20, 200).Draw(r, "width")
		cut := narrowed(l, width)
		if total <= width {
			require.Empty(r, cut)
			return
		}
		require.Len(r, cut, columns)
		now, tight := 0, true
		for i, c := range cut {
			require.LessOrEqual(r, c.WidthMax, natural[i])
			require.GreaterOrEqual(r, c.WidthMax, min(natural[i], narrowest))
			now += c.WidthMax + gap
			tight = tight && c.WidthMax <= narrowest
		}
		require.True(r, now <= width || tight, "%d wide for %d", now, width)
		drawn := (&app{Streams: Streams{Out: &bytes.Buffer{}}}).render(l)
		for _, row := range l.rows {
			for _, word := range strings.Fields(strings.Join(row, " ")) {
				require.Contains(r, drawn, word)
			}
		}
		for line := range strings.SplitSeq(drawn, "\n") {
			require.Equal(r, strings.TrimRight(line, " "), line, "no blanks at the end of a line")
		}
	})
}

// TestWordsOfImpacts reads how names and permissions are told.
func TestWordsOfImpacts(t *testing.T) {
	for want, names := range map[string][]string{
		"": nil, "ines": {"ines"}, "ines, piotr, yuki": {"ines", "piotr", "yuki"},
		"ines, piotr, yuki,\nsefa": {"ines", "piotr", "yuki", "sefa"}, "a, b, c,\nd, e, f,\ng": {"a", "b", "c", "d", "e", "f", "g"},
	} {
		t.Run(want, func(t *testing.T) {
			require.Equal(t, want, wrapped(names))
		})
	}
	for want, permissions := range map[string][]string{
		"": nil, "fetch object": {"fetch object"}, "fetch object, list object": {"fetch object", "list object"},
		"fetch object, list object and 2 more": {"fetch object", "list object", "put object", "erase object"},
	} {
		t.Run(want, func(t *testing.T) {
			require.Equal(t, want, permissionsText(permissions))
		})
	}
	require.Equal(t, "a b", effectText([]string{"a b"}, nil, nil, ""))
	require.Equal(t, "under a condition a b", effectText(nil, []string{"a b"}, nil, ""))
	require.Equal(t, "a b; under a condition c d", effectText([]string{"a b"}, []string{"c d"}, nil, ""))
	require.Equal(t, "always c d", effectText(nil, []string{"c d"}, []string{"c d"}, "always"))
	require.Empty(t, effectText(nil, nil, nil, ""))
	require.Equal(t, "public", whoText(api.PrincipalRef{Kind: api.SetKind, Name: "public"}))
	require.Equal(t, "service account a/b", whoText(api.PrincipalRef{Kind: api.ServiceAccountKind, Name: "a/b"}))
	for _, part := range []api.Part{api.Whole, api.Alone, api.Beneath} {
		require.NotEmpty(t, partWords[part])
	}
}

// TestPartsOfRoles reads what --include says: each part once, of one word or several.
func TestPartsOfRoles(t *testing.T) {
	read := func(texts ...string) (found []api.RoleFilter, err error) {
		command := &cli.Command{
			Name: "x", Writer: &bytes.Buffer{}, ErrWriter: &bytes.Buffer{}, DisableSliceFlagSeparator: true,
			Flags:  []cli.Flag{&cli.StringSliceFlag{Name: "include"}},
			Action: func(_ context.Context, c *cli.Command) error { found, err = filters(c, "include"); return nil },
		}
		arguments := []string{"x"}
		for _, text := range texts {
			arguments = append(arguments, "--include", text)
		}
		require.NoError(t, command.Run(t.Context(), arguments))
		return found, err
	}
	list := func(words ...string) []string { return words }
	found, err := read("service=storage plane=data class=observe,modify", "type=bucket operation=list")
	require.NoError(t, err)
	require.Equal(t, []api.RoleFilter{
		{Services: list("storage"), Planes: list("data"), Classes: list("observe", "modify")}, {Types: list("bucket"), Operations: list("list")},
	}, found)
	found, err = read()
	require.NoError(t, err)
	require.Empty(t, found)
	for text, says := range map[string]string{
		"colour=red": `"colour=red" is not a part`, "storage": `"storage" is not a part`, "service=": `"service=" is not a part`, "=storage": `"=storage" is not a part`,
		"class=observe class=modify": "says class= twice: write what may match as class=ONE,OTHER",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := read(text)
			require.ErrorContains(t, err, says)
			require.ErrorAs(t, err, new(usageError))
		})
	}
}

// TestSavedSignIns keeps sign-ins in a file of one's own, picks them by name, and tells what to do when it cannot be read.
func TestSavedSignIns(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	xdg.Reload()
	t.Cleanup(xdg.Reload)
	none, err := readSignIns()
	require.NoError(t, err)
	require.Empty(t, none.Saved)
	_, err = none.pick("")
	require.ErrorIs(t, err, errNotSignedIn)

	file := signIns{Default: "rowan", Saved: map[string]savedSignIn{"rowan": {Server: "http://a", Token: "t"}, "indexer": {Server: "http://a", Key: "k", Secret: "s"}}}
	require.NoError(t, file.write())
	again, err := readSignIns()
	require.NoError(t, err)
	require.Equal(t, file, again)
	require.Equal(t, []string{"indexer", "rowan"}, again.names())
	for name, token := range map[string]string{"": "t", "rowan": "t", "indexer": ""} {
		t.Run(name, func(t *testing.T) {
			picked, err := again.pick(name)
			require.NoError(t, err)
			require.Equal(t, token, picked.Token)
		})
	}
	_, err = again.pick("rowna")
	require.ErrorContains(t, err, "did you mean rowan?")
	_, err = again.pick("somebody else altogether")
	require.ErrorContains(t, err, "arbora sign-ins lists them")
	about, err := os.Stat(signInsFile())
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), about.Mode().Perm(), "it holds secrets")
	left, err := filepath.Glob(filepath.Join(filepath.Dir(signInsFile()), "*"))
	require.NoError(t, err)
	require.Len(t, left, 1, "nothing is left of how it was written")

	require.NoError(t, os.WriteFile(signInsFile(), []byte(`{"saved": `), 0o600))
	_, err = readSignIns()
	require.ErrorContains(t, err, "are damaged")
	require.ErrorContains(t, err, "remove the file and sign in again")
	require.NoError(t, os.Remove(signInsFile()))
	require.NoError(t, os.Mkdir(signInsFile(), 0o700))
	_, err = readSignIns()
	require.ErrorContains(t, err, "cannot be read")
}

// TestAddressesBreakAfterSlashes wraps cells: between words, long addresses after a slash, and the rest where it must be.
func TestAddressesBreakAfterSlashes(t *testing.T) {
	for _, c := range []struct{ cell, wrapped string }{
		{"", ""},
		{"operator", "operator"},
		{"group glasshouse-engineers", "group\nglasshouse-engineers"},
		{"lindenmere/gardens", "lindenmere/gardens"},
		{"lindenmere/gardens/glasshouses/alpine-house", "lindenmere/gardens/\nglasshouses/\nalpine-house"},
		{"lindenmere/science/seedbank", "lindenmere/science/\nseedbank"},
		{"at lindenmere/science/seedbank alone", "at\nlindenmere/science/\nseedbank alone"},
		{"two\nlines", "two\nlines"},
	} {
		t.Run(c.cell, func(t *testing.T) {
			got := trimmed(wrapCell(c.cell, 20))
			require.Equal(t, c.wrapped, got)
			bare := strings.NewReplacer("\n", "", " ", "")
			require.Equal(t, bare.Replace(c.cell), bare.Replace(got), "nothing is lost")
		})
	}
}

// trimmed takes the blanks off the ends of lines.
func trimmed(text string) string {
	lines := strings.Split(text, "\n")
	for i := range lines {
		lines[i] = strings.TrimRight(lines[i], " ")
	}
	return strings.Join(lines, "\n")
}

func TestMinutesAreWrittenAsTheyAreGiven(t *testing.T) {
	for minutes, want := range map[int]string{5: "5m", 50: "50m", 60: "1h", 90: "1h30m", 720: "12h", 10080: "168h"} {
		require.Equal(t, want, minutesWords(minutes))
	}
}
