package ask

import (
	"context"
	"encoding/binary"
	"slices"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/tenant"
)

// Spread is how a principal's access spreads over the tree: what they hold at each scope that the viewer sees.
type Spread struct {
	Principal access.Principal
	Nodes     []SpreadNode // each after the one it is in
	Revision  uint64
}

// SpreadNode is a scope, and the classes of act that the principal holds something of there, by plane. Where the viewer may
// not list the grants it is not told.
type SpreadNode struct {
	Node
	Told              bool
	Held, Conditional map[catalogue.Plane][]catalogue.Class
	Alike             int // so many scopes below it are alike with it, and are not listed
}

// SpreadAsked says which part of a spread is wanted.
type SpreadAsked struct {
	At   string // the scope at and below which; empty for all
	Each bool   // each scope by itself, alike or not
}

// spreadMost bounds how many scopes one spread goes through.
const spreadMost = 50_000

// ShowSpread works out a spread, for those who may describe the principal, and for itself.
func (s *Answers) ShowSpread(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef, asked SpreadAsked) (Spread, error) {
	d, top, err := s.OpenOrganisation(ctx, c, organisation)
	if err != nil {
		return Spread{}, err
	}
	p, _ := d.Principal(d.Me)
	if own := d.Called(p); own.Kind.String() != who.Kind || own.Name != who.Name {
		if p, err = d.Governed(organisation, who, "describe"); err != nil {
			return Spread{}, err
		}
	}
	if asked.At != "" {
		if top, err = d.ScopeAt(asked.At); err != nil {
			return Spread{}, err
		}
	}
	most := spreadMost
	if asked.Each {
		most = treeLimit
	}
	told, known := d.Anybody(), classesBySet{}
	nodes := nodesUpTo(d, top, treeDepth, most)
	spread := Spread{Principal: d.Called(p), Revision: d.Revision(), Nodes: make([]SpreadNode, len(nodes))}
	for i, n := range nodes {
		node := &spread.Nodes[i]
		node.Node, node.Told = n, p.ID == d.Me || d.May("list grant", n.ID)
		if node.Told {
			held, perhaps := d.Holds(p.ID, n.ID, told)
			node.Held, node.Conditional = known.of(d, held), known.of(d, perhaps)
		}
	}
	if !asked.Each {
		spread.Nodes = folded(spread.Nodes)
	}
	return spread, nil
}

// classesBySet keeps the classes of sets of permissions: a tree of thousands of scopes has few different ones.
type classesBySet map[string]map[catalogue.Plane][]catalogue.Class

func (known classesBySet) of(d tenant.Viewer, held catalogue.Set) map[catalogue.Plane][]catalogue.Class {
	var room [256]byte
	key := room[:0]
	for _, word := range held {
		key = binary.LittleEndian.AppendUint64(key, word)
	}
	found, ok := known[string(key)]
	if !ok {
		found = classes(d, held)
		known[string(key)] = found
	}
	return found
}

// look is what makes two scopes of a spread alike: what is seen of them from afar.
type look struct {
	told, data, conditional bool
	strongest               int // class that is held; -1 for none
}

func (n SpreadNode) look() look {
	l := look{told: n.Told, data: len(n.Held[catalogue.Data]) > 0, conditional: len(n.Conditional) > 0, strongest: -1}
	for _, held := range n.Held {
		for _, class := range held {
			l.strongest = max(l.strongest, slices.Index(catalogue.Classes, class))
		}
	}
	return l
}

// folded leaves out what is alike with the scope that it is in, where all that is in that one is; what the first one has right in it
// always stays. Each node stands after the one it is in. It lists as many as one answer does.
func folded(nodes []SpreadNode) []SpreadNode {
	at := make(map[model.ID]int, len(nodes))
	looks, alike, inside, kept := make([]look, len(nodes)), make([]bool, len(nodes)), make([]int, len(nodes)), make([]bool, len(nodes))
	for i, n := range nodes {
		at[n.ID] = i
		looks[i], alike[i] = n.look(), !n.More
	}
	for i := len(nodes) - 1; i > 0; i-- {
		above := at[nodes[i].Parent]
		alike[above] = alike[above] && alike[i] && looks[i] == looks[above]
		inside[above] += 1 + inside[i]
	}
	list := nodes[:0:0]
	for i, n := range nodes {
		above := at[n.Parent]
		if i > 0 && (!kept[above] || above > 0 && alike[above]) {
			continue
		}
		if len(list) == treeLimit {
			list[slices.IndexFunc(list, func(l SpreadNode) bool { return l.ID == n.Parent })].More = true
			continue
		}
		if kept[i] = true; i > 0 && alike[i] {
			n.Alike = inside[i]
		}
		list = append(list, n)
	}
	return list
}
