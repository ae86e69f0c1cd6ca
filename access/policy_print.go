package access

import (
	"strings"
)

// Print writes a policy in its one form, with today's names. What it writes reads back as the same policy.
func (s *Snapshot) Print(p Policy) string { return JoinParts(s.Parts(p), p.Notes) }

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
	return s.partsOf(st, scope).String()
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

func nameWords(names []string) []string {
	words := make([]string, len(names))
	for i, name := range names {
		words[i] = nameWord(name)
	}
	return words
}

func (s *Snapshot) printSubjects(subjects []Subject, scope ID) []string {
	words := make([]string, len(subjects))
	for i, subject := range subjects {
		words[i] = s.printSubject(subject, scope)
	}
	return words
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
