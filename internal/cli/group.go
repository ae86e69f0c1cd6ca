package cli

import (
	"context"
	"strconv"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/english"
)

func (a *app) groupCommand() *cli.Command {
	return &cli.Command{
		Name: "group", Usage: "create, list and show groups, and change who is in them",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "create a group", ArgsUsage: "NAME",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"},
					&cli.StringFlag{Name: "description", Usage: "a `TEXT` that says what the group is for"},
					&cli.StringMapFlag{Name: "tag", Usage: "a tag, as `KEY=VALUE`; may be repeated"},
					&cli.StringFlag{Name: "owner", Usage: "the `USER` who may change its members without being an administrator"},
					&cli.StringFlag{Name: "owner-group", Usage: "the `GROUP` whose members may"},
					&cli.StringFlag{Name: "gathers", Usage: "make it a gathering group: its members are the people who meet this `CONDITION`, such as 'tag team is \"seeds\"'"},
					previewFlag(),
				},
				Action: a.createGroup,
			},
			{Name: "list", Usage: "list groups", Action: a.listGroups},
			{Name: "show", Usage: "show a group with members and grants", ArgsUsage: "NAME", Action: a.showPrincipal(api.GroupKind)},
			a.editCommand(api.GroupKind), a.stateCommand(api.GroupKind, "retire", api.StateRetired), a.stateCommand(api.GroupKind, "restore", api.StateActive),
			{Name: "add", Usage: "add users, guests, service accounts or groups to a group", ArgsUsage: "GROUP", Flags: append(memberFlags(), previewFlag()), Action: a.changeMembers("now in", func(m api.MembershipWanted) api.ChangeWanted { return api.ChangeWanted{AddMember: &m} })},
			{Name: "remove", Usage: "remove members from a group", ArgsUsage: "GROUP", Flags: append(memberFlags(), previewFlag()), Action: a.changeMembers("no longer in", func(m api.MembershipWanted) api.ChangeWanted { return api.ChangeWanted{RemoveMember: &m} })},
		},
	}
}

func (a *app) createGroup(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "NAME")
	if err != nil {
		return err
	}
	wanted := api.GroupNew{
		Name: given[0], Title: c.String("title"), Description: c.String("description"),
		Tags: tagsGiven(c), Owner: ownerGiven(c), Gathers: c.String("gathers"),
	}
	return create(ctx, a, c, s.PreviewCreateGroup, s.CreateGroup, organisation, wanted, func(made api.GroupMade) {
		if made.Group.Gathers != "" {
			a.say(c, "Created group %s. Its members are the people who meet this condition: %s. %s at present. It holds nothing yet.", made.Group.Name, made.Group.Gathers, english.Count(made.Group.Members, "member"))
		} else {
			a.say(c, "Created group %s. It has no members and holds nothing yet.", made.Group.Name)
		}
	})
}

func (a *app) listGroups(ctx context.Context, c *cli.Command) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	groups, _, err := client.Pages(0, func(after string) ([]api.Group, string, error) {
		page, err := s.ListGroups(ctx, organisation, &api.ListGroupsParams{After: after})
		return page.Groups, page.Next, err
	})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Name", "Title", "Members", "Gathers", "State", "Created"}, empty: "There are no groups.", value: groups}
	for _, g := range groups {
		l.rows = append(l.rows, []string{g.Name, g.Title, strconv.Itoa(g.Members), orWord(g.Gathers, ""), string(g.State), moment(g.CreatedAt)})
	}
	return a.print(c, l)
}

// changeMembers adds members to a group, or removes them: all or none.
func (a *app) changeMembers(done string, one func(api.MembershipWanted) api.ChangeWanted) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		s, organisation, given, err := a.insideWith(c, "GROUP")
		if err != nil {
			return err
		}
		members, err := principals(c)
		if err != nil {
			return err
		}
		var wanted api.Changes
		var names []string
		for _, member := range members {
			wanted.Changes = append(wanted.Changes, one(api.MembershipWanted{Group: given[0], Member: member}))
			names = append(names, whoText(member))
		}
		return a.change(c, func(preview bool) (api.Written, error) {
			return s.MakeChanges(ctx, organisation, &api.MakeChangesParams{Preview: preview}, wanted)
		}, func() {
			a.say(c, "%s %s %s %s.", capital(english.Join(names)), choose(len(names) == 1, "is", "are"), done, given[0])
		})
	}
}
