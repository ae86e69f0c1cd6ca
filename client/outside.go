package client

import (
	"context"
	"net/http"
	"net/url"
	"strings"

	"golang.org/x/oauth2"
)

// OutsideToken is a token that another issuer signed for a program, which is exchanged for one of Arbora's (RFC 8693).
type OutsideToken struct {
	Account string                 // the address of the service account to become
	Token   func() (string, error) // returns the token; it is called whenever another access token is needed
	// Tokens keeps access tokens from one client to the next; nil keeps none.
	Tokens TokenKeeper
}

// OpenByToken returns a client of the service at an address, acting as a service account that takes tokens of another issuer. No secret is
// needed or kept.
func OpenByToken(address string, by OutsideToken, more ...Option) (*Client, error) {
	get := exchanging{by, address}
	if by.Tokens == nil {
		return openBy(address, oauth2.ReuseTokenSource(nil, get), more...)
	}
	keep := &keeping{get: get, kept: by.Tokens, now: by.Tokens.Load()}
	return openBy(address, keep, append(more, keep.again)...)
}

// exchanging gets access tokens by exchange.
type exchanging struct {
	by      OutsideToken
	address string
}

// Token gets an access token for the program's own.
func (e exchanging) Token() (*oauth2.Token, error) {
	token, err := e.by.Token()
	if err != nil {
		return nil, err
	}
	return ExchangeToken(context.Background(), e.address, e.by.Account, token)
}

// ExchangeToken exchanges a token of another issuer for an access token of a service account.
func ExchangeToken(ctx context.Context, address, account, token string) (*oauth2.Token, error) {
	config := oauth2.Config{Endpoint: oauth2.Endpoint{TokenURL: strings.TrimSuffix(address, "/") + "/oauth/token", AuthStyle: oauth2.AuthStyleInParams}}
	form := url.Values{
		"grant_type": {"urn:ietf:params:oauth:grant-type:token-exchange"}, "subject_token_type": {"urn:ietf:params:oauth:token-type:jwt"},
		"subject_token": {token}, "account": {account},
	}
	var options []oauth2.AuthCodeOption
	for name, values := range form {
		options = append(options, oauth2.SetAuthURLParam(name, values[0]))
	}
	made, err := config.Exchange(oauthContext(ctx, address), "", options...)
	if err != nil {
		return nil, told(err)
	}
	return made, nil
}

// openBy returns a client that acts by access tokens from a source.
func openBy(address string, source oauth2.TokenSource, more ...Option) (*Client, error) {
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
