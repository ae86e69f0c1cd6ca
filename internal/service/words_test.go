package service

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/store"
)

// permissions gives a set of some permissions of the shipped catalogue.
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
		{nil, "Nobody would gain or lose anything now: whoever it reaches holds all of it by other rules, or it reaches nobody yet."},
		{[]access.Effect{of(access.Delta{}, person(1))}, "Nobody would gain or lose anything now: whoever it reaches holds all of it by other rules, or it reaches nobody yet."},
		{[]access.Effect{of(gains, person(1))}, "1 person would gain access."},
		{[]access.Effect{of(gains, person(1), person(2))}, "2 people would gain access."},
		{[]access.Effect{of(gains, person(1)), of(gains, person(1), person(2))}, "2 people would gain access."},
		{[]access.Effect{of(loses, person(1))}, "1 person would lose access."},
		{[]access.Effect{of(loses, person(1)), of(gains, person(2))}, "2 people would gain or lose access."},
		{[]access.Effect{of(gains, program)}, "1 program would gain access."},
		{[]access.Effect{of(gains, person(1), program)}, "1 person and 1 program would gain access."},
		{[]access.Effect{of(gains, staff)}, "Staff would gain access."},
		{[]access.Effect{of(gains, staff, person(1))}, "Staff and 1 person would gain access."},
		{[]access.Effect{{Outsiders: []access.Principal{public}, Delta: gains}}, "Public would gain access."},
		{[]access.Effect{of(access.Delta{MayGain: some}, person(1))}, "1 person would gain access, some of it under a condition or from a later moment on."},
		{[]access.Effect{of(access.Delta{MayLose: some}, person(1))}, "1 person would lose access, some of it under a condition or from a later moment on."},
		{[]access.Effect{of(access.Delta{Gains: some, MayGain: some}, person(1))}, "1 person would gain access, some of it under a condition or from a later moment on."},
		{[]access.Effect{of(access.Delta{Shifting: some}, person(1))}, "1 person would hold the same, under other conditions."},
	} {
		require.Equal(t, c.says, impactWords(c.effects))
	}
}

// TestDigestsTellImpactsApart alters one thing of an impact after another: each has another digest, but for what is given anew
// with every plan.
func TestDigestsTellImpactsApart(t *testing.T) {
	whole := func() Impact {
		return Impact{
			Words: "1 person would gain access.", Warnings: []string{"careful"}, Advice: []string{"better"}, Hidden: 1,
			Effects: []EffectView{{
				Effect: access.Effect{Principals: []access.Principal{{ID: model.ID{1}, Kind: model.User, Name: "ines"}}, Part: access.Whole, Beneath: 3},
				At:     Ref{ID: model.ID{9}, Address: "lindenmere/science"}, Gains: []string{"fetch object"},
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
		impact := whole()
		alter(&impact)
		digest := digestOf(impact)
		require.Empty(t, seen[digest], "%s has the digest of %s", what, seen[digest])
		seen[digest] = what
	}
	same := whole()
	same.Revision, same.Effects[0].Principals[0].ID, same.Effects[0].At.ID = 7, model.ID{2}, model.ID{8}
	require.Equal(t, "nothing", seen[digestOf(same)], "ids are given anew with every plan")
	require.Regexp(t, `^7\.[0-9a-f]{16}$`, Impact{Revision: 7, digest: digestOf(same)}.Confirmation())
}

// TestPages cuts lists into pages and finds every item once, in order.
func TestPages(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		all := make([]uint64, rapid.IntRange(0, 30).Draw(r, "items"))
		for i := range all {
			all[i] = uint64(len(all) - i) // newest first, none at 0
		}
		limit := rapid.IntRange(1, 12).Draw(r, "limit")
		var got []uint64
		for before := uint64(len(all) + 1); before != 0; {
			var found []uint64
			for _, n := range all {
				if n < before && len(found) < limit+1 {
					found = append(found, n)
				}
			}
			var page []uint64
			page, before = pageOf(found, limit, func(n uint64) uint64 { return n })
			require.LessOrEqual(r, len(page), limit)
			require.True(r, before == 0 || len(page) == limit, "a page that is not the last is full")
			got = append(got, page...)
		}
		require.Equal(r, len(all), len(got))
		for i := range all {
			require.Equal(r, all[i], got[i])
		}
	})
}

// TestCursors writes where a search's page ended and reads it again; whatever else is sent is refused.
func TestCursors(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		f := store.Found{Term: rapid.String().Draw(r, "term")}
		copy(f.ID[:], rapid.SliceOfN(rapid.Byte(), len(f.ID), len(f.ID)).Draw(r, "id"))
		read, err := readCursor(cursor(f))
		require.NoError(r, err)
		require.Equal(r, f, read)
	})
	read, err := readCursor("")
	require.NoError(t, err)
	require.Zero(t, read)
	for _, text := range []string{"!", "AAAA", strings.Repeat("=", 30), "Ünïcödé"} {
		_, err := readCursor(text)
		require.ErrorContains(t, err, "the cursor is none that a page gave", text)
	}
}

// TestNamesInARow writes names as a sentence has them.
func TestNamesInARow(t *testing.T) {
	for want, names := range map[string][]string{
		"a": {"a"}, "a and b": {"a", "b"}, "a, b and c": {"a", "b", "c"}, "a, b, c and 2 more": {"a", "b", "c", "d", "e"},
	} {
		require.Equal(t, want, inARow(names, 3))
	}
	names := []string{"a", "b", "c", "d", "e"}
	inARow(names, 3)
	require.Equal(t, []string{"a", "b", "c", "d", "e"}, names, "what was given stays")
	require.Nil(t, counted(0, "person", "people"))
	require.Equal(t, []string{"1 person"}, counted(1, "person", "people"))
	require.Equal(t, []string{"3 people"}, counted(3, "person", "people"))
}

// TestLinesOfText refuses what would break out of a line, or look like something else.
func TestLinesOfText(t *testing.T) {
	for _, fine := range []string{"", "Seed vault", "Öl und Wasser", "日本語", `quotes " and ' and \`, "<b>not markup</b>", "a\u00a0b", "emoji 🌱"} {
		require.NoError(t, checkLine("title", "the title", fine), "%q", fine)
	}
	for name, wrong := range map[string]string{
		"a new line": "a\nb", "a return": "a\rb", "a tab": "a\tb", "a null": "a\x00b", "an escape": "a\x1b[31mb", "a delete": "a\x7fb", "a line separator": "a\u2028b", "a paragraph separator": "a\u2029b",
		"right to left": "a\u202eb", "an isolate": "a\u2066b", "a mark": "a\u200fb", "not UTF-8": "a\xffb",
	} {
		err := checkLine("title", "the title", wrong)
		require.Error(t, err, name)
		var p *Problem
		require.ErrorAs(t, err, &p, name)
		require.Equal(t, "title", p.Field)
		require.NotEmpty(t, p.Next, name)
	}
}

// TestANoInWords tells a no by what comes near: one by one where it is little, and in short where it is much.
func TestANoInWords(t *testing.T) {
	granted := func(role, at, words string) MetView {
		return MetView{Why: access.OtherPermission, Words: words, Rule: RuleView{At: Ref{Address: at}, Grant: &GrantView{Role: &catalogue.Role{RoleDefinition: catalogue.RoleDefinition{Name: role}}}}}
	}
	said := MetView{Why: access.OtherPermission, Words: "is not about it", Rule: RuleView{At: Ref{Address: "lindenmere"}, Statement: &StatementView{Text: `staff may put object if context.location is "north"`}}}
	apart := func(role string) MetView {
		m := granted(role, "lindenmere", "does not hold it: it is about "+planesApart)
		m.Why = access.OtherPlane
		return m
	}
	reader := granted("content-reader", "lindenmere/science", "does not hold it")
	cut := MetView{Why: access.Applies, Cuts: true, Words: "cuts it off", Rule: reader.Rule}
	strange := MetView{Why: access.NotNamed, Words: "does not name them", Rule: reader.Rule}
	for _, c := range []struct {
		met  []MetView
		says string
	}{
		{nil, "nothing is given to piotr there or above, and what is not given is denied."},
		{[]MetView{strange, cut}, "nothing is given to piotr there or above, and what is not given is denied."},
		{[]MetView{reader}, "content-reader from lindenmere/science does not hold it."},
		{[]MetView{reader, strange, said}, `content-reader from lindenmere/science does not hold it; “staff may put object if context.location is "north"” from lindenmere is not about it.`},
		{[]MetView{reader, reader, said}, "none of the 3 rules for piotr there and above gives it."},
		{[]MetView{reader, apart("observer"), said}, "none of the 3 rules for piotr there and above gives it; what observer would give is on the other plane, and control and data are apart."},
		{[]MetView{apart("observer"), apart("builder"), said, apart("observer")}, "none of the 4 rules for piotr there and above gives it; what builder and observer would give is on the other plane, and control and data are apart."},
	} {
		a := Answer{Permission: "erase object", Principal: access.Principal{Kind: model.User, Name: "piotr"}, Scope: Ref{Address: "lindenmere/science/scans.bucket"}, Met: c.met}
		a.Reason = access.NotGranted
		require.Equal(t, "No, piotr may not erase object at lindenmere/science/scans.bucket: "+c.says, words(a))
	}
}
