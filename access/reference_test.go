package access_test

import (
	"reflect"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// decisionsAtLeast is how many decisions a run of the tests holds against the reference.
const decisionsAtLeast = 1_000_000

// TestAgainstReference makes random organisations by random changes and holds every verdict on a change, every decision,
// every view, every answer over sets and every address against the naive reference; and the snapshot grown change by
// change against one built at once.
func TestAgainstReference(t *testing.T) {
	t.Parallel()
	c := catalogue.Shipped()
	var decisions atomic.Int64
	rapid.Check(t, func(t *rapid.T) {
		reference := newNaive()
		for _, builtIn := range []model.ID{model.Public, model.SignedIn, model.Everyone, model.Guests, model.Staff} {
			p, _ := access.New(c).Principal(builtIn)
			reference.people = append(reference.people, p)
		}
		snapshot := access.New(c)
		reference.people = slices.AppendSeq(reference.people, snapshot.Principals(model.PlatformService))
		try := func(change access.Change, compareImpact bool) {
			next, err := snapshot.With(snapshot.Revision()+1, change)
			if allowed := reference.allows(c, change); allowed != (err == nil) {
				t.Fatalf("%#v: the reference says %v, the snapshot says %v", change, allowed, err)
			}
			if err == nil {
				after := reference.after(change)
				if compareImpact {
					checkImpact(t, c, reference, after, snapshot, change)
				}
				snapshot, reference = next, after
			}
		}
		try(access.CreateScope{Scope: model.Scope{ID: newID(), Kind: model.Organisation, Name: "top"}}, false)
		first := access.Principal{ID: newID(), Kind: model.User, Name: "first"}
		try(access.CreatePrincipal{Principal: first}, false)
		try(access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: reference.scopes[0].ID, Principal: first.ID, Role: "steward"}}, false)
		for range rapid.IntRange(30, 90).Draw(t, "changes") {
			try(drawer{t, c, reference}.change(), rapid.IntRange(0, 3).Draw(t, "impact") == 0)
		}
		rebuilt, err := access.New(c).With(snapshot.Revision(), snapshot.Changes()...)
		if err != nil {
			t.Fatalf("what a snapshot says it is made of is refused: %v", err)
		}
		decisions.Add(compare(t, c, reference, snapshot, rebuilt))
		compareViews(t, c, reference, snapshot)
		compareSets(t, c, reference, snapshot)
		compareUse(t, c, reference, snapshot)
		checkThereAndBack(t, c, reference, snapshot)
	})
	t.Logf("%d decisions held against the reference", decisions.Load())
	if !testing.Short() {
		require.GreaterOrEqual(t, decisions.Load(), int64(decisionsAtLeast))
	}
}

// compare holds decisions against the reference, and counts them.
func compare(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot, rebuilt *access.Snapshot) (decisions int64) {
	if a, b := len(snapshot.Changes()), len(rebuilt.Changes()); a != b {
		t.Fatalf("rebuilt, it is made of %d changes instead of %d", b, a)
	}
	// Everybody everywhere, about every permission.
	asked := make([]int, c.Permissions())
	for i := range asked {
		asked[i] = i
	}
	contexts := []*access.Context{drawer{t, c, reference}.context(), drawer{t, c, reference}.context()}
	for _, s := range reference.scopes {
		if got, want := snapshot.Address(s.ID), reference.address(s.ID); got != want {
			t.Fatalf("address %s, expected %s", got, want)
		}
		place, err := snapshot.Resolve(reference.address(s.ID), nil)
		if err != nil || place.Scope.ID != s.ID {
			t.Fatalf("%s resolves to %v, %v", reference.address(s.ID), place, err)
		}
		_, rest, beneath := strings.Cut(reference.address(s.ID), "/")
		for _, name := range reference.scopes[0].Formerly {
			address := name
			if beneath {
				address += "/" + rest
			}
			if place, err := snapshot.Resolve(address, nil); err != nil || place.Scope.ID != s.ID {
				t.Fatalf("%s, by a name of before, resolves to %v, %v", address, place, err)
			}
		}
		for _, p := range reference.everybody() {
			for i, number := range asked {
				o := c.Operation(catalogue.Permission(number))
				q := access.Question{Principal: p.ID, Permission: o.Permission, Scope: s.ID, Context: contexts[i%2]}
				want := reference.decide(c, p.ID, o, s.ID, q.Context, false)
				got := snapshot.Decide(q)
				if got.Allowed != want {
					t.Fatalf("may %s %s %s at %s, %+v? %+v, expected %v", p.Kind, p.Name, o, reference.address(s.ID), q.Context, got, want)
				}
				if again := rebuilt.Decide(q); again != got {
					t.Fatalf("rebuilt, %+v becomes %+v", got, again)
				}
				decisions++
				if i%40 == 0 {
					checkExplanation(t, snapshot, q)
				}
			}
			held := snapshot.Held(p.ID, s.ID, contexts[0])
			for _, number := range asked[:4] {
				o := c.Operation(catalogue.Permission(number))
				want := reference.decide(c, p.ID, o, s.ID, contexts[0], false)
				if got := held.Has(o.Permission) && means(c, s.TypeName(), o.Type) && reference.offersType(c, s.ID, o.Type); got != want {
					t.Fatalf("does %s hold %s at %s? %v, expected %v", p.Name, o, reference.address(s.ID), got, want)
				}
			}
		}
	}
	return decisions
}

// checkThereAndBack makes a change and takes it back: all is exactly as it was. What is drawn is taken as it can be.
func checkThereAndBack(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot) {
	d := drawer{t, c, reference}
	scope, who := *reference.scope(d.scope()), d.someone()
	given, policy := d.newGrant(), d.policy()
	policy.ID = newID() // not another text of one there is
	member := access.Membership{Group: d.someone().ID, Member: who.ID}
	for _, pair := range [][2]access.Change{
		{access.RetireScope{ID: scope.ID}, access.RestoreScope{ID: scope.ID}},
		{access.RestoreScope{ID: scope.ID}, access.RetireScope{ID: scope.ID}},
		{access.MoveScope{ID: scope.ID, Parent: d.scope()}, access.MoveScope{ID: scope.ID, Parent: scope.Parent}},
		{access.RenameScope{ID: scope.ID, Name: "elsewhere"}, access.RenameScope{ID: scope.ID, Name: scope.Name}},
		{access.SetInactive{ID: who.ID, Inactive: !who.Inactive}, access.SetInactive{ID: who.ID, Inactive: who.Inactive}},
		{access.AddMember{Membership: member}, access.RemoveMember{Membership: member}},
		{access.CreateGrant{Grant: given}, access.RevokeGrant{ID: given.ID}},
		{access.PutPolicy{Policy: policy}, access.RemovePolicy{ID: policy.ID}},
	} {
		there, err := snapshot.With(snapshot.Revision()+1, pair[0])
		if err != nil {
			continue // a rule is in the way
		}
		back, err := there.With(snapshot.Revision(), pair[1])
		if err != nil {
			if leadsNoWayBack(snapshot, pair[0]) {
				continue
			}
			t.Fatalf("%#v cannot be taken back: %v", pair[0], err)
		}
		was, is := snapshot.Changes(), back.Changes()
		if renamed, ok := pair[0].(access.RenameScope); ok && scope.Kind == model.Organisation {
			// That it was called so for a while is kept.
			top := was[0].(access.CreateScope)
			top.Scope.Formerly = slices.Sorted(slices.Values(append(slices.Clone(top.Scope.Formerly), renamed.Name)))
			was[0] = top
		}
		if len(was) != len(is) {
			t.Fatalf("%#v was taken back, and leaves %d of %d", pair[0], len(is), len(was))
		}
		for i := range was {
			if !reflect.DeepEqual(was[i], is[i]) {
				t.Fatalf("%#v was taken back, and leaves\n%#v\nof\n%#v", pair[0], is[i], was[i])
			}
		}
	}
}

// leadsNoWayBack reports whether a change leads where its opposite is refused: nothing goes into what is retired, and what
// somebody governed by before may be gone by then.
func leadsNoWayBack(snapshot *access.Snapshot, change access.Change) bool {
	moved, ok := change.(access.MoveScope)
	if !ok {
		return false
	}
	scope, _ := snapshot.Scope(moved.ID)
	return snapshot.IsRetired(scope.Parent)
}

// compareViews holds what some people see against the reference.
func compareViews(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot) {
	context := drawer{t, c, reference}.context()
	who := rapid.SampledFrom(reference.people).Draw(t, "viewer")
	view := snapshot.View(who.ID, context)
	for _, s := range reference.scopes[:min(6, len(reference.scopes))] {
		// A view that is asked once works out less than one that is asked about all.
		if alone, among := snapshot.View(who.ID, context).Sees(s.ID), view.Sees(s.ID); alone != among {
			t.Fatalf("does %s see %s? %v when asked alone, %v among others", who.Name, reference.address(s.ID), alone, among)
		}
		if got, want := view.Sees(s.ID), reference.sees(c, who.ID, s.ID, context); got != want {
			t.Fatalf("does %s see %s? %v, expected %v", who.Name, reference.address(s.ID), got, want)
		}
	}
}

// checkExplanation makes a decision anew from what an explanation says of each rule alone: it is the same decision, by the same rule.
func checkExplanation(t *rapid.T, snapshot *access.Snapshot, q access.Question) {
	e := snapshot.Explain(q)
	q.Refers = nil
	if d := snapshot.Decide(q); e.Reason != access.Lacking && d != e.Decision {
		t.Fatalf("%+v is explained, and %+v decided", e.Decision, d)
	}
	if !slices.Contains([]access.Reason{access.Granted, access.NotGranted, access.Cut}, e.Reason) {
		return
	}
	var gives, cuts *access.RuleOutcome // the nearest, and of equally near ones the oldest
	spared := false
	for i := range e.Rules {
		m := &e.Rules[i]
		spared = spared || m.Outcome == access.CannotCut
		if !m.Effective() {
			continue
		}
		if !snapshot.Gives(m.Rule).Has(q.Permission) {
			t.Fatalf("a rule is said to take part that is not about the permission: %+v", m)
		}
		held := &gives
		if m.Cuts {
			held = &cuts
		}
		if *held == nil || m.Place == (*held).Place && older(m.Rule, (*held).Rule) {
			*held = m
		}
	}
	switch {
	case cuts != nil && (e.Reason != access.Cut || e.Rule != cuts.Rule || e.Origin != cuts.Place),
		cuts == nil && gives == nil && e.Reason != access.NotGranted,
		cuts == nil && gives != nil && !e.Allowed,
		// Where a cut spares them, a rule decides that lets them govern from above it.
		e.Allowed && !spared && (e.Rule != gives.Rule || e.Origin != gives.Place):
		t.Fatalf("the explanation does not fit its decision: %+v", e)
	}
}

func older(a, b access.RuleRef) bool {
	source := func(r access.RuleRef) model.ID {
		if r.Grant.IsZero() {
			return r.Policy
		}
		return r.Grant
	}
	c := source(a).Compare(source(b))
	return c < 0 || c == 0 && a.Statement < b.Statement
}

// TestRebuiltIsTheSame sees that what a snapshot says it is made of makes the same again, to the last detail.
func TestRebuiltIsTheSame(t *testing.T) {
	w := newWorld(t)
	w.create("top/folder/house", model.Project)
	w.create("top/folder/house/log.bucket", model.Resource)
	w.grant("observer", "bram", "top/folder")
	w.policy("top", "bram-only", "user bram may only observe anything")
	rebuilt, err := access.New(catalogue.Shipped()).With(w.now.Revision(), w.now.Changes()...)
	require.NoError(t, err)
	require.True(t, reflect.DeepEqual(w.now.Changes(), rebuilt.Changes()))
	require.Equal(t, slices.Collect(w.now.Principals(model.User)), slices.Collect(rebuilt.Principals(model.User)))
}

// TestSnapshotsDoNotChange sees that what was once read stays, whatever is made of it later.
func TestSnapshotsDoNotChange(t *testing.T) {
	w := newWorld(t)
	before := w.now
	w.create("top/folder/project", model.Project)
	w.grant("builder", "bram", "top/folder")
	require.True(t, w.may("bram", "edit project", "top/folder/project"))
	_, err := before.Resolve("top/folder/project", nil)
	require.Error(t, err)
	require.Empty(t, before.GrantsFor(w.ids["bram"]))
}
