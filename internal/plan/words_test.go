package plan

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/tenant"
)

// permissions returns a set of some permissions of the shipped catalogue.
func permissions(t *testing.T, texts ...string) catalogue.Set {
	set, err := catalogue.Shipped().Collect(texts...)
	require.NoError(t, err)
	return set
}

// TestImpactInWords tells impacts in a sentence: who, whether they gain or lose, and whether for certain.
func TestImpactInWords(t *testing.T) {
	person := func(n byte) access.Principal { return access.Principal{ID: model.ID{n}, Kind: model.User} }
	program := access.Principal{ID: model.ID{100}, Kind: model.ServiceAccount}
	staff, public := access.Principal{ID: model.Staff, Kind: model.BuiltInSet, Name: "staff"}, access.Principal{ID: model.Public, Kind: model.BuiltInSet, Name: "public"}
	some := permissions(t, "fetch object")
	of := func(d access.Delta, who ...access.Principal) access.Effect {
		return access.Effect{Principals: who, Delta: d}
	}
	gains, loses := access.Delta{Gains: some}, access.Delta{Loses: some}
	for _, c := range []struct {
		effects []access.Effect
		says    string
	}{
		{nil, "Nobody's access changes now: the people it reaches hold all of it by other rules, or it reaches nobody yet."},
		{[]access.Effect{of(access.Delta{}, person(1))}, "Nobody's access changes now: the people it reaches hold all of it by other rules, or it reaches nobody yet."},
		{[]access.Effect{of(gains, person(1))}, "1 person would gain access."},
		{[]access.Effect{of(gains, person(1), person(2))}, "2 people would gain access."},
		{[]access.Effect{of(gains, person(1)), of(gains, person(1), person(2))}, "2 people would gain access."},
		{[]access.Effect{of(loses, person(1))}, "1 person would lose access."},
		{[]access.Effect{of(loses, person(1)), of(gains, person(2))}, "2 people would gain or lose access."},
		{[]access.Effect{of(gains, program)}, "1 program would gain access."},
		{[]access.Effect{of(gains, person(1), program)}, "1 person and 1 program would gain access."},
		{[]access.Effect{of(gains, staff)}, "Staff would gain access."},
		{[]access.Effect{of(gains, staff, person(1))}, "Staff and 1 person would gain access."},
		{[]access.Effect{{Outsiders: []access.Principal{public}, Delta: gains}}, "Anybody at all would gain access."},
		{[]access.Effect{of(access.Delta{MayGain: some}, person(1))}, "1 person would gain access, some of it conditional or starting later."},
		{[]access.Effect{{Outsiders: []access.Principal{public}, Principals: []access.Principal{person(1), program}, Delta: gains}}, "Anybody at all, among them 1 person and 1 program you know, would gain access."},
		{[]access.Effect{of(access.Delta{MayGain: some, Freed: some}, person(1))}, "1 person would gain access."},
		{[]access.Effect{of(access.Delta{MayLose: some}, person(1))}, "1 person would lose access, some of it conditional or starting later."},
		{[]access.Effect{of(access.Delta{Gains: some, MayGain: some}, person(1))}, "1 person would gain access, some of it conditional or starting later."},
		{[]access.Effect{of(access.Delta{Shifting: some}, person(1))}, "1 person would hold the same, on other conditions."},
	} {
		t.Run(c.says, func(t *testing.T) {
			require.Equal(t, c.says, impactWords(c.effects))
		})
	}
}

// TestDigestsTellImpactsApart alters one thing of an impact after another: each has another digest, but for what is given anew
// with every plan.
func TestDigestsTellImpactsApart(t *testing.T) {
	whole := func() Impact {
		return Impact{
			Words: "1 person would gain access.", Warnings: []string{"careful"}, Advice: []Advice{{Words: "better"}}, Hidden: 1,
			Effects: []EffectView{{
				Effect: access.Effect{Principals: []access.Principal{{ID: model.ID{1}, Kind: model.User, Name: "ines"}}, Part: access.Whole, Beneath: 3},
				At:     tenant.Ref{ID: model.ID{9}, Address: "lindenmere/science"}, Gains: []string{"fetch object"},
			}},
		}
	}
	seen := map[string]string{digestOf(whole()): "nothing"}
	for what, alter := range map[string]func(*Impact){
		"the words": func(i *Impact) { i.Words = "x" }, "a warning": func(i *Impact) { i.Warnings = nil }, "advice": func(i *Impact) { i.Advice = nil }, "what is hidden": func(i *Impact) { i.Hidden = 0 },
		"who": func(i *Impact) { i.Effects[0].Principals[0].Name = "piotr" }, "their kind": func(i *Impact) { i.Effects[0].Principals[0].Kind = model.Guest },
		"where": func(i *Impact) { i.Effects[0].At.Address = "lindenmere" }, "how far": func(i *Impact) { i.Effects[0].Part = access.Alone }, "how much is beneath": func(i *Impact) { i.Effects[0].Beneath = 4 },
		"what is gained": func(i *Impact) { i.Effects[0].Gains = []string{"put object"} }, "gained under a condition": func(i *Impact) { i.Effects[0].MayGain = i.Effects[0].Gains },
		"lost": func(i *Impact) { i.Effects[0].Loses = i.Effects[0].Gains }, "lost under a condition": func(i *Impact) { i.Effects[0].MayLose = i.Effects[0].Gains },
		"shifting": func(i *Impact) { i.Effects[0].Shifting = i.Effects[0].Gains }, "an effect less": func(i *Impact) { i.Effects = nil },
		"gained and lost changed round": func(i *Impact) { i.Effects[0].Gains, i.Effects[0].Loses = nil, i.Effects[0].Gains },
	} {
		t.Run(what, func(t *testing.T) {
			impact := whole()
			alter(&impact)
			digest := digestOf(impact)
			require.Empty(t, seen[digest], "%s has the digest of %s", what, seen[digest])
			seen[digest] = what
		})
	}
	same := whole()
	same.Revision, same.Effects[0].Principals[0].ID, same.Effects[0].At.ID = 7, model.ID{2}, model.ID{8}
	require.Equal(t, "nothing", seen[digestOf(same)], "ids are given anew with every plan")
	require.Regexp(t, `^7\.[0-9a-f]{16}$`, Impact{Revision: 7, digest: digestOf(same)}.Confirmation())
}

// TestNamesInARow writes names as a sentence has them.
func TestNamesInARow(t *testing.T) {
	for want, names := range map[string][]string{
		"a": {"a"}, "a and b": {"a", "b"}, "a, b and c": {"a", "b", "c"}, "a, b, c and 2 more": {"a", "b", "c", "d", "e"},
	} {
		t.Run(want, func(t *testing.T) {
			require.Equal(t, want, inARow(names, 3))
		})
	}
	names := []string{"a", "b", "c", "d", "e"}
	inARow(names, 3)
	require.Equal(t, []string{"a", "b", "c", "d", "e"}, names, "what was given stays")
	require.Nil(t, counted(0, "person", "people"))
	require.Equal(t, []string{"1 person"}, counted(1, "person", "people"))
	require.Equal(t, []string{"3 people"}, counted(3, "person", "people"))
}
