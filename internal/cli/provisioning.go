package cli

import (
	"context"

	"github.com/urfave/cli/v3"

	"arbora.example/api"
)

func (a *app) provisioningCommand() *cli.Command {
	which := &cli.StringFlag{Name: "token", Usage: "the `TOKEN`, by the beginning of its id; not needed where there is one"}
	return &cli.Command{
		Name: "provisioning", Usage: "let the system of an identity provider tell of its people and groups",
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "create a token by which a provider's system comes in, and show the address to tell it", ArgsUsage: "PROVIDER",
				Description: "The system speaks SCIM 2.0 (RFC 7644). Its externalId of people is the subject by which the provider knows them. The token is shown once.",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "label", Usage: "a `TEXT` that says what the token is for", Value: "provisioning"},
					&cli.StringFlag{Name: "until", Usage: "when the token ends, an `INSTANT` within 366 days; without it, after 180 days"}, previewFlag(),
				},
				Action: a.createProvisioning,
			},
			{Name: "list", Usage: "list the tokens of a provider's system", ArgsUsage: "PROVIDER", Action: a.listProvisioning},
			{Name: "revoke", Usage: "end a token at once", ArgsUsage: "PROVIDER", Flags: []cli.Flag{which, previewFlag()}, Action: a.revokeProvisioning},
		},
	}
}

func (a *app) createProvisioning(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return err
	}
	wanted := api.ProvisioningTokenNew{Label: c.String("label")}
	if wanted.Until, err = instant(c, "until"); err != nil {
		return err
	}
	preview := func(ctx context.Context, at string, wanted api.ProvisioningTokenNew) (api.Written, error) {
		return s.PreviewCreateProvisioningToken(ctx, organisation, at, wanted)
	}
	send := func(ctx context.Context, at string, wanted api.ProvisioningTokenNew) (api.ProvisioningTokenMade, error) {
		return s.CreateProvisioningToken(ctx, organisation, at, wanted)
	}
	return create(ctx, a, c, preview, send, given[0], wanted, func(made api.ProvisioningTokenMade) {
		a.say(c, "Tell the system of %s:\n  address  %s\n  token    %s\nThe token is shown once. It ends on %s.", given[0], made.Address, made.Token, moment(made.ProvisioningToken.Until))
	})
}

func (a *app) listProvisioning(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return err
	}
	list, err := s.ListProvisioningTokens(ctx, organisation, given[0])
	if err != nil {
		return err
	}
	l := listing{columns: []string{"Id", "Label", "Created by", "Created", "Ends", "Last used"}, empty: given[0] + " has no provisioning tokens.", value: list}
	for _, t := range list.Tokens {
		l.rows = append(l.rows, []string{t.Id, t.Label, t.CreatedBy, moment(t.CreatedAt), moment(t.Until), choose(t.UsedAt.IsZero(), "never", moment(t.UsedAt))})
	}
	return a.print(c, l)
}

func (a *app) revokeProvisioning(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "PROVIDER")
	if err != nil {
		return err
	}
	list, err := s.ListProvisioningTokens(ctx, organisation, given[0])
	if err != nil {
		return err
	}
	if len(list.Tokens) == 0 {
		return usage("%s has no provisioning tokens", given[0])
	}
	token, err := meant(c, "token", list.Tokens, func(t api.ProvisioningToken) (id, about string) { return t.Id, t.Label })
	if err != nil {
		return err
	}
	return a.change(c, func(preview bool) (api.Written, error) {
		return s.RevokeProvisioningToken(ctx, organisation, given[0], token.Id, &api.RevokeProvisioningTokenParams{Preview: preview})
	}, func() { a.say(c, "The token %s of %s has ended.", token.Label, given[0]) })
}
