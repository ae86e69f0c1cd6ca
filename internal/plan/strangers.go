package plan

import (
	"fmt"

	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/tenant"
)

// opens tells to whom of those the organisation does not know a plan newly gives something: "public", "signed-in" or nobody.
func opens(d tenant.Viewer, planned tenant.Plan) string {
	for _, strangers := range []model.ID{model.Public, model.SignedIn} {
		if _, found := planned.Proposal.Opens(strangers, d.Context); found {
			who, _ := d.Principal(strangers)
			return who.Name
		}
	}
	return ""
}

// forbidden refuses to open something to strangers where the organisation forbids it.
func forbidden(d tenant.Viewer, opened string) error {
	if opened == "public" && d.Settings.ForbidPublic || opened == "signed-in" && d.Settings.ForbidSignedIn {
		return &problem.Problem{
			Kind: problem.BreaksRule, Detail: fmt.Sprintf("this opens something to %s, which the settings of the organisation forbid", opened),
			Next: "name a group, or have the organisation's settings changed",
		}
	}
	return nil
}

// unconfirmed refuses to open something to strangers until the impact was seen and confirmed.
func unconfirmed(d tenant.Viewer, c tenant.Caller, planned tenant.Plan, opened string) error {
	if c.Confirmed != "" || opened == "" {
		return nil
	}
	impact, err := impact(d, planned)
	if err != nil {
		return err
	}
	return &Unconfirmable{Impact: impact, Problem: &problem.Problem{
		Kind: problem.Unconfirmed, Detail: "this opens something to anybody at all, known to the organisation or not, and takes a confirmation",
		Next: "look at its impact first, and confirm that",
	}}
}
