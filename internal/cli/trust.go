package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

// trustCommand has the commands of what a provider is trusted by. A provider usually has one trust, and then it need not be named.
func (a *app) trustCommand() *cli.Command {
	which := &cli.StringFlag{Name: "trust", Usage: "the `TRUST`, by the beginning of its id; not needed where there is one"}
	by := func(needed bool) []cli.Flag {
		return []cli.Flag{
			&cli.StringFlag{Name: "issuer", Usage: "the provider's `URL`, as it writes it itself", Required: needed},
			&cli.StringFlag{Name: "client-id", Usage: "what the provider knows Arbora by, a `TEXT`", Required: needed},
			&cli.StringFlag{Name: "secret-from", Usage: "read the client secret from the first line of `FILE` (- for standard input)"},
			&cli.BoolFlag{Name: "own-key", Usage: "sign by Arbora's own keys in place of a secret; --own-key=false takes a secret again"},
			&cli.StringSliceFlag{Name: "scope", Usage: "a `SCOPE` to ask for besides openid; may be repeated"},
			previewFlag(),
		}
	}
	return &cli.Command{
		Name: "trust", Usage: "say by what an identity provider is trusted",
		Commands: []*cli.Command{
			{Name: "add", Usage: "trust a provider's word over OpenID Connect, on trial at first", ArgsUsage: "PROVIDER", Flags: by(true), Action: a.addTrust},
			{Name: "edit", Usage: "name another issuer or client; the trust is then on trial again", ArgsUsage: "PROVIDER", Flags: append(by(false), which), Action: a.editTrust},
			{Name: "use", Usage: "have people sign in by a trust that was tried", ArgsUsage: "PROVIDER", Flags: []cli.Flag{which, previewFlag()}, Action: a.setTrustState(api.TrustInUse, "People sign in by %s now.")},
			{Name: "stop", Usage: "put a trust back on trial; the sessions that began by it end", ArgsUsage: "PROVIDER", Flags: []cli.Flag{which, previewFlag()}, Action: a.setTrustState(api.TrustOnTrial, "Nobody signs in by that trust of %s any more.")},
			{Name: "remove", Usage: "remove a trust of a provider; its people and their access stay", ArgsUsage: "PROVIDER", Flags: []cli.Flag{which, previewFlag()}, Action: a.removeTrust},
		},
	}
}

// trusted finds a provider and the trust that is meant.
func (a *app) trusted(ctx context.Context, c *cli.Command) (s session, organisation, provider string, trust api.Trust, err error) {
	s, organisation, provider, entry, err := a.entryOf(ctx, c)
	if err != nil {
		return s, "", "", trust, err
	}
	if len(entry.Trusts) == 0 {
		return s, "", "", trust, usage("%s is trusted by nothing yet: arbora provider trust add %s --issuer URL --client-id TEXT", provider, provider)
	}
	trust, err = meant(c, "trust", entry.Trusts, func(t api.Trust) (id, about string) { return t.Id, t.Issuer })
	return s, organisation, provider, trust, err
}

// meant returns the one of several that an option names by the beginning of its id; where there is one, it need not be named.
func meant[T any](c *cli.Command, option string, all []T, told func(T) (id, about string)) (one T, err error) {
	var found []T
	var names []string
	for _, item := range all {
		id, about := told(item)
		names = append(names, id+" ("+about+")")
		if strings.HasPrefix(id, c.String(option)) {
			found = append(found, item)
		}
	}
	if len(found) != 1 {
		return one, usage("name one %s by --%s: %s", option, option, strings.Join(names, ", "))
	}
	return found[0], nil
}

// trustGiven reads what is wanted of a trust; was is what it is.
func (a *app) trustGiven(c *cli.Command, was api.Trust) (api.TrustWanted, error) {
	wanted := api.TrustWanted{Issuer: was.Issuer, ClientId: was.ClientId, Scopes: was.Scopes, OwnKey: was.OwnKey}
	if c.IsSet("issuer") {
		wanted.Issuer = c.String("issuer")
	}
	if c.IsSet("client-id") {
		wanted.ClientId = c.String("client-id")
	}
	if c.IsSet("own-key") {
		wanted.OwnKey = c.Bool("own-key")
	}
	if c.IsSet("scope") {
		wanted.Scopes = c.StringSlice("scope")
	}
	if !c.IsSet("secret-from") {
		return wanted, nil
	}
	var err error
	wanted.Secret, err = a.secretOf(c, "secret-from", "Client secret")
	return wanted, err
}

func (a *app) addTrust(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return err
	}
	wanted, err := a.trustGiven(c, api.Trust{})
	if err != nil {
		return err
	}
	preview := func(ctx context.Context, at string, wanted api.TrustWanted) (api.Written, error) {
		return s.PreviewCreateTrust(ctx, organisation, at, wanted)
	}
	send := func(ctx context.Context, at string, wanted api.TrustWanted) (api.TrustMade, error) {
		return s.CreateTrust(ctx, organisation, at, wanted)
	}
	return create(ctx, a, c, preview, send, given[0], wanted, func(made api.TrustMade) {
		a.say(c, "%s is trusted by %s, on trial. Tell the provider:\n  redirect URI             %s\n  back-channel logout URI  %s%s\nThen try it: arbora provider trial %s",
			given[0], made.Trust.Issuer, made.Trust.ReturnAddress, made.Trust.EndedAddress, choose(made.Trust.OwnKey, "\n  keys (JWKS URI)          "+made.Trust.KeysAddress, ""), given[0])
	})
}

func (a *app) editTrust(ctx context.Context, c *cli.Command) error {
	s, organisation, provider, trust, err := a.trusted(ctx, c)
	if err != nil {
		return err
	}
	wanted, err := a.trustGiven(c, trust)
	if err != nil {
		return err
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.EditTrust(ctx, organisation, provider, trust.Id, &api.EditTrustParams{Preview: preview}, wanted)
	}, func() {
		a.say(c, "%s is trusted by %s now.", provider, wanted.Issuer)
		if wanted.OwnKey {
			a.say(c, "Tell the provider where it reads Arbora's keys:\n  JWKS URI  %s", trust.KeysAddress)
		}
	})
}

func (a *app) setTrustState(to api.TrustState, said string) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		s, organisation, provider, trust, err := a.trusted(ctx, c)
		if err != nil {
			return err
		}
		return a.change(c, func(preview bool) (api.Written, error) {
			return s.SetTrustState(ctx, organisation, provider, trust.Id, &api.SetTrustStateParams{Preview: preview}, api.TrustStateWanted{State: to})
		}, func() { a.say(c, said, provider) })
	}
}

func (a *app) removeTrust(ctx context.Context, c *cli.Command) error {
	s, organisation, provider, trust, err := a.trusted(ctx, c)
	if err != nil {
		return err
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.RemoveTrust(ctx, organisation, provider, trust.Id, &api.RemoveTrustParams{Preview: preview})
	}, func() { a.say(c, "%s is not trusted by %s any more.", provider, trust.Issuer) })
}

// beginTrial gives an address to open in a browser.
func (a *app) beginTrial(ctx context.Context, c *cli.Command) error {
	s, organisation, provider, trust, err := a.trusted(ctx, c)
	if err != nil {
		return err
	}
	trial, err := s.BeginTrial(ctx, organisation, provider, trust.Id)
	if err != nil {
		return err
	}
	a.say(c, "Open this in a browser within 10 minutes and sign in there; nobody comes in by it:\n%s\nThen see what the provider said: arbora provider arrivals %s", trial.Address, provider)
	return a.valueOnly(c, trial)
}
