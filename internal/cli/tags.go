package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/internal/english"
)

func (a *app) tagCommand() *cli.Command {
	flags := append(memberFlags(), previewFlag())
	return &cli.Command{
		Name: "tag", Usage: "set and remove tags of many people, groups and programs at once",
		Commands: []*cli.Command{
			{Name: "set", Usage: "set a tag; other tags stay", ArgsUsage: "KEY=VALUE", Flags: flags, Action: a.tagMany(false)},
			{Name: "remove", Usage: "remove a tag; other tags stay", ArgsUsage: "KEY", Flags: flags, Action: a.tagMany(true)},
		},
	}
}

// tagMany gives a tag, or takes it away: for all or none.
func (a *app) tagMany(remove bool) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		s, organisation, given, err := a.insideWith(c, choose(remove, "KEY", "KEY=VALUE"))
		if err != nil {
			return err
		}
		key, value, valued := strings.Cut(given[0], "=")
		if valued == remove {
			return usage("%s takes %s; see %s --help", c.FullName(), choose(remove, "the KEY alone", "KEY=VALUE"), c.FullName())
		}
		who, err := principals(c)
		if err != nil {
			return err
		}
		var wanted api.Changes
		var names []string
		for _, one := range who {
			tags := api.TagsWanted{Principal: one}
			if remove {
				tags.Remove = []string{key}
			} else {
				tags.Tags = api.Tags{key: value}
			}
			wanted.Changes = append(wanted.Changes, api.ChangeWanted{TagPrincipal: &tags})
			names = append(names, whoText(one))
		}
		return a.change(c, func(preview bool) (api.Written, error) {
			return s.MakeChanges(ctx, organisation, &api.MakeChangesParams{Preview: preview}, wanted)
		}, func() {
			if remove {
				a.say(c, "Removed the tag %s from %s.", key, english.Join(names))
			} else {
				a.say(c, "Tagged %s with %s.", english.Join(names), given[0])
			}
		})
	}
}
