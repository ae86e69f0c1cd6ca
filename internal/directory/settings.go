package directory

import (
	"crypto/x509"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"

	"arbora.example/internal/outside"
)

// Settings say how a directory is read, and what becomes of what it holds.
type Settings struct {
	Address     string        `json:"address"`               // ldaps://HOST:PORT, or ldap://HOST:PORT, which changes to TLS by itself
	BindName    string        `json:"bindName,omitempty"`    // as whom it is read, a distinguished name; empty for as nobody
	Authorities string        `json:"authorities,omitempty"` // whose certificates are believed, as PEM; empty for those that the machine believes
	People      Search        `json:"people"`
	Groups      Search        `json:"groups"`      // without a base, none are read
	Key         string        `json:"key"`         // the attribute that never changes for as long as an entry is there
	MemberBy    string        `json:"memberBy"`    // the attribute of a group that names its members: by their entries, or by what they are called
	Attributes  []string      `json:"attributes"`  // of people: these become claims, and can be picked
	Map         outside.Map   `json:"map"`         // what becomes of a person's attributes; the subject is always the key
	Every       time.Duration `json:"every"`       // how often it is read; zero for when somebody asks
	MostLeaving int           `json:"mostLeaving"` // percent of the people: if more would leave, nothing is done
	RetireAfter time.Duration `json:"retireAfter"` // how long after they left people are retired; zero for never
}

// Search says which entries are read: those beneath one, as far as a filter (RFC 4515) lets them through.
type Search struct {
	Base   string `json:"base"`
	Filter string `json:"filter"`
}

// Bounds of settings.
const (
	ShortestEvery  = time.Minute
	longestEvery   = 7 * 24 * time.Hour
	mostAttributes = 50
)

// Usual returns the settings that are usual, to be completed by an address and a base.
func Usual() Settings {
	return Settings{
		People: Search{Filter: "(objectClass=inetOrgPerson)"}, Groups: Search{Filter: "(|(objectClass=groupOfNames)(objectClass=posixGroup))"},
		Key: "entryUUID", MemberBy: "member", Attributes: []string{"uid", "cn", "displayName", "mail", "title", "ou", "departmentNumber", "employeeType", "l"},
		Map: outside.Map{
			Name: outside.Pick{Path: "$.uid", Otherwise: "$.cn"}, Title: outside.Pick{Path: "$.displayName", Otherwise: "$.cn"}, Email: outside.Pick{Path: "$.mail"},
		},
		Every: time.Hour, MostLeaving: 10, RetireAfter: 30 * 24 * time.Hour,
	}
}

// attribute is how an attribute is written (RFC 4512, section 2.5).
var attribute = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9-]{0,99}$`)

// SettingError is what is wrong with a setting.
type SettingError struct {
	Field  string // as the contract of the API calls it
	Detail string
}

// called are the settings in words.
var called = map[string]string{
	"address": "address", "bindName": "name that it is read as", "authorities": "certificates", "people.base": "entry above the people", "people.filter": "filter of people",
	"groups.base": "entry above the groups", "groups.filter": "filter of groups", "key": "key", "memberBy": "attribute that names members", "attributes": "list of attributes",
	"every": "time between readings", "mostLeaving": "share of people who may leave", "retireAfter": "time after which people are retired",
}

func (e *SettingError) Error() string {
	if words, ok := called[e.Field]; ok {
		return "the " + words + ": " + e.Detail
	}
	return "the " + strings.TrimPrefix(e.Field, mapField) + ": " + e.Detail
}

// mapField is how the fields of the claim map begin.
const mapField = "claimMap."

// wrong returns what is wrong with a setting.
func wrong(field, format string, args ...any) error {
	return &SettingError{field, fmt.Sprintf(format, args...)}
}

// Check completes settings and says what is wrong with them: the error is a [*SettingError].
func (s *Settings) Check() error {
	if _, err := s.url(); err != nil {
		return err
	}
	if s.BindName != "" {
		if _, err := ldap.ParseDN(s.BindName); err != nil {
			return wrong("bindName", "%q is not a distinguished name, such as cn=reader,dc=lindenmere,dc=example", s.BindName)
		}
	}
	if s.Authorities != "" && !x509.NewCertPool().AppendCertsFromPEM([]byte(s.Authorities)) {
		return wrong("authorities", "there is no certificate in it: send one or more as PEM")
	}
	for _, one := range []struct {
		field string
		Search
	}{{"people", s.People}, {"groups", s.Groups}} {
		if err := one.check(one.field); err != nil {
			return err
		}
	}
	for field, name := range map[string]string{"key": s.Key, "memberBy": s.MemberBy} {
		if !attribute.MatchString(name) {
			return wrong(field, "%q is not an attribute, such as entryUUID", name)
		}
	}
	if len(s.Attributes) > mostAttributes {
		return wrong("attributes", "at most %d are read", mostAttributes)
	}
	for _, name := range s.Attributes {
		if !attribute.MatchString(name) || strings.EqualFold(name, "userPassword") {
			return wrong("attributes", "%q is not an attribute of people that is read", name)
		}
	}
	if s.Map.Groups != (outside.Pick{}) {
		return wrong("claimMap.groups", "the groups of a directory are read from their own entries: leave it out")
	}
	s.Map.Subject = outside.Pick{Path: "$['" + s.Key + "']"}
	if err := s.Map.Check(); err != nil {
		if wrong, ok := outside.IsFieldError(err); ok {
			err = &SettingError{mapField + wrong.Field, wrong.Detail}
		}
		return err
	}
	switch {
	case s.Every != 0 && (s.Every < ShortestEvery || s.Every > longestEvery):
		return wrong("every", "it is read every minute to every 7 days, or when somebody asks")
	case s.MostLeaving < 1 || s.MostLeaving > 100:
		return wrong("mostLeaving", "the share of people who may leave at once is 1 to 100 percent")
	case s.RetireAfter < 0:
		return wrong("retireAfter", "it is a time, or 0 for never")
	}
	return nil
}

func (s Search) check(field string) error {
	if s.Base == "" && field == "groups" {
		return nil
	}
	if dn, err := ldap.ParseDN(s.Base); err != nil || len(dn.RDNs) == 0 {
		return wrong(field+".base", "%q is not a distinguished name, such as ou=people,dc=lindenmere,dc=example", s.Base)
	}
	if _, err := ldap.CompileFilter(s.Filter); err != nil {
		return wrong(field+".filter", "%q is not a filter, such as (objectClass=inetOrgPerson)", s.Filter)
	}
	return nil
}

// url reads the address.
func (s *Settings) url() (*url.URL, error) {
	u, err := url.Parse(s.Address)
	if err != nil || u.Hostname() == "" || u.User != nil || u.Path != "" || u.RawQuery != "" || !slices.Contains([]string{"ldap", "ldaps"}, u.Scheme) {
		return nil, wrong("address", "%q is not the address of a directory, such as ldaps://directory.lindenmere.example", s.Address)
	}
	return u, nil
}

// attributesOf are those that are asked for of people.
func (s *Settings) attributesOf() []string {
	if slices.ContainsFunc(s.Attributes, func(name string) bool { return strings.EqualFold(name, s.Key) }) {
		return s.Attributes
	}
	return append(slices.Clone(s.Attributes), s.Key)
}
