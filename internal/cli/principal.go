package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/internal/english"
)

// What users, groups and service accounts have in common.

// nameWord is what a command calls a principal of a kind that it is given.
func nameWord(kind api.PrincipalKind) string {
	if kind == api.ServiceAccountKind {
		return "ADDRESS"
	}
	return "NAME"
}

var signInWords = map[api.SignInBy]string{
	api.ByPassword: "password", api.ByKey: "API key", api.ByBoth: "password and API key",
}

func (a *app) showPrincipal(kind api.PrincipalKind) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		s, organisation, given, err := a.insideWith(c, nameWord(kind))
		if err != nil {
			return err
		}
		p, err := s.ShowPrincipal(ctx, organisation, kind, given[0])
		if err != nil {
			return err
		}
		var members []string
		for _, m := range p.Members {
			members = append(members, map[api.PrincipalKind]string{api.GroupKind: "group ", api.OutsideGroupKind: "outside group "}[m.Kind]+m.Name+idleText(p, m))
		}
		facts := []fact{
			{"Name", p.Name}, {"Title", p.Title}, {"Email", p.Email}, {"Description", p.Description},
			{"State", stateText(p)}, {"Tags", tagsText(p.Tags)}, {"Created", moment(p.CreatedAt)}, {"Id", p.Id},
		}
		if p.Address != "" {
			facts[0].value = p.Address
		}
		if p.SignIn != "" {
			facts = append(facts, fact{"Signs in", p.SignIn + ", by " + signInWords[p.SignInBy] + choose(p.Factor, " and a second factor", "")})
		}
		facts = append(facts, outsideFacts(p)...)
		if kind == api.UserKind || kind == api.GuestKind || kind == api.OutsidePersonKind {
			facts = append(facts, fact{"Last sign-in", choose(p.LastSignInAt.IsZero(), "never", moment(p.LastSignInAt))})
		}
		facts = append(facts, fact{"Owns groups", strings.Join(p.OwnsGroups, ", ")})
		if kind == api.GroupKind {
			facts = append(facts, groupFacts(p, members)...)
		}
		if kind != api.ProviderKind {
			facts = append(facts, fact{"In groups", orWord(withInherited(p.Groups, beyondLinks(p)), "none")})
		}
		if err := a.printFacts(c, p, facts...); err != nil {
			return err
		}
		l := listing{columns: []string{"Rule", "Through", "At", "Grant"}, empty: "none: everything is denied"}
		for _, r := range p.Rules {
			if r.Grant == nil {
				l.rows = append(l.rows, []string{r.Words, "policy " + r.Statement.Policy.Name, r.Scope.Address, ""})
				continue
			}
			through := choose((r.Grant.Principal.Name == p.Name || r.Grant.Principal.Name == p.Address) && r.Grant.Principal.Kind == p.Kind, "directly", whoText(r.Grant.Principal))
			l.rows = append(l.rows, []string{r.Grant.Role + terms(*r.Grant), through, r.Scope.Address, r.Grant.Id})
		}
		a.section(c, "Grants and statements", l)
		if p.Hidden {
			a.say(c, "There is more that you may not see.")
		}
		return a.showCredentials(ctx, c, s, organisation, kind, given[0])
	}
}

// showCredentials lists, for people, what somebody can sign in by at present: API keys and sessions, if there are any.
func (a *app) showCredentials(ctx context.Context, c *cli.Command, s session, organisation string, kind api.PrincipalKind, name string) error {
	if c.String("output") != "table" || kind == api.GroupKind || kind == api.ProviderKind {
		return nil
	}
	if kind == api.UserKind || kind == api.ServiceAccountKind {
		list, err := s.ListKeys(ctx, organisation, api.KindOfPrincipal(kind), name)
		if err != nil {
			return err
		}
		l := listing{columns: keyColumns}
		for _, k := range list.Keys {
			l.rows = append(l.rows, keyRow(k))
		}
		if len(l.rows) > 0 {
			a.section(c, "API keys", l)
		}
	}
	if kind == api.ServiceAccountKind {
		return nil
	}
	list, err := s.ListSessionsOf(ctx, organisation, api.KindOfPrincipal(kind), name)
	if err != nil || len(list.Sessions) == 0 {
		return err
	}
	a.section(c, "Sessions", sessionListing(list))
	return nil
}

// stateText tells a state, and what it means where it is not "in use".
func stateText(p api.PrincipalDetails) string {
	switch {
	case p.State == api.StatePending && !p.InvitedUntil.IsZero():
		return fmt.Sprintf("! pending: holds nothing until they accept; the link works until %s", moment(p.InvitedUntil))
	case p.State == api.StatePending:
		return "! pending: holds nothing until they accept; the link no longer works, arbora guest resend creates another"
	case p.State != api.StateActive:
		return fmt.Sprintf("! %s: holds nothing of what is named below", p.State)
	}
	return string(p.State)
}

// withInherited lists the direct groups, and those that follow from them in brackets.
func withInherited(direct, within []string) string {
	text := strings.Join(direct, ", ")
	var further []string
	for _, name := range within {
		if !containsWord(direct, name) {
			further = append(further, name)
		}
	}
	if len(direct) == 0 && len(further) > 0 {
		return strings.Join(further, ", ") + " (through other groups)"
	}
	if len(further) > 0 {
		text += " (and through them " + strings.Join(further, ", ") + ")"
	}
	return text
}

func containsWord(list []string, word string) bool {
	for _, item := range list {
		if item == word {
			return true
		}
	}
	return false
}

func orWord(text, word string) string {
	if text == "" {
		return word
	}
	return text
}

// idleText marks a member who is out of use, or not there yet, and holds nothing.
func idleText(group api.PrincipalDetails, member api.PrincipalRef) string {
	for _, idle := range group.Idle {
		if idle.Principal == member {
			return fmt.Sprintf(" (! %s)", idle.State)
		}
	}
	return ""
}

// groupFacts tell who is in a group and by what.
func groupFacts(p api.PrincipalDetails, members []string) []fact {
	var facts []fact
	if p.Gathers != "" {
		facts = append(facts, fact{"Gathers", "people with " + p.Gathers})
	}
	facts = append(facts, fact{"Members", orWord(strings.Join(members, ", "), "none")})
	var every []string
	for _, m := range p.EveryMember {
		every = append(every, m.Name+idleText(p, m))
	}
	if len(every) != len(members) {
		facts = append(facts, fact{"At any depth", orWord(strings.Join(every, ", "), "nobody")})
	}
	if p.Owner != nil {
		facts = append(facts, fact{"Owned by", whoText(*p.Owner)})
	}
	return facts
}

func (a *app) editCommand(kind api.PrincipalKind) *cli.Command {
	flags := []cli.Flag{
		&cli.StringFlag{Name: "name", Usage: "another `NAME`; id and access stay"},
		&cli.StringFlag{Name: "title", Usage: "a `TEXT` people know it by"},
		&cli.StringFlag{Name: "description", Usage: "its purpose, as a `TEXT`"},
		&cli.StringMapFlag{Name: "tag", Usage: "a tag, as `KEY=VALUE`, beside those there are; may be repeated"},
		&cli.StringSliceFlag{Name: "untag", Usage: "remove the tag with this `KEY`; may be repeated"},
	}
	switch kind {
	case api.UserKind:
		flags = append(flags, &cli.StringFlag{Name: "email", Usage: "another `EMAIL` address"},
			&cli.StringFlag{Name: "sign-in-by", Usage: "another `WAY` to sign in: password, key or both; what no longer fits stops working at once"})
	case api.GroupKind:
		flags = append(flags,
			&cli.StringFlag{Name: "owner", Usage: "the `USER` who may change its members"},
			&cli.StringFlag{Name: "owner-group", Usage: "the `GROUP` whose members may change its members"},
			&cli.BoolFlag{Name: "no-owner", Usage: "remove its owner"},
			&cli.StringFlag{Name: "gathers", Usage: "of a gathering group: another `CONDITION`"})
	}
	return &cli.Command{
		Name: "edit", Usage: "edit a " + kindText(kind), ArgsUsage: nameWord(kind), Flags: append(flags, previewFlag()),
		Action: func(ctx context.Context, c *cli.Command) error { return a.edit(ctx, c, kind) },
	}
}

func kindText(kind api.PrincipalKind) string { return strings.ReplaceAll(string(kind), "-", " ") }

func (a *app) edit(ctx context.Context, c *cli.Command, kind api.PrincipalKind) error {
	s, organisation, given, err := a.insideWith(c, nameWord(kind))
	if err != nil {
		return err
	}
	edit := api.PrincipalEdit{Owner: ownerGiven(c), SignInBy: api.SignInBy(c.String("sign-in-by"))}
	for name, field := range map[string]**string{
		"name": &edit.Name, "title": &edit.Title, "description": &edit.Description, "email": &edit.Email, "gathers": &edit.Gathers,
	} {
		if c.IsSet(name) {
			text := c.String(name)
			*field = &text
		}
	}
	if c.Bool("no-owner") {
		none := true
		edit.NoOwner = none
	}
	if c.IsSet("tag") || c.IsSet("untag") {
		p, err := s.ShowPrincipal(ctx, organisation, kind, given[0])
		if err != nil {
			return err
		}
		tags := p.Tags
		for key, value := range c.StringMap("tag") {
			tags[key] = value
		}
		for _, key := range c.StringSlice("untag") {
			if _, there := tags[key]; !there {
				return fmt.Errorf("%s %s has no tag %s", kindText(kind), given[0], key)
			}
			delete(tags, key)
		}
		edit.Tags = &tags
	}
	if edit == (api.PrincipalEdit{}) {
		return usage("name something to edit; see %s --help", c.FullName())
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.EditPrincipal(ctx, organisation, kind, given[0], &api.EditPrincipalParams{Preview: preview}, edit)
	}, func() {
		a.say(c, "Edited %s %s.", kindText(kind), given[0])
	})
}

// ownerGiven returns the owner that flags name, if they do.
func ownerGiven(c *cli.Command) *api.PrincipalRef {
	if name := c.String("owner"); name != "" {
		return &api.PrincipalRef{Kind: api.UserKind, Name: name}
	}
	if name := c.String("owner-group"); name != "" {
		return &api.PrincipalRef{Kind: api.GroupKind, Name: name}
	}
	return nil
}

var stateUsage = map[api.State]string{
	api.StateSuspended: "suspend %s for a while: sessions, keys and decisions follow at once",
	api.StateRetired:   "retire %s: sessions, keys and decisions follow at once; it can be restored",
	api.StateActive:    "restore %s, as it was",
}

func (a *app) stateCommand(kind api.PrincipalKind, verb string, to api.State) *cli.Command {
	return &cli.Command{
		Name: verb, Usage: strings.ReplaceAll(stateUsage[to], "%s", "a "+kindText(kind)) + "; several at once are all done, or none", ArgsUsage: nameWord(kind) + " …", Flags: []cli.Flag{previewFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			s, organisation, err := a.inside(c)
			if err != nil {
				return err
			}
			names := c.Args().Slice()
			if len(names) == 0 {
				return usage("%s takes at least one %s; see %s --help", c.FullName(), nameWord(kind), c.FullName())
			}
			var wanted api.Changes
			for _, name := range names {
				wanted.Changes = append(wanted.Changes, api.ChangeWanted{SetState: &api.StateWanted{Principal: api.PrincipalRef{Kind: kind, Name: name}, State: to}})
			}
			return a.change(c, func(preview bool) (api.Written, error) {
				return s.MakeChanges(ctx, organisation, &api.MakeChangesParams{Preview: preview}, wanted)
			}, func() {
				a.say(c, "%s %s %s %s now.", capital(kindText(kind)), english.Join(names), choose(len(names) == 1, "is", "are"), to)
				if kind == api.UserKind && to == api.StateRetired {
					a.say(c, "%s grants stay: arbora user hand-over %s --user NAME gives them to somebody else.", choose(len(names) == 1, "Its", "Their"), choose(len(names) == 1, names[0], "NAME"))
				}
			})
		},
	}
}

func (a *app) handOver(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "NAME")
	if err != nil {
		return err
	}
	to, err := principal(c)
	if err != nil {
		return err
	}
	s, organisation, err := a.inside(c)
	if err != nil {
		return err
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		wanted := api.HandOverTo{Kind: to.Kind, Name: to.Name, Grants: c.StringSlice("grant"), Groups: c.Bool("groups")}
		return s.HandOver(ctx, organisation, api.UserKind, given[0], &api.HandOverParams{Preview: preview}, wanted)
	}, func() {
		what := "All direct grants of user " + given[0]
		if n := len(c.StringSlice("grant")); n > 0 {
			what = english.Count(n, "grant") + " of user " + given[0]
		}
		a.say(c, "%s now %s to %s%s.", what, choose(len(c.StringSlice("grant")) == 1, "belongs", "belong"), whoText(to), choose(c.Bool("groups"), ", who is in the same groups", ""))
	})
}

func (a *app) resetPassword(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "NAME")
	if err != nil {
		return err
	}
	reset, err := s.ResetPassword(ctx, organisation, api.UserKind, given[0], &api.ResetPasswordParams{KeepPasskeys: c.Bool("keep-passkeys"), KeepKeys: c.Bool("keep-keys")})
	if err != nil {
		return err
	}
	a.say(c, "Sessions and links of %s no longer work%s%s.", given[0], choose(c.Bool("keep-passkeys"), "", ", and neither do the passkeys"), choose(c.Bool("keep-keys"), "", ", and neither do the API keys"))
	a.sayPassword(c, reset.Password, true)
	return a.valueOnly(c, reset)
}
