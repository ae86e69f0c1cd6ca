package host

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/authzen"
	"arbora.example/client"
	"arbora.example/follower"
)

// following is what a follower is started with.
type following struct {
	server, key, secretFrom, socket, listen, data, log, authority string
	lease                                                         time.Duration
}

// DefaultFollowerListen is where a follower answers unless said otherwise.
const DefaultFollowerListen = "127.0.0.1:8431"

func (h *Host) followCommand() *cli.Command {
	f := &following{}
	return &cli.Command{
		Name: "follow", Usage: "decide beside a platform service what Arbora decides", ArgsUsage: "ORGANISATION…",
		Description: "It answers the AuthZEN API on a socket or on loopback, without a sign-in: every program that can reach it gets the answers\n" +
			"that Arbora gives the platform service. Create its key with arbora key create --service NAME --follows, and give it as\nARBORA_KEY and ARBORA_SECRET.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "server", Usage: "`ADDRESS` of the service", Value: "http://" + DefaultListen, Sources: cli.EnvVars("ARBORA_SERVER"), Destination: &f.server},
			&cli.StringFlag{Name: "authority", Usage: "`FILE` with the certificates that vouch for the service, if a private authority does", TakesFile: true, Sources: cli.EnvVars("ARBORA_AUTHORITY"), Destination: &f.authority},
			&cli.StringFlag{Name: "key", Usage: "`ID` of the key", Sources: cli.EnvVars("ARBORA_KEY"), Destination: &f.key},
			&cli.StringFlag{Name: "secret-from", Usage: "`FILE` with the key's secret; the environment variable ARBORA_SECRET takes its place", TakesFile: true, Destination: &f.secretFrom},
			&cli.StringFlag{Name: "socket", Usage: "`FILE` of a Unix socket to answer on, for the account and group of the follower", TakesFile: true, Destination: &f.socket},
			&cli.StringFlag{Name: "listen", Usage: "`HOST:PORT` on this machine to answer at, without --socket", Value: DefaultFollowerListen, Destination: &f.listen},
			&cli.StringFlag{Name: "data", Usage: "`DIRECTORY` that keeps what was learnt, for a quick start", Value: DataHome("follower"), Destination: &f.data},
			&cli.DurationFlag{Name: "lease", Usage: "for this `TIME` it answers after Arbora last answered it; 5s unless you say otherwise", Value: follower.DefaultLease, Destination: &f.lease},
			&cli.StringFlag{Name: "log", Usage: "least `LEVEL` that is logged: debug, info, warn or error", Value: "info", Sources: cli.EnvVars("ARBORA_LOG"), Destination: &f.log},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			ctx, stop := Until(ctx)
			defer stop()
			return h.follow(ctx, f, c.Args().Slice(), c.IsSet("listen"))
		},
	}
}

// follow answers until the context ends.
func (h *Host) follow(ctx context.Context, f *following, organisations []string, listens bool) (err error) {
	key, err := f.credential()
	switch {
	case err != nil:
		return err
	case len(organisations) == 0:
		return errors.New("name the organisations to follow, such as: arbora follow lindenmere")
	case f.socket != "" && listens:
		return errors.New("--socket and --listen both say where to answer: give one of them")
	}
	log, err := (&Settings{Log: f.log}).logger(h.Err)
	if err != nil {
		return err
	}
	transport, err := f.transport()
	if err != nil {
		return err
	}
	listener, address, err := f.listener()
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, ignoring(listener.Close(), net.ErrClosed)) }()
	follows, err := follower.Open(ctx, follower.Options{
		Service: f.server, Key: key, Organisations: organisations, Directory: f.data, Lease: f.lease, Log: log, Transport: transport, Clock: h.clock(),
	})
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, follows.Close()) }()
	server := &http.Server{Handler: follows.Handler(address), ReadHeaderTimeout: 10 * time.Second, ReadTimeout: time.Minute, IdleTimeout: 2 * time.Minute}
	ended := make(chan error, 1)
	go func() { ended <- server.Serve(listener) }()
	for _, one := range follows.Standings() {
		fmt.Fprintf(h.Out, "Following %s at revision %d\n", one.Organisation, one.Revision)
	}
	fmt.Fprintf(h.Out, "The follower answers at %s\n", cmp.Or(f.socket, address))
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	return server.Shutdown(ending)
}

func ignoring(err, known error) error {
	if errors.Is(err, known) {
		return nil
	}
	return err
}

// credential returns the key to follow by.
func (f *following) credential() (authzen.Key, error) {
	secret := os.Getenv("ARBORA_SECRET")
	if f.secretFrom != "" {
		text, err := os.ReadFile(f.secretFrom)
		if err != nil {
			return authzen.Key{}, err
		}
		secret = strings.TrimSpace(string(text))
	}
	if f.key == "" || secret == "" {
		return authzen.Key{}, errors.New("the key is missing: a keeper creates one with arbora key create --service NAME --follows; give it as ARBORA_KEY and ARBORA_SECRET, or with --key and --secret-from")
	}
	return authzen.Key{ID: f.key, Secret: secret}, nil
}

// transport trusts the private authority that was named, if one was.
func (f *following) transport() (http.RoundTripper, error) {
	if f.authority == "" {
		return nil, nil
	}
	config, err := client.Authority(f.authority)
	if err != nil {
		return nil, err
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.TLSClientConfig = config
	return transport, nil
}

// listener listens where the follower answers: on a socket for its account and group, or on this machine alone, since nobody signs in
// there.
func (f *following) listener() (listener net.Listener, address string, err error) {
	if f.socket == "" {
		listener, err = net.Listen("tcp", f.listen)
		if err != nil {
			return nil, "", fmt.Errorf("%w: choose another address with --listen", err)
		}
		if !listener.Addr().(*net.TCPAddr).IP.IsLoopback() {
			return nil, "", errors.Join(fmt.Errorf("the follower would answer at %s, beyond this machine, where nobody signs in: give an address such as %s", listener.Addr(), DefaultFollowerListen), listener.Close())
		}
		return listener, "http://" + listener.Addr().String(), nil
	}
	// A socket that nobody answers on was left by a follower that did not end by itself.
	if left, err := os.Lstat(f.socket); err == nil && left.Mode().Type() == fs.ModeSocket {
		if other, err := net.Dial("unix", f.socket); err == nil {
			return nil, "", errors.Join(fmt.Errorf("another program answers on %s already", f.socket), other.Close())
		}
		if err := os.Remove(f.socket); err != nil {
			return nil, "", err
		}
	}
	if err := os.MkdirAll(filepath.Dir(f.socket), 0o750); err != nil {
		return nil, "", err
	}
	listener, err = net.Listen("unix", f.socket)
	if err != nil {
		return nil, "", fmt.Errorf("%w: choose another place with --socket", err)
	}
	if err := os.Chmod(f.socket, 0o660); err != nil {
		return nil, "", errors.Join(err, listener.Close())
	}
	return listener, "http://localhost", nil
}
