package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/access/model"
	"arbora.example/api"
)

// reshapeCommands alter scopes, one or many as one change.
func (a *app) reshapeCommands() []*cli.Command {
	return []*cli.Command{
		{
			Name: "move", Usage: "move scopes, with everything below them, into another", ArgsUsage: "ADDRESS …",
			Flags:  []cli.Flag{&cli.StringFlag{Name: "to", Required: true, Usage: "the `ADDRESS` of the scope to move into"}, previewFlag()},
			Action: a.reshape("Moved", func(c *cli.Command) api.Reshaping { return api.Reshaping{To: c.String("to")} }),
		},
		{
			Name: "edit", Usage: "edit a scope's name, title or description; its id and access stay", ArgsUsage: "ADDRESS",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "name", Usage: "another `NAME`; a resource keeps its type"},
				&cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"},
				&cli.StringFlag{Name: "description", Usage: "its purpose, as a `TEXT`"},
				previewFlag(),
			},
			Action: a.reshape("Changed", func(c *cli.Command) api.Reshaping {
				return api.Reshaping{Name: nilIfEmpty(c.String("name")), Title: givenText(c, "title"), Description: givenText(c, "description")}
			}),
		},
		{
			Name: "tag", Usage: "set and remove tags of scopes", ArgsUsage: "ADDRESS …",
			Flags: []cli.Flag{
				&cli.StringMapFlag{Name: "tag", Usage: "a tag, as `KEY=VALUE`, beside those there are; may be repeated"},
				&cli.StringSliceFlag{Name: "untag", Usage: "remove the tag with this `KEY`; may be repeated"},
				previewFlag(),
			},
			Action: a.reshape("Tagged", func(c *cli.Command) api.Reshaping {
				untag := c.StringSlice("untag")
				return api.Reshaping{Tags: tagsGiven(c), Untag: untag}
			}),
		},
		a.scopeStateCommand("retire", "retire scopes with everything below them: all access there is denied at once", api.ScopeRetired),
		a.scopeStateCommand("restore", "restore retired scopes, exactly as they were", api.ScopeActive),
	}
}

func (a *app) scopeStateCommand(verb, usage string, state api.ReshapingState) *cli.Command {
	return &cli.Command{
		Name: verb, Usage: usage, ArgsUsage: "ADDRESS …", Flags: []cli.Flag{previewFlag()},
		Action: a.reshape(capital(strings.TrimSuffix(verb, "e"))+"ed", func(*cli.Command) api.Reshaping { return api.Reshaping{State: state} }),
	}
}

// givenText returns a flag's text, an empty one too, if it was given at all.
func givenText(c *cli.Command, name string) *string {
	if !c.IsSet(name) {
		return nil
	}
	text := c.String(name)
	return &text
}

// reshape alters the scopes that the arguments name as wanted says.
func (a *app) reshape(did string, wanted func(*cli.Command) api.Reshaping) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		if !c.Args().Present() {
			return usage("%s takes ADDRESS; see %s --help", c.FullName(), c.FullName())
		}
		s, organisation, err := a.inside(c)
		if err != nil {
			return err
		}
		body := wanted(c)
		body.Scopes = c.Args().Slice()
		return a.change(c, func(preview bool) (api.Written, error) {
			return s.ReshapeScopes(ctx, organisation, &api.ReshapeScopesParams{Preview: preview}, body)
		}, func() {
			for _, address := range body.Scopes {
				parent, name := model.SplitAddress(address)
				if body.To != "" {
					parent = body.To
				}
				if body.Name != nil {
					_, of := model.SplitFullName(name)
					name = *body.Name + choose(of == "", "", "."+of)
				}
				if now := parent + choose(parent == "", "", "/") + name; now != address {
					a.say(c, "%s %s: it is now %s.", did, address, now)
				} else {
					a.say(c, "%s %s.", did, address)
				}
			}
		})
	}
}
