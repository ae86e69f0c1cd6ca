package cli

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/skip2/go-qrcode"
	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
)

// agent is what this program calls itself.
const agent = "arbora at a terminal"

// signInByKey signs in with an API key, which is tried before it is saved.
func (a *app) signInByKey(ctx context.Context, c *cli.Command) error {
	if c.Args().Present() {
		return usage("do not give a name together with --key: the key says whose it is")
	}
	private, secret := c.String("private-key"), ""
	var err error
	if private != "" {
		private, err = filepath.Abs(private)
	} else {
		secret, err = a.secretOf(c, "secret-from", "Secret of key "+c.String("key"))
	}
	if err != nil {
		return err
	}
	saved := savedSignIn{Server: c.String("server"), Key: c.String("key"), Secret: secret, Private: private, KeyAt: c.String("organisation"), Insecure: c.Bool("insecure"), Authority: c.String("authority")}
	arbora, err := saved.open()
	if err != nil {
		return usageError{err}
	}
	me, err := arbora.GetSession(ctx)
	if err != nil {
		return err
	}
	return a.save(c, saved, me)
}

// signInByToken exchanges a token of another issuer. No secret is kept: the file is read again when another token is needed.
func (a *app) signInByToken(ctx context.Context, c *cli.Command) error {
	from, account := c.String("token-from"), c.String("as-account")
	if from == "" || account == "" || c.Args().Present() || c.IsSet("key") {
		return usage("give --token-from and --as-account, and neither a name nor a key")
	}
	saved := savedSignIn{Server: c.String("server"), TokenFrom: from, Account: account, Insecure: c.Bool("insecure"), Authority: c.String("authority")}
	if from != "-" {
		whole, err := filepath.Abs(from)
		if err != nil {
			return err
		}
		saved.TokenFrom = whole
	}
	kept := saved.exchanged()
	kept.Forget()
	if from == "-" {
		text, err := a.secret("-", "")
		if err != nil {
			return err
		}
		token, err := client.ExchangeToken(ctx, saved.Server, account, text)
		if err != nil {
			return err
		}
		if err := kept.Save(token); err != nil {
			return err
		}
	}
	arbora, err := saved.open()
	if err != nil {
		return usageError{err}
	}
	me, err := arbora.GetSession(ctx)
	if err != nil {
		return err
	}
	return a.save(c, saved, me)
}

// signInByBrowser waits until a person lets this terminal in by the console.
func (a *app) signInByBrowser(ctx context.Context, c *cli.Command) error {
	device, err := client.AskForDevice(ctx, c.String("server"), agent)
	if err != nil {
		return err
	}
	fmt.Fprintf(a.Err, "Open %s\nand let this terminal in with the code\n\n    %s\n\nor open %s\nWaiting …\n", device.Page, device.Code, device.PageWithCode)
	token, err := device.Wait(ctx)
	if err != nil {
		return err
	}
	saved := savedSignIn{Server: c.String("server"), Token: token, Insecure: c.Bool("insecure"), Authority: c.String("authority")}
	arbora, err := saved.open()
	if err != nil {
		return usageError{err}
	}
	me, err := arbora.GetSession(ctx)
	if err != nil {
		return err
	}
	return a.save(c, saved, me)
}

// save keeps a sign-in under a name and makes it the default.
func (a *app) save(c *cli.Command, saved savedSignIn, me api.Session) error {
	saved.SignIn, saved.Organisation = me.Name, me.Organisation
	name := c.String("save-as")
	if name == "" {
		name = me.Name
	}
	file, err := readSignIns()
	if err != nil {
		return err
	}
	file.Saved[name] = saved
	keep := c.Bool("keep-default") && file.Default != ""
	if !keep {
		file.Default = name
	}
	if err := file.write(); err != nil {
		return fmt.Errorf("the sign-in cannot be saved: %w", err)
	}
	a.say(c, "Signed in as %s at %s, saved as %s, %s.", me.Name, saved.Server, name,
		choose(keep, "used with --with "+name+"; "+file.Default+" stays the default", "which is used from now on"))
	switch {
	case slices.Contains(me.WantedFactors, api.CodeFactor):
		a.say(c, "Your organisation requires a second factor: set one up with \"arbora second-factor set-up\" before anything else.")
	case len(me.WantedFactors) > 0:
		a.say(c, "Your organisation requires a passkey, which a browser has: sign in by one, with \"arbora sign-in\" and no name.")
	}
	return nil
}

// sessionCommand looks after sessions: one's own, or those of somebody else that work in the organisation.
func (a *app) sessionCommand() *cli.Command {
	whose := []cli.Flag{
		&cli.StringFlag{Name: "user", Usage: "of the user `NAME`, as far as they work in your organisation"},
		&cli.StringFlag{Name: "guest", Usage: "of the guest `NAME`, as far as they work in your organisation"},
	}
	return &cli.Command{
		Name: "session", Usage: "list and revoke sessions; your own unless you say whose",
		Commands: []*cli.Command{
			{Name: "list", Usage: "list sessions, the one used last first", Flags: whose, Action: a.listSessions},
			{Name: "revoke", Usage: "revoke a session: it ends at once", ArgsUsage: "ID", Flags: whose, Action: a.revokeSession},
		},
	}
}

// signedIn returns whose sessions flags ask for; an empty kind for one's own.
func signedIn(c *cli.Command) (api.PrincipalKind, string) {
	for _, kind := range []api.PrincipalKind{api.UserKind, api.GuestKind} {
		if name := c.String(string(kind)); name != "" {
			return kind, name
		}
	}
	return "", ""
}

func (a *app) listSessions(ctx context.Context, c *cli.Command) error {
	s, err := a.as(c)
	if err != nil {
		return err
	}
	var list api.SessionList
	empty := "You have no session: this is an API key."
	if kind, name := signedIn(c); kind == "" {
		list, err = s.ListSessions(ctx)
	} else if organisation, none := s.organisation(); none != nil {
		err = none
	} else {
		list, err = s.ListSessionsOf(ctx, organisation, kind, name)
		empty = name + " is not signed in here."
	}
	if err != nil {
		return err
	}
	l := sessionListing(list)
	l.empty = empty
	return a.print(c, l)
}

func sessionListing(list api.SessionList) listing {
	l := listing{columns: []string{"Id", "Organisation", "Signed in", "Last used", "From", "Program", ""}, value: list.Sessions}
	for _, x := range list.Sessions {
		l.rows = append(l.rows, []string{x.Id, x.Organisation, moment(x.SignedInAt), moment(x.LastUsedAt), x.From, x.Agent, choose(x.Here, "this one", "")})
	}
	return l
}

func (a *app) revokeSession(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "ID")
	if err != nil {
		return err
	}
	if kind, name := signedIn(c); kind == "" {
		err = s.RevokeSession(ctx, given[0])
	} else if organisation, none := s.organisation(); none != nil {
		err = none
	} else {
		err = s.RevokeSessionOf(ctx, organisation, kind, name, given[0])
	}
	if err != nil {
		return err
	}
	a.say(c, "The session is revoked.")
	return nil
}

// secondFactorCommand looks after one's own second factor.
func (a *app) secondFactorCommand() *cli.Command {
	return &cli.Command{
		Name: "second-factor", Usage: "set up one-time codes beside your password, or remove them",
		Commands: []*cli.Command{
			{Name: "show", Usage: "show whether you have one", Action: func(ctx context.Context, c *cli.Command) error {
				s, err := a.as(c)
				if err != nil {
					return err
				}
				f, err := s.ShowSecondFactor(ctx)
				if err != nil {
					return err
				}
				return a.printFacts(c, f, fact{"Set up", choose(f.InUse, "yes", "no")}, fact{"Recovery codes left", choose(f.InUse, fmt.Sprint(f.Codes), "")},
					fact{"Demanded", choose(f.Required, "yes", "")})
			}},
			{
				Name: "set-up", Usage: "set one up with a program that shows one-time codes", Action: a.setUpFactor,
				Flags: []cli.Flag{&cli.StringFlag{Name: "code-from", Usage: "read the first code from `FILE` (- for standard input)"}},
			},
			{
				Name: "remove", Usage: "remove it; asks for your password and for a code of it, or a recovery code",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "password-from", Usage: "read your password from `FILE` (- for standard input)"},
					&cli.StringFlag{Name: "code-from", Usage: "read the code from `FILE` (- for standard input)"},
				},
				Action: a.withPassword("Removed your second factor: your password alone opens your account.", func(ctx context.Context, c *cli.Command, s session, password string) error {
					return a.withCode(c, func(code string) error {
						return s.RemoveSecondFactor(ctx, api.FactorRemoval{Password: password, Code: code})
					})
				}),
			},
		},
	}
}

func (a *app) setUpFactor(ctx context.Context, c *cli.Command) error {
	s, err := a.as(c)
	if err != nil {
		return err
	}
	seed, err := s.BeginSecondFactor(ctx)
	if err != nil {
		return err
	}
	picture, err := qrcode.New(seed.Uri, qrcode.Low)
	if err != nil {
		return err
	}
	fmt.Fprintf(a.Err, "Show this to the program on your device, or type %s there.\n\n%s\n", seed.Seed, picture.ToSmallString(false))
	code, err := a.secretOf(c, "code-from", "The code that it shows")
	if err != nil {
		return err
	}
	codes, err := s.ConfirmSecondFactor(ctx, api.FactorCode{Code: code})
	if err != nil {
		return err
	}
	a.say(c, "Your second factor is set up. Keep these recovery codes, shown this once; each stands in once for a code of your device:")
	for _, code := range codes.Codes {
		a.say(c, "  %s", code)
	}
	return a.valueOnly(c, codes)
}

func (a *app) switchCommand() *cli.Command {
	return &cli.Command{
		Name: "switch", Usage: "work in another organisation that knows you; without a name, list them", ArgsUsage: "[ORGANISATION]",
		Action: func(ctx context.Context, c *cli.Command) error {
			s, err := a.as(c)
			if err != nil {
				return err
			}
			if !c.Args().Present() {
				list, err := s.ListSeats(ctx)
				if err != nil {
					return err
				}
				l := listing{columns: []string{"Organisation", "Title", "You are", ""}, empty: "No organisation knows you.", value: list.Seats}
				for _, seat := range list.Seats {
					l.rows = append(l.rows, []string{seat.Organisation, seat.Title, string(seat.Kind), choose(seat.Here, "here", "")})
				}
				return a.print(c, l)
			}
			given, err := arguments(c, "ORGANISATION")
			if err != nil {
				return err
			}
			if _, err := s.SwitchOrganisation(ctx, api.OrganisationChoice{Organisation: given[0]}); err != nil {
				return err
			}
			file, err := readSignIns()
			if err != nil {
				return err
			}
			name := file.nameOf(c.String("with"))
			saved := file.Saved[name]
			saved.Organisation = given[0]
			file.Saved[name] = saved
			a.say(c, "You work in %s now, as %s.", given[0], saved.SignIn)
			return file.write()
		},
	}
}

func (a *app) recoverCommand() *cli.Command {
	return &cli.Command{
		Name: "recover", Usage: "have a link mailed by which a guest chooses another password", ArgsUsage: "ADDRESS",
		Flags: serviceFlags(),
		Action: func(ctx context.Context, c *cli.Command) error {
			given, err := arguments(c, "ADDRESS")
			if err != nil {
				return err
			}
			arbora, err := savedSignIn{Server: c.String("server"), Insecure: c.Bool("insecure"), Authority: c.String("authority")}.open()
			if err != nil {
				return usageError{err}
			}
			if err := arbora.AskRecovery(ctx, api.RecoveryWanted{Address: given[0]}); err != nil {
				return err
			}
			a.say(c, "If %s is a guest's account, a letter is on its way. Use its link with: arbora accept LINK", given[0])
			return nil
		},
	}
}

func (a *app) acceptCommand() *cli.Command {
	return &cli.Command{
		Name: "accept", Usage: "use a link that was mailed to you: choose a password by it, or accept an invitation", ArgsUsage: "LINK",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "server", Usage: "`ADDRESS` of the service (default: the link's)"},
			&cli.StringFlag{Name: "password-from", Usage: "read the password to choose from `FILE` (- for standard input)"},
			&cli.StringFlag{Name: "title", Usage: "the display name to be known by, a `TEXT`"},
			&cli.BoolFlag{Name: "signed-in", Usage: "accept an invitation as who you are signed in"},
		},
		Action: a.accept,
	}
}

func (a *app) accept(ctx context.Context, c *cli.Command) error {
	given, err := arguments(c, "LINK")
	if err != nil {
		return err
	}
	server, token, ok := strings.Cut(given[0], "/#/link/")
	if !ok {
		return usage("%q is not a link from Arbora: copy the whole link from the letter", given[0])
	}
	if c.String("server") != "" {
		server = c.String("server")
	}
	if c.Bool("signed-in") {
		s, err := a.as(c)
		if err != nil {
			return err
		}
		link, err := s.AcceptInvitation(ctx, api.LinkToken{Token: token})
		if err != nil {
			return err
		}
		a.say(c, "You are a guest of %s now: arbora switch %s", link.OrganisationTitle, link.Organisation)
		return a.valueOnly(c, link)
	}
	arbora, err := client.Open(server, "")
	if err != nil {
		return usageError{err}
	}
	link, err := arbora.ReadLink(ctx, api.LinkToken{Token: token})
	if err != nil {
		return err
	}
	if link.Known {
		return fmt.Errorf("%s has a password already: sign in, then arbora accept --signed-in LINK", link.SignIn)
	}
	password, err := a.secretOf(c, "password-from", "Password to choose for "+link.SignIn)
	if err != nil {
		return err
	}
	if link, err = arbora.UseLink(ctx, api.LinkUse{Token: token, Password: password, Title: c.String("title")}); err != nil {
		return err
	}
	a.say(c, "Done. Sign in with: arbora sign-in %s --server %s", link.SignIn, server)
	return a.valueOnly(c, link)
}

// errNotSignedIn is the error of a command that has nobody to act as.
var errNotSignedIn = errors.New("you are not signed in: arbora sign-in NAME@ORGANISATION, or arbora sign-in alone to confirm it in a browser")
