package access_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// house returns a world with top/folder/house, scans.bucket and mister.machine in it, a compartment house/attic with a bucket of
// its own, and top/other beside the folder. ines is in curators, which is in trust.
func house(t *testing.T) *world {
	w := newWorld(t)
	for _, name := range []string{"ines", "yuki"} {
		w.ids[name] = newID()
		w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids[name], Kind: model.User, Name: name}})
	}
	w.outside("quaywater-sso", "ilka", nil)
	w.ids["juno"] = newID()
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["juno"], Kind: model.Guest, Name: "juno@quaywater.example"}})
	require.NoError(t, w.join("ines", "curators"))
	require.NoError(t, w.join("curators", "trust"))
	for _, each := range []struct {
		address string
		kind    model.Kind
	}{
		{"top/folder/house", model.Project}, {"top/folder/house/scans.bucket", model.Resource}, {"top/folder/house/mister.machine", model.Resource},
		{"top/folder/house/attic", model.Compartment}, {"top/folder/house/attic/old.bucket", model.Resource}, {"top/other", model.Project},
	} {
		w.create(each.address, each.kind)
	}
	return w
}

// TestRules lays rules down and asks who may do what: a rule is "ROLE WHO ADDRESS" for a grant, or "ADDRESS: TEXT" for a policy
// there; a question is "WHO OPERATION TYPE ADDRESS" and the reason it must be answered with.
func TestRules(t *testing.T) {
	const inHouse, scans, attic, old = "top/folder/house", "top/folder/house/scans.bucket", "top/folder/house/attic", "top/folder/house/attic/old.bucket"
	type asks map[string]access.Reason
	for name, c := range map[string]struct {
		rules []string
		asks  asks
	}{
		"nothing is given": {nil, asks{"bram describe project " + inHouse: access.NotGranted, "bram fetch object " + scans: access.NotGranted, "rowan edit bucket " + scans: access.Granted}},
		"a grant holds at its scope and beneath, not above or beside": {[]string{"builder bram " + inHouse}, asks{
			"bram edit project " + inHouse: access.Granted, "bram edit bucket " + old: access.Granted, "bram edit folder top/folder": access.NotGranted, "bram edit project top/other": access.NotGranted}},
		"a grant on a resource holds there alone": {[]string{"builder bram " + scans}, asks{
			"bram edit bucket " + scans: access.Granted, "bram edit bucket " + old: access.NotGranted, "bram describe project " + inHouse: access.NotGranted}},
		"the planes are apart": {[]string{"builder bram top", "content-keeper ines top"}, asks{
			"bram fetch object " + scans: access.NotGranted, "ines fetch object " + scans: access.Granted, "ines describe bucket " + scans: access.NotGranted}},
		"a narrower grant below removes nothing": {[]string{"builder bram top", "observer bram " + scans}, asks{"bram edit bucket " + scans: access.Granted}},
		"groups give at any depth": {[]string{"observer trust top/folder"}, asks{
			"ines describe bucket " + scans: access.Granted, "bram describe bucket " + scans: access.NotGranted, "ines edit bucket " + scans: access.NotGranted}},
		"a never cuts beneath its place": {[]string{"builder bram top", "top/folder: user bram may never destroy anything"}, asks{
			"bram retire bucket " + scans: access.Cut, "bram edit bucket " + scans: access.Granted, "bram retire project top/other": access.Granted}},
		"a never under a place cuts there alone": {[]string{"builder bram top", "top: under folder/house/attic: user bram may never modify anything"}, asks{
			"bram edit bucket " + old: access.Cut, "bram edit bucket " + scans: access.Granted, "bram describe bucket " + old: access.Granted}},
		"a never at a place spares what is beneath": {[]string{"builder bram top", "top: at folder/house: user bram may never modify anything"}, asks{
			"bram edit project " + inHouse: access.Cut, "bram edit bucket " + scans: access.Granted}},
		"who is excepted keeps it": {[]string{"builder bram top", "builder ines top", "top: everyone except curators may never destroy anything"}, asks{
			"bram retire bucket " + scans: access.Cut, "ines retire bucket " + scans: access.Granted}},
		"a never for a group cuts whoever is in it": {[]string{"builder ines top", "builder bram top", "top/folder: trust may never do anything to bucket"}, asks{
			"ines edit bucket " + scans: access.Cut, "ines edit project " + inHouse: access.Granted, "bram edit bucket " + scans: access.Granted}},
		"no grant below a cut gets round it": {[]string{"top: user bram may never destroy anything", "builder bram " + scans}, asks{"bram retire bucket " + scans: access.Cut, "bram edit bucket " + scans: access.Granted}},
		"a class in a never means both planes": {[]string{"content-keeper bram top", "top/folder: user bram may never destroy anything"}, asks{
			"bram erase object " + scans: access.Cut, "bram fetch object " + scans: access.Granted}},
		"a never about data leaves the bucket": {[]string{"content-keeper bram top", "builder bram top", "top/folder: user bram may never observe data of storage"}, asks{
			"bram fetch object " + scans: access.Cut, "bram describe bucket " + scans: access.Granted, "bram put object " + scans: access.Granted}},
		"an only caps to what it names": {[]string{"builder bram top", "top/folder: user bram may only observe, modify anything"}, asks{
			"bram edit bucket " + scans: access.Granted, "bram retire bucket " + scans: access.Cut, "bram start machine top/folder/house/mister.machine": access.Cut, "bram retire project top/other": access.Granted}},
		"an only gives nothing": {[]string{"top/folder: user bram may only observe anything"}, asks{"bram describe bucket " + scans: access.NotGranted}},
		"two onlys leave what both name": {[]string{"builder bram top", "top: user bram may only observe, modify anything", "top/folder: user bram may only modify, destroy anything"}, asks{
			"bram edit bucket " + scans: access.Granted, "bram describe bucket " + scans: access.Cut, "bram retire bucket " + scans: access.Cut}},
		"an only about types cuts the others": {[]string{"builder bram top", "top/folder: user bram may only do anything to storage"}, asks{
			"bram edit bucket " + scans: access.Granted, "bram edit project " + inHouse: access.Cut}},
		"a may gives an operation and nothing beside": {[]string{"top/folder: user bram may start, stop machine"}, asks{
			"bram start machine top/folder/house/mister.machine": access.Granted, "bram describe machine top/folder/house/mister.machine": access.NotGranted}},
		"a may gives a class on a service": {[]string{"top: user bram may observe, modify storage"}, asks{
			"bram edit bucket " + scans: access.Granted, "bram fetch object " + scans: access.NotGranted, "bram edit project " + inHouse: access.NotGranted}},
		"a may gives data where it says so": {[]string{"top: user bram may observe data of storage"}, asks{
			"bram fetch object " + scans: access.Granted, "bram describe bucket " + scans: access.NotGranted}},
		"a may gives roles": {[]string{"top/folder: curators may act as content-reader, storage-observer"}, asks{
			"ines fetch object " + scans: access.Granted, "ines describe bucket " + scans: access.Granted, "ines edit bucket " + scans: access.NotGranted}},
		"do anything means both planes": {[]string{"top/folder: user bram may do anything to storage"}, asks{
			"bram erase object " + scans: access.Granted, "bram retire bucket " + scans: access.Granted, "bram edit project " + inHouse: access.NotGranted}},
		"staff are the organisation's own": {[]string{"top: staff may act as observer"}, asks{
			"bram describe bucket " + scans: access.Granted, "juno describe bucket " + scans: access.NotGranted}},
		"guests are those from outside": {[]string{"top: guests may act as observer"}, asks{
			"juno describe bucket " + scans: access.Granted, "bram describe bucket " + scans: access.NotGranted}},
		"everyone is all whom it knows": {[]string{"top: everyone may act as observer"}, asks{
			"juno describe bucket " + scans: access.Granted, "bram describe bucket " + scans: access.Granted}},
		"public is known people too": {[]string{"content-reader public " + scans}, asks{
			"bram fetch object " + scans: access.Granted, "juno fetch object " + scans: access.Granted, "bram fetch object " + old: access.NotGranted}},
		"a cut for everyone cuts the public": {[]string{"content-reader public " + scans, "top: everyone may never observe data of anything"}, asks{"bram fetch object " + scans: access.Cut}},
		"whoever governs from above may mend a cut": {[]string{"top/folder: user rowan may never do anything"}, asks{
			"rowan edit bucket " + scans: access.Cut, "rowan edit policy " + inHouse: access.Granted, "rowan create grant " + inHouse: access.Granted}},
		"whoever governs within what is cut may not": {[]string{"steward bram " + inHouse, "top/folder: user bram may never do anything"}, asks{
			"bram edit policy " + inHouse: access.Cut, "bram edit bucket " + scans: access.Cut}},
		"what means nothing at a place is refused there": {[]string{"builder bram top"}, asks{"bram edit bucket top/folder/house/mister.machine": access.Meaningless}},
		"what cuts everybody cuts a group": {[]string{"builder curators top", "builder trust top", "top/folder: everyone except curators may never destroy anything", "top/other: public may never modify anything"}, asks{
			"curators retire bucket " + scans: access.Granted, "trust retire bucket " + scans: access.Cut, "trust edit project top/other": access.Cut, "trust edit bucket " + scans: access.Granted}},
		"what everybody is given is not given by a group": {[]string{"top: everyone may act as observer"}, asks{"curators describe bucket " + scans: access.NotGranted}},
		"an attic is beneath its house": {[]string{"observer bram " + attic, "top: under folder/house: user bram may never list bucket"}, asks{
			"bram list bucket " + old: access.Cut, "bram describe bucket " + old: access.Granted, "bram describe bucket " + scans: access.NotGranted}},
	} {
		t.Run(name, func(t *testing.T) {
			w := house(t)
			w.ids["public"] = model.Public
			for number, rule := range c.rules {
				if at, text, policy := strings.Cut(rule, ": "); policy {
					w.policy(at, "rule-"+string(rune('a'+number)), text)
				} else {
					words := strings.Fields(rule)
					w.grant(words[0], words[1], words[2])
				}
			}
			for question, reason := range c.asks {
				words := strings.Fields(question)
				d := w.ask(words[0], words[1]+" "+words[2], words[3])
				require.Equal(t, reason, d.Reason, question)
				require.Equal(t, reason == access.Granted, d.Allowed, question)
				if reason == access.Granted || reason == access.Cut {
					grant, statement := w.now.Rule(d.Rule)
					require.True(t, grant != nil || statement != nil, "%s: the rule that decides is named", question)
				}
			}
		})
	}
}

// TestExplainTellsWhatIsSo asks why of rules that are known not to hold though it is not known whom they mean, and of cuts that some
// rule from above escapes while another does not.
func TestExplainTellsWhatIsSo(t *testing.T) {
	const scans = "top/folder/house/scans.bucket"
	explain := func(w *world, who, permission, at string, c *access.Context) (access.Explanation, map[model.ID]access.Outcome) {
		e := w.now.Explain(access.Question{Principal: w.ids[who], Permission: catalogue.Shipped().MustPermission(permission), Scope: w.ids[at], Context: c})
		why := map[model.ID]access.Outcome{}
		for _, m := range e.Rules {
			if !m.Rule.Policy.IsZero() {
				why[m.Rule.Policy] = m.Outcome
				require.Equal(t, m.Outcome == access.Applies || m.Outcome == access.ConditionUnknown, m.Effective())
			}
		}
		return e, why
	}
	monday := access.Context{Time: time.Date(2026, 11, 30, 9, 0, 0, 0, time.UTC)}

	w := house(t)
	const ilka = "ilka@quaywater-sso" // who has not come yet
	w.outside("meadowside-sso", "wren", nil)
	w.ids["given"] = w.policy("top", "given", `people from quaywater-sso may observe bucket`)
	w.ids["sundays"] = w.policy("top", "sundays", `people from quaywater-sso with dept "trees" may never do anything if context.weekday is "sunday"`)
	w.ids["over"] = w.policy("top", "over", `people from quaywater-sso with dept "trees" may never do anything until 2026-11-29`)
	w.ids["mondays"] = w.policy("top", "mondays", `people from meadowside-sso may never do anything if context.weekday is "monday"`)
	e, why := explain(w, ilka, "describe bucket", scans, &monday)
	require.True(t, e.Allowed)
	require.Equal(t, map[model.ID]access.Outcome{
		w.ids["given"]: access.Applies, w.ids["sundays"]: access.ConditionFalse, w.ids["over"]: access.PeriodOver, w.ids["mondays"]: access.NotNamed,
	}, why)
	w.ids["claimed"] = w.policy("top", "claimed", `people from quaywater-sso with dept "trees" may never do anything if context.weekday is "monday"`)
	e, why = explain(w, ilka, "describe bucket", scans, &monday)
	require.Equal(t, access.Cut, e.Reason)
	require.Equal(t, w.ids["claimed"], e.Rule.Policy)
	require.Equal(t, access.ConditionUnknown, why[w.ids["claimed"]])

	w = house(t)
	w.grant("steward", "bram", "top")
	w.ids["only"] = w.policy("top/folder/house", "only", `user bram may only observe anything`)
	w.ids["never"] = w.policy("top", "never", `user bram may never create grant`)
	e, why = explain(w, "bram", "create grant", "top/folder/house", nil)
	require.Equal(t, access.Cut, e.Reason)
	require.Equal(t, w.ids["never"], e.Rule.Policy, "the cut that he cannot escape decides")
	require.Equal(t, map[model.ID]access.Outcome{w.ids["only"]: access.CannotCut, w.ids["never"]: access.Applies}, why)
}

// TestLossesAreWhatDecisionsCut: what lets somebody govern from above spares them what it takes to find what to repair, whichever of
// their grants gives that.
func TestLossesAreWhatDecisionsCut(t *testing.T) {
	const inHouse, scans = "top/folder/house", "top/folder/house/scans.bucket"
	w := house(t)
	w.grant("steward", "bram", "top")
	builder := w.grant("builder", "bram", inHouse)
	w.policy("top/folder", "none", "user bram may never do anything")
	lost := catalogue.Set{}
	for _, loss := range w.now.LossesOf(builder, w.ids[scans], nil) {
		lost = lost.Or(loss.Of)
	}
	for p := range w.now.Gives(access.RuleRef{Grant: builder}).And(w.now.Catalogue().MeaningAt("bucket")).All {
		d := w.now.Decide(access.Question{Principal: w.ids["bram"], Permission: p, Scope: w.ids[scans]})
		require.Equal(t, d.Reason == access.Cut, lost.Has(p), "%s: %s", w.now.Catalogue().Operation(p), d.Reason)
	}
	require.Positive(t, lost.Len())
}
