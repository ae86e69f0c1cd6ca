package client

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"strings"
	"sync"
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
	// Tokens keeps access tokens from one client to the next; nil keeps none.
	Tokens TokenKeeper
}

// TokenKeeper keeps an access token for as long as it works.
type TokenKeeper interface {
	Load() *oauth2.Token // nil for none
	Save(*oauth2.Token) error
	Forget() // of one that is refused
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
	var get oauth2.TokenSource = asking{config, oauthContext(context.Background(), address)}
	if key.Private != nil {
		get = signing{config, key, strings.TrimSuffix(address, "/")}
	}
	source := oauth2.ReuseTokenSource(nil, get)
	if key.Tokens != nil {
		keep := &keeping{get: get, kept: key.Tokens, now: key.Tokens.Load()}
		source = keep
		more = append(more, keep.again)
	}
	return openBy(address, source, more...)
}

// asking gets access tokens by the key's secret.
type asking struct {
	config clientcredentials.Config
	ctx    context.Context // of all that is asked: tokens are got whenever they are needed
}

// Token gets an access token.
func (a asking) Token() (*oauth2.Token, error) { return a.config.Token(a.ctx) }

// keeping keeps a token for as long as it works.
type keeping struct {
	get  oauth2.TokenSource
	kept TokenKeeper

	mu  sync.Mutex
	now *oauth2.Token
}

// Token returns the token in use, or gets one and keeps it.
func (k *keeping) Token() (*oauth2.Token, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.now.Valid() {
		return k.now, nil
	}
	token, err := k.get.Token()
	if err != nil {
		return nil, err
	}
	k.now = token
	return token, k.kept.Save(token)
}

func (k *keeping) forget() {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.now = nil
	k.kept.Forget()
}

// again makes a request that is refused for its kept token once more with another: the service's clock ends tokens, not ours.
func (k *keeping) again(c *Client) error {
	c.Client = repeating{c.Client, k}
	return nil
}

type repeating struct {
	HTTPDoer
	token *keeping
}

// Do sends a request, and at most once more.
func (r repeating) Do(q *http.Request) (*http.Response, error) {
	response, err := r.HTTPDoer.Do(q)
	if err != nil || response.StatusCode != http.StatusUnauthorized || q.Body != nil && q.GetBody == nil {
		return response, err
	}
	r.token.forget()
	token, err := r.token.Token()
	if err != nil {
		return response, nil // the first refusal says more than what became of the second try
	}
	response.Body.Close()
	next := q.Clone(q.Context())
	if q.GetBody != nil {
		if next.Body, err = q.GetBody(); err != nil {
			return nil, err
		}
	}
	token.SetAuthHeader(next)
	return r.HTTPDoer.Do(next)
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
