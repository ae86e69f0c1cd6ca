package tenant

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
)

// PrincipalRef names a principal by kind and name: of a service account, its address.
type PrincipalRef struct{ Kind, Name string }

// Words returns the kind as a sentence has it.
func (s PrincipalRef) Words() string { return strings.ReplaceAll(s.Kind, "-", " ") }

// TypeOf returns the type of the catalogue whose permissions rule over a kind of principal.
func TypeOf(kind model.PrincipalKind) string {
	if kind.IsPerson() {
		return model.User.String()
	}
	if kind == model.OutsideGroup {
		return model.Group.String()
	}
	return kind.String()
}

// Described finds a principal that the caller may describe.
func (s *Tenants) Described(ctx context.Context, c Caller, organisation string, who PrincipalRef) (d Viewer, p access.Principal, err error) {
	if d, err = s.Open(ctx, c); err == nil {
		p, err = d.Governed(organisation, who, "describe")
	}
	return d, p, err
}

// Governed finds a principal that the caller may do some operations on: at the organisation, or where it lives.
func (d Viewer) Governed(organisation string, who PrincipalRef, operations ...string) (access.Principal, error) {
	top, err := d.Organisation(organisation)
	if err != nil {
		return access.Principal{}, err
	}
	kind, err := model.ParsePrincipalKind(who.Kind)
	if err != nil {
		return access.Principal{}, problem.Of(err, "kind")
	}
	if kind == model.PlatformService || kind == model.BuiltInSet {
		return access.Principal{}, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("a %s does not belong to the organisation", kind), Next: "name a user, guest, outside person, group, service account or provider", Field: "kind"}
	}
	if kind == model.OutsideGroup {
		return access.Principal{}, &problem.Problem{Kind: problem.Invalid, Detail: "an outside group is its provider's", Next: "link it to a group, and name that group", Field: "kind"}
	}
	where := top
	if kind == model.ServiceAccount {
		home, _ := model.SplitAddress(who.Name)
		if where, err = d.ScopeAt(home); err != nil {
			return access.Principal{}, err
		}
	}
	for _, operation := range operations {
		if err := d.Need(operation+" "+TypeOf(kind), where); err != nil {
			return access.Principal{}, err
		}
	}
	return d.PrincipalCalled(who.Kind, who.Name)
}

// DetailsOf returns what is known of a principal besides, as the viewer reads details.
func (d Viewer) DetailsOf(ctx context.Context, p access.Principal) (store.PrincipalDetails, error) {
	details, err := d.Details.PrincipalDetails(ctx, d.OrganisationID(), []model.ID{p.ID})
	return details[p.ID], err
}

// Called returns a principal under the name it is told by: a service account is told by its address.
func (d Viewer) Called(p access.Principal) access.Principal {
	if p.Kind == model.ServiceAccount {
		p.Name = d.AccountAddress(p)
	}
	return p
}

// AllCalled returns principals under the names they are told by: see [Viewer.Called].
func (d Viewer) AllCalled(list []access.Principal) []access.Principal {
	told := make([]access.Principal, len(list))
	for i, p := range list {
		told[i] = d.Called(p)
	}
	return told
}

// AccountAddress returns the address of a service account: of the scope it lives at, and its name; empty for others.
func (d Viewer) AccountAddress(p access.Principal) string {
	if p.Kind != model.ServiceAccount {
		return ""
	}
	return d.Address(p.Home) + "/" + p.Name
}

// SeesRule reports whether the caller may list a grant, or the policy that holds a statement.
func (d Viewer) SeesRule(ref access.RuleRef) bool {
	if grant, _ := d.Rule(ref); grant != nil {
		return d.May("list grant", grant.Scope)
	}
	p, ok := d.Policy(ref.Policy)
	return ok && d.MayList(p, ref.Statement)
}

// MayList reports whether the caller may list a statement: of places that they do not see they are told nothing.
func (d Viewer) MayList(p statement.Policy, number int) bool {
	return d.May("list policy", p.Scope) && d.Sight.Sees(p.Statements[number].Place)
}

// IDs returns the ids of principals, in their order.
func IDs(list []access.Principal) []model.ID {
	ids := make([]model.ID, len(list))
	for i, p := range list {
		ids[i] = p.ID
	}
	return ids
}

// SortedKeys returns the keys of a map in order.
func SortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
