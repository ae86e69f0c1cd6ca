package access_test

import (
	"maps"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// checkImpact holds the impact of a change against brute force: for everybody, everywhere, how firmly they hold some
// permissions before and after.
func checkImpact(t *rapid.T, c *catalogue.Catalogue, before, after *naive, snapshot *access.Snapshot, change access.Change) {
	context := &access.Context{Time: noon, Anybody: true}
	effects, err := snapshot.Impact(drawer{t, c, before}.at(noon), change)
	if err != nil {
		t.Fatalf("%v", err)
	}
	texts := []string{"describe folder", "edit bucket", "fetch object", "create grant", "list bucket"}
	texts = append(texts, c.Operation(catalogue.Permission(rapid.IntRange(0, c.Permissions()-1).Draw(t, "altered permission"))).String())
	for _, p := range after.everybody() {
		if p.Kind.IsGroup() || p.Kind == model.BuiltInSet && p.ID != model.Public && p.ID != model.SignedIn {
			continue
		}
		told := map[model.ID][]access.Effect{}
		for _, e := range effects {
			// A set stands for those in use.
			means := func(who access.Principal) bool { return p.ID == who.ID || !after.gone(p) && after.is(p.ID, who.ID) }
			is := func(who access.Principal) bool { return p.ID == who.ID }
			if slices.ContainsFunc(e.Principals, means) || slices.ContainsFunc(e.Outsiders, is) {
				told[e.Scope.ID] = append(told[e.Scope.ID], e)
			}
		}
		for _, s := range after.scopes {
			if before.scope(s.ID) == nil || retiredBesides(before, s.ID, change) || retiredBesides(after, s.ID, change) {
				continue
			}
			delta := toldAt(after, told, s.ID)
			for _, text := range texts {
				o := c.Operation(c.MustPermission(text))
				if !means(c, s.TypeName(), o.Type) || !before.offersType(c, s.ID, o.Type) && !after.offersType(c, s.ID, o.Type) {
					continue
				}
				was, is := before.level(c, p.ID, o, s.ID, context), after.level(c, p.ID, o, s.ID, context)
				shifts := was == triUnknown && is == triUnknown && text == texts[len(texts)-1] && differs(c, before, after, p, o, s.ID)
				// A rule whose terms exclude each other is not known to apply, and never does: that it goes need not be told.
				idle := !fits(delta, o.Permission, was, is) && was != triYes && is != triYes && words(delta, o.Permission) == "nothing" && !differs(c, before, after, p, o, s.ID)
				if !fits(delta, o.Permission, was, is) && !idle || shifts && !delta.Growth().Has(o.Permission) && !delta.MayLose.Has(o.Permission) {
					t.Fatalf("%#v\n%s, %s at %s: was %v, is %v; the impact says %s", change, p.Name, o, after.address(s.ID), was, is, words(delta, o.Permission))
				}
			}
		}
	}
	if rapid.IntRange(0, 2).Draw(t, "excess") > 0 {
		return // it is dear
	}
	maker := rapid.SampledFrom(before.people).Draw(t, "maker")
	checkExcess(t, c, before, after, snapshot, maker, drawer{t, c, before}.at(noon), change)
}

// retiredBesides reports whether a scope is out of use by more than a change: of such scopes an impact does not tell.
func retiredBesides(n *naive, at model.ID, change access.Change) bool {
	return slices.ContainsFunc(n.upward(at), func(s model.Scope) bool {
		return s.Retired && !isChange[access.RetireScope](change, access.RetireScope{ID: s.ID}) && !isChange[access.RestoreScope](change, access.RestoreScope{ID: s.ID})
	})
}

// toldAt returns what effects tell of a scope: its own, or the nearest from above that goes on beneath.
func toldAt(n *naive, told map[model.ID][]access.Effect, at model.ID) access.Delta {
	for i, above := range n.upward(at) {
		for _, e := range told[above.ID] {
			if e.Part == access.Whole || i == 0 && e.Part == access.Alone || i > 0 && e.Part == access.Beneath {
				return e.Delta
			}
		}
	}
	return access.Delta{}
}

// rank orders how firmly something is held.
var rank = map[tri]int{triNo: 0, triUnknown: 1, triYes: 2}

// fits reports whether a told difference agrees with what is held before and after. What hangs on the resource is told as
// conditional for all beneath, so there a firm yes or no may stand where something conditional is told.
func fits(d access.Delta, p catalogue.Permission, was, is tri) bool {
	switch {
	case d.Gains.Has(p):
		return was == triNo && is == triYes
	case d.Loses.Has(p):
		return was == triYes && is == triNo
	case d.MayGain.Has(p):
		return rank[was] <= rank[is]
	case d.MayLose.Has(p):
		return rank[was] >= rank[is]
	case d.Shifting.Has(p):
		return true
	}
	return was == is
}

func words(d access.Delta, p catalogue.Permission) string {
	for word, set := range map[string]catalogue.Set{"gains": d.Gains, "loses": d.Loses, "may gain": d.MayGain, "may lose": d.MayLose, "shifts": d.Shifting} {
		if set.Has(p) {
			return word
		}
	}
	return "nothing"
}

// differs reports whether somebody holds something before a change and not after it, or the other way round, in some
// circumstances.
func differs(c *catalogue.Catalogue, before, after *naive, p access.Principal, o catalogue.Operation, at model.ID) bool {
	return slices.ContainsFunc(everywhen, func(ctx *access.Context) bool {
		return before.decide(c, p.ID, o, at, ctx, false) != after.decide(c, p.ID, o, at, ctx, false)
	})
}

// inUse returns the reference in which retired scopes decide as if they were active, and, if all is in use, people and groups too.
func (n *naive) inUse(all bool) *naive {
	world := newNaive()
	world.scopes, world.people, world.members = slices.Clone(n.scopes), slices.Clone(n.people), n.members
	world.grants, world.policies, world.roles, world.terms = n.grants, n.policies, n.roles, n.terms
	for i, p := range world.people {
		world.people[i].Inactive = !all && n.gone(p)
	}
	for i := range world.scopes {
		world.scopes[i].Retired = false
	}
	world.policies = slices.Clone(n.policies)
	for i, policy := range world.policies {
		if all && policy.Suspended { // what it gives, not what it would cut
			world.policies[i].Suspended = false
			world.policies[i].Statements = slices.DeleteFunc(slices.Clone(policy.Statements), func(st statement.Statement) bool { return st.Modal != statement.May })
		}
	}
	return world
}

// claimed lists what a provider may say of the two claims that a drawer draws.
var claimed = func() (all []map[string][]string) {
	values := [][]string{nil, {}, {"seeds"}, {"labels"}, {"see"}, {"labels", "seeds"}, {"labels", "see"}, {"see", "seeds"}, {"labels", "see", "seeds"}}
	for _, team := range values {
		for _, floor := range values {
			claims := map[string][]string{}
			if team != nil {
				claims["team"] = team
			}
			if floor != nil {
				claims["floor"] = floor
			}
			all = append(all, claims)
			if floor != nil {
				continue
			}
			for _, subject := range []string{"s1", "s2"} { // for whoever is not known yet
				of := maps.Clone(claims)
				of[access.SubjectClaim] = []string{subject}
				all = append(all, of)
			}
		}
	}
	return all
}()

// everywhen lists contexts that tell apart all that a drawer draws: every day and hour, place and provider.
var everywhen = func() (all []*access.Context) {
	summer := time.Duration(240 * 24)
	for _, after := range []time.Duration{0, 1, 2, 20, 21, 22, 23, 24, 25, 26, 44, 45, 46, 47, 48, 49, 50, 68, 69, 70, 71, 72, summer - 5, summer - 4, summer - 3, summer - 2, summer - 1, summer, summer + 1} {
		for _, location := range []string{"", "north", "south", "elsewhere"} {
			for _, claims := range claimed {
				all = append(all,
					&access.Context{Time: noon.Add(after * time.Hour), Location: location, Claims: claims})
			}
		}
	}
	return all
}()

// sparingGroups leaves out the statements that cut everybody and except everybody. They cut a group as such, and none of its members,
// present or future: that one goes gives nobody anything. All else is judged of a group as of anybody.
func (n *naive) sparingGroups() *naive {
	everybody := func(s statement.Subject) bool {
		return slices.Contains([]model.ID{model.Everyone, model.SignedIn, model.Public}, s.Principal)
	}
	n.policies = slices.Clone(n.policies)
	for i, p := range n.policies {
		n.policies[i].Statements = slices.DeleteFunc(slices.Clone(p.Statements), func(st statement.Statement) bool {
			return st.Modal != statement.May && slices.ContainsFunc(st.Who, everybody) && slices.ContainsFunc(st.Except, everybody)
		})
	}
	return n
}

// with returns the reference with somebody more.
func (n *naive) with(p access.Principal) *naive {
	more := *n
	more.people = append(slices.Clone(n.people), p)
	for i := range more.people {
		more.people[i].Gathers = nil // the tags by which groups gather are given when somebody comes
	}
	more.known, more.resting = map[[2]model.ID]bool{}, map[[2]model.ID]bool{}
	return &more
}

// checkExcess sees that a change its maker may make gives nobody, anywhere, whenever and from wherever they ask, what the maker
// does not hold there in the same circumstances, whoever and whatever is out of use now; and that what is refused does.
func checkExcess(t *rapid.T, c *catalogue.Catalogue, before, after *naive, snapshot *access.Snapshot, maker access.Principal, context *access.Context, change access.Change) {
	excess, found, err := snapshot.Exceeds(access.Maker{ID: maker.ID, Now: context}, change)
	if err != nil {
		t.Fatalf("%v", err)
	}
	beyond := c.Operation(c.MustPermission("grant-beyond grant"))
	worlds := [][2]*naive{{before.inUse(false), after.inUse(false)}, {before.inUse(true), after.inUse(true)}}
	plain := worlds[0][0]
	forGroups := sync.OnceValue(func() (spared [][2]*naive) {
		for _, all := range []bool{false, true} {
			spared = append(spared, [2]*naive{before.inUse(all).sparingGroups(), after.inUse(all).sparingGroups()})
		}
		return spared
	})
	anything := &access.Context{Time: noon, Anybody: true}
	gives := func(o catalogue.Operation, at model.ID, ctx *access.Context) bool {
		if ctx != nil { // the claims are those of whoever gains
			makers := *ctx
			makers.Claims = map[string][]string{}
			ctx = &makers
		}
		scope := before.scope(at)
		holds := func(o catalogue.Operation) bool {
			return plain.holds(c, *plain.principal(maker.ID), o, at, scope, ctx, false)
		}
		return !before.gone(maker) && (holds(o) || o.Class != catalogue.Govern && holds(beyond))
	}
	gained := func(worlds [][2]*naive, p access.Principal, o catalogue.Operation, at model.ID) (gained bool) {
		for _, world := range worlds {
			was, is := world[0], world[1]
			if now := is.principal(p.ID); is.gone(*now) || !is.holds(c, *now, o, at, is.scope(at), anything, true) {
				continue
			}
			base := was.principal(p.ID)
			if base == nil { // somebody new: what everybody of their kind holds is no gain
				base = was.principal(map[model.PrincipalKind]model.ID{model.User: model.Staff, model.Guest: model.Guests, model.ServiceAccount: model.Everyone, model.Provider: model.Everyone, model.Group: p.ID, model.OutsideGroup: p.ID}[p.Kind])
				if p.Kind == model.OutsidePerson { // or what a person of that subject would hold when they came by themselves
					if base = was.principal(p.Provider); base != nil {
						was = was.with(access.Principal{ID: p.ID, Kind: p.Kind, Provider: p.Provider, Subject: p.Subject, Claims: p.Claims})
						base = was.principal(p.ID)
					}
				}
			}
			now := is.principal(p.ID)
			any := p.Kind == model.Provider // its people may come with any tags and any name
			had := func(ctx *access.Context) bool {
				return base != nil && !was.gone(*base) && was.holds(c, *base, o, at, was.scope(at), ctx, any && base.Kind == p.Kind)
			}
			if had(certain) || gives(o, at, certain) {
				continue // in all circumstances
			}
			for _, ctx := range everywhen {
				if is.holds(c, *now, o, at, is.scope(at), ctx, any) && !had(ctx) && !gives(o, at, ctx) {
					return true
				}
			}
		}
		return false
	}
	if found {
		if p := after.principal(excess.Principal.ID); !excess.Unsure && excess.Part == access.Alone && before.scope(excess.Scope) != nil && !gained(worlds, *p, c.Operation(excess.Permission), excess.Scope) {
			t.Fatalf("%#v\n%s is said to gain %s at %s beyond what %s holds, and does not", change, p.Name, c.Operation(excess.Permission), before.address(excess.Scope), maker.Name)
		}
		return
	}
	o := c.Operation(c.MustPermission(rapid.SampledFrom([]string{"fetch object", "create grant", "edit bucket", "list bucket"}).Draw(t, "gained")))
	for _, s := range before.scopes[:min(5, len(before.scopes))] {
		if !means(c, s.TypeName(), o.Type) {
			continue
		}
		for _, p := range after.people {
			worlds := worlds
			if p.Kind.IsGroup() {
				worlds = forGroups()
			}
			if gained(worlds, p, o, s.ID) {
				t.Fatalf("%#v\nby it %s gains %s at %s, which its maker %s does not hold there", change, p.Name, o, before.address(s.ID), maker.Name)
			}
		}
	}
}

func TestImpactIsToldForPeopleTogether(t *testing.T) {
	w := newWorld(t)
	c := catalogue.Shipped()
	w.create("top/folder/house", model.Project)
	require.NoError(t, w.join("bram", "curators"))
	require.NoError(t, w.join("rowan", "curators"))
	w.ids["linnea"] = newID()
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["linnea"], Kind: model.User, Name: "linnea"}})
	require.NoError(t, w.join("linnea", "curators"))
	w.grant("builder", "linnea", "top/folder/house")

	grant := access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top/folder"], Principal: w.ids["curators"], Role: "observer"}}
	effects, err := w.now.Impact(nil, grant)
	require.NoError(t, err)
	require.Len(t, effects, 2, "rowan, who is steward above, gains nothing")
	require.Equal(t, "top/folder", w.now.Address(effects[0].Scope.ID))
	require.Len(t, effects[0].Principals, 2)
	require.Equal(t, 1, effects[0].Beneath)
	require.True(t, effects[0].Gains.Has(c.MustPermission("describe folder")))
	require.Equal(t, "linnea", effects[1].Principals[0].Name)
	require.True(t, effects[1].Delta.IsEmpty(), "she builds in the house already: nothing changes there")

	w.must(grant)
	effects, err = w.now.Impact(nil, access.RemoveMember{Membership: access.Membership{Group: w.ids["curators"], Member: w.ids["bram"]}})
	require.NoError(t, err)
	require.Len(t, effects, 1)
	require.True(t, effects[0].Loses.Has(c.MustPermission("describe folder")))
	effects, err = w.now.Impact(nil, access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top/folder"], Principal: w.ids["rowan"], Role: "builder"}})
	require.NoError(t, err)
	require.Empty(t, effects, "a steward gains nothing by builder")
	_, err = w.now.Impact(nil, access.RevokeGrant{ID: newID()})
	require.Error(t, err)
}

// TestImpactOfAMove sees who loses and who gains when a project changes places, and that a set stands for all in it.
func TestImpactOfAMove(t *testing.T) {
	w := newWorld(t)
	w.create("top/other", model.Folder)
	w.create("top/folder/house", model.Project)
	w.create("top/folder/house/log.bucket", model.Resource)
	w.policy("top/other", "open", "staff may fetch object")
	move := access.MoveScope{ID: w.ids["top/folder/house"], Parent: w.ids["top/other"]}
	effects, err := w.now.Impact(nil, move)
	require.NoError(t, err)
	require.Len(t, effects, 1)
	require.Len(t, effects[0].Principals, 1)
	require.Equal(t, "staff", effects[0].Principals[0].Name, "all of them gain the same")
	require.Equal(t, 1, effects[0].Gains.Len())

	w.grant("builder", "bram", "top/folder")
	effects, err = w.now.Impact(nil, move)
	require.NoError(t, err)
	require.Len(t, effects, 2)
	require.Equal(t, "bram", effects[0].Principals[0].Name)
	require.NotZero(t, effects[0].Loses.Len())
	require.Equal(t, 1, effects[0].Beneath)
	require.Equal(t, "rowan", effects[1].Principals[0].Name)
}

func isChange[T comparable](change access.Change, wanted T) bool {
	is, ok := change.(any).(T)
	return ok && is == wanted
}
