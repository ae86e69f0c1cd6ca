package access

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// parser reads one line.
type parser struct {
	line      textLine
	at        int
	catalogue *Catalogue // whose words acts and things are; nil in a condition
	gathering bool       // a gathering group's condition is read
	kept      bool       // what was kept is read, which may have the words of before
}

// subject is a subject as written.
type subject struct {
	kind  PrincipalKind // of a principal; 0 for people from a provider
	name  token
	claim token
	value token
}

// sentence is a statement as written.
type sentence struct {
	who       []subject
	except    []subject
	modal     Modal
	roles     []token
	anything  bool // do anything
	acts      []token
	data      bool
	things    []token // none for "anything"
	condition *Condition
	period    Period
}

func (p *parser) peek() token { return p.line.tokens[p.at] }

// skip passes a keyword if it comes next.
func (p *parser) skip(keyword string) bool {
	if t := p.peek(); t.kind == word && t.text == keyword {
		p.at++
		return true
	}
	return false
}

func (p *parser) skipMark(text string) bool {
	if t := p.peek(); t.kind == mark && t.text == text {
		p.at++
		return true
	}
	return false
}

func (p *parser) fault(format string, values ...any) *Fault {
	return faultAt(p.line, p.peek(), format, values...)
}

func faultAt(line textLine, t token, format string, values ...any) *Fault {
	return &Fault{Line: line.number, Column: t.column, Detail: fmt.Sprintf(format, values...)}
}

// unexpected says what should stand where something else does.
func (p *parser) unexpected(expected string) *Fault {
	found := p.peek()
	if found.kind == lineEnd {
		return p.fault("the line ends here, expected %s", expected)
	}
	f := p.fault("expected %s, found %s", expected, found)
	if found.kind == word && !keyword(found.text) {
		words := strings.Fields(strings.NewReplacer(",", " ", " or ", " ").Replace(expected))
		f.Nearest = Nearest(found.text, slices.DeleteFunc(words, func(w string) bool { return !keyword(w) || w == "of" }))
	}
	return f
}

func (t token) String() string {
	if t.kind == quoted {
		return quote(t.text)
	}
	return t.text
}

func (p *parser) unknown(what, name string, known []string) *Fault {
	return unknownAt(p.line, p.peek(), what, name, known)
}

func unknownAt(line textLine, t token, what, name string, known []string) *Fault {
	f := faultAt(line, t, "there is no %s %q", what, name)
	if f.Nearest = Nearest(name, known); f.Nearest == "" && len(known) <= 12 {
		f.Detail += "; there are " + InARow(known)
	}
	return f
}

// statement reads the rest of the line as a statement.
func (p *parser) statement() (*sentence, *Fault) {
	s := &sentence{}
	var fault *Fault
	if s.who, fault = p.subjects("may"); fault != nil {
		return nil, fault
	}
	if p.skip("except") {
		if s.except, fault = p.subjects("may"); fault != nil {
			return nil, fault
		}
	}
	if !p.skip("may") {
		f := p.unexpected("a comma, except or may")
		if first := p.line.tokens[0]; first.text == "group" && p.at == 1 {
			f.Detail = "a group is named by its name alone: remove the word group"
		} else if near := Nearest(first.text, []string{"user", "service", "people"}); p.at == 1 && near != "" {
			f.Column, f.Detail, f.Nearest = first.column, fmt.Sprintf("expected who is meant, found %s", first), near
		}
		return nil, f
	}
	s.modal = May
	if t := p.peek(); t.kind == word && t.text == "not" {
		return nil, p.fault("may not is not clear: write may never to cut off; what nobody is given is denied without a statement")
	}
	if p.skip("never") {
		s.modal = MayNever
	} else if p.skip("only") {
		s.modal = MayOnly
	}
	if fault = p.what(s); fault != nil {
		return nil, fault
	}
	return s, p.terms(s)
}

// terms reads condition and period, to the end of the line.
func (p *parser) terms(s *sentence) *Fault {
	var fault *Fault
	if p.peek().text == "if" && p.peek().kind == word {
		if s.modal == MayOnly {
			return p.fault("may only takes no if: a cap that comes and goes would open what it caps; use may never with the condition")
		}
		p.at++
		if s.condition, fault = p.condition(); fault != nil {
			return fault
		}
	}
	if p.skip("from") {
		if s.period.From, fault = p.instant(); fault != nil {
			return fault
		}
	}
	until := p.peek()
	if p.skip("until") {
		if s.period.Until, fault = p.instant(); fault != nil {
			return fault
		}
	}
	if err := s.period.check(); err != nil {
		return faultAt(p.line, until, "%v", err)
	}
	if t := p.peek(); t.kind == word && (t.text == "if" && s.condition == nil || t.text == "from" && s.period.From.IsZero()) {
		return p.fault("%s stands earlier: first if, then from, then until", t.text)
	}
	if p.peek().kind != lineEnd {
		var expected []string
		if s.condition == nil && s.period.isEmpty() && s.modal != MayOnly {
			expected = append(expected, "if")
		}
		if s.period.isEmpty() {
			expected = append(expected, "from")
		}
		if s.period.Until.IsZero() {
			expected = append(expected, "until")
		}
		return p.unexpected(alternatives(append(expected, "the end of the line")))
	}
	return nil
}

func (p *parser) instant() (time.Time, *Fault) {
	t := p.peek()
	if t.kind != word {
		return time.Time{}, p.unexpected("a moment, such as 2027-03-31 or 2027-03-31T18:00:00Z")
	}
	instant, err := ParseInstant(t.text)
	if err != nil {
		return time.Time{}, p.fault("%v", err)
	}
	p.at++
	return instant, nil
}

// name reads a name: a word that is no keyword, or any in quotes.
func (p *parser) name(expected string) (token, *Fault) { return p.nameBut(expected, keyword) }

func (p *parser) nameBut(expected string, reserved func(string) bool) (token, *Fault) {
	t := p.peek()
	switch {
	case t.kind == word && reserved(t.text):
		f := p.unexpected(expected)
		f.Detail += fmt.Sprintf(", which is a word of the language: put a name that is one in quotes, %q", t.text)
		f.Nearest = ""
		return t, f
	case t.kind != word && t.kind != quoted:
		return t, p.unexpected(expected)
	}
	p.at++
	return t, nil
}

// mostNames bounds each list in a statement.
const mostNames = 200

// names reads names, separated by commas.
func (p *parser) names(expected string, reserved func(string) bool) ([]token, *Fault) {
	var names []token
	for {
		t, fault := p.nameBut(expected, reserved)
		if fault != nil {
			return nil, fault
		}
		if slices.ContainsFunc(names, func(other token) bool { return other.text == t.text }) {
			return nil, faultAt(p.line, t, "%s is named twice", t.text)
		}
		if names = append(names, t); len(names) > mostNames {
			return nil, faultAt(p.line, t, "the statement lists more than %d: make a group, or several statements", mostNames)
		}
		if !p.skipMark(",") {
			return names, nil
		}
	}
}

func (p *parser) subjects(before string) ([]subject, *Fault) {
	var subjects []subject
	for {
		s, fault := p.subject(before)
		if fault != nil {
			return nil, fault
		}
		for _, other := range subjects {
			if other.kind == s.kind && other.name.text == s.name.text && other.claim.text == s.claim.text && other.value.text == s.value.text {
				return nil, faultAt(p.line, s.name, "%s is named twice", s.name.text)
			}
		}
		if subjects = append(subjects, s); len(subjects) > mostNames {
			return nil, faultAt(p.line, s.name, "the statement lists more than %d: make a group, or several statements", mostNames)
		}
		if !p.skipMark(",") {
			return subjects, nil
		}
	}
}

const aSubject = "who is meant: a group, or user, service account, service, everyone, staff, guests, signed-in, public or people from"

func (p *parser) subject(before string) (s subject, fault *Fault) {
	t := p.peek()
	if t.kind == word && !keyword(t.text) || t.kind == quoted {
		p.at++
		return subject{kind: Group, name: t}, nil
	}
	switch {
	case p.skip("user"):
		s.kind = User
		s.name, fault = p.name("the user's name")
	case p.skip("service"):
		if p.skip("account") {
			s.kind = ServiceAccount
			s.name, fault = p.name("the service account's address")
		} else {
			s.kind = PlatformService
			s.name, fault = p.name("a platform service, or account and a service account's address")
		}
	case p.skip("people"):
		if !p.skip("from") {
			return s, p.unexpected("from and an identity provider")
		}
		if s.name, fault = p.name("the identity provider's name"); fault != nil || !p.skip("with") {
			return s, fault
		}
		if s.claim, fault = p.name("the claim's name"); fault != nil {
			return s, fault
		}
		if s.value = p.peek(); s.value.kind != quoted {
			return s, p.unexpected("the claim's value in quotes")
		}
		p.at++
	case p.skip("everyone"), p.skip("staff"), p.skip("guests"), p.skip("signed-in"), p.skip("public"):
		s.kind, s.name = BuiltInSet, t
	case t.kind == word && t.text == before && p.at == 0:
		return s, p.fault("a statement begins with who is meant, expected that before %s", before)
	default:
		f := p.unexpected(aSubject)
		f.Nearest = ""
		return s, f
	}
	return s, fault
}

// what reads what a statement gives, cuts or leaves.
func (p *parser) what(s *sentence) (fault *Fault) {
	if p.peek().text == "act" && p.peek().kind == word {
		if s.modal != May {
			return p.fault("%s names acts, not roles: write them out, such as observe, operate storage", s.modal)
		}
		p.at++
		if !p.skip("as") {
			return p.unexpected("as and a role")
		}
		s.roles, fault = p.names("a role", keyword)
		return fault
	}
	if p.skip("do") {
		if !p.skip("anything") {
			return p.unexpected("anything after do (or the act alone, without do)")
		}
		s.anything = true
		if !p.skip("to") {
			return nil
		}
		return p.things(s)
	}
	if p.peek().text == "anything" && p.peek().kind == word {
		return p.fault("expected an act before anything: write do anything, or a class or operation such as observe anything")
	}
	expected := "an act: an operation, a class, do anything"
	if s.modal == May {
		expected = "never, only, act as, do anything, or an act: an operation or a class"
	}
	if s.acts, fault = p.names(expected, turningWord); fault != nil {
		return fault
	}
	if fault = p.knownActs(s.acts); fault != nil {
		return fault
	}
	if p.skip("data") {
		if !p.skip("of") {
			return p.unexpected("of after data")
		}
		s.data = true
	}
	return p.things(s)
}

func (p *parser) things(s *sentence) (fault *Fault) {
	if p.skip("anything") {
		return nil
	}
	if s.things, fault = p.names("a type, a service or anything", turningWord); fault != nil {
		return fault
	}
	return p.knownThings(s.things)
}

func (p *parser) knownActs(acts []token) *Fault {
	c := p.catalogue
	for _, t := range acts {
		if slices.Contains(wordsOf(Classes), t.text) || c.isOperation(t.text) {
			continue
		}
		f := faultAt(p.line, t, "there is no operation or class %q", t.text)
		if c.types[t.text] != nil || c.service(t.text) != nil {
			f.Detail = t.text + " is what something is done to: name the acts before it, without a comma between, such as observe " + t.text
			return f
		}
		f.Nearest = Nearest(t.text, append(c.operationNames(), wordsOf(Classes)...))
		return f
	}
	return nil
}

func (p *parser) knownThings(things []token) *Fault {
	c := p.catalogue
	for _, t := range things {
		if c.types[t.text] != nil || c.service(t.text) != nil {
			continue
		}
		f := faultAt(p.line, t, "there is no type or service %q", t.text)
		if slices.Contains(wordsOf(Classes), t.text) || c.isOperation(t.text) {
			f.Detail = t.text + " is an act: put a comma between acts, and the types or services after them"
			return f
		}
		f.Nearest = Nearest(t.text, append(append(c.typeNames(), c.serviceNames()...), "anything"))
		return f
	}
	return nil
}
