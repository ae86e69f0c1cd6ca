package access

import (
	"slices"
	"strings"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/english"
)

// maxPolicyText bounds a policy's text, in bytes.
const maxPolicyText = 1 << 20

// Reader reads policies for one viewer: what they may not see is answered like what is not there.
type Reader struct {
	Snapshot *Snapshot
	View     *View      // nil to see everything
	Scope    model.ID   // of the policy
	Before   []model.ID // places outside the scope that the policy named already: statements laid to rest by a move
}

// place is where a block's statements hold.
type blockPlace struct {
	id   model.ID
	here bool
}

// ParsePolicy reads the text of a policy: all of it, or nothing. The error is a [*statement.TextError] that lists every faulty line.
func (r Reader) ParsePolicy(text string) (statements []statement.Statement, notes []string, err error) {
	scope, ok := r.Snapshot.Scope(r.Scope)
	if !ok {
		return nil, nil, model.Violationf(model.RuleUnknown, "the scope of the policy is not there")
	}
	if len(text) > maxPolicyText {
		return nil, nil, &statement.TextError{Faults: []*statement.Fault{{Line: 1, Column: 1, Detail: "the text is too long for one policy: divide it into several"}}}
	}
	var faults []*statement.Fault
	own := blockPlace{id: scope.ID}
	block, inBlock, blockLine, filled := own, false, 0, true
	for i, raw := range strings.Split(strings.TrimSuffix(text, "\n"), "\n") {
		line, fault := statement.Lex(strings.TrimSuffix(raw, "\r"), i+1)
		if fault != nil {
			faults, filled = append(faults, fault), true
			continue
		}
		if len(line.Tokens) == 1 {
			if line.Noted {
				notes = append(notes, line.Comment)
			}
			continue
		}
		p := &statement.Parser{Line: line, Catalogue: r.Snapshot.catalogue}
		if p.Peek().Kind == statement.Word && (p.Peek().Text == "under" || p.Peek().Text == "at") {
			if !filled {
				faults = append(faults, emptyBlock(blockLine))
			}
			if line.Indent > 0 {
				faults = append(faults, p.Fault("a block begins at the beginning of a line: blocks do not stand in one another"))
				filled = true
				continue
			}
			place, fault := r.heading(p)
			block, inBlock, blockLine, filled = place, true, i+1, fault != nil
			if fault != nil {
				faults = append(faults, fault)
				continue
			}
			if p.Peek().Kind == statement.LineEnd {
				if line.Noted {
					notes = append(notes, line.Comment)
				}
				continue
			}
			st, fault := r.bind(p, place)
			faults, statements, notes = keep(faults, statements, notes, st, fault, line)
			inBlock, filled = false, true
			continue
		}
		if end := len(line.Tokens) - 2; line.Indent == 0 && line.Tokens[end] == (statement.Token{Kind: statement.Mark, Text: ":", Column: line.Tokens[end].Column}) {
			f := p.Fault("a heading begins with under or at")
			f.Nearest = english.Nearest(p.Peek().Text, []string{"under", "at"})
			faults, block, inBlock, filled = append(faults, f), own, true, true
			continue
		}
		at := own
		switch {
		case line.Indent > 0 && inBlock:
			at, filled = block, true
		case line.Indent > 0:
			faults = append(faults, p.Fault("an indented statement belongs under a heading, such as under ADDRESS: or at ADDRESS:"))
			continue
		case !filled:
			faults, filled = append(faults, emptyBlock(blockLine)), true
		}
		inBlock = inBlock && line.Indent > 0
		st, fault := r.bind(p, at)
		faults, statements, notes = keep(faults, statements, notes, st, fault, line)
	}
	if !filled {
		faults = append(faults, emptyBlock(blockLine))
	}
	if len(faults) > 0 {
		slices.SortStableFunc(faults, func(a, b *statement.Fault) int { return a.Line - b.Line })
		return nil, nil, &statement.TextError{Faults: faults}
	}
	return statements, notes, nil
}

func emptyBlock(line int) *statement.Fault {
	return &statement.Fault{Line: line, Column: 1, Detail: "the block is empty: indent its statements below it, or delete the heading"}
}

// keep takes what a line gave; a statement takes the comments above it.
func keep(faults []*statement.Fault, statements []statement.Statement, notes []string, st *statement.Statement, fault *statement.Fault, line statement.TextLine) ([]*statement.Fault, []statement.Statement, []string) {
	if fault != nil {
		return append(faults, fault), statements, notes
	}
	st.Notes, st.Note = notes, line.Comment
	return faults, append(statements, *st), nil
}

// heading reads the heading of a block, with its colon.
func (r Reader) heading(p *statement.Parser) (blockPlace, *statement.Fault) {
	place := blockPlace{here: p.Peek().Text == "at"}
	p.At++
	if p.Skip("here") {
		place.id = r.Scope
	} else {
		address, fault := p.Name("an address below the policy's scope, or here")
		if fault != nil {
			return place, fault
		}
		if place.id, fault = r.place(p.Line, address); fault != nil {
			return place, fault
		}
	}
	if !p.SkipMark(":") {
		return place, p.Unexpected("a colon after the address")
	}
	return place, nil
}

// place finds the scope of an address that is relative to the policy's scope, or, with a slash before it, full.
func (r Reader) place(line statement.TextLine, t statement.Token) (model.ID, *statement.Fault) {
	s := r.Snapshot
	base := s.Address(r.Scope)
	full := base + "/" + t.Text
	if strings.HasPrefix(t.Text, "/") {
		full = t.Text[1:]
	}
	found, err := s.Resolve(full, r.View)
	if err != nil || found.Rest != "" {
		f := statement.FaultAt(line, t, "there is no scope %s under %s", t.Text, base)
		if found.Rest != "" {
			f.Detail = "what is in " + s.Address(found.Scope.ID) + " is decided by it: name that as the place"
		}
		if v, ok := err.(*model.Violation); ok && v.Nearest != "" {
			f.Nearest = strings.TrimPrefix(v.Nearest, base+"/")
		}
		if absolute, err := s.Resolve(t.Text, r.View); err == nil && strings.HasPrefix(t.Text, base+"/") {
			f.Nearest = strings.TrimPrefix(s.Address(absolute.Scope.ID), base+"/")
		}
		return model.ID{}, f
	}
	id := found.Scope.ID
	n, _ := s.scopeNumber(id)
	scope, _ := s.scopeNumber(r.Scope)
	if !s.isAtOrBeneath(n, scope) && !slices.Contains(r.Before, id) {
		return model.ID{}, statement.FaultAt(line, t, "%s is outside %s, the scope of this policy: a statement holds there or below", t.Text, base)
	}
	return id, nil
}

// bind reads a statement and binds what it names.
func (r Reader) bind(p *statement.Parser, at blockPlace) (*statement.Statement, *statement.Fault) {
	written, fault := p.Statement()
	if fault != nil {
		return nil, fault
	}
	st := &statement.Statement{
		Place: at.id, Here: at.here, Modal: written.Modal, Data: written.Data, Condition: written.Condition, Period: written.Period,
	}
	if st.Who, fault = r.subjects(p.Line, written.Who); fault != nil {
		return nil, fault
	}
	if st.Except, fault = r.subjects(p.Line, written.Except); fault != nil {
		return nil, fault
	}
	for _, t := range written.Roles {
		role, err := r.Snapshot.Role(t.Text)
		if err != nil {
			f := statement.FaultAt(p.Line, t, "there is no role %q", t.Text)
			f.Nearest = err.(*model.Violation).Nearest
			return nil, f
		}
		n, _ := r.Snapshot.scopeNumber(at.id)
		if where := r.Snapshot.outside(role, n); where != "" {
			return nil, statement.FaultAt(p.Line, t, "%s may be granted %s only", t.Text, where)
		}
		st.Roles = append(st.Roles, t.Text)
	}
	if fault = r.acts(p.Line, written, st); fault != nil {
		return nil, fault
	}
	return st, nil
}

// acts binds acts and things, and sees that each of them means something.
func (r Reader) acts(line statement.TextLine, written *statement.Sentence, st *statement.Statement) *statement.Fault {
	c := r.Snapshot.catalogue
	for _, t := range written.Things {
		st.Things = append(st.Things, t.Text)
	}
	for _, t := range written.Acts {
		st.Acts = append(st.Acts, t.Text)
	}
	// A class that has nothing there, beside others that have, may have something once the catalogue grows.
	alone := func(acts, things []string) bool {
		one := statement.Statement{Modal: st.Modal, Acts: acts, Things: things, Data: st.Data}
		if one.Modal == statement.MayOnly {
			one.Modal = statement.May
		}
		set, _ := r.Snapshot.permissionsOf(&one)
		return set.Len() > 0
	}
	together := alone(st.Acts, st.Things)
	for i, t := range written.Acts {
		class := slices.Contains(english.Words(catalogue.Classes), t.Text)
		if (!together || !class) && !alone(st.Acts[i:i+1], st.Things) {
			return statement.FaultAt(line, t, "%s", pointless(c, t.Text, st))
		}
	}
	for i, t := range written.Things {
		if !alone(st.Acts, st.Things[i:i+1]) {
			return statement.FaultAt(line, t, "none of these acts can be done to %s", t.Text)
		}
	}
	return nil
}

// pointless returns why an act means nothing for the things of a statement.
func pointless(c *catalogue.Catalogue, act string, st *statement.Statement) string {
	things := "anything"
	if len(st.Things) > 0 {
		things = statement.Alternatives(st.Things)
	}
	if st.Data {
		return act + " does nothing to data of " + things + ": delete data of, or choose another act"
	}
	onData := slices.ContainsFunc(c.Operations(), func(o catalogue.Operation) bool {
		return statement.IsAbout(st.Things, o) && o.Plane == catalogue.Data && (o.Name == act || string(o.Class) == act)
	})
	if onData {
		return act + " alone means the control plane, where " + things + " has nothing to " + act + ": write " + act + " data of " + things
	}
	return "nothing can " + act + " " + things
}

func (r Reader) subjects(line statement.TextLine, written []statement.WrittenSubject) ([]statement.Subject, *statement.Fault) {
	var subjects []statement.Subject
	for _, w := range written {
		bound, fault := r.subject(line, w)
		if fault != nil {
			return nil, fault
		}
		if slices.Contains(subjects, bound) {
			return nil, statement.FaultAt(line, w.Name, "%s is named twice", w.Name.Text)
		}
		subjects = append(subjects, bound)
	}
	return subjects, nil
}

func (r Reader) subject(line statement.TextLine, w statement.WrittenSubject) (statement.Subject, *statement.Fault) {
	s, name := r.Snapshot, w.Name.Text
	switch w.Kind {
	case 0:
		w.Kind = model.Provider
	case model.ServiceAccount:
		return r.serviceAccount(line, w.Name)
	case model.User:
		if strings.Contains(name, "@") {
			w.Kind = model.Guest
		}
	}
	if p, ok := s.PrincipalNamed(w.Kind, name); ok {
		return statement.Subject{Principal: p.ID, Claim: w.Claim.Text, Value: w.Value.Text}, nil
	}
	var known []string
	for p := range s.Principals(w.Kind) {
		if len(known) < nearestAmong {
			known = append(known, p.Name)
		}
	}
	f := statement.FaultAt(line, w.Name, "there is no %s %q", w.Kind, name)
	switch w.Kind {
	case model.PlatformService:
		f.Detail = "there is no platform service " + statement.Quote(name)
	case model.Provider:
		f.Detail = "there is no identity provider " + statement.Quote(name)
	}
	f.Nearest = english.Nearest(name, known)
	if w.Kind == model.Group {
		if _, isUser := s.PrincipalNamed(model.User, name); isUser {
			f.Nearest = "user " + name
		} else if near := english.Nearest(name, statement.Keywords); f.Nearest == "" && near != "" {
			f.Nearest = near
		}
	}
	return statement.Subject{}, f
}

func (r Reader) serviceAccount(line statement.TextLine, t statement.Token) (statement.Subject, *statement.Fault) {
	address := strings.TrimPrefix(t.Text, "/")
	if address == t.Text {
		address = r.Snapshot.Address(r.Scope) + "/" + t.Text
	}
	home, name := model.SplitAddress(address)
	place, err := r.Snapshot.Resolve(home, r.View)
	if err == nil && place.Rest == "" {
		if p, ok := r.Snapshot.ServiceAccountAt(place.Scope.ID, name); ok {
			return statement.Subject{Principal: p.ID}, nil
		}
	}
	f := statement.FaultAt(line, t, "there is no service account %s: write the scope's address, a slash and the account's name, from this policy's scope down, or from the top with a / before it", t.Text)
	for p := range r.Snapshot.Principals(model.ServiceAccount) {
		if p.Name == name && (r.View == nil || r.View.Sees(p.Home)) {
			f.Nearest = r.Snapshot.accountAddress(p, r.Scope)
			break
		}
	}
	return statement.Subject{}, f
}
