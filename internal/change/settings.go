package change

import (
	"context"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"arbora.example/access/model"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/tenant"
)

// Settings returns the organisation's own settings.
func (s *Changes) Settings(ctx context.Context, c tenant.Caller, organisation string) (settings.Settings, error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return settings.Settings{}, err
	}
	_, err = d.NeedAtTop("describe organisation", organisation)
	return d.Settings, err
}

// ChangeSettings decides them anew. What was granted before stays. If was is given, they are still to be that.
func (s *Changes) ChangeSettings(organisation string, wanted settings.Settings, was *settings.Settings) plan.Change[plan.Nothing] {
	return plan.Change[plan.Nothing]{Of: s.Maker, Needs: "change the settings", Plan: func(ctx context.Context, c tenant.Caller) plan.Planner {
		return s.planSettings(ctx, c, organisation, wanted, was)
	}}
}

func (s *Changes) planSettings(ctx context.Context, c tenant.Caller, organisation string, wanted settings.Settings, was *settings.Settings) plan.Planner {
	return func(d tenant.Viewer) (tenant.Plan, error) {
		if _, err := d.NeedAtTop("configure organisation", organisation); err != nil {
			return tenant.Plan{}, err
		}
		before := d.Settings
		if err := shutOut(c, before, wanted); err != nil {
			return tenant.Plan{}, err
		}
		for _, name := range wanted.Services {
			if service, ok := d.ServiceNamed(name); !ok || service.Own() {
				return tenant.Plan{}, &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("there is no platform service %q", name), Next: "arbora catalogue lists them", Field: "settings.services"}
			}
		}
		if err := settingsOutdated(was, before); err != nil {
			return tenant.Plan{}, err
		}
		waiting, err := s.without(ctx, d, before, wanted)
		return tenant.Plan{
			Beside: func(tx tenant.Tx) error { return tx.ChangeSettings(before, wanted) },
			What:   "changed the settings", Settings: &wanted, Warnings: waiting,
		}, err
	}
}

// shutOut refuses demands that the caller, who has the permission to change the settings, would be the first not to meet.
func shutOut(c tenant.Caller, before, wanted settings.Settings) error {
	for _, level := range []struct {
		field       string
		was, wanted settings.Demands
	}{{"settings.everybody", before.Everybody, wanted.Everybody}, {"settings.governing", before.Governing, wanted.Governing}} {
		if err := level.wanted.Check(); err != nil {
			return &problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Next: "correct it and save again", Field: level.field}
		}
		if err := wanted.Check(); err != nil {
			return &problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Next: "choose a factor that is in both", Field: "settings.governing"}
		}
		if c.Identity.ID.IsZero() {
			continue
		}
		if len(level.wanted.Factors) > 0 && !slices.Contains(level.wanted.Factors, c.Factor) {
			return &problem.Problem{
				Kind: problem.Conflict, Detail: "you would shut yourself out: you did not sign in with " + nameFactors(level.wanted.Factors), Field: level.field,
				Next: "set one up on the console's page of your account (a second factor by arbora second-factor set-up, too), sign in with it, and demand it then",
			}
		}
		if !level.wanted.Admits(c.From) {
			return &problem.Problem{
				Kind: problem.Conflict, Detail: fmt.Sprintf("you would shut yourself out: your address %s is in none of these networks", c.From), Field: level.field,
				Next: "add the network that you work from, or make the change from one of them",
			}
		}
	}
	return nil
}

// nameFactors names factors of which one is demanded.
func nameFactors(factors []settings.Factor) string {
	switch {
	case len(factors) > 1:
		return "a second factor or a passkey"
	case factors[0] == settings.PasskeyFactor:
		return "a passkey"
	}
	return "a second factor"
}

// without tells who has no factor of those that would be newly demanded of them. They set one up before anything else.
func (s *Changes) without(ctx context.Context, d tenant.Viewer, before, wanted settings.Settings) ([]string, error) {
	everybody := slices.Equal(wanted.Everybody.Factors, before.Everybody.Factors)
	if everybody && slices.Equal(wanted.Governing.Factors, before.Governing.Factors) {
		return nil, nil
	}
	has, err := s.Records.Factors(ctx, d.OrganisationID())
	if err != nil {
		return nil, err
	}
	lacks := func(factors []settings.Factor, id model.ID) bool {
		return len(factors) > 0 && !slices.ContainsFunc(factors, func(f settings.Factor) bool { return slices.Contains(has[id], f) })
	}
	var warnings []string
	lacking := map[string][]string{} // names, by what they lack
	for id := range has {
		p, ok := d.Principal(id)
		if !ok || p.Inactive {
			continue
		}
		was, is := []settings.Demands{before.Everybody}, []settings.Demands{wanted.Everybody}
		if theirs := (tenant.Viewer{Snapshot: d.Snapshot, Sight: d.View(id, d.Context)}); theirs.Governs() {
			was, is = append(was, before.Governing), append(is, wanted.Governing)
		}
		demanded := settings.FactorsIn(was...)
		wanted := settings.FactorsIn(is...)
		if lacks(wanted, id) && !lacks(demanded, id) {
			lacking[nameFactors(wanted)] = append(lacking[nameFactors(wanted)], p.Name)
		}
	}
	for _, what := range slices.Sorted(maps.Keys(lacking)) {
		names := lacking[what]
		if what = "no " + strings.TrimPrefix(what, "a "); strings.Contains(what, " or ") {
			what = "neither a second factor nor a passkey"
		}
		told := fmt.Sprintf("%d people have %s", len(names), what)
		if len(names) == 1 {
			told = "1 person has " + what
		}
		told += " and can do nothing before they set one up"
		if d.May("list user", d.OrganisationID()) {
			slices.Sort(names)
			told += ": " + strings.Join(names, ", ")
		}
		warnings = append(warnings, told+".")
	}
	return warnings, nil
}

func settingsOutdated(was *settings.Settings, now settings.Settings) error {
	return plan.Outdated("the organisation", plan.Another{Word: "settings", Is: was != nil && !reflect.DeepEqual(*was, now)})
}
