package cli

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"

	"github.com/adrg/xdg"
	"golang.org/x/oauth2"
)

// tokens keeps the access token of an API key for its lifetime, in a file of its owner alone: each command would ask for another, and
// the audit log would tell of each.
type tokens struct{ key, secret, server string }

func (t tokens) file() string {
	return filepath.Join(xdg.CacheHome, "arbora", "token-"+filepath.Base(t.key)+".json")
}

type keptToken struct {
	Server string
	Got    string // by which secret: its hash
	Token  *oauth2.Token
}

// got tells by which secret a token was got: another, which may be wrong, opens nothing by it.
func (t tokens) got() string { return fmt.Sprintf("%x", sha256.Sum256([]byte(t.secret))) }

// Load returns the token that is kept; nil for none. What cannot be read is none: another is asked for.
func (t tokens) Load() *oauth2.Token {
	text, err := os.ReadFile(t.file())
	if err != nil {
		return nil
	}
	var kept keptToken
	if json.Unmarshal(text, &kept) != nil || kept.Server != t.server || kept.Got != t.got() {
		return nil
	}
	return kept.Token
}

// Save keeps a token.
func (t tokens) Save(token *oauth2.Token) error {
	text, err := json.Marshal(keptToken{t.server, t.got(), token})
	if err != nil {
		return err
	}
	return replaceFile(t.file(), text)
}

// Forget removes the token that is kept.
func (t tokens) Forget() { _ = os.Remove(t.file()) } // what is not there opens nothing either
