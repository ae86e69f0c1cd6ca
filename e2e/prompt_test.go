package e2e

import (
	"bytes"
	"context"
	"io"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/creack/pty"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// screen is a terminal that a program believes somebody sits at.
type screen struct {
	t    *testing.T
	keys io.Writer
	mu   sync.Mutex
	text bytes.Buffer
}

func (s *screen) read(from io.Reader) {
	buffer := make([]byte, 4096)
	for {
		n, err := from.Read(buffer)
		s.mu.Lock()
		s.text.Write(buffer[:n])
		s.mu.Unlock()
		if err != nil {
			return // the program has ended
		}
	}
}

func (s *screen) shown() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.text.String()
}

// answer waits for a prompt and types a line.
func (s *screen) answer(prompt, line string) {
	s.t.Helper()
	require.Eventually(s.t, func() bool { return bytes.Contains([]byte(s.shown()), []byte(prompt)) }, time.Minute, 10*time.Millisecond, s.shown)
	_, err := io.WriteString(s.keys, line+"\r")
	require.NoError(s.t, err)
}

// answer is what somebody types at a prompt.
type answer struct{ prompt, line string }

// atATerminal runs a command as somebody who sits at a terminal.
func (c terminal) atATerminal(answers []answer, args ...string) (status int, shown string) {
	c.t.Helper()
	command := c.command(c.t.Context(), args...)
	terminal, err := pty.Start(command)
	require.NoError(c.t, err)
	defer terminal.Close()
	s := &screen{t: c.t, keys: terminal}
	read := make(chan struct{})
	go func() {
		defer close(read)
		s.read(terminal)
	}()
	for _, a := range answers {
		s.answer(a.prompt, a.line)
	}
	command.Wait() // its status is looked at by the caller
	<-read
	return command.ProcessState.ExitCode(), s.shown()
}

// TestPromptsAtATerminal signs somebody in who types: the password is asked for unseen, and a temporary one has to be
// replaced at once, typed twice.
func TestPromptsAtATerminal(t *testing.T) {
	b := testbed.StartDemo(t)
	const first, own = "left-on-the-potting-bench", "nine-quiet-greenhouse-mice"
	temporary, password := true, first
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateUser(t.Context(), "lindenmere", api.UserNew{Name: "bram", Password: password, Temporary: &temporary})))
	c := newTerminal(t)
	status, shown := c.atATerminal([]answer{{"Password of bram@lindenmere:", "a wrong guess at it"}}, "sign-in", "bram@lindenmere", "--server", b.Address)
	require.Equal(t, 1, status)
	require.Contains(t, shown, "the name or the password is wrong")

	status, shown = c.atATerminal([]answer{
		{"Password of bram@lindenmere:", first}, {"New password:", own}, {"New password once more:", "nine-quiet-greenhouse-moles"},
	}, "sign-in", "bram@lindenmere", "--server", b.Address)
	require.Equal(t, 1, status)
	require.Contains(t, shown, "the two new passwords differ: nothing was changed")

	status, shown = c.atATerminal([]answer{{"Current password of bram@lindenmere:", first}, {"New password:", own}, {"New password once more:", own}}, "password")
	require.Zero(t, status, shown)
	require.Contains(t, shown, "Your password is changed.")
	for _, secret := range []string{first, own} {
		require.NotContains(t, shown, secret, "what is typed is not shown")
	}
	_, err := demo.SignIn(t.Context(), b.Address, "bram@lindenmere", own)
	require.NoError(t, err)
}

// TestCreatingIsAskedFor makes a user at a terminal that asks for everything, and confirms what they will be able to do.
func TestCreatingIsAskedFor(t *testing.T) {
	b := testbed.StartDemo(t)
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	everything := []answer{
		{"Name, to sign in by:", "Linnea"}, {"is not a valid name", "linnea"}, {"Display name:", "Linnea Berg"}, {"Email:", ""},
		{"Signs in by (password, key, both, provider) [password]:", "bth"}, {"did you mean both?", "both"}, {"First password (generated, link) [generated]:", ""},
		{"What the API key is for [first key]:", "laptop"}, {"Groups, apart by spaces:", "seed-curators"},
		{"A grant, as ROLE at ADDRESS; an empty line ends the list:", "observer in " + alpine}, {"is not a valid grant", "observer at " + alpine}, {"an empty line ends the list: ", ""},
	}
	status, shown := c.atATerminal(append(everything, answer{"Create linnea? (yes, no) [no]:", "no"}), "user", "create")
	require.Zero(t, status, shown)
	require.Contains(t, shown, "1 person would gain access")
	require.Contains(t, shown, "Nobody was created")
	status, shown = c.atATerminal(append(everything, answer{"Create linnea? (yes, no) [no]:", "yes"}), "user", "create")
	require.Zero(t, status, shown)
	require.Contains(t, shown, "Created user linnea, who signs in as linnea@lindenmere")
	require.Contains(t, shown, "Secret, shown this once")
	require.Contains(t, c.must("user show linnea"), "seed-curators")
}

// TestTablesFitTheTerminal shows a wide table at a narrow terminal: no line is longer than it, and nothing is lost.
func TestTablesFitTheTerminal(t *testing.T) {
	b := testbed.StartDemo(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	c := newTerminal(t)
	c.signIn("rowan@lindenmere", b.Address)
	const width = 90
	command := c.command(t.Context(), "user", "show", "ines")
	terminal, err := pty.StartWithSize(command, &pty.Winsize{Rows: 40, Cols: width})
	require.NoError(t, err)
	defer terminal.Close()
	s := &screen{t: t, keys: terminal}
	s.read(terminal)
	require.NoError(t, command.Wait())
	wide := c.must("user show ines") // to a file nothing is cut
	for line := range strings.Lines(strings.ReplaceAll(s.shown(), "\r\n", "\n")) {
		require.LessOrEqual(t, utf8.RuneCountInString(strings.TrimSuffix(line, "\n")), width, line)
	}
	bare := func(text string) int {
		return len(strings.Join(strings.Fields(strings.ReplaceAll(text, "─", "")), ""))
	}
	require.Equal(t, bare(wide), bare(s.shown()), "every letter is there")
}

// TestKilledService kills a service with its database in the middle of writes and starts both again: every write that
// was acknowledged is there, and nothing is half there.
func TestKilledService(t *testing.T) {
	c := newTerminal(t)
	records := c.home + "/records"
	status, out, errs := c.run(demo.Passphrase+"\n"+demo.Passphrase+"\n", "init", "--data", records, "--keeper", "warden", "--password-from", "-",
		"--organisation", "lindenmere", "--steward", "rowan", "--steward-password-from", "-")
	require.Zero(t, status, out+errs)

	service := c.command(context.Background(), "serve", "--data", records, "--listen", "127.0.0.1:0", "--log", "error")
	address := startServing(t, service)
	rowan, err := demo.SignIn(t.Context(), address, "rowan@lindenmere", demo.Passphrase)
	require.NoError(t, err)
	var acknowledged []string
	for n := 0; ; n++ {
		name := "folder-" + string(rune('a'+n%26)) + "-" + string(rune('a'+n/26))
		if n == 30 {
			go service.Process.Signal(syscall.SIGKILL)
		}
		if err := client.Done(rowan.CreateScope(t.Context(), "lindenmere", api.ScopeNew{Kind: "folder", Name: name})); err != nil {
			break
		}
		acknowledged = append(acknowledged, name)
		require.Less(t, n, 600, "the service goes on though it was killed")
	}
	service.Wait() // killed: its status says so
	require.GreaterOrEqual(t, len(acknowledged), 30)

	again := c.command(context.Background(), "serve", "--data", records, "--listen", "127.0.0.1:0", "--log", "error")
	address = startServing(t, again)
	rowan, err = demo.SignIn(t.Context(), address, "rowan@lindenmere", demo.Passphrase)
	require.NoError(t, err)
	tree, err := rowan.ShowTree(t.Context(), "lindenmere", nil)
	require.NoError(t, err)
	there := map[string]bool{}
	for _, n := range tree.Scopes {
		there[n.Name] = true
	}
	for _, name := range acknowledged {
		require.True(t, there[name], "%s was acknowledged and is lost", name)
	}
	require.LessOrEqual(t, len(there), len(acknowledged)+2, "at most the one in flight is there besides")
	require.EqualValues(t, len(there), tree.Revision, "the organisation, and each folder, raised the revision by one")
	require.NoError(t, again.Process.Signal(syscall.SIGTERM))
	require.NoError(t, again.Wait())
}
