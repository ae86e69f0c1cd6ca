package outside_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/outside"
)

const said = `{"sub": "q-4711", "preferred_username": "Ilka.Varga@quaywater.example", "name": "Ilka Varga", "email": "ilka@quaywater.example",
	"groups": ["consultants", "Seed-Curators", "consultants"], "level": 3, "big": 12345678901234567890, "on": true, "exp": 17, "aud": "arbora",
	"office": {"town": "Quay", "rooms": [{"no": 7}, {"no": 8}]}, "urn:oid:2.5.4.11": "seeds", "none": null, "mixed": ["a", {"b": 1}]}`

func decoded(t testing.TB, text string) map[string]any {
	claims, err := outside.Decode([]byte(text))
	require.NoError(t, err)
	return claims
}

// TestClaimsAreTexts keeps what rules can ask for, by its name as it came.
func TestClaimsAreTexts(t *testing.T) {
	claims, err := outside.Claims(decoded(t, said))
	require.NoError(t, err)
	require.Equal(t, map[string][]string{
		"preferred_username": {"Ilka.Varga@quaywater.example"}, "name": {"Ilka Varga"}, "email": {"ilka@quaywater.example"},
		"groups": {"consultants", "Seed-Curators", "consultants"}, "level": {"3"}, "big": {"12345678901234567890"}, "on": {"true"}, "urn:oid:2.5.4.11": {"seeds"},
	}, claims)
	many := map[string]any{}
	for i := range 201 {
		many[strings.Repeat("x", i+1)] = "y"
	}
	_, err = outside.Claims(many)
	require.ErrorContains(t, err, "more than 200 claims")
	_, err = outside.Claims(map[string]any{"x": strings.Repeat("y", 501)})
	require.ErrorContains(t, err, "more than 500 bytes")
}

// TestMapsPick makes a person of claims, and says what is missing.
func TestMapsPick(t *testing.T) {
	m := outside.DefaultMap()
	m.Tags = map[string]outside.Pick{
		"town": {Path: "$.office.town"}, "room": {Path: "$.office.rooms[0].no"}, "unit": {Path: "$['urn:oid:2.5.4.11']"},
		"site": {Path: "$.site", Otherwise: "quay"}, "none": {Path: "$.none", Otherwise: "$.nothing"},
	}
	require.NoError(t, m.Check())
	p, err := m.Read(decoded(t, said))
	require.NoError(t, err)
	require.Equal(t, "q-4711", p.Subject)
	require.Equal(t, "ilka.varga", p.Name)
	require.Equal(t, "Ilka Varga", p.Title)
	require.Equal(t, []string{"consultants", "Seed-Curators"}, p.Groups)
	require.Equal(t, map[string]string{"town": "Quay", "room": "7", "unit": "seeds", "site": "quay"}, p.Tags)

	for text, fault := range map[string]string{
		`{"preferred_username": "x"}`:                                 "the subject: nothing is found at $.sub",
		`{"sub": "a@b.example", "email": "a@b.example"}`:              "the subject: it is the mail address",
		`{"sub": "x", "preferred_username": "@@", "name": "y"}`:       "the name: nothing is found",
		`{"sub": ["x", "y"], "preferred_username": "z"}`:              "the subject: 2 values are found at $.sub",
		`{"sub": "x", "preferred_username": "z", "name": "a\u0007b"}`: "characters that do not show",
		`{"sub": {"x": 1}, "preferred_username": "z"}`:                "the subject: nothing is found",
	} {
		_, err := outside.DefaultMap().Read(decoded(t, text))
		require.ErrorContains(t, err, fault, text)
	}
	for fault, alter := range map[string]func(*outside.Map){
		"is not a JSONPath":          func(m *outside.Map) { m.Title.Path = "department" },
		"looks through everything":   func(m *outside.Map) { m.Groups.Path = "$..*..*" },
		"name the claim that people": func(m *outside.Map) { m.Name = outside.Pick{} },
		"one person of all":          func(m *outside.Map) { m.Subject.Otherwise = "x" },
		"mail addresses pass":        func(m *outside.Map) { m.Subject.Path = "$.contact.email" },
		"that the provider knows":    func(m *outside.Map) { m.Subject.Path = "" },
	} {
		m := outside.DefaultMap()
		alter(&m)
		require.ErrorContains(t, m.Check(), fault)
	}
}

func TestNamesAreNames(t *testing.T) {
	for called, name := range map[string]string{
		"Ilka Varga": "ilka-varga", "ilka@quaywater.example": "ilka", "Ångström": "ngstr-m", "..x..": "x", "ø": "", strings.Repeat("a", 80): strings.Repeat("a", 60), "a_b.c-d": "a_b.c-d",
	} {
		require.Equal(t, name, outside.NameOf(called), called)
	}
}

// FuzzClaimMap reads any claims by any map: it fails with words or makes a person who can be kept.
func FuzzClaimMap(f *testing.F) {
	f.Add(said, "$.sub", "$.groups[*]", "$.office..no")
	f.Add(`{"sub": "x"}`, "$", "$..*", "$[?@.a == 'b']")
	f.Add(`[]`, "$.[", "x", "")
	f.Fuzz(func(t *testing.T, text, subject, groups, tag string) {
		claims, err := outside.Decode([]byte(text))
		if err != nil {
			return
		}
		m := outside.DefaultMap()
		m.Subject.Path, m.Groups.Path, m.Tags = subject, groups, map[string]outside.Pick{"tag": {Path: tag, Otherwise: "$.sub"}}
		if m.Check() != nil {
			return
		}
		p, err := m.Read(claims)
		if err != nil {
			require.NotEmpty(t, err.Error())
			return
		}
		require.NotEmpty(t, p.Subject)
		require.NotEmpty(t, p.Name)
		_, err = json.Marshal(p)
		require.NoError(t, err)
	})
}
