package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/internal/english"
)

// toldFlags are the circumstances of a question.
func toldFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "time", Usage: "as if it were this `MOMENT`: a date, or RFC 3339"},
		&cli.StringFlag{Name: "ip", Usage: "as if the request came from this network `ADDRESS`"},
		&cli.StringFlag{Name: "location", Usage: "as if the request came from this `LOCATION`"},
		&cli.StringMapFlag{Name: "claim", Usage: "what if their identity provider said `NAME=VALUE` of them, in place of all it said last; may be repeated"},
	}
}

// told reads the circumstances of a question.
func told(c *cli.Command) (*api.QuestionContext, error) {
	at, err := instant(c, "time")
	if err != nil {
		return nil, err
	}
	t := api.QuestionContext{Time: at, Ip: c.String("ip"), Location: c.String("location")}
	if claims := c.StringMap("claim"); len(claims) > 0 {
		values := map[string][]string{}
		for name, value := range claims {
			values[name] = []string{value}
		}
		t.Claims = values
	}
	return &t, nil
}

func (a *app) checkCommand() *cli.Command {
	return &cli.Command{
		Name: "check", Usage: "may somebody do this here? exit status 0 for yes, 3 for no", ArgsUsage: "OPERATION TYPE",
		Description: "Asks about yourself, or about --user, --group and so on, as in\narbora check describe project --at lindenmere/gardens/glasshouses/alpine-house --user bram",
		Flags:       append(append(principalFlags(), atFlag(true)), toldFlags()...),
		Action:      a.check,
	}
}

func (a *app) explainCommand() *cli.Command {
	return &cli.Command{
		Name: "explain", Usage: "say why somebody may or may not do this here, rule by rule", ArgsUsage: "OPERATION TYPE",
		Flags:  append(append(principalFlags(), atFlag(true)), toldFlags()...),
		Action: a.explain,
	}
}

// ask asks the question of check and explain.
func (a *app) ask(ctx context.Context, c *cli.Command) (api.Answer, error) {
	permission, err := permissionOf(c)
	if err != nil {
		return api.Answer{}, err
	}
	question := api.Question{Permission: permission}
	if namesPrincipal(c) {
		who, err := principal(c)
		if err != nil {
			return api.Answer{}, err
		}
		question.Principal = &who
	}
	if question.Context, err = told(c); err != nil {
		return api.Answer{}, err
	}
	s, at, err := a.where(c)
	if err != nil {
		return api.Answer{}, err
	}
	return s.Check(ctx, at, question)
}

func (a *app) check(ctx context.Context, c *cli.Command) error {
	answer, err := a.ask(ctx, c)
	if err != nil {
		return err
	}
	decidedBy := fact{"Rule", ""}
	if answer.DecidedBy != nil {
		decidedBy.value = answer.DecidedBy.Rule.Words
	}
	a.prose(c, answer.Words)
	a.tellSteps(c, answer)
	if c.String("output") != "table" {
		err = a.printFacts(c, answer, fact{"Allowed", strconv.FormatBool(answer.Allowed)}, fact{"Reason", string(answer.Reason)}, fact{"Words", answer.Words}, decidedBy)
	}
	if err == nil && !answer.Allowed {
		return errNo
	}
	return err
}

func (a *app) tellSteps(c *cli.Command, answer api.Answer) {
	for i, step := range answer.Steps {
		a.say(c, "%s%s (adds %s)\n    %s", choose(i == 0, "What would make it a yes, smallest first:\n  ", "  "), step.Words, english.Count(step.Adds, "permission"), stepCommand(answer, step))
	}
	if answer.NoStep != "" {
		a.say(c, "%s", answer.NoStep)
	}
}

// stepCommand returns the command that makes the change.
func stepCommand(answer api.Answer, step api.Step) string {
	who := flagFor(answer.Principal)
	switch {
	case step.Role != "":
		return "arbora grant create " + step.Role + " " + who + " --at " + step.Scope.Address
	case step.Group != "":
		return "arbora group add " + step.Group + " " + who
	}
	return "arbora policy edit " + step.Policy.Name + " --at " + step.Policy.Scope.Address + " --file -"
}

func (a *app) explain(ctx context.Context, c *cli.Command) error {
	answer, err := a.ask(ctx, c)
	if err != nil {
		return err
	}
	l := listing{columns: []string{"At", "Rule", "It", "Decides"}, value: answer}
	var told strings.Builder
	at := ""
	for _, m := range answer.Rules {
		why := m.Words
		if len(m.Through) > 0 {
			why += ", through group " + strings.Join(m.Through, " in ")
		}
		decides := answer.DecidedBy != nil && m.Rule.Words == answer.DecidedBy.Rule.Words && m.Rule.Scope == answer.DecidedBy.Rule.Scope
		l.rows = append(l.rows, []string{m.Rule.Scope.Address, m.Rule.Words, why, strconv.FormatBool(decides)})
		if m.Rule.Scope.Address != at {
			at = m.Rule.Scope.Address
			fmt.Fprintf(&told, "\n%s\n", at)
		}
		fmt.Fprintf(&told, " %s %s\n      %s\n", choose(decides, "»", " "), ruleText(m.Rule), why)
	}
	if c.String("output") != "table" {
		err = a.printValue(c, l)
	} else {
		a.prose(c, answer.Words)
		if len(l.rows) > 0 {
			a.say(c, "\nMet on the way up; » decides.\n%s", strings.TrimRight(told.String(), "\n"))
		}
		if answer.Hidden {
			a.say(c, "There is more that you may not see.")
		}
		a.tellSteps(c, answer)
	}
	if err == nil && !answer.Allowed {
		return errNo
	}
	return err
}

// ruleText names a rule: what a grant gives whom, or a statement with its policy.
func ruleText(r api.Rule) string {
	if r.Statement == nil {
		return r.Words
	}
	return r.Words + "  (" + r.Statement.Policy.Name + ")"
}
