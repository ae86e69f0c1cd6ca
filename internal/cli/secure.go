package cli

import (
	"fmt"
	"net"
	"net/http"
	"net/url"

	"arbora.example/client"
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
	config, err := client.Authority(file)
	if err != nil {
		return err
	}
	http.DefaultTransport.(*http.Transport).TLSClientConfig = config
	return nil
}
