package statement

import "strings"

// Parts is a statement taken apart into the pieces of its text, each as it is written there: what a form asks for one by
// one. Joined again and read, they are the statement.
type Parts struct {
	Place     string // from the policy's scope down, or with a slash before it from the organisation; empty for the policy's scope
	Here      bool   // at that scope alone
	Who       []string
	Except    []string
	Modal     Modal
	Roles     []string // act as these; then there are no acts
	Acts      []string // none for "do anything"
	Data      bool
	Things    []string // none for "anything"
	Condition string   // what stands after "if"
	From      string   // an RFC 3339 moment, or a date
	Until     string
	Notes     []string // comments on the lines above
	Note      string   // the comment at the end of the line
}

// String writes the statement without its place and comments.
func (p Parts) String() string {
	var b strings.Builder
	list := func(before string, words []string) {
		if len(words) > 0 {
			b.WriteString(before + strings.Join(words, ", "))
		}
	}
	list("", p.Who)
	list(" except ", p.Except)
	b.WriteString(" " + string(p.Modal))
	switch {
	case len(p.Roles) > 0:
		list(" act as ", p.Roles)
	case len(p.Acts) == 0:
		b.WriteString(" do anything")
		list(" to ", p.Things)
	default:
		list(" ", p.Acts)
		if p.Data {
			b.WriteString(" data of")
		}
		if list(" ", p.Things); len(p.Things) == 0 {
			b.WriteString(" anything")
		}
	}
	for _, term := range []struct{ word, text string }{{" if ", p.Condition}, {" from ", p.From}, {" until ", p.Until}} {
		if term.text != "" {
			b.WriteString(term.word + term.text)
		}
	}
	return b.String()
}

// JoinParts writes the text of a policy: statements of one place after another stand in a block of it. Notes are the
// comments after the last statement.
func JoinParts(parts []Parts, notes []string) string {
	var b strings.Builder
	type block struct {
		place string
		here  bool
	}
	var last block
	comment := func(indent, text string) {
		b.WriteString(strings.TrimRight(indent+"# "+text, " ") + "\n")
	}
	for _, p := range parts {
		at, indent := block{p.Place, p.Here}, "    "
		if at == (block{}) {
			indent = ""
		} else if at != last {
			preposition, place := "under ", p.Place
			if p.Here {
				preposition = "at "
			}
			if place == "" {
				place = "here"
			}
			b.WriteString(preposition + place + ":\n")
		}
		last = at
		for _, note := range p.Notes {
			comment(indent, note)
		}
		b.WriteString(indent + p.String())
		if p.Note != "" {
			b.WriteString("  # " + p.Note)
		}
		b.WriteString("\n")
	}
	for _, note := range notes {
		comment("", note)
	}
	return b.String()
}

// PrintTerms writes a condition and a period as they stand at the end of a statement.
func PrintTerms(c *Condition, p Period) string {
	terms := ""
	if c != nil {
		terms += " if " + c.String()
	}
	if !p.From.IsZero() {
		terms += " from " + PrintInstant(p.From)
	}
	if !p.Until.IsZero() {
		terms += " until " + PrintInstant(p.Until)
	}
	return terms
}

// NameWords writes names as [NameWord] does.
func NameWords(names []string) []string {
	words := make([]string, len(names))
	for i, name := range names {
		words[i] = NameWord(name)
	}
	return words
}
