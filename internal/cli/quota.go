package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
)

func (a *app) quotaCommand() *cli.Command {
	var flags []cli.Flag
	for _, q := range quotasOf(&api.Quotas{}) {
		flags = append(flags, &cli.IntFlag{Name: q.name, Usage: q.what + ", a `NUMBER`; 0 sets it back to the usual one", HideDefault: true})
	}
	return &cli.Command{
		Name: "quota", Usage: "show how much an organisation may have; keepers set it",
		Commands: []*cli.Command{
			{Name: "show", Usage: "show what your organisation may have, and what it has; keepers name one", ArgsUsage: "[ORGANISATION]", Action: a.showQuotas},
			{Name: "set", Usage: "set some of them, for keepers; the others stay", ArgsUsage: "ORGANISATION", Flags: flags, Action: a.setQuotas},
		},
	}
}

// quota is one of the quotas: how its flag is called, what it bounds, and where it stands.
type quota struct {
	name, what string
	value      **int
}

func quotasOf(q *api.Quotas) []quota {
	return []quota{
		{"scopes", "scopes", &q.Scopes}, {"principals", "users, guests and service accounts", &q.Principals}, {"groups", "groups", &q.Groups},
		{"grants", "grants", &q.Grants}, {"statements", "statements of all policies", &q.Statements},
		{"streams", "open streams of one principal", &q.Streams}, {"writes", "changes of one principal in a minute", &q.Writes},
	}
}

func (a *app) showQuotas(ctx context.Context, c *cli.Command) error {
	s, organisation, err := a.at(c)
	if err != nil {
		return err
	}
	shown, err := s.ShowQuotas(ctx, organisation)
	if err != nil {
		return err
	}
	return a.printQuotas(c, shown)
}

func (a *app) printQuotas(c *cli.Command, shown api.QuotasShown) error {
	set, has := quotasOf(&shown.Set), quotasOf(&shown.Has)
	var rows [][]string
	for i, most := range quotasOf(&shown.Most) {
		by, there := "", ""
		if *set[i].value != nil {
			by = "a keeper"
		}
		if *has[i].value != nil {
			there = fmt.Sprint(**has[i].value)
		}
		rows = append(rows, []string{most.what, there, fmt.Sprint(**most.value), by})
	}
	return a.print(c, listing{columns: []string{"What", "There are", "At most", "Set by"}, rows: rows, value: shown})
}

func (a *app) setQuotas(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "ORGANISATION")
	if err != nil {
		return err
	}
	shown, err := s.ShowQuotas(ctx, given[0])
	if err != nil {
		return err
	}
	altered := false
	for _, q := range quotasOf(&shown.Set) {
		if c.IsSet(q.name) {
			most := c.Int(q.name)
			*q.value, altered = &most, true
		}
	}
	if !altered {
		return usage("give a number to set, such as --groups 500; see arbora quota show %s", given[0])
	}
	if err := client.Done(s.SetQuotas(ctx, given[0], shown.Set)); err != nil {
		return err
	}
	if shown, err = s.ShowQuotas(ctx, given[0]); err != nil {
		return err
	}
	return a.printQuotas(c, shown)
}
