package cli

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/api"
	"arbora.example/internal/english"
)

// answerTo puts a question to whoever sits at the terminal and reads a line; an empty one means what is usual.
func (a *app) answerTo(question, usual string) (string, error) {
	if usual != "" {
		question += " [" + usual + "]"
	}
	fmt.Fprintf(a.Err, "%s: ", question)
	line, err := a.lines.ReadString('\n')
	if err != nil && (!errors.Is(err, io.EOF) || line == "") {
		return "", fmt.Errorf("the answer cannot be read: %w", err)
	}
	if line = strings.TrimSpace(line); line == "" {
		line = usual
	}
	return line, nil
}

// askFor asks until the answer is good.
func (a *app) askFor(question, usual string, check func(string) error) (string, error) {
	for {
		answer, err := a.answerTo(question, usual)
		if err != nil {
			return "", err
		}
		wrong := check(answer)
		if wrong == nil {
			return answer, nil
		}
		fmt.Fprintf(a.Err, "  %v\n", wrong)
	}
}

// oneOf accepts the words given.
func oneOf(words ...string) func(string) error {
	return func(answer string) error {
		if slices.Contains(words, answer) {
			return nil
		}
		if near := english.Nearest(answer, words); near != "" {
			return fmt.Errorf("did you mean %s?", near)
		}
		return fmt.Errorf("answer %s", strings.Join(words, ", "))
	}
}

func anything(string) error { return nil }

// askUser asks for a new user, one thing after another.
func (a *app) askUser() (wanted api.UserNew, err error) {
	var title, email, by, first, groups string
	for _, q := range []struct {
		question, usual string
		check           func(string) error
		into            *string
	}{
		{"Name, to sign in by", "", model.CheckName, &wanted.Name},
		{"Display name", "", anything, &title},
		{"Email", "", anything, &email},
		{"Signs in by (password, key, both, provider)", "password", oneOf("password", "key", "both", "provider"), &by},
	} {
		if *q.into, err = a.askFor(q.question, q.usual, q.check); err != nil {
			return wanted, err
		}
	}
	signsIn := api.SignInBy(by)
	wanted.Title, wanted.Email, wanted.SignInBy = title, email, signsIn
	if signsIn == api.ByPassword || signsIn == api.ByBoth {
		if first, err = a.askFor("First password (generated, link)", "generated", oneOf("generated", "link")); err != nil {
			return wanted, err
		}
	}
	generated, link := first == "generated", first == "link"
	wanted.Temporary, wanted.Link = &generated, link
	if signsIn == api.ByKey || signsIn == api.ByBoth {
		label, err := a.answerTo("What the API key is for", "first key")
		if err != nil {
			return wanted, err
		}
		wanted.Key = &api.KeyNew{Label: label}
	}
	if groups, err = a.answerTo("Groups, apart by spaces", ""); err != nil {
		return wanted, err
	}
	list := strings.Fields(groups)
	wanted.Groups = list
	wanted.Grants, err = a.askGrants()
	return wanted, err
}

func (a *app) askGrants() ([]api.FirstGrant, error) {
	grants := []api.FirstGrant{}
	for {
		var grant api.FirstGrant
		text, err := a.askFor("A grant, as ROLE at ADDRESS; an empty line ends the list", "", func(text string) (err error) {
			if text != "" {
				given, wrong := statement.ParseGiven(text)
				grant, err = givenGrant(given), wrong
			}
			return err
		})
		if err != nil || text == "" {
			return grants, err
		}
		grants = append(grants, grant)
	}
}
