package outside

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/theory/jsonpath"
)

// Map says which claims become what Arbora keeps of a person.
type Map struct {
	Subject Pick            `json:"subject"` // what the provider knows them by: stable, never a mail address
	Name    Pick            `json:"name"`    // their name before @PROVIDER
	Title   Pick            `json:"title"`   // the display name
	Email   Pick            `json:"email"`
	Groups  Pick            `json:"groups"` // the groups that the provider says they are in
	Tags    map[string]Pick `json:"tags,omitempty"`
}

// Pick says where a value is found among the claims.
type Pick struct {
	Path string `json:"path"` // JSONPath (RFC 9535); empty for nowhere
	// Otherwise is where else, or with what text, if nothing is found there: it is a path if it begins with $.
	Otherwise string `json:"otherwise,omitempty"`
}

// DefaultMap picks the standard claims (OpenID Connect Core 1.0, section 5.1).
func DefaultMap() Map {
	return Map{
		Subject: Pick{Path: "$.sub"},
		Name:    Pick{Path: "$.preferred_username", Otherwise: "$.sub"},
		Title:   Pick{Path: "$.name", Otherwise: "$.preferred_username"},
		Email:   Pick{Path: "$.email"},
		Groups:  Pick{Path: "$.groups[*]"},
	}
}

// Person is whom a provider speaks of.
type Person struct {
	Subject, Name, Title, Email string
	Groups                      []string
	Tags                        map[string]string
	Claims                      map[string][]string
}

// Field is a part of a claim map with its name, such as "subject" or "tag team".
type Field struct {
	Name string
	Pick
}

// Fields returns the parts of a map in the order in which they are shown.
func (m Map) Fields() []Field {
	fields := []Field{{"subject", m.Subject}, {"name", m.Name}, {"title", m.Title}, {"email", m.Email}, {"groups", m.Groups}}
	for _, key := range slices.Sorted(maps.Keys(m.Tags)) {
		fields = append(fields, Field{"tag " + key, m.Tags[key]})
	}
	return fields
}

// FieldError is what is wrong with a part of a map, or with what it picked.
type FieldError struct {
	Field  string
	Detail string
}

func (e *FieldError) Error() string { return "the " + e.Field + ": " + e.Detail }

// Check refuses a map that cannot be read, or that makes no subject. The error is a [*FieldError].
func (m Map) Check() error {
	for _, f := range m.Fields() {
		for _, path := range []string{f.Path, f.Otherwise} {
			if !strings.HasPrefix(path, "$") && (path == f.Otherwise || path == "") {
				continue
			}
			// Each .. multiplies what is looked through.
			if strings.Count(path, "..") > 1 {
				return &FieldError{f.Name, fmt.Sprintf("%q looks through everything more than once: write .. at most once", path)}
			}
			if _, err := jsonpath.Parse(path); err != nil {
				return &FieldError{f.Name, fmt.Sprintf("%q is not a JSONPath, such as $.department or $['urn:oid:2.5.4.11']: %s", path, plainly(err))}
			}
		}
	}
	switch {
	case m.Subject.Path == "":
		return &FieldError{"subject", "name the claim that the provider knows its people by, such as $.sub"}
	case m.Subject.Otherwise != "" && !strings.HasPrefix(m.Subject.Otherwise, "$"):
		return &FieldError{"subject", "a text would make one person of all: name another path, or none"}
	case m.Name.Path == "":
		return &FieldError{"name", "name the claim that people are called by, such as $.preferred_username"}
	}
	for _, path := range []string{m.Subject.Path, m.Subject.Otherwise} {
		if path != "" && (path == m.Email.Path || strings.HasSuffix(path, ".email") || strings.HasSuffix(path, "['email']")) {
			return &FieldError{"subject", "mail addresses pass from one person to another: name a claim that never changes, such as $.sub"}
		}
	}
	return nil
}

func plainly(err error) string {
	_, words, found := strings.Cut(err.Error(), ": ")
	if !found {
		return err.Error()
	}
	return words
}

// Picked is what a part of a map found.
type Picked struct {
	Field
	Values    []string
	Otherwise bool // in the second place
}

// pick finds the values that a pick is for.
func (p Pick) find(said map[string]any) (values []string, otherwise bool, err error) {
	if p.Path != "" {
		if values, err = along(p.Path, said); err != nil || len(values) > 0 {
			return values, false, err
		}
	}
	if !strings.HasPrefix(p.Otherwise, "$") {
		if p.Otherwise == "" {
			return nil, false, nil
		}
		return []string{p.Otherwise}, true, nil
	}
	values, err = along(p.Otherwise, said)
	return values, true, err
}

// along returns the texts at a path, and those of the lists at it.
func along(path string, said map[string]any) (values []string, err error) {
	way, err := jsonpath.Parse(path)
	if err != nil {
		return nil, err
	}
	for _, found := range way.Select(said) {
		for _, text := range texts(found) {
			if text = strings.TrimSpace(text); text != "" && !slices.Contains(values, text) {
				values = append(values, text)
			}
		}
		if len(values) > mostValues {
			return nil, fmt.Errorf("more than %d values are found", mostValues)
		}
	}
	return values, nil
}

// Picks returns what each part of a map finds in what was said.
func (m Map) Picks(said map[string]any) ([]Picked, error) {
	var all []Picked
	for _, f := range m.Fields() {
		values, otherwise, err := f.find(said)
		if err != nil {
			return nil, &FieldError{f.Name, err.Error()}
		}
		all = append(all, Picked{Field: f, Values: values, Otherwise: otherwise})
	}
	return all, nil
}

// Read makes a person of what was said. The error, a [*FieldError], says what is missing, or cannot be.
func (m Map) Read(said map[string]any) (Person, error) {
	var p Person
	picks, err := m.Picks(said)
	if err != nil {
		return p, err
	}
	for _, one := range picks {
		if one.Name == "groups" {
			p.Groups = one.Values
			continue
		}
		if len(one.Values) == 0 {
			continue
		}
		if len(one.Values) > 1 {
			return p, &FieldError{one.Name, fmt.Sprintf("%d values are found at %s, and it takes one", len(one.Values), one.Path)}
		}
		value := one.Values[0]
		if !utf8.ValidString(value) || strings.ContainsFunc(value, func(r rune) bool { return r < ' ' || r == 0x7f }) {
			return p, &FieldError{one.Name, "the value has characters that do not show"}
		}
		switch one.Name {
		case "subject":
			p.Subject = value
		case "name":
			p.Name = NameOf(value)
		case "title":
			p.Title = cut(value, 200)
		case "email":
			p.Email = value
		default:
			if p.Tags == nil {
				p.Tags = map[string]string{}
			}
			p.Tags[strings.TrimPrefix(one.Name, "tag ")] = value
		}
	}
	switch {
	case p.Subject == "":
		return p, &FieldError{"subject", "nothing is found at " + m.Subject.Path}
	case strings.EqualFold(p.Subject, p.Email) || strings.EqualFold(p.Subject, first(said["email"])):
		return p, &FieldError{"subject", "it is the mail address, and that passes from one person to another"}
	case p.Name == "":
		return p, &FieldError{"name", "nothing is found at " + m.Name.Path + " that could be a name"}
	}
	if p.Claims, err = Claims(said); err != nil {
		return p, &FieldError{"claims", err.Error()}
	}
	return p, nil
}

func first(value any) string {
	if values := texts(value); len(values) > 0 {
		return values[0]
	}
	return ""
}

// NameOf makes a name of what a provider calls somebody: of a mail address the part before the @, in small letters, digits, dots, dashes and
// underscores. Nothing may be left of it.
func NameOf(called string) string {
	called, _, _ = strings.Cut(strings.ToLower(called), "@")
	var b strings.Builder
	for _, r := range called {
		switch {
		case 'a' <= r && r <= 'z', '0' <= r && r <= '9', r == '.', r == '_', r == '-':
			b.WriteRune(r)
		default:
			b.WriteByte('-')
		}
	}
	return strings.Trim(cut(b.String(), 60), "-._")
}

// cut returns the beginning of a text, of whole characters.
func cut(text string, most int) string {
	for len(text) > most {
		_, size := utf8.DecodeLastRuneInString(text)
		text = text[:len(text)-size]
	}
	return text
}

// Tagged returns the tags that somebody has by what maps pick: those that none of the maps speaks of stay as they are now.
func Tagged(now, picked map[string]string, by ...Map) map[string]string {
	tags := map[string]string{}
	for key, value := range now {
		if !slices.ContainsFunc(by, func(m Map) bool { _, spoken := m.Tags[key]; return spoken }) {
			tags[key] = value
		}
	}
	maps.Copy(tags, picked)
	return tags
}

// IsFieldError returns the part of a claim map that an error is about.
func IsFieldError(err error) (*FieldError, bool) {
	var field *FieldError
	ok := errors.As(err, &field)
	return field, ok
}
