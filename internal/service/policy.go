package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/store"
)

// Fault is something wrong in a text, and where.
type Fault struct {
	Line, Column    int // from 1
	Detail, Nearest string
}

// PolicyView is a policy as its viewer may see it.
type PolicyView struct {
	PolicyRef
	store.PolicyDetails
	Text       string
	Statements []StatementView
	Hidden     int      // statements about places that the viewer does not see
	Inherited  bool     // it stands above the scope it is looked at from
	May        []string // what the viewer may do to it
}

// NewPolicy is a policy that somebody wants.
type NewPolicy struct {
	Scope, Name, Description, Text string
}

// Reading is what a text of statements says.
type Reading struct {
	Text       string // in its one form; empty when there are faults
	Statements []StatementView
	Parts      []statement.Parts // the statements taken apart
	Notes      []string          // comments after the last statement
	Faults     []Fault
}

// PolicyVersion is what was written of a policy, with today's names.
type PolicyVersion struct {
	Revision uint64
	Author   store.Author
	Name     string
	Text     string
}

// textProblem turns what is wrong in a text into a problem that lists every faulty line.
func textProblem(err error, field string) error {
	var wrong *statement.TextError
	if !errors.As(err, &wrong) {
		return broken(err, field)
	}
	first := wrong.Faults[0]
	p := &Problem{
		Kind: Invalid, Field: field, Nearest: first.Nearest,
		Detail: fmt.Sprintf("the text has %d faulty lines; nothing of it counts", len(wrong.Faults)),
		Next:   "mend each line and send the whole text again",
	}
	if len(wrong.Faults) == 1 {
		p.Detail, p.Next = first.Error(), "mend the line and send the whole text again"
	}
	if field == "condition" {
		p.Next = "write it as after if in a statement"
	}
	p.Faults = faultsOf(wrong)
	return p
}

func faultsOf(wrong *statement.TextError) []Fault {
	faults := make([]Fault, len(wrong.Faults))
	for i, f := range wrong.Faults {
		faults[i] = Fault{Line: f.Line, Column: f.Column, Detail: f.Detail, Nearest: f.Nearest}
	}
	return faults
}

// ListPolicies lists the policies that reach a scope: its own and those above, nearest first. Whoever may list the
// policies of a scope sees those that reach it from above too.
func (s *Service) ListPolicies(ctx context.Context, c Caller, key string) ([]PolicyView, uint64, error) {
	d, scope, err := s.openAt(ctx, c, key)
	if err != nil {
		return nil, 0, err
	}
	if err := d.need("list policy", d.containerOf(scope)); err != nil {
		return nil, 0, err
	}
	var all []statement.Policy
	for above := range d.Path(scope.ID) {
		all = append(all, d.PoliciesAt(above.ID)...)
	}
	views, err := s.policyViews(ctx, d, all, scope.ID)
	return views, d.Revision(), err
}

// containerOf gives the scope itself or, for a resource, the container it is in: policies and roles stand there.
func (d desk) containerOf(scope model.Scope) model.Scope {
	for above := range d.Path(scope.ID) {
		if above.Kind != model.Resource {
			return above
		}
	}
	return scope
}

func (s *Service) policyViews(ctx context.Context, d desk, policies []statement.Policy, at model.ID) ([]PolicyView, error) {
	ids := make([]model.ID, len(policies))
	for i, p := range policies {
		ids[i] = p.ID
	}
	details, err := s.records.PolicyDetails(ctx, ids)
	if err != nil {
		return nil, err
	}
	views := make([]PolicyView, len(policies))
	for i, p := range policies {
		seen, unseen := d.seenOf(p)
		v := PolicyView{PolicyRef: d.policyRef(p), PolicyDetails: details[p.ID], Text: d.Print(seen), Hidden: len(unseen), Inherited: !at.IsZero() && p.Scope != at}
		for number, st := range p.Statements {
			if d.view.Sees(st.Place) {
				v.Statements = append(v.Statements, d.statementView(p, number))
			}
		}
		for _, operation := range []string{"edit policy", "retire policy"} {
			if d.may(operation, p.Scope) {
				v.May = append(v.May, operation)
			}
		}
		views[i] = v
	}
	return views, nil
}

// seenOf gives a policy with those statements alone that are about places the caller sees, and the others.
func (d desk) seenOf(p statement.Policy) (seen statement.Policy, unseen []statement.Statement) {
	seen = p
	seen.Statements, unseen = partSeen(d, p.Statements, func(st statement.Statement) model.ID { return st.Place })
	return seen, unseen
}

// ShowPolicy gives a policy by id.
func (s *Service) ShowPolicy(ctx context.Context, c Caller, key string) (PolicyView, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return PolicyView{}, err
	}
	p, err := d.policy(key, "describe policy")
	if err != nil {
		return PolicyView{}, err
	}
	views, err := s.policyViews(ctx, d, []statement.Policy{p}, model.ID{})
	if err != nil {
		return PolicyView{}, err
	}
	return views[0], nil
}

// policy finds a policy by id; whoever may not list it does not learn that it is there.
func (d desk) policy(key, permission string) (statement.Policy, error) {
	id, err := model.ParseID(key)
	if err != nil {
		return statement.Policy{}, &Problem{Kind: Invalid, Detail: fmt.Sprintf("%q is not a valid id of a policy: %v", key, err), Next: "take it from the list of policies", Field: "policy"}
	}
	p, ok := d.Policy(id)
	if !ok || !d.may("list policy", p.Scope) {
		return p, notThere("policy", key, "")
	}
	scope, _ := d.Scope(p.Scope)
	return p, d.need(permission, scope)
}

// ReadPolicy reads a text as it would stand at a scope, and writes nothing: for an editor that checks as one types.
func (s *Service) ReadPolicy(ctx context.Context, c Caller, key, text string) (Reading, error) {
	d, scope, err := s.openAt(ctx, c, key, "list policy")
	if err != nil {
		return Reading{}, err
	}
	p, err := d.read(statement.Policy{Scope: scope.ID}, text, d.outsidePlaces(scope.ID))
	var wrong *statement.TextError
	if errors.As(err, &wrong) {
		return Reading{Faults: faultsOf(wrong)}, nil
	} else if err != nil {
		return Reading{}, err
	}
	// Printed and shown as it would be once written.
	p.ID, p.Name = newID(), "reading"
	next, err := d.With(d.Revision()+1, access.PutPolicy{Policy: p})
	if err != nil {
		var v *model.Violation
		if errors.As(err, &v) && v.Rule == model.RuleLockOut {
			return Reading{Faults: []Fault{{Line: 1, Column: 1, Detail: v.Detail}}}, nil
		}
		return Reading{}, broken(err, "text")
	}
	then := s.deskOf(next, c)
	reading := Reading{Text: then.Print(p), Parts: then.Parts(p), Notes: p.Notes}
	for number := range p.Statements {
		reading.Statements = append(reading.Statements, then.statementView(p, number))
	}
	return reading, nil
}

// ListPolicyVersions lists what was written of a policy, newest first: versions before a revision, 0 for the newest; next is
// the revision to go on before, 0 at the end.
func (s *Service) ListPolicyVersions(ctx context.Context, c Caller, key string, before uint64, limit int) (versions []PolicyVersion, next uint64, err error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return nil, 0, err
	}
	p, err := d.policy(key, "describe policy")
	if err != nil {
		return nil, 0, err
	}
	if before == 0 {
		before = d.Revision() + 1
	}
	found, err := s.records.PolicyVersions(ctx, p.ID, before, limit+1)
	if err != nil {
		return nil, 0, err
	}
	found, next = pageOf(found, limit, func(v store.PolicyVersion) uint64 { return v.Revision })
	for _, v := range found {
		seen, _ := d.seenOf(v.Policy)
		versions = append(versions, PolicyVersion{Revision: v.Revision, Author: v.Author, Name: v.Policy.Name, Text: d.Print(seen)})
	}
	return versions, next, nil
}

// outsidePlaces gives the places outside a scope that its policies name already: moves have taken them away.
func (d desk) outsidePlaces(scope model.ID) []model.ID {
	var places []model.ID
	for _, p := range d.PoliciesAt(scope) {
		for number, st := range p.Statements {
			if d.Dormant(p.ID, number) {
				places = append(places, st.Place)
			}
		}
	}
	return places
}

// read gives a policy the statements of a text. The error is a *access.TextError when the text is at fault.
func (d desk) read(p statement.Policy, text string, before []model.ID) (statement.Policy, error) {
	var err error
	p.Statements, p.Notes, err = access.Reader{Snapshot: d.Snapshot, View: d.view, Scope: p.Scope, Before: before}.ParsePolicy(text)
	return p, err
}

// CreatePolicy writes a new policy at a scope: the whole text, or nothing of it.
func CreatePolicy(wanted NewPolicy) Change[PolicyView] {
	var made statement.Policy
	return Change[PolicyView]{
		plan: func(context.Context, *Service, Caller) planner { return planPolicy(wanted, &made) },
		tell: func(ctx context.Context, s *Service, c Caller, next *access.Snapshot) (PolicyView, error) {
			return s.policyView(ctx, s.deskOf(next, c), made, made.Scope)
		},
	}
}

func planPolicy(wanted NewPolicy, made *statement.Policy) planner {
	return func(d desk) (plan, error) {
		scope, err := d.scope(wanted.Scope)
		if err != nil {
			return plan{}, err
		}
		if scope.Kind == model.Resource {
			return plan{}, &Problem{Kind: BreaksRule, Rule: model.RulePlacement, Detail: "a policy stands at a container, not at a resource", Next: "write it at " + d.Address(d.containerOf(scope).ID) + " and name the resource as its place"}
		}
		if err := d.need("create policy", scope); err != nil {
			return plan{}, err
		}
		p, err := d.read(statement.Policy{ID: newID(), Scope: scope.ID, Name: wanted.Name}, wanted.Text, nil)
		if err != nil {
			return plan{}, textProblem(err, "text")
		}
		if len(p.Statements) == 0 {
			return plan{}, &Problem{Kind: Invalid, Field: "text", Detail: "the text holds no statement", Next: "write at least one, such as: staff may observe tree"}
		}
		*made = p
		return plan{
			changes:   []access.Change{access.PutPolicy{Policy: p}},
			described: store.Descriptions{Policies: map[model.ID]string{p.ID: wanted.Description}},
		}, nil
	}
}

// PolicyEdit is another text, name or description for a policy; nil leaves one as it is.
type PolicyEdit struct {
	Key                     string
	Name, Description, Text *string
	Was                     AsRead
}

// EditPolicy writes another text of a policy: all of it, or nothing.
func EditPolicy(e PolicyEdit) Change[PolicyView] {
	return Change[PolicyView]{
		plan: func(ctx context.Context, _ *Service, _ Caller) planner { return planPolicyEdit(ctx, e) },
		tell: func(ctx context.Context, s *Service, c Caller, next *access.Snapshot) (PolicyView, error) {
			// Whoever wrote it gets it, though the text may cost them the sight of it from now on.
			id, err := model.ParseID(e.Key)
			if err != nil {
				return PolicyView{}, err
			}
			written, _ := next.Policy(id)
			return s.policyView(ctx, s.deskOf(next, c), written, model.ID{})
		},
	}
}

func (s *Service) policyView(ctx context.Context, d desk, p statement.Policy, at model.ID) (PolicyView, error) {
	views, err := s.policyViews(ctx, d, []statement.Policy{p}, at)
	if err != nil {
		return PolicyView{}, err
	}
	return views[0], nil
}

func planPolicyEdit(ctx context.Context, e PolicyEdit) planner {
	return func(d desk) (plan, error) {
		before, err := d.policy(e.Key, "edit policy")
		if err != nil {
			return plan{}, err
		}
		details, err := d.details.PolicyDetails(ctx, []model.ID{before.ID})
		if err != nil {
			return plan{}, err
		}
		description := details[before.ID].Description
		seen, unseen := d.seenOf(before)
		if err := e.Was.ofPolicy(before.Name, description, d.Print(seen)); err != nil {
			return plan{}, err
		}
		after := before
		if e.Name != nil {
			after.Name = *e.Name
		}
		if e.Description != nil {
			description = *e.Description
		}
		if e.Text != nil {
			if after, err = d.read(after, *e.Text, d.outsidePlaces(before.Scope)); err != nil {
				return plan{}, textProblem(err, "text")
			}
			after.Statements = append(after.Statements, unseen...) // what its editor does not see stays
		}
		return plan{
			changes:   []access.Change{access.PutPolicy{Policy: after}},
			described: store.Descriptions{Policies: map[model.ID]string{after.ID: description}},
		}, nil
	}
}

// RemovePolicy removes a policy, with all its statements.
func RemovePolicy(key string) Change[Nothing] { return planned(planPolicyRemoval(key)) }

func planPolicyRemoval(key string) planner {
	return func(d desk) (plan, error) {
		p, err := d.policy(key, "retire policy")
		if err != nil {
			return plan{}, err
		}
		return plan{changes: []access.Change{access.RemovePolicy{ID: p.ID}}}, nil
	}
}

// SearchStatements finds the statements of an organisation whose text, policy or place holds all of some words, with
// where each applies. Hidden reports whether there are some that the caller may not see, whatever they say: it tells nothing of
// their words.
func (s *Service) SearchStatements(ctx context.Context, c Caller, organisation, words string) (found []StatementView, hidden bool, err error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return nil, false, err
	}
	if _, err := d.organisation(organisation); err != nil {
		return nil, false, err
	}
	if d.view.Empty() {
		return nil, false, nothingHeld(organisation)
	}
	wanted := strings.Fields(strings.ToLower(words))
	for _, p := range d.Policies() {
		for number := range p.Statements {
			if !d.mayList(p, number) {
				hidden = true
				continue
			}
			v := d.statementView(p, number)
			text := strings.ToLower(strings.Join([]string{v.Text, p.Name, v.At.Address, v.Policy.At.Address}, "\n"))
			if !slices.ContainsFunc(wanted, func(word string) bool { return !strings.Contains(text, word) }) {
				found = append(found, v)
			}
		}
	}
	return found, hidden, nil
}

// ListPatterns lists the patterns that are about all of some words.
func (s *Service) ListPatterns(ctx context.Context, c Caller, words string) ([]statement.Pattern, error) {
	if _, err := s.open(ctx, c); err != nil {
		return nil, err
	}
	return slices.DeleteFunc(slices.Clone(statement.Patterns()), func(p statement.Pattern) bool { return !p.Matches(words) }), nil
}

// FillPattern fills the blanks of a pattern and reads the text as it would stand at a scope. It writes nothing.
func (s *Service) FillPattern(ctx context.Context, c Caller, key, name string, values map[string]string) (text string, reading Reading, err error) {
	p, err := statement.FindPattern(name)
	if err != nil {
		problem := broken(err, "").(*Problem)
		problem.Kind = NotThere
		return "", Reading{}, problem
	}
	if text, err = p.Fill(values); err != nil {
		problem := broken(err, "values").(*Problem)
		problem.Kind = Invalid
		return "", Reading{}, problem
	}
	reading, err = s.ReadPolicy(ctx, c, key, text)
	return text, reading, err
}
