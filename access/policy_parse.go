package access

import (
	"slices"
	"strings"
)

// maxPolicyText bounds a policy's text, in bytes.
const maxPolicyText = 1 << 20

// Reader reads policies for one viewer: what they may not see is answered like what is not there.
type Reader struct {
	Snapshot *Snapshot
	View     *View // nil to see everything
	Scope    ID    // of the policy
	Before   []ID  // places outside the scope that the policy named already: statements laid to rest by a move
}

// place is where a block's statements hold.
type blockPlace struct {
	id   ID
	here bool
}

// ParsePolicy reads the text of a policy: all of it, or nothing. The error is a [*TextError] that lists every faulty line.
func (r Reader) ParsePolicy(text string) (statements []Statement, notes []string, err error) {
	scope, ok := r.Snapshot.Scope(r.Scope)
	if !ok {
		return nil, nil, violation(RuleUnknown, "the scope of the policy is not there")
	}
	if len(text) > maxPolicyText {
		return nil, nil, &TextError{Faults: []*Fault{{Line: 1, Column: 1, Detail: "the text is longer than a policy may be: divide it into several"}}}
	}
	var faults []*Fault
	own := blockPlace{id: scope.ID}
	block, inBlock, blockLine, filled := own, false, 0, true
	for i, raw := range strings.Split(strings.TrimSuffix(text, "\n"), "\n") {
		line, fault := lex(strings.TrimSuffix(raw, "\r"), i+1)
		if fault != nil {
			faults, filled = append(faults, fault), true
			continue
		}
		if len(line.tokens) == 1 {
			if line.noted {
				notes = append(notes, line.comment)
			}
			continue
		}
		p := &parser{line: line, catalogue: r.Snapshot.catalogue}
		if p.peek().kind == word && (p.peek().text == "under" || p.peek().text == "at") {
			if !filled {
				faults = append(faults, emptyBlock(blockLine))
			}
			if line.indent > 0 {
				faults = append(faults, p.fault("a block begins at the beginning of a line: blocks do not stand in one another"))
				filled = true
				continue
			}
			place, fault := r.heading(p)
			block, inBlock, blockLine, filled = place, true, i+1, fault != nil
			if fault != nil {
				faults = append(faults, fault)
				continue
			}
			if p.peek().kind == lineEnd {
				if line.noted {
					notes = append(notes, line.comment)
				}
				continue
			}
			st, fault := r.bind(p, place)
			faults, statements, notes = keep(faults, statements, notes, st, fault, line)
			inBlock, filled = false, true
			continue
		}
		if end := len(line.tokens) - 2; line.indent == 0 && line.tokens[end] == (token{kind: mark, text: ":", column: line.tokens[end].column}) {
			f := p.fault("a heading begins with under or at")
			f.Nearest = Nearest(p.peek().text, []string{"under", "at"})
			faults, block, inBlock, filled = append(faults, f), own, true, true
			continue
		}
		at := own
		switch {
		case line.indent > 0 && inBlock:
			at, filled = block, true
		case line.indent > 0:
			faults = append(faults, p.fault("an indented statement belongs under a heading, such as under ADDRESS: or at ADDRESS:"))
			continue
		case !filled:
			faults, filled = append(faults, emptyBlock(blockLine)), true
		}
		inBlock = inBlock && line.indent > 0
		st, fault := r.bind(p, at)
		faults, statements, notes = keep(faults, statements, notes, st, fault, line)
	}
	if !filled {
		faults = append(faults, emptyBlock(blockLine))
	}
	if len(faults) > 0 {
		slices.SortStableFunc(faults, func(a, b *Fault) int { return a.Line - b.Line })
		return nil, nil, &TextError{Faults: faults}
	}
	return statements, notes, nil
}

func emptyBlock(line int) *Fault {
	return &Fault{Line: line, Column: 1, Detail: "the block is empty: indent its statements beneath it, or take the heading away"}
}

// keep takes what a line gave; a statement takes the comments above it.
func keep(faults []*Fault, statements []Statement, notes []string, st *Statement, fault *Fault, line textLine) ([]*Fault, []Statement, []string) {
	if fault != nil {
		return append(faults, fault), statements, notes
	}
	st.Notes, st.Note = notes, line.comment
	return faults, append(statements, *st), nil
}

// heading reads the heading of a block, with its colon.
func (r Reader) heading(p *parser) (blockPlace, *Fault) {
	place := blockPlace{here: p.peek().text == "at"}
	p.at++
	if p.skip("here") {
		place.id = r.Scope
	} else {
		address, fault := p.name("an address beneath the policy's scope, or here")
		if fault != nil {
			return place, fault
		}
		if place.id, fault = r.place(p.line, address); fault != nil {
			return place, fault
		}
	}
	if !p.skipMark(":") {
		return place, p.unexpected("a colon after the address")
	}
	return place, nil
}

// place finds the scope of an address that is relative to the policy's scope, or, with a slash before it, full.
func (r Reader) place(line textLine, t token) (ID, *Fault) {
	s := r.Snapshot
	base := s.Address(r.Scope)
	full := base + "/" + t.text
	if strings.HasPrefix(t.text, "/") {
		full = t.text[1:]
	}
	found, err := s.Resolve(full, r.View)
	if err != nil || found.Rest != "" {
		f := faultAt(line, t, "there is no scope %s under %s", t.text, base)
		if found.Rest != "" {
			f.Detail = "what is in " + s.Address(found.Scope.ID) + " is decided by it: name that as the place"
		}
		if v, ok := err.(*Violation); ok && v.Nearest != "" {
			f.Nearest = strings.TrimPrefix(v.Nearest, base+"/")
		}
		if absolute, err := s.Resolve(t.text, r.View); err == nil && strings.HasPrefix(t.text, base+"/") {
			f.Nearest = strings.TrimPrefix(s.Address(absolute.Scope.ID), base+"/")
		}
		return ID{}, f
	}
	id := found.Scope.ID
	n, _ := s.scopeNumber(id)
	scope, _ := s.scopeNumber(r.Scope)
	if !s.isAtOrBeneath(n, scope) && !slices.Contains(r.Before, id) {
		return ID{}, faultAt(line, t, "%s is outside %s, the scope of this policy: a statement holds there or beneath", t.text, base)
	}
	return id, nil
}

// bind reads a statement and binds what it names.
func (r Reader) bind(p *parser, at blockPlace) (*Statement, *Fault) {
	written, fault := p.statement()
	if fault != nil {
		return nil, fault
	}
	st := &Statement{
		Place: at.id, Here: at.here, Modal: written.modal, Data: written.data, Condition: written.condition, Period: written.period,
	}
	if st.Who, fault = r.subjects(p.line, written.who); fault != nil {
		return nil, fault
	}
	if st.Except, fault = r.subjects(p.line, written.except); fault != nil {
		return nil, fault
	}
	for _, t := range written.roles {
		role, err := r.Snapshot.Role(t.text)
		if err != nil {
			f := faultAt(p.line, t, "there is no role %q", t.text)
			f.Nearest = err.(*Violation).Nearest
			return nil, f
		}
		n, _ := r.Snapshot.scopeNumber(at.id)
		if where := r.Snapshot.outside(role, n); where != "" {
			return nil, faultAt(p.line, t, "%s may be granted %s only", t.text, where)
		}
		st.Roles = append(st.Roles, t.text)
	}
	if fault = r.acts(p.line, written, st); fault != nil {
		return nil, fault
	}
	return st, nil
}

// acts binds acts and things, and sees that each of them means something.
func (r Reader) acts(line textLine, written *sentence, st *Statement) *Fault {
	c := r.Snapshot.catalogue
	for _, t := range written.things {
		st.Things = append(st.Things, t.text)
	}
	for _, t := range written.acts {
		st.Acts = append(st.Acts, t.text)
	}
	// A class that has nothing there, beside others that have, may have something once the catalogue grows.
	alone := func(acts, things []string) bool {
		one := Statement{Modal: st.Modal, Acts: acts, Things: things, Data: st.Data}
		if one.Modal == MayOnly {
			one.Modal = May
		}
		set, _ := r.Snapshot.permissionsOf(&one)
		return set.Len() > 0
	}
	together := alone(st.Acts, st.Things)
	for i, t := range written.acts {
		class := slices.Contains(wordsOf(Classes), t.text)
		if (!together || !class) && !alone(st.Acts[i:i+1], st.Things) {
			return faultAt(line, t, "%s", c.pointless(t.text, st))
		}
	}
	for i, t := range written.things {
		if !alone(st.Acts, st.Things[i:i+1]) {
			return faultAt(line, t, "none of these acts can be done to %s", t.text)
		}
	}
	return nil
}

// pointless says why an act means nothing for the things of a statement.
func (c *Catalogue) pointless(act string, st *Statement) string {
	things := "anything"
	if len(st.Things) > 0 {
		things = alternatives(st.Things)
	}
	if st.Data {
		return act + " does nothing to data of " + things + ": take data of away, or choose another act"
	}
	onData := slices.ContainsFunc(c.operations, func(o Operation) bool {
		return about(st.Things, o) && o.Plane == Data && (o.Name == act || string(o.Class) == act)
	})
	if onData {
		return act + " alone means the control plane, where " + things + " has nothing to " + act + ": write " + act + " data of " + things
	}
	return "nothing can " + act + " " + things
}

func (r Reader) subjects(line textLine, written []subject) ([]Subject, *Fault) {
	var subjects []Subject
	for _, w := range written {
		bound, fault := r.subject(line, w)
		if fault != nil {
			return nil, fault
		}
		if slices.Contains(subjects, bound) {
			return nil, faultAt(line, w.name, "%s is named twice", w.name.text)
		}
		subjects = append(subjects, bound)
	}
	return subjects, nil
}

func (r Reader) subject(line textLine, w subject) (Subject, *Fault) {
	s, name := r.Snapshot, w.name.text
	switch w.kind {
	case 0:
		if CheckName(name) != nil {
			return Subject{}, faultAt(line, w.name, "%q is not a valid name of an identity provider: it has lower-case letters, digits and hyphens", name)
		}
		if w.claim.text != "" && CheckName(w.claim.text) != nil {
			return Subject{}, faultAt(line, w.claim, "%q is not a valid name of a claim: it has lower-case letters, digits and hyphens", w.claim.text)
		}
		return Subject{Provider: name, Claim: w.claim.text, Value: w.value.text}, nil
	case ServiceAccount:
		return r.serviceAccount(line, w.name)
	case User:
		if strings.Contains(name, "@") {
			w.kind = Guest
		}
	}
	if p, ok := s.PrincipalNamed(w.kind, name); ok {
		return Subject{Principal: p.ID}, nil
	}
	var known []string
	for p := range s.Principals(w.kind) {
		if len(known) < nearestAmong {
			known = append(known, p.Name)
		}
	}
	f := faultAt(line, w.name, "there is no %s %q", w.kind, name)
	if w.kind == PlatformService {
		f.Detail = "there is no platform service " + quote(name)
	}
	f.Nearest = Nearest(name, known)
	if w.kind == Group {
		if _, isUser := s.PrincipalNamed(User, name); isUser {
			f.Nearest = "user " + name
		} else if near := Nearest(name, keywords); f.Nearest == "" && near != "" {
			f.Nearest = near
		}
	}
	return Subject{}, f
}

func (r Reader) serviceAccount(line textLine, t token) (Subject, *Fault) {
	address := strings.TrimPrefix(t.text, "/")
	if address == t.text {
		address = r.Snapshot.Address(r.Scope) + "/" + t.text
	}
	home, name := SplitAddress(address)
	place, err := r.Snapshot.Resolve(home, r.View)
	if err == nil && place.Rest == "" {
		if p, ok := r.Snapshot.ServiceAccountAt(place.Scope.ID, name); ok {
			return Subject{Principal: p.ID}, nil
		}
	}
	f := faultAt(line, t, "there is no service account %s: write the address it lives at and its name, from this policy's scope down, or from the top with a / before it", t.text)
	for p := range r.Snapshot.Principals(ServiceAccount) {
		if p.Name == name && (r.View == nil || r.View.Sees(p.Home)) {
			f.Nearest = r.Snapshot.accountAddress(p, r.Scope)
			break
		}
	}
	return Subject{}, f
}
