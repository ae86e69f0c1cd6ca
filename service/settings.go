package service

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/people"
)

// Settings gives what the organisation has decided for itself.
func (s *Service) Settings(ctx context.Context, c Caller, organisation string) (people.Settings, error) {
	d, err := s.open(ctx, c)
	if err != nil {
		return people.Settings{}, err
	}
	_, err = d.needAtTop("describe organisation", organisation)
	return d.settings, err
}

// ChangeSettings decides them anew. What was granted before stays. If was is given, they are still to be that.
func (s *Service) ChangeSettings(ctx context.Context, c Caller, organisation string, wanted people.Settings, was *people.Settings) (uint64, error) {
	if err := s.needProof(c, "change the settings"); err != nil {
		return 0, err
	}
	revision, err := s.made(ctx, c, func(d desk) (plan, error) {
		if _, err := d.needAtTop("configure organisation", organisation); err != nil {
			return plan{}, err
		}
		before := d.settings
		if wanted.SecondFactor && !before.SecondFactor && !c.Strong && !c.Identity.Factor && !c.Identity.ID.IsZero() {
			return plan{}, &Problem{
				Kind: Conflict, Detail: "you would be the first to be shut out: you have no second factor", Field: "settings.secondFactor",
				Next: "set yours up first, with arbora second-factor set-up or on the console's page for it, and demand it then",
			}
		}
		for _, name := range wanted.Services {
			if service, ok := d.ServiceNamed(name); !ok || service.Own() {
				return plan{}, &Problem{Kind: Invalid, Detail: fmt.Sprintf("there is no platform service %q", name), Next: "arbora catalogue lists them", Field: "settings.services"}
			}
		}
		if err := settingsOutdated(was, before); err != nil {
			return plan{}, err
		}
		return plan{
			rows: func(tx Tx) error { return tx.ChangeSettings(before, wanted) },
			what: "changed the settings", settings: &wanted,
		}, nil
	})
	return revision, err
}

// opened tells to whom of those the organisation does not know a plan newly gives something: "public", "signed-in" or nobody.
func (d desk) opened(planned plan) (string, error) {
	for _, strangers := range []access.ID{access.Public, access.SignedIn} {
		_, found, err := d.Opens(strangers, d.context, planned.changes...)
		if err != nil {
			return "", broken(err, "")
		}
		if found {
			who, _ := d.Principal(strangers)
			return who.Name, nil
		}
	}
	return "", nil
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
