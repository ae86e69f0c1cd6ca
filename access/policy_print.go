package access

import (
	"strings"

	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// Print writes a policy in its one form, with today's names. What it writes reads back as the same policy.
func (s *Snapshot) Print(p statement.Policy) string { return statement.JoinParts(s.Parts(p), p.Notes) }

// relative returns an address from a scope down, or, of what is elsewhere, the full one with a slash before it.
func (s *Snapshot) relative(id, from model.ID) string {
	full, base := s.Address(id), s.Address(from)
	if rest, beneath := strings.CutPrefix(full, base+"/"); beneath {
		return rest
	}
	return "/" + full
}

// PrintStatement writes a statement without its place, for a policy at a scope.
func (s *Snapshot) PrintStatement(st *statement.Statement, scope model.ID) string {
	return s.partsOf(st, scope).String()
}

func (s *Snapshot) printSubjects(subjects []statement.Subject, scope model.ID) []string {
	words := make([]string, len(subjects))
	for i, subject := range subjects {
		words[i] = s.printSubject(subject, scope)
	}
	return words
}

func (s *Snapshot) printSubject(subject statement.Subject, scope model.ID) string {
	p, _ := s.Principal(subject.Principal)
	switch p.Kind {
	case 0, model.Provider:
		text := "people from " + statement.NameWord(p.Name+subject.Unknown)
		if subject.Claim != "" {
			text += " with " + statement.NameWord(subject.Claim) + " " + statement.Quote(subject.Value)
		}
		return text
	case model.OutsidePerson:
		return s.printSubject(statement.Subject{Principal: p.Provider, Claim: SubjectClaim, Value: p.Subject}, scope)
	case model.User, model.Guest:
		return "user " + statement.NameWord(p.Name)
	case model.PlatformService:
		return "service " + statement.NameWord(p.Name)
	case model.ServiceAccount:
		return "service account " + statement.NameWord(s.accountAddress(p, scope))
	case model.BuiltInSet:
		return p.Name
	}
	return statement.NameWord(p.Name)
}

// accountAddress returns where a service account lives and its name, as a policy at a scope names it.
func (s *Snapshot) accountAddress(p Principal, scope model.ID) string {
	if p.Home == scope {
		return p.Name
	}
	return s.relative(p.Home, scope) + "/" + p.Name
}

// Parts takes the statements of a policy apart, with today's names.
func (s *Snapshot) Parts(p statement.Policy) []statement.Parts {
	parts := make([]statement.Parts, len(p.Statements))
	for i := range p.Statements {
		parts[i] = s.partsOf(&p.Statements[i], p.Scope)
	}
	return parts
}

func (s *Snapshot) partsOf(st *statement.Statement, scope model.ID) statement.Parts {
	p := statement.Parts{
		Here: st.Here, Who: s.printSubjects(st.Who, scope), Except: s.printSubjects(st.Except, scope), Modal: st.Modal,
		Roles: statement.NameWords(st.Roles), Acts: st.Acts, Data: st.Data, Things: st.Things, Notes: st.Notes, Note: st.Note,
	}
	if st.Place != scope {
		p.Place = statement.NameWord(s.relative(st.Place, scope))
	}
	if st.Condition != nil {
		p.Condition = st.Condition.String()
	}
	if !st.Period.From.IsZero() {
		p.From = statement.PrintInstant(st.Period.From)
	}
	if !st.Period.Until.IsZero() {
		p.Until = statement.PrintInstant(st.Period.Until)
	}
	return p
}
