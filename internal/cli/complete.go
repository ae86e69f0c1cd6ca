package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

// Completion in the shell: the script that the library prints asks the program what may stand next, and names come from the
// service. Where it does not answer in time, nothing is offered, for a shell has no place for an error.

// completionTime is how long a shell waits for names at most.
const completionTime = 2 * time.Second

func completionCommand(c *cli.Command) {
	c.Hidden, c.Usage, c.Description = false, "print the script that completes commands and names in a shell", ""
	for _, shell := range c.Commands {
		shell.Usage = "print the script for " + shell.Name
	}
}

// complete prints what may stand next on the command line, one on a line.
func (a *app) complete(ctx context.Context, c *cli.Command) {
	ctx, done := context.WithTimeout(ctx, completionTime)
	defer done()
	last := a.words[max(len(a.words)-2, 0)] // the library's own option is the last
	if name := strings.TrimLeft(last, "-"); name != last {
		takes := takenBy(c, name)
		if takes == "" { // a switch, or not whole yet
			for _, option := range optionNames(c) {
				fmt.Fprintln(a.Out, choose(len(option) == 1, "-", "--")+option)
			}
			return
		}
		a.offer(a.named(ctx, c, choose(optionOffers[name] != "", optionOffers[name], takes)))
		return
	}
	if len(c.VisibleCommands()) > 0 && !c.Args().Present() {
		for _, sub := range c.VisibleCommands() {
			fmt.Fprintln(a.Out, sub.Name+":"+sub.Usage)
		}
		return
	}
	takes := strings.Fields(strings.Trim(c.ArgsUsage, "[]"))
	if len(takes) == 0 {
		return
	}
	next := takes[min(c.Args().Len(), len(takes)-1)]
	if next == "…" {
		next = takes[len(takes)-2]
	} else if c.Args().Len() >= len(takes) {
		return
	}
	if next == "NAME" {
		next = strings.ToUpper(parentName(c))
	}
	a.offer(a.named(ctx, c, next))
}

// optionOffers are options whose placeholder does not say what they name.
var optionOffers = map[string]string{
	"user": "USER", "guest": "GUEST", "outside": "OUTSIDE", "provider": "PROVIDER", "group": "GROUP", "owner": "USER", "owner-group": "GROUP", "like": "USER", "but": "GROUP",
	"service-account": "SERVICE-ACCOUNT", "set": "SET", "with": "SIGN-IN", "role": "ROLE", "output": "FORM", "o": "FORM", "at": "ADDRESS", "to": "ADDRESS",
}

func parentName(c *cli.Command) string {
	if lineage := c.Lineage(); len(lineage) > 1 {
		return lineage[1].Name
	}
	return ""
}

func (a *app) offer(words []string, err error) {
	if err != nil {
		return // see above: a shell has no place for it
	}
	for _, word := range words {
		fmt.Fprintln(a.Out, printable(word))
	}
}

// named lists what a placeholder stands for, as far as it is known.
func (a *app) named(ctx context.Context, c *cli.Command, placeholder string) ([]string, error) {
	switch placeholder {
	case "FORM":
		return []string{"table", "json", "yaml", "csv"}, nil
	case "SET":
		return []string{"staff", "guests", "everyone", "signed-in", "public"}, nil
	case "SIGN-IN":
		file, err := readSignIns()
		return slices.Sorted(maps.Keys(file.Saved)), err
	}
	s, err := a.as(c)
	if err != nil {
		return nil, err
	}
	if placeholder == "PATTERN" {
		list, err := s.ListPatterns(ctx, nil)
		return each(list.Patterns, func(p api.Pattern) string { return p.Name }), err
	}
	organisation, err := s.organisation()
	if err != nil {
		return nil, err
	}
	return s.namedIn(ctx, c, organisation, placeholder)
}

// namedIn lists what a placeholder stands for in an organisation.
func (s session) namedIn(ctx context.Context, c *cli.Command, organisation, placeholder string) ([]string, error) {
	person := func(p api.Person) string { return p.Name }
	switch placeholder {
	case "ADDRESS", "ADDRESS/NAME":
		list, err := s.SearchScopes(ctx, organisation, &api.SearchScopesParams{State: string(api.StateActive), Limit: mostAtOnce})
		return each(list.Scopes, func(n api.ScopeNode) string { return n.Address }), err
	case "USER":
		list, err := s.ListPeople(ctx, organisation, &api.ListPeopleParams{Kind: api.ListPeopleParamsKindUser, Limit: mostAtOnce})
		return each(list.People, person), err
	case "GUEST":
		list, err := s.ListPeople(ctx, organisation, &api.ListPeopleParams{Kind: api.ListPeopleParamsKindGuest, Limit: mostAtOnce})
		return each(list.People, person), err
	case "OUTSIDE":
		list, err := s.ListPeople(ctx, organisation, &api.ListPeopleParams{Kind: api.ListPeopleParamsKindOutsidePerson, Limit: mostAtOnce})
		return each(list.People, person), err
	case "PROVIDER":
		list, err := s.ListProviders(ctx, organisation, &api.ListProvidersParams{Limit: mostAtOnce})
		return each(list.Providers, func(p api.Provider) string { return p.Name }), err
	case "GROUP":
		list, err := s.ListGroups(ctx, organisation, &api.ListGroupsParams{Limit: mostAtOnce})
		return each(list.Groups, func(g api.Group) string { return g.Name }), err
	case "SERVICE-ACCOUNT":
		list, err := s.allServiceAccounts(ctx, organisation)
		return each(list.Accounts, func(account api.Account) string { return account.Address }), err
	case "ROLE":
		list, err := s.allRoles(ctx, atOr(c, organisation), false)
		return each(list.Roles, func(r api.Role) string { return r.Name }), err
	case "POLICY":
		list, err := s.allPolicies(ctx, atOr(c, organisation))
		return each(list.Policies, func(p api.Policy) string { return p.Name }), err
	case "OPERATION", "TYPE":
		catalogue, err := s.GetCatalogue(ctx, organisation)
		return operationsAnd(catalogue, c.Args().Slice()), err
	}
	return nil, nil
}

// operationsAnd lists the operations there are, or the types that have the one which is given.
func operationsAnd(catalogue api.Catalogue, given []string) (words []string) {
	for _, service := range catalogue.Services {
		for _, t := range service.Types {
			for _, o := range t.Operations {
				switch {
				case len(given) == 0:
					words = append(words, o.Operation)
				case o.Operation == given[0]:
					words = append(words, t.Name)
				}
			}
		}
	}
	slices.Sort(words)
	return slices.Compact(words)
}

func atOr(c *cli.Command, organisation string) string {
	if at := c.String("at"); at != "" {
		return at
	}
	return organisation
}

func each[T any](items []T, name func(T) string) []string {
	names := make([]string, len(items))
	for i, item := range items {
		names[i] = name(item)
	}
	return names
}
