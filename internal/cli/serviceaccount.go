package cli

import (
	"context"

	"github.com/urfave/cli/v3"

	"arbora.example/access/model"
	"arbora.example/api"
)

func (a *app) serviceAccountCommand() *cli.Command {
	const kind = api.ServiceAccountKind
	return &cli.Command{
		Name: "service-account", Usage: "create, list and edit service accounts: programs act as them",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "create a service account at a scope, which it goes with", ArgsUsage: "ADDRESS/NAME",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"},
					&cli.StringFlag{Name: "description", Usage: "its purpose, as a `TEXT`"},
					&cli.StringMapFlag{Name: "tag", Usage: "a tag, as `KEY=VALUE`; may be repeated"},
					previewFlag(),
				},
				Action: a.createServiceAccount,
			},
			{Name: "list", Usage: "list the service accounts at a scope and below", ArgsUsage: "[ADDRESS]", Action: a.listServiceAccounts},
			{Name: "show", Usage: "show a service account with groups and grants", ArgsUsage: "ADDRESS", Action: a.showPrincipal(kind)},
			a.editCommand(kind),
			a.stateCommand(kind, "suspend", api.StateSuspended), a.stateCommand(kind, "retire", api.StateRetired), a.stateCommand(kind, "restore", api.StateActive),
		},
	}
}

func (a *app) createServiceAccount(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "ADDRESS/NAME")
	if err != nil {
		return err
	}
	at, name := model.SplitAddress(given[0])
	if at == "" {
		return usage("say where %s lives, as ADDRESS/NAME", name)
	}
	s, err := a.as(c)
	if err != nil {
		return err
	}
	wanted := api.AccountNew{Name: name, Title: c.String("title"), Description: c.String("description"), Tags: tagsGiven(c)}
	return create(ctx, a, c, s.PreviewCreateServiceAccount, s.CreateServiceAccount, at, wanted, func(made api.AccountMade) {
		a.say(c, "Created service account %s. It holds nothing yet, and has no key: arbora key create --service-account %s", made.Account.Address, made.Account.Address)
	})
}

func (a *app) listServiceAccounts(ctx context.Context, c *cli.Command) error {
	s, err := a.as(c)
	if err != nil {
		return err
	}
	at, err := s.scopeOr(c)
	if err != nil {
		return err
	}
	list, err := s.allServiceAccounts(ctx, at)
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Address", "Title", "State", "Created"}, empty: "There are no service accounts that you may list.", value: list.Accounts}
	for _, one := range list.Accounts {
		l.rows = append(l.rows, []string{one.Address, one.Title, string(one.State), moment(one.CreatedAt)})
	}
	return a.print(c, l)
}
