package service

import (
	"context"
	"errors"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/store"
)

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

// ReadPolicy reads a text as it would stand at a scope, and writes nothing: for an editor that checks as one types.
func (s *Changes) ReadPolicy(ctx context.Context, c Caller, key, text string) (Reading, error) {
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
func (s *Changes) CreatePolicy(wanted NewPolicy) Change[PolicyView] {
	var made statement.Policy
	return Change[PolicyView]{
		of:   s.Maker,
		plan: func(context.Context, Caller) planner { return planPolicy(wanted, &made) },
		tell: func(ctx context.Context, c Caller, next *access.Snapshot) (PolicyView, error) {
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
func (s *Changes) EditPolicy(e PolicyEdit) Change[PolicyView] {
	return Change[PolicyView]{
		of:   s.Maker,
		plan: func(ctx context.Context, _ Caller) planner { return planPolicyEdit(ctx, e) },
		tell: func(ctx context.Context, c Caller, next *access.Snapshot) (PolicyView, error) {
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
func (s *Changes) RemovePolicy(key string) Change[Nothing] {
	return planned(s.Maker, planPolicyRemoval(key))
}

func planPolicyRemoval(key string) planner {
	return func(d desk) (plan, error) {
		p, err := d.policy(key, "retire policy")
		if err != nil {
			return plan{}, err
		}
		return plan{changes: []access.Change{access.RemovePolicy{ID: p.ID}}}, nil
	}
}

// FillPattern fills the blanks of a pattern and reads the text as it would stand at a scope. It writes nothing.
func (s *Changes) FillPattern(ctx context.Context, c Caller, key, name string, values map[string]string) (text string, reading Reading, err error) {
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
