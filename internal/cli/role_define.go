package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/internal/english"
)

// roleDefinitionCommand makes the command that creates a role, or edits one: then what is not given stays as it is.
func (a *app) roleDefinitionCommand(name, does string, edits bool, action cli.ActionFunc) *cli.Command {
	command := &cli.Command{
		Name: name, Usage: does, ArgsUsage: "ROLE",
		Description: "Each --include and --exclude picks the permissions that match all its parts, as in\n" +
			"arbora role create seed-scanner --at lindenmere/science --include 'service=storage plane=data class=observe,modify'\n" +
			"The parts are class, operation, type, service and plane. A permission picks itself, as in --include 'start machine'.",
		Flags: []cli.Flag{
			atFlag(!edits),
			&cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"},
			&cli.StringFlag{Name: "description", Usage: "its purpose, as a `TEXT`"},
			&cli.StringSliceFlag{Name: "include", Required: !edits, Usage: "`PARTS` that it holds"},
			&cli.StringSliceFlag{Name: "exclude", Usage: "`PARTS` that it does not hold"},
			&cli.StringSliceFlag{Name: "under", Usage: "it may be granted under this `ADDRESS` only; may be given several times"},
		},
		// The parts of one filter are kept apart by spaces, its words by commas.
		DisableSliceFlagSeparator: true,
		Action:                    action,
	}
	if edits {
		command.Flags = append(command.Flags, previewFlag())
	}
	return command
}

// filters reads what --include or --exclude picks.
func filters(c *cli.Command, flag string) ([]api.RoleFilter, error) {
	read := []api.RoleFilter{}
	for _, text := range c.StringSlice(flag) {
		var f api.RoleFilter
		lists := map[string]*[]string{"class": &f.Classes, "operation": &f.Operations, "type": &f.Types, "service": &f.Services, "plane": &f.Planes}
		parts := strings.Fields(text)
		if len(parts) == 2 && !strings.Contains(text, "=") {
			parts = []string{"operation=" + parts[0], "type=" + parts[1]}
		}
		for _, part := range parts {
			name, words, _ := strings.Cut(part, "=")
			list, known := lists[name]
			switch {
			case !known || words == "":
				return nil, usage("--%s %q: %q is not a part; the parts are class=, operation=, type=, service= and plane=", flag, text, part)
			case *list != nil:
				return nil, usage("--%s %q says %s= twice: write what may match as %s=ONE,OTHER", flag, text, name, name)
			}
			*list = strings.Split(words, ",")
		}
		read = append(read, f)
	}
	return read, nil
}

func (a *app) createRole(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "ROLE")
	if err != nil {
		return err
	}
	wanted, err := roleEdit(c)
	if err != nil {
		return err
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	made, err := s.CreateRole(ctx, at, api.RoleNew{
		Name: given[0], Title: wanted.Title, Description: wanted.Description, Include: wanted.Include, Exclude: wanted.Exclude, Under: wanted.Under,
	})
	if err != nil {
		return err
	}
	a.say(c, "Created role %s, with %s.%s\n%s", made.Role.Name, english.Count(made.Role.Permissions, "permission"), choose(made.Role.Privileged, " It is privileged: it can govern.", ""), whereGranted(made.Role))
	return a.valueOnly(c, made)
}

func roleEdit(c *cli.Command) (api.RoleEdit, error) {
	include, err := filters(c, "include")
	if err != nil {
		return api.RoleEdit{}, err
	}
	exclude, err := filters(c, "exclude")
	if err != nil {
		return api.RoleEdit{}, err
	}
	under := c.StringSlice("under")
	return api.RoleEdit{
		Title: c.String("title"), Description: c.String("description"), Include: include, Exclude: exclude, Under: under,
	}, nil
}

func (a *app) editRole(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "ROLE")
	if err != nil {
		return err
	}
	said, err := roleEdit(c)
	if err != nil {
		return err
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	now, err := s.ShowRole(ctx, at, given[0])
	if err != nil {
		return err
	}
	if now.Role.Scope != nil && !c.IsSet("at") {
		at = now.Role.Scope.Address
	}
	wanted := keepingRest(c, said, now)
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.EditRole(ctx, at, given[0], &api.EditRoleParams{Preview: preview}, wanted)
	}, func() {
		a.say(c, "Edited role %s.%s", given[0], choose(c.IsSet("include") || c.IsSet("exclude"), " Its holders have the new permissions from now on.", ""))
	})
}

// keepingRest has an edit leave as it is what no flag is about.
func keepingRest(c *cli.Command, edit api.RoleEdit, now api.RoleDetails) api.RoleEdit {
	if !c.IsSet("title") {
		edit.Title = now.Role.Title
	}
	if !c.IsSet("description") {
		edit.Description = now.Role.Description
	}
	if !c.IsSet("include") {
		edit.Include = now.Include
	}
	if !c.IsSet("exclude") {
		edit.Exclude = now.Exclude
	}
	if !c.IsSet("under") {
		edit.Under = nil
		for _, scope := range now.Role.Under {
			edit.Under = append(edit.Under, scope.Id)
		}
	}
	return edit
}

func (a *app) removeRole(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "ROLE")
	if err != nil {
		return err
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	grants := c.Bool("with-grants")
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.RemoveRole(ctx, at, given[0], &api.RemoveRoleParams{Grants: grants, Preview: preview})
	}, func() {
		a.say(c, "Deleted role %s%s.", given[0], choose(grants, " and its grants", ""))
	})
}
