package evaluation

import (
	"errors"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
)

// Evaluator answers questions of one asker on one snapshot; it is for one goroutine. Callers ask about few scopes and subjects many times: the last is remembered.
type Evaluator struct {
	*access.Snapshot
	me       model.ID
	service  string          // of a caller that is a platform service: its name
	own      *access.Context // of the caller, for what the caller may ask
	untold   access.Context  // of a question that tells nothing but that it is asked now
	lists    catalogue.Permission
	searches bool     // searches list people and places: a platform service makes them as anybody else does
	asked    model.ID // the scope that mayAsk was worked out for
	may      bool
	viewedBy model.ID // whose view this is
	view     *access.View
	resolver *access.View // what the caller sees; nil for a platform service, which has to find what it serves
}

// Asker is who asks.
type Asker struct {
	Principal model.ID
	Service   string          // of a platform service: its name
	Context   *access.Context // its own circumstances; their time is that of whatever tells none
}

// New returns what answers an asker on a snapshot.
func New(now *access.Snapshot, by Asker) *Evaluator {
	e := &Evaluator{Snapshot: now, me: by.Principal, service: by.Service, own: by.Context, lists: now.Catalogue().MustPermission("list grant")}
	e.untold.Time = e.own.Time
	if e.service == "" {
		e.resolver = now.View(e.me, e.own)
	}
	return e
}

// AnswerAll answers questions. Of themselves anybody may ask; of others a platform service, about its own types, and those who may list
// the grants at the resource. What the asker may not ask is answered like what is not there, with no. A question that makes no sense is
// answered with no and its own error, so that one faulty item spoils no other.
func (e *Evaluator) AnswerAll(asked []Question) ([]Answer, error) {
	answers := make([]Answer, len(asked))
	for i := range asked {
		var err error
		if answers[i], err = e.Answer(&asked[i]); err == nil {
			continue
		}
		answers[i] = Answer{Reason: access.Unknown}
		if !errors.As(err, &answers[i].Error) {
			return nil, err
		}
	}
	return answers, nil
}

// Answer answers one question. The error says why it makes no sense.
func (e *Evaluator) Answer(asked *Question) (Answer, error) {
	q := access.Question{Context: &e.untold}
	var err error
	if q.Permission, err = e.permission(asked.Action, asked.Resource.Type); err != nil {
		return Answer{}, err
	}
	// What was not told is unknown: nothing of whoever asks stands in for the subject.
	if told := &asked.Context; !told.isEmpty() {
		if q.Context, err = told.At(e.own.Time); err != nil {
			return Answer{}, err
		}
	}
	var ok bool
	if q.Principal, ok, err = e.Subject(asked.Subject); err != nil || !ok {
		return Answer{Reason: access.Unknown}, err
	}
	if q.Scope, ok = e.scope(asked.Resource.ID); !ok || !e.mayAsk(&q) {
		return Answer{Reason: access.Unknown, Hidden: e.service != ""}, nil
	}
	for _, key := range asked.Refers {
		id, ok := e.scope(key)
		if !ok {
			if id, ok = e.account(key); !ok {
				return Answer{Reason: access.Lacking, Scope: q.Scope, Refers: q.Refers, Hidden: e.service != ""}, nil
			}
		}
		q.Refers = append(q.Refers, id)
	}
	d := e.Decide(q)
	answer := Answer{Allowed: d.Allowed, Reason: d.Reason, Rule: d.Rule, Scope: q.Scope, Refers: q.Refers, On: d.Lacks.On}
	if d.Reason == access.Lacking && !d.Lacks.Unfit {
		answer.Lacks = e.Catalogue().Operation(d.Lacks.Permission).String()
	}
	if !d.Allowed && e.service != "" {
		answer.Hidden = !e.sees(q.Principal, q.Scope) || !d.Lacks.On.IsZero() && !e.sees(q.Principal, d.Lacks.On)
	}
	return answer, nil
}

// sees reports whether a subject sees a scope, or where a service account lives.
func (e *Evaluator) sees(subject, scope model.ID) bool {
	if e.view == nil || e.viewedBy != subject {
		e.viewedBy, e.view = subject, e.View(subject, e.own)
	}
	if account, ok := e.Principal(scope); ok {
		scope = account.Home
	}
	return e.view.Sees(scope)
}

func (t *Context) isEmpty() bool {
	return t.Time.IsZero() && t.IP == "" && t.Location == "" && t.Claims == nil
}

func (e *Evaluator) permission(action, typeName string) (catalogue.Permission, error) {
	p, err := e.Catalogue().PermissionOn(action, typeName)
	if err != nil {
		return 0, problem.Of(err, "action")
	}
	return p, nil
}

// Subject finds a subject; ok is false when it is not there.
func (e *Evaluator) Subject(subject Entity) (id model.ID, ok bool, err error) {
	kind, err := model.ParsePrincipalKind(subject.Type)
	if err != nil {
		return id, false, problem.Of(err, "subject.type")
	}
	if id, err = model.ParseID(subject.ID); err == nil {
		p, ok := e.Principal(id)
		return id, ok && p.Kind == kind, nil
	}
	if kind == model.ServiceAccount {
		id, ok = e.account(subject.ID)
		return id, ok, nil
	}
	p, ok := e.PrincipalNamed(kind, subject.ID)
	return p.ID, ok, nil
}

// scope finds a scope by id or address; what lies in open contents is decided by the resource.
func (e *Evaluator) scope(key string) (model.ID, bool) {
	if id, err := model.ParseID(key); err == nil {
		if e.Has(id) {
			return id, e.resolver == nil || e.resolver.Sees(id)
		}
		account, ok := e.Principal(id) // a service account that an operation refers to
		return id, ok && (e.resolver == nil || !account.Home.IsZero() && e.resolver.Sees(account.Home))
	}
	place, err := e.Resolve(key, e.resolver)
	return place.Scope.ID, err == nil
}

// account finds a service account by the address it lives at and its name.
func (e *Evaluator) account(address string) (model.ID, bool) {
	home, name := model.SplitAddress(address)
	at, ok := e.scope(home)
	if !ok {
		return model.ID{}, false
	}
	p, ok := e.ServiceAccountAt(at, name)
	return p.ID, ok
}

func (e *Evaluator) mayAsk(q *access.Question) bool {
	if q.Principal == e.me || e.service != "" && !e.searches && e.Catalogue().Operation(q.Permission).Service == e.service {
		return true
	}
	if q.Scope != e.asked {
		e.asked = q.Scope
		e.may = e.Decide(access.Question{Principal: e.me, Permission: e.lists, Scope: q.Scope, Context: e.own}).Allowed
	}
	return e.may
}
