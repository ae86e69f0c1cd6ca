package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/api"
)

func atFlag(required bool) cli.Flag {
	return &cli.StringFlag{Name: "at", Required: required, Usage: "the scope of this `ADDRESS`"}
}

func (a *app) grantCommand() *cli.Command {
	return &cli.Command{
		Name: "grant", Usage: "create, list and revoke grants of roles",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "grant a role to somebody at a scope and everything below it", ArgsUsage: "ROLE",
				Flags: append(principalFlags(), atFlag(true),
					&cli.StringFlag{Name: "description", Usage: "why it is granted, as a `TEXT`"},
					&cli.StringFlag{Name: "if", Usage: "while this `CONDITION` holds, as in a statement: context.location is \"north\""},
					&cli.StringFlag{Name: "from", Usage: "from this `MOMENT` on: a date, or RFC 3339"},
					&cli.StringFlag{Name: "until", Usage: "until just before this `MOMENT`"}, previewFlag()),
				Action: a.createGrant,
			},
			{Name: "list", Usage: "list who holds which role at a scope, directly or from above", ArgsUsage: "[ADDRESS]", Action: a.listGrants},
			{
				Name: "revoke", Usage: "revoke one grant, by its id or by who holds what where", ArgsUsage: "GRANT-ID | ROLE",
				Flags:  append(principalFlags(), atFlag(false), previewFlag()),
				Action: a.revokeGrant,
			},
		},
	}
}

func (a *app) createGrant(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "ROLE")
	if err != nil {
		return err
	}
	who, err := principal(c)
	if err != nil {
		return err
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	wanted := api.GrantNew{Principal: who, Role: given[0], Description: c.String("description"), Condition: c.String("if")}
	if wanted.From, err = instant(c, "from"); err != nil {
		return err
	}
	if wanted.Until, err = instant(c, "until"); err != nil {
		return err
	}
	return create(ctx, a, c, s.PreviewCreateGrant, s.CreateGrant, at, wanted, func(made api.GrantMade) {
		g := made.Grant
		a.say(c, "Granted %s to %s at %s and everything below it%s.%s", g.Role, whoText(g.Principal), g.Scope.Address, terms(g),
			choose(g.Privileged, " The role is privileged: it can govern.", ""))
		a.say(c, "Grant %s", g.Id)
	})
}

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
	list, err := s.allGrants(ctx, address)
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Who", "Role", "From", "Since", "By", "Grant"}, empty: "Nobody holds anything at " + address + ".", value: list.Grants}
	for _, g := range list.Grants {
		from := "here"
		if g.Inherited {
			from = g.Scope.Address
		}
		l.rows = append(l.rows, []string{holderText(g), g.Role + choose(g.Privileged, " (privileged)", "") + terms(g) + choose(g.Misplaced, " (misplaced by a move)", ""), from, moment(g.CreatedAt), g.CreatedBy, g.Id})
	}
	return a.print(c, l)
}

func (a *app) revokeGrant(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "GRANT-ID or ROLE")
	if err != nil {
		return err
	}
	id, words := given[0], "grant "+given[0]
	if _, err := model.ParseID(id); err == nil {
		if c.String("at") != "" || namesPrincipal(c) {
			return usage("an id names one grant: give it without --at and without a holder, or give ROLE --user or --group NAME --at ADDRESS")
		}
	} else {
		if c.String("at") == "" {
			return usage("%q is not the id of a grant: take one from arbora grant list, or give ROLE --user or --group NAME --at ADDRESS", id)
		}
		found, err := a.findGrant(ctx, c, s, given[0])
		if err != nil {
			return err
		}
		id = found.Id
		words = fmt.Sprintf("%s from %s at %s", found.Role, whoText(found.Principal), found.Scope.Address)
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.RevokeGrant(ctx, id, &api.RevokeGrantParams{Preview: preview})
	}, func() {
		a.say(c, "Revoked %s.", words)
	})
}

// findGrant finds the one grant of a role to a principal right at a scope.
func (a *app) findGrant(ctx context.Context, c *cli.Command, s session, role string) (api.Grant, error) {
	who, err := principal(c)
	if err != nil {
		return api.Grant{}, err
	}
	list, err := s.allGrants(ctx, c.String("at"))
	if err != nil {
		return api.Grant{}, err
	}
	var here []api.Grant
	above := ""
	for _, g := range list.Grants {
		switch {
		case g.Role != role || g.Principal != who:
		case g.Inherited:
			above = g.Scope.Address
		default:
			here = append(here, g)
		}
	}
	switch {
	case len(here) == 1:
		return here[0], nil
	case len(here) > 1:
		var each strings.Builder
		for _, g := range here {
			fmt.Fprintf(&each, "\n  %s%s", g.Id, terms(g))
		}
		return api.Grant{}, fmt.Errorf("%s holds %s at %s by %d grants: revoke each one by its id%s", whoText(who), role, c.String("at"), len(here), each.String())
	case above != "":
		return api.Grant{}, fmt.Errorf("%s holds %s at %s from %s: revoke it there, which revokes it here too", whoText(who), role, c.String("at"), above)
	}
	return api.Grant{}, fmt.Errorf("%s does not hold %s at %s: arbora grant list %s shows who holds what", whoText(who), role, c.String("at"), c.String("at"))
}

// holderText names who a grant is for, with a mark when they are out of use and hold nothing by it at present.
func holderText(g api.Grant) string {
	if g.HolderState == "" {
		return whoText(g.Principal)
	}
	return fmt.Sprintf("%s\n! %s: holds nothing", whoText(g.Principal), g.HolderState)
}
