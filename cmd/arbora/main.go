// Command arbora is Arbora's service and its command line.
package main

import (
	"context"
	"os"

	"arbora.example/internal/cli"
	"arbora.example/internal/host"
)

// version is set at build time.
var version = "development"

func main() {
	streams := cli.OSStreams()
	h := &host.Host{Version: version, Out: streams.Out, Err: streams.Err}
	os.Exit(cli.Run(context.Background(), version, os.Args, streams, h.AuditCommand(), h.Commands()...))
}
