package service

import (
	"fmt"

	"arbora.example/access"
	"arbora.example/access/model"
)

// The rule on gains: nobody gives anybody, or takes by somebody's credentials, what they do not hold themselves. Whatever
// changes an organisation goes through mayMake; whatever gives somebody's credentials away goes through mayActAs.

// mayMake refuses a plan that gives more than its maker may, or opens what the organisation forbids to open. It tells to whom
// of those the organisation does not know the plan gives something: "public", "signed-in" or nobody.
func (d desk) mayMake(planned plan) (opened string, err error) {
	if len(planned.changes) == 0 {
		return "", nil
	}
	opened = d.opened(planned)
	if err := d.forbidden(opened); err != nil {
		return "", err
	}
	excess, found := planned.proposal.Exceeds(d.maker(planned.actsAs...))
	if !found {
		return opened, nil
	}
	permission := d.Catalogue().Operation(excess.Permission).String()
	p := d.called(excess.Principal)
	return "", &Problem{
		Kind: Refused, Permission: permission,
		Detail: fmt.Sprintf("by this %s %s would gain %s%s, which you do not hold there yourself on the same terms", p.Kind, p.Name, permission, d.whereOf(excess)),
		Next:   "give what goes no further than your own, or ask somebody who holds it",
	}
}

// maker is the caller as one who makes changes, and who gets some new credentials by them.
func (d desk) maker(actsAs ...model.ID) access.Maker {
	return access.Maker{ID: d.me, Now: d.context, ActsAs: actsAs}
}

// whereOf tells where an excess is, if the caller sees that place.
func (d desk) whereOf(excess access.Excess) string {
	switch {
	case !d.view.Sees(excess.Scope):
		return " at a place that you do not see"
	case excess.Part == access.Beneath:
		return " beneath " + d.Address(excess.Scope)
	}
	return " at " + d.Address(excess.Scope)
}

// mayActAs refuses the credentials of somebody who holds, or would hold when in use, what the caller may not give.
func (d desk) mayActAs(p access.Principal) error {
	excess, found := d.Surpasses(p.ID, d.maker())
	if !found {
		return nil
	}
	permission := d.Catalogue().Operation(excess.Permission).String()
	return &Problem{
		Kind: Refused, Permission: permission,
		Detail: fmt.Sprintf("%s %s holds %s%s, which you do not hold there yourself on the same terms", p.Kind, d.called(p).Name, permission, d.whereOf(excess)),
		Next:   "who has their credentials would hold it too: ask somebody who holds as much",
	}
}
