package directory

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"

	"arbora.example/internal/outside"
)

// Bounds of what is asked of a directory.
const (
	answerWithin = 30 * time.Second
	pageSize     = 1000
	mostEntries  = 1_000_000
)

// server is a directory that is spoken to.
type server struct{ conn *ldap.Conn }

// Connect speaks to a directory as its settings say, with the password of who reads it. The result is to be closed. The errors are worded for who
// administers it.
func Connect(ctx context.Context, s Settings, password string, fetch outside.Fetcher) (Source, func() error, error) {
	u, err := s.url()
	if err != nil {
		return nil, nil, err
	}
	secure := &tls.Config{ServerName: u.Hostname(), MinVersion: tls.VersionTLS12}
	if s.Authorities != "" {
		secure.RootCAs = x509.NewCertPool()
		secure.RootCAs.AppendCertsFromPEM([]byte(s.Authorities))
	}
	dialer := &net.Dialer{Timeout: answerWithin, ControlContext: fetch.Control(u.Hostname())}
	conn, err := ldap.DialURL(s.Address, ldap.DialWithDialer(dialer), ldap.DialWithTLSConfig(secure))
	if err != nil {
		return nil, nil, fmt.Errorf("%s does not answer: %w", s.Address, plainly(err))
	}
	stop := context.AfterFunc(ctx, func() { conn.Close() })
	end := func() error {
		stop()
		return conn.Close()
	}
	conn.SetTimeout(answerWithin)
	if u.Scheme == "ldap" && !outside.IsLoopback(u.Hostname()) { // beyond this machine nothing is said in the clear
		if err := conn.StartTLS(secure); err != nil {
			return nil, nil, errors.Join(fmt.Errorf("%s does not change to TLS: %w", s.Address, plainly(err)), end())
		}
	}
	if s.BindName != "" {
		if err := conn.Bind(s.BindName, password); err != nil {
			if ldap.IsErrorAnyOf(err, ldap.LDAPResultInvalidCredentials, ldap.ErrorEmptyPassword) {
				err = fmt.Errorf("the directory does not know %s, or not by this password", s.BindName)
			}
			return nil, nil, errors.Join(plainly(err), end())
		}
	}
	return server{conn}, end, nil
}

// plainly takes the codes out of what the library says.
func plainly(err error) error {
	var told *ldap.Error
	if !errors.As(err, &told) {
		return err
	}
	if told.ResultCode == ldap.LDAPResultNoSuchObject {
		return fmt.Errorf("there is no entry there")
	}
	if told.Err != nil && told.Err.Error() != "" {
		return told.Err
	}
	return errors.New(strings.ToLower(ldap.LDAPResultCodeMap[told.ResultCode]))
}

func (server) Live() bool { return true }

// Each reads by pages (RFC 2696). Directories that an answer refers to are not followed: who administers this one has not named them.
func (s server) Each(ctx context.Context, search Search, attributes []string, fn func(Entry) error) error {
	pages := ldap.NewControlPaging(pageSize)
	seen := 0
	for {
		answer, err := s.conn.Search(&ldap.SearchRequest{
			BaseDN: search.Base, Scope: ldap.ScopeWholeSubtree, DerefAliases: ldap.NeverDerefAliases, Filter: search.Filter, Attributes: attributes, Controls: []ldap.Control{pages},
		})
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			return fmt.Errorf("reading the entries under %s: %w", search.Base, plainly(err))
		}
		for _, one := range answer.Entries {
			e := Entry{Name: compared(one.DN), values: make(map[string][]string, len(one.Attributes))}
			for _, a := range one.Attributes {
				e.values[strings.ToLower(a.Name)] = a.Values
			}
			if err := fn(e); err != nil {
				return err
			}
		}
		if seen += len(answer.Entries); seen > mostEntries {
			return fmt.Errorf("there are more than %d entries under %s", mostEntries, search.Base)
		}
		next, ok := ldap.FindControl(answer.Controls, ldap.ControlTypePaging).(*ldap.ControlPaging)
		if !ok || len(next.Cookie) == 0 {
			return nil
		}
		pages.SetCookie(next.Cookie)
	}
}
