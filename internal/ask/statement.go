package ask

import (
	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/tenant"
)

// StatementView is a statement of a policy.
type StatementView struct {
	Policy     PolicyRef
	Number     int // from 1
	Text       string
	At         tenant.Ref
	Here       bool // it holds at that scope alone
	Modal      statement.Modal
	Dormant    bool
	Suspended  bool // with its policy
	Privileged bool // it gives a permission of class govern
}

// PolicyRef names a policy.
type PolicyRef struct {
	ID   model.ID
	Name string
	At   tenant.Ref
}

func policyRef(d tenant.Viewer, p statement.Policy) PolicyRef {
	scope, _ := d.Scope(p.Scope)
	return PolicyRef{ID: p.ID, Name: p.Name, At: d.Ref(scope)}
}

// ViewOfStatement returns a statement of a policy as the viewer may see it.
func ViewOfStatement(d tenant.Viewer, p statement.Policy, number int) StatementView {
	st := p.Statements[number]
	place, _ := d.Scope(st.Place)
	gives := st.Modal == statement.May && d.Gives(access.RuleRef{Policy: p.ID, Statement: number}).Meets(d.Catalogue().Governing())
	return StatementView{
		Policy: policyRef(d, p), Number: number + 1, Text: d.PrintStatement(&st, p.Scope), At: d.Ref(place), Here: st.Here,
		Modal: st.Modal, Dormant: d.Dormant(p.ID, number), Suspended: p.Suspended, Privileged: gives,
	}
}
