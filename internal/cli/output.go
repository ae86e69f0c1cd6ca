package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"
	"unicode"

	"github.com/goccy/go-yaml"
	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/urfave/cli/v3"
	"golang.org/x/term"
)

// listing is what a command prints: rows for people and spreadsheets, the value behind them for programs.
type listing struct {
	columns []string
	rows    [][]string
	// flatColumns and flat are what a spreadsheet gets in place of columns and rows, with one thing in each cell; none for the same.
	flatColumns []string
	flat        [][]string
	empty       string // said to people instead of a table without rows
	value       any
}

var forms = []string{"table", "json", "yaml", "csv"}

func checkOutput(form string) error {
	for _, known := range forms {
		if form == known {
			return nil
		}
	}
	return usage("--output %s is not known: use table, json, yaml or csv", form)
}

// print prints a listing in the form asked for.
func (a *app) print(c *cli.Command, l listing) error {
	if c.String("output") != "table" {
		return a.printValue(c, l)
	}
	if len(l.rows) == 0 {
		_, err := fmt.Fprintln(a.Out, l.empty)
		return err
	}
	_, err := fmt.Fprintln(a.Out, a.render(l))
	return err
}

// render writes a table, no wider than the terminal it is for: cells that are too long go on in the next line.
func (a *app) render(l listing) string {
	w := table.NewWriter()
	style := table.StyleLight
	style.Options = table.Options{SeparateHeader: true}
	style.Format.Header = text.FormatDefault
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "   "
	w.SetStyle(style)
	w.SetColumnConfigs(narrowed(l, a.width()))
	w.AppendHeader(tableRow(l.columns))
	for _, row := range l.rows {
		w.AppendRow(tableRow(row))
	}
	lines := strings.Split(w.Render(), "\n")
	for i, line := range lines {
		lines[i] = strings.TrimRight(line, " ")
	}
	return strings.Join(lines, "\n")
}

const (
	gap       = 3  // blanks after a column, the last one too: the line beneath the names is drawn over them
	narrowest = 12 // a column is not made narrower than this
)

// narrowed returns the widths that columns are cut to so that all fit into a width; 0 is any.
func narrowed(l listing, width int) []table.ColumnConfig {
	widths := make([]int, len(l.columns))
	total := 0
	for i, column := range l.columns {
		widths[i] = text.StringWidthWithoutEscSequences(column)
		for _, row := range l.rows {
			widths[i] = max(widths[i], text.LongestLineLen(row[i]))
		}
		total += widths[i] + gap
	}
	if width == 0 || total <= width {
		return nil
	}
	var cut []table.ColumnConfig
	for over := total - width; over > 0; over-- {
		widest := slices.Index(widths, slices.Max(widths))
		if widths[widest] <= narrowest {
			break
		}
		widths[widest]--
	}
	for i, w := range widths {
		cut = append(cut, table.ColumnConfig{Number: i + 1, WidthMax: w, WidthMaxEnforcer: wrapCell})
	}
	return cut
}

// wrapCell wraps a cell to a width between words, and a long address after its slashes.
func wrapCell(cell string, width int) string {
	words := strings.Split(cell, " ")
	for i, word := range words {
		words[i] = ""
		for text.StringWidthWithoutEscSequences(word) > width {
			at := strings.LastIndex(text.Trim(word, width), "/") + 1
			if at == 0 {
				break
			}
			words[i] += word[:at] + "\n"
			word = word[at:]
		}
		words[i] += word
	}
	return text.WrapSoft(strings.Join(words, " "), width)
}

// width returns how wide the terminal is that is written to; 0 when it is none.
func (a *app) width() int {
	file, ok := a.Out.(*os.File)
	if !ok || !term.IsTerminal(int(file.Fd())) {
		return 0
	}
	width, _, err := term.GetSize(int(file.Fd()))
	if err != nil {
		return 0 // a terminal that does not say how wide it is
	}
	return width
}

func tableRow(cells []string) table.Row {
	row := make(table.Row, len(cells))
	for i, cell := range cells {
		row[i] = printable(cell)
	}
	return row
}

// printable shows control characters as they are written in Go: what somebody chose as a title or description does not steer
// the terminal of whoever reads it.
func printable(text string) string {
	if !strings.ContainsFunc(text, steers) {
		return text
	}
	var b strings.Builder
	for _, r := range text {
		if steers(r) {
			b.WriteString(strings.Trim(strconv.QuoteRuneToASCII(r), "'"))
		} else {
			b.WriteRune(r)
		}
	}
	return b.String()
}

func steers(r rune) bool {
	return r != '\n' && r != '\t' && (unicode.IsControl(r) || unicode.In(r, unicode.Bidi_Control))
}

// inert has a spreadsheet take a cell for text: what begins like a formula gets an apostrophe before it.
func inert(cells []string) []string {
	safe := make([]string, len(cells))
	for i, cell := range cells {
		if safe[i] = cell; cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
			safe[i] = "'" + cell
		}
	}
	return safe
}

// printValue prints a listing for programs.
func (a *app) printValue(c *cli.Command, l listing) error {
	switch c.String("output") {
	case "csv":
		w := csv.NewWriter(a.Out)
		columns, rows := l.columns, l.rows
		if l.flatColumns != nil {
			columns, rows = l.flatColumns, l.flat
		}
		if err := w.Write(columns); err != nil {
			return err
		}
		for _, row := range rows {
			if err := w.Write(inert(row)); err != nil {
				return err
			}
		}
		w.Flush()
		return w.Error()
	case "yaml":
		return yaml.NewEncoder(a.Out, yaml.UseJSONMarshaler()).Encode(l.value)
	}
	return writeJSON(a.Out, l.value)
}

func writeJSON(w io.Writer, value any) error {
	e := json.NewEncoder(w)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(value)
}

// fact is one line about a single thing.
type fact struct{ name, value string }

// printFacts prints a single thing as lines of name and value; facts without a value are left out.
func (a *app) printFacts(c *cli.Command, value any, facts ...fact) error {
	l := listing{value: value}
	var row []string
	width := 0
	for _, f := range facts {
		l.columns, row = append(l.columns, f.name), append(row, f.value)
		width = max(width, len(f.name))
	}
	l.rows = [][]string{row}
	if c.String("output") != "table" {
		return a.printValue(c, l)
	}
	for _, f := range facts {
		if f.value == "" {
			continue
		}
		if _, err := fmt.Fprintf(a.Out, "%-*s   %s\n", width, f.name, printable(f.value)); err != nil {
			return err
		}
	}
	return nil
}

// say tells people, and only people, something beside what was asked for.
func (a *app) say(c *cli.Command, format string, values ...any) {
	if c.String("output") == "table" {
		fmt.Fprintln(a.Out, printable(fmt.Sprintf(format, values...)))
	}
}

// prose prints sentences, on a terminal wrapped between words.
func (a *app) prose(c *cli.Command, sentences string) {
	if width := a.width(); width > 0 {
		sentences = wrapCell(sentences, width)
	}
	a.say(c, "%s", sentences)
}

// section prints a heading and a listing beneath a single thing.
func (a *app) section(c *cli.Command, heading string, l listing) {
	if c.String("output") != "table" {
		return
	}
	if len(l.rows) == 0 {
		fmt.Fprintf(a.Out, "\n%s: %s\n", heading, l.empty)
		return
	}
	fmt.Fprintf(a.Out, "\n%s\n%s\n", heading, a.render(l))
}

func moment(t time.Time) string {
	if inUTC.Load() {
		t = t.UTC()
	} else {
		t = t.Local()
	}
	return t.Format("2006-01-02 15:04Z07:00")
}

// inUTC has moments written in UTC, as the whole of a command line asks for.
var inUTC atomic.Bool

func choose(b bool, yes, no string) string {
	if b {
		return yes
	}
	return no
}
