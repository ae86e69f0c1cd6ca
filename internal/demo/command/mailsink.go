package command

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"arbora.example/internal/host"
	"arbora.example/internal/standin/mailsink"
)

func (d *Demo) mailSinkCommand() *cli.Command {
	return &cli.Command{
		Name: "mail-sink", Usage: "run a stand-in mail server that shows every letter on a page and delivers none",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "mail-listen", Usage: "`HOST:PORT` to take mail at, by SMTP", Value: "127.0.0.1:8425"},
			&cli.StringFlag{Name: "page-listen", Usage: "`HOST:PORT` to show it at", Value: "127.0.0.1:8426"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			ctx, stop := host.Until(ctx)
			defer stop()
			sink, err := mailsink.Start(c.String("mail-listen"), c.String("page-listen"))
			if err != nil {
				return fmt.Errorf("%w: choose other addresses with --mail-listen and --page-listen", err)
			}
			fmt.Fprintf(d.Out, "Mail is taken at %s and shown at %s/\n", sink.Mail(), sink.Page())
			<-ctx.Done()
			return sink.Close()
		},
	}
}
