package cli

import (
	"context"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
)

func (a *app) providerCommand() *cli.Command {
	return &cli.Command{
		Name: "provider", Usage: "set up the identity providers that people from outside come by",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "create an identity provider, by which nobody comes yet", ArgsUsage: "NAME",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"},
					&cli.StringFlag{Name: "description", Usage: "a `TEXT` that says whose it is"},
					&cli.StringMapFlag{Name: "tag", Usage: "a tag, as `KEY=VALUE`; may be repeated"},
					&cli.BoolFlag{Name: "own", Usage: "its people are the organisation's own, so they are staff; this stays so"},
					previewFlag(),
				},
				Action: a.createProvider,
			},
			{Name: "list", Usage: "list identity providers", Action: a.listProviders},
			{Name: "show", Usage: "show an identity provider with its grants", ArgsUsage: "NAME", Action: a.showPrincipal(api.ProviderKind)},
			a.editCommand(api.ProviderKind),
			a.trustCommand(), a.entryCommand(), a.linkCommand(), a.provisioningCommand(), a.directoryCommand(),
			{
				Name: "trial", Usage: "try a trust in a browser: what the provider says is shown, and nobody comes in", ArgsUsage: "PROVIDER",
				Flags: []cli.Flag{&cli.StringFlag{Name: "trust", Usage: "the `TRUST`, by the beginning of its id; not needed where there is one"}}, Action: a.beginTrial,
			},
			{
				Name: "arrivals", Usage: "list who came by a provider last, and who was not let in and why", ArgsUsage: "PROVIDER",
				Flags: []cli.Flag{&cli.IntFlag{Name: "limit", Usage: "at most `N`, up to 500", Value: 50}}, Action: a.listArrivals,
			},
			a.stateCommand(api.ProviderKind, "suspend", api.StateSuspended), a.stateCommand(api.ProviderKind, "retire", api.StateRetired), a.stateCommand(api.ProviderKind, "restore", api.StateActive),
		},
	}
}

func (a *app) outsideCommand() *cli.Command {
	return &cli.Command{
		Name: "outside", Usage: "create, list and edit people who come by an identity provider",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "create an outside person ahead of the first sign-in", ArgsUsage: "NAME",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "provider", Usage: "the identity `PROVIDER` that they come by", Required: true},
					&cli.StringFlag{Name: "subject", Usage: "the `TEXT` the provider knows them by, which never changes", Required: true},
					&cli.StringFlag{Name: "title", Usage: "the display name, a `TEXT`"},
					&cli.StringFlag{Name: "description", Usage: "a `TEXT` about the person"},
					&cli.StringMapFlag{Name: "tag", Usage: "a tag, as `KEY=VALUE`; may be repeated"},
					&cli.StringSliceFlag{Name: "group", Usage: "add them to this `GROUP`; may be repeated"},
					&cli.StringSliceFlag{Name: "grant", Usage: "give them a role, as `\"ROLE at ADDRESS\"`, with from or until INSTANT after it if wanted; may be repeated"},
					atMostFlag(),
					previewFlag(),
				},
				Action: a.createOutsidePerson,
			},
			a.listPeopleCommand(api.ListPeopleParamsKindOutsidePerson, "list people who come by identity providers"),
			{Name: "show", Usage: "show an outside person with claims, groups and grants", ArgsUsage: "NAME", Action: a.showPrincipal(api.OutsidePersonKind)},
			a.editCommand(api.OutsidePersonKind),
			{Name: "mail-password-link", Usage: "mail a link to choose a password to a person who is read from the organisation's own directory", ArgsUsage: "NAME", Action: a.mailPasswordLink(api.OutsidePersonKind)},
			a.stateCommand(api.OutsidePersonKind, "suspend", api.StateSuspended), a.stateCommand(api.OutsidePersonKind, "retire", api.StateRetired), a.stateCommand(api.OutsidePersonKind, "restore", api.StateActive),
		},
	}
}

func (a *app) createProvider(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "NAME")
	if err != nil {
		return err
	}
	wanted := api.ProviderNew{Name: given[0], Title: c.String("title"), Description: c.String("description"), Tags: tagsGiven(c), Own: c.Bool("own")}
	return create(ctx, a, c, s.PreviewCreateProvider, s.CreateProvider, organisation, wanted, func(made api.ProviderMade) {
		a.say(c, "Created identity provider %s. Nobody comes by it yet.%s", made.Provider.Name, choose(made.Provider.Own, " People who come by it are staff.", ""))
	})
}

func (a *app) listProviders(ctx context.Context, c *cli.Command) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	list, _, err := client.Pages(0, func(after string) ([]api.Provider, string, error) {
		page, err := s.ListProviders(ctx, organisation, &api.ListProvidersParams{After: after})
		return page.Providers, page.Next, err
	})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Name", "Title", "Its people are", "People", "State", "Created"}, empty: "There are no identity providers.", value: list}
	for _, p := range list {
		l.rows = append(l.rows, []string{p.Name, p.Title, choose(p.Own, "staff", "outside people"), strconv.Itoa(p.People), string(p.State), moment(p.CreatedAt)})
	}
	return a.print(c, l)
}

func (a *app) createOutsidePerson(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "NAME")
	if err != nil {
		return err
	}
	grants, err := grantsGiven(c)
	if err != nil {
		return err
	}
	provider := c.String("provider")
	wanted := api.OutsidePersonNew{
		Name: strings.TrimSuffix(given[0], "@"+provider), Provider: provider, Subject: c.String("subject"), Title: c.String("title"), Description: c.String("description"),
		Tags: tagsGiven(c), Groups: c.StringSlice("group"), Grants: grants, AtMost: c.String("at-most"),
	}
	return create(ctx, a, c, s.PreviewCreateOutsidePerson, s.CreateOutsidePerson, organisation, wanted, func(made api.OutsidePersonMade) {
		a.say(c, "Created outside person %s with the subject %s at %s.", made.Person.Name, wanted.Subject, provider)
	})
}

// outsideFacts tells what only outside people and providers have.
// beyondLinks returns the groups somebody is in at any depth, but for those that a fact of their outside groups names.
func beyondLinks(p api.PrincipalDetails) []string {
	return slices.DeleteFunc(slices.Clone(p.Within), func(name string) bool {
		return !slices.Contains(p.Groups, name) && slices.ContainsFunc(p.OutsideGroups, func(g api.OutsideGroup) bool {
			return slices.ContainsFunc(g.Links, func(l api.OutsideLink) bool { return l.Group == name })
		})
	})
}

func outsideFacts(p api.PrincipalDetails) (facts []fact) {
	switch p.Kind {
	case api.ProviderKind:
		return []fact{{"Its people are", choose(p.Own, "staff", "outside people")}, {"People", strconv.Itoa(p.People)}}
	case api.OutsidePersonKind:
		facts = []fact{{"Provider", p.Provider}, {"Subject", p.Subject}}
		for _, g := range p.OutsideGroups {
			facts = append(facts, fact{"Group there", g.Name + choose(len(g.Links) == 0, ", linked to no group", ", which puts them into "+linksText(g))})
		}
		if p.Claims == nil {
			return append(facts, fact{"Claims", "none yet: they have not signed in"})
		}
		for _, name := range slices.Sorted(maps.Keys(p.Claims)) {
			facts = append(facts, fact{"Claim " + name, strings.Join(p.Claims[name], ", ")})
		}
	}
	return facts
}
