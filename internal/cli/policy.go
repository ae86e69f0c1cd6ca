package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/english"
)

func (a *app) policyCommand() *cli.Command {
	textFlags := func(more ...cli.Flag) []cli.Flag {
		return append([]cli.Flag{
			&cli.StringFlag{Name: "text", Usage: "the statements themselves, as a `TEXT`"},
			&cli.StringFlag{Name: "file", Usage: "the statements in this `FILE`; - reads standard input"},
		}, more...)
	}
	description := &cli.StringFlag{Name: "description", Usage: "its purpose, as a `TEXT`"}
	return &cli.Command{
		Name: "policy", Usage: "write, read and search policies: named texts of statements at a scope",
		Commands: []*cli.Command{
			{Name: "create", Usage: "create a policy at a scope: the whole text, or nothing if a line is wrong", ArgsUsage: "NAME", Flags: textFlags(atFlag(true), description, previewFlag()), Action: a.createPolicy},
			{Name: "edit", Usage: "edit the text of a policy", ArgsUsage: "NAME", Flags: textFlags(atFlag(true), description, previewFlag()), Action: a.editPolicy},
			a.policyStateCommand("suspend", "suspend a policy: it decides nothing until it is resumed", api.SuspendedPolicy),
			a.policyStateCommand("resume", "resume a suspended policy: it decides again", api.ActivePolicy),
			{Name: "delete", Usage: "delete a policy with all its statements", ArgsUsage: "NAME", Flags: []cli.Flag{atFlag(true), previewFlag()}, Action: a.removePolicy},
			{Name: "list", Usage: "list the policies that reach a scope, its own and those above", ArgsUsage: "[ADDRESS]", Action: a.listPolicies},
			{Name: "show", Usage: "print the text of a policy", ArgsUsage: "NAME", Flags: []cli.Flag{
				atFlag(true), &cli.IntFlag{Name: "written", Usage: "print the text as the change to this `REVISION` wrote it; policy history lists them"},
			}, Action: a.showPolicy},
			{Name: "history", Usage: "list the versions of a policy, newest first", ArgsUsage: "NAME", Flags: []cli.Flag{atFlag(true)}, Action: a.listPolicyVersions},
			{Name: "read", Usage: "check a text as it would stand at a scope, and print it in its one form; nothing is written", Flags: textFlags(atFlag(true)), Action: a.readPolicy},
			a.languageCommand(),
			{Name: "search", Usage: "find statements everywhere by words in them, with where each applies", ArgsUsage: "WORD …", Action: a.searchPolicies},
		},
	}
}

// readText reads a file, or standard input for -.
func (a *app) readText(name string) (string, error) {
	if name == "-" {
		text, err := io.ReadAll(a.lines)
		return string(text), err
	}
	text, err := os.ReadFile(name)
	return string(text), err
}

// statementsText returns the text that --text or --file names; given is false when neither does.
func (a *app) statementsText(c *cli.Command) (text string, given bool, err error) {
	switch {
	case c.IsSet("text") && c.IsSet("file"):
		return "", false, usage("give the statements with either --text or --file")
	case c.IsSet("text"):
		a.text = c.String("text")
		return a.text, true, nil
	case c.IsSet("file"):
		a.text, err = a.readText(c.String("file"))
		return a.text, true, err
	}
	return "", false, nil
}

func (a *app) createPolicy(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "NAME")
	if err != nil {
		return err
	}
	text, there, err := a.statementsText(c)
	if err != nil {
		return err
	}
	if !there {
		return usage("give its statements with --text or --file")
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	wanted := api.PolicyNew{Name: given[0], Text: text, Description: c.String("description")}
	return create(ctx, a, c, s.PreviewCreatePolicyAt, s.CreatePolicyAt, at, wanted, func(made api.PolicyMade) {
		a.say(c, "Created policy %s at %s:\n\n%s", made.Policy.Name, made.Policy.Scope.Address, strings.TrimRight(made.Policy.Text, "\n"))
	})
}

// findPolicy finds a policy by its name right at the scope of --at.
func (a *app) findPolicy(ctx context.Context, c *cli.Command) (session, api.Policy, error) {
	given, err := arguments(c, "NAME")
	if err != nil {
		return session{}, api.Policy{}, err
	}
	s, at, err := a.where(c)
	if err != nil {
		return s, api.Policy{}, err
	}
	list, err := s.allPolicies(ctx, at)
	if err != nil {
		return s, api.Policy{}, err
	}
	var names []string
	for _, p := range list.Policies {
		if p.Name == given[0] && !p.Inherited {
			return s, p, nil
		}
		if p.Name == given[0] {
			return s, p, fmt.Errorf("policy %s stands at %s: name that scope with --at", p.Name, p.Scope.Address)
		}
		names = append(names, p.Name)
	}
	if near := english.Nearest(given[0], names); near != "" {
		return s, api.Policy{}, fmt.Errorf("there is no policy %s at %s: did you mean %s?", given[0], at, near)
	}
	return s, api.Policy{}, fmt.Errorf("there is no policy %s at %s: arbora policy list %s shows those that reach it", given[0], at, at)
}

func (a *app) editPolicy(ctx context.Context, c *cli.Command) error {
	text, there, err := a.statementsText(c)
	if err != nil {
		return err
	}
	s, policy, err := a.findPolicy(ctx, c)
	if err != nil {
		return err
	}
	wanted := api.PolicyEdit{Description: nilIfEmpty(c.String("description"))}
	if there {
		wanted.Text = &text
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.EditPolicyText(ctx, policy.Id, &api.EditPolicyTextParams{Preview: preview}, wanted)
	}, func() {
		a.say(c, "Edited policy %s at %s.", policy.Name, policy.Scope.Address)
	})
}

func (a *app) policyStateCommand(verb, does string, to api.PolicyStateChangeState) *cli.Command {
	return &cli.Command{
		Name: verb, Usage: does, ArgsUsage: "NAME", Flags: []cli.Flag{atFlag(true), previewFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			s, policy, err := a.findPolicy(ctx, c)
			if err != nil {
				return err
			}
			return a.change(c, func(preview bool) (api.Written, error) {
				return s.SetPolicyState(ctx, policy.Id, &api.SetPolicyStateParams{Preview: preview}, api.PolicyStateChange{State: to})
			}, func() {
				a.say(c, "Policy %s at %s %s.", policy.Name, policy.Scope.Address, choose(to == api.SuspendedPolicy, "is suspended: it decides nothing until it is resumed", "decides again"))
			})
		},
	}
}

func (a *app) removePolicy(ctx context.Context, c *cli.Command) error {
	s, policy, err := a.findPolicy(ctx, c)
	if err != nil {
		return err
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.RemovePolicy(ctx, policy.Id, &api.RemovePolicyParams{Preview: preview})
	}, func() {
		a.say(c, "Deleted policy %s at %s.", policy.Name, policy.Scope.Address)
	})
}

// listAllPolicies lists every policy of the organisation with the scope that it is attached to.
func (a *app) listAllPolicies(ctx context.Context, c *cli.Command) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	found, err := s.allStatements(ctx, organisation, "")
	if err != nil {
		return err
	}
	type policy struct {
		Policy     api.PolicyRef `json:"policy"`
		Suspended  bool          `json:"suspended"`
		Statements int           `json:"statements"`
	}
	all := []policy{}
	at := map[string]int{}
	for _, st := range found.Statements {
		n, there := at[st.Policy.Id]
		if !there {
			n = len(all)
			at[st.Policy.Id], all = n, append(all, policy{Policy: st.Policy, Suspended: st.Suspended})
		}
		all[n].Statements++
	}
	l := listing{columns: []string{"Policy", "Attached to", "State", "Statements"}, empty: "There are no policies.", value: all}
	for _, p := range all {
		l.rows = append(l.rows, []string{p.Policy.Name, p.Policy.Scope.Address, choose(p.Suspended, "! suspended", "active"), strconv.Itoa(p.Statements)})
	}
	if err := a.print(c, l); err != nil {
		return err
	}
	if found.Hidden {
		a.say(c, "There is more that you may not see.")
	}
	return nil
}

func (a *app) listPolicies(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() == 0 {
		return a.listAllPolicies(ctx, c)
	}
	s, address, err := a.at(c)
	if err != nil {
		return err
	}
	list, err := s.allPolicies(ctx, address)
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Policy", "From", "State", "Statements", "Written", "By", "Purpose"}, empty: "No policy reaches " + address + ".", value: list.Policies}
	for _, p := range list.Policies {
		l.rows = append(l.rows, []string{
			p.Name, choose(p.Inherited, p.Scope.Address, "here"), choose(p.Suspended, "! suspended", "active"), strconv.Itoa(len(p.Statements)) + choose(p.Hidden, ", more not shown", ""), moment(p.WrittenAt), p.WrittenBy, p.Description,
		})
	}
	return a.print(c, l)
}

func (a *app) showPolicy(ctx context.Context, c *cli.Command) error {
	s, policy, err := a.findPolicy(ctx, c)
	if err != nil {
		return err
	}
	if c.IsSet("written") {
		return a.showPolicyVersion(ctx, c, s, policy)
	}
	a.say(c, "%s", strings.TrimRight(policy.Text, "\n"))
	if policy.Suspended {
		a.say(c, "! It is suspended: it decides nothing until arbora policy resume %s --at %s.", policy.Name, policy.Scope.Address)
	}
	for _, st := range policy.Statements {
		if st.Dormant {
			a.say(c, "! Statement %d is dormant: %s has left %s.", st.Number, st.Place.Address, policy.Scope.Address)
		}
	}
	if policy.Hidden {
		a.say(c, "There are more that you may not see, about places you do not see. They stay when you save another text.")
	}
	return a.valueOnly(c, policy)
}

// policyVersions returns all that was written of a policy, newest first.
func policyVersions(ctx context.Context, s session, policy string) (versions []api.PolicyVersion, err error) {
	most := 200
	params := api.ListPolicyVersionsParams{Limit: most}
	for {
		page, err := s.ListPolicyVersions(ctx, policy, &params)
		if err != nil {
			return nil, err
		}
		versions = append(versions, page.Versions...)
		if params.After = page.Next; page.Next == "" {
			return versions, nil
		}
	}
}

func (a *app) showPolicyVersion(ctx context.Context, c *cli.Command, s session, policy api.Policy) error {
	versions, err := policyVersions(ctx, s, policy.Id)
	if err != nil {
		return err
	}
	for _, v := range versions {
		if v.Revision == int64(c.Int("written")) {
			a.say(c, "%s", strings.TrimRight(v.Text, "\n"))
			return a.valueOnly(c, v)
		}
	}
	return fmt.Errorf("the change to revision %d wrote nothing of policy %s: arbora policy history %s --at %s lists those that did", c.Int("written"), policy.Name, policy.Name, policy.Scope.Address)
}

func (a *app) listPolicyVersions(ctx context.Context, c *cli.Command) error {
	s, policy, err := a.findPolicy(ctx, c)
	if err != nil {
		return err
	}
	versions, err := policyVersions(ctx, s, policy.Id)
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Revision", "Written", "By", "Text"}, value: versions}
	for _, v := range versions {
		l.rows = append(l.rows, []string{strconv.FormatInt(v.Revision, 10), moment(v.WrittenAt), v.WrittenBy, strings.TrimRight(v.Text, "\n")})
	}
	return a.print(c, l)
}

func (a *app) readPolicy(ctx context.Context, c *cli.Command) error {
	text, there, err := a.statementsText(c)
	if err != nil {
		return err
	}
	if !there {
		return usage("give what to check with --text or --file")
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	reading, err := s.ReadStatements(ctx, at, api.PolicyText{Text: text})
	if err != nil {
		return err
	}
	return a.tellReading(c, reading)
}

// tellReading prints a text that was read, or what is wrong in it.
func (a *app) tellReading(c *cli.Command, reading api.Reading) error {
	if err := a.valueOnly(c, reading); err != nil {
		return err
	}
	if len(reading.Faults) == 0 {
		a.say(c, "%s", strings.TrimRight(reading.Text, "\n"))
		return nil
	}
	detail := faultText(reading.Faults[0])
	if n := len(reading.Faults); n > 1 {
		detail = fmt.Sprintf("the text has %d errors", n)
	}
	return &client.Error{Problem: api.Problem{Detail: detail, Faults: reading.Faults}}
}

func (a *app) searchPolicies(ctx context.Context, c *cli.Command) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	words := strings.Join(c.Args().Slice(), " ")
	found, err := s.allStatements(ctx, organisation, words)
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Statement", "Applies at", "Policy", "Written at"}, empty: "No statement matches.", value: found}
	for _, st := range found.Statements {
		where := st.Place.Address + choose(st.Here, " alone", " and below") + choose(st.Suspended, " (suspended)", choose(st.Dormant, " (dormant)", ""))
		l.rows = append(l.rows, []string{st.Text, where, st.Policy.Name, st.Policy.Scope.Address})
	}
	if err := a.print(c, l); err != nil {
		return err
	}
	if found.Hidden {
		a.say(c, "There is more that you may not see.")
	}
	return nil
}

func (a *app) patternCommand() *cli.Command {
	return &cli.Command{
		Name: "pattern", Usage: "find ready-made statements and fill in their blanks",
		Commands: []*cli.Command{
			{Name: "list", Usage: "list the patterns, or those that match some words", ArgsUsage: "[WORD …]", Action: a.listPatterns},
			{Name: "show", Usage: "show the text and the blanks of a pattern", ArgsUsage: "PATTERN", Action: a.showPattern},
			{
				Name: "fill", Usage: "fill the blanks of a pattern and print the text, to be edited or handed to policy create --file -", ArgsUsage: "PATTERN BLANK=VALUE …",
				Flags: []cli.Flag{atFlag(true)}, Action: a.fillPattern,
			},
		},
	}
}

func (a *app) listPatterns(ctx context.Context, c *cli.Command) error {
	s, err := a.as(c)
	if err != nil {
		return err
	}
	words := strings.Join(c.Args().Slice(), " ")
	list, err := s.ListPatterns(ctx, &api.ListPatternsParams{Words: words})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Pattern", "Purpose", "Blanks"}, empty: "No pattern matches.", value: list.Patterns}
	for _, p := range list.Patterns {
		var blanks []string
		for _, b := range p.Blanks {
			blanks = append(blanks, b.Name)
		}
		l.rows = append(l.rows, []string{p.Name, p.Title, strings.Join(blanks, ", ")})
	}
	return a.print(c, l)
}

func (a *app) showPattern(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "PATTERN")
	if err != nil {
		return err
	}
	list, err := s.ListPatterns(ctx, nil)
	if err != nil {
		return err
	}
	var names []string
	for _, p := range list.Patterns {
		names = append(names, p.Name)
		if p.Name != given[0] {
			continue
		}
		a.say(c, "%s. %s\n\n%s", p.Title, p.Description, strings.TrimRight(p.Text, "\n"))
		l := listing{columns: []string{"Blank", "Asks", "Is a", "Usually"}, value: p}
		for _, b := range p.Blanks {
			usual := ""
			if b.Usual != "" {
				usual = b.Usual
			}
			l.rows = append(l.rows, []string{b.Name, b.Asks, string(b.Kind), usual})
		}
		a.section(c, "Blanks", l)
		return a.valueOnly(c, p)
	}
	if near := english.Nearest(given[0], names); near != "" {
		return fmt.Errorf("there is no pattern %q: did you mean %s?", given[0], near)
	}
	return fmt.Errorf("there is no pattern %q: arbora pattern list shows them", given[0])
}

func (a *app) fillPattern(ctx context.Context, c *cli.Command) error {
	given := c.Args().Slice()
	if len(given) == 0 {
		return usage("%s takes PATTERN and BLANK=VALUE for each blank", c.FullName())
	}
	values := map[string]string{}
	for _, pair := range given[1:] {
		name, value, ok := strings.Cut(pair, "=")
		if !ok {
			return usage("%q fills no blank: write BLANK=VALUE", pair)
		}
		values[name] = value
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	reading, err := s.FillPattern(ctx, at, given[0], api.PatternValues{Values: values})
	if err != nil {
		return err
	}
	return a.tellReading(c, reading)
}
