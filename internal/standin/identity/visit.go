package identity

import (
	"context"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
)

// NewBrowser returns a client that keeps cookies, as a browser does.
func NewBrowser() (*http.Client, error) {
	jar, err := cookiejar.New(nil)
	return &http.Client{Jar: jar}, err
}

// Visit opens an address that leads to a provider's page, chooses a subject there unless somebody is signed in already, and returns where that
// led: what a person does in a browser.
func Visit(ctx context.Context, browser *http.Client, address, subject string) (*url.URL, error) {
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, err
	}
	at, err := follow(browser, request)
	if err != nil || !strings.HasPrefix(at.Path, "/authorize") {
		return at, err
	}
	form := url.Values{"query": {at.RawQuery}, "subject": {subject}}.Encode()
	request, err = http.NewRequestWithContext(ctx, http.MethodPost, at.Scheme+"://"+at.Host+"/authorize", strings.NewReader(form))
	if err != nil {
		return nil, err
	}
	request.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return follow(browser, request)
}

func follow(browser *http.Client, request *http.Request) (*url.URL, error) {
	answer, err := browser.Do(request)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	_, err = io.Copy(io.Discard, answer.Body)
	return answer.Request.URL, err
}
