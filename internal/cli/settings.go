package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

func (a *app) settingsCommand() *cli.Command {
	return &cli.Command{
		Name: "settings", Usage: "show or change the organisation's own settings",
		Commands: []*cli.Command{
			{Name: "show", Usage: "show the settings", Action: func(ctx context.Context, c *cli.Command) error {
				s, organisation, err := a.inside(c)
				if err != nil {
					return err
				}
				settings, err := s.ShowSettings(ctx, organisation)
				if err != nil {
					return err
				}
				return a.printFacts(c, settings, settingFacts(settings)...)
			}},
			{
				Name: "change", Usage: "change some of them; the others stay", Action: a.changeSettings,
				Flags: append([]cli.Flag{
					&cli.IntFlag{Name: "keys-each", Usage: "how many API keys anybody may have at a time, a `NUMBER`"},
					&cli.BoolFlag{Name: "forbid-signed-in", Usage: "nothing may be opened to people signed in elsewhere"},
					&cli.BoolFlag{Name: "forbid-public", Usage: "nothing may be opened to people who are not signed in"},
					&cli.StringSliceFlag{Name: "service", Usage: "a platform service that may act in the organisation, by `NAME`; may be given several times; \"all\" for all of them"},
					previewFlag(),
				}, demandFlags()...),
			},
		},
	}
}

func settingFacts(s api.Settings) []fact {
	return []fact{
		{"API keys each", fmt.Sprint(s.KeysEach)},
		{"Required of everybody", demandWords(s.Everybody)}, {"And of people who may govern", demandWords(s.Governing)},
		{"To signed-in", choose(s.ForbidSignedIn, "forbidden", "with a confirmation")}, {"To public", choose(s.ForbidPublic, "forbidden", "with a confirmation")},
		{"Services that may act", servicesWords(s.Services)},
	}
}

func servicesWords(services *[]string) string {
	if services == nil {
		return "all"
	}
	return choose(len(*services) > 0, strings.Join(*services, ", "), "none")
}

func (a *app) changeSettings(ctx context.Context, c *cli.Command) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	settings, err := s.ShowSettings(ctx, organisation)
	if err != nil {
		return err
	}
	read := settings
	if c.IsSet("keys-each") {
		settings.KeysEach = c.Int("keys-each")
	}
	for name, into := range map[string]*bool{"forbid-signed-in": &settings.ForbidSignedIn, "forbid-public": &settings.ForbidPublic} {
		if c.IsSet(name) {
			*into = c.Bool(name)
		}
	}
	if named := c.StringSlice("service"); slices.Contains(named, "all") {
		settings.Services = nil
	} else if c.IsSet("service") {
		settings.Services = &named
	}
	for level, into := range map[string]*api.Demands{"": &settings.Everybody, "governing-": &settings.Governing} {
		if *into, err = demandsGiven(c, level, *into); err != nil {
			return err
		}
	}
	edit := api.SettingsEdit{Settings: settings, Was: &read}
	written, err := s.ChangeSettings(ctx, organisation, &api.ChangeSettingsParams{Preview: c.Bool("preview")}, edit)
	switch {
	case err != nil:
		return err
	case c.Bool("preview"):
		return a.printImpact(c, written)
	}
	return a.printFacts(c, settings, settingFacts(settings)...)
}
