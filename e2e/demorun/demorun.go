// Package demorun runs the built arbora-demo beside a program that looks at it.
package demorun

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
)

// Start starts the service on the demo data by arbora-demo, with its records in a directory and with options, such as --large, and waits
// until it says where the console is.
func Start(ctx context.Context, program, home string, options ...string) (address string, stop func(), err error) {
	arguments := append([]string{"start", "--data", filepath.Join(home, "records"), "--listen", "127.0.0.1:0"}, options...)
	command := exec.CommandContext(ctx, program, arguments...)
	command.Stderr = os.Stderr
	output, err := command.StdoutPipe()
	if err != nil {
		return "", nil, err
	}
	if err := command.Start(); err != nil {
		return "", nil, err
	}
	stop = func() {
		command.Process.Signal(syscall.SIGTERM)
		command.Wait()
	}
	lines := bufio.NewScanner(output)
	for lines.Scan() {
		if _, found, ok := strings.Cut(lines.Text(), "The console is at "); ok {
			go io.Copy(io.Discard, output)
			return strings.TrimSuffix(found, "/"), stop, nil
		}
	}
	stop()
	return "", nil, fmt.Errorf("arbora-demo did not start")
}
