// Package host has the commands that run on the host of the service and reach its records directly: init, serve, reset-steward and audit verify; and follow, which runs beside a platform service.
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

	"arbora.example/access/catalogue"
	"arbora.example/console"
	"arbora.example/internal/credential"
	"arbora.example/internal/outside"
	"arbora.example/internal/server"
	"arbora.example/internal/service"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/store/snapshots"
	"arbora.example/internal/tenant"
)

// Host runs the host's commands.
type Host struct {
	Version  string
	Out, Err io.Writer
	// Clock is asked for every moment that the service records. Nil is the machine's own, which no setting changes.
	Clock func() time.Time
}

// Commands are the host's commands.
func (h *Host) Commands() []*cli.Command {
	return []*cli.Command{h.initCommand(), h.serveCommand(), h.followCommand(), h.resetStewardCommand()}
}

// DefaultListen is where the service answers unless said otherwise.
const DefaultListen = "127.0.0.1:8420"

// Database is what a private server calls the database of records, and serviceAccount who uses it.
const (
	Database       = "arbora"
	serviceAccount = "arbora-service"
)

// StartLimit bounds how long a private server may take to start, on a slow machine that recovers from a crash.
const StartLimit = 2 * time.Minute

// chained opens the database as [Host.records] does, and chains the audit log in it by the key that the settings name.
func (h *Host) chained(ctx context.Context, set Settings, log *slog.Logger) (*store.Store, *credential.Sealer, func() error, error) {
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
func (h *Host) records(ctx context.Context, set Settings, log *slog.Logger) (*store.Store, func() error, error) {
	starting, cancel := context.WithTimeout(ctx, StartLimit)
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
	if err := private.Create(starting, Database); err != nil {
		return fail(err)
	}
	dsn, err := private.Account(starting, serviceAccount, Database)
	if err != nil {
		return fail(err)
	}
	if err := store.Confine(starting, private.DSN(Database), dsn); err != nil {
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

func (h *Host) clock() func() time.Time {
	if h.Clock == nil {
		return time.Now
	}
	return h.Clock
}

// Instance is a service that answers.
type Instance struct {
	Service *service.Service
	Address string
	End     func() error // stops answering and closes the records
	Ended   chan error   // what stopped it, when it stopped by itself
}

// Start opens the records and answers at the address set.
func (h *Host) Start(ctx context.Context, set Settings, log *slog.Logger) (*Instance, error) {
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
		Records: tenant.RecordsIn(records), Files: files, Catalogue: catalogue.Shipped(), Clock: h.clock(), Log: log, Sealer: sealer, Post: post, Address: strings.TrimSuffix(set.Address, "/"),
		Fetch: outside.Fetcher{Private: set.PrivateProviders},
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
	read := make(chan struct{})
	go func() {
		svc.Readings.Keep(running, directoriesEvery)
		close(read)
	}()
	i := &Instance{Service: svc, Address: address, Ended: make(chan error, 1)}
	served := make(chan error, 1)
	go func() {
		err := server.Serve(running, listener, protection, handler)
		i.Ended <- err
		served <- err
	}()
	i.End = func() error {
		stop()
		err := <-served
		svc.Wait()
		<-kept
		<-read
		return errors.Join(err, closeRecords())
	}
	return i, nil
}

// followEvery is how often it is looked whether another instance changed something: one row is read.
const followEvery = 20 * time.Millisecond

// directoriesEvery is how often it is looked whether a directory is to be read: by an index.
const directoriesEvery = 2 * time.Second

// Until ends with the signals that ask a program to end.
func Until(ctx context.Context) (context.Context, context.CancelFunc) {
	return signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
}

func (h *Host) serveCommand() *cli.Command {
	set := &Settings{}
	return &cli.Command{
		Name: "serve", Usage: "run the service, its API and its console",
		Flags: set.flags(true),
		Action: func(ctx context.Context, c *cli.Command) error {
			log, err := set.Check(h.Err)
			if err != nil {
				return err
			}
			ctx, stop := Until(ctx)
			defer stop()
			i, err := h.Start(ctx, *set, log)
			if err != nil {
				return err
			}
			fmt.Fprintf(h.Out, "Arbora answers at %s\n", i.Address)
			if empty, err := i.Service.IsEmpty(context.WithoutCancel(ctx)); err != nil {
				return errors.Join(err, i.End())
			} else if empty {
				fmt.Fprintf(h.Out, "Nobody has set it up yet: %s\n", signin.HowToSetUp)
			}
			select {
			case <-ctx.Done():
			case err := <-i.Ended:
				return errors.Join(err, i.End())
			}
			return i.End()
		},
	}
}

// DataHome returns the directory in which the user's data of a name is kept.
func DataHome(name string) string { return filepath.Join(xdg.DataHome, "arbora", name) }
