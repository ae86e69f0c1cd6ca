package statement

import (
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

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
	Principal model.ID `json:"principal,omitzero"`
	Unknown   string   `json:"provider,omitempty"` // instead of a principal, in what was written before providers were registered: the name of one
	Claim     string   `json:"claim,omitempty"`    // with this claim, if any
	Value     string   `json:"value,omitempty"`
}

// Statement is one line of a policy. What it names is bound: principals and its place by id, roles, types, services,
// operations and classes by names that never change.
type Statement struct {
	Place     model.ID   `json:"place"`          // where it holds
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
	ID         model.ID
	Scope      model.ID
	Name       string // unique at its scope
	Statements []Statement
	Notes      []string // comments after the last statement
	Suspended  bool     // it decides nothing until it is resumed
}

// IsAbout reports whether an operation is on one of some types and services; on any, when there are none.
func IsAbout(things []string, o catalogue.Operation) bool {
	return len(things) == 0 || slices.Contains(things, o.Type) || slices.Contains(things, o.Service)
}

// MeansAct reports whether the statement's acts mean an operation. A class word alone means the control plane where it
// gives or caps.
func (st *Statement) MeansAct(o catalogue.Operation) bool {
	if len(st.Acts) == 0 {
		return true
	}
	for _, act := range st.Acts {
		if act == o.Name || act == string(o.Class) && (st.Modal == MayNever || st.Data || o.Plane == catalogue.Control) {
			return true
		}
	}
	return false
}
