package statement

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"

	"arbora.example/access/model"
	"arbora.example/internal/english"
)

//go:embed patterns.json
var patternsFile []byte

// Pattern is a ready-made text of statements with blanks to fill.
type Pattern struct {
	Name        string  `json:"pattern"`
	Title       string  `json:"title"`
	Description string  `json:"description"`
	Blanks      []Blank `json:"blanks"`
	Text        string  `json:"text"` // each blank in braces
}

// Blank is something a pattern leaves open.
type Blank struct {
	Name  string `json:"blank"`
	Asks  string `json:"asks"`
	Kind  string `json:"kind"`            // subject, place, service, role, provider, instant, name or text
	Usual string `json:"usual,omitempty"` // what it is filled with when nothing is given
}

// Patterns lists the patterns.
var Patterns = sync.OnceValue(func() []Pattern {
	var patterns []Pattern
	if err := json.Unmarshal(patternsFile, &patterns); err != nil {
		panic(fmt.Sprintf("access: the patterns do not load: %v", err))
	}
	return patterns
})

// FindPattern finds a pattern by name. The error is a [*model.Violation] that names the nearest one.
func FindPattern(name string) (Pattern, error) {
	var names []string
	for _, p := range Patterns() {
		if p.Name == name {
			return p, nil
		}
		names = append(names, p.Name)
	}
	return Pattern{}, model.UnknownWord("pattern", name, names)
}

// Matches reports whether a pattern is about all of some words, in its name, title, description or text.
func (p Pattern) Matches(words string) bool {
	text, err := json.Marshal(p)
	if err != nil {
		return false
	}
	return !slices.ContainsFunc(strings.Fields(strings.ToLower(words)), func(word string) bool {
		return !strings.Contains(strings.ToLower(string(text)), word)
	})
}

// Fill returns the text with its blanks filled; it is read, and may be altered, as any other. The error is a [*model.Violation]
// that names the blank at fault.
func (p Pattern) Fill(values map[string]string) (string, error) {
	var names []string
	for _, b := range p.Blanks {
		names = append(names, b.Name)
	}
	for name := range values {
		if !slices.Contains(names, name) {
			v := model.Violationf(model.RuleUnknown, "pattern %s has no blank %q; it has %s", p.Name, name, english.Join(names))
			v.Nearest = english.Nearest(name, names)
			return "", v
		}
	}
	text := p.Text
	for _, b := range p.Blanks {
		value := strings.TrimSpace(values[b.Name])
		if value == "" {
			value = b.Usual
		}
		filled, err := b.fill(value)
		if err != nil {
			return "", err
		}
		text = strings.ReplaceAll(text, "{"+b.Name+"}", filled)
	}
	// What holds for the policy's own scope needs no heading.
	if rest, ok := strings.CutPrefix(text, "under here:\n"); ok {
		text = strings.ReplaceAll("\n"+rest, "\n    ", "\n")[1:]
	}
	return text, nil
}

// fill writes a value as it stands in a statement.
func (b Blank) fill(value string) (string, error) {
	switch {
	case value == "":
		return "", model.Violationf(model.RuleUnknown, "the blank %s is empty: say %s", b.Name, strings.ToLower(b.Asks[:1])+b.Asks[1:])
	case strings.ContainsFunc(value, unprintable) || strings.ContainsAny(value, "{}#"):
		return "", model.Violationf(model.RuleName, "the blank %s holds characters that do not belong there", b.Name)
	}
	switch b.Kind {
	case "text":
		return Quote(value), nil
	case "place":
		if value == "here" {
			return value, nil
		}
		return NameWord(value), nil
	case "role", "service", "provider":
		return NameWord(value), nil
	case "name":
		return value, model.CheckName(value)
	case "instant":
		t, err := ParseInstant(value)
		if err != nil {
			return "", model.Violationf(model.RulePeriod, "%v", err)
		}
		return PrintInstant(t), nil
	}
	return value, nil
}
