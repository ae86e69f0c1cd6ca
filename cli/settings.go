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

func (a *app) settingsCommand() *cli.Command {
	return &cli.Command{
		Name: "settings", Usage: "show or change what the organisation has decided for itself",
		Commands: []*cli.Command{
			{Name: "show", Usage: "show the settings", Action: func(ctx context.Context, c *cli.Command) error {
				s, organisation, err := a.inside(c)
				if err != nil {
					return err
				}
				settings, err := client.Read[api.Settings](s.ShowSettings(ctx, organisation))
				if err != nil {
					return err
				}
				return a.printFacts(c, settings, settingFacts(settings)...)
			}},
			{
				Name: "change", Usage: "change some of them; the others stay", Action: a.changeSettings,
				Flags: []cli.Flag{
					&cli.IntFlag{Name: "keys-each", Usage: "how many API keys anybody may have at a time, a `NUMBER`"},
					&cli.BoolFlag{Name: "second-factor", Usage: "whoever may govern needs a second factor"},
					&cli.BoolFlag{Name: "forbid-signed-in", Usage: "nothing may be opened to whoever has signed in somewhere"},
					&cli.BoolFlag{Name: "forbid-public", Usage: "nothing may be opened to people whom nobody knows"},
					&cli.StringSliceFlag{Name: "service", Usage: "a platform service that may act in the organisation, by `NAME`; may be given several times; \"all\" for all of them"},
				},
			},
		},
	}
}

func settingFacts(s api.Settings) []fact {
	return []fact{
		{"API keys each", fmt.Sprint(s.KeysEach)}, {"Second factor", yesNo(s.SecondFactor, "demanded of whoever may govern", "as everybody likes")},
		{"To signed-in", yesNo(s.ForbidSignedIn, "forbidden", "with a confirmation")}, {"To public", yesNo(s.ForbidPublic, "forbidden", "with a confirmation")},
		{"Services that may act", servicesWords(s.Services)},
	}
}

func servicesWords(services *[]string) string {
	if services == nil {
		return "all"
	}
	return yesNo(len(*services) > 0, strings.Join(*services, ", "), "none")
}

func (a *app) changeSettings(ctx context.Context, c *cli.Command) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	settings, err := client.Read[api.Settings](s.ShowSettings(ctx, organisation))
	if err != nil {
		return err
	}
	read := settings
	if c.IsSet("keys-each") {
		settings.KeysEach = c.Int("keys-each")
	}
	for name, into := range map[string]*bool{"second-factor": &settings.SecondFactor, "forbid-signed-in": &settings.ForbidSignedIn, "forbid-public": &settings.ForbidPublic} {
		if c.IsSet(name) {
			*into = c.Bool(name)
		}
	}
	if named := c.StringSlice("service"); slices.Contains(named, "all") {
		settings.Services = nil
	} else if c.IsSet("service") {
		settings.Services = &named
	}
	if _, err := client.Read[api.Written](s.ChangeSettings(ctx, organisation, api.SettingsEdit{Settings: settings, Was: &read})); err != nil {
		return err
	}
	return a.printFacts(c, settings, settingFacts(settings)...)
}
