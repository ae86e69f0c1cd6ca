package cli

import (
	"context"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/access/statement"
	"arbora.example/api"
	"arbora.example/client"
)

func (a *app) userCommand() *cli.Command {
	return &cli.Command{
		Name: "user", Usage: "create, list and edit users, until they leave",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "create a user; at a terminal without a name, you are asked for everything", ArgsUsage: "[NAME]",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "title", Usage: "the display name, a `TEXT`"},
					&cli.StringFlag{Name: "email", Usage: "the `EMAIL` address, if there is one"},
					&cli.StringFlag{Name: "description", Usage: "a `TEXT` about the person"},
					&cli.StringFlag{Name: "password-from", Usage: "read the password from `FILE` (- for standard input); generated otherwise"},
					&cli.BoolFlag{Name: "temporary", Usage: "the person must choose another password at the first sign-in, within 7 days"},
					&cli.StringFlag{Name: "sign-in-by", Usage: "`WAY` to sign in: password, key or both", Value: "password"},
					&cli.StringMapFlag{Name: "tag", Usage: "a tag, as `KEY=VALUE`; may be repeated"},
					&cli.StringSliceFlag{Name: "group", Usage: "add the person to this `GROUP`; may be repeated"},
					&cli.StringSliceFlag{Name: "grant", Usage: "give the person a role, as `\"ROLE at ADDRESS\"`, with from or until INSTANT after it if wanted; may be repeated"},
					atMostFlag(),
					&cli.StringFlag{Name: "like", Usage: "the same groups and direct grants as `USER` besides"},
					&cli.StringSliceFlag{Name: "but", Usage: "of those of --like, leave out this `GROUP or ROLE`; may be repeated"},
					&cli.BoolFlag{Name: "link", Usage: "mail a link to choose a password, which works once and for a day; no password is made"},
					&cli.BoolFlag{Name: "notify", Usage: "mail how to sign in, never a password"},
					&cli.StringFlag{Name: "key", Usage: "create an API key with this `LABEL`; its secret is shown once"},
					previewFlag(),
				},
				Action: a.createUser,
			},
			a.importCommand(),
			a.listPeopleCommand(api.ListPeopleParamsKindUser, "list users"),
			{Name: "show", Usage: "show a user with groups and grants", ArgsUsage: "NAME", Action: a.showPrincipal(api.UserKind)},
			a.editCommand(api.UserKind),
			a.stateCommand(api.UserKind, "suspend", api.StateSuspended), a.stateCommand(api.UserKind, "retire", api.StateRetired), a.stateCommand(api.UserKind, "restore", api.StateActive),
			{
				Name: "hand-over", Usage: "hand a user's direct grants over to somebody else", ArgsUsage: "NAME",
				Flags: append(principalFlags(), previewFlag(),
					&cli.StringSliceFlag{Name: "grant", Usage: "only the grant of this `ID`; may be repeated"},
					&cli.BoolFlag{Name: "groups", Usage: "add them to the same groups, too"}), Action: a.handOver,
			},
			{Name: "mail-password-link", Usage: "mail a user a link to choose a password, which works once and for a day", ArgsUsage: "NAME", Action: a.mailPasswordLink(api.UserKind)},
			{Name: "passkeys", Usage: "list the passkeys of a user", ArgsUsage: "NAME", Action: a.listPasskeysOf},
			{Name: "remove-passkey", Usage: "remove a passkey of a user: nobody signs in by it any more", ArgsUsage: "NAME ID", Action: a.removePasskeyOf},
			{Name: "reset-second-factor", Usage: "remove the second factor of a user who lost it", ArgsUsage: "NAME", Action: a.resetSecondFactor},
			{Name: "reset-password", Usage: "give a user a new temporary password, shown once; sessions, links, passkeys and keys of before end", ArgsUsage: "NAME", Action: a.resetPassword, Flags: []cli.Flag{
				&cli.BoolFlag{Name: "keep-passkeys", Usage: "leave their passkeys as they are"},
				&cli.BoolFlag{Name: "keep-keys", Usage: "leave their API keys as they are"},
			}},
		},
	}
}

func (a *app) createUser(ctx context.Context, c *cli.Command) error {
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	if !c.Args().Present() && a.terminal() {
		return a.createAskedUser(ctx, c, s, organisation)
	}
	given, err := arguments(c, "NAME")
	if err != nil {
		return err
	}
	wanted, err := a.newUser(ctx, c, s, organisation, given[0])
	if err != nil {
		return err
	}
	return a.createUserAs(ctx, c, s, organisation, wanted)
}

// createAskedUser asks for a user, shows what they would be able to do, and makes them once that is confirmed.
func (a *app) createAskedUser(ctx context.Context, c *cli.Command, s session, organisation string) error {
	wanted, err := a.askUser()
	if err != nil {
		return err
	}
	if c.Bool("preview") {
		return a.createUserAs(ctx, c, s, organisation, wanted)
	}
	written, err := s.PreviewCreateUser(ctx, organisation, wanted)
	if err != nil {
		return err
	}
	if err := a.printImpact(c, written); err != nil {
		return err
	}
	answer, err := a.askFor("Create "+wanted.Name+"? (yes, no)", "no", oneOf("yes", "no"))
	if err != nil {
		return err
	}
	if answer != "yes" {
		a.say(c, "Nobody was created.")
		return nil
	}
	if s.Client, err = s.saved.open(client.Confirmed(written.Impact.Confirmation)); err != nil {
		return err
	}
	return a.createUserAs(ctx, c, s, organisation, wanted)
}

// createUserAs makes a user and tells what came of it; with --preview, what would.
func (a *app) createUserAs(ctx context.Context, c *cli.Command, s session, organisation string, wanted api.UserNew) error {
	return create(ctx, a, c, s.PreviewCreateUser, s.CreateUser, organisation, wanted, func(made api.UserMade) {
		a.say(c, "Created user %s, who signs in as %s at %s.", made.User.Name, made.SignIn, made.Address)
		a.sayPassword(c, made.Password, *wanted.Temporary)
		if made.Link != nil {
			a.sayLink(c, *made.Link)
		}
		if made.Mailed != nil {
			a.say(c, "%s", choose(made.Mailed.Sent, "How to sign in was mailed to "+made.Mailed.To+".", "! How to sign in was not mailed: "+made.Mailed.Reason))
		}
		if made.Key != nil {
			a.sayKey(c, *made.Key)
		}
		for _, group := range wanted.Groups {
			a.say(c, "In group %s.", group)
		}
		for _, g := range wanted.Grants {
			a.say(c, "Granted %s.", firstGrantText(g))
		}
		if len(wanted.Groups)+len(wanted.Grants) == 0 {
			a.say(c, "%s holds nothing yet: all is denied until a grant or a group gives access.", made.User.Name)
		}
	})
}

// newUser reads from the flags who is wanted.
func (a *app) newUser(ctx context.Context, c *cli.Command, s session, organisation, name string) (api.UserNew, error) {
	temporary, by := c.Bool("temporary"), api.SignInBy(c.String("sign-in-by"))
	if temporary && by == api.ByKey {
		return api.UserNew{}, usage("--temporary is about a password, and who signs in by %s has none: leave one of them out", signInWords[by])
	}
	groups := c.StringSlice("group")
	grants, err := grantsGiven(c)
	if err != nil {
		return api.UserNew{}, err
	}
	if like := c.String("like"); like != "" {
		model, err := s.ShowPrincipal(ctx, organisation, api.UserKind, like)
		if err != nil {
			return api.UserNew{}, err
		}
		more, also := likeThem(model, c.StringSlice("but"))
		a.sayCopied(c, like, model, more, also)
		groups, grants = append(groups, more...), append(grants, also...)
	}
	wanted := api.UserNew{
		Name: name, Title: c.String("title"), Email: c.String("email"), Description: c.String("description"),
		Temporary: &temporary, SignInBy: by, Groups: groups, Grants: grants, AtMost: c.String("at-most"), Tags: tagsGiven(c),
	}
	if c.Bool("link") {
		yes := true
		wanted.Link = yes
	}
	if c.Bool("notify") {
		yes := true
		wanted.Notify = yes
	}
	if label := c.String("key"); label != "" {
		wanted.Key = &api.KeyNew{Label: label}
	}
	if from := c.String("password-from"); from != "" {
		password, err := a.secret(from, "")
		if err != nil {
			return api.UserNew{}, err
		}
		wanted.Password = password
	}
	return wanted, nil
}

// sayCopied tells line by line what somebody gets as somebody else has it; --but leaves a line out.
func (a *app) sayCopied(c *cli.Command, like string, model api.PrincipalDetails, groups []string, grants []api.FirstGrant) {
	a.say(c, "As %s has it:", like)
	for _, group := range groups {
		a.say(c, "  group %s", group)
	}
	for _, g := range grants {
		a.say(c, "  %s", firstGrantText(g))
	}
	if len(groups)+len(grants) == 0 {
		a.say(c, "  nothing")
	}
}

// firstGrantText writes what somebody is given, with its condition and period.
func firstGrantText(g api.FirstGrant) string {
	return g.Role + " at " + g.Scope + terms(api.Grant{Condition: g.Condition, From: g.From, Until: g.Until})
}

// likeThem returns the groups and direct grants of somebody, but for those left out by name.
func likeThem(model api.PrincipalDetails, but []string) (groups []string, grants []api.FirstGrant) {
	for _, group := range model.Groups {
		// Who is gathered by tags is not put in by name.
		if !slices.Contains(but, group) && !slices.Contains(model.Gathered, group) {
			groups = append(groups, group)
		}
	}
	for _, r := range model.Rules {
		g := r.Grant
		if g == nil || g.Principal.Kind != model.Kind || g.Principal.Name != model.Name || slices.Contains(but, g.Role) {
			continue
		}
		grants = append(grants, api.FirstGrant{Scope: r.Scope.Address, Role: g.Role, Condition: g.Condition, From: g.From, Until: g.Until})
	}
	return groups, grants
}

func (a *app) mailPasswordLink(kind api.PrincipalKind) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		s, organisation, given, err := a.insideWith(c, "NAME")
		if err != nil {
			return err
		}
		link, err := s.MailPasswordLink(ctx, organisation, kind, given[0])
		if err != nil {
			return err
		}
		a.say(c, "Created a link for %s to choose a password.", given[0])
		a.sayLink(c, link)
		return a.valueOnly(c, link)
	}
}

func (a *app) resetSecondFactor(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "NAME")
	if err != nil {
		return err
	}
	if err := s.ResetSecondFactor(ctx, organisation, api.UserKind, given[0]); err != nil {
		return err
	}
	a.say(c, "%s has no second factor any more, and should set up another.", given[0])
	return nil
}

// grantsGiven reads the grants that flags give.
func grantsGiven(c *cli.Command) ([]api.FirstGrant, error) {
	grants := []api.FirstGrant{}
	for _, text := range c.StringSlice("grant") {
		given, err := statement.ParseGiven(text)
		if err != nil {
			return nil, usageError{err}
		}
		grants = append(grants, givenGrant(given))
	}
	return grants, nil
}

func givenGrant(g statement.Given) api.FirstGrant {
	return api.FirstGrant{Role: g.Role, Scope: g.Scope, From: g.Period.From, Until: g.Period.Until}
}

func atMostFlag() cli.Flag {
	return &cli.StringFlag{Name: "at-most", Usage: "the most they may ever do, whatever they are given: what follows \"may only\" in a `STATEMENT`, such as \"observe anything\""}
}

func tagsGiven(c *cli.Command) api.Tags { return c.StringMap("tag") }

func capital(word string) string { return strings.ToUpper(word[:1]) + word[1:] }

func (a *app) listPasskeysOf(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "NAME")
	if err != nil {
		return err
	}
	list, err := s.ListPasskeysOf(ctx, organisation, api.UserKind, given[0])
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Passkey", "Called", "Added", "Last used"}, empty: given[0] + " has no passkey.", value: list.Passkeys}
	for _, k := range list.Passkeys {
		used := "never"
		if !k.LastUsedAt.IsZero() {
			used = moment(k.LastUsedAt)
		}
		l.rows = append(l.rows, []string{k.Id, k.Label, moment(k.CreatedAt), used})
	}
	return a.print(c, l)
}

func (a *app) removePasskeyOf(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "NAME", "ID")
	if err != nil {
		return err
	}
	if err := s.RemovePasskeyOf(ctx, organisation, api.UserKind, given[0], given[1]); err != nil {
		return err
	}
	a.say(c, "Removed the passkey of %s.", given[0])
	return nil
}
