package access

import (
	"iter"

	"arbora.example/access/model"
)

// Seen yields the scopes at and beneath one that the principal sees, each above what is in it. It looks only where the
// principal holds something.
func (v *View) Seen(scope model.ID) iter.Seq[model.Scope] {
	return func(yield func(model.Scope) bool) {
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
