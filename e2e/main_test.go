package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"arbora.example/e2e/testbed"
)

// program is the arbora that the tests run, built from what is here.
var program string

func TestMain(m *testing.M) {
	directory, err := os.MkdirTemp("", "arbora-e2e-")
	if err == nil {
		program = filepath.Join(directory, "arbora")
		build := exec.Command("go", "build", "-o", program, "arbora.example/cmd/arbora")
		build.Stdout, build.Stderr = os.Stdout, os.Stderr
		err = build.Run()
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "arbora cannot be built:", err)
		os.Exit(1)
	}
	status := testbed.Run(m)
	os.RemoveAll(directory)
	os.Exit(status)
}
