package access_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// compareUse holds what is told of the tree in use against the reference: what somebody sees, how much is in a scope, what
// cuts grants off, and the matrix.
func compareUse(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot) {
	context := drawer{t, c, reference}.context()
	at := rapid.SampledFrom(reference.scopes).Draw(t, "at")
	who := rapid.SampledFrom(reference.people).Draw(t, "looker")
	view := snapshot.View(who.ID, context)
	var seen []model.ID
	for s := range view.Seen(at.ID) {
		seen = append(seen, s.ID)
	}
	resources, beneath := 0, 0
	for _, s := range reference.scopes {
		if !reference.isUnder(s.ID, at.ID) {
			continue
		}
		if got, want := slices.Contains(seen, s.ID), reference.sees(c, who.ID, s.ID, context); got != want {
			t.Fatalf("is %s among what %s sees? %v, expected %v", reference.address(s.ID), who.Name, got, want)
		}
		if s.ID != at.ID {
			beneath++
			if s.Kind == model.Resource {
				resources++
			}
		}
	}
	if snapshot.Resources(at.ID) != resources || snapshot.Beneath(at.ID) != beneath {
		t.Fatalf("%s has %d resources in %d scopes, expected %d in %d", reference.address(at.ID), snapshot.Resources(at.ID), snapshot.Beneath(at.ID), resources, beneath)
	}
	named := rapid.SampledFrom(reference.people).Draw(t, "named")
	if got, want := snapshot.Means(named.ID, who.ID), reference.is(who.ID, named.ID); got != want && !reference.gone(who) {
		t.Fatalf("does %s mean %s? %v, expected %v", named.Name, who.Name, got, want)
	}
	offered := snapshot.OfferedAt(at.ID)
	for _, service := range []string{"compute", "networking", "storage", "labs"} {
		if got, want := offered == nil || slices.Contains(offered, service), reference.offersService(at.ID, service); got != want {
			t.Fatalf("is %s offered at %s? %v, expected %v", service, reference.address(at.ID), got, want)
		}
	}
	compareLosses(t, c, reference, snapshot, at)
	compareMatrix(t, c, reference, snapshot, at, context)
	compareNarrower(t, c, reference, snapshot, at)
	p := catalogue.Permission(rapid.IntRange(0, c.Permissions()-1).Draw(t, "permission"))
	anywhere := slices.ContainsFunc(reference.scopes, func(s model.Scope) bool { return reference.decide(c, who.ID, c.Operation(p), s.ID, context, false) })
	if got := view.MayAnywhere(p); got != anywhere {
		t.Fatalf("may %s %s anywhere? %v, expected %v", who.Name, c.Operation(p), got, anywhere)
	}
}

// compareNarrower holds the roles that would do in place of one against a look at every role and every operation.
func compareNarrower(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot, at model.Scope) {
	role, err := snapshot.Role(drawer{t, c, reference}.role())
	if err != nil {
		return
	}
	services := rapid.SliceOfNDistinct(rapid.SampledFrom([]string{"compute", "storage", "networking", "databases"}), 0, 2, rapid.ID[string]).Draw(t, "in use")
	narrower := snapshot.Narrower(role, at.ID, services)
	given := reference.role(c, role.Name)
	sizes := map[string]int{}
	for other := range snapshot.RolesAt(at.ID) {
		used, less, covers := false, false, true
		theirs := reference.role(c, other.Name)
		held := 0
		for p := range c.Permissions() {
			o := c.Operation(catalogue.Permission(p))
			if !means(c, at.TypeName(), o.Type) {
				continue
			}
			if theirs(o) {
				held++
			}
			inUse := slices.Contains(services, o.Service)
			used = used || inUse && given(o)
			less = less || given(o) && !theirs(o)
			covers = covers && !(theirs(o) && !given(o)) && !(inUse && given(o) && !theirs(o))
		}
		sizes[other.Name] = held
		if got := slices.Contains(narrower, other); got != (used && less && covers) {
			t.Fatalf("would %s do in place of %s at %s, where %v are in use? %v, expected %v", other.Name, role.Name, reference.address(at.ID), services, got, !got)
		}
	}
	if !slices.IsSortedFunc(narrower, func(a, b *catalogue.Role) int { return sizes[a.Name] - sizes[b.Name] }) {
		t.Fatalf("%v are not in order", narrower)
	}
}

// compareLosses sees that what a statement is said to take away of a grant is refused, and that the rest is not.
func compareLosses(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot, at model.Scope) {
	for _, g := range snapshot.GrantsAt(at.ID) {
		holder, _ := snapshot.Principal(g.Principal)
		if !holder.Acts() || g.Condition != nil || g.Period != (statement.Period{}) || reference.gone(holder) || reference.retired(at.ID) {
			continue
		}
		var lost catalogue.Set
		for _, loss := range snapshot.LossesOf(g.ID, at.ID, nil) {
			lost = lost.Or(loss.Of)
		}
		for p := range snapshot.Gives(access.RuleRef{Grant: g.ID}).And(c.MeaningAt(at.TypeName())).All {
			if !reference.offersType(c, at.ID, c.Operation(p).Type) {
				continue
			}
			d := snapshot.Decide(access.Question{Principal: holder.ID, Permission: p, Scope: at.ID})
			switch governs := c.Governing().Has(p); {
			case !lost.Has(p) && !d.Allowed:
				t.Fatalf("%s of a grant of %s at %s is refused (%s), and no statement is said to cut it", c.Operation(p), g.Role, reference.address(at.ID), d.Reason)
			case lost.Has(p) && !governs && d.Reason != access.Cut:
				t.Fatalf("%s is said to be cut off from %s at %s, and is not: %s", c.Operation(p), holder.Name, reference.address(at.ID), d.Reason)
			}
		}
	}
}

func compareMatrix(t *rapid.T, c *catalogue.Catalogue, reference *naive, snapshot *access.Snapshot, at model.Scope, context *access.Context) {
	typ := rapid.SampledFrom([]string{"project", "bucket", "grant", "machine"}).Draw(t, "column")
	columns := []access.MatrixColumn{{Scope: at.ID, Permissions: snapshot.PermissionsOf(at.ID, func(other *catalogue.Type) bool { return other.Name == typ })}}
	rows := map[model.ID]access.MatrixRow{}
	for row := range snapshot.Matrix(columns, slices.Values(reference.people), context) {
		rows[row.Principal.ID] = row
	}
	for _, p := range reference.people {
		row, shown := rows[p.ID]
		any := false
		for i, permission := range columns[0].Permissions {
			o := c.Operation(permission)
			held := reference.decide(c, p.ID, o, at.ID, context, false)
			perhaps := held || reference.decide(c, p.ID, o, at.ID, context, true)
			any = any || perhaps
			want := access.NotHeld
			if held {
				want = access.CertainHeld
			} else if perhaps {
				want = access.MaybeHeld
			}
			if got := access.NotHeld; shown {
				if got = row.Cells[0][i]; got != want {
					t.Fatalf("the matrix says %v of %s for %s at %s, expected %v", got, o, p.Name, reference.address(at.ID), want)
				}
			}
		}
		if shown != any {
			t.Fatalf("is %s in the matrix of %s at %s? %v, expected %v", p.Name, typ, reference.address(at.ID), shown, any)
		}
	}
}

// TestTerms sees what a scope is found by.
func TestTerms(t *testing.T) {
	s := model.Scope{Kind: model.Resource, Name: "vault-scans", Type: "bucket", Tags: map[string]string{"team": "Seeds", "floor": ""}}
	require.Equal(t, []string{"bucket", "floor=", "scans.bucket", "seeds", "team=seeds", "vault-scans.bucket"}, s.Terms())
	require.Equal(t, "scans.bucket", s.FirstTerm("sc"))
	require.Equal(t, "scans.bucket", s.FirstTerm("s"), "the first of those that fit")
	require.Equal(t, "", s.FirstTerm("x"))
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.StringMatching(`[a-z][a-z0-9]{0,4}(-[a-z0-9]{1,4}){0,4}`).Draw(t, "name")
		s := model.Scope{Kind: model.Project, Name: name}
		terms := s.Terms()
		require.True(t, slices.IsSorted(terms))
		for i := range name {
			if begins := i == 0 || name[i-1] == '-'; begins {
				require.Contains(t, terms, name[i:])
			}
		}
		for _, term := range terms {
			require.True(t, term == "project" || strings.HasSuffix(name, term))
		}
	})
}
