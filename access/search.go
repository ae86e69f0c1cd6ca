package access

import (
	"iter"
	"slices"
	"strings"
)

// Terms gives what a search finds a scope by, when the searched text begins one of them: its full name, whole and from each
// word on; its type, or kind; and each tag, as KEY=VALUE and as the value alone. They are in lower case, in order, and none
// twice.
func (s Scope) Terms() []string {
	terms := []string{s.TypeName()}
	for name := s.FullName(); ; {
		terms = append(terms, name)
		i := strings.IndexByte(name, '-')
		if i < 0 {
			break
		}
		name = name[i+1:]
	}
	for key, value := range s.Tags {
		value = strings.ToLower(value)
		terms = append(terms, key+"="+value, value)
	}
	slices.Sort(terms)
	terms = slices.Compact(terms)
	return slices.DeleteFunc(terms, func(term string) bool { return term == "" })
}

// FirstTerm gives the first of a scope's terms that begins with a text; empty when none does.
func (s Scope) FirstTerm(text string) string {
	for _, term := range s.Terms() {
		if strings.HasPrefix(term, text) {
			return term
		}
	}
	return ""
}

// Seen yields the scopes at and beneath one that the principal sees, each above what is in it. It looks only where the
// principal holds something.
func (v *View) Seen(scope ID) iter.Seq[Scope] {
	return func(yield func(Scope) bool) {
		n, ok := v.snapshot.scopeNumber(scope)
		if !ok || !v.sees(n) {
			return
		}
		going := true
		visit := func(n number) bool {
			if going && v.sees(n) {
				going = yield(v.snapshot.scopeAt(n))
				return going
			}
			return false
		}
		if visit(n) {
			v.snapshot.descend(n, visit)
		}
	}
}
