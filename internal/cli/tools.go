package cli

import (
	"fmt"
	"io"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/client"
)

// Tools are what commands of other packages share with those of this one: saved sign-ins, and how answers are printed.
type Tools struct{ app *app }

// Listing is a table to be printed. Value is what is printed in its place in another form, such as JSON; Empty when there are no rows.
type Listing struct {
	Columns []string
	Rows    [][]string
	Empty   string
	Value   any
}

func (l Listing) inner() listing {
	return listing{columns: l.Columns, rows: l.Rows, empty: l.Empty, value: l.Value}
}

// Fact is a line of what is told of one thing.
type Fact struct{ Name, Value string }

// ErrNo ends a command whose answer is no, with the status [No].
var ErrNo = errNo

// UsageError returns the error of a command line that cannot be run, which ends with the status 2.
func UsageError(format string, values ...any) error { return usage(format, values...) }

// Moment writes a moment as all commands do.
func Moment(t time.Time) string { return moment(t) }

// Printable returns text without what would steer a terminal.
func Printable(text string) string { return printable(text) }

// Open returns a client that acts by the sign-in the command is to act with, and exactly the arguments it takes, by their names.
func (t Tools) Open(c *cli.Command, names ...string) (*client.Client, []string, error) {
	s, given, err := t.app.open(c, names...)
	return s.Client, given, err
}

// At returns a client as [Tools.Open] does, and the address in the only argument or the organisation without one.
func (t Tools) At(c *cli.Command) (*client.Client, string, error) {
	s, address, err := t.app.at(c)
	return s.Client, address, err
}

// In is what is typed or piped in; Out takes what is printed as it is.
func (t Tools) In() io.Reader { return t.app.lines }

// Out takes what is printed as it is.
func (t Tools) Out() io.Writer { return t.app.Out }

// Terminal reports whether output goes to a terminal.
func (t Tools) Terminal() bool { return t.app.width() > 0 }

// Say prints a sentence, where output is for people.
func (t Tools) Say(c *cli.Command, format string, values ...any) {
	t.app.say(c, "%s", fmt.Sprintf(format, values...))
}

// Print prints a listing in the form that is wanted.
func (t Tools) Print(c *cli.Command, l Listing) error { return t.app.print(c, l.inner()) }

// Section prints a heading and a listing beneath a single thing.
func (t Tools) Section(c *cli.Command, heading string, l Listing) {
	t.app.section(c, heading, l.inner())
}

// Facts prints what is told of one thing; those without a value are left out.
func (t Tools) Facts(c *cli.Command, value any, facts ...Fact) error {
	inner := make([]fact, len(facts))
	for i, f := range facts {
		inner[i] = fact{f.Name, f.Value}
	}
	return t.app.printFacts(c, value, inner...)
}

// Value prints a value in a form for programs, and nothing for people.
func (t Tools) Value(c *cli.Command, value any) error { return t.app.valueOnly(c, value) }
