package access

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"
)

// ParseCondition reads a condition. The error is a [*TextError].
func ParseCondition(text string) (*Condition, error) { return new(parser).readCondition(text) }

// ParseGathering reads the condition by which a gathering group has its members. It is written as any other condition but
// asks about principals alone, in short:
//
//	tag team is "seeds" and not name starts with "trial" and kind is "user"
//
// The error is a [*TextError].
func ParseGathering(text string) (*Condition, error) {
	return (&parser{gathering: true}).readCondition(text)
}

func (p *parser) readCondition(text string) (*Condition, error) {
	fail := func(f *Fault) (*Condition, error) { return nil, &TextError{Faults: []*Fault{f}} }
	if strings.ContainsAny(text, "\r\n") {
		return fail(&Fault{Line: 1, Column: 1, Detail: "a condition is one line"})
	}
	line, fault := lex(text, 1)
	if fault == nil && line.noted {
		fault = &Fault{Line: 1, Column: 1, Detail: "a condition takes no comment"}
	}
	if fault != nil {
		return fail(fault)
	}
	p.line = line
	c, fault := p.condition()
	if fault == nil && p.peek().kind != lineEnd {
		fault = p.unexpected("and, or, or the end")
	}
	if fault != nil {
		return fail(fault)
	}
	return c, nil
}

// deepest bounds how deep brackets and nots may be nested.
const deepest = 50

func (p *parser) condition() (*Condition, *Fault) {
	root, fault := p.or(0)
	if fault != nil {
		return nil, fault
	}
	return &Condition{root: root}, nil
}

func (p *parser) or(depth int) (*expression, *Fault) {
	left, fault := p.and(depth)
	for fault == nil && p.skip("or") {
		var right *expression
		if right, fault = p.and(depth); fault == nil {
			left = &expression{op: opOr, left: left, right: right}
		}
	}
	return left, fault
}

func (p *parser) and(depth int) (*expression, *Fault) {
	left, fault := p.not(depth)
	for fault == nil && p.skip("and") {
		var right *expression
		if right, fault = p.not(depth); fault == nil {
			left = &expression{op: opAnd, left: left, right: right}
		}
	}
	return left, fault
}

func (p *parser) not(depth int) (*expression, *Fault) {
	if depth > deepest {
		return nil, p.fault("the condition is nested too deep: at most %d brackets and nots may stand within one another", deepest)
	}
	if p.skip("not") {
		inner, fault := p.not(depth + 1)
		return &expression{op: opNot, left: inner}, fault
	}
	if p.skipMark("(") {
		inner, fault := p.or(depth + 1)
		if fault == nil && !p.skipMark(")") {
			fault = p.unexpected("and, or, or a closing bracket")
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

func (p *parser) attribute() (attribute, *Fault) {
	t := p.peek()
	if t.kind != word || keyword(t.text) {
		return attribute{}, p.unexpected("something to compare, such as context.location, resource.tag.NAME or claim.NAME")
	}
	if p.gathering {
		return p.gatheringAttribute()
	}
	of, name, dotted := strings.Cut(t.text, ".")
	whole := t.text
	if now, ok := formerly[of]; ok && dotted {
		if whole = now + "." + name; p.kept {
			of = now
		}
	}
	tag := false
	if rest, ok := strings.CutPrefix(name, "tag."); ok && (of == "resource" || of == "subject") {
		name, tag = rest, true
	}
	switch {
	case tag || of == "claim" && dotted:
		if CheckName(name) != nil {
			return attribute{}, p.fault("%q is not a valid name: tags and claims have lower-case letters, digits and hyphens", name)
		}
	case !slices.Contains(attributes, of+"."+name):
		f := p.fault("there is no attribute %q; there are %s, resource.tag.NAME, subject.tag.NAME and claim.NAME", t.text, strings.Join(attributes, ", "))
		if strings.HasPrefix(name, "tag.") && whole != t.text {
			f.Nearest = whole
		} else if f.Nearest = Nearest(whole, attributes); f.Nearest == "" {
			for _, known := range attributes {
				if strings.HasSuffix(known, "."+t.text) {
					f.Nearest = known
					break
				}
			}
		}
		return attribute{}, f
	}
	p.at++
	return attribute{of: of, name: name, tag: tag}, nil
}

// gatheringAttribute reads name, kind or tag NAME.
func (p *parser) gatheringAttribute() (attribute, *Fault) {
	a := attribute{of: "subject", name: p.peek().text, short: true}
	switch a.name {
	case "name", "kind":
	case "tag":
		p.at++
		if a.tag, a.name = true, p.peek().text; p.peek().kind != word || CheckName(a.name) != nil {
			return a, p.unexpected("the name of a tag, in lower-case letters, digits and hyphens")
		}
	default:
		f := p.fault("%q is nothing that a gathering group can ask for: it asks for tag NAME, name and kind", a.name)
		f.Nearest = Nearest(strings.TrimPrefix(strings.TrimPrefix(a.name, "principal."), "subject."), []string{"tag", "name", "kind"})
		return a, f
	}
	p.at++
	return a, nil
}

// operators says which comparisons an attribute takes.
func (a attribute) operators() []operator {
	a.short = false
	switch a.String() {
	case "context.time":
		return []operator{opBefore, opAfter}
	case "context.hour":
		return []operator{opIs, opIsNot, opLess, opLessOrEqual, opGreater, opGreaterOrEqual}
	case "context.ip":
		return []operator{opWithin}
	case "context.weekday", "subject.kind", "resource.type":
		return []operator{opIs, opIsNot, opIn}
	case "context.location", "resource.name", "subject.name":
		return []operator{opIs, opIsNot, opIn, opStartsWith}
	}
	return []operator{opIs, opIsNot, opIn, opStartsWith, opLess, opLessOrEqual, opGreater, opGreaterOrEqual}
}

func (p *parser) comparison() (*expression, *Fault) {
	a, fault := p.attribute()
	if fault != nil {
		return nil, fault
	}
	e := &expression{attribute: a}
	allowed := a.operators()
	words := make([]string, len(allowed))
	for i, op := range allowed {
		words[i] = operatorWords[op]
	}
	at := p.at
	if e.op = p.operator(); !slices.Contains(allowed, e.op) {
		p.at = at
		f := p.unexpected(alternatives(words))
		f.Detail = a.String() + " takes " + strings.TrimPrefix(strings.TrimPrefix(f.Detail, "expected "), "the line ends here, expected ")
		return nil, f
	}
	switch e.op {
	case opBefore, opAfter:
		e.instant, fault = p.instant()
	case opLess, opLessOrEqual, opGreater, opGreaterOrEqual:
		fault = p.number(e)
	case opIn:
		fault = p.values(e)
	default:
		if a.String() == "context.hour" {
			fault = p.number(e)
		} else {
			fault = p.value(e)
		}
	}
	return e, fault
}

// operator reads a comparison, 0 when there is none.
func (p *parser) operator() operator {
	t := p.peek()
	if t.kind == mark {
		for _, op := range []operator{opLess, opLessOrEqual, opGreater, opGreaterOrEqual} {
			if t.text == operatorWords[op] {
				p.at++
				return op
			}
		}
		return 0
	}
	switch {
	case p.skip("is"):
		if p.skip("not") {
			return opIsNot
		}
		return opIs
	case p.skip("in"):
		return opIn
	case p.skip("before"):
		return opBefore
	case p.skip("after"):
		return opAfter
	case p.skip("within"):
		return opWithin
	case p.skip("starts"):
		if p.skip("with") {
			return opStartsWith
		}
	}
	return 0
}

func (p *parser) number(e *expression) *Fault {
	t := p.peek()
	value, err := strconv.ParseFloat(t.text, 64)
	if t.kind != word || err != nil || !plainNumber(t.text) {
		return p.unexpected("a number")
	}
	if e.attribute.String() == "context.hour" && (value != float64(int(value)) || value < 0 || value > 23) {
		return p.fault("an hour is a whole number from 0 to 23, in UTC")
	}
	p.at++
	e.number = value
	return nil
}

// plainNumber keeps out what printing would write in another form.
func plainNumber(text string) bool {
	value, err := strconv.ParseFloat(text, 64)
	return err == nil && len(text) <= 15 && strings.Trim(text, "-0123456789.") == "" && value == value
}

func (p *parser) values(e *expression) *Fault {
	if !p.skipMark("(") {
		return p.unexpected(`a list such as ("north", "south")`)
	}
	for {
		if fault := p.value(e); fault != nil {
			return fault
		}
		if p.skipMark(")") {
			return nil
		}
		if !p.skipMark(",") {
			return p.unexpected("a comma or a closing bracket")
		}
	}
}

// value reads a text in quotes and checks it where only some make sense.
func (p *parser) value(e *expression) *Fault {
	t := p.peek()
	if t.kind != quoted {
		return p.unexpected("a text in quotes")
	}
	switch e.attribute.String() {
	case "context.weekday":
		if !slices.Contains(weekdays, t.text) {
			return p.unknown("weekday", t.text, weekdays)
		}
	case "subject.kind":
		if _, err := ParsePrincipalKind(t.text); err != nil {
			return p.unknown("kind of principal", t.text, principalKindNames[1:])
		}
	case "context.ip":
		network, err := netip.ParsePrefix(t.text)
		if address, bare := netip.ParseAddr(t.text); err != nil && bare == nil && address.Zone() == "" {
			network, err = netip.PrefixFrom(address, address.BitLen()), nil
		}
		if err != nil {
			return p.fault("%q is not a valid network: write one such as \"192.0.2.0/24\" (CIDR)", t.text)
		}
		e.network = network
	}
	p.at++
	e.values = append(e.values, t.text)
	return nil
}

// alternatives writes words as a choice in a sentence.
func alternatives(words []string) string {
	if len(words) == 1 {
		return words[0]
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}
