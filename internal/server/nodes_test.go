package server

import (
	"encoding/json"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/internal/ask"
)

// TestPagesOfTheTreeAreWrittenAsTheContractSays writes scopes of all kinds as package encoding/json writes the contract's types.
func TestPagesOfTheTreeAreWrittenAsTheContractSays(t *testing.T) {
	var nodes []ask.Node
	for i, title := range []string{"", "Alpine house", `the "cold" <room> & more`, "Ångström’s 🌿"} {
		for _, kind := range []model.Kind{model.Organisation, model.Folder, model.Project, model.Compartment, model.Resource} {
			n := ask.Node{Scope: model.Scope{ID: model.ID{1, byte(i)}, Parent: model.ID{2}, Kind: kind, Name: "house", Retired: i == 1}, Address: "lindenmere/house", Title: title, Depth: i, More: i%2 == 0}
			if kind == model.Resource {
				n.Type = "bucket"
			}
			nodes = append(nodes, n)
		}
	}
	for _, some := range [][]ask.Node{nil, nodes[:1], nodes} {
		for _, next := range []string{"", "abc"} {
			want, err := json.Marshal(api.ScopeList{Scopes: each(some, nodeOf), Next: next})
			require.NoError(t, err)
			w := httptest.NewRecorder()
			require.NoError(t, childrenPage{some, next}.VisitListChildrenResponse(w))
			require.JSONEq(t, string(want), w.Body.String())
			require.Equal(t, string(want)+"\n", w.Body.String())
			require.Equal(t, "application/json", w.Header().Get("Content-Type"))
		}
		want, err := json.Marshal(api.Tree{Scopes: each(some, nodeOf), Revision: 7})
		require.NoError(t, err)
		w := httptest.NewRecorder()
		require.NoError(t, tree{some, 7}.VisitShowTreeResponse(w))
		require.Equal(t, string(want)+"\n", w.Body.String())
	}
}
