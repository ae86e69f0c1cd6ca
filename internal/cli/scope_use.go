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

// useCommands look things up in the tree in use: a search over all of it, and who holds what at a scope.
func (a *app) useCommands() []*cli.Command {
	return []*cli.Command{
		{
			Name: "search", Usage: "find scopes in the whole tree by name, tag, type or id", ArgsUsage: "[TEXT]", Action: a.searchScopes,
			Description: "TEXT is the beginning of a name, of a word in it, of a tag, its value or a type; or an id, or an address.",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "kind", Usage: "only this `KIND`: folder, project, compartment or resource"},
				&cli.StringFlag{Name: "type", Usage: "only resources of this `TYPE`"},
				&cli.StringFlag{Name: "tag", Usage: "only those with this tag: `KEY` or KEY=VALUE"},
				&cli.StringFlag{Name: "state", Usage: "only those in this `STATE`: active or retired"},
				&cli.IntFlag{Name: "most", Value: 200, Usage: "stop after this `NUMBER`"},
			},
		},
		{
			Name: "matrix", Usage: "show who holds what at a scope, by class of operation and plane", ArgsUsage: "ADDRESS", Action: a.printMatrix,
			Description: "A cell has a letter for each class: o observe, p operate, m modify, d destroy, g govern. A capital means all\npermissions of the class, a small letter some of them, ? some under a condition, - none. Letters after / are for data.",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "against", Value: "types", Usage: "`COLUMNS`: types of resources, or children of the scope"},
				&cli.BoolFlag{Name: "groups", Usage: "groups and built-in sets instead of people and machines"},
			},
		},
	}
}

func (a *app) searchScopes(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() > 1 {
		return usage("%s takes one TEXT; put words that belong together in quotes", c.FullName())
	}
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	most, page, err := most(c)
	if err != nil {
		return err
	}
	params := &api.SearchScopesParams{
		Text: c.Args().First(), Kind: c.String("kind"), Type: c.String("type"), Tag: c.String("tag"), State: c.String("state"), Limit: page,
	}
	found, more, err := client.Pages(most, func(after string) ([]api.ScopeNode, string, error) {
		params.After = after
		list, err := s.SearchScopes(ctx, organisation, params)
		return list.Scopes, list.Next, err
	})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Address", "Kind", "Title", "Tags"}, empty: "Nothing found that you may see.", value: found}
	for _, n := range found {
		tags := ""
		if n.Tags != nil {
			tags = tagsText(n.Tags)
		}
		l.rows = append(l.rows, []string{n.Address + choose(n.Retired, " (retired)", ""), kindOf(n), n.Title, tags})
	}
	if err := a.print(c, l); err != nil {
		return err
	}
	if more {
		a.say(c, "There are more: narrow the search, or ask for them with --most.")
	}
	return nil
}

func (a *app) printMatrix(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "ADDRESS")
	if err != nil {
		return err
	}
	against, rows := api.ShowMatrixParamsAgainst(c.String("against")), api.ShowMatrixParamsRows("people")
	if c.Bool("groups") {
		rows = "groups"
	}
	params := &api.ShowMatrixParams{Against: against, Rows: rows}
	var whole api.Matrix
	whole.Rows, _, err = client.Pages(0, func(after string) ([]api.MatrixRow, string, error) {
		params.After = after
		m, err := s.ShowMatrix(ctx, given[0], params)
		whole.Scope, whole.Columns, whole.Revision = m.Scope, m.Columns, m.Revision
		return m.Rows, m.Next, err
	})
	if err != nil {
		return err
	}
	if c.String("output") == "csv" {
		return a.printValue(c, matrixFacts(whole))
	}
	l := listing{columns: []string{"Who"}, value: whole, empty: "Nobody holds anything there."}
	for _, column := range whole.Columns {
		l.columns = append(l.columns, column.Name)
	}
	for _, row := range whole.Rows {
		cells := []string{whoText(row.Principal)}
		for i, cell := range row.Cells {
			cells = append(cells, cellText(whole.Columns[i], cell))
		}
		l.rows = append(l.rows, cells)
	}
	if err := a.print(c, l); err != nil {
		return err
	}
	a.say(c, "\no observe, p operate, m modify, d destroy, g govern: a capital for all of a class, a small letter for some, ? under a condition.\nLetters after / are for data. Why: arbora explain PERMISSION --at ADDRESS --user NAME")
	return nil
}

// classLetters are the classes as they stand in a cell.
var classLetters = []struct {
	class  api.OperationClass
	letter string
}{{"observe", "o"}, {"operate", "p"}, {"modify", "m"}, {"destroy", "d"}, {"govern", "g"}}

// tally counts the permissions of a class and plane in a cell.
type tally struct{ held, maybe, all int }

func tallyOf(column api.MatrixColumn, cell, class, plane string) (t tally) {
	for i, p := range column.Permissions {
		if string(p.Class) != class || string(p.Plane) != plane || i >= len(cell) {
			continue
		}
		t.all++
		switch cell[i] {
		case 'y':
			t.held++
		case 'm':
			t.maybe++
		}
	}
	return t
}

// cellText writes a cell as letters.
func cellText(column api.MatrixColumn, cell string) string {
	planes := []string{planeText(column, cell, "control"), planeText(column, cell, "data")}
	switch {
	case planes[0] == "" && planes[1] == "":
		return "-"
	case planes[1] == "":
		return planes[0]
	case planes[0] == "":
		return "-/" + planes[1]
	}
	return strings.Join(planes, "/")
}

func planeText(column api.MatrixColumn, cell, plane string) string {
	var b strings.Builder
	for _, c := range classLetters {
		t := tallyOf(column, cell, string(c.class), plane)
		switch {
		case t.held+t.maybe == 0:
		case t.held == t.all:
			b.WriteString(strings.ToUpper(c.letter))
		case t.held == 0:
			b.WriteString(c.letter + "?")
		default:
			b.WriteString(c.letter)
		}
	}
	return b.String()
}

// matrixFacts writes a matrix as one line for each principal, column, class and plane of which anything is held.
func matrixFacts(m api.Matrix) listing {
	l := listing{columns: []string{"Kind", "Name", "Column", "Plane", "Class", "Held", "Under a condition", "Of"}}
	for _, row := range m.Rows {
		for i, column := range m.Columns {
			for _, plane := range []string{"control", "data"} {
				for _, c := range classLetters {
					if t := tallyOf(column, row.Cells[i], string(c.class), plane); t.held+t.maybe > 0 {
						l.rows = append(l.rows, []string{string(row.Principal.Kind), row.Principal.Name, column.Name, plane, string(c.class), fmt.Sprint(t.held), fmt.Sprint(t.maybe), fmt.Sprint(t.all)})
					}
				}
			}
		}
	}
	return l
}

// tellScopeUse prints what is in a scope, who has access to it, what policies reach it and what was last changed, as far as
// the caller may see each.
func (a *app) tellScopeUse(ctx context.Context, c *cli.Command, s session, scope api.Scope) error {
	if c.String("output") != "table" {
		return nil
	}
	if scope.Kind != "resource" {
		most := 20
		children, err := s.ListChildren(ctx, scope.Id, &api.ListChildrenParams{Limit: most})
		if err != nil {
			return err
		}
		l := listing{columns: []string{"In it", "Kind", "Title"}, empty: "nothing that you see"}
		for _, n := range children.Scopes {
			l.rows = append(l.rows, []string{n.Name + choose(n.Retired, " (retired)", ""), kindOf(n), n.Title})
		}
		if children.Next != "" {
			l.rows = append(l.rows, []string{"…", "", "more: arbora scope list " + scope.Address})
		}
		a.section(c, "Children", l)
	}
	if slices.Contains(scope.May, "list grant") {
		list, err := s.allGrants(ctx, scope.Id)
		if err != nil {
			return err
		}
		a.section(c, "Access", accessListing(list))
	}
	if slices.Contains(scope.May, "list policy") {
		list, err := s.allPolicies(ctx, scope.Id)
		if err != nil {
			return err
		}
		a.section(c, "Policies that reach it", reachingListing(scope, list))
	}
	if !slices.Contains(scope.May, "list audit-record") {
		return nil
	}
	most := 10
	changes, err := s.ListScopeChanges(ctx, scope.Id, &api.ListScopeChangesParams{Limit: most})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Revision", "When", "Who", "What"}, empty: "none"}
	for _, change := range changes.Changes {
		what := change.What
		if what == "" {
			what = "(it reached beyond what you see)"
		}
		l.rows = append(l.rows, []string{fmt.Sprint(change.Revision), moment(change.At), change.By, what})
	}
	a.section(c, "Last changes", l)
	return nil
}

func accessListing(list api.GrantList) listing {
	l := listing{columns: []string{"Who", "Role", "From", "Cut off"}, empty: "nobody holds anything"}
	for _, g := range list.Grants {
		from := "right here"
		if g.Inherited {
			from = g.Scope.Address
		}
		var cuts []string
		if g.Losses != nil {
			for _, loss := range g.Losses {
				cuts = append(cuts, fmt.Sprintf("%s by %q in %s", choose(loss.All, "all", fmt.Sprint(len(loss.Permissions))), loss.Statement.Text, loss.Statement.Policy.Name))
			}
		}
		l.rows = append(l.rows, []string{whoText(g.Principal), g.Role + choose(g.Privileged, " (privileged)", ""), from, strings.Join(cuts, "\n")})
	}
	return l
}

// reachingListing lists the statements that hold at a scope.
func reachingListing(scope api.Scope, list api.PolicyList) listing {
	l := listing{columns: []string{"Policy", "Of", "Statement"}, empty: "none"}
	for _, p := range list.Policies {
		for _, st := range p.Statements {
			holds := st.Place.Id == scope.Id || !st.Here && slices.ContainsFunc(scope.Path, func(above api.ScopeRef) bool { return above.Id == st.Place.Id })
			if holds && !st.Dormant && !st.Suspended {
				l.rows = append(l.rows, []string{p.Name, p.Scope.Address, st.Text})
			}
		}
	}
	return l
}
