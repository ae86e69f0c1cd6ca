package server

import (
	"net/http"
	"strconv"

	"arbora.example/internal/ask"
	"arbora.example/internal/plainjson"
)

// Pages of the tree are asked for more than any other: they are written without package encoding/json, which takes longer than finding
// them. What is written is that of [api.ScopeNode], a list of them.

// childrenPage is a page of a scope's children; see [contract.ListChildren200JSONResponse].
type childrenPage struct {
	nodes []ask.Node
	next  string
}

// VisitListChildrenResponse writes the page.
func (p childrenPage) VisitListChildrenResponse(w http.ResponseWriter) error {
	return writeJSON(w, func(b []byte) []byte {
		b = append(b, '{')
		if p.next != "" {
			b = append(plainjson.AppendText(append(b, `"next":`...), p.next), ',')
		}
		return append(appendNodes(b, p.nodes), "}\n"...)
	})
}

// tree is a part of the tree; see [contract.ShowTree200JSONResponse].
type tree struct {
	nodes    []ask.Node
	revision uint64
}

// VisitShowTreeResponse writes the part.
func (t tree) VisitShowTreeResponse(w http.ResponseWriter) error {
	return writeJSON(w, func(b []byte) []byte {
		b = append(strconv.AppendUint(append(b, `{"revision":`...), t.revision, 10), ',')
		return append(appendNodes(b, t.nodes), "}\n"...)
	})
}

func writeJSON(w http.ResponseWriter, write func(b []byte) []byte) error {
	scratch := plainjson.Borrow()
	defer scratch.Return()
	scratch.Bytes = write(scratch.Bytes)
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Content-Length", strconv.Itoa(len(scratch.Bytes)))
	_, err := w.Write(scratch.Bytes)
	return err
}

func appendNodes(b []byte, nodes []ask.Node) []byte {
	b = append(b, `"scopes":[`...)
	for i := range nodes {
		if i > 0 {
			b = append(b, ',')
		}
		b = appendNode(b, &nodes[i])
	}
	return append(b, ']')
}

func appendNode(b []byte, n *ask.Node) []byte {
	b = plainjson.AppendText(append(b, `{"address":`...), n.Address)
	b = strconv.AppendInt(append(b, `,"depth":`...), int64(n.Depth), 10)
	b = n.ID.Append(append(b, `,"id":"`...))
	b = append(append(b, `","kind":"`...), n.Kind.String()...)
	b = strconv.AppendBool(append(b, `","more":`...), n.More)
	b = plainjson.AppendText(append(b, `,"name":`...), n.FullName())
	b = n.Parent.Append(append(b, `,"parent":"`...))
	b = strconv.AppendBool(append(b, `","retired":`...), n.Retired)
	b = plainjson.AppendText(append(b, `,"title":`...), n.Title)
	if n.Type != "" {
		b = plainjson.AppendText(append(b, `,"type":`...), n.Type)
	}
	return append(b, '}')
}
