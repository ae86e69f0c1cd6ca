package cli

import (
	"context"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
)

func (a *app) linkCommand() *cli.Command {
	const described = `People who are in the outside group, as their provider says, are in the group, for as long as it says so. Names have to match letter by letter. A part
in braces stands for any text: label-{house} links label-seeds and label-maps, and later groups that are named like them.`
	return &cli.Command{
		Name: "link", Usage: "link the groups that an identity provider names to groups of the organisation",
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "list the groups that a provider names, and the groups they are linked to", ArgsUsage: "PROVIDER",
				Flags: []cli.Flag{
					&cli.BoolFlag{Name: "unlinked", Usage: "only those that were seen and are linked to no group"},
					&cli.BoolFlag{Name: "unseen", Usage: "only those that are linked while nobody is in them"},
				},
				Action: a.listLinks,
			},
			{Name: "create", Usage: "link an outside group, or all with such names, to a group", ArgsUsage: "PROVIDER OUTSIDE-GROUP GROUP", Description: described, Flags: []cli.Flag{previewFlag()}, Action: a.createLink},
			{Name: "remove", Usage: "remove the link of an outside group to a group", ArgsUsage: "PROVIDER OUTSIDE-GROUP GROUP", Flags: []cli.Flag{previewFlag()}, Action: a.removeLink},
		},
	}
}

func (a *app) listLinks(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return err
	}
	asked := api.ListOutsideGroupsParams{Provider: given[0]}
	switch {
	case c.Bool("unlinked") && c.Bool("unseen"):
		return usage("give --unlinked or --unseen, not both")
	case c.Bool("unlinked"):
		asked.Links = api.Unlinked
	case c.Bool("unseen"):
		asked.Links = api.Unseen
	}
	groups, _, err := client.Pages(0, func(after string) ([]api.OutsideGroup, string, error) {
		asked.After = after
		page, err := s.ListOutsideGroups(ctx, organisation, &asked)
		return page.OutsideGroups, page.Next, err
	})
	if err != nil {
		return err
	}
	empty := given[0] + " has named no groups yet."
	if asked.Links != "" {
		empty = "There are none such."
	}
	l := listing{columns: []string{"Outside group", "People", "In groups", "Remark"}, empty: empty, value: groups}
	for _, g := range groups {
		l.rows = append(l.rows, []string{g.Name, strconv.Itoa(g.People), linksText(g), outsideRemark(g)})
	}
	return a.print(c, l)
}

func linksText(g api.OutsideGroup) string {
	var links []string
	for _, link := range g.Links {
		links = append(links, link.Group+choose(link.By == "", "", " (by "+link.By+")"))
	}
	return orWord(strings.Join(links, ", "), "none")
}

// outsideRemark tells of an outside group what its numbers do not.
func outsideRemark(g api.OutsideGroup) string {
	switch {
	case g.Pattern:
		return "matches " + orWord(strings.Join(g.Matches, ", "), "none yet")
	case len(g.Near) > 0:
		return "nobody is in it; seen: " + strings.Join(g.Near, ", ")
	case g.People == 0 && len(g.Links) > 0:
		return "nobody is in it"
	}
	return ""
}

func (a *app) createLink(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER", "OUTSIDE-GROUP", "GROUP")
	if err != nil {
		return err
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.CreateLink(ctx, organisation, given[0], &api.CreateLinkParams{Preview: preview}, api.GroupLink{OutsideGroup: given[1], Group: given[2]})
	}, func() {
		a.say(c, "People of %s who are in %s there are in %s now.", given[0], given[1], given[2])
		page, err := s.ListOutsideGroups(ctx, organisation, &api.ListOutsideGroupsParams{Provider: given[0], Links: api.Unseen, Find: given[1]})
		if err != nil {
			return // what was done is told
		}
		for _, g := range page.OutsideGroups {
			if g.Name == given[1] && !g.Pattern {
				a.say(c, "At present %s.", outsideRemark(g))
			}
		}
	})
}

func (a *app) removeLink(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER", "OUTSIDE-GROUP", "GROUP")
	if err != nil {
		return err
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.RemoveLink(ctx, organisation, given[0], given[2], given[1], &api.RemoveLinkParams{Preview: preview})
	}, func() { a.say(c, "%s of %s is no longer linked to %s.", given[1], given[0], given[2]) })
}
