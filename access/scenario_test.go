package access_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// lay lays rules down as [TestRules] writes them.
func (w *world) lay(rules ...string) {
	w.t.Helper()
	for number, rule := range rules {
		if at, text, policy := strings.Cut(rule, ": "); policy {
			w.policy(at, fmt.Sprintf("rule-%d-%d", len(w.ids), number), text)
			continue
		}
		words := strings.Fields(rule)
		w.ids[rule] = w.grant(words[0], words[1], words[2])
	}
}

// tell writes an effect in a line: who, what of a few permissions, at what and how far.
func (w *world) tell(e access.Effect) string {
	var who []string
	for _, p := range slices.Concat(e.Principals, e.Outsiders) {
		who = append(who, p.Name)
	}
	slices.Sort(who)
	line := strings.Join(who, ",")
	for _, part := range []struct {
		word string
		set  catalogue.Set
	}{{"+", e.Gains}, {"+?", e.MayGain}, {"-", e.Loses}, {"-?", e.MayLose}, {"~", e.Shifting}} {
		if part.set.Len() > 0 {
			line += fmt.Sprintf(" %s%d", part.word, part.set.Len())
		}
	}
	if e.IsEmpty() {
		line += " keeps"
	}
	return line + " at " + w.now.Address(e.Scope.ID) + " " + string(e.Part)
}

// TestImpactInScenarios makes a change in a small house and reads who would gain (+) and lose (-) how many permissions where; a
// question mark stands for what hangs on something.
func TestImpactInScenarios(t *testing.T) {
	const inHouse, scans = "top/folder/house", "top/folder/house/scans.bucket"
	noon := time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	condition := func(text string) *statement.Condition {
		c, err := statement.ParseCondition(text)
		require.NoError(t, err)
		return c
	}
	grant := func(w *world, role, who, at string) access.Grant {
		return access.Grant{ID: newID(), Scope: w.ids[at], Principal: w.ids[who], Role: role}
	}
	for name, c := range map[string]struct {
		rules  []string
		change func(*world) access.Change
		says   []string
	}{
		"a grant to somebody who holds nothing": {nil, func(w *world) access.Change {
			return access.CreateGrant{Grant: grant(w, "content-reader", "bram", inHouse)}
		}, []string{"bram +2 at top/folder/house whole"}},
		"a grant of what is held from above": {[]string{"content-keeper bram top"}, func(w *world) access.Change {
			return access.CreateGrant{Grant: grant(w, "content-reader", "bram", inHouse)}
		}, nil},
		"a grant to a group, one of whom holds it": {[]string{"content-reader yuki top"}, func(w *world) access.Change {
			return access.CreateGrant{Grant: grant(w, "content-reader", "curators", inHouse)}
		}, []string{"ines +2 at top/folder/house whole"}},
		"a grant to a group with nobody in it": {nil, func(w *world) access.Change {
			w.ids["empty"] = newID()
			w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["empty"], Kind: model.Group, Name: "empty"}})
			return access.CreateGrant{Grant: grant(w, "content-reader", "empty", inHouse)}
		}, nil},
		"a grant beneath a never": {[]string{"top: user bram may never observe data of anything"}, func(w *world) access.Change {
			return access.CreateGrant{Grant: grant(w, "content-writer", "bram", inHouse)}
		}, []string{"bram +1 at top/folder/house whole"}},
		"a grant under a condition of the clock": {nil, func(w *world) access.Change {
			g := grant(w, "content-reader", "bram", inHouse)
			g.Condition = condition("context.hour is 12")
			return access.CreateGrant{Grant: g}
		}, []string{"bram +?2 at top/folder/house whole"}},
		"a grant under a condition that time has settled": {nil, func(w *world) access.Change {
			g := grant(w, "content-reader", "bram", inHouse)
			g.Condition = condition("context.time after 2020-01-01")
			return access.CreateGrant{Grant: g}
		}, []string{"bram +2 at top/folder/house whole"}},
		"a grant that begins later": {nil, func(w *world) access.Change {
			g := grant(w, "content-reader", "bram", inHouse)
			g.From = noon.AddDate(0, 1, 0)
			return access.CreateGrant{Grant: g}
		}, []string{"bram +?2 at top/folder/house whole"}},
		"a grant that has ended": {nil, func(w *world) access.Change {
			g := grant(w, "content-reader", "bram", inHouse)
			g.Until = noon.AddDate(0, -1, 0)
			return access.CreateGrant{Grant: g}
		}, nil},
		"a revocation with nothing else to fall back on": {[]string{"content-keeper bram top"}, func(w *world) access.Change {
			return access.RevokeGrant{ID: w.ids["content-keeper bram top"]}
		}, []string{"bram -4 at top whole"}},
		"a revocation with something narrower left": {[]string{"content-keeper bram top", "content-reader bram top/folder"}, func(w *world) access.Change {
			return access.RevokeGrant{ID: w.ids["content-keeper bram top"]}
		}, []string{"bram -4 at top whole", "bram -2 at top/folder whole"}},
		"a revocation of what may be cut, with something under a condition left": {[]string{
			"content-keeper bram top", `top: user bram may never destroy anything if context.location is "north"`, "top: user bram may erase object if context.hour is 12",
		}, func(w *world) access.Change {
			return access.RevokeGrant{ID: w.ids["content-keeper bram top"]}
		}, []string{"bram -3 ~1 at top whole"}},
		"a revocation of what may be cut, with the same from elsewhere": {[]string{
			"content-keeper bram top", "content-writer bram top", `top: user bram may never modify anything if context.location is "north"`,
		}, func(w *world) access.Change {
			return access.RevokeGrant{ID: w.ids["content-writer bram top"]}
		}, nil},
		"a revocation of what another grant gives too": {[]string{"content-reader bram top", "content-reader curators top"}, func(w *world) access.Change {
			require.NoError(t, w.join("bram", "curators"))
			return access.RevokeGrant{ID: w.ids["content-reader bram top"]}
		}, nil},
		"a membership": {[]string{"content-reader trust " + inHouse}, func(w *world) access.Change {
			return access.AddMember{Membership: access.Membership{Group: w.ids["curators"], Member: w.ids["yuki"]}}
		}, []string{"yuki +2 at top/folder/house whole"}},
		"a membership that brings a cut": {[]string{"content-keeper yuki top", "top/folder: curators may never destroy anything"}, func(w *world) access.Change {
			return access.AddMember{Membership: access.Membership{Group: w.ids["curators"], Member: w.ids["yuki"]}}
		}, []string{"yuki -1 at top/folder whole"}},
		"a member taken out": {[]string{"content-reader trust " + inHouse}, func(w *world) access.Change {
			return access.RemoveMember{Membership: access.Membership{Group: w.ids["curators"], Member: w.ids["ines"]}}
		}, []string{"ines -2 at top/folder/house whole"}},
		"somebody suspended": {[]string{"content-reader bram " + inHouse}, func(w *world) access.Change {
			return access.SetInactive{ID: w.ids["bram"], Inactive: true}
		}, []string{"bram -2 at top/folder/house whole"}},
		"a group retired": {[]string{"content-reader trust " + inHouse}, func(w *world) access.Change {
			return access.SetInactive{ID: w.ids["trust"], Inactive: true}
		}, []string{"ines -2 at top/folder/house whole"}},
		"a scope retired": {[]string{"content-reader bram " + inHouse}, func(w *world) access.Change {
			return access.RetireScope{ID: w.ids[scans]}
		}, []string{"bram -1 at top/folder/house/scans.bucket whole", "rowan -10 at top/folder/house/scans.bucket whole"}},
		"a bucket moved beneath another grant": {[]string{"content-reader bram top/folder/house/attic"}, func(w *world) access.Change {
			return access.MoveScope{ID: w.ids[scans], Parent: w.ids["top/folder/house/attic"]}
		}, []string{"bram +2 at top/folder/house/scans.bucket whole"}},
		"a tag that a condition asks for": {nil, func(w *world) access.Change {
			g := grant(w, "content-reader", "bram", "top")
			g.Condition = condition(`resource.tag.care is "high"`)
			w.must(access.CreateGrant{Grant: g})
			return access.TagScope{ID: w.ids[scans], Tags: map[string]string{"care": "high"}}
		}, []string{"bram +2 at top/folder/house/scans.bucket alone"}},
		"a tag of a person that a condition asks for": {nil, func(w *world) access.Change {
			g := grant(w, "content-reader", "trust", inHouse)
			g.Condition = condition(`subject.tag.team is "seeds"`)
			w.must(access.CreateGrant{Grant: g})
			return access.TagPrincipal{ID: w.ids["ines"], Tags: map[string]string{"team": "seeds"}}
		}, []string{"ines +2 at top/folder/house whole"}},
		"a statement about all staff": {nil, func(w *world) access.Change {
			return w.put(inHouse, "staff may observe data of storage")
		}, []string{"staff +2 at top/folder/house whole"}},
		"a statement that cuts all staff": {[]string{"content-keeper bram top", "content-keeper yuki top"}, func(w *world) access.Change {
			return w.put("top/folder", "staff may never destroy data of storage")
		}, []string{"bram,yuki -1 at top/folder whole"}},
		"a grant to the public": {nil, func(w *world) access.Change {
			w.ids["public"] = model.Public
			return access.CreateGrant{Grant: grant(w, "content-reader", "public", scans)}
		}, []string{"public +2 at top/folder/house/scans.bucket whole"}},
		"a statement for a place alone": {[]string{"content-keeper bram top"}, func(w *world) access.Change {
			return w.put("top/folder", "at house/scans.bucket: user bram may never destroy anything")
		}, []string{"bram -1 at top/folder/house/scans.bucket alone"}},
	} {
		t.Run(name, func(t *testing.T) {
			w := house(t)
			w.lay(c.rules...)
			effects, err := w.now.Impact(&access.Context{Time: noon}, c.change(w))
			require.NoError(t, err)
			var says []string
			for _, e := range effects {
				says = append(says, w.tell(e))
			}
			require.ElementsMatch(t, c.says, says)
		})
	}
}

// put returns the change that puts a policy of one statement.
func (w *world) put(at, text string) access.Change {
	statements, _, err := access.Reader{Snapshot: w.now, Scope: w.ids[at]}.ParsePolicy(text)
	require.NoError(w.t, err)
	return access.PutPolicy{Policy: statement.Policy{ID: newID(), Scope: w.ids[at], Name: "put", Statements: statements}}
}

// TestStepsInScenarios asks what would turn a no, and reads the ways: those that add least first, privileged roles last.
func TestStepsInScenarios(t *testing.T) {
	const scans = "top/folder/house/scans.bucket"
	for name, c := range map[string]struct {
		rules    []string
		question string
		first    []string
	}{
		"a role, the narrowest first":                {nil, "bram fetch object " + scans, []string{"content-reader at " + scans, "content-writer at " + scans, "content-keeper at " + scans}},
		"a group that holds it before a wider role":  {[]string{"content-reader curators top/folder"}, "bram fetch object " + scans, []string{"into curators"}},
		"a statement that cuts it is lifted":         {[]string{"content-keeper bram top", "top/folder: user bram may never destroy anything"}, "bram erase object " + scans, []string{"lift"}},
		"two statements that cut it are too many":    {[]string{"content-keeper bram top", "top: user bram may never destroy anything", "top/folder: user bram may never destroy anything"}, "bram erase object " + scans, nil},
		"nothing when it is held already":            {[]string{"content-reader bram top"}, "bram fetch object " + scans, nil},
		"nothing where it means nothing":             {nil, "bram fetch object top/folder/house/mister.machine", nil},
		"of roles that hold the same, the humbler":   {nil, "bram edit bucket " + scans, []string{"storage-builder at " + scans, "builder at " + scans, "steward at " + scans}},
		"an operation takes the service's own role":  {nil, "bram start machine top/folder/house/mister.machine", []string{"compute-operator at top/folder/house/mister.machine"}},
		"to govern takes a privileged role, at last": {nil, "bram create grant " + scans, []string{"access-manager at " + scans}},
	} {
		t.Run(name, func(t *testing.T) {
			w := house(t)
			w.lay(c.rules...)
			words := strings.Fields(c.question)
			q := access.Question{Principal: w.ids[words[0]], Permission: catalogue.Shipped().MustPermission(words[1] + " " + words[2]), Scope: w.ids[words[3]]}
			var says []string
			for _, step := range w.now.StepsTo(q, 20) {
				switch {
				case step.Group != nil:
					says = append(says, "into "+step.Group.Name)
				case step.Role != nil:
					says = append(says, step.Role.Name+" at "+w.now.Address(step.Scope))
				default:
					says = append(says, "lift")
				}
			}
			if len(c.first) == 0 {
				require.Empty(t, says)
				return
			}
			require.GreaterOrEqual(t, len(says), len(c.first), says)
			require.Equal(t, c.first, says[:len(c.first)])
		})
	}
}

// TestGainsInScenarios has somebody who governs a part of the house give what they may not: for certain, under a condition, for
// later, by a group, by a move or by a role's new definition.
func TestGainsInScenarios(t *testing.T) {
	const inHouse = "top/folder/house"
	moment := &access.Context{Time: time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)}
	for name, c := range map[string]struct {
		rules   []string // yuki makes the change
		change  func(*world) access.Change
		exceeds string // the permission that is too much; empty when she may
	}{
		"what she holds":                  {[]string{"steward yuki " + inHouse}, func(w *world) access.Change { return w.gives("observer", "bram", inHouse, "") }, ""},
		"data, by grant-beyond":           {[]string{"steward yuki " + inHouse}, func(w *world) access.Change { return w.gives("content-reader", "bram", inHouse, "") }, ""},
		"to govern, as a steward":         {[]string{"steward yuki " + inHouse}, func(w *world) access.Change { return w.gives("steward", "bram", inHouse, "") }, ""},
		"to govern, as an access manager": {[]string{"access-manager yuki " + inHouse}, func(w *world) access.Change { return w.gives("people-manager", "bram", inHouse, "") }, "create service-account"},
		"above what she holds":            {[]string{"steward yuki " + inHouse}, func(w *world) access.Change { return w.gives("observer", "bram", "top/folder", "") }, "list folder"},
		"at an hour that is not now":      {[]string{"access-manager yuki " + inHouse}, func(w *world) access.Change { return w.gives("people-manager", "yuki", inHouse, "context.hour is 3") }, "create service-account"},
		"from another network": {[]string{"access-manager yuki " + inHouse}, func(w *world) access.Change {
			return w.gives("people-manager", "yuki", inHouse, `context.ip within "10.0.0.0/8"`)
		}, "create service-account"},
		"by what a provider says": {[]string{"access-manager yuki " + inHouse}, func(w *world) access.Change {
			return w.gives("people-manager", "yuki", inHouse, `claim.team is "seeds"`)
		}, "create service-account"},
		"on a tag that nothing has yet": {[]string{"access-manager yuki " + inHouse}, func(w *world) access.Change {
			return w.gives("people-manager", "yuki", inHouse, `resource.tag.care is "high"`)
		}, "create service-account"},
		"when time has passed it already": {[]string{"access-manager yuki " + inHouse}, func(w *world) access.Change {
			return w.gives("people-manager", "yuki", inHouse, "context.time before 2020-01-01")
		}, ""},
		"to a group with nobody in it": {[]string{"access-manager yuki " + inHouse}, func(w *world) access.Change { return w.gives("people-manager", "trust", inHouse, "") }, "create service-account"},
		"to people from anywhere": {[]string{"access-manager yuki " + inHouse}, func(w *world) access.Change {
			return w.put(inHouse, "people from quaywater-sso may act as people-manager")
		}, "create service-account"},
		"by membership in what others govern": {[]string{"access-manager yuki " + inHouse, "steward trust top"}, func(w *world) access.Change {
			return access.AddMember{Membership: access.Membership{Group: w.ids["trust"], Member: w.ids["yuki"]}}
		}, "create user"},
		"by a move under what others were given": {[]string{"builder yuki top", "steward bram top/other"}, func(w *world) access.Change {
			return access.MoveScope{ID: w.ids["top/folder/house/attic"], Parent: w.ids["top/other"]}
		}, "create service-account"},
		"a cut, which gives nothing": {[]string{"access-manager yuki " + inHouse}, func(w *world) access.Change { return w.put(inHouse, "user bram may never do anything") }, ""},
	} {
		t.Run(name, func(t *testing.T) {
			w := house(t)
			w.lay(c.rules...)
			excess, found, err := w.now.Exceeds(access.Maker{ID: w.ids["yuki"], Now: moment}, c.change(w))
			require.NoError(t, err)
			require.Equal(t, c.exceeds != "", found, "%+v", excess)
			if found {
				require.True(t, catalogue.Shipped().Governing().Has(excess.Permission) || strings.Contains(c.exceeds, "list"), "%s", catalogue.Shipped().Operation(excess.Permission))
			}
		})
	}
}

// TestGainsWhenClocksShift has somebody who may do something at some hours give it at others. Oslo is an hour ahead of UTC in
// winter, when the change is made, and two in summer; Kathmandu is five and three quarters ahead.
func TestGainsWhenClocksShift(t *testing.T) {
	const at = "top/folder/house"
	moment := &access.Context{Time: time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)}
	for _, c := range []struct {
		held, given string
		exceeds     bool
	}{
		{"context.hour is 8", `context.hour("Europe/Oslo") is 9`, true}, // seven by UTC, in summer
		{"context.hour is 8", `context.hour("Europe/Oslo") is 9 and context.hour is 8`, false},
		{"context.hour >= 7 and context.hour < 9", `context.hour("Europe/Oslo") is 9`, false},
		{`context.hour("Europe/Oslo") is 9`, "context.hour is 8", true}, // ten in Oslo, in summer
		{`context.hour("Europe/Oslo") >= 9 and context.hour("Europe/Oslo") < 11`, "context.hour is 8", false},
		{"context.hour is 2", `context.hour("Asia/Kathmandu") is 8`, true}, // a quarter past two to a quarter past three
		{"context.hour >= 2 and context.hour <= 3", `context.hour("Asia/Kathmandu") is 8`, false},
		{`context.hour("Europe/Oslo") is 9`, `context.hour("Europe/Stockholm") is 9`, false},
		{`context.weekday is "monday"`, `context.weekday("Europe/Oslo") is "monday"`, true},
		{`context.weekday("Europe/Oslo") is "monday"`, `context.weekday is "monday" and context.hour < 22`, false},
		{`context.weekday("Europe/Oslo") is "monday"`, `context.weekday is "monday" and context.hour < 23`, true}, // in summer
	} {
		t.Run(c.held+" gives "+c.given, func(t *testing.T) {
			w := house(t)
			w.must(w.gives("people-manager", "yuki", at, c.held))
			excess, found, err := w.now.Exceeds(access.Maker{ID: w.ids["yuki"], Now: moment}, w.gives("people-manager", "bram", at, c.given))
			require.NoError(t, err)
			require.Equal(t, c.exceeds, found, "%+v", excess)
			require.False(t, excess.Unsure)
		})
	}
}

// gives makes a grant, under a condition if one is written.
func (w *world) gives(role, who, at, condition string) access.Change {
	g := access.Grant{ID: newID(), Scope: w.ids[at], Principal: w.ids[who], Role: role}
	if condition != "" {
		var err error
		g.Condition, err = statement.ParseCondition(condition)
		require.NoError(w.t, err)
	}
	return access.CreateGrant{Grant: g}
}
