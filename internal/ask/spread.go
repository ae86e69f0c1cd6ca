package ask

import (
	"context"
	"encoding/binary"
	"slices"

	"arbora.example/access"
	"arbora.example/access/catalogue"
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
	heldAt
	Alike int // so many scopes below it are alike with it, and are not listed
}

type heldAt struct {
	Told              bool
	Held, Conditional map[catalogue.Plane][]catalogue.Class
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
	all := make([]heldAt, len(nodes))
	for i := range nodes {
		id := nodes[i].ID
		if all[i].Told = p.ID == d.Me || d.May("list grant", id); all[i].Told {
			held, perhaps := d.Holds(p.ID, id, told)
			all[i].Held, all[i].Conditional = known.of(d, held), known.of(d, perhaps)
		}
	}
	spread := Spread{Principal: d.Called(p), Revision: d.Revision()}
	if asked.Each {
		for i, n := range nodes {
			spread.Nodes = append(spread.Nodes, SpreadNode{Node: n, heldAt: all[i]})
		}
	} else {
		spread.Nodes = folded(nodes, all)
	}
	for i := range spread.Nodes {
		spread.Nodes[i].Address = d.Address(spread.Nodes[i].ID)
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

func (h heldAt) look() look {
	l := look{told: h.Told, data: len(h.Held[catalogue.Data]) > 0, conditional: len(h.Conditional) > 0, strongest: -1}
	for _, held := range h.Held {
		for _, class := range held {
			l.strongest = max(l.strongest, slices.Index(catalogue.Classes, class))
		}
	}
	return l
}

// folded leaves out what is alike with the scope that it is in, where all that is in that one is; what the first one has right in it
// always stays. Each node stands after the one it is in. It lists as many as one answer does.
func folded(nodes []Node, all []heldAt) (list []SpreadNode) {
	above := parents(nodes)
	looks, alike, inside, kept := make([]look, len(nodes)), make([]bool, len(nodes)), make([]int, len(nodes)), make([]bool, len(nodes))
	for i := range nodes {
		looks[i], alike[i] = all[i].look(), !nodes[i].More
	}
	for i := len(nodes) - 1; i > 0; i-- {
		alike[above[i]] = alike[above[i]] && alike[i] && looks[i] == looks[above[i]]
		inside[above[i]] += 1 + inside[i]
	}
	for i := range nodes {
		if i > 0 && (!kept[above[i]] || above[i] > 0 && alike[above[i]]) {
			continue
		}
		if len(list) == treeLimit {
			list[slices.IndexFunc(list, func(l SpreadNode) bool { return l.ID == nodes[i].Parent })].More = true
			continue
		}
		n := SpreadNode{Node: nodes[i], heldAt: all[i]}
		if kept[i] = true; i > 0 && alike[i] {
			n.Alike = inside[i]
		}
		list = append(list, n)
	}
	return list
}
