package authzen

import (
	"context"
	"net/http"
	"sync"

	"golang.org/x/oauth2"
	"golang.org/x/oauth2/clientcredentials"
)

// tokens gets access tokens for a key: another before one ends, or when one is refused, since the keys that sign them may have been
// replaced meanwhile.
type tokens struct {
	config clientcredentials.Config
	via    context.Context // carries the client that gets them

	mu     sync.Mutex
	source oauth2.TokenSource
}

func newTokens(sends *http.Client, config clientcredentials.Config) *tokens {
	t := &tokens{config: config, via: context.WithValue(context.Background(), oauth2.HTTPClient, sends)}
	t.source = config.TokenSource(t.via)
	return t
}

// use returns the token in use, and where it comes from.
func (t *tokens) use() (*oauth2.Token, oauth2.TokenSource, error) {
	t.mu.Lock()
	source := t.source
	t.mu.Unlock()
	token, err := source.Token()
	return token, source, err
}

// renew has the next token come from Arbora, unless somebody else had meanwhile.
func (t *tokens) renew(refused oauth2.TokenSource) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.source == refused {
		t.source = t.config.TokenSource(t.via)
	}
}

// signed shows an access token with every request.
type signed struct {
	*tokens
	base http.RoundTripper
}

// RoundTrip sends a request, and once more under a new token when the one in use is refused.
func (s *signed) RoundTrip(r *http.Request) (*http.Response, error) {
	response, source, err := s.send(r)
	if err != nil || response.StatusCode != http.StatusUnauthorized || r.Body != nil && r.GetBody == nil {
		return response, err
	}
	response.Body.Close()
	s.renew(source)
	again := r.Clone(r.Context())
	if r.GetBody != nil {
		if again.Body, err = r.GetBody(); err != nil {
			return nil, err
		}
	}
	response, _, err = s.send(again)
	return response, err
}

func (s *signed) send(r *http.Request) (*http.Response, oauth2.TokenSource, error) {
	token, source, err := s.use()
	if err != nil {
		if r.Body != nil {
			r.Body.Close()
		}
		return nil, nil, err
	}
	carrying := r.Clone(r.Context())
	token.SetAuthHeader(carrying)
	response, err := s.base.RoundTrip(carrying)
	return response, source, err
}
