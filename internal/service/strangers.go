package service

import (
	"fmt"

	"arbora.example/access/model"
)

// opened tells to whom of those the organisation does not know a plan newly gives something: "public", "signed-in" or nobody.
func (d desk) opened(planned plan) string {
	for _, strangers := range []model.ID{model.Public, model.SignedIn} {
		if _, found := planned.proposal.Opens(strangers, d.context); found {
			who, _ := d.Principal(strangers)
			return who.Name
		}
	}
	return ""
}

// forbidden refuses to open something to strangers where the organisation forbids it.
func (d desk) forbidden(opened string) error {
	if opened == "public" && d.settings.ForbidPublic || opened == "signed-in" && d.settings.ForbidSignedIn {
		return &Problem{
			Kind: BreaksRule, Detail: fmt.Sprintf("this opens something to %s, which the settings of the organisation forbid", opened),
			Next: "name a group, or have the organisation's settings changed",
		}
	}
	return nil
}

// unconfirmed refuses to open something to strangers until the impact was seen and confirmed.
func (d desk) unconfirmed(c Caller, planned plan, opened string) error {
	if c.Confirmed != "" || opened == "" {
		return nil
	}
	impact, err := d.impact(planned)
	if err != nil {
		return err
	}
	return &Problem{
		Kind: Unconfirmed, Detail: "this opens something to people whom the organisation does not know, and takes a confirmation",
		Next: "look at its impact first, and confirm that", Impact: &impact,
	}
}
