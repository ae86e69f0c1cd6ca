package ask

import (
	"context"
	"fmt"
	"slices"

	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// PolicyView is a policy as its viewer may see it.
type PolicyView struct {
	PolicyRef
	store.PolicyDetails
	Text       string
	Statements []StatementView
	Suspended  bool     // it decides nothing until it is resumed
	Hidden     int      // statements about places that the viewer does not see
	Inherited  bool     // it stands above the scope it is looked at from
	May        []string // what the viewer may do to it
}

// PolicyVersion is what was written of a policy, with today's names.
type PolicyVersion struct {
	Number   int // of the versions of the policy, from 1
	Revision uint64
	Author   store.Author
	Name     string
	Text     string
}

// ListPolicies lists the policies that reach a scope: its own and those above, nearest first, and of one scope by name. Whoever may list the
// policies of a scope sees those that reach it from above too.
func (s *Answers) ListPolicies(ctx context.Context, c tenant.Caller, key string, page Page) (views []PolicyView, next string, revision uint64, err error) {
	d, scope, err := s.OpenAt(ctx, c, key)
	if err != nil {
		return nil, "", 0, err
	}
	if err := d.Need("list policy", ContainerOf(d, scope)); err != nil {
		return nil, "", 0, err
	}
	var all []statement.Policy
	far := map[model.ID]int{}
	for above := range d.Path(scope.ID) {
		far[above.ID] = len(far)
		all = append(all, d.PoliciesAt(above.ID)...)
	}
	all, next = cut(all, page, func(p statement.Policy) string { return fmt.Sprintf("%04d %s", far[p.Scope], p.Name) })
	views, err = s.policyViews(ctx, d, all, scope.ID)
	return views, next, d.Revision(), err
}

// ContainerOf returns the scope itself or, for a resource, the container it is in: policies and roles stand there.
func ContainerOf(d tenant.Viewer, scope model.Scope) model.Scope {
	for above := range d.Path(scope.ID) {
		if above.Kind != model.Resource {
			return above
		}
	}
	return scope
}

func (s *Answers) policyViews(ctx context.Context, d tenant.Viewer, policies []statement.Policy, at model.ID) ([]PolicyView, error) {
	ids := make([]model.ID, len(policies))
	for i, p := range policies {
		ids[i] = p.ID
	}
	details, err := s.Records.PolicyDetails(ctx, ids)
	if err != nil {
		return nil, err
	}
	views := make([]PolicyView, len(policies))
	for i, p := range policies {
		seen, unseen := SeenOf(d, p)
		v := PolicyView{PolicyRef: policyRef(d, p), PolicyDetails: details[p.ID], Text: d.Print(seen), Suspended: p.Suspended, Hidden: len(unseen), Inherited: !at.IsZero() && p.Scope != at}
		for number, st := range p.Statements {
			if d.Sight.Sees(st.Place) {
				v.Statements = append(v.Statements, ViewOfStatement(d, p, number))
			}
		}
		for _, operation := range []string{"edit policy", "retire policy"} {
			if d.May(operation, p.Scope) {
				v.May = append(v.May, operation)
			}
		}
		views[i] = v
	}
	return views, nil
}

// SeenOf returns a policy with those statements alone that are about places the caller sees, and the others.
func SeenOf(d tenant.Viewer, p statement.Policy) (seen statement.Policy, unseen []statement.Statement) {
	seen = p
	seen.Statements, unseen = tenant.PartSeen(d, p.Statements, func(st statement.Statement) model.ID { return st.Place })
	return seen, unseen
}

// ShowPolicy returns a policy by id.
func (s *Answers) ShowPolicy(ctx context.Context, c tenant.Caller, key string) (PolicyView, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return PolicyView{}, err
	}
	p, err := Policy(d, key, "describe policy")
	if err != nil {
		return PolicyView{}, err
	}
	views, err := s.policyViews(ctx, d, []statement.Policy{p}, model.ID{})
	if err != nil {
		return PolicyView{}, err
	}
	return views[0], nil
}

// Policy finds a policy by id; whoever may not list it does not learn that it is there.
func Policy(d tenant.Viewer, key, permission string) (statement.Policy, error) {
	id, err := model.ParseID(key)
	if err != nil {
		return statement.Policy{}, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("%q is not a valid id of a policy: %v", key, err), Next: "take it from the list of policies", Field: "policy"}
	}
	p, ok := d.Policy(id)
	if !ok || !d.May("list policy", p.Scope) {
		return p, problem.Missing("policy", key, "")
	}
	scope, _ := d.Scope(p.Scope)
	return p, d.Need(permission, scope)
}

// ListPolicyVersions lists what was written of a policy, newest first: versions before a revision, 0 for the newest; next is
// the revision to go on before, 0 at the end.
func (s *Answers) ListPolicyVersions(ctx context.Context, c tenant.Caller, key string, before uint64, limit int) (versions []PolicyVersion, next uint64, err error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return nil, 0, err
	}
	p, err := Policy(d, key, "describe policy")
	if err != nil {
		return nil, 0, err
	}
	if before == 0 {
		before = d.Revision() + 1
	}
	found, err := s.Records.PolicyVersions(ctx, p.ID, before, limit+1)
	if err != nil {
		return nil, 0, err
	}
	found, next = pageOf(found, limit, func(v store.PolicyVersion) uint64 { return v.Revision })
	for _, v := range found {
		seen, _ := SeenOf(d, v.Policy)
		versions = append(versions, PolicyVersion{Number: v.Number, Revision: v.Revision, Author: v.Author, Name: v.Policy.Name, Text: d.Print(seen)})
	}
	return versions, next, nil
}

// PolicyView returns a policy as a viewer at a scope may see it.
func (s *Answers) PolicyView(ctx context.Context, d tenant.Viewer, p statement.Policy, at model.ID) (PolicyView, error) {
	views, err := s.policyViews(ctx, d, []statement.Policy{p}, at)
	if err != nil {
		return PolicyView{}, err
	}
	return views[0], nil
}

// StatementsNarrowed is what a list of statements is narrowed by; what is empty narrows nothing.
type StatementsNarrowed struct {
	Modal statement.Modal
	State credential.State // of the policy: active or suspended
}

var statements = lister[StatementView]{
	key: func(v StatementView) string {
		return fmt.Sprintf("%s\n%s\n%05d", v.Policy.At.Address, v.Policy.Name, v.Number)
	},
	words: func(v StatementView) []string {
		return []string{v.Text, v.Policy.Name, v.At.Address, v.Policy.At.Address}
	},
	columns: map[string]func(StatementView) string{
		"text":   func(v StatementView) string { return v.Text },
		"place":  func(v StatementView) string { return v.At.Address },
		"policy": func(v StatementView) string { return v.Policy.Name },
	},
}

// SearchStatements finds the statements of an organisation whose text, policy or place holds all of some words, with
// where each applies. Hidden reports whether there are some that the caller may not see, whatever they say: it tells nothing of
// their words.
func (s *Answers) SearchStatements(ctx context.Context, c tenant.Caller, organisation string, wanted Listing, by StatementsNarrowed) (found Listed[StatementView], hidden bool, err error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return found, false, err
	}
	if _, err := d.Organisation(organisation); err != nil {
		return found, false, err
	}
	if d.Sight.Empty() {
		return found, false, tenant.NothingHeld(organisation)
	}
	var all []StatementView
	for _, p := range d.Policies() {
		for number := range p.Statements {
			if d.MayList(p, number) {
				all = append(all, ViewOfStatement(d, p, number))
			} else {
				hidden = true
			}
		}
	}
	found, err = statements.list(all, wanted, func(v StatementView) bool {
		return (by.Modal == "" || by.Modal == v.Modal) && (by.State == "" || v.Suspended == (by.State == credential.Suspended))
	})
	return found, hidden, err
}

// ListPatterns lists the patterns that are about all of some words.
func (s *Answers) ListPatterns(ctx context.Context, c tenant.Caller, words string) ([]statement.Pattern, error) {
	if _, err := s.Open(ctx, c); err != nil {
		return nil, err
	}
	return slices.DeleteFunc(slices.Clone(statement.Patterns()), func(p statement.Pattern) bool { return !p.Matches(words) }), nil
}
