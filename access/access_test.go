package access_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// world is a small organisation that tests change by names.
type world struct {
	t   *testing.T
	now *access.Snapshot
	ids map[string]model.ID // of scopes by address, principals by name
}

// newWorld has a steward rowan, a user bram, a group curators, and top/folder.
func newWorld(t *testing.T) *world {
	w := &world{t: t, now: access.New(catalogue.Shipped()), ids: map[string]model.ID{}}
	w.create("top", model.Organisation)
	w.create("top/folder", model.Folder)
	for name, kind := range map[string]model.PrincipalKind{"rowan": model.User, "bram": model.User, "curators": model.Group, "trust": model.Group} {
		w.ids[name] = newID()
		w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids[name], Kind: kind, Name: name}})
	}
	w.grant("steward", "rowan", "top")
	return w
}

// outside enters an outside person by a provider, which comes into being with the first: their subject is their name and "-1".
func (w *world) outside(provider, name string, claims map[string][]string) string {
	if _, there := w.ids[provider]; !there {
		w.ids[provider] = newID()
		if err := w.try(access.CreatePrincipal{Principal: access.Principal{ID: w.ids[provider], Kind: model.Provider, Name: provider}}); err != nil {
			panic(err)
		}
	}
	who := access.Principal{ID: newID(), Kind: model.OutsidePerson, Name: name + "@" + provider, Provider: w.ids[provider], Subject: name + "-1", Claims: claims}
	if err := w.try(access.CreatePrincipal{Principal: who}); err != nil {
		panic(err)
	}
	w.ids[who.Name] = who.ID
	return who.Name
}

func (w *world) try(changes ...access.Change) error {
	next, err := w.now.With(w.now.Revision()+1, changes...)
	if err == nil {
		w.now = next
	}
	return err
}

func (w *world) must(changes ...access.Change) {
	w.t.Helper()
	require.NoError(w.t, w.try(changes...))
}

func (w *world) scope(address string, kind model.Kind) access.CreateScope {
	parent, last := model.SplitAddress(address)
	name, typeName := model.SplitFullName(last)
	id := newID()
	if _, taken := w.ids[address]; !taken {
		w.ids[address] = id
	}
	return access.CreateScope{Scope: model.Scope{ID: id, Parent: w.ids[parent], Kind: kind, Name: name, Type: typeName}}
}

func (w *world) create(address string, kind model.Kind) {
	w.t.Helper()
	w.must(w.scope(address, kind))
}

func (w *world) grant(role, who, at string) model.ID {
	w.t.Helper()
	id := newID()
	w.must(access.CreateGrant{Grant: access.Grant{ID: id, Scope: w.ids[at], Principal: w.ids[who], Role: role}})
	return id
}

// policy puts a policy written as text.
func (w *world) policy(at, name, text string) model.ID {
	w.t.Helper()
	statements, notes, err := access.Reader{Snapshot: w.now, Scope: w.ids[at]}.ParsePolicy(text)
	require.NoError(w.t, err)
	id := newID()
	w.must(access.PutPolicy{Policy: statement.Policy{ID: id, Scope: w.ids[at], Name: name, Statements: statements, Notes: notes}})
	return id
}

func (w *world) join(member, group string) error {
	return w.try(access.AddMember{Membership: access.Membership{Group: w.ids[group], Member: w.ids[member]}})
}

func (w *world) ask(who, permission, at string) access.Decision {
	p := catalogue.Shipped().MustPermission(permission)
	return w.now.Decide(access.Question{Principal: w.ids[who], Permission: p, Scope: w.ids[at]})
}

func (w *world) may(who, permission, at string) bool { return w.ask(who, permission, at).Allowed }

func TestAccessAddsUpDownTheTree(t *testing.T) {
	w := newWorld(t)
	w.create("top/folder/house", model.Project)
	w.create("top/folder/house/log.bucket", model.Resource)
	require.Equal(t, access.NotGranted, w.ask("bram", "describe bucket", "top/folder/house/log.bucket").Reason)

	builder := w.grant("builder", "curators", "top/folder")
	require.False(t, w.may("bram", "edit bucket", "top/folder/house/log.bucket"))
	require.NoError(t, w.join("bram", "curators"))
	decision := w.ask("bram", "edit bucket", "top/folder/house/log.bucket")
	require.True(t, decision.Allowed)
	require.Equal(t, builder, decision.Rule.Grant)
	require.Equal(t, w.ids["top/folder"], decision.Origin)

	observer := w.grant("observer", "bram", "top/folder/house/log.bucket")
	require.True(t, w.may("bram", "edit bucket", "top/folder/house/log.bucket"), "a narrower grant takes nothing away")
	require.Equal(t, observer, w.ask("bram", "describe bucket", "top/folder/house/log.bucket").Rule.Grant, "the nearest grant decides")

	w.must(access.RevokeGrant{ID: builder})
	require.False(t, w.may("bram", "edit bucket", "top/folder/house/log.bucket"))
	require.True(t, w.may("bram", "describe bucket", "top/folder/house/log.bucket"))
	require.False(t, w.may("bram", "describe project", "top/folder/house"))
}

func TestPlanesAreApart(t *testing.T) {
	w := newWorld(t)
	w.create("top/folder/house", model.Project)
	w.create("top/folder/house/log.bucket", model.Resource)
	require.False(t, w.may("rowan", "fetch object", "top/folder/house/log.bucket"), "a steward holds the control plane only")
	w.grant("content-reader", "bram", "top/folder/house/log.bucket")
	require.True(t, w.may("bram", "fetch object", "top/folder/house/log.bucket"))
	require.False(t, w.may("bram", "erase object", "top/folder/house/log.bucket"))
	require.Equal(t, access.Meaningless, w.ask("rowan", "start machine", "top/folder/house/log.bucket").Reason)
}

func TestWhatIsNotOfferedIsNotHeld(t *testing.T) {
	w := newWorld(t)
	w.create("top/folder/house", model.Project)
	w.create("top/other", model.Project)
	w.must(access.OfferServices{ID: w.ids["top/folder"], Services: []string{"storage"}})
	require.Equal(t, access.NotOffered, w.ask("rowan", "create machine", "top/folder/house").Reason)
	require.True(t, w.may("rowan", "create bucket", "top/folder/house"))
	require.True(t, w.may("rowan", "create grant", "top/folder/house"), "what is Arbora's own is there always")
	require.True(t, w.may("rowan", "create machine", "top/other"))
	require.NotContains(t, w.now.PermissionsOf(w.ids["top/folder"], func(*catalogue.Type) bool { return true }), catalogue.Shipped().MustPermission("create machine"))
	w.must(access.OfferServices{ID: w.ids["top/folder"]})
	require.True(t, w.may("rowan", "create machine", "top/folder/house"))
}

func TestRetiredScopesAndInactivePeople(t *testing.T) {
	w := newWorld(t)
	w.create("top/folder/house", model.Project)
	w.must(access.RetireScope{ID: w.ids["top/folder"]})
	require.Equal(t, access.Retired, w.ask("rowan", "edit project", "top/folder/house").Reason)
	require.True(t, w.may("rowan", "describe project", "top/folder/house"))
	require.True(t, w.may("rowan", "restore folder", "top/folder"))
	w.must(access.RestoreScope{ID: w.ids["top/folder"]})
	require.True(t, w.may("rowan", "edit project", "top/folder/house"))

	w.ids["gone"] = newID()
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["gone"], Kind: model.User, Name: "gone", Inactive: true}})
	w.grant("steward", "gone", "top")
	require.Equal(t, access.Inactive, w.ask("gone", "describe folder", "top/folder").Reason)
	require.True(t, w.now.View(w.ids["gone"], nil).Empty())
}

// TestViolations holds each rule's message: what is wrong and what would be right.
func TestViolations(t *testing.T) {
	w := newWorld(t)
	w.create("top/folder/house", model.Project)
	w.create("top/folder/house/cellar", model.Compartment)
	w.create("top/folder/house/log.bucket", model.Resource)
	require.NoError(t, w.join("bram", "curators"))
	require.NoError(t, w.join("curators", "trust"))
	deep := "top"
	for range model.MaxDepth - 1 {
		deep += "/deeper"
		w.create(deep, model.Folder)
	}
	first := w.now.GrantsFor(w.ids["rowan"])[0]
	member := func(member, group string) access.AddMember {
		return access.AddMember{Membership: access.Membership{Group: w.ids[group], Member: w.ids[member]}}
	}
	for _, c := range []struct {
		change access.Change
		rule   model.Rule
		says   string
	}{
		{w.scope("top/Folder", model.Folder), model.RuleName, `"Folder" is not a valid name: use 1 to 63 lower-case letters`},
		{w.scope("top/-a", model.Folder), model.RuleName, `with a letter or digit at both ends`},
		{w.scope("top/"+strings.Repeat("a", 64), model.Folder), model.RuleName, "1 to 63"},
		{w.scope("top/folder", model.Folder), model.RuleTaken, "top already has something called folder: choose another name"},
		{w.scope("top/x.bucket", model.Resource), model.RulePlacement, "a bucket cannot be in an organisation: it belongs in a project or a compartment"},
		{w.scope("top/folder/x", model.Compartment), model.RulePlacement, "a compartment cannot be in a folder: it belongs in an organisation, a project or a compartment"},
		{w.scope("top/folder/house/x", model.Folder), model.RulePlacement, "a folder cannot be in a project"},
		{w.scope("top/folder/house/x", model.Organisation), model.RulePlacement, "an organisation is the top"},
		{w.scope("top/folder/house/x.buckt", model.Resource), model.RuleUnknown, `there is no resource type "buckt"`},
		{w.scope("top/folder/house/x.object", model.Resource), model.RuleUnknown, `there is no resource type "object"`},
		{w.scope("top/nowhere/x", model.Folder), model.RuleUnknown, "the scope that should hold x is not there"},
		{w.scope(deep+"/deeper", model.Folder), model.RuleDepth, "would be 17 containers deep: at most 16"},
		{access.CreatePrincipal{Principal: access.Principal{ID: newID(), Kind: model.User, Name: "bram"}}, model.RuleTaken, "there is already a user called bram"},
		{member("bram", "curators"), model.RuleSame, "user bram is already in curators"},
		{member("trust", "curators"), model.RuleCycle, "trust cannot go into curators: that would be a circle, curators in trust in curators"},
		{member("curators", "curators"), model.RuleCycle, "a circle, curators in curators"},
		{member("bram", "rowan"), model.RulePlacement, "rowan is a user, not a group"},
		{access.RemoveMember{Membership: access.Membership{Group: w.ids["trust"], Member: w.ids["bram"]}}, model.RuleUnknown, "user bram is not a direct member of trust"},
		{access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: first.Scope, Principal: first.Principal, Role: "steward"}}, model.RuleSame, "user rowan already holds steward at top"},
		{access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: first.Scope, Principal: first.Principal, Role: "stewart"}}, model.RuleUnknown, `there is no role "stewart" (did you mean steward?)`},
		{access.RevokeGrant{ID: newID()}, model.RuleUnknown, "there is no grant"},
		{access.RevokeGrant{ID: first.ID}, model.RuleLockOut, "nobody would be left with \"create grant\" at top"},
	} {
		t.Run(c.says, func(t *testing.T) {
			before := w.now
			err := w.try(c.change)
			var v *model.Violation
			require.ErrorAs(t, err, &v, "%#v", c.change)
			require.Equal(t, c.rule, v.Rule, v.Error())
			require.Contains(t, v.Error(), c.says)
			require.Same(t, before, w.now)
		})
	}
}

func TestAddressesAreSeenAsFarAsAccessReaches(t *testing.T) {
	w := newWorld(t)
	w.create("top/folder/house", model.Project)
	w.create("top/folder/house/log.bucket", model.Resource)
	w.create("top/folder/house/fan.machine", model.Resource)
	w.create("top/other", model.Folder)
	w.grant("storage-observer", "bram", "top/folder/house")
	view := w.now.View(w.ids["bram"], nil)
	for address, seen := range map[string]bool{
		"top": true, "top/folder": true, "top/folder/house": true, "top/folder/house/log.bucket": true,
		"top/folder/house/fan.machine": false, "top/other": false,
	} {
		t.Run(address, func(t *testing.T) {
			require.Equal(t, seen, view.Sees(w.ids[address]), address)
			_, err := w.now.Resolve(address, view)
			require.Equal(t, seen, err == nil, address)
		})
	}
	_, hidden := w.now.Resolve("top/other", view)
	_, absent := w.now.Resolve("top/othar", view)
	require.Equal(t, strings.ReplaceAll(hidden.Error(), "other", ""), strings.ReplaceAll(absent.Error(), "othar", ""))
	_, err := w.now.Resolve("top/folder/hause", view)
	require.ErrorContains(t, err, "did you mean top/folder/house?")
	_, err = w.now.Resolve("folder/house", view)
	require.ErrorContains(t, err, "did you mean top/folder/house?")

	place, err := w.now.Resolve("top/folder/house/log.bucket/2026/november.csv", view)
	require.NoError(t, err)
	require.Equal(t, "2026/november.csv", place.Rest, "a bucket decides for what is in it")
	require.Equal(t, w.ids["top/folder/house/log.bucket"], place.Scope.ID)
}

func TestExplainTellsTheWayThroughGroups(t *testing.T) {
	w := newWorld(t)
	require.NoError(t, w.join("bram", "curators"))
	require.NoError(t, w.join("curators", "trust"))
	w.grant("observer", "trust", "top")
	w.grant("operator", "bram", "top/folder")
	e := w.now.Explain(access.Question{Principal: w.ids["bram"], Permission: catalogue.Shipped().MustPermission("edit folder"), Scope: w.ids["top/folder"]})
	require.False(t, e.Allowed)
	require.Len(t, e.Rules, 3, "the steward's grant is met too: it is about the permission")
	require.Empty(t, e.Rules[0].Through)
	require.Equal(t, []string{"curators", "trust"}, e.Rules[2].Through)
}

func TestNobodyGivesWhatTheyDoNotHold(t *testing.T) {
	w := newWorld(t)
	c := catalogue.Shipped()
	builder, _ := c.Role("builder")
	observer, _ := c.Role("observer")
	w.grant("builder", "bram", "top/folder")
	for _, role := range []*catalogue.Role{builder, observer} {
		_, ok := w.now.MayGive(w.ids["bram"], role.Permissions, w.ids["top/folder"], nil)
		require.True(t, ok)
		_, ok = w.now.MayGive(w.ids["bram"], role.Permissions, w.ids["top"], nil)
		require.False(t, ok)
	}
	gift := access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top"], Principal: w.ids["curators"], Role: "observer"}}
	excess, found, err := w.now.Exceeds(access.Maker{ID: w.ids["bram"], Now: nil}, gift)
	require.NoError(t, err)
	require.True(t, found, "a group with nobody in it counts too")
	require.Equal(t, "curators", excess.Principal.Name)
	_, found, err = w.now.Exceeds(access.Maker{ID: w.ids["rowan"], Now: nil}, gift)
	require.NoError(t, err)
	require.False(t, found)
}

// TestARoleOutlivesMoves moves a scope, under which a role may be granted, out from where the role is defined: what was accepted can
// be read again, and edited.
func TestARoleOutlivesMoves(t *testing.T) {
	w := newWorld(t)
	w.create("top/other", model.Folder)
	w.create("top/folder/house", model.Project)
	def := catalogue.RoleDefinition{Name: "sower", Scope: w.ids["top/folder"], Include: []catalogue.Filter{{Services: []string{"storage"}}}, Under: []model.ID{w.ids["top/folder/house"]}}
	w.must(access.CreateRole{Definition: def}, access.MoveScope{ID: w.ids["top/folder/house"], Parent: w.ids["top/other"]})
	rebuilt, err := access.New(catalogue.Shipped()).With(w.now.Revision(), w.now.Changes()...)
	require.NoError(t, err)
	require.Equal(t, w.now.Changes(), rebuilt.Changes())
	def.Title = "Sower"
	w.must(access.EditRole{Definition: def})
	def.Under = append(def.Under, w.ids["top/other"])
	require.ErrorContains(t, w.try(access.EditRole{Definition: def}), "it can be granted only at and below top/folder")
}

func TestDecideAllocatesNothing(t *testing.T) {
	w := newWorld(t)
	w.create("top/folder/house", model.Project)
	require.NoError(t, w.join("bram", "curators"))
	w.grant("builder", "curators", "top/folder")
	q := access.Question{Principal: w.ids["bram"], Permission: catalogue.Shipped().MustPermission("edit project"), Scope: w.ids["top/folder/house"]}
	require.Zero(t, testing.AllocsPerRun(100, func() { w.now.Decide(q) }))
}

func TestShippedCatalogue(t *testing.T) {
	c := catalogue.Shipped()
	words := map[string]string{}
	claim := func(word, as string) {
		require.True(t, words[word] == "" || words[word] == as, "%s is %s and %s", word, words[word], as)
		words[word] = as
	}
	for _, class := range catalogue.Classes {
		claim(string(class), "class")
	}
	for _, s := range c.Services() {
		claim(s.Name, "service")
		for _, typ := range s.Types {
			claim(typ.Name, "type")
			for _, o := range typ.Operations {
				claim(o.Name, "operation")
				require.Equal(t, o, c.Operation(c.MustPermission(o.String())))
				if o.Class == catalogue.Govern {
					require.True(t, o.Service == "people" || o.Service == "access" || typ.Name == "organisation", "%s", o)
				}
			}
		}
	}
	for name, want := range map[string]struct{ holds, lacks string }{
		"steward":         {"create grant, enrol group, retire folder", "fetch object"},
		"builder":         {"create folder, start machine, retire bucket", "create grant, create user, fetch object, configure organisation, rename organisation"},
		"operator":        {"start machine, describe bucket", "edit bucket, list grant"},
		"observer":        {"describe bucket, list user", "start machine, list grant"},
		"auditor":         {"list grant, describe audit-record", "start machine, create grant"},
		"access-manager":  {"create grant, grant-beyond grant, list user", "create user, describe bucket"},
		"people-manager":  {"create user, enrol group, describe project", "create grant, describe bucket"},
		"pathfinder":      {"list bucket, list project", "describe bucket, list user"},
		"storage-builder": {"create bucket", "create machine, put object"},
		"content-keeper":  {"erase object, put object", "describe bucket"},
	} {
		t.Run(name, func(t *testing.T) {
			role, err := c.Role(name)
			require.NoError(t, err)
			for _, p := range strings.Split(want.holds, ", ") {
				require.True(t, role.Permissions.Has(c.MustPermission(p)), "%s should hold %s", name, p)
			}
			for _, p := range strings.Split(want.lacks, ", ") {
				require.False(t, role.Permissions.Has(c.MustPermission(p)), "%s should not hold %s", name, p)
			}
			require.Equal(t, role.Permissions.Meets(c.Governing()), role.Privileged)
		})
	}
	for text, says := range map[string]string{
		"fetch":         "write an operation and a type",
		"fetch objct":   "did you mean object?",
		"ferch object":  "object has no operation \"ferch\"; it has list, fetch, put, erase (did you mean fetch?)",
		"start bucket":  "bucket has no operation \"start\"",
		"a b c":         "is not a permission",
		"fetch nothing": "there is no type \"nothing\"",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := c.Permission(text)
			require.ErrorContains(t, err, says)
		})
	}
}

func TestIDText(t *testing.T) {
	id := model.ID{0: 0x01, 6: 0x70, 15: 0xff}
	back, err := model.ParseID(id.String())
	require.NoError(t, err)
	require.Equal(t, id, back)
	for _, bad := range []string{"", "01a", id.String() + "0", strings.Replace(id.String(), "-", "0", 1), strings.Replace(id.String(), "0", "g", 1)} {
		_, err := model.ParseID(bad)
		require.ErrorIs(t, err, model.ErrBadID)
	}
}

func TestRolesForWantedPermissions(t *testing.T) {
	c := catalogue.Shipped()
	for wanted, want := range map[string]struct {
		role   string
		beyond int
	}{
		"fetch object":                        {"content-reader", 1},
		"fetch object, list object":           {"content-reader", 0},
		"put object":                          {"content-writer", 2},
		"erase object":                        {"content-keeper", 3},
		"start machine":                       {"compute-operator", 3},
		"start machine, start database":       {"operator", 37},
		"create grant":                        {"access-manager", 34},
		"fetch object, start machine":         {"", 0},
		"attach network, describe network":    {"networking-operator", 3},
		"describe database, describe machine": {"observer", 28},
	} {
		t.Run(wanted, func(t *testing.T) {
			set, err := c.Collect(strings.Split(wanted, ", ")...)
			require.NoError(t, err)
			ranked := catalogue.RolesFor(set, slices.Values(c.Roles()))
			if want.role == "" {
				require.Empty(t, ranked, "no role spans both planes")
				return
			}
			require.Equal(t, want.role, ranked[0].Role.Name, wanted)
			require.Equal(t, want.beyond, ranked[0].Beyond, wanted)
			for i, r := range ranked {
				require.Zero(t, set.Minus(r.Role.Permissions).Len())
				require.True(t, i == 0 || ranked[i-1].Beyond <= r.Beyond)
			}
		})
	}
	_, err := c.Collect("list object", "fetsh object")
	require.ErrorContains(t, err, "did you mean fetch?")
}
