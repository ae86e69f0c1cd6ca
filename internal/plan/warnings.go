package plan

import (
	"fmt"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/tenant"
)

// reshapeWarnings tells what a change of the tree takes along and leaves behind: scopes beneath, statements that go
// dormant or wake up, and grants of roles that could not be granted there any more.
func reshapeWarnings(d tenant.Viewer, proposal *access.Proposal) []string {
	var warnings []string
	moved := false
	for _, change := range proposal.Changes {
		var id model.ID
		verb := ""
		switch c := change.(type) {
		case access.MoveScope:
			id, verb, moved = c.ID, "moves", true
		case access.RetireScope:
			id, verb = c.ID, "is retired"
		case access.RestoreScope:
			id, verb = c.ID, "is restored, as it was,"
		case access.RenameScope:
			if top, _ := d.Top(); c.ID == top.ID {
				warnings = append(warnings, fmt.Sprintf("Everybody signs in as NAME@%s from then on. %s keeps meaning it, at sign-in and in addresses, and no other organisation can have that name.", c.Name, top.Name))
			}
			if n := namedBy(d, c.ID); n > 0 {
				warnings = append(warnings, fmt.Sprintf("%s by name; from then on they are written with the new name.", statements(n, "names it", "name it")))
			}
			continue
		default:
			continue
		}
		if n := d.Beneath(id); n > 0 {
			warnings = append(warnings, fmt.Sprintf("%s %s with %s below it.", d.Address(id), verb, strings.Join(counted(n, "scope", "scopes"), "")))
		}
	}
	if !moved {
		return warnings
	}
	next := proposal.After
	asleep, awake := 0, 0
	for _, policy := range d.Policies() {
		for number := range policy.Statements {
			switch was, is := d.Dormant(policy.ID, number), next.Dormant(policy.ID, number); {
			case is && !was:
				asleep++
			case was && !is:
				awake++
			}
		}
	}
	if asleep > 0 {
		warnings = append(warnings, statements(asleep, "goes dormant: its place leaves the scope of its policy.", "go dormant: their places leave the scopes of their policies."))
	}
	if awake > 0 {
		warnings = append(warnings, statements(awake, "that was dormant decides again.", "that were dormant decide again."))
	}
	if n := misplaced(d, next, proposal.Changes); n > 0 {
		warnings = append(warnings, strings.Join(counted(n, "grant stays, though its role could not be granted there", "grants stay, though their roles could not be granted there"), "")+".")
	}
	return warnings
}

func statements(n int, one, many string) string {
	return strings.Join(counted(n, "statement "+one, "statements "+many), "")
}

// namedBy counts the statements whose place is a scope.
func namedBy(d tenant.Viewer, scope model.ID) int {
	n := 0
	for _, policy := range d.Policies() {
		for _, st := range policy.Statements {
			if st.Place == scope && policy.Scope != scope {
				n++
			}
		}
	}
	return n
}

// misplaced counts the grants at the scopes moved whose roles could be granted there before and not after.
func misplaced(d tenant.Viewer, next *access.Snapshot, changes []access.Change) int {
	n := 0
	for _, change := range changes {
		move, ok := change.(access.MoveScope)
		if !ok {
			continue
		}
		for _, grant := range d.GrantsAt(move.ID) {
			role, err := d.Role(grant.Role)
			if err == nil && d.GrantableAt(role, move.ID) && !next.GrantableAt(role, move.ID) {
				n++
			}
		}
	}
	return n
}

// warnings returns what is wide or dangerous about a change, and what it does not do.
func warnings(d tenant.Viewer, effects []EffectView, proposal *access.Proposal) []string {
	var warnings []string
	for _, e := range effects {
		if e.Public {
			warnings = append(warnings, "Anybody at all gets what it gives at "+e.At.Address+", known to the organisation or not.")
		}
	}
	if slices.ContainsFunc(effects, func(e EffectView) bool { return e.Privileged }) {
		warnings = append(warnings, "It gives permissions to govern: their holders decide on the access of others.")
	}
	if slices.ContainsFunc(effects, func(e EffectView) bool { return takesFromMe(d, e) }) {
		warnings = append(warnings, "You yourself would lose access.")
	}
	for _, change := range proposal.Changes {
		switch c := change.(type) {
		case access.PutPolicy:
			warnings = append(warnings, dormantWarnings(d, c.Policy)...)
			for _, st := range c.Policy.Statements {
				if st.Modal == statement.May && len(effects) > 0 {
					warnings = append(warnings, broadWarnings(d, st.Place, narrowed(d, st)...)...)
				}
			}
		case access.CreateGrant:
			if len(effects) > 0 {
				warnings = append(warnings, broadWarnings(d, c.Grant.Scope, statement.Subject{Principal: c.Grant.Principal})...)
			}
		}
	}
	warnings = append(warnings, reshapeWarnings(d, proposal)...)
	slices.Sort(warnings)
	return slices.Compact(warnings)
}

// takesFromMe reports whether whoever makes a change is among those who lose by it.
func takesFromMe(d tenant.Viewer, e EffectView) bool {
	return len(e.Loses)+len(e.MayLose) > 0 && slices.ContainsFunc(e.Principals, func(p access.Principal) bool { return d.Means(p.ID, d.Me) })
}

// narrowed returns whom a statement means, without the providers whose people it asks for claims.
func narrowed(d tenant.Viewer, st statement.Statement) []statement.Subject {
	if !st.Condition.Mentions("claim") {
		return st.Who
	}
	return slices.DeleteFunc(slices.Clone(st.Who), func(s statement.Subject) bool {
		p, _ := d.Principal(s.Principal)
		return p.Kind == model.Provider
	})
}

// broadWarnings returns what is wide about giving something at a scope to somebody; that strangers are among them is said already.
func broadWarnings(d tenant.Viewer, at model.ID, who ...statement.Subject) []string {
	var warnings []string
	if at == d.OrganisationID() {
		warnings = append(warnings, "It holds in the whole organisation, for all that is there and all that comes.")
	}
	for _, subject := range who {
		if p, ok := d.Principal(subject.Principal); ok && p.Kind == model.BuiltInSet && !outsider(p) {
			warnings = append(warnings, "It reaches every member of "+p.Name+", present and future.")
		} else if ok && p.Kind == model.Provider && subject.Claim == "" {
			warnings = append(warnings, "It reaches everybody who comes by "+p.Name+", present and future.")
		}
	}
	return warnings
}

func dormantWarnings(d tenant.Viewer, p statement.Policy) []string {
	var warnings []string
	for number := range p.Statements {
		if d.Dormant(p.ID, number) {
			warnings = append(warnings, fmt.Sprintf("Statement %d stays dormant: its place has left the scope of the policy.", number+1))
		}
	}
	return warnings
}
