// Package slapd runs a private directory server on loopback: the slapd of Debian's packages, with the directory of the Lindenmere Botanic Trust.
package slapd

import (
	"bytes"
	"cmp"
	"context"
	_ "embed"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"

	"arbora.example/internal/process"
)

// ErrMissing is what [Start] fails with where slapd is not installed.
var ErrMissing = errors.New("slapd is not installed: install Debian's slapd")

// How the directory is spoken to.
const (
	Suffix   = "dc=lindenmere,dc=example"
	People   = "ou=people," + Suffix
	Groups   = "ou=groups," + Suffix
	Reader   = "cn=reader," + Suffix // may read all
	keeper   = "cn=keeper," + Suffix // may do all
	Password = "reeds-under-slow-water"
)

// Lindenmere is the directory of the Lindenmere Botanic Trust, as LDIF.
//
//go:embed lindenmere.ldif
var Lindenmere []byte

// Server is a directory server that runs.
type Server struct {
	Address string
	child   *process.Process
	at      string // host and port
}

// Options are what a server is started with, beside its entries.
type Options struct {
	Certificate, Key string // files; empty for no TLS
	Listen           string // HOST:PORT; empty for a free port on loopback
}

const config = `include /etc/ldap/schema/core.schema
include /etc/ldap/schema/cosine.schema
include /etc/ldap/schema/inetorgperson.schema
include /etc/ldap/schema/nis.schema
modulepath /usr/lib/ldap
moduleload back_mdb
sizelimit unlimited
%s
database mdb
maxsize 2147483648
suffix "` + Suffix + `"
rootdn "` + keeper + `"
rootpw ` + Password + `
directory %s
index objectClass,entryUUID,uid eq
access to attrs=userPassword by anonymous auth by * none
access to * by dn.exact="` + Reader + `" read by * none
`

// program finds slapd, which stands where only root looks.
func program(name string) (string, error) {
	for _, place := range []string{name, "/usr/sbin/" + name} {
		if found, err := exec.LookPath(place); err == nil {
			return found, nil
		}
	}
	return "", ErrMissing
}

// Start starts a server with the entries of an LDIF file, in a directory that is new or holds what an earlier one left, and waits until it answers.
func Start(ctx context.Context, directory string, entries []byte, o Options) (*Server, error) {
	path, err := program("slapd")
	if err != nil {
		return nil, err
	}
	if err := prepare(ctx, directory, entries, o); err != nil {
		return nil, err
	}
	listener, err := net.Listen("tcp", cmp.Or(o.Listen, "127.0.0.1:0"))
	if err != nil {
		return nil, err
	}
	s := &Server{at: listener.Addr().String()}
	if err := listener.Close(); err != nil {
		return nil, err
	}
	s.Address = "ldap://" + s.at
	if o.Certificate != "" {
		s.Address = "ldaps://" + s.at
	}
	if s.child, err = process.Start(exec.Command(path, "-d", "0", "-f", filepath.Join(directory, "slapd.conf"), "-h", s.Address)); err != nil {
		return nil, err
	}
	if err := s.await(ctx); err != nil {
		return nil, errors.Join(err, s.Stop())
	}
	return s, nil
}

// prepare writes the configuration, and fills an empty directory.
func prepare(ctx context.Context, directory string, entries []byte, o Options) error {
	data, conf := filepath.Join(directory, "entries"), filepath.Join(directory, "slapd.conf")
	_, err := os.Stat(data)
	fresh := errors.Is(err, os.ErrNotExist)
	if err := os.MkdirAll(data, 0o700); err != nil {
		return err
	}
	tls := ""
	if o.Certificate != "" {
		tls = "TLSCertificateFile " + o.Certificate + "\nTLSCertificateKeyFile " + o.Key
	}
	if err := os.WriteFile(conf, fmt.Appendf(nil, config, tls, data), 0o600); err != nil || !fresh {
		return err
	}
	path, err := program("slapadd")
	if err != nil {
		return err
	}
	add := exec.CommandContext(ctx, path, "-q", "-f", conf)
	add.Stdin = bytes.NewReader(entries)
	if told, err := add.CombinedOutput(); err != nil {
		return errors.Join(fmt.Errorf("slapadd: %w: %s", err, strings.TrimSpace(string(told))), os.RemoveAll(data))
	}
	return nil
}

// await waits until the server takes connections.
func (s *Server) await(ctx context.Context) error {
	for {
		conn, err := net.DialTimeout("tcp", s.at, time.Second)
		if err == nil {
			return conn.Close()
		}
		select {
		case <-ctx.Done():
			return errors.Join(ctx.Err(), err)
		case <-s.child.Done():
			return fmt.Errorf("slapd ended at once: %w", s.child.Failure())
		case <-time.After(10 * time.Millisecond):
		}
	}
}

// Stop ends the server.
func (s *Server) Stop() error { return s.child.Stop() }

// Change makes changes to the directory as its keeper.
func (s *Server) Change(fn func(*ldap.Conn) error) error {
	conn, err := ldap.DialURL(s.Address)
	if err != nil {
		return err
	}
	defer conn.Close()
	if err := conn.Bind(keeper, Password); err != nil {
		return err
	}
	return fn(conn)
}

// Leave takes somebody out of the directory, and out of its groups, as a directory does that keeps its references whole.
func (s *Server) Leave(uid string) error {
	return s.Change(func(conn *ldap.Conn) error {
		name := "uid=" + uid + "," + People
		in, err := conn.Search(&ldap.SearchRequest{BaseDN: Groups, Scope: ldap.ScopeWholeSubtree, Filter: "(member=" + ldap.EscapeFilter(name) + ")", Attributes: []string{"cn"}})
		if err != nil {
			return err
		}
		for _, group := range in.Entries {
			change := ldap.NewModifyRequest(group.DN, nil)
			change.Delete("member", []string{name})
			if err := conn.Modify(change); err != nil {
				return err
			}
		}
		return conn.Del(ldap.NewDelRequest(name, nil))
	})
}
