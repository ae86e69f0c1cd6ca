package main

import (
	"context"
	"log"
	"os"
	"strconv"
	"strings"
	"time"

	"arbora.example/e2e/browser"
	"arbora.example/internal/demo"
	"github.com/chromedp/chromedp"
)

// args: out.png width height dark page [click:selector | press:text | type:selector=text | see:selector | wait]...
func main() {
	a := os.Args[1:]
	w, _ := strconv.Atoi(a[1])
	h, _ := strconv.Atoi(a[2])
	b, err := browser.Start(context.Background(), "http://127.0.0.1:8420", w, h)
	if err != nil {
		log.Fatal(err)
	}
	defer b.Close()
	steps := []browser.Step{b.SignIn(who(), demo.Passphrase), browser.Visible(`main`), b.Open(a[4])}
	if a[3] == "dark" {
		steps = append(steps, browser.Dark(true))
	}
	for _, s := range a[5:] {
		kind, rest, _ := strings.Cut(s, ":")
		switch kind {
		case "click":
			steps = append(steps, browser.Click(rest))
		case "press":
			steps = append(steps, browser.Press(rest))
		case "type":
			sel, text, _ := strings.Cut(rest, "=>")
			steps = append(steps, browser.Type(sel, text))
		case "write":
			sel, text, _ := strings.Cut(rest, "=>")
			steps = append(steps, browser.Write(sel, text))
		case "see":
			steps = append(steps, browser.Visible(rest))
		case "js":
			steps = append(steps, chromedp.Steps(chromedp.Evaluate[chromedp.Void](rest)))
		case "wait":
			steps = append(steps, browser.Settle())
		case "sleep":
			_ = time.Second
		}
	}
	if err := b.Do(steps...); err != nil {
		log.Println(err)
	}
	png, err := b.Picture()
	if err != nil {
		log.Fatal(err)
	}
	os.WriteFile(a[0], png, 0o644)
}

func who() string {
	if w := os.Getenv("WHO"); w != "" {
		return w
	}
	return "rowan@lindenmere"
}
