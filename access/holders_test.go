package access_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// compareSets holds the answers over sets against brute force over everybody, for one permission at one scope.
func compareSets(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot) {
	// Permissions that many roles hold make more of a difference than any at random.
	text := rapid.SampledFrom([]string{"describe folder", "edit bucket", "fetch object", "list grant", "create grant", "create user", "list project"}).Draw(t, "permission")
	o := c.Operation(c.MustPermission(text))
	at := rapid.SampledFrom(reference.scopes).Draw(t, "scope")
	context := drawer{t, c, reference}.context()
	got, want := map[string]tri{}, map[string]tri{}
	for _, h := range snapshot.Holders(o.Permission, at.ID, context) {
		got[h.Principal.ID.String()] = triYes
		if h.Conditional {
			got[h.Principal.ID.String()] = triUnknown
		}
	}
	for _, p := range reference.people {
		if p.Kind.IsGroup() || p.Kind == model.BuiltInSet && p.ID != model.Public && p.ID != model.SignedIn {
			continue
		}
		if level := reference.level(c, p.ID, o, at.ID, context); level != triNo {
			want[p.ID.String()] = level
		}
	}
	require.Equal(t, want, got, "who holds %s at %s", o, reference.address(at.ID))
	who := rapid.SampledFrom(reference.people).Draw(t, "who")
	checkSteps(t, c, reference, snapshot, access.Question{Principal: who.ID, Permission: o.Permission, Scope: at.ID, Context: context})
	checkReach(t, c, reference, snapshot, who, context)
	checkEscalationPaths(t, c, reference, snapshot, o, at.ID)
	checkPowers(t, c, reference, snapshot, who)
}

// checkPowers holds what one principal could give themselves against who could give themselves each permission.
func checkPowers(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot, who access.Principal) {
	if !who.Acts() {
		require.Empty(t, snapshot.Powers(who.ID, nil))
		return
	}
	if rapid.IntRange(0, 2).Draw(t, "powers") > 0 {
		return // it is dear
	}
	powers := snapshot.Powers(who.ID, nil)
	could := func(p catalogue.Permission, at model.ID) (access.Escalation, bool) {
		for _, h := range snapshot.EscalationPaths(p, at, nil) {
			if h.Principal.ID == who.ID {
				return h, true
			}
		}
		return access.Escalation{}, false
	}
	// Each is tried: what it is said to give is held then.
	for _, power := range powers {
		next, as, gives := snapshot, who.ID, power.Gains
		var err error
		switch {
		case power.Group != nil:
			next, err = snapshot.With(snapshot.Revision()+1, access.AddMember{Membership: access.Membership{Group: power.Group.ID, Member: who.ID}})
		case power.RunAs != nil:
			as = power.RunAs.ID
		case power.Role != nil:
			gives = gives.And(power.Role.Permissions)
			next, err = snapshot.With(snapshot.Revision()+1, access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: power.Scope, Principal: who.ID, Role: power.Role.Name}})
		}
		require.NoError(t, err)
		for p := range power.Gains.All {
			require.False(t, reference.decide(c, who.ID, c.Operation(p), power.Scope, nil, false))
			if power.Role == nil && power.Group == nil && power.RunAs == nil {
				_, told := could(p, power.Scope)
				require.True(t, told, "%s could give themselves %s at %s", who.Name, c.Operation(p), reference.address(power.Scope))
			} else if gives.Has(p) {
				require.True(t, next.Decide(access.Question{Principal: as, Permission: p, Scope: power.Scope}).Allowed, "%+v: %s at %s", power, c.Operation(p), reference.address(power.Scope))
			}
		}
	}
	// What is given at a scope where somebody may grant is told of there, or above.
	at := rapid.SampledFrom(reference.scopes).Draw(t, "where")
	p := c.MustPermission(rapid.SampledFrom([]string{"edit bucket", "fetch object", "list grant", "create grant", "list project"}).Draw(t, "could"))
	h, told := could(p, at.ID)
	if !told || h.Role == nil && h.Group == nil && h.RunAs == nil {
		return
	}
	require.True(t, slices.ContainsFunc(powers, func(power access.Power) bool {
		return power.Gains.Has(p) && slices.ContainsFunc(reference.upward(at.ID), func(up model.Scope) bool { return up.ID == power.Scope })
	}), "%s could give themselves %s at %s, which is not among their powers", who.Name, c.Operation(p), reference.address(at.ID))
}

// checkEscalationPaths lets everybody who could give themselves a permission do it, and everybody else try in each way.
func checkEscalationPaths(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot, o catalogue.Operation, at model.ID) {
	could := map[model.ID]access.Escalation{}
	for _, h := range snapshot.EscalationPaths(o.Permission, at, nil) {
		could[h.Principal.ID] = h
	}
	give := func(who access.Principal, role string) access.Change {
		return access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: at, Principal: who.ID, Role: role}}
	}
	helps := func(who access.Principal, change access.Change) bool {
		next, err := snapshot.With(snapshot.Revision()+1, change)
		return err == nil && next.Decide(access.Question{Principal: who.ID, Permission: o.Permission, Scope: at}).Allowed
	}
	may := func(who access.Principal, text string, at model.ID) bool {
		return reference.decide(c, who.ID, c.Operation(c.MustPermission(text)), at, nil, false)
	}
	for _, p := range reference.people {
		if p.Kind == model.BuiltInSet || p.Kind == model.Provider {
			continue // what is said of them is said of whoever may come
		}
		if !p.Acts() || reference.decide(c, p.ID, o, at, nil, false) {
			require.NotContains(t, could, p.ID)
			continue
		}
		h, told := could[p.ID]
		if told && h.Role != nil && !helps(p, give(p, h.Role.Name)) {
			t.Fatalf("%s is said to be able to grant themselves %s, which does not help", p.Name, h.Role.Name)
		}
		if told || snapshot.Decide(access.Question{Principal: p.ID, Permission: o.Permission, Scope: at}).Reason != access.NotGranted {
			continue
		}
		for role := range snapshot.RolesAt(at) {
			if _, ok := snapshot.MayGive(p.ID, role.Permissions, at, nil); ok && may(p, "create grant", at) && helps(p, give(p, role.Name)) {
				t.Fatalf("%s could grant themselves %s and is not told of", p.Name, role.Name)
			}
		}
		for _, group := range reference.people {
			join := access.AddMember{Membership: access.Membership{Group: group.ID, Member: p.ID}}
			if group.Kind != model.Group || !may(p, "enrol group", reference.scopes[0].ID) || !helps(p, join) {
				continue
			}
			if _, beyond, err := snapshot.Exceeds(access.Maker{ID: p.ID}, join); err == nil && !beyond {
				t.Fatalf("%s could join %s and is not told of", p.Name, group.Name)
			}
		}
	}
}

// checkSteps takes each step and sees that it gives what it promises and, where nothing else hangs on it, adds as much as
// it says.
func checkSteps(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot, q access.Question) {
	last, governs := 0, false
	for _, step := range snapshot.StepsTo(q, 5) {
		var change access.Change
		switch {
		case step.Group != nil:
			change = access.AddMember{Membership: access.Membership{Group: step.Group.ID, Member: q.Principal}}
		case step.Role != nil:
			change = access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: step.Scope, Principal: q.Principal, Role: step.Role.Name}}
		default:
			policy, _ := snapshot.Policy(step.Lift.Policy)
			policy.Statements = slices.Delete(slices.Clone(policy.Statements), step.Lift.Statement, step.Lift.Statement+1)
			change = access.PutPolicy{Policy: policy}
		}
		next, err := snapshot.With(snapshot.Revision()+1, change)
		if err != nil {
			t.Fatalf("a step that cannot be taken: %+v: %v", step, err)
		}
		privileged := step.Role != nil && step.Role.Privileged
		if !next.Decide(q).Allowed || privileged == governs && step.Adds < last || governs && !privileged {
			t.Fatalf("step %+v: allowed %v after %d", step, next.Decide(q), last)
		}
		last, governs = step.Adds, privileged
	}
}

// checkReach sees that what is reached tells every decision: the nearest scope above at which access changes holds what
// is held, for certain or, where it hangs on the resource, perhaps.
func checkReach(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot, who access.Principal, context *access.Context) {
	reach := map[model.ID][]access.Reached{}
	for _, r := range snapshot.Reach(who.ID, context) {
		reach[r.Scope.ID] = append(reach[r.Scope.ID], r)
	}
	for _, s := range reference.scopes {
		if reference.retired(s.ID) {
			continue
		}
		var told access.Reached
	search:
		for i, above := range reference.upward(s.ID) {
			for _, r := range reach[above.ID] {
				if r.Part == access.Whole || (i == 0) == (r.Part == access.Alone) {
					told = r
					break search
				}
			}
		}
		for _, text := range []string{"describe folder", "edit bucket", "fetch object", "create grant"} {
			o := c.Operation(c.MustPermission(text))
			if !means(c, s.TypeName(), o.Type) || !reference.offersType(c, s.ID, o.Type) {
				continue
			}
			is := reference.level(c, who.ID, o, s.ID, context)
			if told.Held.Has(o.Permission) && is != triYes || is != triNo && !told.Held.Has(o.Permission) && !told.Conditional.Has(o.Permission) {
				t.Fatalf("%s, %s at %s: the reach says %v, %v, the reference %v", who.Name, o, reference.address(s.ID), told.Held.Has(o.Permission), told.Conditional.Has(o.Permission), is)
			}
		}
	}
}

func TestHoldersTellWhy(t *testing.T) {
	w := newWorld(t)
	c := catalogue.Shipped()
	w.create("top/folder/house", model.Project)
	w.create("top/folder/house/log.bucket", model.Resource)
	require.NoError(t, w.join("bram", "curators"))
	require.NoError(t, w.join("curators", "trust"))
	w.grant("content-keeper", "trust", "top/folder")
	w.grant("content-keeper", "bram", "top/folder/house")
	erase, bucket := c.MustPermission("erase object"), w.ids["top/folder/house/log.bucket"]
	holders := w.now.Holders(erase, bucket, nil)
	require.Len(t, holders, 1)
	require.Equal(t, "bram", holders[0].Principal.Name)
	met := w.now.Explain(access.Question{Principal: w.ids["bram"], Permission: erase, Scope: bucket}).Rules
	require.Empty(t, met[0].Through, "the nearest comes first")
	require.Equal(t, []string{"curators", "trust"}, met[1].Through)

	escalations := w.now.EscalationPaths(erase, bucket, nil)
	require.Len(t, escalations, 1)
	require.Equal(t, "rowan", escalations[0].Principal.Name, "a steward may grant beyond what he holds")
	require.Equal(t, "content-keeper", escalations[0].Role.Name)
	require.NotNil(t, escalations[0].Group)
	require.True(t, escalations[0].Policy)

	steps := w.now.StepsTo(access.Question{Principal: w.ids["rowan"], Permission: erase, Scope: bucket}, 3)
	require.Len(t, steps, 3)
	require.Equal(t, 4, steps[0].Adds)
	reach := w.now.Reach(w.ids["bram"], nil)
	require.Len(t, reach, 2)
	require.Zero(t, reach[1].Adds.Len(), "what is held above already adds nothing below")
	require.Nil(t, w.now.Holders(c.MustPermission("start machine"), bucket, nil), "it means nothing there")
}

// TestPowersBeneathACut tells of what somebody may grant beneath a scope at which, and at which alone, they may grant nothing.
func TestPowersBeneathACut(t *testing.T) {
	w := newWorld(t)
	c := catalogue.Shipped()
	w.create("top/folder/house", model.Project)
	const role = "access-manager"
	w.grant(role, "bram", "top/folder")
	w.layOne("top: at folder: user bram may never govern access")
	powers := w.now.Powers(w.ids["bram"], nil)
	require.Len(t, powers, 1, "%+v", powers)
	require.Equal(t, "top/folder/house", w.now.Address(powers[0].Scope))
	require.True(t, powers[0].Gains.Has(c.MustPermission("edit bucket")))
}
