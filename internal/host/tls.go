package host

import (
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"os"
	"strings"
	"sync"
	"time"
)

// certificate is a pair of files, read again when they have changed: whoever renews it need not restart the service.
type certificate struct {
	file, key string
	mu        sync.Mutex
	looked    time.Time // when the files were looked at last
	changed   time.Time // the newer of their modification times
	loaded    *tls.Certificate
}

// lookEvery is how often the files are looked at, at the most.
const lookEvery = time.Second

// tls returns how connections are protected; nil when no certificate is set. The error says which file does not do.
func (s *Settings) tls() (*tls.Config, error) {
	if s.TLSCertificate == "" && s.TLSKey == "" {
		return nil, nil
	}
	if s.TLSCertificate == "" || s.TLSKey == "" {
		return nil, errors.New("a certificate and its key go together: give both --tls-certificate and --tls-key")
	}
	c := &certificate{file: s.TLSCertificate, key: s.TLSKey}
	if _, err := c.get(time.Now()); err != nil {
		return nil, err
	}
	return &tls.Config{
		MinVersion: tls.VersionTLS12, NextProtos: []string{"h2", "http/1.1"},
		GetCertificate: func(*tls.ClientHelloInfo) (*tls.Certificate, error) { return c.get(time.Now()) },
	}, nil
}

// get returns the certificate as the files have it. Files that cannot be read, such as one that is being replaced, leave the one
// before in use.
func (c *certificate) get(now time.Time) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.loaded != nil && now.Sub(c.looked) < lookEvery {
		return c.loaded, nil
	}
	c.looked = now
	changed, err := newest(c.file, c.key)
	if err == nil && c.loaded != nil && changed.Equal(c.changed) {
		return c.loaded, nil
	}
	var loaded tls.Certificate
	if err == nil {
		loaded, err = tls.LoadX509KeyPair(c.file, c.key)
	}
	switch {
	case err == nil:
		c.loaded, c.changed = &loaded, changed
	case c.loaded == nil:
		return nil, fmt.Errorf("the TLS certificate cannot be used: %w", err)
	}
	return c.loaded, nil
}

func newest(files ...string) (at time.Time, err error) {
	for _, name := range files {
		info, err := os.Stat(name)
		if err != nil {
			return at, err
		}
		if info.ModTime().After(at) {
			at = info.ModTime()
		}
	}
	return at, nil
}

// proxies returns the networks whose word is taken for where a request came from.
func (s *Settings) proxies() (list []string, err error) {
	for _, text := range strings.FieldsFunc(s.TrustedProxies, func(r rune) bool { return r == ',' || r == ' ' }) {
		if _, err := netip.ParsePrefix(text); err != nil {
			if _, err := netip.ParseAddr(text); err != nil {
				return nil, fmt.Errorf("--trusted-proxies: %q is neither a network address nor a network: write 10.0.0.7 or 10.0.0.0/24", text)
			}
		}
		list = append(list, text)
	}
	return list, nil
}

// protected refuses to answer beyond this machine in the clear: passwords, sessions and keys would be read on the way.
func protected(at net.Addr, config *tls.Config, proxies []string) error {
	tcp, ok := at.(*net.TCPAddr)
	if !ok || tcp.IP.IsLoopback() || config != nil || len(proxies) > 0 {
		return nil
	}
	return fmt.Errorf("the service would answer at %s, beyond this machine, without TLS: give --tls-certificate and --tls-key; or, behind a proxy that takes TLS, its address as --trusted-proxies", at)
}
