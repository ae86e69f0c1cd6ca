package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strings"
	"time"

	"arbora.example/e2e/browser"
	"arbora.example/e2e/demorun"
	"arbora.example/internal/demo"
)

const (
	mostScript     = 300 << 10 // bytes of compressed script that a first load may take
	mostPageChange = 100.0     // milliseconds from the press of a link until the next page shows what it is for
	pageRounds     = 9
)

// console measures what the console takes: the script of its first load, and the change from page to page on the demo data and beside
// 5,000 people and 20,000 scopes.
func (r *report) console(ctx context.Context, program string) error {
	err := withDemo(ctx, program, func(address string) error {
		script, err := firstLoad(ctx, address)
		if err != nil {
			return err
		}
		r.figure("first-load", float64(script)/1024, "KiB")
		r.atMost("first-load-size", float64(script)/mostScript, 1)
		return r.pageChanges(ctx, address, "page-change")
	})
	if err != nil {
		return err
	}
	return withDemo(ctx, program, func(address string) error { return r.pageChanges(ctx, address, "page-change-large") }, "--large")
}

// withDemo starts the demo on records of its own for as long as something is done with it.
func withDemo(ctx context.Context, program string, do func(address string) error, options ...string) error {
	home, err := os.MkdirTemp("", "arbora-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(home)
	address, stop, err := demorun.Start(ctx, program+"-demo", home, options...)
	if err != nil {
		return err
	}
	defer stop()
	return do(address)
}

var scripts = regexp.MustCompile(`(?:src|href)="(/[^"]+\.js)"`)

// firstLoad returns how many bytes of script come over the wire with the console's page.
func firstLoad(ctx context.Context, address string) (size int, err error) {
	page, _, err := fetched(ctx, address+"/", "identity")
	if err != nil {
		return 0, err
	}
	for _, found := range scripts.FindAllStringSubmatch(page, -1) {
		script, encoding, err := fetched(ctx, address+found[1], "gzip")
		if err != nil {
			return 0, err
		}
		if encoding != "gzip" {
			return 0, fmt.Errorf("%s comes uncompressed", found[1])
		}
		size += len(script)
	}
	if size == 0 {
		return 0, errors.New("the console's page names no script: run make build first")
	}
	return size, nil
}

// fetched returns what an address answers, as it comes over the wire.
func fetched(ctx context.Context, address, encoding string) (body, encoded string, err error) {
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return "", "", err
	}
	request.Header.Set("Accept-Encoding", encoding) // asked for by hand, it is not undone
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return "", "", err
	}
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	return string(text), response.Header.Get("Content-Encoding"), err
}

// atRest waits until a page has asked for nothing for a quarter of a second.
var atRest = browser.Until(`(() => {
	const asked = performance.getEntriesByType("resource").length;
	if (asked !== window.askedThen) [window.askedThen, window.askedAt] = [asked, performance.now()];
	if (performance.now() - window.askedAt < 250) return false;
	performance.clearResourceTimings();
	window.askedThen = undefined;
	return true;
})()`)

// pageChanges goes round the pages as a person does, who looks at each, and reports of each the median, and of all the slowest.
func (r *report) pageChanges(ctx context.Context, address, measure string) error {
	b, err := browser.Start(ctx, address, 1280, 800)
	if err != nil {
		return err
	}
	defer b.Close()
	if err := b.Do(b.SignIn("rowan@lindenmere", demo.Passphrase), browser.Visible(`[data-test=access]`)); err != nil {
		return err
	}
	pages := []struct{ name, page, shows string }{
		{"home", "/", `[data-test=mine]`},
		{"people", "/people", `[data-test=people] tbody tr`},
		{"changes", "/changes", `[data-test=records]`},
		{"person", "/people/ines", `[data-test=holds]`},
		{"groups", "/groups", `a[href="#/groups/curators"]`},
		{"roles", "/roles", `[data-test=roles]`},
		{"role", "/roles/operator", `[data-test=grid]`},
		{"policies", "/policies", `[data-test=statements-found]`},
		{"check", "/check?user=ines&may=edit+bucket&at=lindenmere/science/seedbank", `[data-test=answer]`},
		{"catalogue", "/catalogue", `[data-test=service]`},
		{"access map", "/spread?group=curators", `svg[data-test=spread]`},
		{"service accounts", "/service-accounts", `[data-test=service-accounts] tbody tr`},
		{"bucket", "/tree/lindenmere/science/herbarium/digitising/scans.bucket", `[data-test=access]`},
		{"settings", "/settings", `main form`},
		{"tree", "/tree/lindenmere/science/herbarium", `[data-test=access]`},
	}
	took := make(map[string][]time.Duration, len(pages))
	for range pageRounds {
		for _, p := range pages {
			each, err := b.Change(p.page, p.shows)
			if err != nil {
				return fmt.Errorf("%s: %w", p.page, err)
			}
			took[p.name] = append(took[p.name], each)
			if err := b.Do(browser.Settle(), atRest); err != nil {
				return fmt.Errorf("%s: %w", p.page, err)
			}
		}
	}
	slowest := time.Duration(0)
	var words []string
	for _, p := range pages {
		slices.Sort(took[p.name])
		median := took[p.name][pageRounds/2]
		slowest = max(slowest, median)
		words = append(words, fmt.Sprintf("%s %d", p.name, median.Milliseconds()))
	}
	fmt.Printf("# %s, ms: %s\n", measure, strings.Join(words, ", "))
	r.milliseconds(measure, slowest, mostPageChange)
	return nil
}
