package access

import (
	"strings"
)

// Print writes a policy in its one form, with today's names. What it writes reads back as the same policy.
func (s *Snapshot) Print(p Policy) string {
	var b strings.Builder
	block := blockPlace{id: p.Scope}
	comment := func(indent, text string) {
		b.WriteString(strings.TrimRight(indent+"# "+text, " ") + "\n")
	}
	for i, st := range p.Statements {
		at := blockPlace{id: st.Place, here: st.Here}
		indent := "    "
		if at == (blockPlace{id: p.Scope}) {
			indent = ""
		}
		if at != block && indent != "" {
			modal := "under "
			if at.here {
				modal = "at "
			}
			address := "here"
			if at.id != p.Scope {
				address = nameWord(s.relative(at.id, p.Scope))
			}
			b.WriteString(modal + address + ":\n")
		}
		block = at
		for _, note := range st.Notes {
			comment(indent, note)
		}
		b.WriteString(indent + s.PrintStatement(&p.Statements[i], p.Scope))
		if st.Note != "" {
			b.WriteString("  # " + st.Note)
		}
		b.WriteString("\n")
	}
	for _, note := range p.Notes {
		comment("", note)
	}
	return b.String()
}

// relative gives an address from a scope down, or, of what is elsewhere, the full one with a slash before it.
func (s *Snapshot) relative(id, from ID) string {
	full, base := s.Address(id), s.Address(from)
	if rest, beneath := strings.CutPrefix(full, base+"/"); beneath {
		return rest
	}
	return "/" + full
}

// PrintStatement writes a statement without its place, for a policy at a scope.
func (s *Snapshot) PrintStatement(st *Statement, scope ID) string {
	var b strings.Builder
	b.WriteString(s.printSubjects(st.Who, scope))
	if len(st.Except) > 0 {
		b.WriteString(" except " + s.printSubjects(st.Except, scope))
	}
	b.WriteString(" " + string(st.Modal) + " ")
	switch {
	case len(st.Roles) > 0:
		b.WriteString("act as " + nameWords(st.Roles))
	case len(st.Acts) == 0:
		b.WriteString("do anything")
		if len(st.Things) > 0 {
			b.WriteString(" to " + strings.Join(st.Things, ", "))
		}
	default:
		b.WriteString(strings.Join(st.Acts, ", "))
		if st.Data {
			b.WriteString(" data of")
		}
		if len(st.Things) > 0 {
			b.WriteString(" " + strings.Join(st.Things, ", "))
		} else {
			b.WriteString(" anything")
		}
	}
	b.WriteString(PrintTerms(st.Condition, st.Period))
	return b.String()
}

// PrintTerms writes a condition and a period as they stand at the end of a statement.
func PrintTerms(c *Condition, p Period) string {
	terms := ""
	if c != nil {
		terms += " if " + c.String()
	}
	if !p.From.IsZero() {
		terms += " from " + printInstant(p.From)
	}
	if !p.Until.IsZero() {
		terms += " until " + printInstant(p.Until)
	}
	return terms
}

func nameWords(names []string) string {
	words := make([]string, len(names))
	for i, name := range names {
		words[i] = nameWord(name)
	}
	return strings.Join(words, ", ")
}

func (s *Snapshot) printSubjects(subjects []Subject, scope ID) string {
	words := make([]string, len(subjects))
	for i, subject := range subjects {
		words[i] = s.printSubject(subject, scope)
	}
	return strings.Join(words, ", ")
}

func (s *Snapshot) printSubject(subject Subject, scope ID) string {
	if subject.Provider != "" {
		text := "people from " + nameWord(subject.Provider)
		if subject.Claim != "" {
			text += " with " + nameWord(subject.Claim) + " " + quote(subject.Value)
		}
		return text
	}
	p, _ := s.Principal(subject.Principal)
	switch p.Kind {
	case User, Guest:
		return "user " + nameWord(p.Name)
	case PlatformService:
		return "service " + nameWord(p.Name)
	case ServiceAccount:
		return "service account " + nameWord(s.accountAddress(p, scope))
	case BuiltInSet:
		return p.Name
	}
	return nameWord(p.Name)
}

// accountAddress gives where a service account lives and its name, as a policy at a scope names it.
func (s *Snapshot) accountAddress(p Principal, scope ID) string {
	if p.Home == scope {
		return p.Name
	}
	return s.relative(p.Home, scope) + "/" + p.Name
}
