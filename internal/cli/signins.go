package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/adrg/xdg"

	"arbora.example/client"
	"arbora.example/internal/english"
	"arbora.example/internal/wholefile"
)

// signIns is the file of saved sign-ins: several by name, one of them used unless another is asked for.
type signIns struct {
	Default string                 `json:"default"`
	Saved   map[string]savedSignIn `json:"saved"`
}

type savedSignIn struct {
	Server       string `json:"server"`
	SignIn       string `json:"signIn"`
	Organisation string `json:"organisation,omitempty"`
	Token        string `json:"token,omitempty"`     // of a session
	Key          string `json:"key,omitempty"`       // the API key it acts by instead
	Secret       string `json:"secret,omitempty"`    // of the key
	TokenFrom    string `json:"tokenFrom,omitempty"` // the file with a token that is exchanged for one of Arbora's
	Account      string `json:"account,omitempty"`   // the service account that it is to become
	Private      string `json:"private,omitempty"`   // the file with the private key that signs instead
	KeyAt        string `json:"keyAt,omitempty"`     // where a platform service works
	Insecure     bool   `json:"insecure,omitempty"`  // http beyond this machine is taken
	Authority    string `json:"authority,omitempty"` // a file with the certificate of a private authority
}

// open returns a client that acts by the sign-in.
func (s savedSignIn) open(more ...client.Option) (*client.Client, error) {
	if err := errors.Join(checkServer(s.Server, s.Insecure), trust(s.Authority)); err != nil {
		return nil, err
	}
	if s.Account != "" {
		return client.OpenByToken(s.Server, client.OutsideToken{
			Account: s.Account, Token: s.outsideToken, Tokens: s.exchanged(),
		}, more...)
	}
	if s.Key != "" {
		key := client.APIKey{ID: s.Key, Secret: s.Secret, Organisation: s.KeyAt}
		by := s.Secret
		if s.Private != "" {
			text, err := os.ReadFile(s.Private)
			if err != nil {
				return nil, fmt.Errorf("the private key cannot be read: %w", err)
			}
			if key.Private, err = client.ParsePrivateKey(text); err != nil {
				return nil, fmt.Errorf("%s: %w", s.Private, err)
			}
			by = string(text)
		}
		key.Tokens = tokens{s.Key + s.KeyAt, by, s.Server}
		return client.OpenByKey(s.Server, key, more...)
	}
	return client.Open(s.Server, s.Token, more...)
}

// exchanged keeps the access tokens that a token was exchanged for.
func (s savedSignIn) exchanged() tokens {
	return tokens{"outside-" + strings.ReplaceAll(s.Account, "/", "-"), s.TokenFrom, s.Server}
}

// outsideToken reads the token that is exchanged. One that came by standard input was exchanged when it came.
func (s savedSignIn) outsideToken() (string, error) {
	if s.TokenFrom == "-" {
		return "", fmt.Errorf("the token that was read from standard input has ended: arbora sign-in --token-from - --as-account %s", s.Account)
	}
	text, err := os.ReadFile(s.TokenFrom)
	if err != nil {
		return "", fmt.Errorf("the token to exchange cannot be read: %w", err)
	}
	return strings.TrimSpace(string(text)), nil
}

func signInsFile() string { return filepath.Join(xdg.ConfigHome, "arbora", "sign-ins.json") }

func readSignIns() (signIns, error) {
	file := signIns{Saved: map[string]savedSignIn{}}
	text, err := os.ReadFile(signInsFile())
	if errors.Is(err, os.ErrNotExist) {
		return file, nil
	} else if err != nil {
		return file, fmt.Errorf("the saved sign-ins cannot be read: %w", err)
	}
	if err := json.Unmarshal(text, &file); err != nil {
		return file, fmt.Errorf("the saved sign-ins in %s are damaged (%w): remove the file and sign in again", signInsFile(), err)
	}
	return file, nil
}

// write replaces the file.
func (s signIns) write() error {
	text, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		return err
	}
	return replaceFile(signInsFile(), append(text, '\n'))
}

// replaceFile writes a file as a whole; nobody but its owner can read it.
func replaceFile(name string, text []byte) error {
	if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		return err
	}
	return wholefile.Write(name, func(w io.Writer) error {
		_, err := w.Write(text)
		return err
	})
}

// pick returns the sign-in of a name, or the default one for "".
func (s signIns) pick(name string) (savedSignIn, error) {
	if name = s.nameOf(name); name == "" {
		return savedSignIn{}, errNotSignedIn
	}
	saved, ok := s.Saved[name]
	if !ok {
		if near := english.Nearest(name, s.names()); near != "" {
			return saved, fmt.Errorf("there is no saved sign-in %q: did you mean %s?", name, near)
		}
		return saved, fmt.Errorf("there is no saved sign-in %q: arbora sign-ins lists them", name)
	}
	return saved, nil
}

// nameOf returns the name of the sign-in that is meant by a name, or by none.
func (s signIns) nameOf(name string) string {
	if name == "" {
		return s.Default
	}
	return name
}

func (s signIns) names() []string {
	names := make([]string, 0, len(s.Saved))
	for name := range s.Saved {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
