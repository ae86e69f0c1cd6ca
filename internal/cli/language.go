package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"arbora.example/docs"
	"arbora.example/internal/english"
)

// topic is a part of the reference of the statement language.
type topic struct {
	title string
	text  string
}

// topicsOf takes a page apart at its headings.
func topicsOf(page string) (topics []topic) {
	for _, part := range strings.Split("\n"+page, "\n## ")[1:] {
		title, text, _ := strings.Cut(part, "\n")
		topics = append(topics, topic{title, "## " + title + "\n" + strings.TrimRight(text, "\n") + "\n"})
	}
	return topics
}

func (a *app) languageCommand() *cli.Command {
	return &cli.Command{
		Name: "language", Usage: "print the reference of the language that policies are written in, or one topic of it", ArgsUsage: "[TOPIC]",
		Action: func(_ context.Context, c *cli.Command) error {
			wanted := strings.ToLower(strings.Join(c.Args().Slice(), " "))
			if wanted == "" {
				_, err := fmt.Fprint(a.Out, docs.Statements)
				return err
			}
			var titles []string
			for _, t := range topicsOf(docs.Statements) {
				title := strings.ToLower(t.title)
				if strings.HasPrefix(title, wanted) {
					_, err := fmt.Fprint(a.Out, t.text)
					return err
				}
				titles = append(titles, title)
			}
			if near := english.Nearest(wanted, titles); near != "" {
				return usage("there is no topic %q: did you mean %s?", wanted, near)
			}
			return usage("there is no topic %q; there are: %s", wanted, strings.Join(titles, "; "))
		},
	}
}
