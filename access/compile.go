package access

import (
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// permissionsOf works out what a statement is about: what it gives, or what it cuts.
func (s *Snapshot) permissionsOf(st *statement.Statement) (catalogue.Set, error) {
	var set catalogue.Set
	if len(st.Roles) > 0 {
		for _, name := range st.Roles {
			role, err := s.Role(name)
			if err != nil {
				return nil, err
			}
			set.AddAll(role.Permissions)
		}
		return set, nil
	}
	for _, o := range s.catalogue.Operations() {
		if !statement.IsAbout(st.Things, o) || st.Data && o.Plane != catalogue.Data || !st.MeansAct(o) {
			continue
		}
		set.Add(o.Permission)
	}
	if st.Modal == statement.MayOnly {
		return s.catalogue.Everything().Minus(set), nil
	}
	return set, nil
}

// compile makes the rules of a policy, one a statement. The error is a [*model.Violation].
func (s *Snapshot) compile(p *policyNode) ([]*rule, error) {
	rules := make([]*rule, len(p.Statements))
	for i := range p.Statements {
		st := &p.Statements[i]
		place, ok := s.scopeNumber(st.Place)
		if !ok {
			return nil, model.Violationf(model.RuleUnknown, "the place of statement %d is not there", i+1)
		}
		r := &rule{
			ref: RuleRef{Policy: p.ID, Statement: i}, cuts: st.Modal != statement.May, exactScope: st.Here, place: place, set: p.scope,
			condition: st.Condition, period: st.Period, suspended: p.Suspended,
		}
		var err error
		if r.permissions, err = s.permissionsOf(st); err != nil {
			return nil, err
		}
		if r.who, r.claims, err = s.compileSubjects(st.Who, r.cuts); err != nil {
			return nil, err
		}
		r.listed = r.who
		for _, claim := range r.claims {
			if n, _ := s.principalNumber(claim.provider); !slices.Contains(r.listed, n) {
				r.listed = append(slices.Clip(r.listed), n)
			}
		}
		if r.except, r.exceptClaim, err = s.compileSubjects(st.Except, false); err != nil {
			return nil, err
		}
		rules[i] = r
	}
	return rules, nil
}

// compileSubjects returns the numbers and claims of subjects. Where a rule cuts, everyone includes public.
func (s *Snapshot) compileSubjects(subjects []statement.Subject, cuts bool) (numbers []number, claims []claimed, err error) {
	for _, subject := range subjects {
		if subject.Unknown != "" {
			continue // nobody comes from a provider that was never there
		}
		n, ok := s.principalNumber(subject.Principal)
		if !ok {
			return nil, nil, model.Violationf(model.RuleUnknown, "somebody a statement names is not there")
		}
		if subject.Claim != "" {
			claims = append(claims, claimed{subject.Principal, subject.Claim, subject.Value})
			continue
		}
		if cuts && n == everyoneNumber {
			n = publicNumber
		}
		numbers = append(numbers, n)
	}
	return numbers, claims, nil
}
