package change

import (
	"context"
	"errors"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/ask"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// NewPolicy is a policy that somebody wants.
type NewPolicy struct {
	Scope, Name, Description, Text string
}

// ParsedPolicy is what a text of statements says.
type ParsedPolicy struct {
	Text       string // in its one form; empty when there are faults
	Statements []ask.StatementView
	Parts      []statement.Parts // the statements taken apart
	Notes      []string          // comments after the last statement
	Faults     []problem.Fault
}

// ReadPolicy reads a text as it would stand at a scope, and writes nothing: for an editor that checks as one types.
func (s *Changes) ReadPolicy(ctx context.Context, c tenant.Caller, key, text string) (ParsedPolicy, error) {
	d, scope, err := s.OpenAt(ctx, c, key, "list policy")
	if err != nil {
		return ParsedPolicy{}, err
	}
	p, err := read(d, statement.Policy{Scope: scope.ID}, text, outsidePlaces(d, scope.ID))
	var wrong *statement.TextError
	if errors.As(err, &wrong) {
		return ParsedPolicy{Faults: problem.FaultsOf(wrong)}, nil
	} else if err != nil {
		return ParsedPolicy{}, err
	}
	// Printed and shown as it would be once written.
	p.ID, p.Name = tenant.NewID(), "reading"
	next, err := d.With(d.Revision()+1, access.PutPolicy{Policy: p})
	if err != nil {
		var v *model.Violation
		if errors.As(err, &v) && v.Rule == model.RuleLockOut {
			return ParsedPolicy{Faults: []problem.Fault{{Line: 1, Column: 1, Detail: v.Detail}}}, nil
		}
		return ParsedPolicy{}, problem.Of(err, "text")
	}
	then := s.ViewerOf(next, c)
	reading := ParsedPolicy{Text: then.Print(p), Parts: then.Parts(p), Notes: p.Notes}
	for number := range p.Statements {
		reading.Statements = append(reading.Statements, ask.ViewOfStatement(then, p, number))
	}
	return reading, nil
}

// outsidePlaces returns the places outside a scope that its policies name already: moves have taken them away.
func outsidePlaces(d tenant.Viewer, scope model.ID) []model.ID {
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

// read parses a text as the statements of a policy. The error is a *access.TextError when the text is at fault.
func read(d tenant.Viewer, p statement.Policy, text string, before []model.ID) (statement.Policy, error) {
	var err error
	p.Statements, p.Notes, err = access.Reader{Snapshot: d.Snapshot, View: d.Sight, Scope: p.Scope, Before: before}.ParsePolicy(text)
	return p, err
}

// CreatePolicy writes a new policy at a scope: the whole text, or nothing of it.
func (s *Changes) CreatePolicy(wanted NewPolicy) plan.Change[ask.PolicyView] {
	var made statement.Policy
	return plan.Change[ask.PolicyView]{
		Of:   s.Maker,
		Plan: func(context.Context, tenant.Caller) plan.Planner { return planPolicy(wanted, &made) },
		Tell: func(ctx context.Context, c tenant.Caller, next *access.Snapshot) (ask.PolicyView, error) {
			return s.PolicyView(ctx, s.ViewerOf(next, c), made, made.Scope)
		},
	}
}

func planPolicy(wanted NewPolicy, made *statement.Policy) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		scope, err := d.ScopeAt(wanted.Scope)
		if err != nil {
			return tenant.Plan{}, err
		}
		if scope.Kind == model.Resource {
			return tenant.Plan{}, &problem.Problem{Kind: problem.BreaksRule, Rule: model.RulePlacement, Detail: "a policy belongs to a container, not to a resource", Next: "write it at " + d.Address(ask.ContainerOf(d, scope).ID) + " and name the resource as its place"}
		}
		if err := d.Need("create policy", scope); err != nil {
			return tenant.Plan{}, err
		}
		p, err := read(d, statement.Policy{ID: tenant.NewID(), Scope: scope.ID, Name: wanted.Name}, wanted.Text, nil)
		if err != nil {
			return tenant.Plan{}, problem.OfText(err, "text")
		}
		if len(p.Statements) == 0 {
			return tenant.Plan{}, &problem.Problem{Kind: problem.Invalid, Field: "text", Detail: "the text holds no statement", Next: "write at least one, such as: staff may observe tree"}
		}
		*made = p
		return tenant.Plan{
			Changes:   []access.Change{access.PutPolicy{Policy: p}},
			Described: store.Descriptions{Policies: map[model.ID]string{p.ID: wanted.Description}},
		}, nil
	}
}

// PolicyEdit is another text, name or description for a policy; nil leaves one as it is.
type PolicyEdit struct {
	Key                     string
	Name, Description, Text *string
	Was                     plan.AsRead
}

// EditPolicy writes another text of a policy: all of it, or nothing.
func (s *Changes) EditPolicy(e PolicyEdit) plan.Change[ask.PolicyView] {
	return plan.Change[ask.PolicyView]{
		Of:   s.Maker,
		Plan: func(ctx context.Context, _ tenant.Caller) plan.Planner { return planPolicyEdit(ctx, e) },
		Tell: func(ctx context.Context, c tenant.Caller, next *access.Snapshot) (ask.PolicyView, error) {
			// Whoever wrote it gets it, though the text may cost them the sight of it from now on.
			id, err := model.ParseID(e.Key)
			if err != nil {
				return ask.PolicyView{}, err
			}
			written, _ := next.Policy(id)
			return s.PolicyView(ctx, s.ViewerOf(next, c), written, model.ID{})
		},
	}
}

func planPolicyEdit(ctx context.Context, e PolicyEdit) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		before, err := ask.Policy(d, e.Key, "edit policy")
		if err != nil {
			return tenant.Plan{}, err
		}
		details, err := d.Details.PolicyDetails(ctx, []model.ID{before.ID})
		if err != nil {
			return tenant.Plan{}, err
		}
		description := details[before.ID].Description
		seen, unseen := ask.SeenOf(d, before)
		if err := e.Was.OfPolicy(before.Name, description, d.Print(seen)); err != nil {
			return tenant.Plan{}, err
		}
		after := before
		if e.Name != nil {
			after.Name = *e.Name
		}
		if e.Description != nil {
			description = *e.Description
		}
		if e.Text != nil {
			if after, err = read(d, after, *e.Text, outsidePlaces(d, before.Scope)); err != nil {
				return tenant.Plan{}, problem.OfText(err, "text")
			}
			after.Statements = append(after.Statements, unseen...) // what its editor does not see stays
		}
		return tenant.Plan{
			Changes:   []access.Change{access.PutPolicy{Policy: after}},
			Described: store.Descriptions{Policies: map[model.ID]string{after.ID: description}},
		}, nil
	}
}

// SuspendPolicy has a policy decide nothing until it is resumed, or resumes it.
func (s *Changes) SuspendPolicy(key string, suspended bool) plan.Change[plan.Nothing] {
	return plan.Planned(s.Maker, planPolicyState(key, suspended))
}

func planPolicyState(key string, suspended bool) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		p, err := ask.Policy(d, key, "edit policy")
		if err != nil {
			return tenant.Plan{}, err
		}
		if p.Suspended == suspended {
			return tenant.Plan{}, &problem.Problem{Kind: problem.BreaksRule, Detail: fmt.Sprintf("policy %s is %s already", p.Name, map[bool]string{true: "suspended", false: "in use"}[suspended]), Next: "read it again", Field: "state"}
		}
		p.Suspended = suspended
		return tenant.Plan{Changes: []access.Change{access.PutPolicy{Policy: p}}}, nil
	}
}

// RemovePolicy removes a policy, with all its statements.
func (s *Changes) RemovePolicy(key string) plan.Change[plan.Nothing] {
	return plan.Planned(s.Maker, planPolicyRemoval(key))
}

func planPolicyRemoval(key string) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		p, err := ask.Policy(d, key, "retire policy")
		if err != nil {
			return tenant.Plan{}, err
		}
		return tenant.Plan{Changes: []access.Change{access.RemovePolicy{ID: p.ID}}}, nil
	}
}

// FillPattern fills the blanks of a pattern and reads the text as it would stand at a scope. It writes nothing.
func (s *Changes) FillPattern(ctx context.Context, c tenant.Caller, key, name string, values map[string]string) (text string, reading ParsedPolicy, err error) {
	p, err := statement.FindPattern(name)
	if err != nil {
		wrong := problem.Of(err, "").(*problem.Problem)
		wrong.Kind = problem.NotThere
		return "", ParsedPolicy{}, wrong
	}
	if text, err = p.Fill(values); err != nil {
		wrong := problem.Of(err, "values").(*problem.Problem)
		wrong.Kind = problem.Invalid
		return "", ParsedPolicy{}, wrong
	}
	reading, err = s.ReadPolicy(ctx, c, key, text)
	return text, reading, err
}
