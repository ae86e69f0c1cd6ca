package cli

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/english"
)

func (a *app) importCommand() *cli.Command {
	return &cli.Command{
		Name: "import", Usage: "create many users from a CSV file: all of them or nobody, with a dry run first", ArgsUsage: "FILE",
		Description: "The first line names the columns: name, title, email, description, tags, groups, grants, sign-in-by,\ntemporary, link, notify; only name is required. Separate several tags (KEY=VALUE), groups or grants of one person\nby semicolons. Write a grant as ROLE at ADDRESS, with from or until and a date after it if wanted. Generated\npasswords go into the file of --secrets-to, which only you can read, and nowhere else. FILE - is standard input.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "secrets-to", Usage: "write sign-in names and generated passwords to this new `FILE`, as CSV"},
			previewFlag(),
		},
		Action: a.importUsers,
	}
}

func (a *app) importUsers(ctx context.Context, c *cli.Command) error {
	s, organisation, given, err := a.insideWith(c, "FILE")
	if err != nil {
		return err
	}
	text, err := a.readText(given[0])
	if err != nil {
		return fmt.Errorf("the file cannot be read: %w", err)
	}
	file := api.NewcomerFile{File: text}
	reading, err := s.PreviewCreateNewcomers(ctx, organisation, file)
	if err != nil {
		return err
	}
	if len(reading.Faults) > 0 {
		for _, f := range reading.Faults {
			fmt.Fprintf(a.Err, "%s: %s\n", given[0], printable(faultText(f)))
		}
		return fmt.Errorf("nobody was created: correct %s first", choose(len(reading.Faults) == 1, "this fault", fmt.Sprintf("these %d faults", len(reading.Faults))))
	}
	if c.Bool("preview") {
		a.say(c, "%s would be created.", english.Count(len(reading.Names), "user"))
		return a.printImpact(c, api.Written{Impact: reading.Impact})
	}
	if c.String("secrets-to") == "" {
		return usage("say with --secrets-to FILE where the generated passwords go")
	}
	// Made before anybody is, so that no password is lost; never over a file that is there.
	secrets, err := os.OpenFile(c.String("secrets-to"), os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return fmt.Errorf("the secrets cannot be written: %w", err)
	}
	made, err := a.makeNewcomers(ctx, s, organisation, file)
	if err == nil {
		err = writeSecrets(secrets, made)
	}
	if err = errors.Join(err, secrets.Close()); err != nil {
		if made == nil {
			err = errors.Join(err, os.Remove(secrets.Name()))
		}
		return err
	}
	a.say(c, "Created %s. Sign-in names and passwords are in %s, which only you can read.", english.Count(len(made), "user"), secrets.Name())
	return a.valueOnly(c, made)
}

// makeNewcomers has them made, and shows how far it is.
func (a *app) makeNewcomers(ctx context.Context, s session, organisation string, file api.NewcomerFile) ([]api.UserMade, error) {
	response, err := s.CreateNewcomers(ctx, organisation, file)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	var bar *progressbar.ProgressBar
	for lines := json.NewDecoder(response.Body); ; {
		var line api.NewcomerProgress
		if err := lines.Decode(&line); errors.Is(err, io.EOF) {
			return nil, errors.New("the service's answer broke off: list the users to see whether they were created")
		} else if err != nil {
			return nil, fmt.Errorf("the service's answer broke off: %w; list the users to see whether they were created", err)
		}
		if bar == nil && a.terminal() {
			bar = progressbar.NewOptions(line.Of, progressbar.OptionSetWriter(a.Err), progressbar.OptionSetDescription("Creating users"), progressbar.OptionShowCount(), progressbar.OptionClearOnFinish())
		}
		if bar != nil {
			if err := bar.Set(line.Done); err != nil {
				return nil, err
			}
		}
		switch {
		case line.Problem != nil:
			return nil, &client.Error{Problem: *line.Problem}
		case line.Made != nil:
			return line.Made, nil
		}
	}
}

func writeSecrets(to io.Writer, made []api.UserMade) error {
	w := csv.NewWriter(to)
	rows := [][]string{{"name", "sign-in", "address", "password"}}
	for _, m := range made {
		rows = append(rows, []string{m.User.Name, m.SignIn, m.Address, m.Password})
	}
	return w.WriteAll(rows)
}
