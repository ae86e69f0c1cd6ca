// Package command has the commands of arbora-demo: the service on the scenario's data, with the stand-ins for what a platform has around
// it.
package command

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"sync/atomic"
	"time"

	"github.com/urfave/cli/v3"

	arbora "arbora.example/internal/cli"
	"arbora.example/internal/demo"
	"arbora.example/internal/host"
	"arbora.example/internal/service"
	"arbora.example/internal/standin/identity"
	"arbora.example/internal/standin/loam/loamcmd"
	"arbora.example/internal/standin/mailsink"
	"arbora.example/internal/standin/slapd"
	"arbora.example/internal/store/mariadbd"
)

// Demo runs the demo's commands.
type Demo struct {
	host.Host
	provider string        // the address of the partner's identity provider; empty for none
	house    *slapd.Server // Lindenmere's own directory; nil for none
	large    bool          // with many people and scopes beside the scenario's
	behind   atomic.Int64  // how far the service's clock is behind the machine's
}

// now is the service's clock, which the demo sets: its history is written over half a year, and the tour has days pass.
func (d *Demo) now() time.Time { return time.Now().Add(-time.Duration(d.behind.Load())) }

// setClock sets the service's clock to some days before now, or after it for a negative number.
func (d *Demo) setClock(daysAgo int) { d.behind.Store(int64(daysAgo) * int64(24*time.Hour)) }

// Commands are those of arbora-demo.
func (d *Demo) Commands(tools arbora.Tools) []*cli.Command {
	return []*cli.Command{d.startCommand(), d.tourCommand(), loamcmd.Command(tools), d.serveLoamCommand(), d.mailSinkCommand()}
}

func (d *Demo) startCommand() *cli.Command {
	return &cli.Command{
		Name: "start", Usage: "run the service on the demo data, which is loaded on first use",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "data", Usage: "`DIRECTORY` of the demo's records (default: " + host.DataHome("demo") + ", or " + host.DataHome(largeData) + " with --large)", Sources: cli.EnvVars("ARBORA_DEMO_DATA")},
			&cli.BoolFlag{Name: "large", Usage: "with 5,000 people and 20,000 scopes beside the scenario: loading takes about a minute, once"},
			&cli.StringFlag{Name: "listen", Usage: "`HOST:PORT` to answer at (default: " + host.DefaultListen + ", or a free port when that is taken)"},
			&cli.StringFlag{Name: "log", Value: "warn", Usage: "least `LEVEL` that is logged: debug, info, warn or error"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			ctx, stop := host.Until(ctx)
			defer stop()
			d.large = c.Bool("large")
			home := host.DataHome("demo")
			if d.large {
				home = host.DataHome(largeData)
			}
			set := host.Settings{Data: cmp.Or(c.String("data"), home), Listen: c.String("listen"), Log: c.String("log"), Loam: "http://" + freeIfTaken(defaultLoam)}
			if set.Listen == "" {
				set.Listen = defaultOrFree(host.DefaultListen)
			}
			// Passkeys take a name, and a browser takes this one for safe.
			if at, port, err := net.SplitHostPort(set.Listen); err == nil && at == "127.0.0.1" && port != "0" {
				set.Address = "http://localhost:" + port
			}
			sink, err := mailsink.Start(defaultOrFree("127.0.0.1:8425"), defaultOrFree("127.0.0.1:8426"))
			if err != nil {
				return err
			}
			defer sink.Close()
			provider, err := identity.Start(defaultOrFree("127.0.0.1:8428"), "Quaywater Seed Exchange", identity.Quaywater())
			if err != nil {
				return err
			}
			defer provider.Close()
			d.provider = provider.Issuer()
			house, err := d.startDirectory(ctx, filepath.Join(set.Data, "directory"))
			if err != nil {
				return err
			}
			defer house.Close()
			set.Mail, set.MailFrom = sink.Mail(), demoMailFrom
			i, err := d.startDemo(ctx, set, sink.Page())
			if err != nil {
				return err
			}
			address := cmp.Or(set.Address, i.Address)
			fmt.Fprintf(d.Out, "\nThe console is at %s/\nMail that it sends is at %s/\nLoam, the stand-in cloud, answers at %s\n", address, sink.Page(), set.Loam)
			fmt.Fprintf(d.Out, "Quaywater's identity provider is at %s/\nLindenmere's directory is at %s/\n\nEverybody signs in with the password %s:\n", d.provider, house.Address, demo.Passphrase)
			for _, s := range demo.SignIns() {
				fmt.Fprintf(d.Out, "  %-20s %s\n", s[0], s[1])
			}
			fmt.Fprintf(d.Out, "\nAt a terminal: arbora sign-in rowan@lindenmere --server %s\nEnd it with Ctrl-C.\n", address)
			select {
			case <-ctx.Done():
			case err := <-i.Ended:
				return errors.Join(err, i.End())
			}
			return i.End()
		},
	}
}

// startDemo starts the service on the demo's records. Records whose loading was cut short are made anew. The story is loaded when
// letters says where a mail sink shows those that it sends.
func (d *Demo) startDemo(ctx context.Context, set host.Settings, letters string) (*host.Instance, error) {
	log, err := set.Check(d.Err)
	if err != nil {
		return nil, err
	}
	loaded := filepath.Join(set.Data, "demo-loaded")
	_, err = os.Stat(loaded)
	fresh := errors.Is(err, os.ErrNotExist)
	if fresh {
		fmt.Fprintln(d.Out, "Loading the demo data …")
		if err := d.dropRecords(ctx, set.Data); err != nil {
			return nil, err
		}
	}
	d.Clock = d.now
	i, err := d.Start(ctx, set, log)
	if err != nil {
		return nil, err
	}
	if fresh {
		err = d.loadDemo(ctx, i.Service, i.Address, letters)
	}
	if err == nil {
		err = d.addLoam(ctx, i, set, fresh, letters != "")
	}
	if err == nil && fresh && d.provider != "" {
		err = demo.LoadProvider(ctx, cmp.Or(set.Address, i.Address), d.provider)
	}
	if err == nil && fresh && d.house != nil && letters != "" {
		err = demo.LoadDirectory(ctx, cmp.Or(set.Address, i.Address), d.house)
	}
	if err == nil && fresh {
		err = os.WriteFile(loaded, nil, 0o600)
	}
	if err != nil {
		return nil, errors.Join(err, i.End())
	}
	return i, nil
}

// startDirectory starts Lindenmere's directory, as it was left, and the page that shows it.
func (d *Demo) startDirectory(ctx context.Context, data string) (*directoryPage, error) {
	starting, cancel := context.WithTimeout(ctx, host.StartLimit)
	defer cancel()
	server, err := slapd.Start(starting, data, slapd.Lindenmere, slapd.Options{Listen: defaultOrFree("127.0.0.1:8429")})
	if err != nil {
		return nil, err
	}
	page, err := slapd.ServePage(defaultOrFree("127.0.0.1:8430"), server)
	if err != nil {
		return nil, errors.Join(err, server.Stop())
	}
	d.house = server
	return &directoryPage{page, server}, nil
}

// directoryPage is a directory server with its page.
type directoryPage struct {
	*slapd.Page
	server *slapd.Server
}

// Close ends both.
func (p *directoryPage) Close() error { return errors.Join(p.Page.Close(), p.server.Stop()) }

// addLoam starts Loam beside the service, and fills it when all is fresh. It ends before the service does.
func (d *Demo) addLoam(ctx context.Context, i *host.Instance, set host.Settings, fresh, story bool) error {
	cloud, err := d.startLoam(ctx, set, i.Address)
	if err != nil {
		return err
	}
	end := i.End
	i.End = func() error { return errors.Join(cloud.Stop(), end()) }
	if !fresh {
		return nil
	}
	if err := demo.LoadLoam(ctx, i.Address); err != nil || !story {
		return err
	}
	return demo.LoadLoamStory(ctx, i.Address)
}

func (d *Demo) loadDemo(ctx context.Context, svc *service.Service, address, letters string) error {
	if letters != "" {
		d.setClock(demo.Began)
	}
	if _, _, err := svc.MakeKeeper(ctx, demo.Keeper, demo.Passphrase); err != nil {
		return err
	}
	if letters == "" {
		return demo.LoadStart(ctx, address)
	}
	if err := demo.LoadHistory(ctx, address, letters, d.setClock); err != nil || !d.large {
		return err
	}
	return demo.LoadLarge(ctx, address, func(done, of int) { fmt.Fprintf(d.Out, "\rLaying out the beds: %d of %d gardens", done, of) })
}

// dropRecords clears away records of the demo that were not loaded to the end.
func (d *Demo) dropRecords(ctx context.Context, directory string) error {
	starting, cancel := context.WithTimeout(ctx, host.StartLimit)
	defer cancel()
	private, err := mariadbd.Start(starting, directory)
	if err != nil {
		return err
	}
	err = os.Remove(filepath.Join(directory, loamKeysFile))
	if errors.Is(err, os.ErrNotExist) {
		err = nil
	}
	return errors.Join(err, private.Drop(starting, host.Database), private.Drop(starting, loamDatabase), private.Stop())
}

// largeData is the directory of the records of a large demo.
const largeData = "demo-large"

// demoMailFrom is where the demo's mail comes from.
const demoMailFrom = "arbora@lindenmere.example"

// defaultOrFree returns an address, or one with any free port when that is taken.
func defaultOrFree(address string) string {
	if freeIfTaken(address) == address {
		return address
	}
	return "127.0.0.1:0"
}

// freeIfTaken returns an address, or one whose port is free when that is taken.
func freeIfTaken(address string) string {
	for _, wanted := range []string{address, "127.0.0.1:0"} {
		if l, err := net.Listen("tcp", wanted); err == nil {
			defer l.Close()
			return l.Addr().String()
		}
	}
	return address
}

func (d *Demo) tourCommand() *cli.Command {
	return &cli.Command{
		Name: "tour", Usage: "go through the demo's story on a fresh database, by command line, and compare what comes back",
		Action: func(ctx context.Context, _ *cli.Command) (err error) {
			ctx, stop := host.Until(ctx)
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
			provider, err := identity.Start("127.0.0.1:0", "Quaywater Seed Exchange", identity.Quaywater())
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, provider.Close()) }()
			house, err := d.startDirectory(ctx, filepath.Join(directory, "directory"))
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, house.Close()) }()
			i, err := d.startDemo(ctx, host.Settings{Data: directory, Listen: "127.0.0.1:0", Log: "error", Mail: sink.Mail(), MailFrom: demoMailFrom, Loam: "http://" + freeIfTaken("127.0.0.1:0")}, "")
			if err != nil {
				return err
			}
			programs, err := besides("arbora", "arbora-demo")
			if err == nil {
				err = demo.Tour(ctx, d.Out, programs, i.Address, sink.Page(), provider.Issuer(), d.house, directory, d.setClock)
			}
			if err == nil {
				fmt.Fprintf(d.Out, "\nThe tour holds (%s).\n", time.Since(start).Round(time.Second))
			}
			return errors.Join(err, i.End())
		},
	}
}

// besides finds programs that stand beside this one, or else on the path.
func besides(names ...string) (map[string]string, error) {
	own, err := os.Executable()
	if err != nil {
		return nil, err
	}
	found := map[string]string{}
	for _, name := range names {
		found[name] = filepath.Join(filepath.Dir(own), name)
		if _, err := os.Stat(found[name]); err != nil {
			if found[name], err = exec.LookPath(name); err != nil {
				return nil, fmt.Errorf("the tour runs %s: build it beside this program with make build", name)
			}
		}
	}
	return found, nil
}
