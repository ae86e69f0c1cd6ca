package host

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/demo"
	"arbora.example/service"
	"arbora.example/standin/mailsink"
	"arbora.example/store/mariadbd"
)

func (h *Host) demoCommand() *cli.Command {
	return &cli.Command{
		Name: "demo", Usage: "run the service on the demo data, which is loaded on first use",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "data", Value: dataHome("demo"), Usage: "`DIRECTORY` of the demo's records", Sources: cli.EnvVars("ARBORA_DEMO_DATA")},
			&cli.StringFlag{Name: "listen", Usage: "`HOST:PORT` to answer at (default: " + defaultListen + ", or a free port when that is taken)"},
			&cli.StringFlag{Name: "log", Value: "warn", Usage: "least `LEVEL` that is logged: debug, info, warn or error"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			ctx, stop := until(ctx)
			defer stop()
			set := settings{Data: c.String("data"), Listen: c.String("listen"), Log: c.String("log"), Loam: "http://" + freeIfTaken(defaultLoam)}
			if set.Listen == "" {
				set.Listen = defaultOrFree(defaultListen)
			}
			sink, err := mailsink.Start(defaultOrFree("127.0.0.1:8425"), defaultOrFree("127.0.0.1:8426"))
			if err != nil {
				return err
			}
			defer sink.Close()
			set.Mail, set.MailFrom = sink.Mail(), demoMailFrom
			i, err := h.startDemo(ctx, set, sink.Page())
			if err != nil {
				return err
			}
			fmt.Fprintf(h.Out, "\nThe console is at %s/\nMail that it sends is at %s/\nLoam, the stand-in cloud, answers at %s\n\nEverybody signs in with the password %s:\n", i.address, sink.Page(), set.Loam, demo.Passphrase)
			for _, s := range demo.SignIns() {
				fmt.Fprintf(h.Out, "  %-20s %s\n", s[0], s[1])
			}
			fmt.Fprintf(h.Out, "\nAt a terminal: arbora sign-in rowan@lindenmere --server %s\nEnd it with Ctrl-C.\n", i.address)
			select {
			case <-ctx.Done():
			case err := <-i.ended:
				return errors.Join(err, i.end())
			}
			return i.end()
		},
	}
}

// startDemo starts the service on the demo's records. Records whose loading was cut short are made anew. The story is loaded when
// letters says where a mail sink shows those that it sends.
func (h *Host) startDemo(ctx context.Context, set settings, letters string) (*instance, error) {
	log, err := set.check(h.Err)
	if err != nil {
		return nil, err
	}
	loaded := filepath.Join(set.Data, "demo-loaded")
	_, err = os.Stat(loaded)
	fresh := errors.Is(err, os.ErrNotExist)
	if fresh {
		fmt.Fprintln(h.Out, "Loading the demo data …")
		if err := h.dropRecords(ctx, set.Data); err != nil {
			return nil, err
		}
	}
	i, err := h.start(ctx, set, log)
	if err != nil {
		return nil, err
	}
	if fresh {
		err = loadDemo(ctx, i.service, i.address, letters)
	}
	if err == nil {
		err = h.addLoam(ctx, i, set, fresh, letters != "")
	}
	if err == nil && fresh {
		err = os.WriteFile(loaded, nil, 0o600)
	}
	if err != nil {
		return nil, errors.Join(err, i.end())
	}
	return i, nil
}

// addLoam starts Loam beside the service, and fills it when all is fresh. It ends before the service does.
func (h *Host) addLoam(ctx context.Context, i *instance, set settings, fresh, story bool) error {
	cloud, err := h.startLoam(ctx, set, i.address)
	if err != nil {
		return err
	}
	end := i.end
	i.end = func() error { return errors.Join(cloud.Stop(), end()) }
	if !fresh {
		return nil
	}
	if err := demo.LoadLoam(ctx, i.address); err != nil || !story {
		return err
	}
	return demo.LoadLoamStory(ctx, i.address)
}

func loadDemo(ctx context.Context, svc *service.Service, address, letters string) error {
	if _, _, err := svc.MakeKeeper(ctx, demo.Keeper, demo.Passphrase); err != nil {
		return err
	}
	if err := demo.LoadStart(ctx, address); err != nil || letters == "" {
		return err
	}
	return demo.LoadStory(ctx, address, letters)
}

// dropRecords clears away records of the demo that were not loaded to the end.
func (h *Host) dropRecords(ctx context.Context, directory string) error {
	starting, cancel := context.WithTimeout(ctx, startLimit)
	defer cancel()
	private, err := mariadbd.Start(starting, directory)
	if err != nil {
		return err
	}
	err = os.Remove(filepath.Join(directory, loamKeysFile))
	if errors.Is(err, os.ErrNotExist) {
		err = nil
	}
	return errors.Join(err, private.Drop(starting, database), private.Drop(starting, loamDatabase), private.Stop())
}

// demoMailFrom is where the demo's mail comes from.
const demoMailFrom = "arbora@lindenmere.example"

// defaultOrFree gives an address, or one with any free port when that is taken.
func defaultOrFree(address string) string {
	if freeIfTaken(address) == address {
		return address
	}
	return "127.0.0.1:0"
}

// freeIfTaken gives an address, or one whose port is free when that is taken.
func freeIfTaken(address string) string {
	for _, wanted := range []string{address, "127.0.0.1:0"} {
		if l, err := net.Listen("tcp", wanted); err == nil {
			defer l.Close()
			return l.Addr().String()
		}
	}
	return address
}

func (h *Host) tourCommand() *cli.Command {
	return &cli.Command{
		Name: "tour", Usage: "go through the demo's story on a fresh database, by command line, and compare what comes back",
		Action: func(ctx context.Context, _ *cli.Command) (err error) {
			ctx, stop := until(ctx)
			defer stop()
			start := time.Now()
			directory, err := os.MkdirTemp("", "arbora-tour-")
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, os.RemoveAll(directory)) }()
			sink, err := mailsink.Start("127.0.0.1:0", "127.0.0.1:0")
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, sink.Close()) }()
			i, err := h.startDemo(ctx, settings{Data: directory, Listen: "127.0.0.1:0", Log: "error", Mail: sink.Mail(), MailFrom: demoMailFrom, Loam: "http://" + freeIfTaken("127.0.0.1:0")}, "")
			if err != nil {
				return err
			}
			program, err := os.Executable()
			if err == nil {
				err = demo.Tour(ctx, h.Out, program, i.address, sink.Page(), directory)
			}
			if err == nil {
				fmt.Fprintf(h.Out, "\nThe tour holds (%s).\n", time.Since(start).Round(time.Second))
			}
			return errors.Join(err, i.end())
		},
	}
}
