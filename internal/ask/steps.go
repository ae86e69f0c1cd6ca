package ask

import (
	"fmt"

	"arbora.example/access"
	"arbora.example/internal/tenant"
)

// stepsTold bounds how many changes that would turn a no are told.
const stepsTold = 4

// Step is a single change that would turn a no.
type Step struct {
	access.Step
	Words  string
	At     tenant.Ref
	Policy *PolicyRef // of the statement to be lifted
}

// steps tells the changes that would turn a no, to those who could make one of the kind: who may not grant at the scope
// learns of no role, who may not enrol of no group, and who may not edit it of no statement.
//
// For a no that no single change would turn, why says so, to those who may grant at the scope.
func steps(d tenant.Viewer, q access.Question, no access.Decision) (told []Step, why string) {
	top, _ := d.Top()
	grants, enrols := d.May("create grant", q.Scope), d.May("enrol group", top.ID)
	who, _ := d.Principal(q.Principal)
	scope, _ := d.Scope(q.Scope)
	const all = 64
	found := d.StepsTo(q, all)
	for _, step := range found {
		s := Step{Step: step, At: d.Ref(scope)}
		switch {
		case step.Group != nil && enrols:
			s.Words = fmt.Sprintf("add %s to group %s", who.Name, step.Group.Name)
		case step.Role != nil && grants:
			s.Words = fmt.Sprintf("grant %s to %s at %s", step.Role.Name, who.Name, s.At.Address)
		case !step.Lift.IsZero():
			p, _ := d.Policy(step.Lift.Policy)
			if !d.May("edit policy", p.Scope) {
				continue
			}
			ref := policyRef(d, p)
			place, _ := d.Scope(step.Scope)
			s.At, s.Policy = d.Ref(place), &ref
			s.Words = fmt.Sprintf("remove statement %d from policy %s at %s, or except %s in it", step.Lift.Statement+1, p.Name, ref.At.Address, who.Name)
		default:
			continue
		}
		if told = append(told, s); len(told) == stepsTold {
			break
		}
	}
	if grants && len(found) == 0 {
		switch no.Reason {
		case access.Cut:
			why = "No single change makes it a yes: a statement cuts it off, and nothing gives it either."
		case access.NotGranted:
			why = "No single change makes it a yes: no role that can be granted here holds it, and no group that gives it can be joined."
		}
	}
	return told, why
}
