package access_test

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
)

// holdsOf tells how a condition stands: a grant under it gives only when it holds, a statement under it cuts unless it does not.
func holdsOf(t *testing.T, w *world, condition, at string, context *access.Context) string {
	t.Helper()
	c, err := access.ParseCondition(condition)
	require.NoError(t, err, condition)
	question := access.Question{Principal: w.ids["bram"], Permission: access.Shipped().MustPermission("edit bucket"), Scope: w.ids[at], Context: context}
	given, err := w.now.With(w.now.Revision()+1, access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top"], Principal: w.ids["bram"], Role: "builder", Condition: c}})
	require.NoError(t, err)
	never := access.Statement{Place: w.ids["top"], Who: []access.Subject{{Principal: w.ids["bram"]}}, Modal: access.MayNever, Acts: []string{"modify"}, Condition: c}
	cut, err := w.now.With(w.now.Revision()+1,
		access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top"], Principal: w.ids["bram"], Role: "builder"}},
		access.PutPolicy{Policy: access.Policy{ID: newID(), Scope: w.ids["top"], Name: "care", Statements: []access.Statement{never}}})
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
	w.create("top/house", access.Project)
	w.create("top/house/scans.bucket", access.Resource)
	w.create("top/house/bare.bucket", access.Resource)
	const scans, bare = "top/house/scans.bucket", "top/house/bare.bucket"
	w.must(access.TagScope{ID: w.ids[scans], Tags: map[string]string{"care": "high", "floor": ""}},
		access.TagPrincipal{ID: w.ids["bram"], Tags: map[string]string{"team": "seeds"}})
	wednesday := time.Date(2026, 11, 25, 12, 30, 0, 0, time.UTC)
	told := &access.Context{
		Time: wednesday, IP: netip.MustParseAddr("10.9.8.7"), Location: "north", Provider: "quaywater-sso",
		Claims: map[string][]string{"team": {"seeds", "labels"}, "floor": {}},
	}
	later := &access.Context{Time: wednesday, Anybody: true}
	for _, c := range []struct {
		condition, at string
		context       *access.Context
		want          string
	}{
		// The clock, in UTC.
		{"request.hour < 13", scans, told, "yes"},
		{"request.hour < 12", scans, told, "no"},
		{"request.hour <= 12", scans, told, "yes"},
		{"request.hour > 12", scans, told, "no"},
		{"request.hour >= 12", scans, told, "yes"},
		{"request.hour is 12", scans, told, "yes"},
		{"request.hour is not 12", scans, told, "no"},
		{"request.hour >= 8 and request.hour < 18", scans, told, "yes"},
		{"request.hour >= 22 or request.hour < 6", scans, told, "no"},
		{`request.weekday is "wednesday"`, scans, told, "yes"},
		{`request.weekday is not "wednesday"`, scans, told, "no"},
		{`request.weekday in ("saturday", "sunday")`, scans, told, "no"},
		{`request.weekday in ("tuesday", "wednesday")`, scans, told, "yes"},
		{"request.time before 2026-11-26", scans, told, "yes"},
		{"request.time before 2026-11-25", scans, told, "no"},
		{"request.time after 2026-11-25", scans, told, "yes"},
		{"request.time after 2026-11-25T12:30:00Z", scans, told, "no"},
		{"request.time before 2026-11-25T13:31:00+01:00", scans, told, "yes"},
		{"request.hour < 13", scans, &access.Context{}, "unknown"},
		{`request.weekday is "wednesday"`, scans, nil, "unknown"},
		{"request.time after 2020-01-01", scans, nil, "unknown"},

		// Of anybody's questions from then on only what time has settled is known.
		{"request.hour is 12", scans, later, "unknown"},
		{"request.hour is 3", scans, later, "unknown"},
		{`request.weekday is "wednesday"`, scans, later, "unknown"},
		{"request.time after 2020-01-01", scans, later, "yes"},
		{"request.time after 2090-01-01", scans, later, "unknown"},
		{"request.time before 2020-01-01", scans, later, "no"},
		{"request.time before 2090-01-01", scans, later, "unknown"},
		{`request.location is "north"`, scans, later, "unknown"},
		{`request.ip within "10.0.0.0/8"`, scans, later, "unknown"},
		{`claim.team is "seeds"`, scans, later, "unknown"},
		{`resource.tag.care is "high"`, scans, later, "yes"},
		{`resource.tag.care is "low" and request.hour is 3`, scans, later, "no"},
		{`resource.tag.care is "high" or request.hour is 3`, scans, later, "yes"},

		// Where a request comes from.
		{`request.ip within "10.0.0.0/8"`, scans, told, "yes"},
		{`request.ip within "10.9.8.7/32"`, scans, told, "yes"},
		{`request.ip within "192.0.2.0/24"`, scans, told, "no"},
		{`not request.ip within "192.0.2.0/24"`, scans, told, "yes"},
		{`request.ip within "10.0.0.0/8"`, scans, &access.Context{IP: netip.MustParseAddr("::ffff:10.1.1.1")}, "yes"},
		{`request.ip within "2001:db8::/32"`, scans, &access.Context{IP: netip.MustParseAddr("2001:db8::1")}, "yes"},
		{`request.ip within "10.0.0.0/8"`, scans, &access.Context{Location: "north"}, "unknown"},
		{`request.location is "north"`, scans, told, "yes"},
		{`request.location is "North"`, scans, told, "no"},
		{`request.location starts with "no"`, scans, told, "yes"},
		{`request.location in ("south", "west")`, scans, told, "no"},
		{`request.location is not "south"`, scans, told, "yes"},
		{`request.location is not "south"`, scans, nil, "unknown"},

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
		{`principal.name is "bram"`, scans, nil, "yes"},
		{`principal.name is "rowan"`, scans, nil, "no"},
		{`principal.kind is "user"`, scans, nil, "yes"},
		{`principal.kind is "guest"`, scans, nil, "no"},
		{`principal.tag.team is "seeds"`, scans, nil, "yes"},
		{`principal.tag.floor is "one"`, scans, nil, "no"},
		{`principal.tag.floor is not "one"`, scans, nil, "yes"},

		// What is unknown decides only where the rest leaves it open.
		{`request.location is "north" and resource.tag.care is "low"`, scans, nil, "no"},
		{`request.location is "north" and resource.tag.care is "high"`, scans, nil, "unknown"},
		{`request.location is "north" or resource.tag.care is "high"`, scans, nil, "yes"},
		{`request.location is "north" or resource.tag.care is "low"`, scans, nil, "unknown"},
		{`not request.location is "north"`, scans, nil, "unknown"},
		{`not (principal.kind is "user" and resource.tag.care is "high")`, scans, nil, "no"},
		{`not not principal.kind is "user"`, scans, nil, "yes"},
		{`resource.tag.care is "low" and request.hour < 3 or principal.kind is "user"`, scans, nil, "yes"},
		{`resource.tag.care is "low" and (request.hour < 3 or principal.kind is "user")`, scans, nil, "no"},
	} {
		require.Equal(t, c.want, holdsOf(t, w, c.condition, c.at, c.context), "%s at %s, %+v", c.condition, c.at, c.context)
	}
}

// TestPeriods asks under grants and statements of a period, before, within and after it, and of nobody's moment.
func TestPeriods(t *testing.T) {
	from, until := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(2027, 3, 31, 0, 0, 0, 0, time.UTC)
	second := time.Second
	for _, c := range []struct {
		period access.Period
		at     time.Time
		holds  bool
	}{
		{access.Period{From: from, Until: until}, from.Add(-second), false},
		{access.Period{From: from, Until: until}, from, true},
		{access.Period{From: from, Until: until}, until.Add(-second), true},
		{access.Period{From: from, Until: until}, until, false},
		{access.Period{From: from}, from.AddDate(50, 0, 0), true},
		{access.Period{Until: until}, from.AddDate(-50, 0, 0), true},
		{access.Period{Until: until}, until, false},
		{access.Period{}, time.Time{}, true},
		{access.Period{From: from}, time.Time{}, false}, // whoever tells no moment is not believed to be within
		{access.Period{Until: until}, time.Time{}, false},
	} {
		w := newWorld(t)
		w.must(access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top"], Principal: w.ids["bram"], Role: "observer", Period: c.period}})
		ask := func(who, permission string) bool {
			return w.now.Decide(access.Question{Principal: w.ids[who], Permission: access.Shipped().MustPermission(permission), Scope: w.ids["top/folder"], Context: &access.Context{Time: c.at}}).Allowed
		}
		require.Equal(t, c.holds, ask("bram", "describe folder"), "a grant %+v at %s", c.period, c.at)
		w.must(access.PutPolicy{Policy: access.Policy{ID: newID(), Scope: w.ids["top"], Name: "still", Statements: []access.Statement{
			{Place: w.ids["top"], Who: []access.Subject{{Principal: access.Everyone}}, Modal: access.MayNever, Acts: []string{"modify"}, Period: c.period},
		}}})
		require.Equal(t, c.holds || c.at.IsZero(), !ask("rowan", "edit folder"), "a cut %+v at %s; of no moment it cuts", c.period, c.at)
	}
	for _, wrong := range []access.Period{{From: until, Until: from}, {From: from, Until: from}} {
		w := newWorld(t)
		err := w.try(access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top"], Principal: w.ids["bram"], Role: "observer", Period: wrong}})
		require.ErrorContains(t, err, "until", "%+v", wrong)
	}
}
