package service

import (
	"context"
	"fmt"

	"arbora.example/access"
	"arbora.example/people"
	"arbora.example/store"
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
	revision, err := s.made(ctx, c, func(d desk) (plan, error) {
		if _, err := d.needAtTop("edit organisation", organisation); err != nil {
			return plan{}, err
		}
		before := d.settings
		if err := settingsOutdated(was, before); err != nil {
			return plan{}, err
		}
		return plan{
			rows: func(tx *store.Tx) error { return tx.ChangeSettings(before, wanted) },
			what: "changed the settings", settings: &wanted,
		}, nil
	})
	return revision, err
}

// forbidden refuses changes that name strangers where the organisation forbids it.
func (d desk) forbidden(changes []access.Change) error {
	for set, forbidden := range map[access.ID]bool{access.SignedIn: d.settings.ForbidSignedIn, access.Public: d.settings.ForbidPublic} {
		if forbidden && names(changes, set) {
			name := "public"
			if set == access.SignedIn {
				name = "signed-in"
			}
			return &Problem{
				Kind: BreaksRule, Detail: fmt.Sprintf("the organisation forbids grants and statements that name %s", name),
				Next: "name a group, or have the organisation's settings changed",
			}
		}
	}
	return nil
}

// names reports whether changes newly give a set something.
func names(changes []access.Change, who access.ID) bool {
	for _, change := range changes {
		switch c := change.(type) {
		case access.CreateGrant:
			if c.Grant.Principal == who {
				return true
			}
		case access.PutPolicy:
			for _, st := range c.Policy.Statements {
				if st.Modal != access.May {
					continue
				}
				for _, subject := range st.Who {
					if subject.Principal == who {
						return true
					}
				}
			}
		}
	}
	return false
}

// unconfirmed refuses changes that give something to strangers until their impact was seen and confirmed.
func (d desk) unconfirmed(c Caller, planned plan) error {
	if c.Confirmed != "" || !names(planned.changes, access.SignedIn) && !names(planned.changes, access.Public) {
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
