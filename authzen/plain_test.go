package authzen

import (
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// sameAsJSON holds what is read in the quick way against what package encoding/json reads, and reports whether it was read so.
func sameAsJSON[T any](t *testing.T, text string, quick func(string) (T, bool)) bool {
	read, ok := quick(text)
	if !ok {
		return false
	}
	var whole T
	d := json.NewDecoder(strings.NewReader(text))
	require.NoError(t, d.Decode(&whole), text)
	_, err := d.Token()
	require.ErrorIs(t, err, io.EOF, text)
	require.Equal(t, whole, read, text)
	return true
}

// jsonMaker makes texts that are questions, or nearly.
type jsonMaker struct{ *rand.Rand }

func (m jsonMaker) oneOf(texts ...string) string { return texts[m.IntN(len(texts))] }

// rarely gives one of some texts now and then, and else the usual one.
func (m jsonMaker) rarely(usual string, odd ...string) string {
	if m.IntN(60) > 0 {
		return usual
	}
	return m.oneOf(odd...)
}

func (m jsonMaker) space() string { return m.rarely("", " ", "\n\t", "\r", " ", "/**/") }

func (m jsonMaker) text() string {
	return m.rarely(`"`+m.oneOf("u17", "describe", "bucket", "a/b.c", "<&>", "")+`"`, `"a\"b"`, `"\u0061"`, `"é"`, `null`, `7`, `["x"]`, `"open`, "\"\x01\"", "\"\xff\"")
}

func (m jsonMaker) object(members ...string) string {
	m.Shuffle(len(members), func(i, j int) { members[i], members[j] = members[j], members[i] })
	members = members[:len(members)-m.IntN(2)]
	if len(members) > 0 && m.IntN(40) == 0 {
		members = append(members, members[0])
	}
	return m.rarely("{"+m.space()+strings.Join(members, m.space()+","+m.space())+"}"+m.space(), "null", "{}", "[]", `"x"`, "{", `{"a":1,}`)
}

func (m jsonMaker) member(name, value string) string {
	return m.rarely(`"`+name+`"`, `"`+strings.ToUpper(name)+`"`, `"properties"`, name, `"\u0069d"`) + m.space() + ":" + m.space() + value
}

func (m jsonMaker) request() string {
	return m.object(
		m.member("subject", m.object(m.member("type", m.text()), m.member("id", m.text()))),
		m.member("action", m.object(m.member("name", m.text()))),
		m.member("resource", m.object(m.member("id", m.text()), m.member("type", m.text()))),
		m.member("context", m.object(
			m.member("ip", m.text()), m.member("location", m.text()), m.member("refers", "["+m.text()+","+m.text()+"]"),
			m.member("attempted", m.oneOf("true", "false")), m.member("time", m.oneOf(`"2026-11-25T12:00:00Z"`, `"2026-11-25T12:00+01:00"`, `"noon"`, `"2026-11-25T12:00:00.125+02:00"`)))),
	)
}

func (m jsonMaker) batch() string {
	list := make([]string, m.IntN(4))
	for i := range list {
		list[i] = m.request()
	}
	return m.object(
		m.member("evaluations", "["+strings.Join(list, ",")+"]"), m.member("options", m.object(m.member("evaluations_semantic", m.text()))),
		m.member("subject", m.object(m.member("type", m.text()))), m.member("action", m.object(m.member("name", m.text()))),
	)
}

// damaged alters a byte of a text now and then, or cuts it short.
func (m jsonMaker) damaged(text string) string {
	switch at := m.IntN(len(text)); m.IntN(20) {
	case 0:
		return text[:at] + string(rune(m.IntN(128))) + text[at+1:]
	case 1:
		return text[:at]
	case 2:
		return text + m.oneOf(" ", "{}", "x")
	}
	return text
}

// TestPlainIsReadAsJSONIs reads many questions in the quick way and by package encoding/json.
func TestPlainIsReadAsJSONIs(t *testing.T) {
	m := jsonMaker{rand.New(rand.NewPCG(3, 5))}
	requests, batches := 0, 0
	for range 20_000 {
		if sameAsJSON(t, m.damaged(m.request()), plainRequest) {
			requests++
		}
		if sameAsJSON(t, m.damaged(m.batch()), plainBatch) {
			batches++
		}
	}
	require.Greater(t, requests, 3000)
	require.Greater(t, batches, 3000)
}

func FuzzPlain(f *testing.F) {
	m := jsonMaker{rand.New(rand.NewPCG(8, 13))}
	for range 20 {
		f.Add(m.request())
		f.Add(m.batch())
	}
	f.Fuzz(func(t *testing.T, text string) {
		sameAsJSON(t, text, plainRequest)
		sameAsJSON(t, text, plainBatch)
	})
}

// TestAnswersAreWrittenAsJSONIs writes answers of all kinds.
func TestAnswersAreWrittenAsJSONIs(t *testing.T) {
	m := jsonMaker{rand.New(rand.NewPCG(3, 5))}
	word := func() string {
		return m.oneOf("", "granted", `say "no"`, "<a&b>", "Ångström", "\u2028", "a\tb", "\xff")
	}
	for range 5000 {
		var a Answers
		for range m.IntN(4) {
			one := Answer{Decision: m.IntN(2) == 0}
			if m.IntN(8) > 0 {
				one.Context = &Why{
					Reason: word(), Revision: m.Uint64N(3) * 1e18, Grant: word(), Policy: word(), Scope: word(), Lacks: word(), On: word(), Hidden: m.IntN(2) == 0,
				}
				for range m.IntN(3) {
					one.Context.Refers = append(one.Context.Refers, word())
				}
				if m.IntN(3) == 0 {
					one.Context.Error = &Fault{Status: 400, Message: word()}
				}
			}
			a.Evaluations = append(a.Evaluations, one)
			text, err := json.Marshal(one)
			require.NoError(t, err)
			require.Equal(t, string(text), string(appendAnswer(nil, &one)))
		}
		if a.Evaluations == nil {
			a.Evaluations = []Answer{}
		}
		text, err := json.Marshal(a)
		require.NoError(t, err)
		require.Equal(t, string(text), string(appendAnswers([]byte{}, a)), fmt.Sprint(a))
	}
}
