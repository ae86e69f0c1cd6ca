// Package host has the commands that run on the host of the service and reach its records directly: init, serve, demo
// and tour.
package host

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/adrg/xdg"
	"github.com/urfave/cli/v3"

	"arbora.example/access"
	"arbora.example/console"
	"arbora.example/people"
	"arbora.example/server"
	"arbora.example/service"
	"arbora.example/store"
	"arbora.example/store/mariadbd"
	"arbora.example/store/snapshots"
)

// Host runs the host's commands.
type Host struct {
	Version  string
	Out, Err io.Writer
}

// Commands are the host's commands.
func (h *Host) Commands() []*cli.Command {
	return []*cli.Command{h.initCommand(), h.serveCommand(), h.demoCommand(), h.tourCommand(), h.mailSinkCommand(), h.runLoamCommand()}
}

// defaultListen is where the service answers unless said otherwise.
const defaultListen = "127.0.0.1:8420"

// database is what a private server calls the database of records, and serviceAccount who uses it.
const (
	database       = "arbora"
	serviceAccount = "arbora-service"
)

// startLimit bounds how long a private server may take to start, on a slow machine that recovers from a crash.
const startLimit = 2 * time.Minute

// chained opens the database as [Host.records] does, and chains the audit log in it by the key that the settings name.
func (h *Host) chained(ctx context.Context, set settings, log *slog.Logger) (*store.Store, *people.Sealer, func() error, error) {
	records, closeRecords, err := h.records(ctx, set, log)
	if err != nil {
		return nil, nil, nil, err
	}
	sealer, err := set.sealer()
	if err != nil {
		return nil, nil, nil, errors.Join(err, closeRecords())
	}
	records.ChainBy(sealer.AuditKey())
	return records, sealer, closeRecords, nil
}

// records opens the database that the settings name: by DSN, or a private server's. The second result closes it.
func (h *Host) records(ctx context.Context, set settings, log *slog.Logger) (*store.Store, func() error, error) {
	starting, cancel := context.WithTimeout(ctx, startLimit)
	defer cancel()
	if set.Database != "" {
		if set.Owner != "" {
			if err := store.Confine(starting, set.Owner, set.Database); err != nil {
				return nil, nil, err
			}
		}
		records, err := store.Open(starting, set.Database)
		if err != nil {
			return nil, nil, err
		}
		if may, err := records.MayAlterAudit(starting); err != nil {
			return nil, nil, errors.Join(err, records.Close())
		} else if may {
			log.Warn("the database account of the service can change audit records: give it an account without rights, and name the owner of the tables with --database-owner")
		}
		return records, records.Close, nil
	}
	private, err := mariadbd.Start(starting, set.Data)
	if err != nil {
		return nil, nil, err
	}
	fail := func(err error) (*store.Store, func() error, error) {
		return nil, nil, errors.Join(err, private.Stop())
	}
	if err := private.Create(starting, database); err != nil {
		return fail(err)
	}
	dsn, err := private.Account(starting, serviceAccount, database)
	if err != nil {
		return fail(err)
	}
	if err := store.Confine(starting, private.DSN(database), dsn); err != nil {
		return fail(err)
	}
	records, err := store.Open(starting, dsn)
	if err != nil {
		return fail(err)
	}
	keeping, stop := context.WithCancel(ctx)
	go private.Keep(keeping, func(message string, err error) {
		if keeping.Err() == nil {
			log.Warn(message, "error", err)
		}
	})
	return records, func() error {
		stop()
		return errors.Join(records.Close(), private.Stop())
	}, nil
}

// instance is a service that answers.
type instance struct {
	service *service.Service
	address string
	end     func() error // stops answering and closes the records
	ended   chan error   // what stopped it, when it stopped by itself
}

// start opens the records and answers at the address set.
func (h *Host) start(ctx context.Context, set settings, log *slog.Logger) (*instance, error) {
	protection, err := set.tls()
	if err != nil {
		return nil, err
	}
	proxies, err := set.proxies()
	if err != nil {
		return nil, err
	}
	listener, err := net.Listen("tcp", set.Listen)
	if err != nil {
		return nil, fmt.Errorf("%w: choose another address with --listen", err)
	}
	if err := protected(listener.Addr(), protection, proxies); err != nil {
		return nil, errors.Join(err, listener.Close())
	}
	records, sealer, closeRecords, err := h.chained(ctx, set, log)
	if err != nil {
		return nil, errors.Join(err, listener.Close())
	}
	address := "http://" + listener.Addr().String()
	if protection != nil {
		address = "https://" + listener.Addr().String()
	}
	if set.Address == "" {
		set.Address = address
	}
	post, err := set.post()
	if err != nil {
		return nil, errors.Join(err, listener.Close(), closeRecords())
	}
	files, err := snapshots.Open(filepath.Join(set.Data, "snapshots"))
	if err != nil {
		return nil, errors.Join(err, listener.Close(), closeRecords())
	}
	svc := service.New(service.Options{
		Records: service.RecordsIn(records), Files: files, Catalogue: access.Shipped(), Clock: time.Now, Log: log, Sealer: sealer, Post: post, Address: strings.TrimSuffix(set.Address, "/"),
	})
	handler, err := server.New(server.Options{Service: svc, Console: console.Files(), Version: h.Version, Log: log, Loam: set.Loam, Proxies: proxies, Contact: set.Contact})
	if err != nil {
		return nil, errors.Join(err, listener.Close(), closeRecords())
	}
	running, stop := context.WithCancel(context.WithoutCancel(ctx))
	go svc.Follow(running, followEvery)
	go anchorHourly(running, records, set.anchors(), log)
	kept := make(chan struct{})
	go func() {
		svc.KeepSnapshots(running)
		close(kept)
	}()
	i := &instance{service: svc, address: address, ended: make(chan error, 1)}
	served := make(chan error, 1)
	go func() {
		err := server.Serve(running, listener, protection, handler)
		i.ended <- err
		served <- err
	}()
	i.end = func() error {
		stop()
		err := <-served
		svc.Wait()
		<-kept
		return errors.Join(err, closeRecords())
	}
	return i, nil
}

// followEvery is how often it is looked whether another instance changed something: one row is read.
const followEvery = 20 * time.Millisecond

// until ends with the signals that ask a program to end.
func until(ctx context.Context) (context.Context, context.CancelFunc) {
	return signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
}

func (h *Host) serveCommand() *cli.Command {
	set := &settings{}
	return &cli.Command{
		Name: "serve", Usage: "run the service, its API and its console",
		Flags: set.flags(true),
		Action: func(ctx context.Context, c *cli.Command) error {
			log, err := set.check(h.Err)
			if err != nil {
				return err
			}
			ctx, stop := until(ctx)
			defer stop()
			i, err := h.start(ctx, *set, log)
			if err != nil {
				return err
			}
			fmt.Fprintf(h.Out, "Arbora answers at %s\n", i.address)
			if empty, err := i.service.IsEmpty(context.WithoutCancel(ctx)); err != nil {
				return errors.Join(err, i.end())
			} else if empty {
				fmt.Fprintf(h.Out, "Nobody has set it up yet: %s\n", service.HowToSetUp)
			}
			select {
			case <-ctx.Done():
			case err := <-i.ended:
				return errors.Join(err, i.end())
			}
			return i.end()
		},
	}
}

func dataHome(name string) string { return filepath.Join(xdg.DataHome, "arbora", name) }
