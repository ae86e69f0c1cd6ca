package ask

import (
	"context"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// Trends are numbers about an organisation, for whoever looks after it. A part that the caller may not see is nil.
type Trends struct {
	Days       []time.Time // the last 30 days in UTC, each by its first moment, the oldest first
	People     map[Ago]int // active people by when they last came to work
	Privileged []int       // by day: how many grants of privileged roles were in force at its end, or are now
	Refused    []int       // by day: how often somebody was refused something
}

const (
	trendDays = 30
	day       = 24 * time.Hour
)

// ShowTrends tells how an organisation fared in the last 30 days.
func (s *Answers) ShowTrends(ctx context.Context, c tenant.Caller, organisation string) (Trends, error) {
	d, top, err := s.OpenOrganisation(ctx, c, organisation)
	if err != nil {
		return Trends{}, err
	}
	if d.Sight.Empty() {
		return Trends{}, tenant.NothingHeld(top.Name)
	}
	now := s.Moment()
	t := Trends{Days: make([]time.Time, trendDays)}
	for i := range t.Days {
		t.Days[i] = now.UTC().Truncate(day).AddDate(0, 0, i+1-trendDays)
	}
	if d.May("describe user", top.ID) {
		last, err := s.Records.LastSignIns(ctx, top.ID)
		if err != nil {
			return Trends{}, err
		}
		t.People = map[Ago]int{}
		for _, kind := range model.People {
			for p := range d.Principals(kind) {
				if !p.Inactive {
					t.People[ago(last[p.ID], now)]++
				}
			}
		}
	}
	if d.May("list grant", top.ID) {
		steps, err := s.Records.GrantSteps(ctx, top.ID, t.Days[0])
		if err != nil {
			return Trends{}, err
		}
		t.Privileged = privilegedByDay(grantsNow(d), steps, t.Days, now, func(role string) bool {
			r, err := d.Role(role)
			return err == nil && r.Privileged
		})
		// What an organisation was created with has no step that takes it back.
		details, err := s.Records.ScopeDetails(ctx, []model.ID{top.ID})
		if err != nil {
			return Trends{}, err
		}
		for i, began := range t.Days {
			if began.Add(day).Before(details[top.ID].CreatedAt) {
				t.Privileged[i] = 0
			}
		}
	}
	if d.May("list audit-record", top.ID) {
		if t.Refused, err = s.Records.RefusedByDay(ctx, top.ID, t.Days); err != nil {
			return Trends{}, err
		}
	}
	return t, nil
}

func grantsNow(d tenant.Viewer) (grants []access.Grant) {
	for _, kind := range []model.PrincipalKind{model.User, model.Guest, model.OutsidePerson, model.Group, model.ServiceAccount, model.Provider, model.PlatformService, model.BuiltInSet} {
		for p := range d.Principals(kind) {
			grants = append(grants, d.GrantsFor(p.ID)...)
		}
	}
	return grants
}

// privilegedByDay counts the grants of privileged roles that were in force at the end of each day, the last one at now. It goes from
// what there is back through what was done to grants, the newest first; whether a role is privileged is asked of today's.
func privilegedByDay(grants []access.Grant, steps []store.GrantStep, days []time.Time, now time.Time, privileged func(role string) bool) []int {
	there := map[model.ID]access.Grant{}
	for _, g := range grants {
		if privileged(g.Role) {
			there[g.ID] = g
		}
	}
	counts := make([]int, len(days))
	for i := len(days) - 1; i >= 0; i-- {
		end := days[i].Add(day)
		if end.After(now) {
			end = now
		}
		for len(steps) > 0 && steps[0].At.After(end) {
			before(there, steps[0], privileged)
			steps = steps[1:]
		}
		for _, g := range there {
			if !g.From.After(end) && (g.Until.IsZero() || g.Until.After(end)) {
				counts[i]++
			}
		}
	}
	return counts
}

// before takes back what a step did to the privileged grants there are.
func before(there map[model.ID]access.Grant, step store.GrantStep, privileged func(role string) bool) {
	for _, c := range step.Back {
		switch c := c.(type) {
		case access.CreateGrant:
			if privileged(c.Grant.Role) {
				there[c.Grant.ID] = c.Grant
			}
		case access.EditGrant:
			if _, is := there[c.Grant.ID]; is {
				there[c.Grant.ID] = c.Grant
			}
		case access.RevokeGrant:
			delete(there, c.ID)
		}
	}
}
