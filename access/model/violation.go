package model

import (
	"fmt"

	"arbora.example/internal/english"
)

// Rule names a rule of the tree, its principals or its grants that a change can break.
type Rule string

// The rules that [access.Snapshot.With] upholds.
const (
	RuleName      Rule = "name"      // names have lower-case letters, digits and hyphens
	RuleTaken     Rule = "taken"     // names are unique among siblings, ids everywhere
	RulePlacement Rule = "placement" // each kind has its place
	RuleDepth     Rule = "depth"     // at most MaxDepth containers above one another
	RuleCycle     Rule = "cycle"     // a group is never within itself
	RuleGathering Rule = "gathering" // a gathering group's members follow from its condition
	RuleUnknown   Rule = "unknown"   // what a change names must be there
	RuleRetired   Rule = "retired"   // nothing is made in a retired scope
	RuleSame      Rule = "same"      // a change must change something
	RuleOffered   Rule = "offered"   // only offered services may be there; what is offered is only narrowed further down
	RuleGrantable Rule = "grantable" // a role is granted under the scopes it is for
	RulePeriod    Rule = "period"    // a period begins before it ends
	RuleInUse     Rule = "in-use"    // what is used is not removed
	RuleEmpty     Rule = "empty"     // a role holds something
	RuleLockOut   Rule = "lock-out"  // somebody active can always govern the organisation
)

// Violation is the error of a change that breaks a rule. Detail says in a sentence what is wrong and what would be
// right; Nearest is the known word nearest to an unknown one, if there is one.
type Violation struct {
	Rule    Rule
	Detail  string
	Nearest string
}

// Error returns the detail, with the nearest known word where there is one.
func (v *Violation) Error() string {
	if v.Nearest != "" {
		return fmt.Sprintf("%s (did you mean %s?)", v.Detail, v.Nearest)
	}
	return v.Detail
}

// Violationf makes an error of a broken rule, its detail written as by [fmt.Sprintf].
func Violationf(rule Rule, format string, values ...any) *Violation {
	return &Violation{Rule: rule, Detail: fmt.Sprintf(format, values...)}
}

// UnknownWord is the violation of naming something that is not among what is known.
func UnknownWord(what, word string, known []string) error {
	v := Violationf(RuleUnknown, "there is no %s %q", what, word)
	v.Nearest = english.Nearest(word, known)
	return v
}
