// Command shots takes the pictures in docs/screenshots: pages of the console in headless Chromium, and the command line
// in a terminal window under Xvfb. It starts the demo on a database of its own.
package main

import (
	"bufio"
	"context"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"arbora.example/e2e/browser"
	"arbora.example/e2e/demorun"
	"arbora.example/internal/demo"
)

const width, height = 1280, 800

func main() {
	program := flag.String("program", "build/arbora", "the built arbora")
	out := flag.String("out", "docs/screenshots", "where the pictures go")
	only := flag.String("only", "", "take only pictures whose name holds this text")
	flag.Parse()
	if err := run(context.Background(), *program, *out, *only); err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, program, out, only string) error {
	program, err := filepath.Abs(program)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	home, err := os.MkdirTemp("", "arbora-shots-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(home)
	address, stop, err := demorun.Start(ctx, program+"-demo", home)
	if err != nil {
		return err
	}
	defer stop()
	wanted := func(name string) bool { return strings.Contains(name, only) }
	if err := pages(ctx, address, out, wanted); err != nil {
		return err
	}
	return terminals(ctx, program, address, home, out, wanted)
}

// picture is a page of the console to take.
type picture struct {
	name, page string
	wait       string // what must be seen first
	before     []browser.Step
	dark       bool
}

const (
	palm       = "/tree/lindenmere/gardens/glasshouses/palm-house"
	digitising = "lindenmere/science/herbarium/digitising"
)

var signedIn = []picture{
	{name: "home", page: "/", wait: `[data-test=recent]`},
	{name: "tree", page: palm, wait: `[data-test=access]`},
	{name: "grant", page: "/tree/lindenmere/gardens/glasshouses", wait: `[data-test=access]`, before: []browser.Step{
		browser.Press("Grant a role"),
		browser.Type(`input[name=who]`, "network-team"),
		browser.Type(`input[name=role]`, "networking-operator"),
		browser.Visible(`[data-test=review]`),
	}},
	{name: "new-person", page: "/people/new", wait: `[data-test=account]`, before: newcomer("linnea", "Linnea Strand")},
	{name: "person", page: "/people/linnea", wait: `[data-test=keys]`},
	{name: "provider-dark", dark: true, page: "/providers/quaywater-sso", wait: `[data-test=arrivals]`},
	{name: "directory", page: "/providers/lindenmere-house", wait: `[data-test=readings]`, before: []browser.Step{
		browser.Script(`document.querySelector("[data-test=directory]").scrollIntoView()`), browser.Click(`[data-test=readings] tbody tr:nth-child(2) button`), browser.Visible(`[data-test=reading-steps]`),
	}},
	{name: "outside-groups", page: "/outside-groups", wait: `[data-test=outside-groups]`},
	{name: "people", page: "/people", wait: `[data-test=people]`, before: []browser.Step{
		browser.Click(`[data-test=people] tbody tr:nth-child(2) input`), browser.WithShift(browser.Down), browser.WithShift(browser.Down),
	}},
	{name: "matrix", page: "/tree/" + digitising + "?view=matrix", wait: `[data-test=matrix]`, before: []browser.Step{
		browser.Click(`[data-test=matrix] button[aria-label^="piotr, lab"]`), browser.Visible(`[data-test=cell]`),
	}},
	{name: "loam", page: "/loam/" + digitising, wait: `[data-resource]`, before: []browser.Step{
		browser.Click(`[data-act="enter machine"]`), browser.Visible(`[data-test=reason]`),
		browser.Click(`[data-act="list object"]`), browser.Visible(`[data-test=objects]`),
	}},
	{name: "roles", page: "/roles", wait: `[data-test=roles]`, before: []browser.Step{
		browser.Type(`input[name=wanted]`, "fetch object"), browser.Keys(`input[name=wanted]`, browser.Enter),
		browser.Visible(`[data-test=ranking]`),
		browser.Type(`input[name=wanted]`, "put object"), browser.Keys(`input[name=wanted]`, browser.Enter),
		browser.See(`[data-test=ranking]`, "content-writer"), browser.See(`[data-test=ranking]`, "content-keeper"),
	}},
	{name: "policies", page: "/policies", wait: `[data-test=statements-found]`},
	{name: "policy", page: "/policies/new?at=lindenmere/science/seedbank", wait: `.cm-content`, before: []browser.Step{
		browser.Press("Nobody destroys anything but a few"),
		browser.Type(`[data-test=patterns] form label:nth-of-type(1) input`, "vault-keepers"),
		browser.Press("Put it into the text"),
		browser.Visible(`[data-test=reads-well]`),
		browser.Type(`input[name=policy-name]`, "seedbank-care"),
		browser.Click(`[data-test=review]`),
		browser.Visible(`[data-test=impact]`),
	}},
	{name: "check-yes", page: "/check?user=bram&may=edit+bucket&at=lindenmere/gardens/glasshouses/alpine-house/sensor-log.bucket", wait: `[data-test=way]`},
	{name: "check-no-dark", page: "/check?user=piotr&may=erase+object&at=lindenmere/science/herbarium/digitising/scans.bucket", wait: `[data-test=way]`, dark: true},
}

// newcomer fills the page for a new person.
func newcomer(name, title string) []browser.Step {
	return []browser.Step{
		browser.Type(`input[name=user-name]`, name),
		browser.Type(`input[name=user-title]`, title),
		browser.Type(`input[name=user-email]`, name+"@lindenmere.example"),
		browser.Type(`input[name=user-tags]`, "team=seeds"),
		browser.Click(`input[name=by][value=both]`),
		browser.Type(`input[name=key-label]`, "laptop"),
		browser.Type(`input[name=like]`, "ines"),
		browser.See(`[data-test=lines]`, "as ines has it"),
		browser.Visible(`[data-test=impact]`),
	}
}

func pages(ctx context.Context, address, out string, wanted func(string) bool) error {
	b, err := browser.Start(ctx, address, width, height)
	if err != nil {
		return err
	}
	defer b.Close()
	take := func(p picture) error {
		if !wanted(p.name) {
			return nil
		}
		actions := []browser.Step{b.Open(p.page), browser.Visible(p.wait), browser.Dark(p.dark)}
		actions = append(actions, p.before...)
		if err := b.Do(append(actions, browser.Settle())...); err != nil {
			return fmt.Errorf("%s: %w", p.name, err)
		}
		png, err := b.Picture()
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(out, p.name+".png"), png, 0o644); err != nil {
			return err
		}
		fmt.Println(p.name)
		return nil
	}
	if err := b.Do(b.SignIn("rowan@lindenmere", demo.Passphrase), browser.See(`[data-test=me]`, "rowan@lindenmere")); err != nil {
		return err
	}
	for _, p := range signedIn {
		if err := take(p); err != nil {
			return err
		}
	}
	for _, complaint := range b.Complaints() {
		fmt.Fprintln(os.Stderr, "the page complains:", complaint)
	}
	return nil
}

// terminals takes the command line in a terminal window.
func terminals(ctx context.Context, program, address, home, out string, wanted func(string) bool) error {
	scripts := map[string][]string{
		"terminal-policy": {
			"arbora policy search network",
			"arbora policy read --at lindenmere/science/herbarium --text 'network-taem may observe networking'",
			"arbora policy create shelves --at lindenmere/science/herbarium --preview --text 'herbarium-digitisers may fetch object until 2027-03-31'",
			"arbora explain fetch object --user piotr --at lindenmere/science/herbarium/digitising/scans.bucket",
		},
		"terminal-scope": {
			"arbora scope search scans", "arbora scope matrix " + digitising + " --groups",
			"arbora-demo loam show " + digitising, "arbora-demo loam erase " + digitising + "/scans.bucket/labels/00412.txt",
		},
		"terminal-check": {
			"arbora check edit bucket --user bram --at lindenmere/gardens/glasshouses/alpine-house/sensor-log.bucket",
			"arbora check erase object --user piotr --at lindenmere/science/herbarium/digitising/scans.bucket",
			"arbora user show bram", "arbora scope create lindenmere/leaflets.bucket", "arbora grant create obsever --user bram --at lindenmere/visitors",
		},
	}
	environment := append(os.Environ(), "XDG_CONFIG_HOME="+filepath.Join(home, "config"), "PATH="+filepath.Dir(program)+":"+os.Getenv("PATH"))
	signIn := exec.CommandContext(ctx, program, "sign-in", "rowan@lindenmere", "--server", address, "--password-from", "-")
	signIn.Env, signIn.Stdin = environment, strings.NewReader(demo.Passphrase+"\n")
	if text, err := signIn.CombinedOutput(); err != nil {
		return fmt.Errorf("sign in: %w: %s", err, text)
	}
	for name, commands := range scripts {
		if !wanted(name) {
			continue
		}
		if err := terminal(ctx, environment, home, commands, filepath.Join(out, name+".png")); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		fmt.Println(name)
	}
	return nil
}

func terminal(ctx context.Context, environment []string, home string, commands []string, picture string) error {
	read, write, err := os.Pipe()
	if err != nil {
		return err
	}
	defer read.Close()
	screen := exec.CommandContext(ctx, "Xvfb", "-displayfd", "3", "-screen", "0", fmt.Sprintf("%dx%dx24", width, height), "-nolisten", "tcp")
	screen.ExtraFiles = []*os.File{write}
	if err := screen.Start(); err != nil {
		return err
	}
	defer func() {
		screen.Process.Signal(syscall.SIGTERM)
		screen.Wait()
	}()
	write.Close()
	number, err := bufio.NewReader(read).ReadString('\n')
	if err != nil {
		return fmt.Errorf("no screen: Xvfb does not start: %w", err)
	}
	display := "DISPLAY=:" + strings.TrimSpace(number)
	done := filepath.Join(home, "done")
	os.Remove(done) // left by the picture before
	var script strings.Builder
	for _, c := range commands {
		fmt.Fprintf(&script, "printf '\\033[1;32m$\\033[0m \\033[1m%%s\\033[0m\\n' %q\n%s\necho\n", c, c)
	}
	fmt.Fprintf(&script, "touch %s\nexec sleep 60\n", done)
	window := exec.CommandContext(ctx, "xterm", "-fa", "DejaVu Sans Mono", "-fs", "10", "-geometry", "156x48+0+0", "-b", "12",
		"-bg", "#101613", "-fg", "#e6ebe4", "-bw", "0", "+sb", "-e", "bash", "-c", script.String())
	window.Env = append(environment, display)
	if err := window.Start(); err != nil {
		return err
	}
	defer func() {
		window.Process.Signal(syscall.SIGTERM)
		window.Wait()
	}()
	if err := await(ctx, done); err != nil {
		return err
	}
	// The window draws what it was sent a moment later: take pictures until two in a row are the same.
	var before []byte
	for range 50 {
		grab := exec.CommandContext(ctx, "import", "-window", "root", "png:-")
		grab.Env = append(os.Environ(), display)
		now, err := grab.Output()
		if err != nil {
			return fmt.Errorf("import: %w", err)
		}
		if len(before) > 0 && len(now) == len(before) {
			return os.WriteFile(picture, now, 0o644)
		}
		before = now
	}
	return fmt.Errorf("the terminal does not come to rest")
}

func await(ctx context.Context, file string) error {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		if _, err := os.Stat(file); err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-tick.C:
		}
	}
}
