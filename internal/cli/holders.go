package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
)

func (a *app) holdersCommand() *cli.Command {
	return &cli.Command{
		Name: "holders", Usage: "list everybody who may do this here and why, and who could give it to themselves", ArgsUsage: "OPERATION TYPE",
		Flags: append([]cli.Flag{
			atFlag(false), &cli.BoolFlag{Name: "anywhere", Usage: "list by place: that scope and each scope below with a rule about it; without --at the whole organisation"},
		}, toldFlags()...),
		Action: a.holders,
	}
}

func (a *app) holders(ctx context.Context, c *cli.Command) error {
	permission, err := permissionOf(c)
	if err != nil {
		return err
	}
	circumstances, err := told(c)
	if err != nil {
		return err
	}
	if c.Bool("anywhere") {
		return a.holdersAnywhere(ctx, c, api.HoldersQuestion{Permission: permission, Context: circumstances})
	}
	if c.String("at") == "" {
		return usage("say where with --at ADDRESS, or --anywhere for every place")
	}
	s, at, err := a.where(c)
	if err != nil {
		return err
	}
	list, err := s.allHolders(ctx, at, api.HoldersQuestion{Permission: permission, Context: circumstances})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Who", "Name", "By", "From"}, value: list}
	for _, h := range list.Holders {
		who, title := h.Principal.Name, h.Title
		if h.Principal.Kind != api.UserKind {
			who = whoText(h.Principal)
		}
		for i, by := range h.By {
			if i > 0 && c.String("output") == "table" {
				who, title = "", "" // said once for all that lets somebody
			}
			l.rows = append(l.rows, []string{who, title, byWords(by.Rule, by.Through) + choose(h.Conditional, ", conditional", ""), by.Rule.Scope.Address})
		}
	}
	escalations := listing{columns: []string{"Who", "Name", "How"}, empty: "nobody"}
	for _, h := range list.CouldHold {
		escalations.rows = append(escalations.rows, []string{h.Principal.Name, h.Title, strings.Join(h.Paths, "; ")})
	}
	if c.String("output") != "table" {
		return a.printValue(c, l)
	}
	if len(l.rows) == 0 {
		a.say(c, "Nobody may %s at %s.", list.Permission, list.Scope.Address)
	} else {
		a.say(c, "%d may %s at %s:\n", len(list.Holders), list.Permission, list.Scope.Address)
		a.say(c, "%s", a.render(l))
	}
	a.section(c, "Could give it to themselves", escalations)
	if list.WhatIf {
		a.prose(c, whatIfWords)
	}
	return nil
}

// whatIfWords mark an answer that goes by claims of the question.
const whatIfWords = "That is with the claims of the question, not with those that a provider said."

// holdersAnywhere lists who may do something by the scopes at which that changes.
func (a *app) holdersAnywhere(ctx context.Context, c *cli.Command, asked api.HoldersQuestion) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	at := atOr(c, organisation)
	places, _, err := client.Pages(0, func(after string) ([]api.HoldersThere, string, error) {
		page, err := s.ListHoldersBelow(ctx, at, &api.ListHoldersBelowParams{After: after}, asked)
		return page.Places, page.Next, err
	})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"At", "Who", "Name", "Conditional"}, value: places}
	for _, p := range places {
		address := p.Scope.Address
		for i, h := range p.Holders {
			if i > 0 && c.String("output") == "table" {
				address = "" // said once for all who may there
			}
			l.rows = append(l.rows, []string{address, whoText(h.Principal), h.Title, choose(h.Conditional, "conditional", "")})
		}
		if len(p.Holders) == 0 {
			l.rows = append(l.rows, []string{address, "nobody", "", ""})
		}
	}
	if err := a.print(c, l); err != nil || asked.Context == nil || asked.Context.Claims == nil {
		return err
	}
	a.prose(c, whatIfWords)
	return nil
}

// byWords tells by what rule somebody has something, and through which groups.
func byWords(rule api.Rule, through []string) string {
	words := rule.Words
	if rule.Grant != nil {
		words = rule.Grant.Role + terms(*rule.Grant)
		if len(through) == 0 && rule.Grant.Principal.Kind != api.SetKind {
			return words + ", granted directly"
		} else if len(through) == 0 {
			return words + ", as one of " + rule.Grant.Principal.Name
		}
	} else {
		words += " (policy " + rule.Statement.Policy.Name + ")"
	}
	if len(through) == 0 {
		return words
	}
	return fmt.Sprintf("%s, through group %s", words, strings.Join(through, " in "))
}

// insideAbout returns the session the command acts with, the organisation it belongs to, and the principal that flags name.
func (a *app) insideAbout(c *cli.Command) (s session, organisation string, who api.PrincipalRef, err error) {
	if who, err = principal(c); err == nil {
		s, organisation, err = a.inside(c)
	}
	return s, organisation, who, err
}

func (a *app) couldHoldCommand() *cli.Command {
	return &cli.Command{
		Name: "could-hold", Usage: "list what a user, guest or service account could give itself by one change, and how",
		Flags: principalFlags(),
		Action: func(ctx context.Context, c *cli.Command) error {
			s, organisation, who, err := a.insideAbout(c)
			if err != nil {
				return err
			}
			powers, err := s.ShowPowers(ctx, organisation, who.Kind, who.Name)
			if err != nil {
				return err
			}
			l := listing{columns: []string{"At", "How", "Adds"}, value: powers, empty: whoText(who) + " could give themselves nothing that they do not hold."}
			if powers.Hidden {
				l.empty = ""
				a.say(c, "What they could give themselves at other places you may not see.")
			}
			for _, p := range powers.Powers {
				l.rows = append(l.rows, []string{p.Scope.Address, p.Way, permissionsText(p.Gains)})
			}
			return a.print(c, l)
		},
	}
}

func (a *app) reachCommand() *cli.Command {
	return &cli.Command{
		Name: "reach", Usage: "list everything a user or group can do, and where",
		Flags:  principalFlags(),
		Action: a.reach,
	}
}

func (a *app) reach(ctx context.Context, c *cli.Command) error {
	s, organisation, who, err := a.insideAbout(c)
	if err != nil {
		return err
	}
	reach, err := s.allReached(ctx, organisation, who)
	if err != nil {
		return err
	}
	l := listing{
		columns: []string{"At", "Where", "By", "Held", "Conditional", "New here", "Cut here", "Below"}, value: reach,
		empty: whoText(who) + " reaches nothing: all is denied.",
	}
	for _, r := range reach.Reached {
		var by []string
		for _, rule := range r.By {
			by = append(by, ruleText(rule))
		}
		l.rows = append(l.rows, []string{
			r.Scope.Address, partWords[r.Part], strings.Join(by, "\n"), strconv.Itoa(r.Held), someOrNone(r.Conditional),
			someOrNone(len(r.Adds)), someOrNone(len(r.Cuts)), strconv.Itoa(r.Beneath),
		})
	}
	if err := a.print(c, l); err != nil {
		return err
	}
	if reach.Hidden {
		a.say(c, "There is more that you may not see.")
	}
	return nil
}

// partWords say how far something holds.
var partWords = map[api.Part]string{api.Whole: "and below", api.Alone: "there alone", api.Beneath: "below alone"}

// someOrNone writes a number, and nothing for none.
func someOrNone(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// permissionOf returns the permission that two arguments name.
func permissionOf(c *cli.Command) (string, error) {
	permission := strings.Join(c.Args().Slice(), " ")
	if len(strings.Fields(permission)) != 2 {
		return "", usage("%s takes OPERATION and TYPE, such as: %s describe project --at ADDRESS", c.FullName(), c.FullName())
	}
	return permission, nil
}
