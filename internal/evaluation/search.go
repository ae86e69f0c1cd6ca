package evaluation

import (
	"iter"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
)

// SearchSubjects returns the subjects of a type that may do something at a resource: all of them to those who may list the
// grants there, themselves to others.
func (e *Evaluator) SearchSubjects(asked Question) ([]Entity, error) {
	e.searches = true
	kind, err := model.ParsePrincipalKind(asked.Subject.Type)
	if err != nil {
		return nil, problem.Of(err, "subject.type")
	}
	p, err := e.permission(asked.Action, asked.Resource.Type)
	if err != nil {
		return nil, err
	}
	told, err := asked.Context.At(e.own.Time)
	if err != nil {
		return nil, err
	}
	found := []Entity{}
	scope, ok := e.scope(asked.Resource.ID)
	if !ok {
		return found, nil
	}
	may := e.mayAsk(&access.Question{Permission: p, Scope: scope})
	for principal := range e.subjects(kind, p, scope, told) {
		if !may && principal.ID != e.me {
			continue
		}
		if e.Decide(access.Question{Principal: principal.ID, Permission: p, Scope: scope, Context: told}).Allowed {
			found = append(found, Entity{Type: kind.String(), ID: e.nameOf(principal)})
		}
	}
	slices.SortFunc(found, func(a, b Entity) int { return strings.Compare(a.ID, b.ID) })
	return found, nil
}

// subjects yields those of a kind who may hold a permission at a scope. Groups and sets are few, and each is looked at.
func (e *Evaluator) subjects(kind model.PrincipalKind, p catalogue.Permission, scope model.ID, told *access.Context) iter.Seq[access.Principal] {
	if kind.IsGroup() || kind == model.Provider || kind == model.BuiltInSet {
		return e.Principals(kind)
	}
	return func(yield func(access.Principal) bool) {
		for _, h := range e.Holders(p, scope, told) {
			if h.Principal.Kind == kind && !h.Conditional && !yield(h.Principal) {
				return
			}
		}
	}
}

func (e *Evaluator) nameOf(p access.Principal) string {
	if p.Kind == model.ServiceAccount {
		return e.Address(p.Home) + "/" + p.Name
	}
	return p.Name
}

// SearchActions returns the operations on a type that a subject may do at a resource.
func (e *Evaluator) SearchActions(asked Question) ([]string, error) {
	e.searches = true
	t, ok := e.Catalogue().Type(asked.Resource.Type)
	if !ok {
		_, err := e.Catalogue().Permission("list " + asked.Resource.Type)
		return nil, problem.Of(err, "resource.type")
	}
	found := []string{}
	for _, o := range t.Operations {
		asked.Action = o.Name
		answer, err := e.Answer(&asked)
		if err != nil {
			return nil, err
		}
		if answer.Allowed {
			found = append(found, o.Name)
		}
	}
	slices.Sort(found)
	return found, nil
}

// SearchResources returns the resources of a type at which a subject may do something, by address, a page at a time: those
// that the caller may ask about. To create one, and of types that are no scopes, the scopes are given at which it may be done.
// After is the last address of the page before; it need not be there any more.
func (e *Evaluator) SearchResources(asked Question, after string, limit int) (found []Entity, more bool, err error) {
	e.searches = true
	p, err := e.permission(asked.Action, asked.Resource.Type)
	if err != nil {
		return nil, false, err
	}
	told, err := asked.Context.At(e.own.Time)
	if err != nil {
		return nil, false, err
	}
	found = []Entity{}
	principal, ok, err := e.Subject(asked.Subject)
	if err != nil || !ok {
		return found, false, err
	}
	last := strings.Split(after, "/")
	for scope := range e.Where(principal, p, e.Catalogue().AskedAt(p), told) {
		if !e.mayAsk(&access.Question{Principal: principal, Permission: p, Scope: scope}) || e.resolver != nil && !e.resolver.Sees(scope) {
			continue
		}
		address := e.Address(scope)
		// The order is that of the tree: names at every level, whoever is above first.
		if after != "" && slices.Compare(strings.Split(address, "/"), last) <= 0 {
			continue
		}
		if len(found) == limit {
			return found, true, nil
		}
		found = append(found, Entity{Type: asked.Resource.Type, ID: address})
	}
	return found, false, nil
}
