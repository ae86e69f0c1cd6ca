package cli

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/english"
)

// The library tells what is wrong with a command line in sentences of its own, and in no other form. These are said anew.
var (
	notSet      = regexp.MustCompile(`^Required flags? "([^"]*)" not set$`)
	notDefined  = regexp.MustCompile(`^flag provided but not defined: -+(.+)$`)
	notValid    = regexp.MustCompile(`^invalid value "(.*)" for (?:flag|argument) -*([a-z-]+): (.*)$`)
	needsAValue = regexp.MustCompile(`^flag needs an argument: -+(.+)$`)
	noTopic     = regexp.MustCompile(`^No help topic for '(.*?)'`)
)

func onUsageError(_ context.Context, c *cli.Command, err error, _ bool) error {
	return usage("%s; see %s --help", wordUsage(c, err.Error()), c.FullName())
}

func wordUsage(c *cli.Command, said string) string {
	if found := notSet.FindStringSubmatch(said); found != nil {
		var needed []string
		for _, name := range strings.Split(found[1], ", ") {
			needed = append(needed, optionText(c, name))
		}
		return fmt.Sprintf("%s %s needed", english.Join(needed), choose(len(needed) == 1, "is", "are"))
	}
	if found := notDefined.FindStringSubmatch(said); found != nil {
		near := english.Nearest(found[1], optionNames(c))
		return fmt.Sprintf("there is no option --%s%s", found[1], choose(near != "", ": did you mean --"+near+"?", ""))
	}
	if found := needsAValue.FindStringSubmatch(said); found != nil {
		return "a value is needed after " + optionText(c, found[1])
	}
	if found := notValid.FindStringSubmatch(said); found != nil {
		return fmt.Sprintf("%q is not what %s takes", found[1], optionText(c, found[2]))
	}
	return said
}

// optionNames lists the options of a command and of those above it.
func optionNames(c *cli.Command) (names []string) {
	for _, at := range c.Lineage() {
		for _, flag := range at.Flags {
			names = append(names, flag.Names()...)
		}
	}
	return names
}

var placeholder = regexp.MustCompile("`([^`]+)`")

// placeholderOf returns what an option takes, such as ADDRESS; nothing for a switch.
func placeholderOf(flag cli.DocGenerationFlag) string {
	if found := placeholder.FindStringSubmatch(flag.GetUsage()); found != nil {
		return found[1]
	}
	return ""
}

// takenBy returns what an option of a command, or of one above it, takes.
func takenBy(c *cli.Command, name string) string {
	for _, at := range c.Lineage() {
		for _, flag := range at.Flags {
			if documented, ok := flag.(cli.DocGenerationFlag); ok && slices.Contains(flag.Names(), name) {
				return placeholderOf(documented)
			}
		}
	}
	return ""
}

// optionText writes an option with what it takes, such as --at ADDRESS.
func optionText(c *cli.Command, name string) string {
	return strings.TrimSpace("--" + name + " " + takenBy(c, name))
}

// habits are words that people bring along for what a command does, with the commands that may do it here.
var habits = []struct{ words, commands []string }{
	{[]string{"delete", "rm", "remove", "del", "destroy", "erase", "drop"}, []string{"delete", "retire", "remove", "revoke", "withdraw", "end"}},
	{[]string{"add", "new", "make", "define", "issue"}, []string{"create", "invite", "add"}},
	{[]string{"ls", "all", "search"}, []string{"list", "search", "find"}},
	{[]string{"get", "describe", "view", "info", "cat"}, []string{"show", "list"}},
	{[]string{"update", "modify", "change", "set", "rename", "alter"}, []string{"edit", "change", "set", "tag"}},
	{[]string{"disable", "block", "lock", "deactivate"}, []string{"suspend", "retire"}},
	{[]string{"enable", "unblock", "unlock", "activate"}, []string{"restore", "resume"}},
}

// unknownCommand runs when a command that only holds others is given none, or one it does not have.
func unknownCommand(_ context.Context, c *cli.Command) error {
	if !c.Args().Present() {
		return cli.ShowSubcommandHelp(c)
	}
	return noSuchCommand(c, c.Args().First())
}

// inOurWords says anew what the library, or the service in the words of its requests, says of a command line.
func inOurWords(root *cli.Command, arguments []string, err error) error {
	if err == nil {
		return nil
	}
	if found := noTopic.FindStringSubmatch(err.Error()); found != nil {
		return noSuchCommand(holding(root, arguments[1:], found[1]), found[1])
	}
	var refused *client.Error
	if errors.As(err, &refused) {
		nameOption(holding(root, arguments[1:], ""), refused)
	}
	return err
}

// holding returns the command that was given a word which is none of its commands.
func holding(root *cli.Command, words []string, unknown string) *cli.Command {
	at := root
	for _, word := range words {
		if word == unknown {
			break
		}
		if next := at.Command(word); next != nil {
			at = next
		}
	}
	return at
}

// nameOption has a problem name the option that a field of the request comes from, in place of the field.
func nameOption(c *cli.Command, p *client.Error) {
	if p.Field == "" || !strings.HasPrefix(p.Detail, p.Field+" ") {
		return
	}
	parts := strings.Split(p.Field, ".")
	option := strings.ToLower(upper.ReplaceAllString(parts[len(parts)-1], "-$0"))
	if slices.Contains(optionNames(c), option) {
		p.Detail = "--" + option + strings.TrimPrefix(p.Detail, p.Field)
	}
}

var upper = regexp.MustCompile(`[A-Z]`)

// noSuchCommand says that a command has none of a name, and which one may be meant.
func noSuchCommand(c *cli.Command, word string) error {
	var names []string
	for _, sub := range c.Commands {
		names = append(names, sub.Name)
	}
	for _, habit := range habits {
		if !slices.Contains(habit.words, word) {
			continue
		}
		for _, command := range habit.commands {
			if slices.Contains(names, command) {
				return usage("%s has no command %q: use %s; see %s --help", c.FullName(), word, command, c.FullName())
			}
		}
	}
	if near := english.Nearest(word, names); near != "" {
		return usage("%s has no command %q: did you mean %s?", c.FullName(), word, near)
	}
	return usage("%s has no command %q; see %s --help", c.FullName(), word, c.FullName())
}

// failure is how an error is written for programs.
type failure struct {
	Error struct {
		Status int         `json:"status"` // the exit status
		Detail string      `json:"detail"`
		Next   string      `json:"next,omitempty"`
		Kind   string      `json:"kind,omitempty"` // of a problem that the service told
		Faults []api.Fault `json:"faults,omitempty"`
	} `json:"error"`
}

// finish tells about an error and gives the exit status.
func (a *app) finish(err error) int {
	if err == nil {
		return Done
	}
	if errors.Is(err, errNo) {
		return No
	}
	status, next := Failed, ""
	var use usageError
	var problem *client.Error
	var unreachable *client.Unreachable
	switch {
	case errors.As(err, &use):
		status = Usage
	case errors.As(err, &problem):
		status, next = statusOf(problem), problem.Next
	case errors.Is(err, errNotSignedIn):
		status = Missing
	case errors.As(err, &unreachable):
		next = "start it with \"arbora serve\", or sign in to another with --server"
	}
	if a.form == "json" {
		var told failure
		told.Error.Status, told.Error.Detail, told.Error.Next = status, err.Error(), next
		if problem != nil {
			told.Error.Detail, told.Error.Kind, told.Error.Faults = problem.Detail, problem.Kind(), problem.Faults
		}
		_ = writeJSON(a.Err, told) // nothing is left to tell it to
		return status
	}
	if problem == nil {
		fmt.Fprintf(a.Err, "%s: %s\n", a.name, printable(err.Error()))
	} else {
		fmt.Fprintf(a.Err, "%s: %s\n", a.name, printable(problem.Detail))
		a.tellFaults(problem)
	}
	if next != "" {
		fmt.Fprintf(a.Err, "  → %s\n", printable(next))
	}
	if problem != nil && problem.Impact != nil {
		fmt.Fprintf(a.Err, "  → see it with --preview, or make it with --confirm %s\n", problem.Impact.Confirmation)
	}
	return status
}

// tellFaults shows where in a text a fault is, and lists what is wrong line by line where there is more than one.
func (a *app) tellFaults(problem *client.Error) {
	lines := strings.Split(a.text, "\n")
	for _, f := range problem.Faults {
		if len(problem.Faults) > 1 {
			fmt.Fprintf(a.Err, "  %s\n", printable(faultText(f)))
		}
		if a.text == "" || f.Line < 1 || f.Line > len(lines) {
			continue
		}
		line := []rune(printable(lines[f.Line-1]))
		before := strings.Map(func(r rune) rune {
			if r == '\t' {
				return r
			}
			return ' '
		}, string(line[:min(max(f.Column-1, 0), len(line))]))
		fmt.Fprintf(a.Err, "    %s\n    %s^\n", string(line), before)
	}
}
