// Package cli is the command line of Arbora: commands on the client, in the words an administrator would use. What runs
// on the host of the service (init, serve, demo, tour) is in package host.
package cli

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/english"
)

// Exit statuses.
const (
	Done   = 0 // done, or the answer is yes
	Failed = 1
	Usage  = 2
	No     = 3 // the answer is no

	// What is wrong with the credential the command acts by.
	Missing = 4
	Expired = 5
	Revoked = 6
	Foreign = 7 // not made by this service
)

// Streams are where the commands read and write.
type Streams struct {
	In       io.Reader
	Out, Err io.Writer
}

// app is what the commands share.
type app struct {
	Streams
	name  string         // of the program
	form  string         // in which things are printed
	text  string         // of the statements that were sent, in which faults are shown
	words []string       // of the command line
	lines *bufio.Reader  // over In
	keys  *term.Terminal // over In, for what is typed unseen; nil until something is
}

// Run runs arbora's command line and gives its exit status. Verify is what "arbora audit verify" does on the host; more are commands
// that are offered beside those of this package.
func Run(ctx context.Context, version string, arguments []string, streams Streams, verify *cli.Command, more ...*cli.Command) int {
	return newApp(streams).run(ctx, arguments, &cli.Command{
		Name: "arbora", Usage: "lay out a tree, decide who may do what where, and see why", Version: version,
	}, func(a *app) []*cli.Command { return append(more, a.commands(verify)...) })
}

// RunOther runs the command line of another program, whose commands are made with the same [Tools], and gives its exit status.
func RunOther(ctx context.Context, name, usage, version string, arguments []string, streams Streams, commands func(Tools) []*cli.Command) int {
	return newApp(streams).run(ctx, arguments, &cli.Command{Name: name, Usage: usage, Version: version},
		func(a *app) []*cli.Command { return commands(Tools{a}) })
}

func newApp(streams Streams) *app {
	return &app{Streams: streams, lines: bufio.NewReader(streams.In)}
}

// commands are those of arbora that reach the service by the client.
func (a *app) commands(verify *cli.Command) []*cli.Command {
	return []*cli.Command{
		a.signInCommand(), a.signOutCommand(), a.signInsCommand(), a.whoamiCommand(), a.passwordCommand(), a.proveCommand(), a.secondFactorCommand(), a.sessionCommand(), a.switchCommand(), a.acceptCommand(), a.recoverCommand(),
		a.organisationCommand(), a.settingsCommand(), a.quotaCommand(), a.treeCommand(), a.scopeCommand(), a.userCommand(), a.guestCommand(), a.providerCommand(), a.outsideCommand(), a.groupCommand(), a.serviceAccountCommand(), a.tagCommand(), a.keyCommand(),
		a.catalogueCommand(), a.roleCommand(), a.grantCommand(), a.policyCommand(), a.patternCommand(),
		a.homeCommand(), a.checkCommand(), a.explainCommand(), a.holdersCommand(), a.reachCommand(), a.couldHoldCommand(), a.undoCommand(), a.auditCommand(verify), a.versionCommand(),
	}
}

// run runs a command line under a root that has a name, a usage and a version.
func (a *app) run(ctx context.Context, arguments []string, named *cli.Command, commands func(*app) []*cli.Command) int {
	client.Agent = agent
	a.name, a.words = named.Name, arguments
	root := &cli.Command{
		Name: named.Name, Usage: named.Usage, Version: named.Version,
		Flags:                 rootFlags(),
		EnableShellCompletion: true, ConfigureShellCompletionCommand: completionCommand,
		HideHelpCommand: true, Suggest: true,
		Reader: a.Streams.In, Writer: a.Out, ErrWriter: a.Err,
		Commands: append(commands(a), helpCommand()),
		Before: func(ctx context.Context, c *cli.Command) (context.Context, error) {
			if err := checkOutput(c.String("output")); err != nil {
				return ctx, err
			}
			a.form = c.String("output")
			inUTC.Store(c.Bool("utc"))
			return checkFlags(ctx, c)
		},
		Action:         unknownCommand,
		OnUsageError:   onUsageError,
		ExitErrHandler: func(context.Context, *cli.Command, error) {}, // the status is worked out below
		ShellComplete:  a.complete,
	}
	onEach(root, func(c *cli.Command) {
		c.OnUsageError, c.Before, c.ShellComplete = onUsageError, checkFlags, a.complete
		if len(c.Commands) > 0 && c.Action == nil {
			c.Action = unknownCommand
		}
	})
	return a.finish(inOurWords(root, arguments, root.Run(ctx, arguments)))
}

// rootFlags are the options that every command takes.
func rootFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Value: "table", Usage: "`FORM` of what is printed: table, json, yaml or csv"},
		&cli.StringFlag{Name: "confirm", Usage: "change only if the impact is still the one to which --preview gave this `CODE`"},
		&cli.BoolFlag{Name: "utc", Usage: "write times in UTC rather than in this machine's time zone"},
		&cli.StringFlag{Name: "as", Usage: "see everything as `WHO` would, and change nothing: a user's name, or \"guest NAME\", or \"service-account ADDRESS\""},
		&cli.StringFlag{Name: "with", Usage: "act with the saved sign-in of this `NAME`", Sources: cli.EnvVars("ARBORA_WITH")},
	}
}

func (a *app) versionCommand() *cli.Command {
	return &cli.Command{Name: "version", Usage: "say which version of Arbora this is", Action: func(_ context.Context, c *cli.Command) error {
		_, err := fmt.Fprintln(a.Out, c.Root().Version)
		return err
	}}
}

func onEach(c *cli.Command, fn func(*cli.Command)) {
	for _, sub := range c.Commands {
		fn(sub)
		onEach(sub, fn)
	}
}

// usageError is a command line that cannot be run.
type usageError struct{ error }

func usage(format string, values ...any) error { return usageError{fmt.Errorf(format, values...)} }

// errNo ends a command whose answer is no.
var errNo = errors.New("no")

// statusOf returns the exit status of a problem.
func statusOf(problem *client.Error) int {
	switch problem.Kind() {
	case "not-signed-in":
		return Missing
	case "expired":
		return Expired
	case "revoked":
		return Revoked
	case "foreign":
		return Foreign
	}
	return Failed
}

// session is a saved sign-in in use.
type session struct {
	*client.Client
	saved savedSignIn
}

// as returns the session the command acts with.
func (a *app) as(c *cli.Command) (session, error) {
	saved, err := a.signInFor(c)
	if err != nil {
		return session{}, err
	}
	var more []client.Option
	if code := c.String("confirm"); code != "" {
		more = append(more, client.Confirmed(code))
	}
	if as := c.String("as"); as != "" {
		kind, name, both := strings.Cut(as, " ")
		if !both {
			kind, name = string(api.UserKind), as
		}
		more = append(more, client.ViewingAs(api.PrincipalKind(kind), name))
	}
	if a.terminal() && saved.Key == "" {
		more = append(more, client.Proving(func() (string, error) { return a.secret("", "Password of "+saved.SignIn+", once more") }))
	}
	arbora, err := saved.open(more...)
	if err == nil && saved.SignIn == "" { // of a key in the environment, the service knows whose it is
		var me api.Session
		if me, err = arbora.GetSession(context.Background()); err == nil {
			saved.SignIn, saved.Organisation = me.Name, me.Organisation
		}
	}
	return session{Client: arbora, saved: saved}, err
}

// signInFor returns the sign-in that a command acts with: the one that --with names, the API key in the environment, or the saved
// default.
func (a *app) signInFor(c *cli.Command) (savedSignIn, error) {
	if key := os.Getenv("ARBORA_KEY"); key != "" && !c.IsSet("with") {
		secret := os.Getenv("ARBORA_SECRET")
		if secret == "" {
			return savedSignIn{}, errors.New("ARBORA_KEY is set and ARBORA_SECRET is not: set both, or neither")
		}
		return savedSignIn{Server: cmp.Or(os.Getenv("ARBORA_SERVER"), DefaultServer), Key: key, Secret: secret, KeyAt: os.Getenv("ARBORA_ORGANISATION")}, nil
	}
	file, err := readSignIns()
	if err != nil {
		return savedSignIn{}, err
	}
	return file.pick(c.String("with"))
}

// organisation is the one the session belongs to.
func (s session) organisation() (string, error) {
	if s.saved.Organisation == "" {
		return "", fmt.Errorf("%s is a keeper and belongs to no organisation: sign in as NAME@ORGANISATION", s.saved.SignIn)
	}
	return s.saved.Organisation, nil
}

// scopeOr returns the address in the only argument, or the organisation when there is none.
func (s session) scopeOr(c *cli.Command) (string, error) {
	switch c.Args().Len() {
	case 0:
		return s.organisation()
	case 1:
		return c.Args().First(), nil
	}
	return "", usage("%s takes one ADDRESS", c.FullName())
}

// open returns the session the command acts with, and exactly the arguments it takes.
func (a *app) open(c *cli.Command, names ...string) (session, []string, error) {
	given, err := arguments(c, names...)
	if err != nil {
		return session{}, nil, err
	}
	s, err := a.as(c)
	return s, given, err
}

// inside returns the session the command acts with, and the organisation it belongs to.
func (a *app) inside(c *cli.Command) (session, string, error) {
	s, err := a.as(c)
	if err != nil {
		return s, "", err
	}
	organisation, err := s.organisation()
	return s, organisation, err
}

// insideWith returns the session the command acts with, the organisation it belongs to, and exactly the arguments it takes.
func (a *app) insideWith(c *cli.Command, names ...string) (s session, organisation string, given []string, err error) {
	if given, err = arguments(c, names...); err == nil {
		s, organisation, err = a.inside(c)
	}
	return s, organisation, given, err
}

// at returns the session the command acts with, and the address in the only argument or the organisation without one.
func (a *app) at(c *cli.Command) (session, string, error) {
	s, err := a.as(c)
	if err != nil {
		return s, "", err
	}
	address, err := s.scopeOr(c)
	return s, address, err
}

// most returns how many items --most asks for, and how many of them to ask for at once.
func most(c *cli.Command) (all, page int, err error) {
	if all = c.Int("most"); all < 1 {
		return 0, 0, usage("--most %d leaves nothing to list: give 1 or more", all)
	}
	return all, min(all, mostAtOnce), nil
}

// mostAtOnce is how many items the service lists in one page.
const mostAtOnce = 500

// arguments returns exactly the arguments a command takes; their names say so when they are not there.
func arguments(c *cli.Command, names ...string) ([]string, error) {
	given := c.Args().Slice()
	if len(given) != len(names) {
		return nil, usage("%s takes %s; see %s --help", c.FullName(), english.Join(names), c.FullName())
	}
	return given, nil
}

func faultText(f api.Fault) string {
	text := fmt.Sprintf("line %d, column %d: %s", f.Line, f.Column, f.Detail)
	if f.Nearest != "" {
		text += ": did you mean " + f.Nearest + "?"
	}
	return text
}

// principalFlag is a flag that names a principal of one kind.
type principalFlag struct {
	name  string
	kind  api.PrincipalKind
	usage string
}

var principalKinds = []principalFlag{
	{"user", api.UserKind, "the user of this `NAME`"},
	{"group", api.GroupKind, "the group of this `NAME`"},
	{"guest", api.GuestKind, "the guest of this `NAME@ORGANISATION`"},
	{"outside", api.OutsidePersonKind, "the outside person of this `NAME@PROVIDER`"},
	{"service-account", api.ServiceAccountKind, "the service account at this `ADDRESS`"},
	{"provider", api.ProviderKind, "all people of the identity provider of this `NAME`"},
	{"service", api.ServiceKind, "the platform service of this `NAME`"},
	{"set", api.SetKind, "a built-in `SET`: staff, guests, everyone, signed-in or public"},
}

// flagFor writes the flag that names a principal.
func flagFor(p api.PrincipalRef) string {
	for _, kind := range principalKinds {
		if kind.kind == p.Kind {
			return "--" + kind.name + " " + p.Name
		}
	}
	return ""
}

// principal returns the one principal that a flag names.
func principal(c *cli.Command) (api.PrincipalRef, error) {
	var found []api.PrincipalRef
	for _, kind := range principalKinds {
		if name := c.String(kind.name); name != "" {
			found = append(found, api.PrincipalRef{Kind: kind.kind, Name: name})
		}
	}
	if len(found) != 1 {
		return api.PrincipalRef{}, usage("say who with one of --user NAME, --group NAME, --guest NAME, --outside NAME@PROVIDER, --service-account ADDRESS, --provider NAME, --service NAME and --set SET")
	}
	return found[0], nil
}

func namesPrincipal(c *cli.Command) bool {
	for _, kind := range principalKinds {
		if c.String(kind.name) != "" {
			return true
		}
	}
	return false
}

func principalFlags() []cli.Flag {
	flags := make([]cli.Flag, len(principalKinds))
	for i, kind := range principalKinds {
		flags[i] = &cli.StringFlag{Name: kind.name, Usage: kind.usage}
	}
	return flags
}

// principals returns everybody whom flags name.
func principals(c *cli.Command) ([]api.PrincipalRef, error) {
	var found []api.PrincipalRef
	for _, kind := range principalKinds {
		for _, name := range c.StringSlice(kind.name) {
			found = append(found, api.PrincipalRef{Kind: kind.kind, Name: name})
		}
	}
	if len(found) == 0 {
		return nil, usage("say who with --user NAME, --group NAME, --guest NAME, --service-account ADDRESS, --service NAME or --set SET; each may be repeated")
	}
	return found, nil
}

// principalsFlags name principals, as many as are wanted.
func principalsFlags() []cli.Flag {
	flags := make([]cli.Flag, len(principalKinds))
	for i, kind := range principalKinds {
		flags[i] = &cli.StringSliceFlag{Name: kind.name, Usage: kind.usage + "; may be repeated"}
	}
	return flags
}

// memberFlags are for those who can be added to a group.
func memberFlags() []cli.Flag { return principalsFlags()[:5] }

// whoText writes a principal for people.
func whoText(p api.PrincipalRef) string {
	if p.Kind == api.SetKind {
		return p.Name
	}
	return strings.ReplaceAll(string(p.Kind), "-", " ") + " " + p.Name
}

// OSStreams are the streams of this process.
func OSStreams() Streams { return Streams{In: os.Stdin, Out: os.Stdout, Err: os.Stderr} }
