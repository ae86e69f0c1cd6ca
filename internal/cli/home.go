package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/internal/english"
)

func (a *app) homeCommand() *cli.Command {
	return &cli.Command{Name: "home", Usage: "show what needs attention, and what you may use", Action: a.showHome}
}

func (a *app) showHome(ctx context.Context, c *cli.Command) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	home, err := s.ShowHome(ctx, organisation)
	if err != nil {
		return err
	}
	l := attention(home)
	l.value = home
	if c.String("output") != "table" {
		return a.printValue(c, l)
	}
	a.section(c, "What needs attention", l)
	mine := listing{columns: []string{"At", "Title", "You may"}, empty: "nothing: everything is denied until somebody grants you a role"}
	for _, m := range home.Mine {
		mine.rows = append(mine.rows, []string{m.Scope.Address, m.Title, heldText(m.Holds)})
	}
	a.section(c, "What you may use", mine)
	if home.MoreMine > 0 {
		a.say(c, "And %s more.", english.Count(home.MoreMine, "place"))
	}
	return nil
}

// attention lists what a home has for people who look after others, a line each, the most urgent concern first.
func attention(home api.Home) listing {
	l := listing{columns: []string{"Concern", "Who or what", "Where", "When"}, empty: "nothing"}
	add := func(row ...string) { l.rows = append(l.rows, row) }
	for _, reason := range home.Skipped {
		add("damaged record", reason, "", "")
	}
	for _, rule := range home.Strangers {
		add("open to strangers", rule.Words, rule.Scope.Address, "")
	}
	for _, u := range home.Unread {
		add(choose(u.Stopped, "reading stopped", "directory not read"), u.Provider+": "+u.Why, "", "on "+moment(u.At))
	}
	for _, r := range home.Refused {
		add("refused "+english.Count(r.Times, "time"), r.Who, "", "last "+moment(r.Last))
	}
	for _, w := range home.Pending {
		add("has not accepted", whoText(w.Guest), "", "invited "+moment(w.Since))
	}
	for _, g := range home.Ending {
		add("ends soon", g.Role+" of "+whoText(g.Principal), g.Scope.Address, "ends "+moment(g.Until))
	}
	for _, k := range home.Keys {
		when := "never used"
		switch {
		case !k.Unused:
			when = "ends " + moment(k.Until)
		case !k.LastUsedAt.IsZero():
			when = "last used " + moment(k.LastUsedAt)
		}
		add("API key", k.Label+" of "+whoText(k.Of), "", when)
	}
	for _, p := range home.Privileged {
		var at []string
		for _, scope := range p.At {
			at = append(at, scope.Address)
		}
		add("governs", whoText(p.Who), strings.Join(at, ", "), "")
	}
	return l
}

// heldText tells classes of act, those of data apart.
func heldText(held []api.HeldClass) string {
	var words []string
	for _, h := range held {
		words = append(words, string(h.Class)+choose(h.Plane == "data", " data", "")+choose(h.Conditional, " (under a condition)", ""))
	}
	return strings.Join(words, ", ")
}
