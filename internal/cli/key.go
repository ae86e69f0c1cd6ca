package cli

import (
	"context"
	"os"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/access/statement"
	"arbora.example/api"
)

func (a *app) keyCommand() *cli.Command {
	whose := []cli.Flag{
		&cli.StringFlag{Name: "user", Usage: "of the user of this `NAME`"},
		&cli.StringFlag{Name: "service-account", Usage: "of the service account at this `ADDRESS`"},
		&cli.StringFlag{Name: "service", Usage: "of the platform service of this `NAME`, for keepers"},
	}
	return &cli.Command{
		Name: "key", Usage: "issue, list and revoke API keys; your own unless you say whose",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "create an API key; its secret is shown once",
				Flags: append([]cli.Flag{
					&cli.StringFlag{Name: "label", Usage: "its purpose, as a `TEXT`"},
					&cli.StringFlag{Name: "public-key", Usage: "`FILE` with the public half of a key pair in PEM or as a JWK: the program signs with the private half, and there is no secret", TakesFile: true},
					&cli.StringFlag{Name: "tokens-of", Usage: "have signed tokens of this `ISSUER` take the place of a secret: its address, as iss in them"},
					&cli.StringFlag{Name: "audience", Usage: "with --tokens-of: the audience of the tokens, a `TEXT`"},
					&cli.StringFlag{Name: "when", Usage: "with --tokens-of: a `CONDITION` over their claims, such as claim.sub is \"label-job\""},
					&cli.BoolFlag{Name: "once", Usage: "with --tokens-of: each token counts once, by its jti"},
					&cli.BoolFlag{Name: "may-govern", Usage: "let programs that show it use permissions to govern"},
					&cli.BoolFlag{Name: "follows", Usage: "of a platform service: for arbora follow, and for nothing else"},
					&cli.StringFlag{Name: "until", Usage: "when it ends, as an `INSTANT`: a date or an RFC 3339 moment"},
				}, whose...),
				Action: a.createKey,
			},
			{
				Name: "list", Usage: "list API keys", Action: a.listKeys,
				Flags: append([]cli.Flag{&cli.StringFlag{Name: "issued-by", Usage: "those that the user of this `NAME` issued for others"}}, whose...),
			},
			{
				Name: "exchange", Usage: "create a key that replaces another, with the same rights; its secret is shown once", ArgsUsage: "ID",
				Flags:  []cli.Flag{&cli.DurationFlag{Name: "keep-old", Usage: "let the old key work on for this `TIME`, such as 8h, and at most 72h; it ends at once otherwise", HideDefault: true}},
				Action: a.exchangeKey,
			},
			{Name: "revoke", Usage: "revoke an API key: it and all tokens made with it end at once", ArgsUsage: "ID", Action: a.withdrawKey},
		},
	}
}

func (a *app) createKey(ctx context.Context, c *cli.Command) error {
	s, err := a.as(c)
	if err != nil {
		return err
	}
	wanted := api.KeyNew{Label: c.String("label"), Governs: c.Bool("may-govern"), Follows: c.Bool("follows")}
	if text := c.String("until"); text != "" {
		until, err := statement.ParseInstant(text)
		if err != nil {
			return usageError{err}
		}
		wanted.Until = until
	}
	if name := c.String("public-key"); name != "" {
		text, err := os.ReadFile(name)
		if err != nil {
			return usageError{err}
		}
		public := string(text)
		wanted.PublicKey = public
	}
	if issuer := c.String("tokens-of"); issuer != "" {
		wanted.Tokens = &api.OutsideTokens{Issuer: issuer, Audience: c.String("audience"), Rule: c.String("when"), Once: c.Bool("once")}
	} else if c.IsSet("audience") || c.IsSet("when") || c.IsSet("once") {
		return usage("--audience, --when and --once are about tokens: name their issuer by --tokens-of")
	}
	var made api.KeyMade
	switch kind, name := keyHolder(c); kind {
	case "":
		made, err = s.CreateOwnKey(ctx, wanted)
	case api.ServiceKind:
		made, err = s.CreateServiceKey(ctx, name, wanted)
	default:
		made, err = s.CreateKey(ctx, s.saved.Organisation, kind, name, wanted)
	}
	if err != nil {
		return err
	}
	a.sayKey(c, made)
	if account := c.String("service-account"); made.Key.Tokens != nil {
		a.say(c, "Use it with: arbora sign-in --token-from FILE --as-account %s", account)
	}
	return a.valueOnly(c, made)
}

// keyHolder returns whose keys flags ask for; an empty kind for one's own.
func keyHolder(c *cli.Command) (api.PrincipalKind, string) {
	for _, kind := range []api.PrincipalKind{api.UserKind, api.ServiceAccountKind, api.ServiceKind} {
		if name := c.String(string(kind)); name != "" {
			return kind, name
		}
	}
	return "", ""
}

func (a *app) sayKey(c *cli.Command, made api.KeyMade) {
	if t := made.Key.Tokens; t != nil {
		a.say(c, "API key %s, which takes tokens of %s made for %s", made.Key.Id, t.Issuer, t.Audience)
		return
	}
	if made.Secret == "" {
		a.say(c, "API key %s, by which a program signs\nUse it with: arbora sign-in --key %s --private-key FILE", made.Key.Id, made.Key.Id)
		return
	}
	a.say(c, "API key %s\nSecret, shown this once: %s", made.Key.Id, made.Secret)
	a.say(c, "Use it with: arbora sign-in --key %s --secret-from FILE", made.Key.Id)
}

func (a *app) listKeys(ctx context.Context, c *cli.Command) error {
	s, err := a.as(c)
	if err != nil {
		return err
	}
	if issuer := c.String("issued-by"); issuer != "" {
		return a.listIssuedKeys(ctx, c, s, issuer)
	}
	var list api.KeyList
	switch kind, name := keyHolder(c); kind {
	case "":
		list, err = s.ListOwnKeys(ctx)
	case api.ServiceKind:
		list, err = s.ListServiceKeys(ctx, name)
	default:
		list, err = s.ListKeys(ctx, s.saved.Organisation, kind, name)
	}
	if err != nil {
		return err
	}
	l := listing{columns: keyColumns, empty: "There are no API keys.", value: list.Keys}
	for _, k := range list.Keys {
		l.rows = append(l.rows, keyRow(k))
	}
	return a.print(c, l)
}

var keyColumns = []string{"Id", "Label", "Created", "By", "Until", "Last used", "From", "State", "Use"}

func keyRow(k api.Key) []string {
	until, used := "no end", "never"
	if !k.Until.IsZero() {
		until = moment(k.Until)
	}
	if !k.LastUsedAt.IsZero() {
		used = moment(k.LastUsedAt)
	}
	return []string{k.Id, k.Label, moment(k.CreatedAt), k.CreatedBy, until, used, k.LastUsedFrom, string(k.State), useOf(k)}
}

// useOf says what a key may be used for beyond the usual, or alone.
func useOf(k api.Key) string {
	switch {
	case k.Tokens != nil:
		return "tokens of " + k.Tokens.Issuer + " for which " + k.Tokens.Rule + choose(k.Governs, ", may govern", "")
	case k.Follows:
		return "followers only"
	case k.Governs:
		return "may govern"
	}
	return ""
}

func (a *app) listIssuedKeys(ctx context.Context, c *cli.Command, s session, issuer string) error {
	list, err := s.ListIssuedKeys(ctx, s.saved.Organisation, api.UserKind, issuer)
	if err != nil {
		return err
	}
	l := listing{columns: append([]string{"Of"}, keyColumns...), empty: issuer + " issued no keys for others that still work.", value: list}
	for _, k := range list.Keys {
		l.rows = append(l.rows, append([]string{strings.ReplaceAll(string(k.Of.Kind), "-", " ") + " " + k.Of.Name}, keyRow(k.Key)...))
	}
	if list.Hidden {
		a.say(c, "There are others that you may not see.")
	}
	return a.print(c, l)
}

func (a *app) exchangeKey(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "ID")
	if err != nil {
		return err
	}
	keep := c.Duration("keep-old")
	if keep%time.Minute != 0 || keep < 0 {
		return usage("--keep-old %s is not a number of minutes: write it as 45m or 8h", keep)
	}
	minutes := int(keep / time.Minute)
	made, err := s.ExchangeKey(ctx, given[0], api.KeyExchange{KeepOldFor: &minutes})
	if err != nil {
		return err
	}
	a.sayKey(c, made)
	if minutes == 0 {
		a.say(c, "Key %s no longer works. Its access tokens have ended.", given[0])
	} else {
		a.say(c, "Key %s works for %s more.", given[0], minutesWords(minutes))
	}
	return a.valueOnly(c, made)
}

func (a *app) withdrawKey(ctx context.Context, c *cli.Command) error {
	s, given, err := a.open(c, "ID")
	if err != nil {
		return err
	}
	if err := s.WithdrawKey(ctx, given[0]); err != nil {
		return err
	}
	a.say(c, "Key %s no longer works. Its access tokens have ended.", given[0])
	return nil
}
