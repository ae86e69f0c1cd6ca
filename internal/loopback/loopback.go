// Package loopback tells which names and addresses of hosts mean the machine a program runs on.
package loopback

import (
	"net"
	"net/netip"
	"strings"
)

// Names reports whether a host, with or without a port, is this machine by whatever resolver: a loopback address, localhost, or a
// name beneath it (RFC 6761, section 6.3).
func Names(host string) bool {
	host = bare(host)
	if ip, err := netip.ParseAddr(host); err == nil {
		return ip.Unmap().IsLoopback()
	}
	return host == "localhost" || strings.HasSuffix(host, ".localhost")
}

// Resists reports whether a request that names its host so was made for a page of this machine's, or at least not for one of
// somebody else's: by a loopback name, or by an address. A name of anybody's own may be made to mean this machine while a page of
// theirs is open (DNS rebinding), and the page then reads what only this machine should.
func Resists(host string) bool {
	_, err := netip.ParseAddr(bare(host))
	return err == nil || Names(host)
}

// bare takes the port, brackets and the dot at the end off a host.
func bare(host string) string {
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	host = strings.TrimSuffix(strings.TrimPrefix(host, "["), "]")
	return strings.ToLower(strings.TrimSuffix(host, "."))
}
