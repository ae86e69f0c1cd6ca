package access_test

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// holdsOf tells how a condition stands: a grant under it gives only when it holds, a statement under it cuts unless it does not.
func holdsOf(t *testing.T, w *world, condition, at string, context *access.Context) string {
	t.Helper()
	c, err := statement.ParseCondition(condition)
	require.NoError(t, err, condition)
	question := access.Question{Principal: w.ids["bram"], Permission: catalogue.Shipped().MustPermission("edit bucket"), Scope: w.ids[at], Context: context}
	given, err := w.now.With(w.now.Revision()+1, access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top"], Principal: w.ids["bram"], Role: "builder", Condition: c}})
	require.NoError(t, err)
	never := statement.Statement{Place: w.ids["top"], Who: []statement.Subject{{Principal: w.ids["bram"]}}, Modal: statement.MayNever, Acts: []string{"modify"}, Condition: c}
	cut, err := w.now.With(w.now.Revision()+1,
		access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top"], Principal: w.ids["bram"], Role: "builder"}},
		access.PutPolicy{Policy: statement.Policy{ID: newID(), Scope: w.ids["top"], Name: "care", Statements: []statement.Statement{never}}})
	require.NoError(t, err)
	switch gives, cuts := given.Decide(question).Allowed, !cut.Decide(question).Allowed; {
	case gives && cuts:
		return "yes"
	case !gives && !cuts:
		return "no"
	case cuts:
		return "unknown"
	}
	return "it gives and does not cut"
}

// TestConditions asks under each condition as bram, who works on seeds, at a bucket of high care, on a Wednesday at noon from
// the north wing.
func TestConditions(t *testing.T) {
	w := newWorld(t)
	w.create("top/house", model.Project)
	w.create("top/house/scans.bucket", model.Resource)
	w.create("top/house/bare.bucket", model.Resource)
	const scans, bare = "top/house/scans.bucket", "top/house/bare.bucket"
	w.must(access.TagScope{ID: w.ids[scans], Tags: map[string]string{"care": "high", "floor": ""}},
		access.TagPrincipal{ID: w.ids["bram"], Tags: map[string]string{"team": "seeds"}})
	wednesday := time.Date(2026, 11, 25, 12, 30, 0, 0, time.UTC)
	told := &access.Context{
		Time: wednesday, IP: netip.MustParseAddr("10.9.8.7"), Location: "north",
		Claims: map[string][]string{"team": {"seeds", "labels"}, "floor": {}},
	}
	later := &access.Context{Time: wednesday, Anybody: true}
	for _, c := range []struct {
		condition, at string
		context       *access.Context
		want          string
	}{
		// The clock, in UTC.
		{"context.hour < 13", scans, told, "yes"},
		{"context.hour < 12", scans, told, "no"},
		{"context.hour <= 12", scans, told, "yes"},
		{"context.hour > 12", scans, told, "no"},
		{"context.hour >= 12", scans, told, "yes"},
		{"context.hour is 12", scans, told, "yes"},
		{"context.hour is not 12", scans, told, "no"},
		{"context.hour >= 8 and context.hour < 18", scans, told, "yes"},
		{"context.hour >= 22 or context.hour < 6", scans, told, "no"},
		{`context.hour("Europe/Oslo") is 13`, scans, told, "yes"},
		{`context.hour("UTC") is 12`, scans, told, "yes"},
		{`context.hour("Asia/Kathmandu") is 18`, scans, told, "yes"},
		{`context.weekday("Pacific/Kiritimati") is "thursday"`, scans, told, "yes"},
		{`context.weekday is "wednesday"`, scans, told, "yes"},
		{`context.weekday is not "wednesday"`, scans, told, "no"},
		{`context.weekday in ("saturday", "sunday")`, scans, told, "no"},
		{`context.weekday in ("tuesday", "wednesday")`, scans, told, "yes"},
		{"context.time before 2026-11-26", scans, told, "yes"},
		{"context.time before 2026-11-25", scans, told, "no"},
		{"context.time after 2026-11-25", scans, told, "yes"},
		{"context.time after 2026-11-25T12:30:00Z", scans, told, "no"},
		{"context.time before 2026-11-25T13:31:00+01:00", scans, told, "yes"},
		{"context.hour < 13", scans, &access.Context{}, "unknown"},
		{`context.weekday is "wednesday"`, scans, nil, "unknown"},
		{"context.time after 2020-01-01", scans, nil, "unknown"},

		// Of anybody's questions from then on only what time has settled is known.
		{"context.hour is 12", scans, later, "unknown"},
		{"context.hour is 3", scans, later, "unknown"},
		{`context.weekday is "wednesday"`, scans, later, "unknown"},
		{"context.time after 2020-01-01", scans, later, "yes"},
		{"context.time after 2090-01-01", scans, later, "unknown"},
		{"context.time before 2020-01-01", scans, later, "no"},
		{"context.time before 2090-01-01", scans, later, "unknown"},
		{`context.location is "north"`, scans, later, "unknown"},
		{`context.ip within "10.0.0.0/8"`, scans, later, "unknown"},
		{`claim.team is "seeds"`, scans, later, "unknown"},
		{`resource.tag.care is "high"`, scans, later, "yes"},
		{`resource.tag.care is "low" and context.hour is 3`, scans, later, "no"},
		{`resource.tag.care is "high" or context.hour is 3`, scans, later, "yes"},

		// Where a request comes from.
		{`context.ip within "10.0.0.0/8"`, scans, told, "yes"},
		{`context.ip within "10.9.8.7/32"`, scans, told, "yes"},
		{`context.ip within "192.0.2.0/24"`, scans, told, "no"},
		{`not context.ip within "192.0.2.0/24"`, scans, told, "yes"},
		{`context.ip within "10.0.0.0/8"`, scans, &access.Context{IP: netip.MustParseAddr("::ffff:10.1.1.1")}, "yes"},
		{`context.ip within "2001:db8::/32"`, scans, &access.Context{IP: netip.MustParseAddr("2001:db8::1")}, "yes"},
		{`context.ip within "10.0.0.0/8"`, scans, &access.Context{Location: "north"}, "unknown"},
		{`context.location is "north"`, scans, told, "yes"},
		{`context.location is "North"`, scans, told, "no"},
		{`context.location starts with "no"`, scans, told, "yes"},
		{`context.location in ("south", "west")`, scans, told, "no"},
		{`context.location is not "south"`, scans, told, "yes"},
		{`context.location is not "south"`, scans, nil, "unknown"},

		// What a provider says; of several values one is enough.
		{`claim.team is "seeds"`, scans, told, "yes"},
		{`claim.team is "labels"`, scans, told, "yes"},
		{`claim.team is "glass"`, scans, told, "no"},
		{`claim.team is not "seeds"`, scans, told, "no"},
		{`claim.team is not "glass"`, scans, told, "yes"},
		{`claim.team in ("glass", "labels")`, scans, told, "yes"},
		{`claim.team starts with "lab"`, scans, told, "yes"},
		{`claim.floor is "one"`, scans, told, "no"},
		{`claim.badge is "one"`, scans, told, "unknown"},
		{`claim.badge is not "one"`, scans, told, "unknown"},
		{`claim.team is "seeds"`, scans, &access.Context{Time: wednesday}, "unknown"},

		// The resource and whoever asks are always known.
		{`resource.tag.care is "high"`, scans, nil, "yes"},
		{`resource.tag.care is "high"`, bare, nil, "no"},
		{`resource.tag.care is not "high"`, bare, nil, "yes"},
		{`resource.tag.care in ("low", "high")`, scans, nil, "yes"},
		{`resource.tag.care starts with "hi"`, scans, nil, "yes"},
		{`resource.tag.floor is ""`, scans, nil, "yes"},
		{`resource.tag.floor is ""`, bare, nil, "no"},
		{`resource.name is "scans"`, scans, nil, "yes"},
		{`resource.name starts with "sc"`, bare, nil, "no"},
		{`resource.type is "bucket"`, scans, nil, "yes"},
		{`resource.type in ("machine", "network")`, scans, nil, "no"},
		{`subject.name is "bram"`, scans, nil, "yes"},
		{`subject.name is "rowan"`, scans, nil, "no"},
		{`subject.kind is "user"`, scans, nil, "yes"},
		{`subject.kind is "guest"`, scans, nil, "no"},
		{`subject.tag.team is "seeds"`, scans, nil, "yes"},
		{`subject.tag.floor is "one"`, scans, nil, "no"},
		{`subject.tag.floor is not "one"`, scans, nil, "yes"},

		// What is unknown decides only where the rest leaves it open.
		{`context.location is "north" and resource.tag.care is "low"`, scans, nil, "no"},
		{`context.location is "north" and resource.tag.care is "high"`, scans, nil, "unknown"},
		{`context.location is "north" or resource.tag.care is "high"`, scans, nil, "yes"},
		{`context.location is "north" or resource.tag.care is "low"`, scans, nil, "unknown"},
		{`not context.location is "north"`, scans, nil, "unknown"},
		{`not (subject.kind is "user" and resource.tag.care is "high")`, scans, nil, "no"},
		{`not not subject.kind is "user"`, scans, nil, "yes"},
		{`resource.tag.care is "low" and context.hour < 3 or subject.kind is "user"`, scans, nil, "yes"},
		{`resource.tag.care is "low" and (context.hour < 3 or subject.kind is "user")`, scans, nil, "no"},
	} {
		t.Run(c.condition, func(t *testing.T) {
			require.Equal(t, c.want, holdsOf(t, w, c.condition, c.at, c.context), "%s at %s, %+v", c.condition, c.at, c.context)
		})
	}
}

// TestPeriods asks under grants and statements of a period, before, within and after it, and of nobody's moment.
func TestPeriods(t *testing.T) {
	from, until := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(2027, 3, 31, 0, 0, 0, 0, time.UTC)
	second := time.Second
	for _, c := range []struct {
		period statement.Period
		at     time.Time
		holds  bool
	}{
		{statement.Period{From: from, Until: until}, from.Add(-second), false},
		{statement.Period{From: from, Until: until}, from, true},
		{statement.Period{From: from, Until: until}, until.Add(-second), true},
		{statement.Period{From: from, Until: until}, until, false},
		{statement.Period{From: from}, from.AddDate(50, 0, 0), true},
		{statement.Period{Until: until}, from.AddDate(-50, 0, 0), true},
		{statement.Period{Until: until}, until, false},
		{statement.Period{}, time.Time{}, true},
		{statement.Period{From: from}, time.Time{}, false}, // whoever tells no moment is not believed to be within
		{statement.Period{Until: until}, time.Time{}, false},
	} {
		w := newWorld(t)
		w.must(access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top"], Principal: w.ids["bram"], Role: "observer", Period: c.period}})
		ask := func(who, permission string) bool {
			return w.now.Decide(access.Question{Principal: w.ids[who], Permission: catalogue.Shipped().MustPermission(permission), Scope: w.ids["top/folder"], Context: &access.Context{Time: c.at}}).Allowed
		}
		require.Equal(t, c.holds, ask("bram", "describe folder"), "a grant %+v at %s", c.period, c.at)
		w.must(access.PutPolicy{Policy: statement.Policy{ID: newID(), Scope: w.ids["top"], Name: "still", Statements: []statement.Statement{
			{Place: w.ids["top"], Who: []statement.Subject{{Principal: model.Everyone}}, Modal: statement.MayNever, Acts: []string{"modify"}, Period: c.period},
		}}})
		require.Equal(t, c.holds || c.at.IsZero(), !ask("rowan", "edit folder"), "a cut %+v at %s; of no moment it cuts", c.period, c.at)
	}
	for _, wrong := range []statement.Period{{From: until, Until: from}, {From: from, Until: from}} {
		w := newWorld(t)
		err := w.try(access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top"], Principal: w.ids["bram"], Role: "observer", Period: wrong}})
		require.ErrorContains(t, err, "until", "%+v", wrong)
	}
}

// TestConditionsKeptBeforeAreRead reads conditions that have the words of before, and writes them in today's; whoever writes one has
// to use those.
func TestConditionsKeptBeforeAreRead(t *testing.T) {
	const before = `request.location is "north" and not (principal.tag.team is "seeds" or principal.kind is "guest") and request.ip within "10.0.0.0/8"`
	var c statement.Condition
	require.NoError(t, c.UnmarshalText([]byte(before)))
	require.Equal(t, `context.location is "north" and not (subject.tag.team is "seeds" or subject.kind is "guest") and context.ip within "10.0.0.0/8"`, c.String())
	again, err := statement.ParseCondition(c.String())
	require.NoError(t, err)
	require.Equal(t, again.String(), c.String())
	_, err = statement.ParseCondition(before)
	require.ErrorContains(t, err, "did you mean context.location?")
	require.Error(t, c.UnmarshalText([]byte(`request.tag.team is "seeds"`)), "there never was that")
}
