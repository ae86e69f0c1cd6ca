package outside

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"syscall"
	"time"
)

// Bounds of what is fetched from a provider.
const (
	fetchFor  = 10 * time.Second
	mostBytes = 1 << 20
)

// Fetcher fetches from the hosts of providers, as far as that cannot be turned against the network that the service stands in.
type Fetcher struct {
	// Private says that providers may be at private network addresses. Loopback ones are allowed for a provider that is named by one.
	Private bool
}

// client returns a client that fetches from the hosts that a provider at an address names.
func (f Fetcher) client(issuer *url.URL) *http.Client {
	dialer := net.Dialer{Timeout: fetchFor, ControlContext: f.Control(issuer.Hostname())}
	return &http.Client{
		Timeout: fetchFor,
		Transport: bounded{&http.Transport{
			Proxy: nil, DialContext: dialer.DialContext, ForceAttemptHTTP2: true, MaxIdleConnsPerHost: 2, IdleConnTimeout: time.Minute, TLSHandshakeTimeout: fetchFor,
			MaxResponseHeaderBytes: 64 << 10,
		}},
		CheckRedirect: func(*http.Request, []*http.Request) error {
			return errors.New("it sends on to another address, which is not followed")
		},
	}
}

// allows reports whether a network address may be connected to. It is asked after the name was looked up, so that no name leads where it may not.
func (f Fetcher) allows(address string, loopback bool) error {
	at, err := netip.ParseAddrPort(address)
	if err != nil {
		return err
	}
	ip := at.Addr().Unmap()
	switch {
	case ip.IsLoopback() && loopback, ip.IsGlobalUnicast() && !ip.IsPrivate(), ip.IsPrivate() && f.Private:
		return nil
	}
	return fmt.Errorf("%s is an address within the own network; arbora serve --private-providers lets providers be there", ip)
}

// Control is what a dialer asks before it connects to a host for a provider: whether the address that was found may be spoken to.
func (f Fetcher) Control(host string) func(context.Context, string, string, syscall.RawConn) error {
	loopback := IsLoopback(host)
	return func(_ context.Context, _, address string, _ syscall.RawConn) error {
		return f.allows(address, loopback)
	}
}

// IsLoopback reports whether a host is this very machine.
func IsLoopback(host string) bool {
	ip, err := netip.ParseAddr(host)
	return host == "localhost" || err == nil && ip.IsLoopback()
}

// CheckAddress refuses an address of a provider that is not https; beyond TLS only this very machine is spoken to.
func CheckAddress(address string) (*url.URL, error) {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "" || u.User != nil:
		return nil, fmt.Errorf("%q is not an address, such as https://id.example.org", address)
	case u.Scheme == "https", u.Scheme == "http" && IsLoopback(u.Hostname()):
		return u, nil
	}
	return nil, fmt.Errorf("%q is not an https address", address)
}

// bounded fetches no more than so many bytes of each answer, and only from where it may.
type bounded struct{ http.RoundTripper }

func (b bounded) RoundTrip(r *http.Request) (*http.Response, error) {
	if _, err := CheckAddress(r.URL.Scheme + "://" + r.URL.Host); err != nil {
		return nil, err
	}
	answer, err := b.RoundTripper.RoundTrip(r)
	if err == nil {
		answer.Body = &limited{ReadCloser: answer.Body, left: mostBytes}
	}
	return answer, err
}

// limited fails where more is read than may be, rather than ending as if that were all.
type limited struct {
	io.ReadCloser
	left int
}

func (l *limited) Read(b []byte) (int, error) {
	if l.left <= 0 {
		return 0, fmt.Errorf("it answers with more than %d bytes", mostBytes)
	}
	n, err := l.ReadCloser.Read(b[:min(len(b), l.left)])
	l.left -= n
	return n, err
}
