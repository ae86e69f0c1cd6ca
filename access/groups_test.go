package access_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

func gathering(t *testing.T, text string) *statement.Condition {
	t.Helper()
	c, err := statement.ParseGathering(text)
	require.NoError(t, err)
	require.Equal(t, text, c.String(), "a condition has one form")
	return c
}

func TestGatheringGroupsFollowTags(t *testing.T) {
	w := newWorld(t)
	w.ids["seeds"] = newID()
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["seeds"], Kind: model.Group, Name: "seeds", Gathers: gathering(t, `tag team is "seeds" and kind is "user"`)}})
	w.grant("observer", "seeds", "top/folder")
	require.False(t, w.may("bram", "describe folder", "top/folder"))

	effects, err := w.now.Impact(nil, access.TagPrincipal{ID: w.ids["bram"], Tags: map[string]string{"team": "seeds"}})
	require.NoError(t, err)
	require.Equal(t, "bram", effects[0].Principals[0].Name, "the impact of a tag is told")
	_, exceeds, err := w.now.Exceeds(access.Maker{ID: w.ids["bram"], Now: nil}, access.TagPrincipal{ID: w.ids["bram"], Tags: map[string]string{"team": "seeds"}})
	require.NoError(t, err)
	require.True(t, exceeds, "a tag gives nobody what its giver does not hold")

	fresh := access.Principal{ID: newID(), Kind: model.User, Name: "sefa", Tags: map[string]string{"team": "seeds"}}
	_, exceeds, err = w.now.Exceeds(access.Maker{ID: w.ids["bram"], Now: nil}, access.CreatePrincipal{Principal: fresh})
	require.NoError(t, err)
	require.True(t, exceeds, "nor to somebody new")
	fresh.Tags = nil
	_, exceeds, err = w.now.Exceeds(access.Maker{ID: w.ids["bram"], Now: nil}, access.CreatePrincipal{Principal: fresh})
	require.NoError(t, err)
	require.False(t, exceeds)

	w.must(access.TagPrincipal{ID: w.ids["bram"], Tags: map[string]string{"team": "seeds"}})
	require.True(t, w.may("bram", "describe folder", "top/folder"))
	ines := newID()
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: ines, Kind: model.User, Name: "ines", Tags: map[string]string{"team": "seeds"}}})
	require.Len(t, w.now.Members(w.ids["seeds"]), 2, "who comes later is in it at once")
	w.must(access.SetGathers{Group: w.ids["seeds"], Condition: gathering(t, `name in ("ines", "rowan")`)})
	require.False(t, w.may("bram", "describe folder", "top/folder"))

	require.ErrorContains(t, w.join("bram", "seeds"), `seeds gathers its members by a condition, name in ("ines", "rowan"): change the tags`)
	for text, says := range map[string]string{
		`subject.tag.team is "seeds"`: "a gathering group cannot ask for",
		`tag is "seeds"`:              "tag",
		`context.hour < 9`:            "it can ask for tag NAME, name and kind",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := statement.ParseGathering(text)
			require.ErrorContains(t, err, says, text)
		})
	}
	require.ErrorContains(t, w.try(access.CreatePrincipal{Principal: access.Principal{ID: newID(), Kind: model.User, Name: "sefa", Gathers: gathering(t, `kind is "user"`)}}), "only a group")
	require.ErrorContains(t, w.try(access.SetGathers{Group: w.ids["trust"], Condition: gathering(t, `kind is "user"`)}), "one by one")
}

func TestOwnersAndNames(t *testing.T) {
	w := newWorld(t)
	w.grant("observer", "trust", "top/folder")
	w.grant("builder", "bram", "top/folder") // all that an observer holds, but for what is above
	require.False(t, w.now.Owns(w.ids["bram"], w.ids["trust"]))
	w.must(access.SetOwner{Group: w.ids["trust"], Owner: w.ids["curators"]})
	require.NoError(t, w.join("bram", "curators"))
	require.True(t, w.now.Owns(w.ids["bram"], w.ids["trust"]), "who is in the group that owns it")
	w.must(access.SetInactive{ID: w.ids["bram"], Inactive: true})
	require.False(t, w.now.Owns(w.ids["bram"], w.ids["trust"]))
	w.must(access.SetInactive{ID: w.ids["bram"]})
	require.ErrorContains(t, w.try(access.SetOwner{Group: w.ids["trust"], Owner: model.Staff}), "staff cannot own a group")

	w.must(access.RenamePrincipal{ID: w.ids["bram"], Name: "bram-de-wolff"})
	_, old := w.now.PrincipalNamed(model.User, "bram")
	require.False(t, old)
	renamed, ok := w.now.PrincipalNamed(model.User, "bram-de-wolff")
	require.True(t, ok)
	require.Equal(t, w.ids["bram"], renamed.ID)
	require.True(t, w.may("bram", "create bucket", "top/folder"), "a new name takes nothing away")
	require.ErrorContains(t, w.try(access.RenamePrincipal{ID: w.ids["bram"], Name: "rowan"}), "already a user called rowan")
	for name, good := range map[string]bool{"juno@quaywater": true, "juno.may@quaywater.example": true, "juno": false, "@quaywater": false, "juno@": false} {
		t.Run(name, func(t *testing.T) {
			err := w.try(access.CreatePrincipal{Principal: access.Principal{ID: newID(), Kind: model.Guest, Name: name}})
			require.Equal(t, good, err == nil, "%s: %v", name, err)
		})
	}
}

func TestCredentialsGiveNothingBeyond(t *testing.T) {
	w := newWorld(t)
	surpasses := func(one, other string) bool {
		_, found := w.now.Surpasses(w.ids[one], access.Maker{ID: w.ids[other]})
		return found
	}
	w.grant("people-manager", "bram", "top")
	require.True(t, surpasses("rowan", "bram"))
	require.False(t, surpasses("bram", "rowan"))
	sefa := newID()
	w.ids["sefa"] = sefa
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: sefa, Kind: model.User, Name: "sefa"}})
	require.False(t, surpasses("sefa", "bram"), "who holds nothing")
	w.grant("builder", "sefa", "top/folder")
	require.True(t, surpasses("sefa", "bram"))
	w.must(access.SetInactive{ID: sefa, Inactive: true})
	require.True(t, surpasses("sefa", "bram"), "who would hold it when restored")
	w.must(access.SetInactive{ID: sefa})
	const manager = "access-manager"
	w.grant(manager, "bram", "top/folder")
	require.False(t, surpasses("sefa", "bram"), "who may grant beyond")
	w.policy("top/folder", "cap", "user bram may never govern anything")
	require.True(t, surpasses("sefa", "bram"), "what cuts the other counts")
}

// TestGroupsAreNestedSoDeepOnly sees that a chain of groups ends, from whichever end it grows.
func TestGroupsAreNestedSoDeepOnly(t *testing.T) {
	w := newWorld(t)
	group := func(name string) {
		w.ids[name] = newID()
		w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids[name], Kind: model.Group, Name: name}})
	}
	group("g0")
	for i := 1; i < access.MaxNesting; i++ {
		group(fmt.Sprint("g", i))
		require.NoError(t, w.join(fmt.Sprint("g", i), fmt.Sprint("g", i-1)))
	}
	last := fmt.Sprint("g", access.MaxNesting-1)
	require.ErrorContains(t, w.join("curators", last), "nested deeper than 32")
	require.ErrorContains(t, w.join("g0", "curators"), "nested deeper than 32")
	require.NoError(t, w.join("bram", last), "people are no groups")
}
