// Command arbora-demo runs Arbora on made-up data, with stand-ins for what a platform has around it: a cloud and a mail server.
package main

import (
	"context"
	"os"

	"arbora.example/internal/cli"
	"arbora.example/internal/demo/command"
	"arbora.example/internal/host"
)

// version is set at build time.
var version = "development"

func main() {
	streams := cli.OSStreams()
	d := &command.Demo{Host: host.Host{Version: version, Out: streams.Out, Err: streams.Err}}
	os.Exit(cli.RunOther(context.Background(), "arbora-demo", "run Arbora on made-up data, with a stand-in cloud and mail server", version, os.Args, streams, d.Commands))
}
