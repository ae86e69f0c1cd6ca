package client

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"strings"

	"arbora.example/api"
)

// Proving has the client give a fresh proof where the service demands one: ask gives the password of whoever is signed in, and
// the request is made once more. The error of ask ends the request.
func Proving(ask func() (password string, err error)) Option {
	return func(c *Client) error {
		c.Client = &prover{next: c.Client, server: c.Server, ask: ask}
		return nil
	}
}

type prover struct {
	next   HTTPDoer
	server string // the address of the API
	ask    func() (string, error)
}

// Do makes a request, and makes it again once a proof that it takes was given.
func (p *prover) Do(r *http.Request) (*http.Response, error) {
	response, err := p.next.Do(r)
	if err != nil || response.StatusCode != http.StatusForbidden || r.Body != nil && r.GetBody == nil {
		return response, err
	}
	const most = 1 << 20
	text, err := io.ReadAll(io.LimitReader(response.Body, most))
	finish(response)
	if err != nil {
		return nil, err
	}
	response.Body = io.NopCloser(bytes.NewReader(text))
	var problem api.Problem
	if json.Unmarshal(text, &problem) != nil || !strings.HasSuffix(problem.Type, ":proof-needed") {
		return response, nil
	}
	password, err := p.ask()
	if err != nil {
		return nil, err
	}
	if err := p.prove(r, password); err != nil {
		return nil, err
	}
	again := r.Clone(r.Context())
	if r.GetBody != nil {
		if again.Body, err = r.GetBody(); err != nil {
			return nil, err
		}
	}
	return p.next.Do(again)
}

// prove returns a password as whoever makes a request.
func (p *prover) prove(r *http.Request, password string) error {
	body, err := json.Marshal(api.Proof{Password: password})
	if err != nil {
		return err
	}
	proof, err := http.NewRequestWithContext(r.Context(), http.MethodPost, strings.TrimSuffix(p.server, "/")+"/session/proof", bytes.NewReader(body))
	if err != nil {
		return err
	}
	proof.Header.Set("Content-Type", "application/json")
	proof.Header.Set("Authorization", r.Header.Get("Authorization"))
	proof.Header.Set("User-Agent", Agent)
	return Done(p.next.Do(proof))
}
