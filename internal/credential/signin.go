package credential

import (
	"fmt"
	"strings"

	"arbora.example/access/model"
)

// SignIn is the name somebody signs in by: NAME@ORGANISATION, NAME@PROVIDER@ORGANISATION for who comes by a provider, NAME alone for a
// keeper, or the mail address of a guest from outside.
type SignIn struct {
	Name         string // of a guest from outside, the whole address; of who comes by a provider, with that
	Organisation string // empty for a keeper and for a guest from outside
}

// String writes the sign-in name as it is typed.
func (s SignIn) String() string {
	if s.Organisation == "" {
		return s.Name
	}
	return s.Name + "@" + s.Organisation
}

// ParseSignIn reads a sign-in name. The error says how one is written.
func ParseSignIn(text string) (SignIn, error) {
	name, organisation, both := strings.Cut(strings.TrimSpace(text), "@")
	if strings.Contains(organisation, ".") { // no organisation's name has a dot, every mail domain has
		if address, err := ParseAddress(text); err == nil {
			return SignIn{Name: address}, nil
		}
	}
	if provider, last, three := strings.Cut(organisation, "@"); three && model.CheckName(provider) == nil {
		good := model.CheckName(last) == nil
		for _, part := range strings.Split(name, ".") {
			good = good && model.CheckName(part) == nil
		}
		if good {
			return SignIn{Name: name + "@" + provider, Organisation: last}, nil
		}
	}
	if model.CheckName(name) != nil || both && model.CheckName(organisation) != nil {
		return SignIn{}, fmt.Errorf("%q is not a valid sign-in name: write NAME@ORGANISATION, such as rowan@lindenmere; a keeper writes NAME alone", text)
	}
	return SignIn{Name: name, Organisation: organisation}, nil
}

// ParseAddress reads a mail address, such as juno@quaywater.example, and gives it in lower case. Only addresses are taken
// that can be a guest's name: letters, digits, hyphens and dots.
func ParseAddress(text string) (string, error) {
	address := strings.ToLower(strings.TrimSpace(text))
	name, domain, _ := strings.Cut(address, "@")
	good := strings.Contains(domain, ".")
	for _, part := range append(strings.Split(name, "."), strings.Split(domain, ".")...) {
		good = good && model.CheckName(part) == nil
	}
	if !good || len(address) > 254 {
		return "", fmt.Errorf("%q is not a mail address: write one as juno@quaywater.example", text)
	}
	return address, nil
}
