package cli

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/urfave/cli/v3"
)

// TestEveryCommandHasExamples reads the examples that help shows: two of every command at least, of options that it has, and
// none of a command that is not there.
func TestEveryCommandHasExamples(t *testing.T) {
	a := newApp(Streams{In: strings.NewReader(""), Out: &bytes.Buffer{}, Err: &bytes.Buffer{}})
	root := &cli.Command{Name: "arbora", Commands: a.commands(&cli.Command{Name: "verify", Action: unknownCommand, Flags: []cli.Flag{&cli.StringFlag{Name: "data"}}}), Flags: rootFlags()}
	known := map[string]*cli.Command{}
	onEach(root, func(c *cli.Command) {
		if c.Action != nil {
			known[nameIn(root, c)] = c
		}
	})
	require.Greater(t, len(known), 80)
	for name, c := range known {
		t.Run(name, func(t *testing.T) {
			var own []string
			for _, example := range examplesOf(name) {
				if longest(example, known) == name {
					own = append(own, example)
				}
			}
			require.GreaterOrEqual(t, len(own), 2, "two examples")
			for _, example := range own {
				for _, option := range optionsIn(example) {
					require.True(t, hasOption(c, option) || hasOption(root, option), "%s has no option --%s", name, option)
				}
			}
		})
	}
	for line := range strings.Lines(examplesText) {
		onTheHost := slices.ContainsFunc([]string{"init", "serve", "follow", "reset-steward"}, func(host string) bool {
			return strings.HasPrefix(line, "arbora "+host)
		})
		require.True(t, onTheHost || longest(strings.TrimSpace(line), known) != "", "no command does %q", line)
	}
}

// nameIn is the full name of a command that was not run.
func nameIn(at, wanted *cli.Command) string {
	for _, sub := range at.Commands {
		if sub == wanted {
			return at.Name + " " + sub.Name
		}
		if below := nameIn(sub, wanted); below != "" {
			return at.Name + " " + below
		}
	}
	return ""
}

// longest returns the longest name with which an example begins.
func longest(example string, known map[string]*cli.Command) (name string) {
	for candidate := range known {
		if (example == candidate || strings.HasPrefix(example, candidate+" ")) && len(candidate) > len(name) {
			name = candidate
		}
	}
	return name
}

// optionsIn returns the options that an example gives, and not what only stands in a quoted text.
func optionsIn(example string) (options []string) {
	quotes := 0
	for word := range strings.FieldsSeq(example) {
		if name, ok := strings.CutPrefix(word, "--"); ok && quotes%2 == 0 {
			options = append(options, name)
		}
		quotes += strings.Count(word, `"`) + strings.Count(word, "'")
	}
	return options
}

func hasOption(c *cli.Command, option string) bool {
	return slices.ContainsFunc(c.Flags, func(flag cli.Flag) bool { return slices.Contains(flag.Names(), option) })
}
