package process_test

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/process"
)

// manner is the variable that has this program behave as a child instead of testing.
const manner = "ARBORA_TEST_CHILD"

func TestMain(m *testing.M) {
	if how := os.Getenv(manner); how != "" {
		behave(how)
	}
	os.Exit(m.Run())
}

// behave says that it is ready and then waits to be asked to end: it ends well, ends badly, or does not listen.
func behave(how string) {
	asked := make(chan os.Signal, 1)
	signal.Notify(asked, syscall.SIGTERM)
	fmt.Println("ready")
	for range asked {
		switch how {
		case "polite":
			os.Exit(0)
		case "sulky":
			os.Exit(3)
		}
	}
}

// start starts a child and waits until it listens.
func start(t *testing.T, how string) *process.Process {
	output, tell, err := os.Pipe()
	require.NoError(t, err)
	defer output.Close()
	command := exec.Command(os.Args[0])
	command.Env, command.Stdout = append(os.Environ(), manner+"="+how), tell
	p, err := process.Start(command)
	require.NoError(t, err)
	require.NoError(t, tell.Close())
	word, err := bufio.NewReader(output).ReadString('\n')
	require.NoError(t, err)
	require.Equal(t, "ready\n", word)
	return p
}

// TestProcesses stops one that ends well when asked to, one that does not, and one that is killed.
func TestProcesses(t *testing.T) {
	polite := start(t, "polite")
	require.NoError(t, polite.Stop())
	<-polite.Done()
	require.NoError(t, polite.Stop(), "it has ended already")

	sulky := start(t, "sulky")
	require.ErrorContains(t, sulky.Stop(), "3")
	require.ErrorContains(t, sulky.Failure(), "3")

	deaf := start(t, "deaf")
	require.NoError(t, deaf.Kill())
	require.NoError(t, deaf.Kill(), "it is dead already")
	require.Error(t, deaf.Failure())

	_, err := process.Start(exec.Command("no-program-of-that-name"))
	require.ErrorIs(t, err, exec.ErrNotFound)
}
