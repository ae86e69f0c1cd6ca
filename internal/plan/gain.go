package plan

import (
	"fmt"
	"slices"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// The rule on gains: nobody gives anybody, or takes by somebody's credentials, what they do not hold themselves. Whatever
// changes an organisation goes through MayMake; whatever gives somebody's credentials away goes through MayActAs.

// MayMake refuses a plan that gives more than its maker may, or opens what the organisation forbids to open. It tells to whom
// of those the organisation does not know the plan gives something: "public", "signed-in" or nobody.
func MayMake(d tenant.Viewer, planned tenant.Plan) (opened string, err error) {
	if len(planned.Changes) == 0 {
		return "", nil
	}
	opened = opens(d, planned)
	if err := forbidden(d, opened); err != nil {
		return "", err
	}
	excess, found := planned.Proposal.Exceeds(maker(d, planned.ActsAs...))
	if !found {
		return opened, nil
	}
	permission := d.Catalogue().Operation(excess.Permission).String()
	p := d.Called(excess.Principal)
	if excess.Unsure {
		return "", tooIntricate(permission, fmt.Sprintf("by this %s %s might gain %s%s", p.Kind, p.Name, permission, whereOf(d, excess)))
	}
	return "", &problem.Problem{
		Kind: problem.Refused, Permission: permission,
		Detail: fmt.Sprintf("by this %s %s would gain %s%s, which you do not hold there yourself on the same terms", p.Kind, p.Name, permission, whereOf(d, excess)),
		Next:   "give what goes no further than your own, or ask somebody who holds it",
	}
}

// tooIntricate refuses what cannot be tried in every circumstance.
func tooIntricate(permission, detail string) error {
	return &problem.Problem{
		Kind: problem.Refused, Permission: permission, Detail: detail + ": the conditions of the rules there are too many to try every case",
		Next: "write fewer conditions, or ask somebody who holds it without a condition",
	}
}

// maker is the caller as one who makes changes, and who gets some new credentials by them.
func maker(d tenant.Viewer, actsAs ...model.ID) access.Maker {
	return access.Maker{ID: d.Me, Now: d.Context, ActsAs: actsAs}
}

// whereOf tells where an excess is, if the caller sees that place.
func whereOf(d tenant.Viewer, excess access.Excess) string {
	switch {
	case !d.Sight.Sees(excess.Scope):
		return " at a place that you do not see"
	case excess.Part == access.Beneath:
		return " below " + d.Address(excess.Scope)
	}
	return " at " + d.Address(excess.Scope)
}

// MayActAs refuses the credentials of somebody who holds, or would hold when in use, what the caller may not give.
func MayActAs(d tenant.Viewer, p access.Principal) error {
	excess, found := d.Surpasses(p.ID, maker(d))
	if !found {
		return nil
	}
	return surpassed(d, excess, "who has their credentials would hold it too: ask somebody who holds as much")
}

// surpassed says what somebody holds that the caller may not give, and why the caller would come by it.
func surpassed(d tenant.Viewer, excess access.Excess, why string) error {
	permission := d.Catalogue().Operation(excess.Permission).String()
	holder := fmt.Sprintf("%s %s", excess.Principal.Kind, d.Called(excess.Principal).Name)
	if excess.Unsure {
		return tooIntricate(permission, fmt.Sprintf("%s might hold %s%s, which you do not hold there yourself", holder, permission, whereOf(d, excess)))
	}
	return &problem.Problem{
		Kind: problem.Refused, Permission: permission, Next: why,
		Detail: fmt.Sprintf("%s holds %s%s, which you do not hold there yourself on the same terms", holder, permission, whereOf(d, excess)),
	}
}

// MayVouch refuses to say who comes by a provider, and as whom, to those who may not give what any of its people hold: they could come as
// whoever holds most. The groups that have their members by tags which the provider gives count, too.
func MayVouch(d tenant.Viewer, provider access.Principal, tags []string) error {
	why := "an administrator of " + provider.Name + " could come as any of its people: ask somebody who holds as much"
	if excess, found := d.SurpassesBy(provider.ID, maker(d)); found {
		return surpassed(d, excess, why)
	}
	if len(tags) == 0 {
		return nil
	}
	for group := range d.Principals(model.Group) {
		if group.Gathers == nil || !slices.ContainsFunc(tags, group.Gathers.AsksForTag) {
			continue
		}
		if excess, found := d.Surpasses(group.ID, maker(d)); found {
			return surpassed(d, excess, why)
		}
	}
	return nil
}
