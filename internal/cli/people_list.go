package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
)

// The words that the service takes for how people sign in, when they last did, and the columns they can be ordered by.
var (
	peopleFactors = []string{string(api.ListPeopleParamsFactorNone), string(api.ListPeopleParamsFactorCode), string(api.ListPeopleParamsFactorPasskey)}
	peopleAgo     = []string{string(api.Week), string(api.Month), string(api.Quarter), string(api.Longer), string(api.Never)}
	peopleSorts   = map[string]api.ListPeopleParamsSort{
		"name": api.ListPeopleParamsSortName, "title": api.ListPeopleParamsSortTitle, "email": api.ListPeopleParamsSortEmail,
		"state": api.ListPeopleParamsSortState, "factors": api.ListPeopleParamsSortFactors, "last-sign-in": api.ListPeopleParamsSortLastSignIn,
		"created": api.ListPeopleParamsSortCreated,
	}
)

// listPeopleCommand lists users or guests, all or those that flags pick.
func (a *app) listPeopleCommand(kind api.ListPeopleParamsKind, usage string) *cli.Command {
	return &cli.Command{
		Name: "list", Usage: usage,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "find", Usage: "those in whose name, title, email or description `WORDS` occur"},
			&cli.StringFlag{Name: "state", Usage: "those in a `STATE`: pending, active, suspended or retired"},
			&cli.StringFlag{Name: "tag", Usage: "those with a `TAG`: its key, or KEY=VALUE"},
			&cli.StringFlag{Name: "group", Usage: "those in a `GROUP`, at any depth"},
			&cli.StringFlag{Name: "factor", Usage: "those who can sign in with a `FACTOR`: " + strings.Join(peopleFactors, ", ")},
			&cli.StringFlag{Name: "last-sign-in", Usage: "those who last signed in within a `SPAN`: " + strings.Join(peopleAgo, ", ")},
			&cli.StringFlag{Name: "sort", Usage: "order by a `COLUMN`: name, title, email, state, factors, last-sign-in or created"},
			&cli.BoolFlag{Name: "descending", Usage: "from the last to the first"},
		},
		Action: func(ctx context.Context, c *cli.Command) error { return a.listPeople(ctx, c, kind) },
	}
}

func (a *app) listPeople(ctx context.Context, c *cli.Command, kind api.ListPeopleParamsKind) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	asked, err := peopleAsked(c, kind)
	if err != nil {
		return err
	}
	people, _, err := client.Pages(0, func(after string) ([]api.Person, string, error) {
		asked.After = after
		page, err := s.ListPeople(ctx, organisation, &asked)
		return page.People, page.Next, err
	})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Name", "Display name", "Email", "State", "Last sign-in", "Created"}, empty: "There are no " + string(kind) + "s.", value: people}
	if c.NumFlags() > 0 {
		l.empty = "No " + string(kind) + " matches."
	}
	for _, p := range people {
		state, last := string(p.State), "never"
		if p.State == api.StatePending {
			state = "! pending: holds nothing yet"
		}
		if !p.LastSignInAt.IsZero() {
			last = moment(p.LastSignInAt)
		}
		l.rows = append(l.rows, []string{p.Name, p.Title, p.Email, state, last, moment(p.CreatedAt)})
	}
	return a.print(c, l)
}

// peopleAsked reads what flags pick.
func peopleAsked(c *cli.Command, kind api.ListPeopleParamsKind) (asked api.ListPeopleParams, err error) {
	asked = api.ListPeopleParams{
		Kind: kind, Find: c.String("find"), State: api.State(c.String("state")), Tag: c.String("tag"), Group: c.String("group"),
		Factor: api.ListPeopleParamsFactor(c.String("factor")), LastSignIn: api.Ago(c.String("last-sign-in")), Descending: c.Bool("descending"), Limit: mostAtOnce,
	}
	for flag, words := range map[string][]string{"state": {"pending", "active", "suspended", "retired"}, "factor": peopleFactors, "last-sign-in": peopleAgo} {
		if given := c.String(flag); given != "" && !slices.Contains(words, given) {
			return asked, fmt.Errorf("--%s %s is not known: give one of %s", flag, given, strings.Join(words, ", "))
		}
	}
	if column := c.String("sort"); column != "" {
		sort, ok := peopleSorts[column]
		if !ok {
			return asked, fmt.Errorf("--sort %s is not known: give one of name, title, email, state, factors, last-sign-in, created", column)
		}
		asked.Sort = sort
	}
	return asked, nil
}
