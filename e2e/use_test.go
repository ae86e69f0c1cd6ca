package e2e

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/e2e/browser"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
	"arbora.example/internal/store"
)

// TestConsoleTreeOfMany scrolls through more than one answer lists: only the rows in view are in the page, and what lies
// further down is fetched on the way there.
func TestConsoleTreeOfMany(t *testing.T) {
	t.Parallel()
	const many = 3200
	b := testbed.StartDemo(t)
	rowan := b.As(t, "rowan@lindenmere")
	top, err := rowan.ShowScope(t.Context(), "lindenmere")
	require.NoError(t, err)
	house, err := rowan.ShowScope(t.Context(), alpine)
	require.NoError(t, err)
	id := func(text string) model.ID {
		id, err := model.ParseID(text)
		require.NoError(t, err)
		return id
	}
	_, err = b.Records.Write(t.Context(), id(top.Id), store.Author{Name: "rowan@lindenmere", At: b.Clock.Now()}, func(tx *store.Tx, _ uint64) (string, error) {
		changes := make([]access.Change, many)
		for n := range changes {
			changes[n] = access.CreateScope{Scope: model.Scope{ID: model.ID{200, byte(n >> 8), byte(n)}, Parent: id(house.Id), Kind: model.Resource, Type: "bucket", Name: fmt.Sprintf("tray-%04d", n)}}
		}
		now, err := b.Service.Snapshot(t.Context(), id(top.Id))
		if err != nil {
			return "", err
		}
		p, err := now.Propose(changes...)
		if err != nil {
			return "", err
		}
		return "planted trays", tx.Apply(p, store.Descriptions{})
	})
	require.NoError(t, err)
	console := openConsole(t, testbed.Start(t, b.Records)) // a service that has read them
	rows := func(most int) {
		t.Helper()
		drawn, err := console.Count(`[role=treeitem]`)
		require.NoError(t, err)
		require.Less(t, drawn, most, "rows in the page")
		require.Positive(t, drawn)
	}
	require.NoError(t, console.Do(
		console.SignIn("rowan@lindenmere", demo.Passphrase),
		console.Open("/tree/"+alpine),
		browser.See(`[role=tree]`, "alpine-house"),
		browser.Click(`button[aria-label="Open alpine-house"]`),
		browser.See(`[role=tree]`, "tray-0003.bucket"),
	))
	rows(80)
	require.NoError(t, console.Do(browser.ScrollDown(`[role=tree]`, "tray-3199.bucket")))
	rows(80)
	require.NoError(t, console.Do(browser.Type(`input[aria-label="Find a scope by name"]`, "tray-31"), browser.See(`[role=tree]`, "tray-3100.bucket")))
	rows(80)
}
