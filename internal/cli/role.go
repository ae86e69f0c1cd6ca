package cli

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

func (a *app) roleCommand() *cli.Command {
	return &cli.Command{
		Name: "role", Usage: "list roles and show what they hold",
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "list the roles that mean something at a scope",
				Flags: []cli.Flag{
					atFlag(false),
					&cli.StringFlag{Name: "search", Usage: "only those with this `TEXT` in name, purpose or meaning (view, read only, run, edit, delete, admin)"},
					&cli.StringFlag{Name: "service", Usage: "only those that hold permissions of this `SERVICE`"},
					&cli.StringFlag{Name: "plane", Usage: "only those that hold permissions of this `PLANE`: control or data"},
					&cli.BoolFlag{Name: "privileged", Usage: "only those that can govern"},
					&cli.BoolFlag{Name: "all", Usage: "list also those that mean nothing there or cannot be granted there"},
				},
				Action: a.listRoles,
			},
			a.roleDefinitionCommand("create", "create a role at --at, usable there and below", false, a.createRole),
			a.roleDefinitionCommand("edit", "replace the definition of a custom role", true, a.editRole),
			{
				Name: "delete", Usage: "delete a custom role that nothing uses", ArgsUsage: "ROLE",
				Flags:  []cli.Flag{atFlag(false), &cli.BoolFlag{Name: "with-grants", Usage: "revoke its grants with it"}, previewFlag()},
				Action: a.removeRole,
			},
			{Name: "show", Usage: "show the permissions of a role and where it is used", ArgsUsage: "ROLE", Flags: []cli.Flag{atFlag(false)}, Action: a.showRole},
			{Name: "compare", Usage: "compare two roles: what both hold, and what only one of them does", ArgsUsage: "ROLE ROLE", Flags: []cli.Flag{atFlag(false)}, Action: a.compareRoles},
			{
				Name: "find", Usage: "find the roles that hold some permissions, those that hold least besides first", ArgsUsage: "OPERATION TYPE, …",
				Description: "Separate permissions with commas, as in\narbora role find fetch object, list object",
				Flags:       []cli.Flag{atFlag(false)}, Action: a.findRoles,
			},
		},
	}
}

// where returns the session and the address of --at, or its organisation.
func (a *app) where(c *cli.Command) (session, string, error) {
	s, err := a.as(c)
	if err != nil {
		return s, "", err
	}
	if at := c.String("at"); at != "" {
		return s, at, nil
	}
	organisation, err := s.organisation()
	return s, organisation, err
}

func (a *app) listRoles(ctx context.Context, c *cli.Command) error {
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	all := c.Bool("all")
	list, err := s.allRoles(ctx, at, all)
	if err != nil {
		return err
	}
	roles := slices.DeleteFunc(list.Roles, func(r api.Role) bool {
		return !strings.Contains(strings.ToLower(strings.Join(append(r.Meanings, r.Name, r.Title, r.Description), "\n")), strings.ToLower(c.String("search"))) ||
			c.IsSet("service") && !slices.Contains(r.Services, c.String("service")) ||
			c.IsSet("plane") && !slices.Contains(r.Planes, api.RolePlanes(c.String("plane"))) ||
			c.Bool("privileged") && !r.Privileged
	})
	l := listing{columns: []string{"Role", "Permissions", "Privileged", "Defined at", "Purpose"}, empty: "No role matches.", value: roles}
	for _, r := range roles {
		at := "built in"
		if r.Scope != nil {
			at = r.Scope.Address
		}
		l.rows = append(l.rows, []string{r.Name, strconv.Itoa(r.Permissions), choose(r.Privileged, "privileged", ""), at, r.Description})
	}
	return a.print(c, l)
}

// whereGranted says where a custom role is defined, and where it may be granted.
func whereGranted(r api.Role) string {
	var under []string
	if r.Under != nil {
		for _, at := range r.Under {
			under = append(under, at.Address)
		}
	}
	if r.Hidden {
		under = append(under, "others that you do not see")
	}
	if len(under) == 0 {
		return "Defined at " + r.Scope.Address + ", and may be granted there and below."
	}
	return "Defined at " + r.Scope.Address + ", and may be granted only under " + strings.Join(under, ", ") + "."
}

func (a *app) showRole(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "ROLE")
	if err != nil {
		return err
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	r, err := s.ShowRole(ctx, at, given[0])
	if err != nil {
		return err
	}
	a.say(c, "%s%s%s\n", r.Role.Title, choose(r.Role.Description != "", ": "+r.Role.Description, "."), choose(r.Role.Privileged, " Privileged: it can govern.", ""))
	if r.Role.Scope != nil {
		a.say(c, "%s\n", whereGranted(r.Role))
	}
	l := listing{columns: []string{"Service", "Type", "Plane", "Class", "Operations"}, value: r}
	for _, o := range r.Operations {
		row := []string{o.Service, o.Type, string(o.Plane), string(o.Class), o.Operation}
		if n := len(l.rows); n > 0 && strings.Join(l.rows[n-1][:4], " ") == strings.Join(row[:4], " ") {
			l.rows[n-1][4] += ", " + o.Operation
		} else {
			l.rows = append(l.rows, row)
		}
	}
	if err := a.print(c, l); err != nil {
		return err
	}
	uses := listing{columns: []string{"Who", "At"}, empty: "nowhere that you may see"}
	for _, g := range r.Grants {
		uses.rows = append(uses.rows, []string{whoText(g.Principal) + terms(g), g.Scope.Address})
	}
	for _, st := range r.Statements {
		uses.rows = append(uses.rows, []string{st.Text + "  (policy " + st.Policy.Name + ")", st.Place.Address})
	}
	a.section(c, "Used", uses)
	return nil
}

// comparison is what one of two roles holds and the other does not.
type comparison struct {
	Only  []string `json:"only"`
	Other []string `json:"other"`
	Both  int      `json:"both"`
}

func (a *app) compareRoles(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "ROLE", "ROLE")
	if err != nil {
		return err
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	var held [2][]string
	for i, name := range given {
		r, err := s.ShowRole(ctx, at, name)
		if err != nil {
			return err
		}
		for _, o := range r.Operations {
			held[i] = append(held[i], o.Operation+" "+o.Type)
		}
	}
	result := comparison{Only: []string{}, Other: []string{}}
	l := listing{columns: []string{"Permission", given[0], given[1]}, empty: "They hold the same."}
	for _, p := range held[0] {
		if slices.Contains(held[1], p) {
			result.Both++
		} else {
			result.Only = append(result.Only, p)
			l.rows = append(l.rows, []string{p, "holds", ""})
		}
	}
	for _, p := range held[1] {
		if !slices.Contains(held[0], p) {
			result.Other = append(result.Other, p)
			l.rows = append(l.rows, []string{p, "", "holds"})
		}
	}
	l.value = result
	a.say(c, "%d permissions are in both; %d only in %s, %d only in %s.\n", result.Both, len(result.Only), given[0], len(result.Other), given[1])
	return a.print(c, l)
}

func (a *app) findRoles(ctx context.Context, c *cli.Command) error {
	var wanted []string
	for _, permission := range strings.Split(strings.Join(c.Args().Slice(), " "), ",") {
		if permission = strings.TrimSpace(permission); permission != "" {
			wanted = append(wanted, permission)
		}
	}
	if len(wanted) == 0 {
		return usage("arbora role find needs the permissions wanted, such as: arbora role find fetch object, list object")
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	ranking, err := s.RankRoles(ctx, at, api.Wanted{Permissions: wanted})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Role", "Beyond", "Privileged", "Purpose"}, empty: "No single role holds all of it: ask for less, or grant two.", value: ranking}
	for _, r := range ranking.Roles {
		l.rows = append(l.rows, []string{r.Role.Name, strconv.Itoa(r.Beyond), choose(r.Role.Privileged, "privileged", ""), r.Role.Description})
	}
	return a.print(c, l)
}
