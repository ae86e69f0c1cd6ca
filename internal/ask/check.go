package ask

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/english"
	"arbora.example/internal/evaluation"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// CheckRequest is what somebody wants to know: whether a principal may do something at a scope.
type CheckRequest struct {
	Scope      string // by id or address
	Rest       string // what lies in the scope's open contents, if anything
	Kind, Name string // of the principal; empty for the caller
	Permission string
	Context    QuestionContext
}

// QuestionContext is what a question tells of its circumstances. What is left out of it is unknown, but for the time: that is now.
type QuestionContext = evaluation.Context

// Answer is a decision with what led to it, in words and as data.
type Answer struct {
	access.Decision
	Words      string
	WhatIf     bool // the question gave claims
	Principal  access.Principal
	State      credential.State // of the principal, or of the provider they come by, when that is why it may not
	Provider   string           // of an outside person whose provider is out of use
	Permission string
	Scope      tenant.Ref
	DecidedBy  *RuleOutcome
	Rules      []RuleOutcome // nearest first
	Hidden     int           // rules met that the viewer may not see
	Steps      []Step        // for a no: what would turn it, smallest first
	NoStep     string        // for a no: that no single change would turn it, and why
	Revision   uint64
}

// Check answers whether somebody may do something at a scope. Of themselves anybody may ask, of others those who may
// list the grants there.
func (s *Answers) Check(ctx context.Context, c tenant.Caller, a CheckRequest) (Answer, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return Answer{}, err
	}
	q, who, place, err := s.question(d, c, a)
	if err != nil {
		return Answer{}, err
	}
	explanation := d.Explain(q)
	answer := Answer{
		Decision: explanation.Decision, Principal: who, Permission: d.Catalogue().Operation(q.Permission).String(),
		Scope: d.Ref(place.Scope), Revision: d.Revision(), WhatIf: a.Context.Claims != nil,
	}
	if !answer.Allowed {
		answer.Steps, answer.NoStep = steps(d, q, explanation.Decision)
	}
	var seen []access.RuleOutcome
	for _, m := range explanation.Rules {
		// Who asks of themselves learns of the rules that mean them; of the others, those they may list.
		if !m.Names.IsZero() || d.SeesRule(m.Rule) {
			seen = append(seen, m)
		} else {
			answer.Hidden++
		}
	}
	if answer.Rules, err = s.outcomeViews(ctx, d, seen, place.Scope.ID); err != nil {
		return Answer{}, err
	}
	for i, m := range answer.Rules {
		if !answer.Rule.IsZero() && m.Rule.Ref == answer.Rule {
			answer.DecidedBy = &answer.Rules[i]
		}
	}
	if answer.Reason == access.Inactive {
		details, err := d.DetailsOf(ctx, who)
		if err != nil {
			return Answer{}, err
		}
		if provider, by := d.Principal(who.Provider); by && details.State == credential.Active {
			answer.Provider = provider.Name
			if details, err = d.DetailsOf(ctx, provider); err != nil {
				return Answer{}, err
			}
		}
		answer.State = details.State
	}
	if answer.Words = words(answer); answer.WhatIf {
		answer.Words += " That is with the claims of the question, not with those that a provider said."
	}
	return answer, nil
}

// question makes a question of what is asked, and sees that the caller may ask it.
func (s *Answers) question(d tenant.Viewer, c tenant.Caller, a CheckRequest) (q access.Question, who access.Principal, place access.Place, err error) {
	key := a.Scope
	if a.Rest != "" {
		key += "/" + a.Rest
	}
	if place, err = d.Place(key); err != nil {
		return q, who, place, err
	}
	who, ok := d.Principal(c.Principal)
	if a.Kind != "" && (a.Kind != who.Kind.String() || a.Name != d.Called(who).Name) {
		if err := d.Need("list grant", place.Scope); err != nil {
			return q, who, place, err
		}
		if who, err = d.PrincipalCalled(a.Kind, a.Name); err != nil {
			return q, who, place, err
		}
	} else if !ok {
		return q, who, place, problem.Missing("user", a.Name, "")
	}
	p, err := d.Catalogue().Permission(a.Permission)
	if err != nil {
		return q, who, place, problem.Of(err, "permission")
	}
	q = access.Question{Principal: who.ID, Permission: p, Scope: place.Scope.ID}
	q.Context, err = a.Context.At(s.Moment())
	return q, who, place, err
}

// words tells an answer as a sentence.
func words(a Answer) string {
	who, where := a.Principal.Name, a.Scope.Address
	switch a.Principal.Kind {
	case model.User, model.BuiltInSet:
	case model.Provider:
		who = "people from " + who
	default:
		who = a.Principal.Kind.Words() + " " + who
	}
	if a.Allowed {
		if a.DecidedBy == nil {
			return fmt.Sprintf("Yes, %s may %s at %s.", who, a.Permission, where)
		}
		return fmt.Sprintf("Yes, %s may %s at %s: %s.", who, a.Permission, where, decidedWords(a, who))
	}
	no := fmt.Sprintf("No, %s may not %s at %s: ", who, a.Permission, where)
	switch a.Reason {
	case access.Inactive:
		switch {
		case a.Provider != "":
			return fmt.Sprintf("%s%s comes by %s, which is %s.", no, who, a.Provider, a.State)
		case a.State == credential.Pending:
			return no + who + " was invited and has not accepted yet; their prepared access counts once they do."
		case a.State != credential.Active:
			return fmt.Sprintf("%s%s is %s.", no, who, a.State)
		}
		return no + who + " lives at a scope that is retired."
	case access.Retired:
		return no + "it is retired, or something above it is."
	case access.Meaningless:
		return no + "the permission means nothing there."
	case access.NotOffered:
		return no + "its service is not offered there."
	case access.Cut:
		if a.DecidedBy == nil {
			return no + "a statement that you may not see cuts it off."
		}
		st := a.DecidedBy.Rule.Statement
		text := no + fmt.Sprintf("%s in policy %s at %s cuts it off", quoted(st.Text), st.Policy.Name, st.Policy.At.Address)
		if a.DecidedBy.Outcome != access.Applies {
			text += ", " + strings.TrimPrefix(a.DecidedBy.Words, "cuts it off, ")
		}
		return text + "."
	}
	return no + nearWords(a, who)
}

// mostNear is how many rules that come near are told one by one in a sentence.
const mostNear = 2

// nearWords returns why nothing that is given is what was asked about.
func nearWords(a Answer, who string) string {
	var near, nearest, apart []string
	for _, m := range a.Rules {
		if m.Outcome == access.NotNamed || m.Cuts {
			continue
		}
		text := m.Rule.placed() + " " + m.Words
		near = append(near, text)
		switch m.Outcome {
		case access.OtherPermission:
		case access.OtherPlane:
			if m.Rule.Grant != nil {
				apart = append(apart, m.Rule.short())
			}
		default: // it is about what was asked, and something else is missing: that is the reason
			nearest = append(nearest, text)
		}
	}
	switch {
	case len(near) == 0:
		return "nothing is given to " + who + " there or above, so it is denied."
	case len(nearest) > 0 && len(nearest) <= mostNear:
		return strings.Join(nearest, "; ") + "."
	case len(near) <= mostNear:
		return strings.Join(near, "; ") + "."
	}
	text := fmt.Sprintf("none of the %d rules for %s there and above gives it", len(near), who)
	if len(apart) > 0 {
		slices.Sort(apart)
		text += "; what " + english.Join(slices.Compact(apart)) + " would give is on " + planesApart
	}
	return text + "."
}

// quoted sets a statement apart in a sentence. It may have quotation marks of its own.
func quoted(statement string) string { return "“" + statement + "”" }

// short names a rule in a sentence.
func (r RuleView) short() string {
	if r.Grant != nil {
		return r.Grant.Role.Name
	}
	return quoted(r.Statement.Text)
}

// placed names a rule with where it stands.
func (r RuleView) placed() string {
	if r.Grant != nil {
		return r.short() + ", granted at " + r.At.Address + ","
	}
	return r.short() + " in policy " + r.Statement.Policy.Name + " at " + r.At.Address
}

// decidedWords returns how the deciding rule reaches the principal.
func decidedWords(a Answer, who string) string {
	by := a.DecidedBy
	from := "right there"
	if by.Rule.Inherited {
		from = "at " + by.Rule.At.Address + ", and everything below inherits it"
	}
	if st := by.Rule.Statement; st != nil {
		text := fmt.Sprintf("%s says so, in policy %s, %s", quoted(st.Text), st.Policy.Name, from)
		if len(by.Through) > 0 {
			text += "; " + who + " is in " + strings.Join(by.Through, ", which is in ")
		}
		return text
	}
	terms := statement.PrintTerms(by.Rule.Grant.Condition, by.Rule.Grant.Period)
	through := "to " + who + " directly"
	if holder := by.Rule.Grant.Holder; len(by.Through) > 0 {
		through = "to group " + holder.Name + ", which " + who + " is in"
		if between := by.Through[:len(by.Through)-1]; len(between) > 0 {
			through += " through " + strings.Join(between, " and ")
		}
	} else if holder.ID != a.Principal.ID {
		through = "to " + holder.Name + ", which " + who + " belongs to"
	}
	return fmt.Sprintf("%s is granted %s%s, %s", by.Rule.Grant.Role.Name, through, terms, from)
}
