package client

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"strings"
	"time"

	"golang.org/x/oauth2"
	"golang.org/x/oauth2/clientcredentials"

	"arbora.example/api"
)

// APIKey is an API key: its id, and the secret that was shown once or the private half of the program's own key pair.
type APIKey struct {
	ID, Secret string
	// Private signs in place of the secret (RFC 7523): an RSA, ECDSA or Ed25519 key, as crypto/x509 parses it.
	Private any
	// Organisation is where a platform service wants to work; everybody else works where the key belongs.
	Organisation string
}

// OpenByKey returns a client of the service at an address, acting by an API key. Access tokens are got when they are needed
// and got anew before they end.
func OpenByKey(address string, key APIKey, more ...Option) (*Client, error) {
	config := clientcredentials.Config{
		ClientID: key.ID, ClientSecret: key.Secret, TokenURL: strings.TrimSuffix(address, "/") + "/oauth/token", AuthStyle: oauth2.AuthStyleInHeader,
	}
	if key.Organisation != "" {
		config.EndpointParams = url.Values{"organisation": {key.Organisation}}
	}
	source := config.TokenSource(oauthContext(context.Background(), address))
	if key.Private != nil {
		source = oauth2.ReuseTokenSource(nil, signing{config, key, strings.TrimSuffix(address, "/")})
	}
	bearer := WithRequestEditor(func(_ context.Context, r *http.Request) error {
		token, err := source.Token()
		if err != nil {
			return told(err)
		}
		token.SetAuthHeader(r)
		return nil
	})
	return Open(address, "", append([]Option{bearer}, more...)...)
}

// signing gets access tokens by assertions, each of which is good once.
type signing struct {
	config  clientcredentials.Config
	key     APIKey
	address string
}

// Token gets an access token by a new assertion.
func (s signing) Token() (*oauth2.Token, error) {
	assertion, err := signAssertion(s.key.Private, s.key.ID, s.address, time.Now())
	if err != nil {
		return nil, err
	}
	config := s.config
	config.AuthStyle = oauth2.AuthStyleInParams
	config.EndpointParams = url.Values{"client_assertion_type": {assertionType}, "client_assertion": {assertion}}
	if s.key.Organisation != "" {
		config.EndpointParams.Set("organisation", s.key.Organisation)
	}
	return config.Token(oauthContext(context.Background(), s.address))
}

// oauthContext has the protocol's library ask through a client that marks requests without an answer.
func oauthContext(ctx context.Context, address string) context.Context {
	return context.WithValue(ctx, oauth2.HTTPClient, &http.Client{Timeout: time.Minute, Transport: roundTripper{address}})
}

type roundTripper struct{ address string }

func (t roundTripper) RoundTrip(r *http.Request) (*http.Response, error) {
	response, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		return nil, &Unreachable{Address: t.address, Cause: err}
	}
	return response, nil
}

// told turns an error of the protocol into the problem that the service told by it.
func told(err error) error {
	var e *oauth2.RetrieveError
	if !errors.As(err, &e) {
		return err
	}
	if e.ErrorDescription == "" {
		plain := &Error{}
		if json.Unmarshal(e.Body, &plain.Problem) == nil && plain.Detail != "" {
			return plain
		}
		return err
	}
	problem := api.Problem{Type: e.ErrorURI, Title: e.ErrorCode, Detail: e.ErrorDescription}
	if e.Response != nil {
		problem.Status = e.Response.StatusCode
	}
	var apart struct{ Detail, Next string } // which Arbora tells besides
	if json.Unmarshal(e.Body, &apart) == nil && apart.Detail != "" {
		problem.Detail, problem.Next = apart.Detail, apart.Next
	}
	return &Error{Problem: problem}
}

// Terminal is a terminal that waits for somebody to let it in (RFC 8628): the person opens Page, or PageWithCode, and types
// Code.
type Terminal struct {
	Page, PageWithCode, Code string

	config oauth2.Config
	answer *oauth2.DeviceAuthResponse
	ctx    func(context.Context) context.Context
}

// AskForDevice begins a sign-in that is confirmed in the console. Agent is what the program calls itself.
func AskForDevice(ctx context.Context, address, agent string) (*Terminal, error) {
	base := strings.TrimSuffix(address, "/")
	d := &Terminal{
		config: oauth2.Config{ClientID: agent, Endpoint: oauth2.Endpoint{DeviceAuthURL: base + "/oauth/device", TokenURL: base + "/oauth/token", AuthStyle: oauth2.AuthStyleInParams}},
		ctx:    func(ctx context.Context) context.Context { return oauthContext(ctx, address) },
	}
	var err error
	if d.answer, err = d.config.DeviceAuth(d.ctx(ctx)); err != nil {
		return nil, told(err)
	}
	d.Page, d.PageWithCode, d.Code = d.answer.VerificationURI, d.answer.VerificationURIComplete, d.answer.UserCode
	return d, nil
}

// Wait waits until somebody lets the terminal in, and gives the token of the session.
func (d *Terminal) Wait(ctx context.Context) (string, error) {
	token, err := d.config.DeviceAccessToken(d.ctx(ctx), d.answer)
	if err != nil {
		return "", told(err)
	}
	return token.AccessToken, nil
}
