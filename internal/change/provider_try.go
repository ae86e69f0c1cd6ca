package change

import (
	"context"
	"encoding/json"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/outside"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/tenant"
)

// Trying is what is tried: claims, by a claim map and an entry rule; what is nil is as it is set.
type Trying struct {
	Map    *outside.Map
	Rule   *string
	Claims json.RawMessage
}

// Tried is what came of it.
type Tried struct {
	Picks    []outside.Picked
	Person   outside.Person
	Fault    string // why the claims make no person
	Admitted bool
	Stops    string // the part of the entry rule that does not hold
	Known    string // the outside person who has the subject; empty for none yet
	Impact   plan.Impact
}

// TryClaims tells what would become of somebody of whom a provider said such claims: whom they would be, whether they would come in, and what
// they would gain and lose. Nothing is changed.
func (s *Changes) TryClaims(ctx context.Context, c tenant.Caller, organisation, name string, wanted Trying) (tried Tried, err error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return tried, err
	}
	if _, err := d.NeedAtTop("edit provider", organisation); err != nil {
		return tried, err
	}
	provider, err := d.PrincipalCalled(model.Provider.String(), name)
	if err != nil {
		return tried, err
	}
	claimMap, entry, err := s.EntryOf(ctx, provider.ID)
	if err != nil {
		return tried, err
	}
	if wanted.Map != nil {
		claimMap = *wanted.Map
	}
	if wanted.Rule != nil {
		entry.Rule = *wanted.Rule
	}
	rule, err := CheckEntry(claimMap, entry.Rule)
	if err != nil {
		return tried, err
	}
	said, err := outside.Decode(wanted.Claims)
	if err != nil {
		return tried, &problem.Problem{Kind: problem.Invalid, Detail: "the claims are no JSON object: " + err.Error(), Next: `write them as {"sub": "…", "department": "seeds"}`, Field: "claims"}
	}
	if tried.Picks, err = claimMap.Picks(said); err != nil {
		tried.Fault = err.Error()
		return tried, nil
	}
	if tried.Person, err = claimMap.Read(said); err != nil {
		tried.Fault = err.Error()
		return tried, nil
	}
	tried.Admitted, tried.Stops = access.Admits(rule, tried.Person.Claims)
	known, there := d.OutsidePersonBy(provider.ID, tried.Person.Subject)
	tried.Known = known.Name
	tried.Impact, err = s.Preview(ctx, c, func(d tenant.Viewer) (tenant.Plan, error) {
		groupsOf := func(who model.ID) ([]access.Change, error) {
			return signin.GroupsSaid(ctx, plan.NewGrouping(d.Snapshot, provider), d.Details, claimMap, who, tried.Person)
		}
		if !there {
			made := access.Principal{ID: tenant.NewID(), Kind: model.OutsidePerson, Name: tried.Person.Name + "@" + provider.Name, Tags: tried.Person.Tags, Provider: provider.ID, Subject: tried.Person.Subject, Claims: tried.Person.Claims}
			groups, err := groupsOf(made.ID)
			return imagine(append([]access.Change{access.CreatePrincipal{Principal: made}}, groups...)...), err
		}
		var changes []access.Change
		for _, change := range []access.Change{access.SetClaims{ID: known.ID, Claims: tried.Person.Claims}, access.TagPrincipal{ID: known.ID, Tags: outside.Tagged(known.Tags, tried.Person.Tags, claimMap)}} {
			if _, err := d.With(d.Revision(), change); err == nil { // else it is so already
				changes = append(changes, change)
			}
		}
		groups, err := groupsOf(known.ID)
		return imagine(append(changes, groups...)...), err
	})
	return tried, err
}

// imagine plans nothing, with the impact of changes that nobody makes by it.
func imagine(changes ...access.Change) tenant.Plan {
	if changes == nil {
		changes = []access.Change{}
	}
	return tenant.Plan{Imagined: changes, What: "tried claims"}
}
