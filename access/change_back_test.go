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

// TestBackTakesChangesBack makes random changes and takes each back: all is as it was before, but that what was created in the tree
// or among the people is there, out of use. Every kind of change was drawn, said in words, and taken back.
func TestBackTakesChangesBack(t *testing.T) {
	c := catalogue.Shipped()
	taken := map[string]bool{}
	sorted := func(s *access.Snapshot) []string {
		var all []string
		for _, change := range s.Changes() {
			text, err := access.EncodeChanges([]access.Change{change})
			require.NoError(t, err)
			all = append(all, string(text))
		}
		slices.Sort(all)
		return all
	}
	play := func(t *rapid.T) {
		reference, snapshot := newNaive(), access.New(c)
		try := func(change access.Change) {
			p, err := snapshot.Propose(change)
			if err != nil {
				return
			}
			require.NotEmpty(t, p.Words()[0])
			kind := access.KindOf(change)
			if len(p.Back) > 0 {
				back, err := p.After.Propose(p.Back...)
				if err == nil {
					checkBack(t, change, p, back, sorted)
					taken[kind] = true
				}
			}
			snapshot = p.After
			if kind != "remove-role" {
				reference = reference.after(change)
			}
		}
		try(access.CreateScope{Scope: model.Scope{ID: newID(), Kind: model.Organisation, Name: "top"}})
		first := access.Principal{ID: newID(), Kind: model.User, Name: "first"}
		try(access.CreatePrincipal{Principal: first})
		try(access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: reference.scopes[0].ID, Principal: first.ID, Role: "steward"}})
		for range rapid.IntRange(40, 80).Draw(t, "changes") {
			try(drawer{t, c, reference}.change())
		}
		for _, role := range slices.Clone(reference.roles) {
			try(access.RemoveRole{Name: role.Name})
		}
	}
	for tries := 0; tries == 0 || len(taken) < access.KindsOfChanges && tries < 20; tries++ { // some kinds are drawn seldom
		rapid.Check(t, play)
	}
	require.Len(t, taken, access.KindsOfChanges, "every kind of change was taken back")
}

// checkBack compares what there is once a change was taken back with what there was before it.
func checkBack(t *rapid.T, change access.Change, p, back *access.Proposal, made func(*access.Snapshot) []string) {
	switch c := change.(type) {
	case access.CreateScope:
		is, _ := back.After.Scope(c.Scope.ID)
		require.True(t, is.Retired)
		return
	case access.CreatePrincipal:
		is, _ := back.After.Principal(c.Principal.ID)
		require.True(t, is.Inactive)
		return
	case access.RenameScope:
		if top, _ := p.Before.Top(); top.ID == c.ID { // it keeps the names that it had
			is, _ := back.After.Top()
			require.Equal(t, top.Name, is.Name)
			return
		}
	}
	require.Equal(t, made(p.Before), made(back.After), "%T, taken back by %T", change, p.Back[0])
	again, err := back.After.Propose(back.Back...)
	require.NoError(t, err, "what was taken back can be made again")
	require.Equal(t, made(p.After), made(again.After))
}
