package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/api"
	"arbora.example/internal/english"
)

func atFlag(required bool) cli.Flag {
	return &cli.StringFlag{Name: "at", Required: required, Usage: "the scope of this `ADDRESS`"}
}

func (a *app) grantCommand() *cli.Command {
	return &cli.Command{
		Name: "grant", Usage: "create, list, edit and revoke grants of roles",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "grant a role at a scope and everything below it; several people and scopes at once, all or none", ArgsUsage: "ROLE",
				Flags:  append(append(principalsFlags(), atAllFlag(true)), append(termFlags(), previewFlag())...),
				Action: a.createGrants,
			},
			{
				Name: "list", Usage: "list who holds which role at a scope, directly or from above", ArgsUsage: "[ADDRESS]", Action: a.listGrants,
				Flags: []cli.Flag{
					&cli.BoolFlag{Name: "below", Usage: "and at everything below it"},
					&cli.BoolFlag{Name: "all", Usage: "all grants of the organisation"},
					&cli.StringFlag{Name: "who", Usage: "only those of holders with this `TEXT` in their name"},
					&cli.StringFlag{Name: "role", Usage: "only those of this `ROLE`"},
					&cli.BoolFlag{Name: "privileged", Usage: "only those that can govern"},
					&cli.BoolFlag{Name: "ended", Usage: "only those whose end has come"},
				},
			},
			{
				Name: "edit", Usage: "change the end, the condition or the reason of a grant", ArgsUsage: "GRANT-ID",
				Flags:  append(termFlags(), &cli.BoolFlag{Name: "no-until", Usage: "remove its end"}, &cli.BoolFlag{Name: "no-from", Usage: "remove its beginning"}, &cli.BoolFlag{Name: "no-if", Usage: "remove its condition"}, previewFlag()),
				Action: a.editGrant,
			},
			{
				Name: "revoke", Usage: "revoke grants, by their ids or by who holds what where: all or none", ArgsUsage: "GRANT-ID … | ROLE",
				Flags:  append(principalsFlags(), atAllFlag(false), &cli.BoolFlag{Name: "every", Usage: "where somebody holds the role several times, with other terms each, revoke every one"}, previewFlag()),
				Action: a.revokeGrants,
			},
		},
	}
}

func atAllFlag(required bool) cli.Flag {
	return &cli.StringSliceFlag{Name: "at", Required: required, Usage: "the scope of this `ADDRESS`; may be repeated"}
}

// termFlags say on which terms a grant holds, and why.
func termFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "description", Usage: "why it is granted, as a `TEXT`"},
		&cli.StringFlag{Name: "if", Usage: "while this `CONDITION` holds, as in a statement: context.location is \"north\""},
		&cli.StringFlag{Name: "from", Usage: "from this `MOMENT` on: a date, or RFC 3339"},
		&cli.StringFlag{Name: "until", Usage: "until just before this `MOMENT`"},
	}
}

func (a *app) createGrants(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "ROLE")
	if err != nil {
		return err
	}
	people, err := principals(c)
	if err != nil {
		return err
	}
	wanted := api.GrantNew{Role: given[0], Description: c.String("description"), Condition: c.String("if")}
	if wanted.From, err = instant(c, "from"); err != nil {
		return err
	}
	if wanted.Until, err = instant(c, "until"); err != nil {
		return err
	}
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	scopes := c.StringSlice("at")
	if len(people) == 1 && len(scopes) == 1 {
		wanted.Principal = people[0]
		return create(ctx, a, c, s.PreviewCreateGrant, s.CreateGrant, scopes[0], wanted, func(made api.GrantMade) {
			g := made.Grant
			a.say(c, "Granted %s to %s at %s and everything below it%s.%s", g.Role, whoText(g.Principal), g.Scope.Address, terms(g),
				choose(g.Privileged, " The role is privileged: it can govern.", ""))
			a.say(c, "Grant %s", g.Id)
		})
	}
	var all api.Changes
	var names []string
	for _, who := range people {
		names = append(names, whoText(who))
		for _, at := range scopes {
			one := wanted
			one.Principal = who
			all.Changes = append(all.Changes, api.ChangeWanted{CreateGrant: &api.GrantWanted{Scope: at, Grant: one}})
		}
	}
	return a.makeChanges(ctx, c, s, organisation, all, fmt.Sprintf("Granted %s to %s at %s and everything below.", given[0], english.Join(names), english.Join(scopes)))
}

// makeChanges makes several changes as one, and says what was done; with --preview, what they would do.
func (a *app) makeChanges(ctx context.Context, c *cli.Command, s session, organisation string, all api.Changes, done string) error {
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.MakeChanges(ctx, organisation, &api.MakeChangesParams{Preview: preview}, all)
	}, func() { a.say(c, "%s", done) })
}

func (a *app) editGrant(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "GRANT-ID")
	if err != nil {
		return err
	}
	var edit api.GrantEdit
	if c.IsSet("description") {
		edit.Description = ptrTo(c.String("description"))
	}
	if c.IsSet("if") || c.Bool("no-if") {
		edit.Condition = ptrTo(c.String("if"))
	}
	if edit.From, err = instant(c, "from"); err != nil {
		return err
	}
	if edit.Until, err = instant(c, "until"); err != nil {
		return err
	}
	edit.NoFrom, edit.NoUntil = c.Bool("no-from"), c.Bool("no-until")
	if edit == (api.GrantEdit{}) {
		return usage("give something to change: --until, --from, --if, --description, --no-until, --no-from or --no-if")
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.EditGrant(ctx, given[0], &api.EditGrantParams{Preview: preview}, edit)
	}, func() { a.say(c, "Changed grant %s.", given[0]) })
}

func ptrTo[T any](value T) *T { return &value }

// instant reads a moment from a flag; none is zero.
func instant(c *cli.Command, flag string) (time.Time, error) {
	if c.String(flag) == "" {
		return time.Time{}, nil
	}
	t, err := statement.ParseInstant(c.String(flag))
	if err != nil {
		return t, usage("--%s: %v", flag, err)
	}
	return t, nil
}

// terms writes the condition and period of a grant.
func terms(g api.Grant) string {
	text := ""
	if g.Condition != "" {
		text += " if " + g.Condition
	}
	if !g.From.IsZero() {
		text += " from " + moment(g.From)
	}
	if !g.Until.IsZero() {
		text += " until " + moment(g.Until)
	}
	return text
}

func (a *app) listGrants(ctx context.Context, c *cli.Command) error {
	s, address, err := a.at(c)
	if err != nil {
		return err
	}
	if c.Bool("all") {
		if c.Args().Present() {
			return usage("--all is about the whole organisation: leave out the ADDRESS, or use --below")
		}
	}
	below := c.Bool("all") || c.Bool("below")
	list, err := s.grantsAt(ctx, address, below)
	if err != nil {
		return err
	}
	who := strings.ToLower(c.String("who"))
	list.Grants = slices.DeleteFunc(list.Grants, func(g api.Grant) bool {
		return !strings.Contains(strings.ToLower(g.Principal.Name), who) || c.IsSet("role") && g.Role != c.String("role") ||
			c.Bool("privileged") && !g.Privileged || c.Bool("ended") && !g.Ended
	})
	l := listing{columns: []string{"Who", "Role", "At", "Granted", "Reason", "Grant"}, empty: "No such grant reaches " + address + ".", value: list.Grants}
	l.flatColumns = []string{"Kind", "Who", "State", "Role", "Privileged", "At", "If", "From", "Until", "Ended", "Misplaced", "Reason", "Granted", "By", "Grant"}
	for _, g := range list.Grants {
		at := choose(g.Scope.Address == address, "here", g.Scope.Address)
		l.rows = append(l.rows, []string{
			holderText(g), g.Role + choose(g.Privileged, " (privileged)", "") + terms(g) + choose(g.Ended, " (ended)", "") + choose(g.Misplaced, " (misplaced by a move)", ""),
			at, moment(g.CreatedAt) + "\nby " + g.CreatedBy, g.Description, g.Id,
		})
		l.flat = append(l.flat, []string{
			string(g.Principal.Kind), g.Principal.Name, orWord(string(g.HolderState), "active"), g.Role, strconv.FormatBool(g.Privileged), g.Scope.Address, g.Condition,
			exactMoment(g.From), exactMoment(g.Until), strconv.FormatBool(g.Ended), strconv.FormatBool(g.Misplaced), g.Description, exactMoment(g.CreatedAt), g.CreatedBy, g.Id,
		})
	}
	return a.print(c, l)
}

// exactMoment writes a moment for programs, to the second; nothing for none.
func exactMoment(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format(time.RFC3339)
}

func (a *app) revokeGrants(ctx context.Context, c *cli.Command) error {
	given := c.Args().Slice()
	if len(given) == 0 {
		return usage("%s takes GRANT-ID … or ROLE; see %s --help", c.FullName(), c.FullName())
	}
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	ids, words := given, "Revoked "+choose(len(given) == 1, "grant ", "grants ")+english.Join(given)+"."
	if _, err := model.ParseID(given[0]); err == nil {
		if len(c.StringSlice("at")) > 0 || namesPrincipals(c) {
			return usage("an id names one grant: give it without --at and without a holder, or give ROLE --user or --group NAME --at ADDRESS")
		}
	} else {
		if len(given) > 1 || len(c.StringSlice("at")) == 0 {
			return usage("%q is not the id of a grant: take one from arbora grant list, or give ROLE --user or --group NAME --at ADDRESS", given[0])
		}
		found, err := a.findGrants(ctx, c, s, given[0])
		if err != nil {
			return err
		}
		ids = nil
		var each []string
		for _, g := range found {
			ids = append(ids, g.Id)
			each = append(each, fmt.Sprintf("%s from %s at %s%s", g.Role, whoText(g.Principal), g.Scope.Address, terms(g)))
		}
		words = "Revoked " + english.Join(each) + "."
	}
	var all api.Changes
	for _, id := range ids {
		all.Changes = append(all.Changes, api.ChangeWanted{RevokeGrant: id})
	}
	return a.makeChanges(ctx, c, s, organisation, all, words)
}

func namesPrincipals(c *cli.Command) bool {
	return slices.ContainsFunc(principalKinds, func(kind principalFlag) bool { return len(c.StringSlice(kind.name)) > 0 })
}

// findGrants finds the grants of a role to each of the principals right at each of the scopes that flags name.
func (a *app) findGrants(ctx context.Context, c *cli.Command, s session, role string) (found []api.Grant, err error) {
	people, err := principals(c)
	if err != nil {
		return nil, err
	}
	for _, at := range c.StringSlice("at") {
		list, err := s.allGrants(ctx, at)
		if err != nil {
			return nil, err
		}
		for _, who := range people {
			here, err := grantsOf(list.Grants, role, who, at, c.Bool("every"))
			if err != nil {
				return nil, err
			}
			found = append(found, here...)
		}
	}
	return found, nil
}

// grantsOf returns the grant of a role to somebody right at a scope, or every one of them.
func grantsOf(list []api.Grant, role string, who api.PrincipalRef, at string, every bool) ([]api.Grant, error) {
	var here []api.Grant
	above := ""
	for _, g := range list {
		switch {
		case g.Role != role || g.Principal != who:
		case g.Inherited:
			above = g.Scope.Address
		default:
			here = append(here, g)
		}
	}
	switch {
	case len(here) == 1 || len(here) > 1 && every:
		return here, nil
	case len(here) > 1:
		var each strings.Builder
		for _, g := range here {
			fmt.Fprintf(&each, "\n  %s%s%s", g.Id, terms(g), choose(g.Ended, " (ended)", ""))
		}
		return nil, fmt.Errorf("%s holds %s at %s by %d grants: revoke each one by its id, or all with --every%s", whoText(who), role, at, len(here), each.String())
	case above != "":
		return nil, fmt.Errorf("%s holds %s at %s from %s: revoke it there, which revokes it here too", whoText(who), role, at, above)
	}
	return nil, fmt.Errorf("%s does not hold %s at %s: arbora grant list %s shows who holds what", whoText(who), role, at, at)
}

// holderText names who a grant is for, with a mark when they are out of use and hold nothing by it at present.
func holderText(g api.Grant) string {
	if g.HolderState == "" {
		return whoText(g.Principal)
	}
	return fmt.Sprintf("%s\n! %s: holds nothing", whoText(g.Principal), g.HolderState)
}
