package access_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/model"
)

// outsiders are a provider, a person of it, and what they are put into.
func outsiders(t *testing.T) *world {
	w := newWorld(t)
	w.ids["sso"], w.ids["ilka"] = newID(), newID()
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["sso"], Kind: model.Provider, Name: "quaywater-sso"}})
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["ilka"], Kind: model.OutsidePerson, Name: "ilka@quaywater-sso", Provider: w.ids["sso"], Subject: "q-4711"}})
	w.ids["readers"] = newID()
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["readers"], Kind: model.Group, Name: "readers"}})
	return w
}

func (w *world) outsideGroup(subject string, pattern bool) access.CreatePrincipal {
	if w.ids[subject].IsZero() {
		w.ids[subject] = newID()
	}
	return access.CreatePrincipal{Principal: access.Principal{
		ID: w.ids[subject], Kind: model.OutsideGroup, Provider: w.ids["sso"], Subject: subject, Name: access.OutsideGroupName(subject, "quaywater-sso"), Pattern: pattern,
	}}
}

func (w *world) into(member, group string) access.AddMember {
	return access.AddMember{Membership: access.Membership{Group: w.ids[group], Member: w.ids[member]}}
}

func TestOutsideGroupsActThroughLinksOnly(t *testing.T) {
	w := outsiders(t)
	w.must(w.outsideGroup("Seed Curators", false))
	w.must(w.into("ilka", "Seed Curators"))
	w.grant("observer", "readers", "top/folder")
	require.False(t, w.may("ilka", "describe folder", "top/folder"), "it is linked to nothing")

	role := access.Grant{ID: newID(), Scope: w.ids["top/folder"], Principal: w.ids["Seed Curators"], Role: "observer"}
	_, err := w.now.With(9, access.CreateGrant{Grant: role})
	require.ErrorContains(t, err, "Seed Curators@quaywater-sso is granted nothing itself: link it to a group")

	link := w.into("Seed Curators", "readers")
	p, err := w.now.Propose(link)
	require.NoError(t, err)
	require.Equal(t, []string{"linked outside group Seed Curators@quaywater-sso to group readers"}, p.Words())
	require.Equal(t, "ilka@quaywater-sso", p.Impact(nil)[0].Principals[0].Name)
	w.must(link)
	require.True(t, w.may("ilka", "describe folder", "top/folder"))
	require.Empty(t, w.now.Groups(w.ids["ilka"]), "she was put into no group one by one")
	require.Equal(t, []string{"readers"}, named(w.now.Within(w.ids["ilka"])))
	require.Equal(t, []string{"Seed Curators@quaywater-sso"}, named(w.now.OutsideGroupsOf(w.ids["ilka"])))
	require.Equal(t, []string{"ilka@quaywater-sso"}, named(w.now.EveryMember(w.ids["readers"])))

	w.must(access.RemoveMember{Membership: access.Membership{Group: w.ids["Seed Curators"], Member: w.ids["ilka"]}})
	require.False(t, w.may("ilka", "describe folder", "top/folder"), "she left it there")

	for _, nobody := range []string{"bram", "readers", "sso"} {
		_, err := w.now.With(9, w.into(nobody, "Seed Curators"))
		require.ErrorContains(t, err, "the identity provider says which of its people are in it")
	}
	for says, change := range map[string]access.Change{
		"takes no tags":      access.TagPrincipal{ID: w.ids["Seed Curators"], Tags: map[string]string{"a": "b"}},
		"keeps its name":     access.RenamePrincipal{ID: w.ids["Seed Curators"], Name: "other"},
		"is always there":    access.SetInactive{ID: w.ids["Seed Curators"], Inactive: true},
		"only a group has":   access.SetOwner{Group: w.ids["Seed Curators"], Owner: w.ids["bram"]},
		"cannot own a group": access.SetOwner{Group: w.ids["readers"], Owner: w.ids["Seed Curators"]},
	} {
		_, err := w.now.With(9, change)
		require.ErrorContains(t, err, says)
	}
}

// TestPatternsOfOutsideGroups has a pattern take in those that match it, whichever of them comes first.
func TestPatternsOfOutsideGroups(t *testing.T) {
	w := outsiders(t)
	w.must(w.outsideGroup("label-seeds", false))
	w.must(w.outsideGroup("label-{house}", true))
	w.must(w.outsideGroup("label-maps", false))
	w.must(w.outsideGroup("Label-ink", false))
	w.must(w.outsideGroup("label-", false))
	require.Equal(t, []string{"label-maps@quaywater-sso", "label-seeds@quaywater-sso"}, named(w.now.Members(w.ids["label-{house}"])))
	require.Equal(t, []string{"label-{house}@quaywater-sso"}, named(w.now.OutsideGroupsOf(w.ids["label-maps"])))
	w.grant("observer", "readers", "top/folder")
	w.must(w.into("label-{house}", "readers"))
	w.must(w.into("ilka", "label-maps"))
	require.True(t, w.may("ilka", "describe folder", "top/folder"))

	_, err := w.now.With(9, w.into("ilka", "label-{house}"))
	require.ErrorContains(t, err, "label-{house}@quaywater-sso has for members the outside groups whose names it matches")
	again, err := access.New(w.now.Catalogue()).With(w.now.Revision(), w.now.Changes()...)
	require.NoError(t, err)
	require.Equal(t, named(w.now.Members(w.ids["label-{house}"])), named(again.Members(w.ids["label-{house}"])))
}

func TestParsePattern(t *testing.T) {
	p, err := access.ParsePattern("Label-{house} (print)")
	require.NoError(t, err)
	require.Equal(t, access.Pattern{Before: "Label-", Part: "house", After: " (print)"}, p)
	part, ok := p.Match("Label-Seeds (print)")
	require.True(t, ok)
	require.Equal(t, "Seeds", part)
	for _, name := range []string{"label-seeds (print)", "Label- (print)", "Label-(print)", "Label-Seeds", ""} {
		_, ok = p.Match(name)
		require.False(t, ok, name)
	}
	overlapping, err := access.ParsePattern("aba{x}ba")
	require.NoError(t, err)
	_, ok = overlapping.Match("ababa")
	require.False(t, ok, "the ends do not share letters, and something is between them")
	for text, says := range map[string]string{
		"label": "is not a pattern", "label-{}": "is not a pattern", "{a}{b}": "is not a pattern", "a{B}": "is not a pattern", "a}b{c": "is not a pattern", "{all}": "matches every group", " a{b}": "no space at its ends",
		"a{b": "is not a pattern", strings.Repeat("a", 250) + "{house}": "1 to 255 bytes",
	} {
		_, err := access.ParsePattern(text)
		require.ErrorContains(t, err, says, text)
	}
}

// TestLinksGiveNothingBeyond holds links to the rule on gains, whoever may come to be in the outside group.
func TestLinksGiveNothingBeyond(t *testing.T) {
	w := outsiders(t)
	w.grant("steward", "readers", "top/folder")
	bram := access.Maker{ID: w.ids["bram"]}
	for _, group := range []access.CreatePrincipal{w.outsideGroup("Seed-Curators", false), w.outsideGroup("seed-{x}", true)} {
		excess, exceeds, err := w.now.Exceeds(bram, group, w.into(group.Principal.Subject, "readers"))
		require.NoError(t, err)
		require.True(t, exceeds, "nobody is in it yet, and the provider says who will be")
		require.Equal(t, "top/folder", w.now.Address(excess.Scope))
		w.must(group)
		_, exceeds, err = w.now.Exceeds(bram, w.into(group.Principal.Subject, "readers"))
		require.NoError(t, err)
		require.True(t, exceeds)
	}
	_, found := w.now.SurpassesBy(w.ids["sso"], bram)
	require.False(t, found, "a provider's people hold nothing as long as nothing is linked")
	w.must(w.into("seed-{x}", "readers"))
	_, found = w.now.SurpassesBy(w.ids["sso"], bram)
	require.True(t, found, "whoever says what a provider's claims become could name the group")
	w.ids["spare"] = newID()
	w.must(access.CreatePrincipal{Principal: access.Principal{ID: w.ids["spare"], Kind: model.Group, Name: "spare"}})
	w.must(w.into("Seed-Curators", "spare"))
	_, exceeds, err := w.now.Exceeds(bram, access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: w.ids["top/folder"], Principal: w.ids["spare"], Role: "steward"}})
	require.NoError(t, err)
	require.True(t, exceeds)
}

func named(list []access.Principal) (names []string) {
	for _, p := range list {
		names = append(names, p.Name)
	}
	return names
}
