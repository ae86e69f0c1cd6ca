package cli

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

// directoryCommand has the commands of the directory whose people come by a provider.
func (a *app) directoryCommand() *cli.Command {
	set := []cli.Flag{
		&cli.StringFlag{Name: "address", Usage: "where it answers, a `URL`: ldaps://HOST, or ldap://HOST, which changes to TLS by itself"},
		&cli.StringFlag{Name: "bind-as", Usage: "the distinguished `NAME` that it is read as; empty for anonymous reading"},
		&cli.StringFlag{Name: "password-from", Usage: "read the password of who reads it from the first line of `FILE` (- for standard input)"},
		&cli.StringFlag{Name: "authorities", Usage: "believe the certificates in `FILE`, as PEM, in place of those that the machine believes"},
		&cli.StringFlag{Name: "people-base", Usage: "the entry under which people are, a distinguished `NAME`"},
		&cli.StringFlag{Name: "people-filter", Usage: "which of the entries are people, a `FILTER` (RFC 4515)"},
		&cli.StringFlag{Name: "groups-base", Usage: "the entry under which groups are, a distinguished `NAME`; empty reads none"},
		&cli.StringFlag{Name: "groups-filter", Usage: "which of the entries are groups, a `FILTER`"},
		&cli.StringFlag{Name: "key", Usage: "the `ATTRIBUTE` by which people are known again: it never changes"},
		&cli.StringFlag{Name: "member-by", Usage: "the `ATTRIBUTE` of a group that names its members"},
		&cli.StringSliceFlag{Name: "attribute", Usage: "read this `ATTRIBUTE` of people as a claim; may be repeated, and replaces the list"},
		&cli.StringFlag{Name: "name", Usage: "what people are called by, by a `PATH`"},
		&cli.StringFlag{Name: "title", Usage: "the display name, by a `PATH`"},
		&cli.StringFlag{Name: "email", Usage: "the mail address, by a `PATH`"},
		&cli.StringMapFlag{Name: "tag", Usage: "a tag from an attribute, as `KEY=PATH`; an empty path removes it; may be repeated"},
		&cli.DurationFlag{Name: "every", Usage: "how often it is read, a `DURATION` such as 1h; 0 for when somebody asks"},
		&cli.IntFlag{Name: "most-leaving", Usage: "if more than `N` percent of the people would leave at once, nothing is done"},
		&cli.IntFlag{Name: "retire-after", Usage: "how many `DAYS` after they left people are retired; 0 for never"},
		previewFlag(),
	}
	return &cli.Command{
		Name: "directory", Usage: "read the people and groups of a directory",
		Commands: []*cli.Command{
			{Name: "show", Usage: "show how the directory of a provider is read", ArgsUsage: "PROVIDER", Action: a.showDirectory},
			{
				Name: "set", Usage: "set how the directory of a provider is read; options that are left out stay as they are", ArgsUsage: "PROVIDER",
				Description: "The directory speaks LDAP (RFC 4511). " + mapWords, Flags: set, Action: a.setDirectory,
			},
			{
				Name: "read", Usage: "read a directory now, and show what that does", ArgsUsage: "PROVIDER",
				Description: "People who are in it come, and those who have left are suspended. Nothing is done if too many would leave, or somebody who governs.",
				Flags: []cli.Flag{
					&cli.BoolFlag{Name: "preview", Usage: "show what it would do, and change nothing"},
					&cli.StringFlag{Name: "file", Usage: "read the entries from `FILE`, as LDIF (- for standard input), in place of those that the directory has"},
					&cli.BoolFlag{Name: "despite-brakes", Usage: "do it though more would leave than may, or somebody who governs"},
				},
				Action: a.readDirectory,
			},
			{Name: "readings", Usage: "list what the last readings of a directory found and did", ArgsUsage: "PROVIDER", Action: a.listReadings},
			{Name: "remove", Usage: "remove the directory of a provider; its people stay as they are", ArgsUsage: "PROVIDER", Flags: []cli.Flag{previewFlag()}, Action: a.removeDirectory},
		},
	}
}

// directoryOf finds a provider by the command's argument, and how its directory is read.
func (a *app) directoryOf(ctx context.Context, c *cli.Command) (s session, organisation, provider string, is api.Directory, err error) {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return s, "", "", is, err
	}
	is, err = s.ShowDirectory(ctx, organisation, given[0])
	return s, organisation, given[0], is, err
}

func (a *app) showDirectory(ctx context.Context, c *cli.Command) error {
	_, _, provider, is, err := a.directoryOf(ctx, c)
	if err != nil {
		return err
	}
	set := is.Settings
	if !is.Set && c.String("output") == "table" {
		a.say(c, "No directory is read for %s. These are the usual settings, which arbora provider directory set begins with:", provider)
	}
	m := set.ClaimMap
	facts := []fact{
		{"Address", set.Address}, {"Read as", choose(set.BindName == "", "nobody", set.BindName+choose(is.HasPassword, "", ", without a password"))},
		{"Certificates", choose(set.Authorities == "", "", "of authorities of its own")},
		{"People", set.People.Filter + choose(set.People.Base == "", "", " under "+set.People.Base)}, {"Groups", choose(set.Groups.Base == "", "none", set.Groups.Filter+" under "+set.Groups.Base)},
		{"Known by", set.Key}, {"Members by", set.MemberBy}, {"Attributes", strings.Join(set.Attributes, ", ")},
		{"Name from", pickWords(m.Name)}, {"Title from", pickWords(m.Title)}, {"Email from", pickWords(m.Email)},
	}
	for _, key := range slices.Sorted(maps.Keys(m.Tags)) {
		facts = append(facts, fact{"Tag " + key + " from", pickWords(m.Tags[key])})
	}
	return a.printFacts(c, is, append(facts,
		fact{"Read every", choose(set.Every == 0, "time somebody asks", minutes(set.Every))}, fact{"Read next", choose(is.NextAt.IsZero(), "", moment(is.NextAt))},
		fact{"Stops if", fmt.Sprintf("more than %d percent would leave, or somebody who governs", set.MostLeaving)},
		fact{"Retires", choose(set.RetireAfter == 0, "nobody", fmt.Sprintf("who left %d days ago", set.RetireAfter))},
	)...)
}

// minutes writes a time as 90m or 1h.
func minutes(n int) string {
	return strings.TrimSuffix(strings.TrimSuffix((time.Duration(n)*time.Minute).String(), "0s"), "0m")
}

func (a *app) setDirectory(ctx context.Context, c *cli.Command) error {
	s, organisation, provider, is, err := a.directoryOf(ctx, c)
	if err != nil {
		return err
	}
	wanted := api.DirectoryWanted{Settings: is.Settings}
	set := &wanted.Settings
	for name, into := range map[string]*string{
		"address": &set.Address, "bind-as": &set.BindName, "people-base": &set.People.Base, "people-filter": &set.People.Filter,
		"groups-base": &set.Groups.Base, "groups-filter": &set.Groups.Filter, "key": &set.Key, "member-by": &set.MemberBy,
	} {
		if c.IsSet(name) {
			*into = c.String(name)
		}
	}
	if c.IsSet("attribute") {
		set.Attributes = c.StringSlice("attribute")
	}
	if m := mapGiven(c, set.ClaimMap); m != nil {
		set.ClaimMap = *m
	}
	if c.IsSet("every") {
		set.Every = int(c.Duration("every").Minutes())
		if c.Duration("every") > 0 && set.Every == 0 {
			return usage("--every is in whole minutes: a directory is read every minute at most")
		}
	}
	for name, into := range map[string]*int{"most-leaving": &set.MostLeaving, "retire-after": &set.RetireAfter} {
		if c.IsSet(name) {
			*into = c.Int(name)
		}
	}
	if c.IsSet("authorities") {
		set.Authorities = ""
		if file := c.String("authorities"); file != "" {
			if set.Authorities, err = a.readText(file); err != nil {
				return err
			}
		}
	}
	if c.IsSet("password-from") {
		password, err := a.secretOf(c, "password-from", "Password of who reads it")
		if err != nil {
			return err
		}
		wanted.Password = &password
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.SetDirectory(ctx, organisation, provider, &api.SetDirectoryParams{Preview: preview}, wanted)
	}, func() {
		a.say(c, "Set how the directory of %s is read. See what a reading would do: arbora provider directory read %s --preview", provider, provider)
	})
}

func (a *app) readDirectory(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return err
	}
	wanted := api.DirectoryReadingWanted{Preview: c.Bool("preview"), DespiteBrakes: c.Bool("despite-brakes")}
	if c.IsSet("file") {
		if wanted.File, err = a.readText(c.String("file")); err != nil {
			return err
		}
		if wanted.File == "" {
			return usage("there is nothing in the file")
		}
	}
	is, err := s.ReadDirectory(ctx, organisation, given[0], wanted)
	if err != nil {
		return err
	}
	if is.Outcome == api.ReadingRunning {
		a.say(c, "This takes a while. It goes on if you end this command.")
		if is, err = awaitReading(ctx, s, organisation, given[0], is.Id); err != nil {
			return err
		}
	}
	l := listing{columns: []string{"Does", "Who", "What"}, value: is}
	for _, step := range is.Steps {
		l.rows = append(l.rows, []string{string(step.Does), step.Name, step.What})
	}
	if c.String("output") != "table" {
		return a.printValue(c, l)
	}
	if len(l.rows) > 0 {
		a.say(c, "%s", a.render(l))
	}
	a.say(c, "%s", readingWords(is))
	if is.Impact != nil {
		a.prose(c, is.Impact.Words+" Nothing was changed.")
		if effects := impactListing(*is.Impact, is); len(effects.rows) > 0 {
			a.say(c, "\n%s", a.render(effects))
		}
		for _, warning := range is.Impact.Warnings {
			a.prose(c, "! "+warning)
		}
	}
	for _, brake := range is.Brakes {
		a.prose(c, "! "+capital(brake)+choose(is.Outcome == api.ReadingDone, ".", ": a reading stops there unless --despite-brakes is given."))
	}
	if is.Outcome == api.ReadingStopped || is.Outcome == api.ReadingFailed {
		return fmt.Errorf("the reading %s: %s", is.Outcome, is.Why)
	}
	return nil
}

// lookEach is how often it is looked whether a reading has ended.
const lookEach = time.Second

// awaitReading waits until a reading has ended that goes on after its answer.
func awaitReading(ctx context.Context, s session, organisation, provider, id string) (api.DirectoryReading, error) {
	tick := time.NewTicker(lookEach)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return api.DirectoryReading{}, ctx.Err()
		case <-tick.C:
		}
		list, err := s.ListReadings(ctx, organisation, provider)
		if err != nil {
			return api.DirectoryReading{}, err
		}
		for _, r := range list.Readings {
			if r.Id == id {
				return r, nil
			}
		}
	}
}

// numbered writes a number with the word for one or for many.
func numbered(n int, one, many string) string {
	return strconv.Itoa(n) + " " + choose(n == 1, one, many)
}

// readingWords counts what a reading did.
func readingWords(r api.DirectoryReading) string {
	parts := []string{numbered(r.People, "person found", "people found")}
	for _, one := range []struct {
		does      api.DirectoryStepDoes
		one, many string
	}{
		{api.PersonComes, "comes", "come"}, {api.PersonReturns, "returns", "return"}, {api.PersonChanges, "changed", "changed"}, {api.PersonLeaves, "leaves", "leave"},
		{api.PersonRetires, "retired", "retired"}, {api.GroupComes, "new group", "new groups"}, {api.GroupChanges, "group changed", "groups changed"},
		{api.GroupEmpties, "group emptied", "groups emptied"}, {api.EntryCannotBeRead, "entry cannot be read", "entries cannot be read"},
		{api.PersonGetsNoLetter, "letter was not sent", "letters were not sent"},
	} {
		if n := r.Counts[string(one.does)]; n > 0 {
			parts = append(parts, numbered(n, one.one, one.many))
		}
	}
	if len(parts) == 1 {
		parts = append(parts, "nothing to do")
	}
	return strings.Join(parts, "; ") + "."
}

func (a *app) listReadings(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return err
	}
	list, err := s.ListReadings(ctx, organisation, given[0])
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Began", "By", "Outcome", "People", "Come", "Changed", "Leave", "Groups changed", "Why"}, empty: "The directory of " + given[0] + " was not read yet.", value: list}
	for _, r := range list.Readings {
		count := func(kinds ...api.DirectoryStepDoes) string {
			n := 0
			for _, kind := range kinds {
				n += r.Counts[string(kind)]
			}
			return strconv.Itoa(n)
		}
		l.rows = append(l.rows, []string{
			moment(r.BeganAt), r.By, string(r.Outcome) + choose(r.File, ", a file", ""), strconv.Itoa(r.People), count(api.PersonComes, api.PersonReturns), count(api.PersonChanges),
			count(api.PersonLeaves), count(api.GroupComes, api.GroupChanges, api.GroupEmpties), cmp.Or(r.Why, choose(r.Counts[string(api.EntryCannotBeRead)] > 0, count(api.EntryCannotBeRead)+" entries cannot be read", "")),
		})
	}
	return a.print(c, l)
}

func (a *app) removeDirectory(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return err
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.RemoveDirectory(ctx, organisation, given[0], &api.RemoveDirectoryParams{Preview: preview})
	}, func() { a.say(c, "The directory of %s is removed. Its people stay as they are.", given[0]) })
}
