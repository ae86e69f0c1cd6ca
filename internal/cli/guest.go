package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

func (a *app) guestCommand() *cli.Command {
	return &cli.Command{
		Name: "guest", Usage: "invite people from outside, and edit them until they leave",
		Commands: []*cli.Command{
			{
				Name: "invite", Usage: "mail somebody an invitation, which works once and for 7 days", ArgsUsage: "EMAIL",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "title", Usage: "the display name, a `TEXT`"},
					&cli.StringFlag{Name: "description", Usage: "a `TEXT` about the person"},
					&cli.StringMapFlag{Name: "tag", Usage: "a tag, as `KEY=VALUE`; may be repeated"},
					&cli.StringSliceFlag{Name: "group", Usage: "add them to this `GROUP` once they accept; may be repeated"},
					&cli.StringSliceFlag{Name: "grant", Usage: "give them a role once they accept, as `\"ROLE at ADDRESS\"`, with from or until INSTANT after it if wanted; may be repeated"},
					atMostFlag(),
					previewFlag(),
				},
				Action: a.inviteGuest,
			},
			a.listPeopleCommand(api.ListPeopleParamsKindGuest, "list guests, those too who have not accepted yet"),
			{Name: "show", Usage: "show a guest with groups and grants", ArgsUsage: "NAME", Action: a.showPrincipal(api.GuestKind)},
			a.editCommand(api.GuestKind),
			{Name: "link", Usage: "create another link in place of the first, show it and mail it, if you hold everything the invitation gives", ArgsUsage: "NAME", Action: a.resendInvitation(true)},
			{Name: "resend", Usage: "mail another invitation in place of the first", ArgsUsage: "NAME", Action: a.resendInvitation(false)},
			{Name: "withdraw", Usage: "withdraw an invitation that is not accepted yet: its link no longer works", ArgsUsage: "NAME", Flags: []cli.Flag{previewFlag()}, Action: a.withdrawInvitation},
			a.stateCommand(api.GuestKind, "suspend", api.StateSuspended), a.stateCommand(api.GuestKind, "retire", api.StateRetired), a.stateCommand(api.GuestKind, "restore", api.StateActive),
		},
	}
}

func (a *app) inviteGuest(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "EMAIL")
	if err != nil {
		return err
	}
	groups := c.StringSlice("group")
	grants, err := grantsGiven(c)
	if err != nil {
		return err
	}
	wanted := api.GuestNew{Email: given[0], Title: c.String("title"), Description: c.String("description"), Tags: tagsGiven(c), Groups: groups, Grants: grants, AtMost: c.String("at-most")}
	return create(ctx, a, c, s.PreviewInviteGuest, s.InviteGuest, organisation, wanted, func(made api.GuestMade) {
		a.say(c, "Invited %s, who is pending until they accept.", made.Guest.Name)
		a.sayLink(c, made.Link)
	})
}

// sayLink tells of a link and what became of the letter with it.
func (a *app) sayLink(c *cli.Command, link api.LinkMade) {
	if link.Mailed.Sent {
		a.say(c, "Mailed to %s; works once, until %s.", link.Mailed.To, moment(link.Until))
	} else {
		a.say(c, "! Not mailed: %s.", link.Mailed.Reason)
	}
	if link.Url != "" {
		a.say(c, "Pass it on yourself; it works once, until %s:\n%s", moment(link.Until), link.Url)
	}
}

func (a *app) resendInvitation(reveal bool) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		s, organisation, given, err := a.insideWith(c, "NAME")
		if err != nil {
			return err
		}
		link, err := s.ResendInvitation(ctx, organisation, api.GuestKind, given[0], &api.ResendInvitationParams{Reveal: reveal})
		if err != nil {
			return err
		}
		a.say(c, "Invited %s once more. The earlier link no longer works.", given[0])
		a.sayLink(c, link)
		return a.valueOnly(c, link)
	}
}

func (a *app) withdrawInvitation(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "NAME")
	if err != nil {
		return err
	}
	guest, err := s.ShowPrincipal(ctx, organisation, api.GuestKind, given[0])
	if err != nil {
		return err
	}
	if guest.State != api.StatePending {
		return fmt.Errorf("guest %s is %s, and no invitation is open: arbora guest retire %s ends their access", guest.Name, guest.State, guest.Name)
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.SetState(ctx, organisation, api.GuestKind, given[0], &api.SetStateParams{Preview: preview}, api.StateChange{State: api.StateRetired})
	}, func() {
		a.say(c, "Withdrew the invitation of %s. Its link no longer works.", guest.Name)
	})
}
