package statement

import (
	"fmt"
	"slices"
	"strings"

	"arbora.example/access/catalogue"
)

// People bring words along from other languages in which access is written down. Where such a word is what a line does not read
// for, the fault says how it is written here.
var (
	giving  = []string{"allow", "permit", "grant", "let", "give", "enable"}
	denying = []string{"deny", "forbid", "prohibit", "block", "disallow", "refuse"}
	joining = []string{"and", "or", "&", "&&", "|", "||"}
	placing = []string{"in", "on", "under", "at", "within", "inside"}
)

// habit words the fault of a line anew where a word from another language is its cause.
func (p *Parser) habit(f *Fault) *Fault {
	first := p.Line.Tokens[0]
	switch word := strings.ToLower(first.Text); {
	case first.Kind != Word:
	case slices.Contains(giving, word):
		return FaultAt(p.Line, first, "a statement begins with who is meant, not with %s: write WHO may ACT THING, such as staff may observe storage", first)
	case slices.Contains(denying, word):
		return FaultAt(p.Line, first, "a statement begins with who is meant, not with %s: write WHO may never ACT THING, such as staff may never destroy storage; what nobody is given is denied without a statement", first)
	}
	at := slices.IndexFunc(p.Line.Tokens, func(t Token) bool { return t.Column == f.Column })
	if at < 0 {
		return f
	}
	switch t := p.Line.Tokens[at]; {
	case at > 0 && p.Line.Tokens[at-1].Kind == Word && p.Line.Tokens[at-1].Text == "group":
		return FaultAt(p.Line, p.Line.Tokens[at-1], "a group is written by its name alone: write %s, without group", t)
	case at > 0 && p.Line.Tokens[at-1].Kind == Word && p.Line.Tokens[at-1].Text == "guest":
		return FaultAt(p.Line, p.Line.Tokens[at-1], "a guest is written as a user: write user %s", t)
	case slices.Contains(joining, strings.ToLower(t.Text)) && at > 0:
		f.Detail, f.Nearest = fmt.Sprintf("a list is separated by commas: write a comma in place of %s", t), ""
	case t.Kind == Word && slices.Contains(placing, strings.ToLower(t.Text)) && at > 0 && p.At == at:
		end := p.Line.Tokens[len(p.Line.Tokens)-2]
		f.Detail, f.Nearest = fmt.Sprintf("where a statement holds is said above it, not at its end: put it below a heading, such as \"under %s:\"", end), ""
	}
	return f
}

// meantClass returns the class that somebody means by a word of their own, such as observe for view; "" for none.
func meantClass(word string) string {
	for _, class := range catalogue.Classes {
		if slices.Contains(catalogue.Meanings(class), strings.ToLower(word)) {
			return string(class)
		}
	}
	return ""
}
