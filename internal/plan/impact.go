package plan

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/english"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// EffectView is an effect as its viewer may see it.
type EffectView struct {
	access.Effect
	At         tenant.Ref
	Gains      []string
	Loses      []string
	MayGain    []string // where a condition, or a moment still to come, has it so
	MayLose    []string
	Shifting   []string // held under a condition before and after, by other rules
	Freed      []string // of MayGain, what is held under a condition before and for certain after
	Bound      []string // of MayLose, what is held for certain before and under a condition after
	Privileged bool     // a permission to govern is or may be gained
	Public     bool     // somebody the organisation does not know gains
}

// Impact is what a change would alter, worked out at a revision; nothing was written.
type Impact struct {
	Effects  []EffectView
	Hidden   int // effects at scopes whose grants the viewer may not list
	Words    string
	Warnings []string // what a careful administrator would want to know before confirming
	Advice   []Advice // what would serve better
	Revision uint64
	digest   string // of all that is told but the revision
}

// Confirmation stands for an impact: a change that is made with it is refused when its impact is no longer that one.
func (i Impact) Confirmation() string { return fmt.Sprintf("%d.%s", i.Revision, i.digest) }

// Unconfirmable is the problem of a change that was not confirmed by the impact which it has now.
type Unconfirmable struct {
	*problem.Problem
	Impact Impact
}

// Unwrap returns the problem alone.
func (u *Unconfirmable) Unwrap() error { return u.Problem }

// Planner plans a change for a viewer, after their permissions were checked.
type Planner func(tenant.Viewer) (tenant.Plan, error)

// Make makes a planned change in the caller's organisation.
func (s *Maker) Make(ctx context.Context, c tenant.Caller, p Planner) (*access.Snapshot, error) {
	if _, err := s.Open(ctx, c); err != nil {
		return nil, err
	}
	var notices []tenant.Notice
	next, err := s.Write(ctx, c, c.Organisation, func(now *access.Snapshot, details tenant.Details) (tenant.Plan, error) {
		d := s.ViewerOf(now, c)
		d.Details = details
		planned, err := p(d)
		if err != nil {
			return planned, err
		}
		if err := planned.Propose(now); err != nil {
			return planned, err
		}
		notices = planned.Notices
		opened, err := MayMake(d, planned)
		if err != nil {
			return planned, err
		}
		if err := unconfirmed(d, c, planned, opened); err != nil {
			return planned, err
		}
		if err := confirmed(d, c, planned); err != nil {
			return planned, err
		}
		return planned, s.proven(c, d, planned, opened)
	})
	if err != nil {
		return nil, err
	}
	for _, n := range notices {
		s.Notify(ctx, n.To, n.What)
	}
	return next, nil
}

// proven refuses a change that gives to the public, or to govern, when it takes a fresh proof and there is none.
func (s *Maker) proven(c tenant.Caller, d tenant.Viewer, planned tenant.Plan, opened string) error {
	if opened != "" {
		return s.NeedProof(c, "open something to anybody at all")
	}
	unproven := s.NeedProof(c, "give permissions to govern")
	if unproven == nil {
		return nil // whether it would take one need not be worked out
	}
	if _, gives := planned.Proposal.GivesToGovern(d.Context); !gives {
		return nil
	}
	return unproven
}

// confirmed refuses a change that was confirmed by an impact which it no longer has.
func confirmed(d tenant.Viewer, c tenant.Caller, planned tenant.Plan) error {
	if c.Confirmed == "" {
		return nil
	}
	revision, digest, ok := strings.Cut(c.Confirmed, ".")
	at, err := strconv.ParseUint(revision, 10, 64)
	if !ok || err != nil {
		return &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("%q confirms no impact", c.Confirmed), Next: "send the confirmation that the preview of the change gave", Field: "If-Match"}
	}
	now, err := impact(d, planned)
	if err != nil || now.digest == digest {
		return err
	}
	why := fmt.Sprintf("others changed the organisation since revision %d, and the change would now do something other than what was confirmed", at)
	if at == d.Revision() {
		why = "the change would now do something other than what was confirmed"
	}
	return &Unconfirmable{Impact: now, Problem: &problem.Problem{Kind: problem.Outdated, Detail: why, Next: "look at the new impact and confirm that: " + now.Words}}
}

// Preview returns the impact of a planned change: authorised and checked as if it were made.
func (s *Maker) Preview(ctx context.Context, c tenant.Caller, p Planner) (Impact, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return Impact{}, err
	}
	planned, err := p(d)
	if err == nil {
		err = planned.Propose(d.Snapshot)
	}
	if err != nil {
		return Impact{}, err
	}
	if _, err := MayMake(d, planned); err != nil {
		return Impact{}, err
	}
	return impact(d, planned)
}

// meansSomebody reports whether a change names people and what they may do, so that it is worth a word why nobody gains by it.
func meansSomebody(change access.Change) bool {
	switch change.(type) {
	case access.CreateScope, access.RenameScope, access.TagScope, access.MoveScope, access.OfferServices,
		access.RenamePrincipal, access.TagPrincipal, access.SetOwner, access.CreatePrincipal:
		return false
	}
	return true
}

func impact(d tenant.Viewer, planned tenant.Plan) (Impact, error) {
	changes, proposal := planned.Changes, planned.Proposal
	if planned.Imagined != nil {
		changes = planned.Imagined
		var err error
		if proposal, err = d.Propose(changes...); err != nil {
			return Impact{}, problem.Of(err, "")
		}
	}
	effects := proposal.Impact(d.Context)
	impact := Impact{Revision: d.Revision()}
	for _, e := range effects {
		if !d.May("list grant", e.Scope.ID) {
			impact.Hidden++
			continue
		}
		growth := e.Growth()
		e.Principals = d.AllCalled(e.Principals)
		impact.Effects = append(impact.Effects, EffectView{
			Effect: e, At: d.Ref(e.Scope), Gains: d.PermissionWords(e.Delta.Gains), Loses: d.PermissionWords(e.Delta.Loses),
			MayGain: d.PermissionWords(e.Delta.MayGain), MayLose: d.PermissionWords(e.Delta.MayLose), Shifting: d.PermissionWords(e.Delta.Shifting),
			Freed: d.PermissionWords(e.Delta.Freed), Bound: d.PermissionWords(e.Delta.Bound),
			Privileged: growth.Meets(d.Catalogue().Governing()),
			Public:     growth.Len() > 0 && slices.ContainsFunc(slices.Concat(e.Principals, e.Outsiders), outsider),
		})
	}
	impact.Words = impactWords(effects)
	if len(effects) > 0 {
		impact.Advice = advice(d, planned.Changes)
	} else if covering := covering(d, planned.Changes); covering != "" {
		impact.Words = "Nothing changes: " + covering + " already gives it."
	} else if !slices.ContainsFunc(changes, meansSomebody) {
		impact.Words = "It changes nobody's access."
	}
	impact.Warnings = append(warnings(d, impact.Effects, planned.Proposal), planned.Warnings...)
	impact.digest = digestOf(impact)
	return impact, nil
}

// digestOf sums up what an impact tells in the first 64 bits of a SHA-256: who, where and what, by name, since what a plan
// makes has another id each time.
func digestOf(i Impact) string {
	sum := sha256.New()
	for _, e := range i.Effects {
		var who []string
		for _, p := range slices.Concat(e.Principals, e.Outsiders) {
			who = append(who, p.Kind.String()+" "+p.Name)
		}
		fmt.Fprintf(sum, "%q %q %s %d %q %q %q %q %q\n", who, e.At.Address, e.Part, e.Beneath, e.Gains, e.Loses, e.MayGain, e.MayLose, e.Shifting)
	}
	fmt.Fprintf(sum, "%t %q %q %q", i.Hidden > 0, i.Words, i.Warnings, i.Advice)
	return hex.EncodeToString(sum.Sum(nil)[:8])
}

// covering names the rules by which whoever changes would give something to holds all of it already; empty when they are
// not such changes, or it is held by other rules for each.
func covering(d tenant.Viewer, changes []access.Change) string {
	var refs []access.RuleRef
	cover := func(who model.ID, given catalogue.Set, at model.ID) bool {
		scope, _ := d.Scope(at)
		for p := range given.And(d.Catalogue().MeaningAt(scope.TypeName())).All {
			decided := d.Decide(access.Question{Principal: who, Permission: p, Scope: at, Context: d.Anybody()})
			if !decided.Allowed || !d.SeesRule(decided.Rule) {
				return false
			}
			if !slices.Contains(refs, decided.Rule) {
				refs = append(refs, decided.Rule)
			}
		}
		return true
	}
	for _, change := range changes {
		switch c := change.(type) {
		case access.CreateGrant:
			role, err := d.Role(c.Grant.Role)
			if err != nil || !cover(c.Grant.Principal, role.Permissions, c.Grant.Scope) {
				return ""
			}
		case access.AddMember:
			for _, ref := range d.RulesFor(c.Membership.Group) {
				grant, _ := d.Rule(ref)
				if grant == nil || !cover(c.Membership.Member, d.Gives(ref), grant.Scope) {
					return ""
				}
			}
		default:
			return ""
		}
	}
	var words []string
	for _, ref := range refs {
		if grant, st := d.Rule(ref); grant != nil {
			holder, _ := d.Principal(grant.Principal)
			words = append(words, fmt.Sprintf("%s for %s %s at %s", grant.Role, holder.Kind, holder.Name, d.Address(grant.Scope)))
		} else if policy, ok := d.Policy(ref.Policy); ok {
			words = append(words, fmt.Sprintf("%q in policy %s", d.PrintStatement(st, policy.Scope), policy.Name))
		}
	}
	return strings.Join(words, " and ")
}

// setName returns what a set of people is called; empty for who is none.
func setName(p access.Principal) string {
	switch p.Kind {
	case model.BuiltInSet:
		return p.Name
	case model.Provider:
		return "people from " + p.Name
	}
	return ""
}

func outsider(p access.Principal) bool { return p.ID == model.Public || p.ID == model.SignedIn }

// counted writes a number of things, or nothing for none.
func counted(n int, one, many string) []string {
	switch n {
	case 0:
		return nil
	case 1:
		return []string{"1 " + one}
	}
	return []string{fmt.Sprintf("%d %s", n, many)}
}

// impactWords tells an impact in a sentence.
func impactWords(effects []access.Effect) string {
	people, programs, sets := map[model.ID]bool{}, map[model.ID]bool{}, []string{}
	gains, loses, perhaps := false, false, false
	for _, e := range effects {
		if e.IsEmpty() {
			continue
		}
		gains = gains || e.Gains.Len()+e.MayGain.Len() > 0
		loses = loses || e.Loses.Len()+e.MayLose.Len() > 0
		perhaps = perhaps || e.MayGain.Len()-e.Freed.Len()+e.MayLose.Len()-e.Bound.Len()+e.Shifting.Len() > 0
		for _, p := range slices.Concat(e.Principals, e.Outsiders) {
			if set := setName(p); set != "" {
				if !slices.Contains(sets, set) {
					sets = append(sets, set)
				}
				continue
			}
			if p.Kind == model.ServiceAccount || p.Kind == model.PlatformService {
				programs[p.ID] = true
			} else {
				people[p.ID] = true
			}
		}
	}
	subject := subjectOf(sets, len(people), len(programs))
	condition := ""
	if perhaps {
		condition = ", some of it conditional or starting later"
	}
	switch {
	case gains && loses:
		return subject + " would gain or lose access" + condition + "."
	case gains:
		return subject + " would gain access" + condition + "."
	case loses:
		return subject + " would lose access" + condition + "."
	case perhaps:
		return subject + " would hold the same, on other conditions."
	}
	return "Nobody's access changes now: the people it reaches hold all of it by other rules, or it reaches nobody yet."
}

// subjectOf names whom an impact touches. Whoever the widest set means is said to be among them.
func subjectOf(sets []string, people, programs int) string {
	who := append(counted(people, "person", "people"), counted(programs, "program", "programs")...)
	for _, widest := range []struct{ set, words string }{{"public", "Anybody at all"}, {"signed-in", "Anybody who is signed in anywhere"}} {
		if !slices.Contains(sets, widest.set) {
			continue
		}
		if len(who) == 0 {
			return widest.words
		}
		return widest.words + ", among them " + english.Join(who) + " you know,"
	}
	slices.Sort(sets)
	if who = append(sets, who...); len(who) == 0 {
		return ""
	}
	subject := english.Join(who)
	return strings.ToUpper(subject[:1]) + subject[1:]
}
