package access

import (
	"slices"
	"strings"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// Outcome says why a rule met on the way applies, or does not.
type Outcome string

// The reasons why.
const (
	Applies          Outcome = "applies"
	NotNamed         Outcome = "not-named"         // it names neither the principal nor a group or set it belongs to
	Excepted         Outcome = "excepted"          // it excepts the principal
	GroupInactive    Outcome = "group-inactive"    // the group it names is out of use, or one between
	OtherPermission  Outcome = "other-permission"  // it is not about the permission asked for
	OtherPlane       Outcome = "other-plane"       // it is about the other plane of the same thing
	OtherScope       Outcome = "other-scope"       // it holds at its own scope alone
	PolicySuspended  Outcome = "policy-suspended"  // its policy decides nothing until it is resumed
	PeriodOver       Outcome = "period-over"       // its period has ended
	PeriodAhead      Outcome = "period-ahead"      // its period has not begun
	PeriodUnknown    Outcome = "period-unknown"    // it has a period, and the question tells no time
	ConditionFalse   Outcome = "condition-false"   // Part does not hold
	ConditionUnknown Outcome = "condition-unknown" // of Part it is not known whether it holds
	CannotCut        Outcome = "cannot-cut"        // it cuts, but whom a rule from above lets govern can always find and repair
)

// RuleOutcome is a rule met on the way from a scope up to the organisation.
type RuleOutcome struct {
	Rule    RuleRef
	Place   model.ID // where it is placed
	Cuts    bool
	Outcome Outcome
	Part    string   // of the condition, that decides
	Through []string // the groups from the principal to the one the rule names; empty when it names the principal
	Names   model.ID // the principal, group or set by which the rule means the principal; zero when it does not
}

// Effective reports whether the rule takes part in the decision: it applies, or it cuts under a condition that is unknown.
func (m RuleOutcome) Effective() bool {
	return m.Outcome == Applies || m.Cuts && (m.Outcome == ConditionUnknown || m.Outcome == PeriodUnknown)
}

// Explanation is a decision with the rules met on the way up, nearest first: all that name the principal, and all that
// are about the permission.
type Explanation struct {
	Decision
	Rules []RuleOutcome
}

// Explain answers a question as [Snapshot.Decide] does and tells what was met on the way.
func (s *Snapshot) Explain(q Question) Explanation {
	e := Explanation{Decision: s.Decide(q)}
	who := s.principalNode(q.Principal)
	at, there := s.scopeNumber(q.Scope)
	if who == nil || !there {
		return e
	}
	eval := s.evaluation(who, at, q.Context)
	gives := eval.outcome().gives
	for up := s.upward(at); up.next(); {
		if up.node.rules == nil {
			continue
		}
		for _, r := range up.node.rules.all {
			m := s.meet(r, who, at, q)
			if m.Outcome == NotNamed && !r.permissions.Has(q.Permission) {
				continue
			}
			if m.Cuts && m.Effective() && s.spares(r, gives).Has(q.Permission) {
				m.Outcome = CannotCut
			}
			e.Rules = append(e.Rules, m)
		}
	}
	return e
}

// meet returns why one rule does or does not apply.
func (s *Snapshot) meet(r *rule, who *principalNode, at number, q Question) RuleOutcome {
	m := RuleOutcome{Rule: r.ref, Place: s.scopes.get(r.place).id, Cuts: r.cuts, Outcome: Applies}
	m.Names, m.Through = s.namedBy(r, who)
	f := facts{snapshot: s, principal: who, scope: s.scopes.get(at), context: q.Context}
	var holds [terms]truth
	for t := range terms {
		holds[t] = r.holds(t, f)
	}
	switch {
	case holds[whoTerm] == no && !m.Names.IsZero():
		m.Outcome = GroupInactive
	case holds[whoTerm] == no:
		m.Outcome = NotNamed
	case holds[exceptTerm] == no:
		m.Outcome = Excepted
	case !r.permissions.Has(q.Permission):
		m.Outcome = s.otherThan(r, q.Permission)
	case r.exactScope && r.place != at:
		m.Outcome = OtherScope
	default:
		// A term that is known not to hold says more than one of which nothing is known.
		for _, want := range []truth{no, unknown} {
			if at := slices.Index(holds[:], want); at >= 0 {
				m.Outcome, m.Part = r.whyNot(term(at), want, f)
				break
			}
		}
	}
	return m
}

// whyNot says in what way a term does not hold, or is not known to.
func (r *rule) whyNot(t term, holds truth, f facts) (why Outcome, part string) {
	switch {
	case t == inUseTerm:
		return PolicySuspended, ""
	case t == whoTerm:
		return ConditionUnknown, "the principal carries the claims it names"
	case t == exceptTerm:
		return ConditionUnknown, "the principal carries the claims it excepts"
	case t == periodTerm && holds == unknown:
		return PeriodUnknown, ""
	case t == periodTerm && f.context.moment().Before(r.period.From):
		return PeriodAhead, ""
	case t == periodTerm:
		return PeriodOver, ""
	case holds == no:
		return ConditionFalse, culprit(r.condition, f)
	}
	return ConditionUnknown, culprit(r.condition, f)
}

// otherThan returns how a rule that is not about a permission misses it.
func (s *Snapshot) otherThan(r *rule, p catalogue.Permission) Outcome {
	asked := s.catalogue.Operation(p)
	otherPlane := false
	for held := range r.permissions.All {
		if o := s.catalogue.Operation(held); o.Service == asked.Service {
			if o.Plane == asked.Plane {
				return OtherPermission
			}
			otherPlane = true
		}
	}
	if otherPlane {
		return OtherPlane
	}
	return OtherPermission
}

// namedBy finds by which of its names a rule means a principal, and through which groups; groups out of use count here.
func (s *Snapshot) namedBy(r *rule, who *principalNode) (model.ID, []string) {
	for _, n := range r.who {
		if n == who.number {
			return who.ID, nil
		}
	}
	for _, through := range []func(*principalNode) bool{func(g *principalNode) bool { return !g.Inactive }, nil} {
		for _, n := range r.who {
			if p := s.principals.Get(n); p.Kind == model.Group {
				if way := s.way(who, n, through); way != nil {
					return p.ID, way[1:]
				}
			}
		}
	}
	for _, n := range r.who {
		if who.among(n) && (r.cuts || !who.Kind.IsGroup()) { // what a set is given is not given by a group
			return s.principals.Get(n).ID, nil
		}
	}
	for _, claim := range r.claims {
		if (*Context)(nil).carries(who, claim) != no {
			return claim.provider, nil
		}
	}
	return model.ID{}, nil
}

// Rule tells what a rule is: the grant, or the statement with its policy. One of the two is nil.
func (s *Snapshot) Rule(ref RuleRef) (*Grant, *statement.Statement) {
	if node, ok := s.grants.Get(ref.Grant); ok {
		return &node.Grant, nil
	}
	if p, ok := s.policies.Get(ref.Policy); ok && ref.Statement < len(p.Statements) {
		return nil, &p.Statements[ref.Statement]
	}
	return nil, nil
}

// Gives tells the permissions that a rule gives, or cuts.
func (s *Snapshot) Gives(ref RuleRef) catalogue.Set {
	if node, ok := s.grants.Get(ref.Grant); ok {
		return node.rule.permissions
	}
	if p, ok := s.policies.Get(ref.Policy); ok && ref.Statement < len(p.rules) {
		return p.rules[ref.Statement].permissions
	}
	return nil
}

// Policy finds a policy by id.
func (s *Snapshot) Policy(id model.ID) (statement.Policy, bool) {
	p, ok := s.policies.Get(id)
	if !ok {
		return statement.Policy{}, false
	}
	return p.Policy, true
}

// PoliciesAt returns the policies of a scope itself, by name.
func (s *Snapshot) PoliciesAt(scope model.ID) []statement.Policy {
	n, ok := s.scopeNumber(scope)
	if !ok || s.scopes.get(n).more == nil {
		return nil
	}
	return policiesOf(s.scopes.get(n).more.policies)
}

func policiesOf(nodes []*policyNode) []statement.Policy {
	policies := make([]statement.Policy, len(nodes))
	for i, p := range nodes {
		policies[i] = p.Policy
	}
	slices.SortFunc(policies, func(a, b statement.Policy) int { return strings.Compare(a.Name, b.Name) })
	return policies
}

// Policies returns all policies of the organisation, by the address of their scope and by name.
func (s *Snapshot) Policies() []statement.Policy {
	var nodes []*policyNode
	for it := s.policies.Iterator(); !it.Done(); {
		_, p, _ := it.Next()
		nodes = append(nodes, p)
	}
	addresses := map[number]string{}
	for _, p := range nodes {
		addresses[p.scope] = s.address(p.scope)
	}
	slices.SortFunc(nodes, func(a, b *policyNode) int {
		if c := strings.Compare(addresses[a.scope], addresses[b.scope]); c != 0 {
			return c
		}
		return strings.Compare(a.Name, b.Name)
	})
	policies := make([]statement.Policy, len(nodes))
	for i, p := range nodes {
		policies[i] = p.Policy
	}
	return policies
}

// Dormant reports whether a statement decides nothing, since its place has left its policy's scope.
func (s *Snapshot) Dormant(policy model.ID, statement int) bool {
	p, ok := s.policies.Get(policy)
	if !ok || statement >= len(p.rules) {
		return false
	}
	_, dormant := s.dormant.Get(p.rules[statement])
	return dormant
}

// RulesFor returns the rules that mean a principal: itself, a group it is within through active groups, or a set it
// belongs to.
func (s *Snapshot) RulesFor(principal model.ID) []RuleRef {
	who := s.principalNode(principal)
	if who == nil {
		return nil
	}
	var refs []RuleRef
	for _, n := range who.all() {
		if who.rests(n) {
			continue
		}
		for _, r := range s.principals.Get(n).rules {
			if !slices.Contains(refs, r.ref) {
				refs = append(refs, r.ref)
			}
		}
	}
	return refs
}
