package service

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/store"
)

// Somebody names a principal by kind and name: of a service account, its address.
type Somebody struct{ Kind, Name string }

// words gives the kind as a sentence has it.
func (s Somebody) words() string { return strings.ReplaceAll(s.Kind, "-", " ") }

// typeOf gives the type of the catalogue whose permissions rule over a kind of principal.
func typeOf(kind model.PrincipalKind) string {
	if kind == model.Guest {
		return model.User.String()
	}
	return kind.String()
}

// described finds a principal that the caller may describe.
func (s *Tenants) described(ctx context.Context, c Caller, organisation string, who Somebody) (d desk, p access.Principal, err error) {
	if d, err = s.open(ctx, c); err == nil {
		p, err = d.governed(organisation, who, "describe")
	}
	return d, p, err
}

// governed finds a principal that the caller may do some operations on: at the organisation, or where it lives.
func (d desk) governed(organisation string, who Somebody, operations ...string) (access.Principal, error) {
	top, err := d.organisation(organisation)
	if err != nil {
		return access.Principal{}, err
	}
	kind, err := model.ParsePrincipalKind(who.Kind)
	if err != nil {
		return access.Principal{}, broken(err, "kind")
	}
	if kind == model.PlatformService || kind == model.BuiltInSet {
		return access.Principal{}, &Problem{Kind: Invalid, Detail: fmt.Sprintf("a %s is not the organisation's own", kind), Next: "name a user, guest, group or service account", Field: "kind"}
	}
	where := top
	if kind == model.ServiceAccount {
		home, _ := model.SplitAddress(who.Name)
		if where, err = d.scope(home); err != nil {
			return access.Principal{}, err
		}
	}
	for _, operation := range operations {
		if err := d.need(operation+" "+typeOf(kind), where); err != nil {
			return access.Principal{}, err
		}
	}
	return d.principal(who.Kind, who.Name)
}

func (d desk) detailsOf(ctx context.Context, p access.Principal) (store.PrincipalDetails, error) {
	details, err := d.details.PrincipalDetails(ctx, d.organisationID(), []model.ID{p.ID})
	return details[p.ID], err
}

// called gives a principal under the name it is told by: a service account is told by its address.
func (d desk) called(p access.Principal) access.Principal {
	if p.Kind == model.ServiceAccount {
		p.Name = d.accountAddress(p)
	}
	return p
}

func (d desk) allCalled(list []access.Principal) []access.Principal {
	told := make([]access.Principal, len(list))
	for i, p := range list {
		told[i] = d.called(p)
	}
	return told
}

// accountAddress gives the address of a service account: of the scope it lives at, and its name; empty for others.
func (d desk) accountAddress(p access.Principal) string {
	if p.Kind != model.ServiceAccount {
		return ""
	}
	return d.Address(p.Home) + "/" + p.Name
}

// seesRule reports whether the caller may list a grant, or the policy that holds a statement.
func (d desk) seesRule(ref access.RuleRef) bool {
	if grant, _ := d.Rule(ref); grant != nil {
		return d.may("list grant", grant.Scope)
	}
	p, ok := d.Policy(ref.Policy)
	return ok && d.mayList(p, ref.Statement)
}

// mayList reports whether the caller may list a statement: of places that they do not see they are told nothing.
func (d desk) mayList(p statement.Policy, number int) bool {
	return d.may("list policy", p.Scope) && d.view.Sees(p.Statements[number].Place)
}

func idsOf(list []access.Principal) []model.ID {
	ids := make([]model.ID, len(list))
	for i, p := range list {
		ids[i] = p.ID
	}
	return ids
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
