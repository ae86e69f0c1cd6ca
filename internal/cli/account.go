package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"arbora.example/api"
	"arbora.example/client"
)

// DefaultServer is where the service is looked for unless said otherwise.
const DefaultServer = "http://127.0.0.1:8420"

func (a *app) signInCommand() *cli.Command {
	return &cli.Command{
		Name: "sign-in", Usage: "sign in and save the sign-in under a name", ArgsUsage: "[NAME@ORGANISATION]",
		Description: "With a name, by password. Without one, you confirm it in a browser. With --key, by an API key. With --token-from, by a token of another issuer.",
		Flags: append(serviceFlags(),
			&cli.BoolFlag{Name: "keep-default", Usage: "leave the sign-in that is used without --with as it is"},
			&cli.StringFlag{Name: "save-as", Usage: "save it under this `NAME` (default: the sign-in name)"},
			&cli.StringFlag{Name: "password-from", Usage: "read the password from the first line of `FILE` (- for standard input)"},
			&cli.StringFlag{Name: "new-password-from", Usage: "read the password to choose, if the first is temporary, from `FILE`"},
			&cli.StringFlag{Name: "code-from", Usage: "read the code of your second factor, or a recovery code, from `FILE` (- for standard input)"},
			&cli.StringFlag{Name: "key", Usage: "sign in by the API key of this `ID`"},
			&cli.StringFlag{Name: "secret-from", Usage: "read the key's secret from `FILE` (- for standard input)"},
			&cli.StringFlag{Name: "private-key", Usage: "`FILE` with the private half of the key pair, in PEM, by which this program signs in place of showing a secret; read again each time", TakesFile: true},
			&cli.StringFlag{Name: "token-from", Usage: "exchange the signed token in `FILE` (- for standard input); the file is read again when another is needed", TakesFile: true},
			&cli.StringFlag{Name: "as-account", Usage: "the `ADDRESS` of the service account that the token is to become"},
			&cli.StringFlag{Name: "organisation", Usage: "work in this `ORGANISATION`: a guest known in several, or a platform service"},
		),
		Action: a.signIn,
	}
}

// useSavedServer has a command that is not told where the service is ask the one that is signed in to by default.
func useSavedServer(c *cli.Command) error {
	if c.IsSet("server") {
		return nil
	}
	file, err := readSignIns()
	if err != nil {
		return err
	}
	saved, err := file.pick("")
	if errors.Is(err, errNotSignedIn) {
		return nil
	}
	if err != nil {
		return err
	}
	for flag, value := range map[string]string{"server": saved.Server, "authority": saved.Authority, "insecure": strconv.FormatBool(saved.Insecure)} {
		if c.IsSet(flag) || value == "" {
			continue
		}
		if err := c.Set(flag, value); err != nil {
			return err
		}
	}
	return nil
}

// serviceFlags say where the service is, for commands that need no sign-in.
func serviceFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "server", Value: DefaultServer, Usage: "`ADDRESS` of the service", Sources: cli.EnvVars("ARBORA_SERVER")},
		&cli.BoolFlag{Name: "insecure", Usage: "take http beyond this machine: passwords and keys are sent in the clear"},
		&cli.StringFlag{Name: "authority", Usage: "`FILE` with the certificate of the private authority that the service's is from", TakesFile: true},
	}
}

// signIn signs in. What goes wrong is told with where it went wrong: a password or secret may be another at another service.
func (a *app) signIn(ctx context.Context, c *cli.Command) error {
	if err := useSavedServer(c); err != nil {
		return err
	}
	err := a.signInAt(ctx, c)
	var refused *client.Error
	if errors.As(err, &refused) {
		refused.Detail += ", at " + c.String("server")
	}
	return err
}

func (a *app) signInAt(ctx context.Context, c *cli.Command) error {
	if err := errors.Join(checkServer(c.String("server"), c.Bool("insecure")), trust(c.String("authority"))); err != nil {
		return usageError{err}
	}
	arbora, err := client.Open(c.String("server"), "")
	if err != nil {
		return usageError{err}
	}
	status, err := arbora.GetStatus(ctx)
	if err != nil {
		return err
	}
	switch {
	case status.Empty:
		return errors.New(status.Next)
	case c.String("token-from") != "" || c.String("as-account") != "":
		return a.signInByToken(ctx, c)
	case c.String("key") != "":
		return a.signInByKey(ctx, c)
	case !c.Args().Present():
		return a.signInByBrowser(ctx, c)
	}
	given, err := arguments(c, "NAME@ORGANISATION")
	if err != nil {
		return err
	}
	password, err := a.secretOf(c, "password-from", "Password of "+given[0])
	if err != nil {
		return err
	}
	s, err := a.signInByPassword(ctx, c, arbora, given[0], password)
	if err != nil {
		return err
	}
	saved := savedSignIn{Server: c.String("server"), Token: s.Token, Insecure: c.Bool("insecure"), Authority: c.String("authority")}
	if err := a.save(c, saved, s); err != nil {
		return err
	}
	if !s.ChoosePassword {
		if c.IsSet("new-password-from") {
			a.say(c, "! Your password is not temporary: it stays, and --new-password-from was not read.")
		}
		return nil
	}
	if c.String("new-password-from") == "" && !a.terminal() {
		a.say(c, "Your password is temporary: choose your own with \"arbora password\" before anything else.")
		return nil
	}
	a.say(c, "Your password is temporary: choose your own.")
	opened, err := saved.open()
	if err != nil {
		return err
	}
	return a.choosePassword(ctx, c, session{Client: opened, saved: saved}, password, "new-password-from")
}

// signInByPassword signs in, and asks for a code when there is a second factor.
func (a *app) signInByPassword(ctx context.Context, c *cli.Command, arbora *client.Client, name, password string) (api.Session, error) {
	wantToken := true
	attempt := api.SignIn{Name: name, Password: password, Token: wantToken, Organisation: c.String("organisation")}
	var s api.Session
	err := a.withCode(c, func(code string) (err error) {
		attempt.Code = code
		s, err = arbora.SignIn(ctx, attempt)
		return err
	})
	return s, err
}

// withCode does what may take a code of one's second factor: the one that --code-from gives, or one that is asked for when it turns
// out that it is needed.
func (a *app) withCode(c *cli.Command, do func(code string) error) error {
	if from := c.String("code-from"); from != "" {
		code, err := a.secret(from, "")
		if err != nil {
			return err
		}
		return do(code)
	}
	err := do("")
	var problem *client.Error
	if !errors.As(err, &problem) || problem.Kind() != "code-needed" || !a.terminal() {
		return err
	}
	code, err := a.secret("", "Code of your second factor")
	if err != nil {
		return err
	}
	return do(code)
}

func (a *app) signOutCommand() *cli.Command {
	return &cli.Command{
		Name: "sign-out", Usage: "end the session and forget the saved sign-in",
		Action: func(ctx context.Context, c *cli.Command) error {
			s, err := a.as(c)
			if err != nil {
				return err
			}
			// A session that has ended already is as good as ended now.
			var problem *client.Error
			if s.saved.Key == "" && s.saved.Account == "" {
				if err := s.SignOut(ctx); err != nil && !(errors.As(err, &problem) && problem.Status == 401) {
					return err
				}
			}
			file, err := readSignIns()
			if err != nil {
				return err
			}
			name := file.nameOf(c.String("with"))
			delete(file.Saved, name)
			if file.Default == name {
				file.Default = ""
			}
			a.say(c, "Signed out %s.", s.saved.SignIn)
			return file.write()
		},
	}
}

func (a *app) signInsCommand() *cli.Command {
	return &cli.Command{
		Name: "sign-ins", Usage: "list the saved sign-ins, or choose the one used by default",
		Flags: []cli.Flag{&cli.StringFlag{Name: "default", Usage: "use the one of this `NAME` from now on"}},
		Action: func(_ context.Context, c *cli.Command) error {
			file, err := readSignIns()
			if err != nil {
				return err
			}
			if name := c.String("default"); name != "" {
				if _, err := file.pick(name); err != nil {
					return err
				}
				file.Default = name
				if err := file.write(); err != nil {
					return err
				}
			}
			type row struct {
				Name    string `json:"name"`
				SignIn  string `json:"signIn"`
				Server  string `json:"server"`
				Default bool   `json:"default"`
			}
			l := listing{columns: []string{"Name", "Signed in as", "Service", "Default"}, empty: "No sign-in is saved: arbora sign-in NAME@ORGANISATION"}
			value := []row{}
			for _, name := range file.names() {
				saved := file.Saved[name]
				value = append(value, row{name, saved.SignIn, saved.Server, name == file.Default})
				l.rows = append(l.rows, []string{name, saved.SignIn, saved.Server, choose(name == file.Default, "default", "")})
			}
			l.value = value
			return a.print(c, l)
		},
	}
}

func (a *app) whoamiCommand() *cli.Command {
	return &cli.Command{
		Name: "whoami", Usage: "show who the commands act as",
		Action: func(ctx context.Context, c *cli.Command) error {
			s, err := a.as(c)
			if err != nil {
				return err
			}
			me, err := s.GetSession(ctx)
			if err != nil {
				return err
			}
			me.Csrf = "" // it is for the console's cookie alone
			return a.printFacts(c, me,
				fact{"Signed in as", me.Name}, fact{"Name", me.Title}, fact{"Email", me.Email},
				fact{"Organisation", me.Organisation}, fact{"You are", me.Kind},
				fact{"Service", s.saved.Server}, fact{"Until", moment(me.EndsAt)},
				fact{"Password", choose(me.ChoosePassword, "temporary: choose your own with \"arbora password\"", "")},
			)
		},
	}
}

func (a *app) passwordCommand() *cli.Command {
	return &cli.Command{
		Name: "password", Usage: "choose your own password; your other sessions end",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "current-from", Usage: "read the current password from the first line of `FILE` (- for standard input)"},
			&cli.StringFlag{Name: "new-from", Usage: "read the new password from `FILE` (- for standard input)"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			s, err := a.as(c)
			if err != nil {
				return err
			}
			current, err := a.secretOf(c, "current-from", "Current password of "+s.saved.SignIn)
			if err != nil {
				return err
			}
			return a.choosePassword(ctx, c, s, current, "new-from")
		},
	}
}

// proveCommand returns a fresh proof, for scripts: at a terminal, commands ask for it themselves.
func (a *app) proveCommand() *cli.Command {
	return &cli.Command{
		Name: "prove", Usage: "give your password again; some commands need it within the last minutes",
		Flags: []cli.Flag{&cli.StringFlag{Name: "password-from", Usage: "read the password from the first line of `FILE` (- for standard input)"}},
		Action: a.withPassword("Proved.", func(ctx context.Context, _ *cli.Command, s session, password string) error {
			return s.ProveSession(ctx, api.Proof{Password: password})
		}),
	}
}

// withPassword is a command that sends the password of the person who runs it, and says when it is done.
func (a *app) withPassword(done string, send func(ctx context.Context, c *cli.Command, s session, password string) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		s, err := a.as(c)
		if err != nil {
			return err
		}
		password, err := a.secretOf(c, "password-from", "Password of "+s.saved.SignIn)
		if err != nil {
			return err
		}
		if err := send(ctx, c, s, password); err != nil {
			return err
		}
		a.say(c, "%s", done)
		return nil
	}
}

func (a *app) choosePassword(ctx context.Context, c *cli.Command, s session, current, option string) error {
	chosen, err := a.secretOf(c, option, "New password")
	if err != nil {
		return err
	}
	if c.String(option) == "" {
		again, err := a.secret("", "New password once more")
		if err != nil {
			return err
		}
		if again != chosen {
			return errors.New("the two new passwords differ: nothing was changed")
		}
	}
	if err := client.Done(s.ChoosePassword(ctx, api.PasswordChoice{Current: current, New: chosen})); err != nil {
		return err
	}
	a.say(c, "Your password is changed.")
	return nil
}

// terminal reports whether somebody at a terminal can be asked.
func (a *app) terminal() bool {
	file, ok := a.In.(*os.File)
	return ok && term.IsTerminal(int(file.Fd()))
}

// secretOf reads a secret from the file that an option names, or asks for it.
func (a *app) secretOf(c *cli.Command, option, prompt string) (string, error) {
	from := c.String(option)
	if from == "" && !a.terminal() {
		return "", usage("this is not a terminal, where you could be asked: give --%s FILE (- for standard input)", option)
	}
	return a.secret(from, prompt)
}

// secret reads a secret: the first line of a file, the next line of standard input for "-", or what somebody types
// unseen at a prompt.
func (a *app) secret(from, prompt string) (string, error) {
	switch {
	case from == "-":
		line, err := a.lines.ReadString('\n')
		if err != nil && (!errors.Is(err, io.EOF) || line == "") {
			return "", fmt.Errorf("there is nothing on standard input: %w", err)
		}
		return strings.TrimRight(line, "\r\n"), nil
	case from != "":
		text, err := os.ReadFile(from)
		if err != nil {
			return "", fmt.Errorf("the file cannot be read: %w", err)
		}
		line, _, _ := strings.Cut(string(text), "\n")
		return strings.TrimRight(line, "\r"), nil
	case !a.terminal():
		return "", usage("this is not a terminal, where you could be asked")
	}
	return a.unseen(prompt)
}

// unseen asks for what is not to be seen. It is hidden before the prompt is there, so that what somebody types at once is not shown.
func (a *app) unseen(prompt string) (typed string, err error) {
	in := a.In.(*os.File)
	before, err := term.MakeRaw(int(in.Fd()))
	if err != nil {
		return "", err
	}
	defer func() { err = errors.Join(err, term.Restore(int(in.Fd()), before)) }()
	if a.keys == nil {
		a.keys = term.NewTerminal(struct {
			io.Reader
			io.Writer
		}{in, a.Err}, "")
	}
	if typed, err = a.keys.ReadPassword(prompt + ": "); errors.Is(err, io.EOF) {
		err = errors.New("nothing was entered") // Ctrl-C or Ctrl-D
	}
	return typed, err
}
