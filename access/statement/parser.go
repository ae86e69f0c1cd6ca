package statement

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// Parser reads one line.
type Parser struct {
	Line       TextLine
	At         int
	Catalogue  *catalogue.Catalogue // whose words acts and things are; nil in a condition
	gathering  bool                 // a gathering group's condition is read
	claimsOnly bool                 // an entry rule is read
	kept       bool                 // what was kept is read, which may have the words of before
}

// WrittenSubject is a subject as written.
type WrittenSubject struct {
	Kind  model.PrincipalKind // of a principal; 0 for people from a provider
	Name  Token
	Claim Token
	Value Token
}

// Sentence is a statement as written.
type Sentence struct {
	Who       []WrittenSubject
	Except    []WrittenSubject
	Modal     Modal
	Roles     []Token
	anything  bool // do anything
	Acts      []Token
	Data      bool
	Things    []Token // none for "anything"
	Condition *Condition
	Period    Period
}

// Peek returns the next token, which stays where it is.
func (p *Parser) Peek() Token { return p.Line.Tokens[p.At] }

// Skip passes a keyword if it comes next.
func (p *Parser) Skip(keyword string) bool {
	if t := p.Peek(); t.Kind == Word && t.Text == keyword {
		p.At++
		return true
	}
	return false
}

// SkipMark passes a mark if it comes next, and reports whether it did.
func (p *Parser) SkipMark(text string) bool {
	if t := p.Peek(); t.Kind == Mark && t.Text == text {
		p.At++
		return true
	}
	return false
}

// Fault makes a fault at the next token, its detail written as by [fmt.Sprintf].
func (p *Parser) Fault(format string, values ...any) *Fault {
	return FaultAt(p.Line, p.Peek(), format, values...)
}

// FaultAt makes a fault at a token of a line, its detail written as by [fmt.Sprintf].
func FaultAt(line TextLine, t Token, format string, values ...any) *Fault {
	return &Fault{Line: line.number, Column: t.Column, Detail: fmt.Sprintf(format, values...)}
}

// Unexpected returns what should stand where something else does.
func (p *Parser) Unexpected(expected string) *Fault {
	if p.Peek().Kind == LineEnd {
		return p.Fault("the line ends here, expected %s", expected)
	}
	return p.near(p.Fault("expected %s, found %s", expected, p.Peek()), expected)
}

// near adds to a fault the expected keyword that is nearest to the word found.
func (p *Parser) near(f *Fault, expected string) *Fault {
	if found := p.Peek(); found.Kind == Word && !keyword(found.Text) {
		words := strings.Fields(strings.NewReplacer(",", " ", " or ", " ").Replace(expected))
		f.Nearest = english.Nearest(found.Text, slices.DeleteFunc(words, func(w string) bool { return !keyword(w) || w == "of" }))
	}
	return f
}

// String writes the token as it stands in a text.
func (t Token) String() string {
	if t.Kind == quoted {
		return Quote(t.Text)
	}
	return t.Text
}

func (p *Parser) unknown(what, name string, known []string) *Fault {
	return unknownAt(p.Line, p.Peek(), what, name, known)
}

func unknownAt(line TextLine, t Token, what, name string, known []string) *Fault {
	f := FaultAt(line, t, "there is no %s %q", what, name)
	if f.Nearest = english.Nearest(name, known); f.Nearest == "" && len(known) <= 12 {
		f.Detail += "; there are " + english.Join(known)
	}
	return f
}

// Statement reads the rest of the line as a statement.
func (p *Parser) Statement() (*Sentence, *Fault) {
	s, fault := p.statement()
	if fault != nil {
		return nil, p.habit(fault)
	}
	return s, nil
}

func (p *Parser) statement() (*Sentence, *Fault) {
	s := &Sentence{}
	var fault *Fault
	if s.Who, fault = p.subjects("may"); fault != nil {
		return nil, fault
	}
	if p.Skip("except") {
		if s.Except, fault = p.subjects("may"); fault != nil {
			return nil, fault
		}
	}
	if !p.Skip("may") {
		f := p.Unexpected("a comma, except or may")
		if first := p.Line.Tokens[0]; first.Text == "group" && p.At == 1 {
			f.Detail = "a group is named by its name alone: remove the word group"
		} else if near := english.Nearest(first.Text, []string{"user", "service", "people"}); p.At == 1 && near != "" {
			f.Column, f.Detail, f.Nearest = first.Column, fmt.Sprintf("expected who is meant, found %s", first), near
		}
		return nil, f
	}
	s.Modal = May
	if t := p.Peek(); t.Kind == Word && t.Text == "not" {
		return nil, p.Fault("may not is not clear: write may never to cut off; what nobody is given is denied without a statement")
	}
	if p.Skip("never") {
		s.Modal = MayNever
	} else if p.Skip("only") {
		s.Modal = MayOnly
	}
	if fault = p.what(s); fault != nil {
		return nil, fault
	}
	return s, p.terms(s)
}

// terms reads condition and period, to the end of the line.
func (p *Parser) terms(s *Sentence) *Fault {
	var fault *Fault
	if p.Peek().Text == "if" && p.Peek().Kind == Word {
		if s.Modal == MayOnly {
			return p.Fault("may only takes no if: a cap that comes and goes would open what it caps; use may never with the condition")
		}
		p.At++
		if s.Condition, fault = p.condition(); fault != nil {
			return fault
		}
	}
	if p.Skip("from") {
		if s.Period.From, fault = p.instant(); fault != nil {
			return fault
		}
	}
	until := p.Peek()
	if p.Skip("until") {
		if s.Period.Until, fault = p.instant(); fault != nil {
			return fault
		}
	}
	if err := s.Period.Check(); err != nil {
		return FaultAt(p.Line, until, "%v", err)
	}
	if t := p.Peek(); t.Kind == Word && (t.Text == "if" && s.Condition == nil || t.Text == "from" && s.Period.From.IsZero()) {
		return p.Fault("%s stands earlier: first if, then from, then until", t.Text)
	}
	if p.Peek().Kind != LineEnd {
		var expected []string
		if s.Condition == nil && s.Period.IsEmpty() && s.Modal != MayOnly {
			expected = append(expected, "if")
		}
		if s.Period.IsEmpty() {
			expected = append(expected, "from")
		}
		if s.Period.Until.IsZero() {
			expected = append(expected, "until")
		}
		return p.Unexpected(Alternatives(append(expected, "the end of the line")))
	}
	return nil
}

func (p *Parser) instant() (time.Time, *Fault) {
	t := p.Peek()
	if t.Kind != Word {
		return time.Time{}, p.Unexpected("a moment, such as 2027-03-31 or 2027-03-31T18:00:00Z")
	}
	instant, err := ParseInstant(t.Text)
	if err != nil {
		return time.Time{}, p.Fault("%v", err)
	}
	p.At++
	return instant, nil
}

// Name reads a name: a word that is no keyword, or any in quotes.
func (p *Parser) Name(expected string) (Token, *Fault) { return p.nameBut(expected, keyword) }

func (p *Parser) nameBut(expected string, reserved func(string) bool) (Token, *Fault) {
	t := p.Peek()
	switch {
	case t.Kind == Word && reserved(t.Text):
		f := p.Unexpected(expected)
		f.Detail += fmt.Sprintf(", which is a word of the language: put a name that is one in quotes, %q", t.Text)
		f.Nearest = ""
		return t, f
	case t.Kind != Word && t.Kind != quoted:
		return t, p.Unexpected(expected)
	}
	p.At++
	return t, nil
}

// mostNames bounds each list in a statement.
const mostNames = 200

// names reads names, separated by commas.
func (p *Parser) names(expected string, reserved func(string) bool) ([]Token, *Fault) {
	var names []Token
	for {
		t, fault := p.nameBut(expected, reserved)
		if fault != nil {
			return nil, fault
		}
		if slices.ContainsFunc(names, func(other Token) bool { return other.Text == t.Text }) {
			return nil, FaultAt(p.Line, t, "%s is named twice", t.Text)
		}
		if names = append(names, t); len(names) > mostNames {
			return nil, FaultAt(p.Line, t, "the statement lists more than %d: make a group, or several statements", mostNames)
		}
		if !p.SkipMark(",") {
			return names, nil
		}
	}
}

func (p *Parser) subjects(before string) ([]WrittenSubject, *Fault) {
	var subjects []WrittenSubject
	for {
		s, fault := p.subject(before)
		if fault != nil {
			return nil, fault
		}
		for _, other := range subjects {
			if other.Kind == s.Kind && other.Name.Text == s.Name.Text && other.Claim.Text == s.Claim.Text && other.Value.Text == s.Value.Text {
				return nil, FaultAt(p.Line, s.Name, "%s is named twice", s.Name.Text)
			}
		}
		if subjects = append(subjects, s); len(subjects) > mostNames {
			return nil, FaultAt(p.Line, s.Name, "the statement lists more than %d: make a group, or several statements", mostNames)
		}
		if !p.SkipMark(",") {
			return subjects, nil
		}
	}
}

const aSubject = "who is meant: a group, or user, service account, service, everyone, staff, guests, signed-in, public or people from"

func (p *Parser) subject(before string) (s WrittenSubject, fault *Fault) {
	t := p.Peek()
	if t.Kind == Word && !keyword(t.Text) || t.Kind == quoted {
		p.At++
		return WrittenSubject{Kind: model.Group, Name: t}, nil
	}
	switch {
	case p.Skip("user"):
		s.Kind = model.User
		s.Name, fault = p.Name("the user's name")
	case p.Skip("service"):
		if p.Skip("account") {
			s.Kind = model.ServiceAccount
			s.Name, fault = p.Name("the service account's address")
		} else {
			s.Kind = model.PlatformService
			s.Name, fault = p.Name("a platform service, or account and a service account's address")
		}
	case p.Skip("people"):
		if !p.Skip("from") {
			return s, p.Unexpected("from and an identity provider")
		}
		if s.Name, fault = p.Name("the identity provider's name"); fault != nil || !p.Skip("with") {
			return s, fault
		}
		if s.Claim, fault = p.Name("the claim's name"); fault != nil {
			return s, fault
		}
		if s.Claim.Text == "" {
			p.At--
			return s, p.Unexpected("the claim's name")
		}
		if s.Value = p.Peek(); s.Value.Kind != quoted {
			return s, p.Unexpected("the claim's value in quotes")
		}
		p.At++
	case p.Skip("everyone"), p.Skip("staff"), p.Skip("guests"), p.Skip("signed-in"), p.Skip("public"):
		s.Kind, s.Name = model.BuiltInSet, t
	case t.Kind == Word && t.Text == before && p.At == 0:
		return s, p.Fault("a statement begins with who is meant, expected that before %s", before)
	default:
		f := p.Unexpected(aSubject)
		f.Nearest = ""
		return s, f
	}
	return s, fault
}

// what reads what a statement gives, cuts or leaves.
func (p *Parser) what(s *Sentence) (fault *Fault) {
	if p.Peek().Text == "act" && p.Peek().Kind == Word {
		if s.Modal != May {
			return p.Fault("%s names acts, not roles: write them out, such as observe, operate storage", s.Modal)
		}
		p.At++
		if !p.Skip("as") {
			return p.Unexpected("as and a role")
		}
		s.Roles, fault = p.names("a role", keyword)
		return fault
	}
	if p.Skip("do") {
		if !p.Skip("anything") {
			return p.Unexpected("anything after do (or the act alone, without do)")
		}
		s.anything = true
		if !p.Skip("to") {
			return nil
		}
		return p.things(s)
	}
	if p.Peek().Text == "anything" && p.Peek().Kind == Word {
		return p.Fault("expected an act before anything: write do anything, or a class or operation such as observe anything")
	}
	expected := "an act: an operation, a class, do anything"
	if s.Modal == May {
		expected = "never, only, act as, do anything, or an act: an operation or a class"
	}
	if s.Acts, fault = p.names(expected, catalogue.Reserved); fault != nil {
		return fault
	}
	if fault = p.knownActs(s.Acts); fault != nil {
		return fault
	}
	if p.Skip("data") {
		if !p.Skip("of") {
			return p.Unexpected("of after data")
		}
		s.Data = true
	}
	return p.things(s)
}

func (p *Parser) things(s *Sentence) (fault *Fault) {
	if p.Skip("anything") {
		return nil
	}
	if s.Things, fault = p.names("a type, a service or anything", catalogue.Reserved); fault != nil {
		return fault
	}
	return p.knownThings(s.Things)
}

func (p *Parser) knownActs(acts []Token) *Fault {
	c := p.Catalogue
	for _, t := range acts {
		if slices.Contains(english.Words(catalogue.Classes), t.Text) || c.IsOperation(t.Text) {
			continue
		}
		f := FaultAt(p.Line, t, "there is no operation or class %q", t.Text)
		if c.IsType(t.Text) || c.Service(t.Text) != nil {
			f.Detail = t.Text + " is what something is done to: name the acts before it, without a comma between, such as observe " + t.Text
			return f
		}
		if f.Nearest = english.Nearest(t.Text, append(c.OperationNames(), english.Words(catalogue.Classes)...)); f.Nearest == "" {
			f.Nearest = meantClass(t.Text)
		}
		if f.Nearest == "" {
			f.Detail += "; the classes are " + english.Join(english.Words(catalogue.Classes))
		}
		return f
	}
	return nil
}

func (p *Parser) knownThings(things []Token) *Fault {
	c := p.Catalogue
	for _, t := range things {
		if c.IsType(t.Text) || c.Service(t.Text) != nil {
			continue
		}
		f := FaultAt(p.Line, t, "there is no type or service %q", t.Text)
		if slices.Contains(english.Words(catalogue.Classes), t.Text) || c.IsOperation(t.Text) {
			f.Detail = t.Text + " is an act: put a comma between acts, and the types or services after them"
			return f
		}
		f.Nearest = english.Nearest(t.Text, append(append(c.TypeNames(), c.ServiceNames()...), "anything"))
		return f
	}
	return nil
}
