package ask

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/tenant"
)

// RuleView is a rule as its viewer may see it: a grant, or a statement of a policy.
type RuleView struct {
	Ref       access.RuleRef
	Grant     *GrantView     // for a grant
	Statement *StatementView // for a statement
	At        tenant.Ref     // the scope it is placed at
	Inherited bool           // it comes from above the scope it is looked at from
	Words     string
}

// ruleViews adds to rules what their viewer reads beside them; at is the scope they are looked at from, if any.
func (s *Answers) ruleViews(ctx context.Context, d tenant.Viewer, refs []access.RuleRef, at model.ID) ([]RuleView, error) {
	var grants []access.Grant
	for _, ref := range refs {
		if grant, _ := d.Rule(ref); grant != nil {
			grants = append(grants, *grant)
		}
	}
	grantViews, err := s.GrantViews(ctx, d, grants, at)
	if err != nil {
		return nil, err
	}
	views := make([]RuleView, len(refs))
	for i, ref := range refs {
		if grant, _ := d.Rule(ref); grant != nil {
			g := grantViews[0]
			grantViews = grantViews[1:]
			views[i] = RuleView{Ref: ref, Grant: &g, At: g.At, Inherited: g.Inherited, Words: g.words()}
			continue
		}
		policy, _ := d.Policy(ref.Policy)
		st := ViewOfStatement(d, policy, ref.Statement)
		views[i] = RuleView{Ref: ref, Statement: &st, At: st.At, Inherited: !at.IsZero() && st.At.ID != at, Words: st.Text}
	}
	return views, nil
}

func (g GrantView) words() string {
	text := fmt.Sprintf("%s for %s %s", g.Role.Name, g.Holder.Kind, g.Holder.Name)
	if g.Holder.Kind == model.BuiltInSet {
		text = fmt.Sprintf("%s for %s", g.Role.Name, g.Holder.Name)
	}
	return text + statement.PrintTerms(g.Condition, g.Period)
}

// RuleOutcome is a rule met on the way, and why it applies or does not.
type RuleOutcome struct {
	Rule      RuleView
	Outcome   access.Outcome
	Words     string
	Through   []string
	Cuts      bool
	Effective bool // it takes part in the decision
}

// outcomeViews adds to rules met what their viewer reads beside them.
func (s *Answers) outcomeViews(ctx context.Context, d tenant.Viewer, met []access.RuleOutcome, at model.ID) ([]RuleOutcome, error) {
	refs := make([]access.RuleRef, len(met))
	for i, m := range met {
		refs[i] = m.Rule
	}
	rules, err := s.ruleViews(ctx, d, refs, at)
	if err != nil {
		return nil, err
	}
	views := make([]RuleOutcome, len(met))
	for i, m := range met {
		views[i] = RuleOutcome{Rule: rules[i], Outcome: m.Outcome, Words: whyWords(m, rules[i]), Through: m.Through, Cuts: m.Cuts, Effective: m.Effective()}
	}
	return views, nil
}

// planesApart ends the sentence that tells of a rule about control where data was asked about, or the other way round.
const planesApart = "the other plane: control and data are separate"

// whyWords says in words why a rule applies or does not.
func whyWords(m access.RuleOutcome, r RuleView) string {
	verb := "gives it"
	if m.Cuts {
		verb = "cuts it off"
	}
	switch m.Outcome {
	case access.Applies:
		return verb
	case access.NotNamed:
		return "does not name them, nor a group or set they are in"
	case access.Excepted:
		return "excepts them"
	case access.GroupInactive:
		return "names a group that is retired, or one reached through a retired group"
	case access.OtherPermission:
		if r.Grant != nil {
			return "does not hold it"
		}
		return "is about something else"
	case access.OtherPlane:
		return "does not hold it: it is about " + planesApart
	case access.OtherScope:
		return "holds at " + r.At.Address + " alone"
	case access.PolicySuspended:
		return "decides nothing: its policy is suspended"
	case access.PeriodOver:
		return "has ended"
	case access.PeriodAhead:
		return "has not begun"
	case access.PeriodUnknown:
		return "has a period, and no time was given"
	case access.ConditionFalse:
		return "does not apply: its condition is not met (" + m.Part + ")"
	case access.ConditionUnknown:
		if m.Cuts {
			return verb + ", since it is not known whether " + m.Part
		}
		return "does not apply, since it is not known whether " + m.Part
	case access.CannotCut:
		return "cannot cut it: who governs by a grant from above " + r.policyAddress() + " can always repair"
	}
	return string(m.Outcome)
}

func (r RuleView) policyAddress() string {
	if r.Statement == nil {
		return r.At.Address
	}
	return r.Statement.Policy.At.Address
}
