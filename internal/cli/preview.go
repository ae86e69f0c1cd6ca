package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

func previewFlag() cli.Flag {
	return &cli.BoolFlag{Name: "preview", Usage: "show who would gain and lose what where, and change nothing"}
}

// change sends a change and says what was done; with --preview, what it would do.
func (a *app) change(c *cli.Command, send func(preview bool) (api.Written, error), done func()) error {
	written, err := send(c.Bool("preview"))
	if err != nil {
		return err
	}
	if c.Bool("preview") {
		return a.printImpact(c, written)
	}
	done()
	return a.valueOnly(c, written)
}

// create is change for what is new, which is previewed by a request of its own.
func create[Wanted, Made any](
	ctx context.Context, a *app, c *cli.Command, preview func(context.Context, string, Wanted) (api.Written, error),
	send func(context.Context, string, Wanted) (Made, error), at string, wanted Wanted, done func(Made),
) error {
	if c.Bool("preview") {
		written, err := preview(ctx, at, wanted)
		if err != nil {
			return err
		}
		return a.printImpact(c, written)
	}
	made, err := send(ctx, at, wanted)
	if err != nil {
		return err
	}
	done(made)
	return a.valueOnly(c, made)
}

// outsiderWords says who else is meant besides those whom the organisation knows.
func outsiderWords(set string) string {
	switch set {
	case "public":
		return "anybody else at all"
	case "signed-in":
		return "anybody else signed in"
	}
	return "anybody else from " + set
}

// printImpact prints what a preview answered with.
func (a *app) printImpact(c *cli.Command, written api.Written) error {
	impact := written.Impact
	l := impactListing(*impact, written)
	if c.String("output") != "table" {
		return a.printValue(c, l)
	}
	a.prose(c, impact.Words+" Nothing was changed.")
	if len(l.rows) > 0 {
		a.say(c, "\n%s", a.render(l))
	}
	if impact.Hidden {
		a.say(c, "There is more that you may not see.")
	}
	for _, warning := range impact.Warnings {
		a.prose(c, "! "+warning)
	}
	for _, advice := range impact.Advice {
		a.prose(c, "Better: "+advice.Words)
	}
	a.say(c, "To make exactly this change, repeat with --confirm %s instead of --preview.", impact.Confirmation)
	return nil
}

// impactListing lists who gains and loses what, and where.
func impactListing(impact api.Impact, value any) listing {
	l := listing{columns: []string{"Who", "At", "Where", "Gains", "Loses", "Below"}, value: value}
	for _, e := range impact.Effects {
		var who []string
		for _, p := range e.Principals {
			who = append(who, choose(p.Kind == api.ProviderKind, "people from ", "")+p.Name)
		}
		for _, set := range e.Outsiders {
			who = append(who, outsiderWords(set))
		}
		gains := effectText(e.Gains, e.MayGain, e.NowUnconditional, "without a condition from now on") + choose(e.Privileged, " (privileged)", "")
		if len(e.Shifting) > 0 {
			gains += choose(gains == "", "", "; ") + "other conditions for " + permissionsText(e.Shifting)
		}
		loses := effectText(e.Loses, e.MayLose, e.NowConditional, "only under a condition from now on")
		if gains+loses == "" {
			gains = "nothing changes here"
		}
		l.rows = append(l.rows, []string{wrapped(who), e.Scope.Address, partWords[e.Part], gains, loses, strconv.Itoa(e.Beneath)})
	}
	return l
}

// effectText names what is gained or lost for certain, what under a condition, and of the latter what is held already or still but
// on other terms.
func effectText(firm, perhaps, turned []string, terms string) string {
	var parts []string
	if len(firm) > 0 {
		parts = append(parts, permissionsText(firm))
	}
	if rest := slices.DeleteFunc(slices.Clone(perhaps), func(p string) bool { return slices.Contains(turned, p) }); len(rest) > 0 {
		parts = append(parts, "under a condition "+permissionsText(rest))
	}
	if len(turned) > 0 {
		parts = append(parts, terms+" "+permissionsText(turned))
	}
	return strings.Join(parts, "; ")
}

// wrapped writes names, a few on a line.
func wrapped(names []string) string {
	const onALine = 3
	var lines []string
	for len(names) > onALine {
		lines, names = append(lines, strings.Join(names[:onALine], ", ")+","), names[onALine:]
	}
	return strings.Join(append(lines, strings.Join(names, ", ")), "\n")
}

// permissionsText counts permissions and names the first few.
func permissionsText(permissions []string) string {
	const named = 2
	if len(permissions) == 0 {
		return ""
	}
	text := strings.Join(permissions[:min(named, len(permissions))], ", ")
	if more := len(permissions) - named; more > 0 {
		text += fmt.Sprintf(" and %d more", more)
	}
	return text
}
