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

// TestChangesAreReadAsTheyWereWritten makes random organisations by random changes, and the same by the changes as they were written
// and read: both are made of the same, at every step.
func TestChangesAreReadAsTheyWereWritten(t *testing.T) {
	c := catalogue.Shipped()
	kinds := map[string]bool{}
	rapid.Check(t, func(t *rapid.T) {
		reference, snapshot, followed := newNaive(), access.New(c), access.New(c)
		try := func(change access.Change) {
			next, err := snapshot.With(snapshot.Revision()+1, change)
			if err != nil {
				return
			}
			text, err := access.EncodeChanges([]access.Change{change})
			require.NoError(t, err)
			read, err := access.DecodeChanges(text)
			require.NoError(t, err, "%s", text)
			again, err := access.EncodeChanges(read)
			require.NoError(t, err)
			require.Equal(t, string(text), string(again))
			followed, err = followed.With(followed.Revision()+1, read...)
			require.NoError(t, err, "%s", text)
			snapshot = next
			if _, last := change.(access.RemoveRole); !last {
				reference = reference.after(change)
			}
			kinds[access.KindOf(change)] = true
		}
		try(access.CreateScope{Scope: model.Scope{ID: newID(), Kind: model.Organisation, Name: "top"}})
		first := access.Principal{ID: newID(), Kind: model.User, Name: "first"}
		try(access.CreatePrincipal{Principal: first})
		try(access.CreateGrant{Grant: access.Grant{ID: newID(), Scope: reference.scopes[0].ID, Principal: first.ID, Role: "steward"}})
		for range rapid.IntRange(60, 120).Draw(t, "changes") {
			try(drawer{t, c, reference}.change())
		}
		for _, role := range slices.Clone(reference.roles) {
			try(access.RemoveRole{Name: role.Name})
		}
		require.Equal(t, plain(snapshot.Changes()), plain(followed.Changes()))
		text, err := access.EncodeChanges(snapshot.Changes())
		require.NoError(t, err)
		read, err := access.DecodeChanges(text)
		require.NoError(t, err)
		rebuilt, err := access.New(c).With(snapshot.Revision(), read...)
		require.NoError(t, err)
		require.Equal(t, plain(snapshot.Changes()), plain(rebuilt.Changes()))
	})
	require.Len(t, kinds, access.KindsOfChanges, "every kind of change was drawn")
}

// plain returns changes with none for empty tags, and for what is empty in statements: these are the same.
func plain(changes []access.Change) []access.Change {
	for i, change := range changes {
		switch c := change.(type) {
		case access.CreateScope:
			if len(c.Scope.Tags) == 0 {
				c.Scope.Tags = nil
			}
			changes[i] = c
		case access.CreatePrincipal:
			if len(c.Principal.Tags) == 0 {
				c.Principal.Tags = nil
			}
			changes[i] = c
		}
		put, ok := change.(access.PutPolicy)
		if !ok {
			continue
		}
		put.Policy.Statements = slices.Clone(put.Policy.Statements)
		for j := range put.Policy.Statements {
			st := &put.Policy.Statements[j]
			for _, list := range []*[]string{&st.Roles, &st.Acts, &st.Things, &st.Notes} {
				if len(*list) == 0 {
					*list = nil
				}
			}
			if len(st.Except) == 0 {
				st.Except = nil
			}
		}
		changes[i] = put
	}
	return changes
}

// TestWhatIsNoRecordedChange tells what is wrong with a text.
func TestWhatIsNoRecordedChange(t *testing.T) {
	for text, says := range map[string]string{
		`[]`:                         "recorded changes",
		`{"version":2,"changes":[]}`: "version 2 is not known",
		`{"version":1,"changes":[{"change":"plant-tree","says":{}}]}`:                                  `"plant-tree" is not a change that is known`,
		`{"version":1,"changes":[{"change":"create-scope","says":{"Scope":{"kind":"meadow"}}}]}`:       `recorded change "create-scope"`,
		`{"version":1,"changes":[{"change":"set-gathers","says":{"condition":"if only it were so"}}]}`: `recorded change "set-gathers"`,
	} {
		t.Run(text, func(t *testing.T) {
			_, err := access.DecodeChanges([]byte(text))
			require.ErrorContains(t, err, says, text)
		})
	}
}
