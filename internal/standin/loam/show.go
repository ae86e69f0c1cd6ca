package loam

import (
	"context"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/google/uuid"

	"arbora.example/api"
	"arbora.example/internal/standin/loam/loamapi"
)

// mostHere bounds how many children of a scope are shown.
const mostHere = 200

// here shows what is at a scope: what Arbora shows to the asker of it, and what Arbora answers about each act, asked for all
// resources of a service at once.
func (c *call) here(ctx context.Context) (loamapi.Here, error) {
	if c.token == "" {
		return loamapi.Here{}, problem(http.StatusUnauthorized, "not-signed-in", "you are not signed in", "sign in at Arbora first")
	}
	arbora, err := c.arbora.passingOn(c.token, c.viewAs)
	if err != nil {
		return loamapi.Here{}, err
	}
	scope, err := arbora.ShowScope(ctx, c.key)
	if err != nil {
		return loamapi.Here{}, answered(err)
	}
	most := mostHere
	children, err := arbora.ListChildren(ctx, scope.Id, &api.ListChildrenParams{Limit: most})
	if err != nil {
		return loamapi.Here{}, answered(err)
	}
	h := loamapi.Here{
		Address: scope.Address, Title: scope.Title, Kind: string(scope.Kind), More: children.Next != "",
		Containers: []api.ScopeNode{}, Resources: []loamapi.ResourceHere{}, Creatable: []loamapi.Act{}, Unlisted: []loamapi.Act{},
	}
	nodes := children.Scopes
	if scope.Kind == "resource" {
		// A resource's own page: itself, and what is in it, such as subnets.
		nodes = append([]api.ScopeNode{{Id: scope.Id, Address: scope.Address, Kind: api.ScopeNodeKind(scope.Kind), Name: scope.Name, Type: scope.Type, Title: scope.Title, Retired: scope.Retired}}, nodes...)
	}
	var ids []uuid.UUID
	for _, n := range nodes {
		if n.Type == "" {
			h.Containers = append(h.Containers, n)
		} else if id, err := uuid.Parse(n.Id); err != nil {
			return loamapi.Here{}, err
		} else if _, ours := kinds[n.Type]; ours {
			ids = append(ids, id)
			h.Resources = append(h.Resources, loamapi.ResourceHere{ID: n.Id, Name: n.Name, Type: n.Type, Title: n.Title, Address: n.Address, Retired: n.Retired})
		}
	}
	kept, err := c.records.resources(ctx, ids)
	if err != nil {
		return loamapi.Here{}, err
	}
	for _, service := range loamapi.Services {
		if err := c.fillHere(ctx, &h, scope, service, kept); err != nil {
			return loamapi.Here{}, err
		}
	}
	return h, nil
}

// fillHere asks one service's questions about what is at a scope.
func (c *call) fillHere(ctx context.Context, h *loamapi.Here, scope api.Scope, service string, kept map[uuid.UUID]resource) error {
	var questions []question
	var take []func(verdict)
	ask := func(q question, then func(loamapi.Act)) {
		questions = append(questions, q)
		take = append(take, func(v verdict) { then(actOf(&q, &v)) })
	}
	for _, typ := range typesOf(service) {
		if placeable(typ, scope) {
			ask(c.question("create", typ, scope.Address), func(a loamapi.Act) { h.Creatable = append(h.Creatable, a) })
		}
		if scope.Kind != "resource" {
			ask(c.question("list", typ, scope.Address), func(a loamapi.Act) {
				if !a.On {
					h.Unlisted = append(h.Unlisted, a)
				}
			})
		}
	}
	for i := range h.Resources {
		r := &h.Resources[i]
		k := kinds[r.Type]
		if k.service != service {
			continue
		}
		for _, permission := range permissions(k, r.Type) {
			operation, typ, _ := strings.Cut(permission, " ")
			ask(c.question(operation, typ, r.Address), func(a loamapi.Act) {
				if operation == "describe" && typ == r.Type && a.On {
					c.tell(r, kept)
				}
				if makesSense(a, *r) {
					r.Acts = append(r.Acts, a)
				}
			})
		}
	}
	answers, err := c.arbora.ask(ctx, seat{service, c.subject.Organisation}, questions...)
	if err != nil {
		return err
	}
	for i, v := range answers {
		take[i](v)
	}
	return nil
}

// tell tells the state and size of a resource; one that Loam has not met yet is as it will be made.
func (c *call) tell(told *loamapi.ResourceHere, kept map[uuid.UUID]resource) {
	id := uuid.MustParse(told.ID)
	r, met := kept[id]
	if !met {
		r = newResource(id, c.subject.Organisation, told.Type)
	}
	told.Size, told.State = r.Size, r.state()
	if told.Retired {
		told.State = "retired"
	}
}

// makesSense leaves out what cannot be done in the state that a resource is in, as far as the asker sees that.
func makesSense(a loamapi.Act, r loamapi.ResourceHere) bool {
	switch {
	case a.Operation == "describe":
		return true
	case a.Operation == "start" && r.State == "running", a.Operation == "stop" && r.State == "stopped":
		return false
	}
	return (a.Operation == "restore") == r.Retired
}

// placeable reports whether a type can be made right at a scope.
func placeable(typ string, scope api.Scope) bool {
	if typ == "subnet" {
		return scope.Type != "" && scope.Type == "network"
	}
	return scope.Kind == "project" || scope.Kind == "compartment"
}

// permissions lists what can be done with a resource and what is in it; taking it out of use comes last.
func permissions(k kind, typ string) []string {
	var list []string
	for _, operation := range k.operations {
		if operation == "retire" {
			list = append(list, k.inside...)
		}
		list = append(list, operation+" "+typ)
	}
	return list
}

// actOf turns an answer into an act; one that is off says why.
func actOf(q *question, v *verdict) loamapi.Act {
	a := loamapi.Act{Operation: q.operation, Type: q.typ, Permission: q.permission(), On: v.Allowed}
	if !v.Allowed {
		v.Context.Hidden = false // the asker sees the place: Arbora has just shown it
		p := refusal(q, v)
		a.Reason = p.Detail
		if p.Next != "" {
			a.Ask = p.Next
		}
	}
	return a
}

// Offers lists all that Loam lets people do, as permissions, by type.
func Offers() map[string][]string {
	list := map[string][]string{}
	for _, typ := range slices.Sorted(maps.Keys(kinds)) {
		list[typ] = append([]string{"list " + typ, "create " + typ}, permissions(kinds[typ], typ)...)
	}
	return list
}
