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

func (a *app) catalogueCommand() *cli.Command {
	return &cli.Command{
		Name: "catalogue", Usage: "list the types there are, or the operations of one and which roles hold each", ArgsUsage: "[TYPE]",
		Action: a.browseCatalogue,
		Commands: []*cli.Command{
			{
				Name: "register", Usage: "register a service by its file, for keepers; - reads standard input", ArgsUsage: "FILE", Action: a.registerService,
				Description: "The file is JSON: the service, its types of resources with their operations by plane and class, and roles of its own.\ndocs/services.md has every field and an example.",
			},
			{Name: "remove", Usage: "remove a registered service that nothing uses, for keepers", ArgsUsage: "SERVICE", Action: a.removeService},
			{
				Name: "offer", Usage: "set the services offered below a container; name none to offer all", ArgsUsage: "[SERVICE …]",
				Flags:  []cli.Flag{atFlag(true), previewFlag()},
				Action: a.offerServices,
			},
		},
	}
}

func (a *app) browseCatalogue(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() > 1 {
		return usage("arbora catalogue takes one TYPE")
	}
	s, err := a.as(c)
	if err != nil {
		return err
	}
	catalogue, err := api.Catalogue{}, error(nil)
	if s.saved.Organisation == "" {
		catalogue, err = s.ListServices(ctx)
	} else {
		catalogue, err = s.GetCatalogue(ctx, s.saved.Organisation)
	}
	if err != nil {
		return err
	}
	if c.Args().Len() == 1 {
		return a.showType(c, catalogue, c.Args().First())
	}
	l := listing{columns: []string{"Service", "Type", "Sits in", "Operations", "What it is"}, value: catalogue}
	for _, service := range catalogue.Services {
		for _, t := range service.Types {
			l.rows = append(l.rows, []string{service.Name, t.Name, strings.Join(t.Parents, ", "), strconv.Itoa(len(t.Operations)), t.Description})
		}
	}
	return a.print(c, l)
}

func (a *app) registerService(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "FILE")
	if err != nil {
		return err
	}
	text, err := a.readText(given[0])
	if err != nil {
		return err
	}
	s, err := a.as(c)
	if err != nil {
		return err
	}
	registered, err := s.RegisterService(ctx, api.ServiceNew{File: text})
	if err != nil {
		return err
	}
	var types []string
	for _, t := range registered.Types {
		types = append(types, t.Name)
	}
	a.say(c, "Registered service %s, with %s. Its roles can be granted at once.", registered.Name, strings.Join(types, ", "))
	return a.valueOnly(c, registered)
}

func (a *app) removeService(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "SERVICE")
	if err != nil {
		return err
	}
	if err := s.RemoveService(ctx, given[0]); err != nil {
		return err
	}
	a.say(c, "Removed service %s.", given[0])
	return nil
}

func (a *app) offerServices(ctx context.Context, c *cli.Command) error {
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	var wanted api.Offer
	if services := c.Args().Slice(); len(services) > 0 {
		wanted.Services = &services
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.OfferServices(ctx, at, &api.OfferServicesParams{Preview: preview}, wanted)
	}, func() {
		if wanted.Services == nil {
			a.say(c, "All services that are offered above are offered at %s.", at)
		} else {
			a.say(c, "Only %s can be created at %s from now on.", strings.Join(*wanted.Services, ", "), at)
		}
	})
}

func (a *app) showType(c *cli.Command, catalogue api.Catalogue, name string) error {
	var known []string
	for _, service := range catalogue.Services {
		for _, t := range service.Types {
			known = append(known, t.Name)
			if t.Name != name {
				continue
			}
			l := listing{columns: []string{"Permission", "Class", "Plane", "Needs too", "Roles that hold it"}, value: t}
			for _, o := range t.Operations {
				l.rows = append(l.rows, []string{o.Operation + " " + o.Type, string(o.Class), string(o.Plane), needsText(o), strings.Join(*o.Roles, ", ")})
			}
			return a.print(c, l)
		}
	}
	if near := english.Nearest(name, known); near != "" {
		return fmt.Errorf("there is no type %q: did you mean %s?", name, near)
	}
	return fmt.Errorf("there is no type %q: arbora catalogue lists them", name)
}

func needsText(o api.Operation) string {
	if o.Needs == nil {
		return ""
	}
	return strings.Join(*o.Needs, ", ")
}
