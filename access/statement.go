package access

import "slices"

// Modal says what a statement does.
type Modal string

// The modals.
const (
	May      Modal = "may"       // gives
	MayNever Modal = "may never" // cuts off
	MayOnly  Modal = "may only"  // caps: cuts off everything else
)

// Subject is whom a statement means: a principal, or people vouched for by an identity provider.
type Subject struct {
	Principal ID     `json:"principal,omitzero"`
	Provider  string `json:"provider,omitempty"` // instead of a principal
	Claim     string `json:"claim,omitempty"`    // with this claim, if any
	Value     string `json:"value,omitempty"`
}

// Statement is one line of a policy. What it names is bound: principals and its place by id, roles, types, services,
// operations and classes by names that never change.
type Statement struct {
	Place     ID         `json:"place"`          // where it holds
	Here      bool       `json:"here,omitempty"` // at that scope alone, not beneath it
	Who       []Subject  `json:"who"`
	Except    []Subject  `json:"except,omitempty"`
	Modal     Modal      `json:"modal"`
	Roles     []string   `json:"roles,omitempty"`  // act as these; then there are no acts
	Acts      []string   `json:"acts,omitempty"`   // operations and classes; none for "do anything"
	Data      bool       `json:"data,omitempty"`   // data of the things
	Things    []string   `json:"things,omitempty"` // types and services; none for "anything"
	Condition *Condition `json:"condition,omitempty"`
	Period    Period     `json:"period,omitzero"`
	Notes     []string   `json:"notes,omitempty"` // comments on the lines above
	Note      string     `json:"note,omitempty"`  // comment at the end of the line
}

// Policy is a named document of statements at a scope.
type Policy struct {
	ID         ID
	Scope      ID
	Name       string // unique at its scope
	Statements []Statement
	Notes      []string // comments after the last statement
}

// permissionsOf works out what a statement is about: what it gives, or what it cuts.
func (s *Snapshot) permissionsOf(st *Statement) (Set, error) {
	var set Set
	if len(st.Roles) > 0 {
		for _, name := range st.Roles {
			role, err := s.Role(name)
			if err != nil {
				return nil, err
			}
			set.addAll(role.Permissions)
		}
		return set, nil
	}
	for _, o := range s.catalogue.operations {
		if !about(st.Things, o) || st.Data && o.Plane != Data || !st.meansAct(o) {
			continue
		}
		set.add(o.Permission)
	}
	if st.Modal == MayOnly {
		return s.catalogue.everything.Minus(set), nil
	}
	return set, nil
}

func about(things []string, o Operation) bool {
	return len(things) == 0 || slices.Contains(things, o.Type) || slices.Contains(things, o.Service)
}

// meansAct reports whether the statement's acts mean an operation. A class word alone means the control plane where it
// gives or caps.
func (st *Statement) meansAct(o Operation) bool {
	if len(st.Acts) == 0 {
		return true
	}
	for _, act := range st.Acts {
		if act == o.Name || act == string(o.Class) && (st.Modal == MayNever || st.Data || o.Plane == Control) {
			return true
		}
	}
	return false
}

// compile makes the rules of a policy, one a statement. The error is a [*Violation].
func (s *Snapshot) compile(p *policyNode) ([]*rule, error) {
	rules := make([]*rule, len(p.Statements))
	for i := range p.Statements {
		st := &p.Statements[i]
		place, ok := s.scopeNumber(st.Place)
		if !ok {
			return nil, violation(RuleUnknown, "the place of statement %d is not there", i+1)
		}
		r := &rule{
			ref: RuleRef{Policy: p.ID, Statement: i}, cuts: st.Modal != May, here: st.Here, place: place, set: p.scope,
			condition: st.Condition, period: st.Period,
		}
		var err error
		if r.permissions, err = s.permissionsOf(st); err != nil {
			return nil, err
		}
		if r.who, r.claims, err = s.compileSubjects(st.Who, r.cuts); err != nil {
			return nil, err
		}
		if r.except, r.exceptClaim, err = s.compileSubjects(st.Except, false); err != nil {
			return nil, err
		}
		rules[i] = r
	}
	return rules, nil
}

// compileSubjects gives the numbers and claims of subjects. Where a rule cuts, everyone includes public.
func (s *Snapshot) compileSubjects(subjects []Subject, cuts bool) (numbers []number, claims []Subject, err error) {
	for _, subject := range subjects {
		if subject.Provider != "" {
			claims = append(claims, subject)
			continue
		}
		n, ok := s.principalNumber(subject.Principal)
		if !ok {
			return nil, nil, violation(RuleUnknown, "somebody a statement names is not there")
		}
		if cuts && n == everyoneNumber {
			n = publicNumber
		}
		numbers = append(numbers, n)
	}
	return numbers, claims, nil
}
