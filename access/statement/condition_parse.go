package statement

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// ParseCondition reads a condition. The error is a [*TextError].
func ParseCondition(text string) (*Condition, error) { return new(Parser).readCondition(text) }

// ParseGathering reads the condition by which a gathering group has its members. It is written as any other condition but
// asks about principals alone, in short:
//
//	tag team is "seeds" and not name starts with "trial" and kind is "user"
//
// The error is a [*TextError].
func ParseGathering(text string) (*Condition, error) {
	return (&Parser{gathering: true}).readCondition(text)
}

// ParseEntryRule reads the condition that people of an identity provider must fulfil to come in. It is written as any other condition but asks
// about claims alone. An empty text is the nil condition, which everybody fulfils. The error is a [*TextError].
func ParseEntryRule(text string) (*Condition, error) {
	if text == "" {
		return nil, nil
	}
	return (&Parser{claimsOnly: true}).readCondition(text)
}

func (p *Parser) readCondition(text string) (*Condition, error) {
	fail := func(f *Fault) (*Condition, error) { return nil, &TextError{Faults: []*Fault{f}} }
	if strings.ContainsAny(text, "\r\n") {
		return fail(&Fault{Line: 1, Column: 1, Detail: "a condition is one line"})
	}
	line, fault := Lex(text, 1)
	if fault == nil && line.Noted {
		fault = &Fault{Line: 1, Column: 1, Detail: "a condition takes no comment"}
	}
	if fault != nil {
		return fail(fault)
	}
	p.Line = line
	c, fault := p.condition()
	if fault == nil && p.Peek().Kind != LineEnd {
		fault = p.Unexpected("and, or, or the end")
	}
	if fault != nil {
		return fail(fault)
	}
	return c, nil
}

// deepest bounds how deep brackets and nots may be nested.
const deepest = 50

func (p *Parser) condition() (*Condition, *Fault) {
	root, fault := p.or(0)
	if fault != nil {
		return nil, fault
	}
	return &Condition{Root: root}, nil
}

func (p *Parser) or(depth int) (*Expression, *Fault) {
	left, fault := p.and(depth)
	for fault == nil && p.Skip("or") {
		var right *Expression
		if right, fault = p.and(depth); fault == nil {
			left = &Expression{Op: OpOr, Left: left, Right: right}
		}
	}
	return left, fault
}

func (p *Parser) and(depth int) (*Expression, *Fault) {
	left, fault := p.not(depth)
	for fault == nil && p.Skip("and") {
		var right *Expression
		if right, fault = p.not(depth); fault == nil {
			left = &Expression{Op: OpAnd, Left: left, Right: right}
		}
	}
	return left, fault
}

func (p *Parser) not(depth int) (*Expression, *Fault) {
	if depth > deepest {
		return nil, p.Fault("the condition is nested too deep: at most %d brackets and nots may stand within one another", deepest)
	}
	if p.Skip("not") {
		inner, fault := p.not(depth + 1)
		return &Expression{Op: OpNot, Left: inner}, fault
	}
	if p.SkipMark("(") {
		inner, fault := p.or(depth + 1)
		if fault == nil && !p.SkipMark(")") {
			fault = p.Unexpected("and, or, or a closing bracket")
		}
		return inner, fault
	}
	return p.comparison()
}

// attributes are those with fixed names; tags and claims have any.
var attributes = []string{
	"context.time", "context.weekday", "context.hour", "context.ip", "context.location",
	"resource.name", "resource.type", "subject.name", "subject.kind",
}

// formerly are words that conditions had before for what has others now.
var formerly = map[string]string{"request": "context", "principal": "subject"}

func (p *Parser) attribute() (Attribute, *Fault) {
	t := p.Peek()
	if t.Kind != Word || keyword(t.Text) {
		return Attribute{}, p.Unexpected("something to compare, such as context.location, resource.tag.NAME or claim.NAME")
	}
	if p.gathering {
		return p.gatheringAttribute()
	}
	of, name, dotted := strings.Cut(t.Text, ".")
	whole := t.Text
	if now, ok := formerly[of]; ok && dotted {
		if whole = now + "." + name; p.kept {
			of = now
		}
	}
	if p.claimsOnly && of != "claim" {
		return Attribute{}, p.Fault("an entry rule asks about claims alone: write claim.NAME in place of %q", t.Text)
	}
	tag := false
	if rest, ok := strings.CutPrefix(name, "tag."); ok && (of == "resource" || of == "subject") {
		name, tag = rest, true
	}
	switch {
	case tag:
		if model.CheckName(name) != nil {
			return Attribute{}, p.Fault("%q is not a valid name: tags have lower-case letters, digits and hyphens", name)
		}
	case of == "claim" && dotted:
		return p.claim(name)
	case !slices.Contains(attributes, of+"."+name):
		f := p.Fault("there is no attribute %q; there are %s, resource.tag.NAME, subject.tag.NAME and claim.NAME", t.Text, strings.Join(attributes, ", "))
		if strings.HasPrefix(name, "tag.") && whole != t.Text {
			f.Nearest = whole
		} else if f.Nearest = english.Nearest(whole, attributes); f.Nearest == "" {
			for _, known := range attributes {
				if strings.HasSuffix(known, "."+t.Text) {
					f.Nearest = known
					break
				}
			}
		}
		return Attribute{}, f
	}
	p.At++
	a := Attribute{Of: of, Name: name, Tag: tag}
	if a.Clock() {
		return p.zone(a)
	}
	return a, nil
}

// claim reads the name of a claim, as it comes from its provider: what is no word of the language stands in quotes, as in
// claim."urn:oid:2.5.4.11".
func (p *Parser) claim(name string) (Attribute, *Fault) {
	p.At++
	if name == "" {
		t := p.Peek()
		if t.Kind != quoted || t.Text == "" {
			return Attribute{}, p.Unexpected(`the claim's name, such as claim.department or claim."urn:oid:2.5.4.11"`)
		}
		p.At++
		name = t.Text
	}
	return Attribute{Of: "claim", Name: name}, nil
}

// gatheringAttribute reads name, kind or tag NAME.
func (p *Parser) gatheringAttribute() (Attribute, *Fault) {
	a := Attribute{Of: "subject", Name: p.Peek().Text, short: true}
	switch a.Name {
	case "name", "kind":
	case "tag":
		p.At++
		if a.Tag, a.Name = true, p.Peek().Text; p.Peek().Kind != Word || model.CheckName(a.Name) != nil {
			return a, p.Unexpected("the name of a tag, in lower-case letters, digits and hyphens")
		}
	default:
		f := p.Fault("a gathering group cannot ask for %q: it can ask for tag NAME, name and kind", a.Name)
		f.Nearest = english.Nearest(strings.TrimPrefix(strings.TrimPrefix(a.Name, "principal."), "subject."), []string{"tag", "name", "kind"})
		return a, f
	}
	p.At++
	return a, nil
}

// operators returns which comparisons an attribute takes.
func (a Attribute) operators() []operator {
	a.short, a.Zone = false, ""
	switch a.String() {
	case "context.time":
		return []operator{OpBefore, OpAfter}
	case "context.hour":
		return []operator{OpIs, OpIsNot, opLess, opLessOrEqual, opGreater, opGreaterOrEqual}
	case "context.ip":
		return []operator{OpWithin}
	case "context.weekday", "subject.kind", "resource.type":
		return []operator{OpIs, OpIsNot, OpIn}
	case "context.location", "resource.name", "subject.name":
		return []operator{OpIs, OpIsNot, OpIn, OpStartsWith}
	}
	return []operator{OpIs, OpIsNot, OpIn, OpStartsWith, opLess, opLessOrEqual, opGreater, opGreaterOrEqual}
}

func (p *Parser) comparison() (*Expression, *Fault) {
	a, fault := p.attribute()
	if fault != nil {
		return nil, fault
	}
	e := &Expression{Attribute: a}
	allowed := a.operators()
	words := make([]string, len(allowed))
	for i, op := range allowed {
		words[i] = operatorWords[op]
	}
	at := p.At
	if e.Op = p.operator(); !slices.Contains(allowed, e.Op) {
		p.At = at
		expected := Alternatives(words)
		if p.Peek().Kind == LineEnd {
			return nil, p.Fault("%s takes %s", a, expected)
		}
		return nil, p.near(p.Fault("%s takes %s, found %s", a, expected, p.Peek()), expected)
	}
	switch e.Op {
	case OpBefore, OpAfter:
		e.Instant, fault = p.instant()
	case opLess, opLessOrEqual, opGreater, opGreaterOrEqual:
		fault = p.number(e)
	case OpIn:
		fault = p.values(e)
	default:
		if a.Clock() && a.Name == "hour" {
			fault = p.number(e)
		} else {
			fault = p.value(e)
		}
	}
	return e, fault
}

// operator reads a comparison, 0 when there is none.
func (p *Parser) operator() operator {
	t := p.Peek()
	if t.Kind == Mark {
		for _, op := range []operator{opLess, opLessOrEqual, opGreater, opGreaterOrEqual} {
			if t.Text == operatorWords[op] {
				p.At++
				return op
			}
		}
		return 0
	}
	switch {
	case p.Skip("is"):
		if p.Skip("not") {
			return OpIsNot
		}
		return OpIs
	case p.Skip("in"):
		return OpIn
	case p.Skip("before"):
		return OpBefore
	case p.Skip("after"):
		return OpAfter
	case p.Skip("within"):
		return OpWithin
	case p.Skip("starts"):
		if p.Skip("with") {
			return OpStartsWith
		}
	}
	return 0
}

func (p *Parser) number(e *Expression) *Fault {
	t := p.Peek()
	value, err := strconv.ParseFloat(t.Text, 64)
	if t.Kind != Word || err != nil || !plainNumber(t.Text) {
		return p.Unexpected("a number")
	}
	if e.Attribute.Clock() && (value != float64(int(value)) || value < 0 || value > 23) {
		return p.Fault("an hour is a whole number from 0 to 23")
	}
	p.At++
	e.Number = value
	return nil
}

// plainNumber keeps out what printing would write in another form.
func plainNumber(text string) bool {
	value, err := strconv.ParseFloat(text, 64)
	return err == nil && len(text) <= 15 && strings.Trim(text, "-0123456789.") == "" && value == value
}

func (p *Parser) values(e *Expression) *Fault {
	if !p.SkipMark("(") {
		return p.Unexpected(`a list such as ("north", "south")`)
	}
	for {
		if fault := p.value(e); fault != nil {
			return fault
		}
		if p.SkipMark(")") {
			return nil
		}
		if !p.SkipMark(",") {
			return p.Unexpected("a comma or a closing bracket")
		}
	}
}

// value reads a text in quotes and checks it where only some make sense.
func (p *Parser) value(e *Expression) *Fault {
	t := p.Peek()
	if t.Kind != quoted {
		return p.Unexpected("a text in quotes")
	}
	about := e.Attribute
	about.Zone = ""
	switch about.String() {
	case "context.weekday":
		if !slices.Contains(Weekdays, t.Text) {
			return p.unknown("weekday", t.Text, Weekdays)
		}
	case "subject.kind":
		if _, err := model.ParsePrincipalKind(t.Text); err != nil {
			return p.unknown("kind of principal", t.Text, model.PrincipalKindNames[1:])
		}
	case "context.ip":
		network, err := netip.ParsePrefix(t.Text)
		if address, bare := netip.ParseAddr(t.Text); err != nil && bare == nil && address.Zone() == "" {
			network, err = netip.PrefixFrom(address, address.BitLen()), nil
		}
		if err != nil {
			return p.Fault("%q is not a valid network: write one such as \"192.0.2.0/24\" (CIDR)", t.Text)
		}
		e.Network = network
	}
	p.At++
	e.Values = append(e.Values, t.Text)
	return nil
}

// Alternatives writes words as a choice in a sentence.
func Alternatives(words []string) string {
	if len(words) == 1 {
		return words[0]
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}
