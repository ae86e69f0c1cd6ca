package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

// mapFlags are the parts of a claim map.
func mapFlags() (flags []cli.Flag) {
	for _, part := range []struct{ name, usage string }{
		{"subject", "the claim that never changes, by which people are known"}, {"name", "the claim that people are called by"}, {"title", "the claim of the display name"},
		{"email", "the claim of the mail address"}, {"groups", "the claim of their groups there"},
	} {
		flags = append(flags, &cli.StringFlag{Name: part.name, Usage: part.usage + ", by a `PATH`"})
	}
	return append(flags,
		&cli.StringMapFlag{Name: "tag", Usage: "a tag from a claim, as `KEY=PATH`; an empty path removes it; may be repeated"},
		&cli.StringFlag{Name: "rule", Usage: "the `CONDITION` over claims that people have to fulfil; empty lets all in"},
	)
}

func (a *app) entryCommand() *cli.Command {
	return &cli.Command{
		Name: "entry", Usage: "show and set which people an identity provider lets in, and what its claims become",
		Commands: []*cli.Command{
			{Name: "show", Usage: "show how people come in by a provider", ArgsUsage: "PROVIDER", Action: a.showEntry},
			{
				Name: "set", Usage: "set which people a provider lets in, and what its claims become", ArgsUsage: "PROVIDER",
				Description: mapWords,
				Flags:       append(mapFlags(), &cli.DurationFlag{Name: "claims-last", Usage: "for how long what the provider says of somebody may be used, a `DURATION` such as 8h"}, previewFlag()),
				Action:      a.setEntry,
			},
			{
				Name: "try", Usage: "show what would become of somebody with such claims; nothing is changed", ArgsUsage: "PROVIDER",
				Description: mapWords,
				Flags:       append(mapFlags(), &cli.StringFlag{Name: "claims-from", Usage: "read the claims, a JSON object, from `FILE` (- for standard input); without it, those that came last"}),
				Action:      a.tryClaims,
			},
		},
	}
}

// mapWords says how a claim is written in the parts of a claim map.
const mapWords = `A PATH is a JSONPath (RFC 9535), such as $.department. If nothing may be found there, write "otherwise" after it, and another path or a text.`

// entryOf finds a provider by the command's argument, and how people come in by it.
func (a *app) entryOf(ctx context.Context, c *cli.Command) (s session, organisation, provider string, entry api.Entry, err error) {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return s, "", "", entry, err
	}
	entry, err = s.ShowEntry(ctx, organisation, given[0])
	return s, organisation, given[0], entry, err
}

// pickGiven reads a part of a claim map.
func pickGiven(text string) api.ClaimPick {
	path, otherwise, _ := strings.Cut(text, " otherwise ")
	return api.ClaimPick{Path: strings.TrimSpace(path), Otherwise: strings.TrimSpace(otherwise)}
}

func pickWords(p api.ClaimPick) string {
	if p.Otherwise == "" {
		return p.Path
	}
	return p.Path + " otherwise " + p.Otherwise
}

// mapGiven reads a claim map, of which what is not given stays; nil where nothing is given.
func mapGiven(c *cli.Command, was api.ClaimMap) *api.ClaimMap {
	given := was
	given.Tags = maps.Clone(was.Tags)
	altered := false
	for name, pick := range map[string]*api.ClaimPick{"subject": &given.Subject, "name": &given.Name, "title": &given.Title, "email": &given.Email, "groups": &given.Groups} {
		if c.IsSet(name) {
			*pick, altered = pickGiven(c.String(name)), true
		}
	}
	for key, text := range c.StringMap("tag") {
		altered = true
		if text == "" {
			delete(given.Tags, key)
			continue
		}
		if given.Tags == nil {
			given.Tags = map[string]api.ClaimPick{}
		}
		given.Tags[key] = pickGiven(text)
	}
	if !altered {
		return nil
	}
	return &given
}

// ruleGiven reads an entry rule; nil where none is given.
func ruleGiven(c *cli.Command) *string {
	if !c.IsSet("rule") {
		return nil
	}
	rule := c.String("rule")
	return &rule
}

func (a *app) showEntry(ctx context.Context, c *cli.Command) error {
	_, _, _, entry, err := a.entryOf(ctx, c)
	if err != nil {
		return err
	}
	facts := []fact{
		{"Lets in", choose(entry.EntryRule == "", "all people of the provider", "people with "+entry.EntryRule)},
		{"Claims last", strings.TrimSuffix(strings.TrimSuffix((time.Duration(entry.ClaimsLast)*time.Minute).String(), "0s"), "0m")},
	}
	m := entry.ClaimMap
	for _, part := range []struct {
		name string
		pick api.ClaimPick
	}{{"Subject", m.Subject}, {"Name", m.Name}, {"Title", m.Title}, {"Email", m.Email}, {"Groups", m.Groups}} {
		facts = append(facts, fact{part.name + " from", pickWords(part.pick)})
	}
	for _, key := range slices.Sorted(maps.Keys(m.Tags)) {
		facts = append(facts, fact{"Tag " + key + " from", pickWords(m.Tags[key])})
	}
	if len(entry.Trusts) == 0 {
		facts = append(facts, fact{"Trusted by", "nothing yet"})
	}
	for _, t := range entry.Trusts {
		state := "in use"
		if t.State == api.TrustOnTrial {
			state = choose(t.TriedAt.IsZero(), "on trial, not tried yet", "on trial, tried")
		}
		facts = append(facts, fact{"Trusted by", fmt.Sprintf("%s as %s, %s (%s)", t.Issuer, t.ClientId, state, t.Id)}, fact{"Redirect URI", t.ReturnAddress}, fact{"Logout URI", t.EndedAddress})
		if t.OwnKey {
			facts = append(facts, fact{"JWKS URI", t.KeysAddress})
		}
	}
	return a.printFacts(c, entry, facts...)
}

func (a *app) setEntry(ctx context.Context, c *cli.Command) error {
	s, organisation, provider, entry, err := a.entryOf(ctx, c)
	if err != nil {
		return err
	}
	wanted := api.EntryEdit{ClaimMap: mapGiven(c, entry.ClaimMap), EntryRule: ruleGiven(c), ClaimsLast: int(c.Duration("claims-last").Minutes())}
	if wanted == (api.EntryEdit{}) {
		return usage("nothing is to be set: give --rule, --claims-last or a part of the claim map")
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.SetEntry(ctx, organisation, provider, &api.SetEntryParams{Preview: preview}, wanted)
	}, func() { a.say(c, "Set which people %s lets in, and what its claims become.", provider) })
}

func (a *app) tryClaims(ctx context.Context, c *cli.Command) error {
	s, organisation, provider, entry, err := a.entryOf(ctx, c)
	if err != nil {
		return err
	}
	wanted := api.ClaimsTry{ClaimMap: mapGiven(c, entry.ClaimMap), EntryRule: ruleGiven(c)}
	if c.IsSet("claims-from") {
		text, err := a.readText(c.String("claims-from"))
		if err != nil {
			return err
		}
		if err := json.Unmarshal([]byte(text), &wanted.Claims); err != nil {
			return usage("--claims-from has no JSON object: %s", err)
		}
	} else {
		list, err := s.ListArrivals(ctx, organisation, provider, nil)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(list.Arrivals, func(a api.Arrival) bool { return a.Claims != nil })
		if at < 0 {
			return usage("nobody has come by %s yet: give claims by --claims-from FILE", provider)
		}
		wanted.Claims = list.Arrivals[at].Claims
		a.say(c, "With what %s said of %s on %s:", provider, list.Arrivals[at].Subject, moment(list.Arrivals[at].At))
	}
	tried, err := s.TryClaims(ctx, organisation, provider, wanted)
	if err != nil {
		return err
	}
	var facts []fact
	for _, p := range tried.Picks {
		facts = append(facts, fact{capital(p.Field), choose(len(p.Values) == 0, "nothing found", strings.Join(p.Values, ", ")+choose(p.Otherwise, " (from the second place)", ""))})
	}
	comes := "would come in"
	switch {
	case tried.Fault != "":
		comes = "would not come in: " + tried.Fault
	case !tried.Admitted:
		comes = "would not come in: the entry rule does not hold: " + tried.Stops
	}
	facts = append(facts, fact{"They", comes})
	if tried.Impact != nil {
		facts = append(facts, fact{"Who", choose(tried.Known == "", "somebody new", tried.Known)}, fact{"Impact", tried.Impact.Words})
	}
	return a.printFacts(c, tried, facts...)
}

func (a *app) listArrivals(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return err
	}
	list, err := s.ListArrivals(ctx, organisation, given[0], &api.ListArrivalsParams{Limit: c.Int("limit")})
	if err != nil {
		return err
	}
	l := listing{columns: []string{"At", "Subject", "Who", "Outcome", "From"}, empty: "Nobody has come by " + given[0] + " yet.", value: list.Arrivals}
	for _, arrival := range list.Arrivals {
		outcome := choose(arrival.Trial, "trial", "came in")
		if arrival.Refused != "" {
			outcome = choose(arrival.Trial, "trial, would be refused: ", "refused: ") + arrival.Refused
		}
		l.rows = append(l.rows, []string{moment(arrival.At), arrival.Subject, arrival.Name, outcome, arrival.From})
	}
	return a.print(c, l)
}
