package statement

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// Fault is something wrong in a text of statements, and where.
type Fault struct {
	Line    int    // from 1
	Column  int    // from 1, in characters
	Detail  string // what is wrong, and what was expected
	Nearest string // the known word nearest to an unknown one, if there is one
}

// Error returns the place, the detail and the nearest word.
func (f *Fault) Error() string {
	text := fmt.Sprintf("line %d, column %d: %s", f.Line, f.Column, f.Detail)
	if f.Nearest != "" {
		text += ": did you mean " + f.Nearest + "?"
	}
	return text
}

// TextError lists all that is wrong in a text of statements, at most one fault a line. Nothing of the text counts then.
type TextError struct{ Faults []*Fault }

// Error returns the faults, one a line.
func (e *TextError) Error() string {
	lines := make([]string, len(e.Faults))
	for i, f := range e.Faults {
		lines[i] = f.Error()
	}
	return strings.Join(lines, "\n")
}

type tokenKind uint8

const (
	LineEnd tokenKind = iota
	Word              // a name, an address, an attribute, an instant, a number
	quoted            // a text in quotes
	Mark              // , : ( ) < <= > >=
)

// Token is a word, a text in quotes or a mark, or the end of a line.
type Token struct {
	Kind   tokenKind
	Text   string // without quotes
	Column int
}

// Keywords are the words of the language. A name that is one of them is quoted.
var Keywords = []string{
	"account", "act", "after", "and", "anything", "as", "at", "before", "data", "do", "everyone", "except", "from", "guests",
	"here", "if", "in", "is", "may", "never", "not", "of", "only", "or", "people", "public", "service", "signed-in", "staff",
	"starts", "to", "under", "until", "user", "with", "within",
}

func keyword(text string) bool {
	_, found := slices.BinarySearch(Keywords, text)
	return found
}

// TextLine is one line of a text, taken apart.
type TextLine struct {
	number  int
	Indent  int
	Tokens  []Token // ended by a lineEnd
	Comment string  // without #; see noted
	Noted   bool    // there is a comment
}

// Lex takes a line apart.
func Lex(text string, number int) (TextLine, *Fault) {
	line := TextLine{number: number}
	rest, column := text, 1
	fault := func(format string, values ...any) (TextLine, *Fault) {
		return line, &Fault{Line: number, Column: column, Detail: fmt.Sprintf(format, values...)}
	}
	for rest != "" {
		r, width := utf8.DecodeRuneInString(rest)
		switch {
		case r == ' ' || r == '\t' || r == '\u00a0': // pages and letters that are copied from have the last
			if len(line.Tokens) == 0 {
				line.Indent++
			}
			rest, column = rest[width:], column+1
		case r == '#':
			line.Comment, line.Noted, rest = strings.TrimSpace(rest[1:]), true, ""
			if !utf8.ValidString(line.Comment) || strings.ContainsFunc(line.Comment, unprintable) {
				return fault("the comment holds characters that are not printed: write it as plain text")
			}
		case r == '"':
			value, used, problem := unquote(rest)
			if problem != "" {
				return fault("%s", problem)
			}
			line.Tokens = append(line.Tokens, Token{Kind: quoted, Text: value, Column: column})
			column += utf8.RuneCountInString(rest[:used])
			rest = rest[used:]
		case wordRune(r):
			end := wordEnd(rest)
			line.Tokens = append(line.Tokens, Token{Kind: Word, Text: rest[:end], Column: column})
			rest, column = rest[end:], column+end
		case strings.ContainsRune(",:()<>", r):
			if (r == '<' || r == '>') && strings.HasPrefix(rest[1:], "=") {
				width = 2
			}
			line.Tokens = append(line.Tokens, Token{Kind: Mark, Text: rest[:width], Column: column})
			rest, column = rest[width:], column+width
		case r == '=':
			return fault("= has no meaning here: write is, or is not")
		case r == '“' || r == '”' || r == '\'':
			return fault("%q is not a quote here: put texts between two \"", r)
		default:
			return fault("%q has no meaning here: a statement is made of words, texts in quotes, commas, and # before a comment", r)
		}
	}
	line.Tokens = append(line.Tokens, Token{Kind: LineEnd, Column: column})
	return line, nil
}

func wordRune(r rune) bool {
	return 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z' || '0' <= r && r <= '9' || strings.ContainsRune("-_./@+", r)
}

// wordEnd returns where a word ends. A colon belongs to it only when a digit follows, as in the time of an instant.
func wordEnd(text string) int {
	for i, r := range text {
		inTime := r == ':' && i+1 < len(text) && '0' <= text[i+1] && text[i+1] <= '9'
		if !wordRune(r) && !inTime {
			return i
		}
	}
	return len(text)
}

func unprintable(r rune) bool { return r < ' ' || r == 0x7f || r == utf8.RuneError }

// unquote reads a text in quotes; used is how many bytes it took. In it, \" stands for a quote and \\ for a backslash.
func unquote(text string) (value string, used int, problem string) {
	var b strings.Builder
	for i := 1; i < len(text); i++ {
		switch c := text[i]; {
		case c == '"':
			if value := b.String(); utf8.ValidString(value) && !strings.ContainsFunc(value, unprintable) {
				return value, i + 1, ""
			}
			return "", 0, "the text holds characters that are not printed: write it as plain text"
		case c == '\\':
			if i++; i == len(text) || text[i] != '"' && text[i] != '\\' {
				return "", 0, `a \ in a text stands before " or \ only`
			}
			b.WriteByte(text[i])
		default:
			b.WriteByte(c)
		}
	}
	return "", 0, "the text is not closed: put a \" at its end"
}

// Quote writes a text as unquote reads it.
func Quote(text string) string {
	return `"` + escapes.Replace(text) + `"`
}

var escapes = strings.NewReplacer(`\`, `\\`, `"`, `\"`)

// NameWord writes a name, in quotes where it would be taken for a word of the language.
func NameWord(name string) string {
	if keyword(name) || name == "" || wordEnd(name) != len(name) {
		return Quote(name)
	}
	return name
}
