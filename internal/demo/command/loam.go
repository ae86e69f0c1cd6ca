package command

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/internal/demo"
	"arbora.example/internal/host"
	"arbora.example/internal/process"
	"arbora.example/internal/server"
	"arbora.example/internal/standin/loam"
	"arbora.example/internal/standin/loam/loamapi"
	"arbora.example/internal/store/mariadbd"
)

// defaultLoam is where Loam answers unless said otherwise.
const defaultLoam = "127.0.0.1:8427"

// loamDatabase is what a private server calls Loam's database.
const loamDatabase = "loam"

func (d *Demo) serveLoamCommand() *cli.Command {
	set := host.Settings{}
	return &cli.Command{
		Name: "serve-loam", Usage: "run Loam, the stand-in cloud, whose every act asks Arbora first",
		Description: "Loam acts by six API keys, one for each of its services (" + strings.Join(loamapi.Services, ", ") + "), which a\nkeeper issues with \"arbora key create --service NAME\". They stand in a JSON file:\n{\"compute\": {\"key\": \"…\", \"secret\": \"…\"}, …}. Start arbora serve with --loam URL to reach Loam through it.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "arbora", Usage: "`URL` where Arbora answers", Value: "http://" + host.DefaultListen},
			&cli.StringSliceFlag{Name: "follower", Usage: "`SERVICE=ADDRESS` of a follower that decides for a service of Loam's, such as storage=unix:/run/storage/arbora.socket"},
			&cli.StringFlag{Name: "keys", Usage: "`FILE` with the API keys of Loam's services", Required: true},
			&cli.StringFlag{Name: "listen", Usage: "`HOST:PORT` to answer at", Value: defaultLoam, Destination: &set.Listen},
			&cli.StringFlag{Name: "database", Usage: "`DSN` of Loam's own MariaDB database, as user:password@tcp(host:port)/database", Destination: &set.Database},
			&cli.StringFlag{Name: "data", Usage: "without a DSN: `DIRECTORY` of a private MariaDB server, which may be Arbora's", Value: host.DataHome("records"), Destination: &set.Data},
			&cli.StringFlag{Name: "log", Usage: "least `LEVEL` that is logged: debug, info, warn or error", Value: "info", Destination: &set.Log},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			keys, err := readLoamKeys(c.String("keys"))
			if err != nil {
				return err
			}
			followers := map[string]string{}
			for _, text := range c.StringSlice("follower") {
				service, address, ok := strings.Cut(text, "=")
				if !ok || !slices.Contains(loamapi.Services, service) {
					return fmt.Errorf("--follower %s names no service of Loam's: write it as SERVICE=ADDRESS, with one of %s", text, strings.Join(loamapi.Services, ", "))
				}
				followers[service] = address
			}
			return d.serveLoam(ctx, set, loam.Options{Arbora: c.String("arbora"), Keys: keys, Followers: followers})
		},
	}
}

func (d *Demo) serveLoam(ctx context.Context, set host.Settings, o loam.Options) (err error) {
	log, err := set.Check(d.Err)
	if err != nil {
		return err
	}
	ctx, stop := host.Until(ctx)
	defer stop()
	if set.Database == "" {
		private, err := mariadbd.Start(ctx, set.Data)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, private.Stop()) }()
		if err := private.Create(ctx, loamDatabase); err != nil {
			return err
		}
		if set.Database, err = private.Account(ctx, loamDatabase, loamDatabase, "ALL PRIVILEGES ON `"+loamDatabase+"`.*"); err != nil {
			return err
		}
	}
	listener, err := net.Listen("tcp", set.Listen)
	if err != nil {
		return fmt.Errorf("%w: choose another address with --listen", err)
	}
	o.Database, o.Clock, o.Log = set.Database, time.Now, log
	cloud, err := loam.Open(ctx, o)
	if err != nil {
		return errors.Join(err, listener.Close())
	}
	handler, err := cloud.Handler()
	if err != nil {
		return errors.Join(err, listener.Close(), cloud.Close())
	}
	go cloud.KeepSettled(ctx)
	fmt.Fprintf(d.Out, "%shttp://%s\n", loamAnswers, listener.Addr())
	return errors.Join(server.Serve(ctx, listener, nil, handler), cloud.Close())
}

// loamAnswers begins the line by which Loam says that it is ready.
const loamAnswers = "Loam answers at "

// loamKeysFile is where the demo keeps the keys of Loam's services.
const loamKeysFile = "loam-keys.json"

func readLoamKeys(name string) (map[string]loamapi.Key, error) {
	text, err := os.ReadFile(name)
	if err != nil {
		return nil, fmt.Errorf("the keys of Loam's services cannot be read: %w", err)
	}
	var keys map[string]loamapi.Key
	if err := json.Unmarshal(text, &keys); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return keys, nil
}

// startLoam starts Loam in a process of its own and waits until it answers. Its keys are issued on first use.
func (d *Demo) startLoam(ctx context.Context, set host.Settings, arbora string) (*process.Process, error) {
	keys := filepath.Join(set.Data, loamKeysFile)
	if _, err := os.Stat(keys); errors.Is(err, os.ErrNotExist) {
		if err := issueLoamKeys(ctx, arbora, keys); err != nil {
			return nil, err
		}
	}
	program, err := os.Executable()
	if err != nil {
		return nil, err
	}
	command := exec.Command(program, "serve-loam", "--arbora", arbora, "--keys", keys, "--data", set.Data, "--log", set.Log,
		"--listen", strings.TrimPrefix(set.Loam, "http://"))
	command.Stderr = d.Err
	output, tell, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	defer output.Close()
	command.Stdout = tell
	p, err := process.Start(command)
	if err := errors.Join(err, tell.Close()); err != nil {
		return nil, err
	}
	if line, err := bufio.NewReader(output).ReadString('\n'); !strings.HasPrefix(line, loamAnswers) {
		return nil, errors.Join(errors.New("the stand-in cloud does not start"), err, p.Stop())
	}
	return p, nil
}

func issueLoamKeys(ctx context.Context, arbora, name string) error {
	keys, err := demo.LoamKeys(ctx, arbora)
	if err != nil {
		return err
	}
	text, err := json.MarshalIndent(keys, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(name, append(text, '\n'), 0o600)
}
