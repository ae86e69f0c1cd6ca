package access

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

// Parts takes the statements of a policy apart, with today's names.
func (s *Snapshot) Parts(p Policy) []Parts {
	parts := make([]Parts, len(p.Statements))
	for i := range p.Statements {
		parts[i] = s.partsOf(&p.Statements[i], p.Scope)
	}
	return parts
}

func (s *Snapshot) partsOf(st *Statement, scope ID) Parts {
	p := Parts{
		Here: st.Here, Who: s.printSubjects(st.Who, scope), Except: s.printSubjects(st.Except, scope), Modal: st.Modal,
		Roles: nameWords(st.Roles), Acts: st.Acts, Data: st.Data, Things: st.Things, Notes: st.Notes, Note: st.Note,
	}
	if st.Place != scope {
		p.Place = nameWord(s.relative(st.Place, scope))
	}
	if st.Condition != nil {
		p.Condition = st.Condition.String()
	}
	if !st.Period.From.IsZero() {
		p.From = printInstant(st.Period.From)
	}
	if !st.Period.Until.IsZero() {
		p.Until = printInstant(st.Period.Until)
	}
	return p
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
