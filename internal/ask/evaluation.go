package ask

import (
	"context"
	"errors"
	"iter"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// Subject, Action and Resource of an evaluation, as platform services name them (OpenID AuthZEN Authorization API 1.0).
// A subject is a kind of principal and its name or id. A resource is a type, and the id or address of the scope at which
// an operation on that type is asked about: the resource itself, or the container when it is to be created.
type (
	// Entity is a type and an id.
	Entity struct{ Type, ID string }

	// Evaluation is one question of a platform service.
	Evaluation struct {
		Subject  Entity
		Action   string // an operation
		Resource Entity
		Context  QuestionContext
		Refers   []string // ids of what the operation refers to besides
		// Attempted says that the subject is doing this now, and is refused when the answer is no. It is a platform service that says so.
		Attempted bool
	}

	// Evaluated is the answer to an evaluation.
	Evaluated struct {
		Allowed bool
		Reason  access.Reason
		Rule    access.RuleRef
		Scope   model.ID   // the scope that decided; zero when the resource is not there
		Refers  []model.ID // what the operation refers to besides, as it was found, up to the first that was not
		// Lacks is the permission that is missing on something the operation refers to, and On is what that is. Without a
		// permission the operation cannot refer to such a thing at all.
		Lacks string
		On    model.ID
		// Error says why an evaluation makes no sense; nothing else is told then.
		Error *problem.Problem
		// Hidden is told to platform services with a no: the subject does not see the resource, or what the operation
		// refers to, and is to be answered as if it were not there.
		Hidden bool
	}
)

// Evaluate answers evaluations on one snapshot. Of themselves anybody may ask; of others a platform service, about its own
// types, and those who may list the grants at the resource. What the caller may not ask is answered like what is not there,
// with no. An evaluation that makes no sense is answered with no and its own error, so that one faulty item spoils no other.
func (s *Answers) Evaluate(ctx context.Context, c tenant.Caller, asked []Evaluation) (answers []Evaluated, revision uint64, err error) {
	now, err := s.snapshotFor(ctx, c)
	if err != nil {
		return nil, 0, err
	}
	e := s.evaluatorOf(now, c)
	answers = make([]Evaluated, len(asked))
	for i := range asked {
		if answers[i], err = e.evaluate(&asked[i]); err == nil {
			continue
		}
		answers[i] = Evaluated{Reason: access.Unknown}
		if !errors.As(err, &answers[i].Error) {
			return nil, 0, err
		}
	}
	if e.service != "" {
		if err := s.noteAttempts(ctx, c, e, asked, answers); err != nil {
			return nil, 0, err
		}
	}
	return answers, now.Revision(), nil
}

// snapshotFor returns the snapshot of the caller's organisation, without the cost of a viewer.
func (s *Answers) snapshotFor(ctx context.Context, c tenant.Caller) (*access.Snapshot, error) {
	if c.Identity.Keeper {
		_, err := s.Open(ctx, c)
		return nil, err
	}
	if err := tenant.WorksSomewhere(c); err != nil {
		return nil, err
	}
	return s.Current(ctx, s.Tenant(c.Organisation))
}

// evaluator answers evaluations of one caller. Callers ask about few scopes and subjects many times: the last is remembered.
type evaluator struct {
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

func (s *Answers) evaluatorOf(now *access.Snapshot, c tenant.Caller) *evaluator {
	e := &evaluator{
		Snapshot: now, me: c.Principal, service: tenant.PlatformService(now, c), own: s.ContextOf(c),
		lists: now.Catalogue().MustPermission("list grant"),
	}
	e.untold.Time = e.own.Time
	if e.service == "" {
		e.resolver = now.View(e.me, e.own)
	}
	return e
}

func (e *evaluator) evaluate(asked *Evaluation) (Evaluated, error) {
	q := access.Question{Context: &e.untold}
	var err error
	if q.Permission, err = e.permission(asked.Action, asked.Resource.Type); err != nil {
		return Evaluated{}, err
	}
	// What was not told is unknown: nothing of whoever asks stands in for the subject.
	if told := &asked.Context; !told.isEmpty() {
		if q.Context, err = told.context(e.own.Time); err != nil {
			return Evaluated{}, err
		}
	}
	var ok bool
	if q.Principal, ok, err = e.principal(asked.Subject); err != nil || !ok {
		return Evaluated{Reason: access.Unknown}, err
	}
	if q.Scope, ok = e.scope(asked.Resource.ID); !ok || !e.mayAsk(&q) {
		return Evaluated{Reason: access.Unknown, Hidden: e.service != ""}, nil
	}
	for _, key := range asked.Refers {
		id, ok := e.scope(key)
		if !ok {
			if id, ok = e.account(key); !ok {
				return Evaluated{Reason: access.Lacking, Scope: q.Scope, Refers: q.Refers, Hidden: e.service != ""}, nil
			}
		}
		q.Refers = append(q.Refers, id)
	}
	d := e.Decide(q)
	answer := Evaluated{Allowed: d.Allowed, Reason: d.Reason, Rule: d.Rule, Scope: q.Scope, Refers: q.Refers, On: d.Lacks.On}
	if d.Reason == access.Lacking && !d.Lacks.Unfit {
		answer.Lacks = e.Catalogue().Operation(d.Lacks.Permission).String()
	}
	if !d.Allowed && e.service != "" {
		answer.Hidden = !e.sees(q.Principal, q.Scope) || !d.Lacks.On.IsZero() && !e.sees(q.Principal, d.Lacks.On)
	}
	return answer, nil
}

// sees reports whether a subject sees a scope, or where a service account lives.
func (e *evaluator) sees(subject, scope model.ID) bool {
	if e.view == nil || e.viewedBy != subject {
		e.viewedBy, e.view = subject, e.View(subject, e.own)
	}
	if account, ok := e.Principal(scope); ok {
		scope = account.Home
	}
	return e.view.Sees(scope)
}

func (t *QuestionContext) isEmpty() bool {
	return t.Time.IsZero() && t.IP == "" && t.Location == "" && t.Provider == "" && t.Claims == nil
}

func (e *evaluator) permission(action, typeName string) (catalogue.Permission, error) {
	p, err := e.Catalogue().PermissionOn(action, typeName)
	if err != nil {
		return 0, problem.Of(err, "action")
	}
	return p, nil
}

// principal finds a subject; ok is false when it is not there.
func (e *evaluator) principal(subject Entity) (id model.ID, ok bool, err error) {
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
func (e *evaluator) scope(key string) (model.ID, bool) {
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
func (e *evaluator) account(address string) (model.ID, bool) {
	home, name := model.SplitAddress(address)
	at, ok := e.scope(home)
	if !ok {
		return model.ID{}, false
	}
	p, ok := e.ServiceAccountAt(at, name)
	return p.ID, ok
}

func (e *evaluator) mayAsk(q *access.Question) bool {
	if q.Principal == e.me || e.service != "" && !e.searches && e.Catalogue().Operation(q.Permission).Service == e.service {
		return true
	}
	if q.Scope != e.asked {
		e.asked = q.Scope
		e.may = e.Decide(access.Question{Principal: e.me, Permission: e.lists, Scope: q.Scope, Context: e.own}).Allowed
	}
	return e.may
}

// SearchSubjects returns the subjects of a type that may do something at a resource: all of them to those who may list the
// grants there, themselves to others.
func (s *Answers) SearchSubjects(ctx context.Context, c tenant.Caller, asked Evaluation) ([]Entity, error) {
	e, err := s.searcher(ctx, c)
	if err != nil {
		return nil, err
	}
	kind, err := model.ParsePrincipalKind(asked.Subject.Type)
	if err != nil {
		return nil, problem.Of(err, "subject.type")
	}
	p, err := e.permission(asked.Action, asked.Resource.Type)
	if err != nil {
		return nil, err
	}
	told, err := asked.Context.context(e.own.Time)
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
func (e *evaluator) subjects(kind model.PrincipalKind, p catalogue.Permission, scope model.ID, told *access.Context) iter.Seq[access.Principal] {
	if kind == model.Group || kind == model.BuiltInSet {
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

func (e *evaluator) nameOf(p access.Principal) string {
	if p.Kind == model.ServiceAccount {
		return e.Address(p.Home) + "/" + p.Name
	}
	return p.Name
}

// SearchActions returns the operations on a type that a subject may do at a resource.
func (s *Answers) SearchActions(ctx context.Context, c tenant.Caller, asked Evaluation) ([]string, error) {
	e, err := s.searcher(ctx, c)
	if err != nil {
		return nil, err
	}
	t, ok := e.Catalogue().Type(asked.Resource.Type)
	if !ok {
		_, err := e.Catalogue().Permission("list " + asked.Resource.Type)
		return nil, problem.Of(err, "resource.type")
	}
	found := []string{}
	for _, o := range t.Operations {
		asked.Action = o.Name
		answer, err := e.evaluate(&asked)
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
func (s *Answers) SearchResources(ctx context.Context, c tenant.Caller, asked Evaluation, after string, limit int) (found []Entity, more bool, err error) {
	e, err := s.searcher(ctx, c)
	if err != nil {
		return nil, false, err
	}
	p, err := e.permission(asked.Action, asked.Resource.Type)
	if err != nil {
		return nil, false, err
	}
	told, err := asked.Context.context(e.own.Time)
	if err != nil {
		return nil, false, err
	}
	found = []Entity{}
	principal, ok, err := e.principal(asked.Subject)
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

func (s *Answers) searcher(ctx context.Context, c tenant.Caller) (*evaluator, error) {
	now, err := s.snapshotFor(ctx, c)
	if err != nil {
		return nil, err
	}
	if _, ok := now.Principal(c.Principal); !ok {
		return nil, errors.New("service: a caller is missing from the snapshot")
	}
	e := s.evaluatorOf(now, c)
	e.searches = true
	return e, nil
}
