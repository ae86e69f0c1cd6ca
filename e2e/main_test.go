package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"arbora.example/e2e/testbed"
)

// program and demoProgram are the arbora and the arbora-demo that the tests run, built from what is here.
var program, demoProgram string

func TestMain(m *testing.M) {
	directory, err := os.MkdirTemp("", "arbora-e2e-")
	if err == nil {
		program, demoProgram = filepath.Join(directory, "arbora"), filepath.Join(directory, "arbora-demo")
		build := exec.Command("go", "build", "-o", directory+"/", "arbora.example/cmd/arbora", "arbora.example/cmd/arbora-demo")
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
