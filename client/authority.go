package client

import (
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"os"
)

// Authority returns a configuration that takes certificates of a private authority, whose own are in a file in PEM, beside those that the
// machine takes.
func Authority(file string) (*tls.Config, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("the certificate authority cannot be read: %w", err)
	}
	roots, err := x509.SystemCertPool()
	if err != nil {
		roots = x509.NewCertPool()
	}
	if !roots.AppendCertsFromPEM(text) {
		return nil, fmt.Errorf("%s holds no certificate in PEM form", file)
	}
	return &tls.Config{RootCAs: roots, MinVersion: tls.VersionTLS12}, nil
}
