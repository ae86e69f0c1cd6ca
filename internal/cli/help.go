package cli

import (
	"context"
	_ "embed"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"
)

// The library asks for help by variables of its package.
func init() {
	printer := func(out io.Writer, _ string, data any) { printHelp(out, data.(*cli.Command)) }
	cli.HelpPrinter = printer
	cli.HelpPrinterCustom = func(out io.Writer, _ string, data any, _ map[string]any) { printer(out, "", data) }
	cli.HelpFlag = &cli.BoolFlag{Name: "help", Aliases: []string{"h"}, Usage: "say what the command does and how to write it", HideDefault: true, Local: true}
	cli.VersionFlag = &cli.BoolFlag{Name: "version", Usage: "say which version this is", HideDefault: true, Local: true}
}

// helpCommand tells about a command that is named by its words.
func helpCommand() *cli.Command {
	return &cli.Command{
		Name: "help", Usage: "say what a command does and how to write it", ArgsUsage: "[COMMAND …]",
		Action: func(_ context.Context, c *cli.Command) error {
			at := c.Root()
			for _, word := range c.Args().Slice() {
				next := at.Command(word)
				if next == nil {
					return noSuchCommand(at, word)
				}
				at = next
			}
			printHelp(c.Root().Writer, at)
			return nil
		},
	}
}

// examplesText has examples of every command, one on a line.
//
//go:embed examples.txt
var examplesText string

// tasks are what people do with the commands, in the order in which the help lists them.
var tasks = []struct {
	does     string
	commands []string
}{
	{"Set up and run the service", []string{"init", "serve", "follow", "reset-steward", "organisation", "quota"}},
	{"Sign in", []string{"sign-in", "sign-out", "sign-ins", "whoami", "switch", "accept", "recover", "password", "prove", "second-factor", "session", "key"}},
	{"Lay out the tree", []string{"tree", "scope", "catalogue"}},
	{"Look after people and programs", []string{"user", "guest", "provider", "outside", "group", "service-account", "tag"}},
	{"Give and limit access", []string{"role", "grant", "policy", "pattern", "settings"}},
	{"See who may do what, and why", []string{"home", "check", "explain", "holders", "reach", "could-hold"}},
	{"See and undo what was done", []string{"audit", "undo"}},
}

// examplesOf returns the examples of a command, by its full name.
func examplesOf(name string) (examples []string) {
	for line := range strings.Lines(examplesText) {
		line = strings.TrimRight(line, "\n")
		if line == name || strings.HasPrefix(line, name+" ") {
			examples = append(examples, line)
		}
	}
	return examples
}

// printHelp prints the help of a command: what it does, how it is written, its commands by task, its options and examples.
func printHelp(out io.Writer, c *cli.Command) {
	name := c.FullName()
	fmt.Fprintf(out, "%s: %s\n", name, c.Usage)
	if c.Description != "" {
		fmt.Fprintf(out, "\n%s\n", c.Description)
	}
	written := name
	if len(c.Commands) > 0 && c.ArgsUsage == "" {
		written += " COMMAND"
	}
	if c.ArgsUsage != "" {
		written += " " + c.ArgsUsage
	}
	if len(c.Flags) > 0 {
		written += " [options]"
	}
	fmt.Fprintf(out, "\nWrite it as\n  %s\n", written)
	printCommands(out, c)
	printOptions(out, c.VisibleFlags())
	if examples := examplesOf(name); len(c.Commands) == 0 && len(examples) > 0 {
		fmt.Fprintf(out, "\nExamples\n  %s\n", strings.Join(examples, "\n  "))
	}
	if root := c.Root(); root != c {
		fmt.Fprintf(out, "\nOptions that every command takes: %s --help\n", root.Name)
	}
}

func printCommands(out io.Writer, c *cli.Command) {
	visible := slices.Clone(c.VisibleCommands())
	width := 0
	for _, sub := range visible {
		width = max(width, len(sub.Name))
	}
	line := func(sub *cli.Command) { fmt.Fprintf(out, "  %-*s   %s\n", width, sub.Name, sub.Usage) }
	if c.Root() != c {
		if len(visible) > 0 {
			fmt.Fprintf(out, "\nCommands\n")
		}
		for _, sub := range visible {
			line(sub)
		}
		return
	}
	for _, task := range tasks {
		var here []*cli.Command
		for _, name := range task.commands {
			if at := slices.IndexFunc(visible, func(sub *cli.Command) bool { return sub.Name == name }); at >= 0 {
				here = append(here, visible[at])
				visible = slices.Delete(visible, at, at+1)
			}
		}
		if len(here) > 0 {
			fmt.Fprintf(out, "\n%s\n", task.does)
		}
		for _, sub := range here {
			line(sub)
		}
	}
	if len(visible) > 0 {
		fmt.Fprintf(out, "\n%s\n", choose(c.Name == "arbora", "More", "Commands"))
	}
	for _, sub := range visible {
		line(sub)
	}
}

// printOptions lists options with what they take. A default is told where it is one that somebody would choose.
func printOptions(out io.Writer, flags []cli.Flag) {
	type option struct{ form, usage string }
	var options []option
	width := 0
	for _, flag := range flags {
		documented, ok := flag.(cli.DocGenerationFlag)
		if !ok {
			continue
		}
		var forms []string
		for _, name := range flag.Names() {
			forms = append(forms, choose(len(name) == 1, "-", "--")+name)
		}
		usage := documented.GetUsage()
		form := strings.Join(forms, ", ")
		if takes := placeholderOf(documented); takes != "" {
			form += " " + takes
		}
		usage = placeholder.ReplaceAllString(usage, "$1")
		if value := strings.Trim(documented.GetDefaultText(), `"`); documented.TakesValue() && documented.IsDefaultVisible() && value != "" && value != "0" && !strings.Contains(usage, value) {
			usage += " (without it: " + value + ")"
		}
		if env := documented.GetEnvVars(); len(env) > 0 {
			usage += "; also from " + strings.Join(env, ", ")
		}
		options = append(options, option{form, usage})
		width = max(width, len(form))
	}
	if len(options) > 0 {
		fmt.Fprintf(out, "\nOptions\n")
	}
	for _, o := range options {
		fmt.Fprintf(out, "  %-*s   %s\n", width, o.form, o.usage)
	}
}
