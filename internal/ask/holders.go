package ask

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// HolderView is somebody who may do something, and by which rules.
type HolderView struct {
	Principal   access.Principal
	Title       string
	Conditional bool // under a condition that is not known to hold, or from a later moment on
	By          []RuleOutcome
}

// EscalationView is somebody who could give it to themselves, and how.
type EscalationView struct {
	Principal access.Principal
	Title     string
	Ways      []string
}

// Holders is who may do something somewhere, and who could give it to themselves.
type Holders struct {
	Permission string
	Scope      tenant.Ref
	Holders    []HolderView
	CouldHold  []EscalationView
	Next       string // the key to go on after
	Revision   uint64
}

// Holders returns everybody who may use a permission at a scope, for those who may list the grants there.
func (s *Answers) Holders(ctx context.Context, c tenant.Caller, a CheckRequest, page Page) (Holders, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return Holders{}, err
	}
	place, err := d.Place(a.Scope)
	if err != nil {
		return Holders{}, err
	}
	if err := d.Need("list grant", place.Scope); err != nil {
		return Holders{}, err
	}
	p, err := meaningAt(d, a.Permission, place.Scope)
	if err != nil {
		return Holders{}, err
	}
	context, err := a.Context.At(s.Moment())
	if err != nil {
		return Holders{}, err
	}
	answer := Holders{Permission: d.Catalogue().Operation(p).String(), Scope: d.Ref(place.Scope), Revision: d.Revision()}
	found, escalations := d.Holders(p, place.Scope.ID, context), d.EscalationPaths(p, place.Scope.ID, context)
	found, escalations, answer.Next = holdersPage(found, escalations, page)
	var people []access.Principal
	var met []access.RuleOutcome
	by := make([]int, len(found))
	for i, h := range found {
		people = append(people, h.Principal)
		q := access.Question{Principal: h.Principal.ID, Permission: p, Scope: place.Scope.ID, Context: context}
		for _, m := range d.Explain(q).Rules {
			if !m.Cuts && (m.Effective() || h.Conditional && (m.Outcome == access.ConditionUnknown || m.Outcome == access.PeriodAhead)) {
				met, by[i] = append(met, m), by[i]+1
			}
		}
	}
	for _, h := range escalations {
		people = append(people, h.Principal)
	}
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, tenant.IDs(people))
	if err != nil {
		return Holders{}, err
	}
	told, err := s.outcomeViews(ctx, d, met, place.Scope.ID)
	if err != nil {
		return Holders{}, err
	}
	for i, h := range found {
		answer.Holders = append(answer.Holders, HolderView{
			Principal: d.Called(h.Principal), Title: details[h.Principal.ID].Title, Conditional: h.Conditional, By: told[:by[i]],
		})
		told = told[by[i]:]
	}
	for _, h := range escalations {
		answer.CouldHold = append(answer.CouldHold, EscalationView{Principal: d.Called(h.Principal), Title: details[h.Principal.ID].Title, Ways: waysOf(d, h)})
	}
	return answer, nil
}

// meaningAt finds a permission that means something at a scope.
func meaningAt(d tenant.Viewer, permission string, at model.Scope) (catalogue.Permission, error) {
	p, err := d.Catalogue().Permission(permission)
	if err != nil {
		return p, problem.Of(err, "permission")
	}
	if !d.Catalogue().MeaningAt(at.TypeName()).Has(p) {
		return p, &problem.Problem{
			Kind: problem.Invalid, Field: "permission",
			Detail: fmt.Sprintf("%s means nothing at %s", permission, d.Address(at.ID)),
			Next:   fmt.Sprintf("ask about an operation on a %s, or on what can be in it", at.TypeName()),
		}
	}
	return p, nil
}

// HoldersThere are those who may do something at a scope, without the rules that let them.
type HoldersThere struct {
	At      tenant.Ref
	Holders []HolderView
}

// HoldersBelow is who may do something at a scope and at those below it where a rule about it is written.
type HoldersBelow struct {
	Permission string
	Places     []HoldersThere // by address
	Next       string         // the key to go on after
}

// HoldersBelow returns who may use a permission at a scope and at each below it where a grant gives it or a statement gives, cuts off or
// caps: between those nothing changes. Scopes whose grants the caller may not list are left out.
func (s *Answers) HoldersBelow(ctx context.Context, c tenant.Caller, a CheckRequest, page Page) (HoldersBelow, error) {
	d, scope, err := s.OpenAt(ctx, c, a.Scope, "list grant")
	if err != nil {
		return HoldersBelow{}, err
	}
	p, err := meaningAt(d, a.Permission, scope)
	if err != nil {
		return HoldersBelow{}, err
	}
	context, err := a.Context.At(s.Moment())
	if err != nil {
		return HoldersBelow{}, err
	}
	places, next := cut(writtenPlaces(d, scope, p), page, d.Address)
	answer := HoldersBelow{Permission: d.Catalogue().Operation(p).String(), Next: next}
	var people []access.Principal
	for _, id := range places {
		at, _ := d.Scope(id)
		there := HoldersThere{At: d.Ref(at)}
		for _, h := range d.Holders(p, id, context) {
			people = append(people, h.Principal)
			there.Holders = append(there.Holders, HolderView{Principal: h.Principal, Conditional: h.Conditional})
		}
		answer.Places = append(answer.Places, there)
	}
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, tenant.IDs(people))
	for _, there := range answer.Places {
		for i, h := range there.Holders {
			there.Holders[i].Title = details[h.Principal.ID].Title
			there.Holders[i].Principal = d.Called(h.Principal)
		}
	}
	return answer, err
}

// writtenPlaces are a scope and those below it at which a rule is written that can turn who holds a permission.
func writtenPlaces(d tenant.Viewer, scope model.Scope, p catalogue.Permission) []model.ID {
	found := map[model.ID]bool{scope.ID: true}
	add := func(id model.ID) {
		at, ok := d.Scope(id)
		if ok && d.IsAtOrBeneath(id, scope.ID) && d.Catalogue().MeaningAt(at.TypeName()).Has(p) && d.May("list grant", id) {
			found[id] = true
		}
	}
	for _, g := range grantsNow(d) {
		if role, err := d.Role(g.Role); err == nil && role.Permissions.Has(p) {
			add(g.Scope)
		}
	}
	for _, policy := range d.Policies() {
		for number, st := range policy.Statements {
			if st.Modal != statement.May || d.Gives(access.RuleRef{Policy: policy.ID, Statement: number}).Has(p) {
				add(st.Place)
			}
		}
	}
	return slices.Collect(maps.Keys(found))
}

// holdersPage cuts a page out of those who hold something, by name, and of those who could, who come after them.
func holdersPage(found []access.Holder, escalations []access.Escalation, page Page) ([]access.Holder, []access.Escalation, string) {
	type one struct {
		holder     *access.Holder
		escalation *access.Escalation
	}
	all := make([]one, 0, len(found)+len(escalations))
	for i := range found {
		all = append(all, one{holder: &found[i]})
	}
	for i := range escalations {
		all = append(all, one{escalation: &escalations[i]})
	}
	all, next := cut(all, page, func(o one) string {
		if o.holder != nil {
			return "0 " + o.holder.Principal.Name + " " + o.holder.Principal.ID.String()
		}
		return "1 " + o.escalation.Principal.Name + " " + o.escalation.Principal.ID.String()
	})
	found, escalations = nil, nil
	for _, o := range all {
		if o.holder != nil {
			found = append(found, *o.holder)
		} else {
			escalations = append(escalations, *o.escalation)
		}
	}
	return found, escalations, next
}

func waysOf(d tenant.Viewer, h access.Escalation) []string {
	var ways []string
	if h.Role != nil {
		ways = append(ways, "may grant "+h.Role.Name+" there")
	}
	if h.Policy {
		ways = append(ways, "may write a policy that reaches it")
	}
	if h.Lifts {
		ways = append(ways, "may remove the statement that cuts it off")
	}
	if h.Group != nil {
		ways = append(ways, "may enrol into group "+h.Group.Name)
	}
	if h.ActAs != nil {
		ways = append(ways, fmt.Sprintf("may reset the credentials of %s %s", h.ActAs.Kind, d.Called(*h.ActAs).Name))
	}
	if h.RunAs != nil {
		ways = append(ways, "may run a machine as service account "+d.Called(*h.RunAs).Name)
	}
	return ways
}

// ReachedView is a scope at which somebody's access changes.
type ReachedView struct {
	Scope       tenant.Ref
	Part        access.Part
	By          []RuleView
	Adds        []string
	Cuts        []string
	OnTerms     []string // of those held there, the ones held under a condition or later
	Held        int
	Conditional int
	Beneath     int
}

// Reach is everything a principal can do, and where.
type Reach struct {
	Principal access.Principal
	Reached   []ReachedView
	Hidden    int    // scopes whose grants the viewer may not list
	Next      string // the key to go on after
	Revision  uint64
}

// Reach returns everything a principal can do, for those who may describe it; scopes whose grants they may not list are
// counted only.
func (s *Answers) Reach(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef, page Page) (Reach, error) {
	d, p, err := s.reaching(ctx, c, organisation, who)
	if err != nil {
		return Reach{}, err
	}
	context, err := QuestionContext{}.At(s.Moment())
	if err != nil {
		return Reach{}, err
	}
	answer := Reach{Principal: d.Called(p), Revision: d.Revision()}
	var refs []access.RuleRef
	var seen []access.Reached
	for _, r := range d.Reach(p.ID, context) {
		if !d.May("list grant", r.Scope.ID) {
			answer.Hidden++
			continue
		}
		seen = append(seen, r)
	}
	seen, answer.Next = cut(seen, page, func(r access.Reached) string { return d.Address(r.Scope.ID) + " " + string(r.Part) })
	for _, r := range seen {
		refs = append(refs, r.By...)
	}
	told, err := s.ruleViews(ctx, d, refs, model.ID{})
	if err != nil {
		return Reach{}, err
	}
	for _, r := range seen {
		answer.Reached = append(answer.Reached, ReachedView{
			Scope: d.Ref(r.Scope), Part: r.Part, By: told[:len(r.By)], Held: r.Held.Len(), Conditional: r.Conditional.Len(),
			Beneath: d.Beneath(r.Scope.ID), Adds: d.PermissionWords(r.Adds), Cuts: d.PermissionWords(r.Cuts), OnTerms: d.PermissionWords(r.Conditional),
		})
		told = told[len(r.By):]
	}
	return answer, nil
}

// reaching finds whose reach is asked for. What a set such as public reaches is told of the rules that name it, to whoever may
// list those.
func (s *Answers) reaching(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef) (d tenant.Viewer, p access.Principal, err error) {
	if who.Kind != model.BuiltInSet.String() {
		return s.Described(ctx, c, organisation, who)
	}
	if d, err = s.Open(ctx, c); err != nil {
		return d, p, err
	}
	if _, err = d.Organisation(organisation); err == nil {
		p, err = d.PrincipalCalled(who.Kind, who.Name)
	}
	return d, p, err
}

// PowerView is how somebody could give themselves more at a scope, by one change.
type PowerView struct {
	At    tenant.Ref
	Way   string
	Gains []string // permissions
}

// Powers is what somebody could give themselves, and how.
type Powers struct {
	Principal access.Principal
	Powers    []PowerView
	Hidden    bool // at scopes whose grants the viewer may not list
	Revision  uint64
}

// Powers returns what a principal could give themselves by one change, for those who may describe it; scopes whose grants they may
// not list are left out.
func (s *Answers) Powers(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef) (Powers, error) {
	d, p, err := s.Described(ctx, c, organisation, who)
	if err != nil {
		return Powers{}, err
	}
	context, err := QuestionContext{}.At(s.Moment())
	if err != nil {
		return Powers{}, err
	}
	answer := Powers{Principal: d.Called(p), Revision: d.Revision()}
	for _, power := range d.Snapshot.Powers(p.ID, context) {
		if !d.May("list grant", power.Scope) {
			answer.Hidden = true
			continue
		}
		scope, _ := d.Scope(power.Scope)
		answer.Powers = append(answer.Powers, PowerView{At: d.Ref(scope), Way: wayOf(d, power), Gains: d.PermissionWords(power.Gains)})
	}
	return answer, nil
}

func wayOf(d tenant.Viewer, power access.Power) string {
	switch {
	case power.Group != nil:
		return "may add themselves to group " + power.Group.Name
	case power.RunAs != nil:
		return "may run a machine as service account " + d.Called(*power.RunAs).Name
	case power.Role == nil:
		return "may write a statement there"
	case power.Policy:
		return "may grant themselves " + power.Role.Name + ", or write a statement there"
	}
	return "may grant themselves " + power.Role.Name
}
