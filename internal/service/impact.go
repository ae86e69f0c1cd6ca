package service

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
	"arbora.example/access/statement"
)

// EffectView is an effect as its viewer may see it.
type EffectView struct {
	access.Effect
	At         Ref
	Gains      []string
	Loses      []string
	MayGain    []string // where a condition, or a moment still to come, has it so
	MayLose    []string
	Shifting   []string // held under a condition before and after, by other rules
	Privileged bool     // a permission to govern is or may be gained
	Public     bool     // somebody the organisation does not know gains
}

// Impact is what a change would alter, worked out at a revision; nothing was written.
type Impact struct {
	Effects  []EffectView
	Hidden   int // effects at scopes whose grants the viewer may not list
	Words    string
	Warnings []string // what a careful administrator would want to know before confirming
	Advice   []string // what would serve better
	Revision uint64
	digest   string // of all that is told but the revision
}

// Confirmation stands for an impact: a change that is made with it is refused when its impact is no longer that one.
func (i Impact) Confirmation() string { return fmt.Sprintf("%d.%s", i.Revision, i.digest) }

// planner plans a change for somebody at their desk, after their permissions were checked.
type planner func(desk) (plan, error)

// make makes a planned change in the caller's organisation.
func (s *Maker) make(ctx context.Context, c Caller, p planner) (*access.Snapshot, error) {
	if _, err := s.open(ctx, c); err != nil {
		return nil, err
	}
	var notices []notice
	next, err := s.write(ctx, c, c.Organisation, func(now *access.Snapshot, details Details) (plan, error) {
		d := s.deskOf(now, c)
		d.details = details
		planned, err := p(d)
		if err != nil {
			return planned, err
		}
		if err := planned.propose(now); err != nil {
			return planned, err
		}
		notices = planned.notices
		opened, err := d.mayMake(planned)
		if err != nil {
			return planned, err
		}
		if err := d.unconfirmed(c, planned, opened); err != nil {
			return planned, err
		}
		if err := d.confirmed(c, planned); err != nil {
			return planned, err
		}
		return planned, s.proven(c, d, planned, opened)
	})
	if err != nil {
		return nil, err
	}
	for _, n := range notices {
		s.notify(ctx, n.to, n.what)
	}
	return next, nil
}

// proven refuses a change that gives to the public, or to govern, when it takes a fresh proof and there is none.
func (s *Maker) proven(c Caller, d desk, planned plan, opened string) error {
	if opened != "" {
		return s.needProof(c, "open something to people whom the organisation does not know")
	}
	unproven := s.needProof(c, "give permissions to govern")
	if unproven == nil {
		return nil // whether it would take one need not be worked out
	}
	if _, gives := planned.proposal.GivesToGovern(d.context); !gives {
		return nil
	}
	return unproven
}

// confirmed refuses a change that was confirmed by an impact which it no longer has.
func (d desk) confirmed(c Caller, planned plan) error {
	if c.Confirmed == "" {
		return nil
	}
	revision, digest, ok := strings.Cut(c.Confirmed, ".")
	at, err := strconv.ParseUint(revision, 10, 64)
	if !ok || err != nil {
		return &Problem{Kind: Invalid, Detail: fmt.Sprintf("%q confirms no impact", c.Confirmed), Next: "give the confirmation that the change's preview told", Field: "If-Match"}
	}
	now, err := d.impact(planned)
	if err != nil || now.digest == digest {
		return err
	}
	why := fmt.Sprintf("others changed the organisation since revision %d, and this would now do something else than was confirmed", at)
	if at == d.Revision() {
		why = "this does something else than was confirmed"
	}
	return &Problem{
		Kind: Outdated, Detail: why,
		Next: "look at the new impact and confirm that: " + now.Words, Impact: &now,
	}
}

// preview gives the impact of a planned change: authorised and checked as if it were made.
func (s *Maker) preview(ctx context.Context, c Caller, p planner) (Impact, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return Impact{}, err
	}
	planned, err := p(d)
	if err == nil {
		err = planned.propose(d.Snapshot)
	}
	if err != nil {
		return Impact{}, err
	}
	if _, err := d.mayMake(planned); err != nil {
		return Impact{}, err
	}
	return d.impact(planned)
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

func (d desk) impact(planned plan) (Impact, error) {
	changes, proposal := planned.changes, planned.proposal
	if planned.imagined != nil {
		changes = planned.imagined
		var err error
		if proposal, err = d.Propose(changes...); err != nil {
			return Impact{}, broken(err, "")
		}
	}
	effects := proposal.Impact(d.context)
	impact := Impact{Revision: d.Revision()}
	for _, e := range effects {
		if !d.may("list grant", e.Scope.ID) {
			impact.Hidden++
			continue
		}
		growth := e.Growth()
		e.Principals = d.allCalled(e.Principals)
		impact.Effects = append(impact.Effects, EffectView{
			Effect: e, At: d.ref(e.Scope), Gains: d.permissionWords(e.Delta.Gains), Loses: d.permissionWords(e.Delta.Loses),
			MayGain: d.permissionWords(e.Delta.MayGain), MayLose: d.permissionWords(e.Delta.MayLose), Shifting: d.permissionWords(e.Delta.Shifting),
			Privileged: growth.Meets(d.Catalogue().Governing()),
			Public:     growth.Len() > 0 && slices.ContainsFunc(slices.Concat(e.Principals, e.Outsiders), outsider),
		})
	}
	impact.Words = impactWords(effects)
	if len(effects) > 0 {
		impact.Advice = d.advice(planned.changes)
	} else if covering := d.covering(planned.changes); covering != "" {
		impact.Words = "Nobody would gain or lose anything: " + covering + " covers it already."
	} else if !slices.ContainsFunc(changes, meansSomebody) {
		impact.Words = "It alters nobody's access."
	}
	impact.Warnings = append(d.warnings(impact.Effects, planned.proposal), planned.warnings...)
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
func (d desk) covering(changes []access.Change) string {
	var refs []access.RuleRef
	cover := func(who model.ID, given catalogue.Set, at model.ID) bool {
		scope, _ := d.Scope(at)
		for p := range given.And(d.Catalogue().MeaningAt(scope.TypeName())).All {
			decided := d.Decide(access.Question{Principal: who, Permission: p, Scope: at, Context: d.anybody()})
			if !decided.Allowed || !d.seesRule(decided.Rule) {
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

func outsider(p access.Principal) bool { return p.ID == model.Public || p.ID == model.SignedIn }

// warnings says what is wide or dangerous about a change, and what it does not do.
func (d desk) warnings(effects []EffectView, proposal *access.Proposal) []string {
	var warnings []string
	for _, e := range effects {
		if e.Public {
			warnings = append(warnings, "It opens "+e.At.Address+" to people whom the organisation does not know.")
		}
	}
	if slices.ContainsFunc(effects, func(e EffectView) bool { return e.Privileged }) {
		warnings = append(warnings, "It gives permissions to govern: whoever holds them decides on the access of others.")
	}
	if slices.ContainsFunc(effects, d.takesFromMe) {
		warnings = append(warnings, "You yourself would lose access.")
	}
	for _, change := range proposal.Changes {
		switch c := change.(type) {
		case access.PutPolicy:
			warnings = append(warnings, d.dormantWarnings(c.Policy)...)
			for _, st := range c.Policy.Statements {
				if st.Modal == statement.May && len(effects) > 0 {
					warnings = append(warnings, d.broadWarnings(st.Place, st.Who...)...)
				}
			}
		case access.CreateGrant:
			if len(effects) > 0 {
				warnings = append(warnings, d.broadWarnings(c.Grant.Scope, statement.Subject{Principal: c.Grant.Principal})...)
			}
		}
	}
	warnings = append(warnings, d.reshapeWarnings(proposal)...)
	slices.Sort(warnings)
	return slices.Compact(warnings)
}

// takesFromMe reports whether whoever makes a change is among those who lose by it.
func (d desk) takesFromMe(e EffectView) bool {
	return len(e.Loses)+len(e.MayLose) > 0 && slices.ContainsFunc(e.Principals, func(p access.Principal) bool { return d.Means(p.ID, d.me) })
}

// broadWarnings says what is wide about giving something at a scope to somebody; that strangers are among them is said already.
func (d desk) broadWarnings(at model.ID, who ...statement.Subject) []string {
	var warnings []string
	if at == d.organisationID() {
		warnings = append(warnings, "It holds in the whole organisation, for all that is there and all that comes.")
	}
	for _, subject := range who {
		if p, ok := d.Principal(subject.Principal); ok && p.Kind == model.BuiltInSet && !outsider(p) {
			warnings = append(warnings, "It reaches all whom "+p.Name+" means, present and future.")
		}
	}
	return warnings
}

func (d desk) dormantWarnings(p statement.Policy) []string {
	var warnings []string
	for number := range p.Statements {
		if d.Dormant(p.ID, number) {
			warnings = append(warnings, fmt.Sprintf("Statement %d stays dormant: its place has left the scope of the policy.", number+1))
		}
	}
	return warnings
}

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
		perhaps = perhaps || e.MayGain.Len()+e.MayLose.Len()+e.Shifting.Len() > 0
		for _, p := range slices.Concat(e.Principals, e.Outsiders) {
			if p.Kind == model.BuiltInSet {
				if !slices.Contains(sets, p.Name) {
					sets = append(sets, p.Name)
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
	var who []string
	slices.Sort(sets)
	who = append(who, sets...)
	who = append(who, counted(len(people), "person", "people")...)
	who = append(who, counted(len(programs), "program", "programs")...)
	subject := strings.Join(who, " and ")
	if subject != "" {
		subject = strings.ToUpper(subject[:1]) + subject[1:]
	}
	condition := ""
	if perhaps {
		condition = ", some of it under a condition or from a later moment on"
	}
	switch {
	case gains && loses:
		return subject + " would gain or lose access" + condition + "."
	case gains:
		return subject + " would gain access" + condition + "."
	case loses:
		return subject + " would lose access" + condition + "."
	case perhaps:
		return subject + " would hold the same, under other conditions."
	}
	return "Nobody would gain or lose anything now: whoever it reaches holds all of it by other rules, or it reaches nobody yet."
}
