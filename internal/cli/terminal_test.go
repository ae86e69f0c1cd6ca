package cli

import (
	"bufio"
	"io"
	"os"
	"testing"

	"github.com/creack/pty"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// TestATerminalIsLeftAsItWas asks for a password at a terminal, and is answered, broken off and left without one: nothing that is typed is
// shown, and afterwards the terminal shows what is typed again.
func TestATerminalIsLeftAsItWas(t *testing.T) {
	for name, c := range map[string]struct{ typed, read, says string }{
		"answered":   {"otters under the footbridge\r", "otters under the footbridge", ""},
		"broken off": {"otters\x03", "", "nothing was entered"},
		"left":       {"\x04", "", "nothing was entered"},
	} {
		t.Run(name, func(t *testing.T) {
			user, program, err := pty.Open()
			require.NoError(t, err)
			defer user.Close()
			defer program.Close()
			shows := func() bool {
				state, err := unix.IoctlGetTermios(int(program.Fd()), unix.TCGETS)
				require.NoError(t, err)
				return state.Lflag&unix.ECHO != 0
			}
			require.True(t, shows())
			told, prompts := io.Pipe()
			go func() {
				prompt, _ := bufio.NewReader(told).ReadString(':')
				hidden := prompt != "" && !shows()
				go io.Copy(io.Discard, told)
				if !hidden {
					c.typed = "shown\r"
				}
				_, _ = user.WriteString(c.typed)
			}()
			a := &app{Streams: Streams{In: program, Out: os.Stdout, Err: prompts}}
			read, err := a.secret("", "Password")
			if c.says == "" {
				require.NoError(t, err)
			} else {
				require.ErrorContains(t, err, c.says)
			}
			require.Equal(t, c.read, read)
			require.True(t, shows())
		})
	}
}
