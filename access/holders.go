package access

import (
	"cmp"
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// Holder is somebody who may do something.
type Holder struct {
	Principal   Principal
	Conditional bool // under a condition that is not known to hold, or from a later moment on
}

// Holders returns everybody who acts and may use a permission at a scope, in the order they came; of the built-in sets,
// public and signed-in stand for those whom the organisation does not know. By what rules somebody holds it,
// [Snapshot.Explain] tells. Takes time in proportion to the people whom rules on the way up name.
func (s *Snapshot) Holders(p catalogue.Permission, scope model.ID, c *Context) []Holder {
	at, there := s.scopeNumber(scope)
	if !there || !s.meaning(at).Has(p) || !s.catalogue.Lasting().Has(p) && s.retired(at) {
		return nil
	}
	words := s.principals.Len()/64 + 1
	// Whom a rule that hangs on nothing gives it, and no other touches, holds it; the others are looked at one by one.
	sure, doubtful := make([]uint64, words), make([]uint64, words)
	for up := s.upward(at); up.next(); {
		if up.node.rules == nil || !up.node.rules.areAbout(p) {
			continue
		}
		for _, r := range up.node.rules.all {
			if !r.permissions.Has(p) || r.exactScope && r.place != at {
				continue
			}
			into := sure
			if r.cuts || r.conditional() {
				into = doubtful
			}
			for _, n := range r.names() {
				s.mark(n, into, r.cuts)
			}
		}
	}
	var holders []Holder
	for i := range sure {
		for word := sure[i] | doubtful[i]; word != 0; word &= word - 1 {
			n := number(i*64) + number(trailing(word))
			who := s.principals.Get(n)
			if who.Kind.IsGroup() || s.gone(who) || who.Kind == model.BuiltInSet && n > signedInNumber {
				continue
			}
			held := firm
			if doubtful[n/64]&(1<<(n%64)) != 0 {
				held = s.level(who, at, p, c)
			}
			if held != notHeld {
				holders = append(holders, Holder{Principal: who.Principal, Conditional: held == conditional})
			}
		}
	}
	return holders
}

// mark enters all whom n names into a bitset of principals: members through active groups, or through all, and all of a set.
func (s *Snapshot) mark(n number, seen []uint64, resting bool) {
	if seen[n/64]&(1<<(n%64)) != 0 {
		return
	}
	p := s.principals.Get(n)
	if p.Inactive && !resting {
		return
	}
	seen[n/64] |= 1 << (n % 64)
	switch p.Kind {
	case model.BuiltInSet:
	case model.Provider:
		s.eachOf(p.ID, func(one number) bool {
			seen[one/64] |= 1 << (one % 64)
			return true
		})
		return
	default:
		for _, m := range p.members {
			s.mark(m, seen, resting)
		}
		return
	}
	for other := range number(s.principals.Len()) {
		if who := s.principals.Get(other); !who.Kind.IsGroup() && who.among(n) {
			seen[other/64] |= 1 << (other % 64)
		}
	}
}

// Step is a single change that would give somebody a permission they do not hold.
type Step struct {
	Group *Principal      // join this group
	Role  *catalogue.Role // or be granted this role, at Scope
	Lift  RuleRef         // or take away this statement, which cuts it
	Scope model.ID
	Adds  int // how many permissions it adds at the scope asked about, the one wanted among them
}

func (s Step) privileged() bool { return s.Role != nil && s.Role.Privileged }

// width is how much a role holds anywhere; a group is there already.
func (s Step) width() int {
	if s.Role == nil {
		return 0
	}
	return s.Role.Permissions.Len()
}

// sameRole reports whether two steps grant roles that hold the same.
func (s Step) sameRole(other Step) bool {
	return s.Role != nil && other.Role != nil &&
		s.width() == other.width() && s.Role.Permissions.Minus(other.Role.Permissions).Len() == 0
}

// StepsTo returns the single changes by which a principal would be allowed to do something: joining a group that holds it,
// being granted a role at the scope itself, or lifting the one statement that cuts it. Those that add least come first, of
// equals a group before a role and the role that holds less elsewhere; privileged roles come last. Of roles that hold the same
// one is given. At most the given number is given. It is empty when the principal may already, is inactive, or the permission
// means nothing at the scope.
func (s *Snapshot) StepsTo(q Question, most int) []Step {
	q.Refers = nil
	reason := s.Decide(q).Reason
	if reason != NotGranted && reason != Cut {
		return nil
	}
	who := s.principalNode(q.Principal)
	at, _ := s.scopeNumber(q.Scope)
	if reason == Cut {
		return s.lifts(q, who, at)
	}
	meaning, held := s.meaning(at), s.held(who, at, q.Context, false, false)
	if s.retired(at) {
		meaning = meaning.And(s.catalogue.Lasting())
	}
	var steps []Step
	// An outside group is granted nothing, and a set of everybody nothing to govern.
	if who.Kind != model.OutsideGroup && (who.Kind != model.BuiltInSet || !s.catalogue.Governing().Has(q.Permission)) {
		for role := range s.RolesAt(q.Scope) {
			if role.Permissions.Has(q.Permission) {
				steps = append(steps, Step{Role: role, Scope: q.Scope, Adds: role.Permissions.And(meaning).Minus(held).Len()})
			}
		}
	}
	slices.Reverse(steps) // of built-in roles that hold the same, the one listed later has the humbler name
	if who.Kind != model.BuiltInSet {
		for _, group := range s.groupsThatGive(q, at) {
			adds := s.held(group, at, q.Context, false, false).And(meaning).Minus(held).Len()
			steps = append(steps, Step{Group: &group.Principal, Scope: q.Scope, Adds: adds})
		}
	}
	slices.SortStableFunc(steps, func(a, b Step) int {
		if a.privileged() != b.privileged() && a.privileged() {
			return 1
		} else if a.privileged() != b.privileged() {
			return -1
		}
		return cmp.Or(a.Adds-b.Adds, a.width()-b.width())
	})
	// Joining a group may bring rules that cut, so what looks like a step is tried.
	var sure []Step
	for _, step := range steps {
		if len(sure) == most {
			break
		}
		if step.Group != nil {
			next, err := s.With(s.revision, AddMember{Membership: Membership{Group: step.Group.ID, Member: who.ID}})
			if err != nil || !next.Decide(q).Allowed {
				continue
			}
		}
		if !slices.ContainsFunc(sure, step.sameRole) {
			sure = append(sure, step)
		}
	}
	return sure
}

// lifts returns the statement that alone cuts what is otherwise given.
func (s *Snapshot) lifts(q Question, who *principalNode, at number) []Step {
	var cuts []RuleOutcome
	given := false
	for _, m := range s.Explain(q).Rules {
		if m.Effective() {
			given = given || !m.Cuts
			if m.Cuts {
				cuts = append(cuts, m)
			}
		}
	}
	if !given || len(cuts) != 1 {
		return nil
	}
	regained := s.Gives(cuts[0].Rule).And(s.meaning(at)).Minus(s.held(who, at, q.Context, false, false))
	return []Step{{Lift: cuts[0].Rule, Scope: cuts[0].Place, Adds: regained.Len()}}
}

// Owns reports whether somebody is the owner of a group, or in the group that owns it.
func (s *Snapshot) Owns(who, group model.ID) bool {
	p, owned := s.principalNode(who), s.principalNode(group)
	if p == nil || owned == nil || owned.Owner.IsZero() || s.gone(p) {
		return false
	}
	owner, ok := s.principalNumber(owned.Owner)
	return ok && p.counts(owner)
}

// groupsThatGive returns the active groups whose members rules let use a permission at a scope, and that members can be put
// into.
func (s *Snapshot) groupsThatGive(q Question, at number) []*principalNode {
	seen := make([]uint64, s.principals.Len()/64+1)
	for up := s.upward(at); up.next(); {
		if up.node.rules == nil {
			continue
		}
		for _, r := range up.node.rules.all {
			if r.cuts || !r.permissions.Has(q.Permission) {
				continue
			}
			for _, n := range r.who {
				if s.principals.Get(n).Kind == model.Group {
					s.mark(n, seen, false)
				}
			}
		}
	}
	var groups []*principalNode
	for n := range number(s.principals.Len()) {
		if p := s.principals.Get(n); seen[n/64]&(1<<(n%64)) != 0 && p.Kind == model.Group && p.Gathers == nil {
			groups = append(groups, s.principals.Get(n))
		}
	}
	return groups
}

// Escalation is somebody who may not do something and could give it to themselves.
type Escalation struct {
	Principal Principal
	Role      *catalogue.Role // a role they could grant themselves at the scope, if there is one
	Policy    bool            // they could write a statement that gives it
	Lifts     bool            // they could take away the statement that cuts it
	Group     *Principal      // a group they could put themselves into, if there is one
	ActAs     *Principal      // somebody who holds it, whose credentials they could reset, if there is one
	RunAs     *Principal      // a service account that holds it, as which they could run a machine, if there is one
}

// EscalationPaths returns those who may not use a permission at a scope, and could give it to themselves by one change: who may
// grant there a role that holds it, write a policy there or above, put themselves into a group that holds it, reset the
// credentials of somebody who holds it, or run a machine as a service account that does; the rule on gains counted.
func (s *Snapshot) EscalationPaths(p catalogue.Permission, scope model.ID, c *Context) []Escalation {
	at, ok := s.scopeNumber(scope)
	if !ok {
		return nil
	}
	top := s.scopes.get(0).id
	grant, enrol := s.catalogue.MustPermission("create grant"), s.catalogue.MustPermission("enrol group")
	write := s.catalogue.MustPermission("create policy")
	candidates := map[model.ID]Principal{}
	add := func(holders []Holder) {
		for _, h := range holders {
			candidates[h.Principal.ID] = h.Principal
		}
	}
	add(s.Holders(grant, scope, c))
	add(s.Holders(enrol, top, c))
	reset, resetAccount, attach := s.catalogue.MustPermission("reset user"), s.catalogue.MustPermission("reset service-account"), s.catalogue.MustPermission("attach service-account")
	var others []Principal // whose credentials are worth having
	for _, h := range s.Holders(p, scope, c) {
		switch {
		case h.Conditional:
		case h.Principal.Kind == model.User:
			others = append(others, h.Principal)
		case h.Principal.Kind == model.ServiceAccount:
			others = append(others, h.Principal)
			add(s.Holders(resetAccount, h.Principal.Home, c))
			add(s.Holders(attach, h.Principal.Home, c))
		}
	}
	if len(others) > 0 {
		add(s.Holders(reset, top, c))
	}
	giving := s.groupsThatGive(Question{Permission: p}, at)
	for _, group := range giving {
		if owner := s.principalNode(group.Owner); owner != nil {
			s.anyMember(owner.number, map[number]bool{}, func(one *principalNode) bool {
				candidates[one.ID] = one.Principal
				return false
			})
		}
	}
	for up := s.upward(at); up.next(); {
		add(s.Holders(write, up.node.id, c))
	}
	var escalations []Escalation
	for _, who := range candidates {
		q := Question{Principal: who.ID, Permission: p, Scope: scope, Context: c}
		if reason := s.Decide(q).Reason; reason != NotGranted && reason != Cut {
			continue
		}
		h := s.hope(who, q, at, giving)
		s.borrow(&h, others, c)
		if h.Role != nil || h.Policy || h.Group != nil || h.Lifts || h.ActAs != nil || h.RunAs != nil {
			escalations = append(escalations, h)
		}
	}
	slices.SortFunc(escalations, func(a, b Escalation) int { return slices.Compare(a.Principal.ID[:], b.Principal.ID[:]) })
	return escalations
}

// borrow finds somebody else as whom somebody could act.
func (s *Snapshot) borrow(h *Escalation, others []Principal, c *Context) {
	may := func(text string, scope model.ID) bool {
		return s.Decide(Question{Principal: h.Principal.ID, Permission: s.catalogue.MustPermission(text), Scope: scope, Context: c}).Allowed
	}
	resets := may("reset user", s.scopes.get(0).id)
	for _, other := range others {
		accounts := other.Kind == model.ServiceAccount
		if h.RunAs == nil && accounts && may("attach service-account", other.Home) {
			h.RunAs = &other
		}
		if h.ActAs != nil || !accounts && !resets || accounts && !may("reset service-account", other.Home) {
			continue
		}
		if _, beyond := s.Surpasses(other.ID, Maker{ID: h.Principal.ID, Now: c}); !beyond {
			h.ActAs = &other
		}
	}
}

// hope works out how somebody could give themselves what a question asks for.
func (s *Snapshot) hope(who Principal, q Question, at number, giving []*principalNode) Escalation {
	h := Escalation{Principal: who}
	var alone catalogue.Set
	alone.Add(q.Permission)
	may := func(text string, scope model.ID) bool {
		return s.Decide(Question{Principal: who.ID, Permission: s.catalogue.MustPermission(text), Scope: scope, Context: q.Context}).Allowed
	}
	if s.Decide(q).Reason == Cut {
		for _, step := range s.StepsTo(q, 1) {
			policy, _ := s.Policy(step.Lift.Policy)
			_, gives := s.MayGive(who.ID, alone, q.Scope, q.Context)
			h.Lifts = gives && may("edit policy", policy.Scope)
		}
		return h
	}
	if may("create grant", q.Scope) {
		h.Role = s.roleToGive(who.ID, q)
	}
	if _, gives := s.MayGive(who.ID, alone, q.Scope, q.Context); gives {
		for up := s.upward(at); up.next() && !h.Policy; {
			// Policies stand at containers; that is what the permission means something at.
			h.Policy = may("create policy", up.node.id)
		}
	}
	enrols := may("enrol group", s.scopes.get(0).id)
	for _, group := range giving {
		if enrols || s.Owns(who.ID, group.ID) {
			enrol := AddMember{Membership: Membership{Group: group.ID, Member: who.ID}}
			if _, beyond, err := s.Exceeds(Maker{ID: who.ID, Now: q.Context}, enrol); err == nil && !beyond {
				h.Group = &group.Principal
				break
			}
		}
	}
	return h
}

// roleToGive finds the smallest role with a permission that somebody may give at a scope.
func (s *Snapshot) roleToGive(giver model.ID, q Question) *catalogue.Role {
	var smallest *catalogue.Role
	for role := range s.RolesAt(q.Scope) {
		if !role.Permissions.Has(q.Permission) || smallest != nil && role.Permissions.Len() >= smallest.Permissions.Len() {
			continue
		}
		if _, ok := s.MayGive(giver, role.Permissions, q.Scope, q.Context); ok {
			smallest = role
		}
	}
	return smallest
}
