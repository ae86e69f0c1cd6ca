package authzen

import (
	"strconv"
	"strings"
	"time"

	"arbora.example/internal/plainjson"
)

// Nearly all questions are plain: objects that have members of the API alone, each once, and text without escapes or letters beyond
// ASCII. Those are read here, and all answers written, several times as fast as package encoding/json does. What is not plain is left to
// that package, and so is everything that may be wrong: there is one way to be refused.

// plain reads plain JSON. Its methods give nothing of use once it has met something else.
type plain struct {
	text string
	at   int
	odd  bool // something is not plain
}

// plainRequest reads an evaluation; plain is false for one that is left to package encoding/json.
func plainRequest(text string) (r Request, isPlain bool) {
	p := &plain{text: text}
	p.object(func(name string) { p.member(&r, &parts{}, name) })
	return r, p.ended()
}

// plainBatch reads a batch, likewise.
func plainBatch(text string) (b Batch, isPlain bool) {
	p := &plain{text: text}
	p.object(func(name string) {
		switch name {
		case "evaluations":
			p.refuse(b.Evaluations != nil)
			// An evaluation takes about a hundred bytes.
			b.Evaluations = make([]Request, 0, min(len(text)/100+1, MostAtOnce))
			p.list(func() {
				var r Request
				own := &parts{}
				p.object(func(name string) { p.member(&r, own, name) })
				b.Evaluations = append(b.Evaluations, r)
			})
		case "options":
			p.object(func(name string) {
				p.refuse(name != "evaluations_semantic" || b.Options.Semantic != "")
				b.Options.Semantic = Semantic(p.string())
			})
		default:
			p.member(&b.Request, &parts{}, name)
		}
	})
	return b, p.ended()
}

// parts are what a request points to, together.
type parts struct {
	subject, resource Entity
	action            Action
	context           Context
}

// member reads a member of a request.
func (p *plain) member(r *Request, into *parts, name string) {
	switch name {
	case "subject":
		p.refuse(r.Subject != nil)
		r.Subject = &into.subject
		p.entity(r.Subject)
	case "action":
		p.refuse(r.Action != nil)
		r.Action = &into.action
		p.object(func(name string) { p.once(&r.Action.Name, name == "name") })
	case "resource":
		p.refuse(r.Resource != nil)
		r.Resource = &into.resource
		p.entity(r.Resource)
	case "context":
		p.refuse(r.Context != nil)
		r.Context = &into.context
		p.object(func(name string) { p.circumstance(r.Context, name) })
	default:
		p.odd = true
	}
}

func (p *plain) entity(e *Entity) {
	p.object(func(name string) {
		if name == "type" {
			p.once(&e.Type, true)
		} else {
			p.once(&e.ID, name == "id")
		}
	})
}

// circumstance reads a member of a context.
func (p *plain) circumstance(c *Context, name string) {
	switch name {
	case "ip":
		p.once(&c.IP, true)
	case "location":
		p.once(&c.Location, true)
	case "time":
		at, err := time.Parse(time.RFC3339Nano, p.string())
		p.refuse(err != nil || !c.Time.IsZero())
		c.Time = at
	case "attempted":
		p.refuse(c.Attempted)
		c.Attempted = p.bool()
	case "refers":
		p.refuse(c.Refers != nil)
		c.Refers = p.strings()
	default:
		p.odd = true
	}
}

// refuse leaves the text to package encoding/json.
func (p *plain) refuse(odd bool) { p.odd = p.odd || odd }

// once reads text into a place where nothing is yet.
func (p *plain) once(into *string, known bool) {
	p.refuse(!known || *into != "")
	*into = p.string()
}

// next passes over white space and returns what comes then; 0 at the end.
func (p *plain) next() byte {
	for ; p.at < len(p.text); p.at++ {
		switch c := p.text[p.at]; c {
		case ' ', '\t', '\r', '\n':
		default:
			return c
		}
	}
	return 0
}

// take passes over a character that has to come now.
func (p *plain) take(c byte) {
	if p.next() != c {
		p.odd = true
		return
	}
	p.at++
}

// comes passes over a character if it comes now.
func (p *plain) comes(c byte) bool {
	if p.odd || p.next() != c {
		return false
	}
	p.at++
	return true
}

// ended reports whether the text was plain and has nothing more.
func (p *plain) ended() bool { return p.next() == 0 && p.at == len(p.text) && !p.odd }

// object reads an object, each member's value by visit.
func (p *plain) object(visit func(name string)) {
	p.take('{')
	if p.comes('}') {
		return
	}
	for !p.odd {
		name := p.string()
		p.take(':')
		if p.odd {
			return
		}
		if visit(name); p.comes('}') {
			return
		}
		p.take(',')
	}
}

// list reads a list, each item by visit.
func (p *plain) list(visit func()) {
	p.take('[')
	if p.comes(']') {
		return
	}
	for !p.odd {
		if visit(); p.comes(']') {
			return
		}
		p.take(',')
	}
}

func (p *plain) strings() []string {
	list := []string{}
	p.list(func() { list = append(list, p.string()) })
	return list
}

// string reads text, which is a part of the whole and copies nothing.
func (p *plain) string() string {
	p.take('"')
	from := p.at
	for ; !p.odd && p.at < len(p.text); p.at++ {
		if c := p.text[p.at]; c == '"' {
			p.at++
			return p.text[from : p.at-1]
		} else if !plainjson.IsPlain(c) {
			break
		}
	}
	p.odd = true
	return ""
}

func (p *plain) bool() bool {
	p.next()
	for _, word := range []string{"true", "false"} {
		if strings.HasPrefix(p.text[p.at:], word) {
			p.at += len(word)
			return word == "true"
		}
	}
	p.odd = true
	return false
}

// appendAnswers writes answers as package encoding/json does.
func appendAnswers(b []byte, a Answers) []byte {
	b = append(b, `{"evaluations":[`...)
	for i := range a.Evaluations {
		if i > 0 {
			b = append(b, ',')
		}
		b = appendAnswer(b, &a.Evaluations[i])
	}
	return append(b, "]}"...)
}

// appendAnswer writes an answer, likewise.
func appendAnswer(b []byte, a *Answer) []byte {
	b = strconv.AppendBool(append(b, `{"decision":`...), a.Decision)
	if w := a.Context; w != nil {
		b = plainjson.AppendText(append(b, `,"context":{"reason":`...), w.Reason)
		if w.Revision != 0 {
			b = strconv.AppendUint(append(b, `,"revision":`...), w.Revision, 10)
		}
		b = appendMember(b, `,"grant":`, w.Grant)
		b = appendMember(b, `,"policy":`, w.Policy)
		b = appendMember(b, `,"scope":`, w.Scope)
		for i, id := range w.Refers {
			if i == 0 {
				b = append(b, `,"refers":[`...)
			} else {
				b = append(b, ',')
			}
			b = plainjson.AppendText(b, id)
		}
		if len(w.Refers) > 0 {
			b = append(b, ']')
		}
		b = appendMember(b, `,"lacks":`, w.Lacks)
		b = appendMember(b, `,"on":`, w.On)
		if w.Hidden {
			b = append(b, `,"hidden":true`...)
		}
		if e := w.Error; e != nil {
			b = strconv.AppendInt(append(b, `,"error":{"status":`...), int64(e.Status), 10)
			b = append(plainjson.AppendText(append(b, `,"message":`...), e.Message), '}')
		}
		b = append(b, '}')
	}
	return append(b, '}')
}

func appendMember(b []byte, name, text string) []byte {
	if text == "" {
		return b
	}
	return plainjson.AppendText(append(b, name...), text)
}
