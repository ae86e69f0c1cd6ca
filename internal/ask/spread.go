package ask

import (
	"context"

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
	Told              bool
	Held, Conditional map[catalogue.Plane][]catalogue.Class
}

// ShowSpread works out a spread, for those who may describe the principal, and for itself.
func (s *Answers) ShowSpread(ctx context.Context, c tenant.Caller, organisation string, who tenant.PrincipalRef) (Spread, error) {
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
	told := d.Anybody()
	spread := Spread{Principal: d.Called(p), Revision: d.Revision()}
	for _, n := range nodesOf(d, top, treeDepth) {
		node := SpreadNode{Node: n, Told: p.ID == d.Me || d.May("list grant", n.ID)}
		if node.Told {
			held, perhaps := d.Holds(p.ID, n.ID, told)
			node.Held, node.Conditional = classes(d, held), classes(d, perhaps)
		}
		spread.Nodes = append(spread.Nodes, node)
	}
	return spread, nil
}
