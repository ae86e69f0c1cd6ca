package host

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/access/catalogue"
	"arbora.example/internal/change"
	"arbora.example/internal/service"
	"arbora.example/internal/tenant"
)

func (h *Host) initCommand() *cli.Command {
	set := &Settings{}
	return &cli.Command{
		Name: "init", Usage: "create a keeper of this installation and, if wanted, an organisation with its first steward",
		Description: "Keepers create organisations and hold nothing inside them. Run it on the host that keeps the\nrecords, with the same --database or --data as arbora serve; the service may be running.",
		Flags: append(set.flags(false),
			&cli.StringFlag{Name: "keeper", Required: true, Usage: "`NAME` the keeper signs in by"},
			&cli.StringFlag{Name: "password-from", Usage: "read the keeper's password from the first line of `FILE` (- for standard input); generated otherwise"},
			&cli.StringFlag{Name: "organisation", Usage: "`NAME` of an organisation to create"},
			&cli.StringFlag{Name: "title", Usage: "the organisation's title, a `TEXT`"},
			&cli.StringFlag{Name: "steward", Usage: "`NAME` of the organisation's first steward"},
			&cli.StringFlag{Name: "steward-title", Usage: "the steward's display name, a `TEXT`"},
			&cli.StringFlag{Name: "steward-password-from", Usage: "read the steward's password from `FILE` (- for standard input); generated otherwise"},
		),
		Action: func(ctx context.Context, c *cli.Command) error {
			log, err := set.Check(h.Err)
			if err != nil {
				return err
			}
			if (c.String("organisation") == "") != (c.String("steward") == "") {
				return errors.New("an organisation needs a first steward: give both --organisation and --steward, or neither")
			}
			in := bufio.NewReader(os.Stdin)
			password, err := firstLine(in, c.String("password-from"))
			if err != nil {
				return err
			}
			stewardPassword, err := firstLine(in, c.String("steward-password-from"))
			if err != nil {
				return err
			}
			records, sealer, closeRecords, err := h.chained(ctx, *set, log)
			if err != nil {
				return err
			}
			svc := service.New(service.Options{Records: tenant.RecordsIn(records), Catalogue: catalogue.Shipped(), Clock: time.Now, Log: log, Sealer: sealer})
			var wanted *change.NewOrganisation
			if name := c.String("organisation"); name != "" {
				wanted = &change.NewOrganisation{Name: name, Title: c.String("title"), Steward: change.NewUser{
					Name: c.String("steward"), Title: c.String("steward-title"), Password: stewardPassword, Temporary: stewardPassword == "",
				}}
			}
			return errors.Join(h.setUp(ctx, svc, c.String("keeper"), password, wanted), closeRecords())
		},
	}
}

func (h *Host) resetStewardCommand() *cli.Command {
	set := &Settings{}
	return &cli.Command{
		Name: "reset-steward", Usage: "give a steward a temporary password, when nobody in the organisation can", ArgsUsage: "NAME@ORGANISATION",
		Description: "Run it on the host that keeps the records; the service may be running. The organisation's audit log records it, and\nall its stewards get a letter.",
		Flags:       set.flags(false),
		Action: func(ctx context.Context, c *cli.Command) error {
			name, organisation, ok := strings.Cut(c.Args().First(), "@")
			if !ok || c.NArg() != 1 {
				return errors.New("name the steward as NAME@ORGANISATION")
			}
			log, err := set.Check(h.Err)
			if err != nil {
				return err
			}
			post, err := set.post()
			if err != nil {
				return err
			}
			records, sealer, closeRecords, err := h.chained(ctx, *set, log)
			if err != nil {
				return err
			}
			svc := service.New(service.Options{Records: tenant.RecordsIn(records), Catalogue: catalogue.Shipped(), Clock: time.Now, Log: log, Sealer: sealer, Post: post, Address: strings.TrimSuffix(set.Address, "/")})
			reset, err := svc.ResetSteward(ctx, organisation, name)
			if err == nil {
				fmt.Fprintf(h.Out, "%s signs in with another password, shown this once and to be replaced at the first sign-in:\n%s\n", reset.SignIn, reset.Password)
			}
			return errors.Join(err, closeRecords())
		},
	}
}

func (h *Host) setUp(ctx context.Context, svc *service.Service, keeperName, password string, wanted *change.NewOrganisation) error {
	keeper, generated, err := svc.MakeKeeper(ctx, keeperName, password)
	if err != nil {
		return err
	}
	fmt.Fprintf(h.Out, "%s is a keeper of this installation and signs in as %s.\n", keeperName, keeperName)
	if generated != "" {
		fmt.Fprintf(h.Out, "Password, shown this once: %s\n", generated)
	}
	if wanted == nil {
		fmt.Fprintf(h.Out, "Next: arbora sign-in %s, then arbora organisation create NAME --steward NAME\n", keeperName)
		return nil
	}
	made, err := svc.CreateOrganisation(ctx, keeper, *wanted)
	if err != nil {
		return fmt.Errorf("the keeper was created, the organisation was not: %w; correct that and let the keeper create it with arbora organisation create", err)
	}
	fmt.Fprintf(h.Out, "Created organisation %s; its steward signs in as %s@%s.\n", made.Organisation.Name, made.Steward.Name, made.Organisation.Name)
	if made.Password != "" {
		fmt.Fprintf(h.Out, "Password, shown this once and to be replaced at the first sign-in: %s\n", made.Password)
	}
	return nil
}

// firstLine reads a secret: the first line of a file, the next line of standard input for "-", nothing for "".
func firstLine(in *bufio.Reader, from string) (string, error) {
	if from == "" {
		return "", nil
	}
	if from != "-" {
		file, err := os.Open(from)
		if err != nil {
			return "", fmt.Errorf("the password cannot be read: %w", err)
		}
		defer file.Close()
		in = bufio.NewReader(file)
	}
	line, err := in.ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return "", fmt.Errorf("the password cannot be read: %w", err)
	}
	if line = strings.TrimRight(line, "\r\n"); line == "" {
		return "", fmt.Errorf("there is no password in %s", from)
	}
	return line, nil
}
