package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/english"
)

func (a *app) treeCommand() *cli.Command {
	return &cli.Command{
		Name: "tree", Usage: "draw the scopes at and below an address, as far as you see them", ArgsUsage: "[ADDRESS]",
		Flags: []cli.Flag{&cli.IntFlag{Name: "depth", Value: 32, Usage: "how many `LEVELS` below"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			s, address, err := a.at(c)
			if err != nil {
				return err
			}
			depth := c.Int("depth")
			tree, err := s.ShowTree(ctx, address, &api.ShowTreeParams{Depth: depth})
			if err != nil {
				return err
			}
			l := listing{columns: []string{"Scope", "Kind", "Title"}, value: tree}
			l.flatColumns = []string{"Address", "Kind", "Title", "State", "More below"}
			drawTree(tree.Scopes, func(n api.ScopeNode, lead string) {
				name := lead + n.Name
				l.rows = append(l.rows, []string{name + choose(n.Retired, " (retired)", ""), kindOf(n), n.Title + choose(n.More, choose(n.Title == "", "", ". ")+"More below: arbora tree "+n.Address, "")})
				l.flat = append(l.flat, []string{n.Address, kindOf(n), n.Title, choose(n.Retired, "retired", "active"), strconv.FormatBool(n.More)})
			})
			return a.print(c, l)
		},
	}
}

// drawTree calls draw for every node from the top down, with the lines that lead to its name.
func drawTree(nodes []api.ScopeNode, draw func(n api.ScopeNode, lead string)) {
	children := map[string][]api.ScopeNode{}
	for _, n := range nodes[1:] {
		children[n.Parent] = append(children[n.Parent], n)
	}
	var walk func(n api.ScopeNode, lead, beneath string)
	walk = func(n api.ScopeNode, lead, beneath string) {
		draw(n, lead)
		for i, child := range children[n.Id] {
			if i == len(children[n.Id])-1 {
				walk(child, beneath+"└─ ", beneath+"   ")
			} else {
				walk(child, beneath+"├─ ", beneath+"│  ")
			}
		}
	}
	walk(nodes[0], "", "")
}

func kindOf(n api.ScopeNode) string {
	if n.Type != "" {
		return n.Type
	}
	return string(n.Kind)
}

func (a *app) scopeCommand() *cli.Command {
	return &cli.Command{
		Name: "scope", Usage: "create, show and reshape scopes of the tree",
		Commands: append([]*cli.Command{
			{
				Name: "create", Usage: "create folders, projects, compartments or resources: all or none", ArgsUsage: "ADDRESS ...",
				Description: "The last part of the address is the new name; a resource's carries its type, as in\nlindenmere/science/herbarium/digitising/scans.bucket.",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "kind", Usage: "`KIND`: folder, project or compartment (a resource needs none)"},
					&cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"},
					&cli.StringFlag{Name: "description", Usage: "its purpose, as a `TEXT`"},
					&cli.StringMapFlag{Name: "tag", Usage: "a tag, as `KEY=VALUE`; may be repeated"},
					previewFlag(),
				},
				Action: a.createScope,
			},
			{Name: "list", Usage: "list the scopes directly below an address", ArgsUsage: "[ADDRESS]", Action: a.listScopes},
			{Name: "show", Usage: "show a scope with its details", ArgsUsage: "ADDRESS", Action: a.showScope},
		}, append(a.useCommands(), a.reshapeCommands()...)...),
	}
}

func (a *app) createScope(ctx context.Context, c *cli.Command) error {
	given := c.Args().Slice()
	if len(given) == 0 {
		return usage("%s takes one ADDRESS or more; see %s --help", c.FullName(), c.FullName())
	}
	var wanted []api.ScopeWanted
	for _, address := range given {
		one, err := scopeGiven(c, address)
		if err != nil {
			return err
		}
		wanted = append(wanted, one)
	}
	if len(wanted) > 1 {
		return a.createScopes(ctx, c, given, wanted)
	}
	s, err := a.as(c)
	if err != nil {
		return err
	}
	scope := wanted[0].Scope
	return create(ctx, a, c, s.PreviewCreateScope, s.CreateScope, wanted[0].Parent, scope, func(made api.ScopeMade) {
		a.say(c, "Created %s %s.", orWord(scope.Type, string(scope.Kind)), made.Scope.Address)
	})
}

// scopeGiven reads what is to be created at an address.
func scopeGiven(c *cli.Command, address string) (wanted api.ScopeWanted, err error) {
	parent, last := model.SplitAddress(address)
	if parent == "" {
		return wanted, usage("%s has no scope to create it in: write the address from the organisation down; keepers create organisations with arbora organisation create", address)
	}
	name, typeName := model.SplitFullName(last)
	kind := c.String("kind")
	switch {
	case typeName != "" && kind == "":
		kind = "resource"
	case kind == "":
		return wanted, usage("say with --kind whether %s is a folder, project or compartment", last)
	}
	scope := api.ScopeNew{Kind: api.ScopeNewKind(kind), Name: name, Type: typeName, Title: c.String("title"), Description: c.String("description")}
	if tags := c.StringMap("tag"); len(tags) > 0 {
		scope.Tags = tags
	}
	return api.ScopeWanted{Parent: parent, Scope: scope}, nil
}

// createScopes creates several scopes as one change: all or none.
func (a *app) createScopes(ctx context.Context, c *cli.Command, addresses []string, wanted []api.ScopeWanted) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	if c.String("title") != "" {
		return usage("--title is for one scope: create several without it, and title each with arbora scope edit")
	}
	var all api.Changes
	for _, one := range wanted {
		all.Changes = append(all.Changes, api.ChangeWanted{CreateScope: &one})
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.MakeChanges(ctx, organisation, &api.MakeChangesParams{Preview: preview}, all)
	}, func() {
		a.say(c, "Created %s.", english.Join(addresses))
	})
}

func (a *app) listScopes(ctx context.Context, c *cli.Command) error {
	s, address, err := a.at(c)
	if err != nil {
		return err
	}
	scopes, _, err := client.Pages(0, func(after string) ([]api.ScopeNode, string, error) {
		page, err := s.ListChildren(ctx, address, &api.ListChildrenParams{After: after})
		return page.Scopes, page.Next, err
	})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Name", "Kind", "Title", "State", "Address"}, empty: "There is nothing in " + address + " that you see.", value: scopes}
	for _, n := range scopes {
		l.rows = append(l.rows, []string{n.Name, kindOf(n), n.Title, choose(n.Retired, "retired", "active"), n.Address})
	}
	return a.print(c, l)
}

func (a *app) showScope(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "ADDRESS")
	if err != nil {
		return err
	}
	scope, err := s.ShowScope(ctx, given[0])
	if err != nil {
		return err
	}
	kind := string(scope.Kind)
	if scope.Type != "" {
		kind = scope.Type
	}
	facts := []fact{{"Address", scope.Address}, {"Kind", kind}}
	if !scope.Described {
		facts = append(facts, fact{"Details", "you see its name only: the rest needs the permission \"describe " + kind + "\""})
	} else {
		facts = append(facts, fact{"Title", scope.Title}, fact{"Description", scope.Description}, fact{"Tags", tagsText(scope.Tags)},
			fact{"State", choose(scope.Retired, "retired", "active")}, fact{"Created", moment(scope.CreatedAt)})
	}
	in, err := s.CountContents(ctx, scope.Id)
	if err != nil {
		return err
	}
	facts = append(facts, fact{"Id", scope.Id}, fact{"In it", contentsText(in)}, fact{"You may create", strings.Join(scope.Creatable, ", ")}, fact{"You may", strings.Join(scope.May, ", ")})
	if err := a.printFacts(c, scope, facts...); err != nil {
		return err
	}
	return a.tellScopeUse(ctx, c, s, scope)
}

func contentsText(in api.Contents) string {
	if in.Scopes == 0 {
		return ""
	}
	return fmt.Sprintf("%s inside; %s%s and %s below", english.Count(in.Children, "item"), choose(in.More, "at least ", ""), english.Count(in.Resources, "resource"), english.Count(in.Scopes, "scope"))
}

func tagsText(tags map[string]string) string {
	var parts []string
	for _, key := range slices.Sorted(maps.Keys(tags)) {
		parts = append(parts, fmt.Sprintf("%s=%s", key, tags[key]))
	}
	return strings.Join(parts, ", ")
}

// nilIfEmpty leaves a flag that was not given out of a request.
func nilIfEmpty(text string) *string {
	if text == "" {
		return nil
	}
	return &text
}

// valueOnly prints a value for programs; people were told in words.
func (a *app) valueOnly(c *cli.Command, value any) error {
	if c.String("output") == "table" {
		return nil
	}
	if c.String("output") == "csv" {
		return usage("there is nothing to list as csv here: use json or yaml")
	}
	return a.printValue(c, listing{value: value})
}

func (a *app) organisationCommand() *cli.Command {
	return &cli.Command{
		Name: "organisation", Usage: "create and list organisations, for keepers",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "create an organisation and its first steward", ArgsUsage: "NAME",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"},
					&cli.StringFlag{Name: "description", Usage: "its purpose, as a `TEXT`"},
					&cli.StringFlag{Name: "steward", Required: true, Usage: "`NAME` of its first steward"},
					&cli.StringFlag{Name: "steward-title", Usage: "the steward's display name, a `TEXT`"},
					&cli.StringFlag{Name: "steward-email", Usage: "the steward's `EMAIL`"},
					&cli.StringFlag{Name: "password-from", Usage: "read the steward's password from `FILE` (- for standard input); generated otherwise"},
				},
				Action: a.createOrganisation,
			},
			{Name: "list", Usage: "list the organisations", Action: a.listOrganisations},
			{
				Name: "reset-steward", Usage: "give the first steward another temporary password, until they have signed in and chosen their own", ArgsUsage: "ORGANISATION",
				Action: a.resetFirstSteward,
			},
		},
	}
}

func (a *app) resetFirstSteward(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "ORGANISATION")
	if err != nil {
		return err
	}
	reset, err := s.ResetFirstSteward(ctx, given[0])
	if err != nil {
		return err
	}
	a.say(c, "%s signs in with another password, shown this once and to be replaced at the first sign-in:\n%s", reset.SignIn, reset.Password)
	return a.valueOnly(c, reset)
}

func (a *app) createOrganisation(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "NAME")
	if err != nil {
		return err
	}
	steward := api.UserNew{Name: c.String("steward"), Title: c.String("steward-title"), Email: c.String("steward-email")}
	if from := c.String("password-from"); from != "" {
		password, err := a.secret(from, "")
		if err != nil {
			return err
		}
		steward.Password = password
	} else {
		temporary := true
		steward.Temporary = &temporary
	}
	made, err := s.CreateOrganisation(ctx, api.OrganisationNew{
		Name: given[0], Title: c.String("title"), Description: c.String("description"), Steward: steward,
	})
	if err != nil {
		return err
	}
	a.say(c, "Created organisation %s; %s@%s is its steward.", made.Organisation.Name, made.Steward.Name, made.Organisation.Name)
	a.sayPassword(c, made.Password, true)
	return a.valueOnly(c, made)
}

// sayPassword shows a generated password, this once.
func (a *app) sayPassword(c *cli.Command, password string, temporary bool) {
	if password != "" {
		a.say(c, "Password, shown this once%s: %s", choose(temporary, " and to be replaced at the first sign-in", ""), password)
	}
}

func (a *app) listOrganisations(ctx context.Context, c *cli.Command) error {
	s, err := a.as(c)
	if err != nil {
		return err
	}
	list, err := s.allOrganisations(ctx)
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Name", "Title", "Created"}, empty: "There is no organisation yet: arbora organisation create NAME --steward NAME", value: list.Organisations}
	for _, o := range list.Organisations {
		l.rows = append(l.rows, []string{o.Name, o.Title, moment(o.CreatedAt)})
	}
	return a.print(c, l)
}
