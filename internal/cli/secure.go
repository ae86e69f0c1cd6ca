package cli

import (
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"os"

	"arbora.example/internal/loopback"
)

// checkServer refuses an address to which passwords, sessions and keys would go in the clear.
func checkServer(server string, insecure bool) error {
	address, err := url.Parse(server)
	if err != nil || address.Scheme != "http" || insecure {
		return nil // what is no address is told where it is opened
	}
	host := address.Hostname()
	if loopback.Names(host) {
		return nil
	}
	return fmt.Errorf("%s is not this machine, and http sends your password in the clear: use https://%s, or say --insecure", server, net.JoinHostPort(host, portOr(address, "443")))
}

func portOr(address *url.URL, usual string) string {
	if port := address.Port(); port != "" {
		return port
	}
	return usual
}

// trust has certificates of a private authority taken beside those that the machine takes.
func trust(file string) error {
	if file == "" {
		return nil
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return fmt.Errorf("the certificate authority cannot be read: %w", err)
	}
	roots, err := x509.SystemCertPool()
	if err != nil {
		roots = x509.NewCertPool()
	}
	if !roots.AppendCertsFromPEM(text) {
		return fmt.Errorf("%s holds no certificate in PEM form", file)
	}
	http.DefaultTransport.(*http.Transport).TLSClientConfig = &tls.Config{RootCAs: roots, MinVersion: tls.VersionTLS12}
	return nil
}
