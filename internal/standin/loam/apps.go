package loam

import (
	"context"
	"net/http"

	"arbora.example/internal/standin/loam/loamapi"
)

// mostText bounds an app's page and a lab's notebook, in bytes.
const mostText = 64 << 10

func checkPage(c *call) error {
	if c.in.Text != nil && len(*c.in.Text) > mostText {
		return invalid("text", "the text is longer than 64 KiB", "shorten it")
	}
	return nil
}

func visit(_ context.Context, _ *call, r resource) (any, error) {
	if !r.Running {
		return nil, problem(http.StatusConflict, "conflict", "the app is stopped", "start it first")
	}
	if r.Text == "" {
		return loamapi.Page{Text: "<!doctype html><title>App</title><p>Nothing is on this page yet."}, nil
	}
	return loamapi.Page{Text: r.Text}, nil
}
