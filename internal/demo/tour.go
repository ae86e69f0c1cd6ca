package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/standin/identity"
	"arbora.example/internal/standin/slapd"
)

// try is one command of the tour and what must come back.
type try struct {
	as     string // the saved sign-in it acts with; "" for none
	args   []string
	input  string   // lines for standard input, secrets among them
	status int      // the exit status expected
	says   []string // what the output must hold
	lacks  []string // what it must not hold
	// keep remembers, under a name, what the only group of a pattern finds in the output; later arguments and input take it
	// as {name}.
	keep    map[string]string
	letter  string // instead of a command: the newest letter to this address, as the mail sink shows it
	browse  string // instead of a command: where a browser goes that leads to an identity provider, there as the subject
	subject string
	visit   string // instead of a command: what somebody who is not signed in gets at this address
	later   int    // instead of a command: so many days pass
	leaves  string // instead of a command: who is taken out of the directory
	words   string // the expectation, for people
}

// step is a step of the story.
type step struct {
	number int
	title  string
	tries  []try
}

// exit statuses of the command line.
const (
	failed  = 1
	no      = 3
	revoked = 6
	foreign = 7
)

// Tour goes through the story by the command lines of two programs, against a service that holds what there is before the
// story. It keeps its saved sign-ins in the directory, tells each step, and returns an error at the first difference.
// Letters are read where letters says, the page of a mail sink; issuer is a stand-in identity provider, house the organisation's own directory; the
// clock is the service's.
func Tour(ctx context.Context, out io.Writer, programs map[string]string, address, letters, issuer string, house *slapd.Server, directory string, clock Clock) error {
	t := tourist{house: house, clock: clock, out: out, programs: programs, address: address, letters: letters, directory: directory, kept: map[string]string{}}
	for _, s := range story(address, issuer, house.Address) {
		fmt.Fprintf(out, "\n%d. %s\n", s.number, s.title)
		for _, each := range s.tries {
			if err := t.run(ctx, each); err != nil {
				return fmt.Errorf("step %d of the tour: %w", s.number, err)
			}
		}
	}
	return nil
}

type tourist struct {
	out                io.Writer
	programs           map[string]string // arbora and arbora-demo
	address            string
	letters, directory string
	clock              Clock
	kept               map[string]string
	house              *slapd.Server
}

// browsed returns who is signed in at an address after a browser went to an identity provider and chose a subject there, or why nobody is.
func browsed(ctx context.Context, address, at, subject string) (string, error) {
	browser, err := identity.NewBrowser()
	if err != nil {
		return "", err
	}
	back, err := identity.Visit(ctx, browser, at, subject)
	if err != nil {
		return "", err
	}
	if _, token, told := strings.Cut(back.Fragment, "told="); told {
		anybody, err := client.Open(address, "")
		if err != nil {
			return "", err
		}
		outcome, err := anybody.ReadSignInOutcome(ctx, api.OutcomeToken{Token: token})
		return outcome.Detail + "\n" + outcome.Next, err
	}
	answer, err := browser.Get(address + "/api/v1/session")
	if err != nil {
		return "", err
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	return string(text), err
}

// visited returns what somebody gets at an address without signing in.
func visited(ctx context.Context, address string) (status string, text []byte, err error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return "", nil, err
	}
	response, err := http.DefaultClient.Do(r)
	if err != nil {
		return "", nil, err
	}
	defer response.Body.Close()
	text, err = io.ReadAll(response.Body)
	return response.Status, text, err
}

// filled puts in what was kept.
func (t tourist) filled(text string) string {
	for name, kept := range t.kept {
		text = strings.ReplaceAll(text, "{"+name+"}", kept)
	}
	return text
}

// letterTo reads the newest letter to an address, as the page of a mail sink shows it.
func letterTo(ctx context.Context, page, to string) (string, error) {
	_, text, err := visited(ctx, page+"/letters")
	if err != nil {
		return "", err
	}
	var all []struct {
		To            []string
		Subject, Text string
	}
	if err := json.Unmarshal(text, &all); err != nil {
		return "", err
	}
	for _, l := range all {
		if slices.Contains(l.To, to) {
			return l.Subject + "\n\n" + strings.ReplaceAll(l.Text, "\r\n", "\n"), nil
		}
	}
	return "", fmt.Errorf("no letter has come to %s", to)
}

func (t tourist) run(ctx context.Context, each try) error {
	if each.letter != "" {
		text, err := letterTo(ctx, t.letters, each.letter)
		if err != nil {
			return err
		}
		fmt.Fprintf(t.out, "\n   the mail of %s\n", each.letter)
		return t.compare(each, "the letter", text, 0)
	}
	if each.later > 0 {
		t.clock(-each.later)
		fmt.Fprintf(t.out, "\n   %d days pass\n", each.later)
		return nil
	}
	if each.leaves != "" {
		fmt.Fprintf(t.out, "\n   %s leaves the directory\n", each.leaves)
		return t.house.Leave(each.leaves)
	}
	if each.browse != "" {
		came, err := browsed(ctx, t.address, t.filled(each.browse), each.subject)
		if err != nil {
			return err
		}
		fmt.Fprintf(t.out, "\n   a browser goes to the identity provider, as %s\n", each.subject)
		return t.compare(each, "the browser", came, 0)
	}
	if each.visit != "" {
		status, text, err := visited(ctx, each.visit)
		if err != nil {
			return err
		}
		fmt.Fprintf(t.out, "\n   somebody who is not signed in opens %s\n", each.visit)
		return t.compare(each, each.visit, status+"\n"+string(text), 0)
	}
	args := make([]string, len(each.args))
	for i, arg := range each.args {
		args[i] = t.filled(arg)
	}
	if each.as != "" {
		args = append([]string{"--with", each.as}, args...)
	}
	name := "arbora"
	if each.args[0] == "loam" {
		name = "arbora-demo"
	}
	command := exec.CommandContext(ctx, t.programs[name], args...)
	command.Env = append(os.Environ(), "XDG_CONFIG_HOME="+filepath.Join(t.directory, "config"))
	command.Stdin = strings.NewReader(t.filled(each.input))
	var came bytes.Buffer
	command.Stdout, command.Stderr = &came, &came
	err := command.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		return err
	}
	fmt.Fprintf(t.out, "\n   $ %s %s\n", name, shell(args))
	return t.compare(each, name+" "+shell(args), came.String(), command.ProcessState.ExitCode())
}

// compare tells what came back and holds it against what was expected.
func (t tourist) compare(each try, what, came string, status int) error {
	fmt.Fprintf(t.out, "     expected:  %s\n", each.words)
	for i, line := range strings.Split(strings.TrimRight(came, "\n"), "\n") {
		lead := "                "
		if i == 0 {
			lead = "     came back: "
		}
		fmt.Fprintln(t.out, lead+line)
	}
	if status != each.status {
		return fmt.Errorf("%s ended with status %d, expected %d", what, status, each.status)
	}
	for _, text := range each.says {
		if !strings.Contains(came, text) {
			return fmt.Errorf("%s does not say %q", what, text)
		}
	}
	for _, text := range each.lacks {
		if strings.Contains(came, text) {
			return fmt.Errorf("%s says %q, which must not be seen", what, text)
		}
	}
	for name, pattern := range each.keep {
		found := regexp.MustCompile(pattern).FindStringSubmatch(came)
		if found == nil {
			return fmt.Errorf("%s does not say the %s", what, name)
		}
		t.kept[name] = found[1]
	}
	return nil
}

// shell writes arguments as they would be typed.
func shell(args []string) string {
	typed := make([]string, len(args))
	for i, arg := range args {
		typed[i] = arg
		if strings.ContainsAny(arg, " ;&") {
			typed[i] = "'" + arg + "'"
		}
	}
	return strings.Join(typed, " ")
}
